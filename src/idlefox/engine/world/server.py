"""The stub server: checks a payload by its own rules, then answers with the first matching reply.

It knows the payload and the plan, not the form's state.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.expressions import UNKNOWN
from ...forms.model.form import Notice
from ...forms.values.values import is_empty
from ...records import NamedTuple
from ..judge.timing import fill_message
from ..plan.plans import FormPlan, ServerRule, Test
from ..state.cells import judged_value
from ..state.form_state import FormState
from .payload import PayloadValue, ReceivedPayload


class ServerAnswer(NamedTuple):
    """An answer: *kind* is status, failure or nothing. *errors* are messages by address as written."""

    kind: str
    status: int = 200
    errors: tuple[tuple[str, tuple[str, ...]], ...] = ()
    to: str = ""
    notice: Notice | None = None
    record: Any = None
    has_record: bool = False
    takes: int | None = None
    body: Any = None  # the body for a live page, if there is more


def answer(live: FormState, form: FormPlan, payload: Any) -> ServerAnswer:
    """Return the stub server's answer to *payload* of *form*: its rules first, then its replies, else 200."""
    if form.model.server.fails:
        return ServerAnswer("failure")
    errors: dict[str, list[str]] = {}
    for rule in form.server.rules:
        for address, text in _broken(live, rule, payload):
            errors.setdefault(address, []).append(text)
    if errors:
        return ServerAnswer("status", 422, tuple((a, tuple(t)) for a, t in errors.items()))
    received = ReceivedPayload(live, payload)
    for reply, when, record in form.server.replies:
        if when is not None and when(received, None) is not True:
            continue
        stored = reply.record
        if record is not None:
            found = record(received, None)
            stored = None if found is UNKNOWN else found
        answered = (reply.status, reply.errors, reply.to, reply.notice, stored, reply.has_record, reply.takes, reply.body)
        return ServerAnswer("status", *answered)
    return ServerAnswer("status")


def _broken(live: FormState, rule: ServerRule, payload: Any) -> Iterator[tuple[str, str]]:
    """The address and message of every breach of *rule* by *payload*."""
    for probe, address in _probes(live, rule, payload):
        if rule.when is not None and rule.when(probe, None) is not True:
            continue
        empty = is_empty(probe.value)
        for name, test, message in rule.tests:
            if name == "required":
                broken = empty
            elif (empty and not rule.on_empty and name != "holds") or name == "badInput":
                broken = False
            else:
                broken = _breaks(test, probe)
            if broken:
                text = fill_message(message, probe, rule.parameters)
                yield address, "".join(p if isinstance(p, str) else str(probe.row.index() + 1) for p in text)


def _breaks(test: Test, probe: PayloadValue) -> bool:
    try:
        return bool(test(probe, judged_value(probe)))
    except (TypeError, AttributeError):
        # The payload may hold a value of another type than the form's field would: no such value passes.
        return True


def _probes(live: FormState, rule: ServerRule, payload: Any) -> Iterator[tuple[PayloadValue, str]]:
    """The values of the payload that *rule* judges, each with its address."""
    fixed = list(rule.fixed)
    found: list[tuple[Any, str, list[Any], int]] = [(payload, "", [], -1)]
    for name in rule.path:
        if name == "*":
            number = fixed.pop(0) if fixed else None
            found = [
                (item, f"{address}[{i}]", [*around, item], i)
                for value, address, around, _ in found
                if isinstance(value, list)
                for i, item in enumerate(value)
                if number is None or i == (number if number >= 0 else len(value) + number)
            ]
        else:
            found = [
                (value.get(name) if isinstance(value, dict) else None, f"{address}.{name}" if address else name, around, i)
                for value, address, around, i in found
            ]
    for value, address, around, index in found:
        yield PayloadValue(rule.plan, live, value, payload, around, index), address
