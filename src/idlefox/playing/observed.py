"""The visible state of a form at one moment, and checks for what has changed since an earlier one."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.model.form import Field, Form
from ..forms.names.shapes import write_address
from ..records import NamedTuple
from ..script.checks import NOUNS
from ..script.tree import Address, Noun
from ..script.writer import called, quoted
from .subject import FieldState, NotObservable, Subject

_FORM = Noun("form")
# The observations of a whole form, in the order in which they are reported.
_ASKED = ("outcome", "view", "notice", "status", "requests", "request", "payload", "focus")
_WORDS = frozenset({"outcome", "view"})
# States worth a check when they become true, and the opposite check when they become false.
_TOLD = ("valid", "invalid", "asking", "unasked", "hidden", "disabled", "readonly", "dirty", "clean", "touched", "not touched")
_MOST_LEFT = 3  # fields reported as touched
_MOST_HIDDEN = 5  # and as hidden, or visible again
_NO_LONGER = {"hidden": "visible", "disabled": "enabled", "readonly": "not readonly"}


class Observed(NamedTuple):
    """*fields* are the states of fields, lists and groups by their addresses, the form's own under ""; *nouns* the values of the rest."""

    fields: dict[str, FieldState]
    nouns: dict[str, Any]


def observe(subject: Subject, form: Form) -> Observed:
    """Observe the current state."""
    fields: dict[str, FieldState] = {}
    for name, path in (("", None), *_paths(subject, form)):
        state = subject.look(_FORM if path is None else Noun("address", Address(path)), "state")
        if isinstance(state, FieldState):
            fields[name] = state
    nouns = {noun: found for noun in _ASKED if not isinstance(found := subject.look(Noun(noun), "value"), NotObservable)}
    return Observed(fields, nouns)


def _paths(subject: Subject, form: Form) -> Iterator[tuple[str, tuple[Any, ...]]]:
    for one in (form, *form.panels):
        for field in one.fields:
            yield from _of(subject, field, (one.panel, field.name) if one.panel else (field.name,))


def _of(subject: Subject, field: Field, path: tuple[Any, ...]) -> Iterator[tuple[str, tuple[Any, ...]]]:
    if field.native is not None:
        path = field.path
    yield (field.native.address if field.native is not None else write_address(path)), path
    if field.kind == "rows":
        count = subject.look(Noun("address", Address(path)), "rows")
        for row in range(count if isinstance(count, int) else 0):
            for each in field.fields:
                yield from _of(subject, each, (*path, row, each.name))
    else:
        for each in field.fields:
            yield from _of(subject, each, (*path, each.name))


def pinning(before: Observed, now: Observed) -> Iterator[str]:
    """Yield checks, as script text, for the differences between *now* and *before*."""
    left = [name for name, state in now.fields.items() if name in before.fields and "touched" in _words(before.fields[name], state)]
    quiet = frozenset({"touched"} if len(left) > _MOST_LEFT else ())  # an attempt to submit touched them all: not worth a line each
    for word in ("hidden", "visible"):  # a dialog hides everything else
        changed = [name for name, state in now.fields.items() if name in before.fields and word in _words(before.fields[name], state)]
        quiet |= {word} if len(changed) > _MOST_HIDDEN else set()
    for name, state in now.fields.items():
        if name:
            yield from _of_field(called(name), before.fields.get(name), state, quiet)
    yield from _of_form(before.fields.get(""), now.fields.get(""))
    for noun, value in now.nouns.items():
        if before.nouns.get(noun) != value:
            yield f"expect {noun} {_said(noun, value)}"


def _of_field(name: str, before: FieldState | None, now: FieldState, quiet: frozenset[str]) -> Iterator[str]:
    if now.rows is not None and now.kind == "rows":
        if before is None or before.rows != now.rows:
            yield f"expect {name} has {now.rows} row{'' if now.rows == 1 else 's'}"
    elif now.kind == "field" and before is not None:
        if before.value != now.value:
            yield f"expect {name} = {quoted(now.value)}"
        if now.reads is not None and before.reads != now.reads:
            yield f"expect {name} reads {quoted(now.reads)}"
    if before is None:
        return
    words = [word for word in _words(before, now) if word not in quiet]
    if words and now.kind == "field":
        yield f"expect {name} is {', '.join(words)}"
    if before.breaks != now.breaks and now.breaks:
        yield f"expect {name} breaks only {', '.join(dict.fromkeys(now.breaks))}"
    if before.shows != now.shows:
        yield f"expect {name} shows {', '.join(map(quoted, now.shows)) or 'nothing'}"


def _words(before: FieldState, now: FieldState) -> list[str]:
    """Return the new states of a field, and negations of those it no longer has."""
    come = [word for word in now.words if word in _TOLD and word not in before.words]
    return come + [other for word, other in _NO_LONGER.items() if word in before.words and word not in now.words]


def _of_form(before: FieldState | None, now: FieldState | None) -> Iterator[str]:
    if before is None or now is None:
        return
    words = _words(before, now)
    if words:
        yield f"expect form is {', '.join(words)}"
    if before.shows != now.shows:
        yield f"expect form shows {', '.join(map(quoted, now.shows)) or 'nothing'}"


def _said(noun: str, value: Any) -> str:
    if noun in _WORDS:
        return f"is {value}"
    if noun == "focus":
        return f"= {called(value[0])}" if value else "nothing"
    if value is None:
        return "nothing" if "nothing" in NOUNS[noun] else "= null"
    return f"= {quoted(value)}"
