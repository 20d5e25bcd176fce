"""Why something on a page cannot be observed, with the line of `find` that would help."""

from __future__ import annotations

import json
from typing import Any

from ...playing.subject import NotObservable
from ...refusals import Refusal


def not_observable(what: str, why: str) -> NotObservable:
    """Return a NotObservable for *what* on a live page with the reason *why*."""
    return NotObservable(Refusal("unseen", what, facts={"why": why}), there=True)


def find_line(address: str, key: str, value: str) -> str:
    """The line of `find` to paste."""
    return f"live: {{find: {{{json.dumps(address) if not address.isidentifier() else address}: {{{key}: {value}}}}}}}"


def two_controls(address: str, controls: list[str]) -> NotObservable:
    """Return a NotObservable for a field with two possible *controls*."""
    line = find_line(address, "at", "'#its-id'")
    return not_observable(address, f"two controls on the page are called so, {controls[0]} and {controls[1]}; say which one: {line}")


def is_unread(facts: dict[str, Any]) -> bool:
    """Return whether nothing on the page says what is chosen."""
    return bool((facts.get("unseen") or {}).get("value"))


def unread_value(address: str) -> NotObservable:
    """Return a NotObservable for a choice whose value the page does not show."""
    why = "its control does not say what is chosen, and no other part of the page does"
    return not_observable(address, f"{why}; name where the value stands: {find_line(address, 'value', '.its-value')}")


def silent(address: str, name: str) -> NotObservable:
    """Return a NotObservable for a state, dirty or touched, that the page does not mark."""
    return not_observable(address, f"a page does not tell which fields are {name}; if it marks them, add live.find.{address}.{name}")


def unsure_mark(address: str, classes: list[str]) -> NotObservable:
    """Return a NotObservable for a mark: one of *classes*, which were added after load, may be it."""
    line = find_line("*", "marked", f".{classes[0]}")
    return not_observable(address, f"no aria-invalid on the page, but the class {classes[0]!r} was added; if that marks it, add {line}")


def unseen_message(address: str, facts: dict[str, Any]) -> NotObservable | None:
    """Why it cannot be said that the field shows nothing; None if it can."""
    unseen = (facts.get("unseen") or {}).get("shows")
    if unseen is None:
        return None
    if unseen["why"] == "text":
        why = f"the text {unseen['texts'][0]!r} appeared beside it, and is none of the sheet's messages"
        return not_observable(address, f"{why}; name where its messages stand: {find_line(address, 'shows', unseen['at'])}")
    line = find_line(address, "shows", ".its-message")
    return not_observable(address, f"it is marked as wrong, but its message was not found; name where it stands: {line}")
