"""Which facts of a form a check would notice."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from ...forms.model.form import Form
from ...forms.names.addresses import parse_address
from ...script import tree
from ...script.tree import Address, Cannot, Check
from .points import Point

# Steps in which a person changes the element at their address.
CHANGING = (
    tree.Type, tree.Retype, tree.Paste, tree.Erase, tree.Clear, tree.Set, tree.Pick, tree.Toggle, tree.Turn, tree.Upload, tree.FillLine,
    tree.Press, tree.Add,
)  # fmt: skip
_STATES = {
    "visible": {"visible", "hidden"}, "enabled": {"enabled", "disabled"}, "readonly": {"readonly"},
    "when": {"valid", "invalid", "required", "optional"}, "reveal": {"marked"},
}  # fmt: skip
_OF_SENDING = frozenset({
    "outcome", "requests", "status", "view", "notice", "payload", "errors", "location", "record", "request", "body",
})  # fmt: skip


def tells(point: Point, check: Check | Cannot, form: Form) -> bool:
    """Return whether *check*, which held, would have failed had the point's fact been otherwise."""
    if isinstance(check, Cannot):
        return _tells_cannot(point, check.step, form)
    named = _named(check, form)
    if named is not None and point.address not in named:
        return False
    test = _TESTS[point.kind]
    return test(point, check, form)


def _about(check: Check, address: str, form: Form) -> bool:
    """Return whether the check looks at *address*, or at all of the form."""
    noun = check.noun
    if noun.kind != "address" or noun.address is None:
        return False
    path = tuple("*" if isinstance(each, int) else str(each) for each in noun.address.segments)
    field = form.find(path)
    return field is not None and field.address == address


def _named(check: Check, form: Form) -> frozenset[str] | None:
    """Return the addresses that an `includes` of the whole form looks at; None for other checks."""
    if check.predicate != "includes" or not check.arguments or not isinstance(check.arguments[0], dict):
        return None
    if check.noun.kind == "errors":
        paths = (tuple("*" if isinstance(each, int) else each for each in parse_address(key) or ()) for key in check.arguments[0])
        found = (form.find(path) for path in paths)
        return frozenset("" if field is None else field.address for field in found)
    if check.noun.kind not in ("values", "payload", "record", "body"):
        return None
    return frozenset(("", *members(check.arguments[0], form), *map(str, check.arguments[0])))


def members(value: Any, form: Form, path: tuple[str, ...] = ()) -> Iterator[str]:
    """Yield the addresses of the fields that an object names."""
    for key, inner in value.items() if isinstance(value, dict) else ():
        field = form.find((*path, key))
        if field is None:
            continue
        if isinstance(inner, dict):
            yield from members(inner, form, (*path, key))
        elif isinstance(inner, list) and field.kind == "rows":
            for row in inner:
                yield from members(row, form, (*path, key, "*"))
        else:
            yield field.address


def is_about_messages(check: Check | Cannot) -> bool:
    """Return whether *check* looks at what shows, and not at validity itself."""
    if isinstance(check, Cannot):
        return False
    return check.noun.kind == "errors" or check.predicate.startswith("shows") or "marked" in _words(check)


def _tells_cannot(point: Point, step: Any, form: Form) -> bool:
    """Return whether `expect cannot` *step* would have failed had the point's state been otherwise."""
    word, _, rest = point.name.partition(" ")
    if point.kind != "state":
        return point.wanted == "checked"
    if word in ("submit.enabled", "button"):
        return point.wanted == "false" and isinstance(step, tree.Submit) and (step.button or "") == rest
    at = getattr(step, "address", None)
    if not isinstance(at, Address):
        return False
    segments = at.segments[:-1] if isinstance(step, tree.Remove) else at.segments
    field = form.find(tuple("*" if isinstance(each, int) else str(each) for each in segments))
    if field is None or field.address != point.address:
        return False
    if word in ("add", "remove"):
        return point.wanted == "false" and isinstance(step, tree.Add if word == "add" else tree.Remove)
    wanted = {"readonly": "true", "enabled": "false", "visible": "false"}.get(word)
    return point.wanted == wanted and isinstance(step, (*CHANGING, *((tree.Focus, tree.Blur) if word != "readonly" else ())))


def _words(check: Check) -> set[str]:
    return {given.word.text if isinstance(given, tree.Not) else getattr(given, "text", "") for given in check.arguments}


def _tells_validity(point: Point, check: Check, form: Form) -> bool:
    of_form = check.noun.kind == "form"
    if check.noun.kind == "errors" or (of_form and point.address == "" and check.predicate.startswith(("breaks", "shows"))):
        return True
    if not _about(check, point.address, form):
        holding = point.wanted in ("holds", "just inside")
        return of_form and check.predicate == "is" and "valid" in _words(check) and holding
    if check.predicate == "is":
        return bool(_words(check) & {"valid", "invalid", "asking", "unasked", "marked"})
    return check.predicate.startswith(("breaks", "shows"))


def _tells_message(point: Point, check: Check, form: Form) -> bool:
    if check.noun.kind == "errors":
        return True
    at_form = point.address == "" and check.noun.kind == "form"
    return (at_form or _about(check, point.address, form)) and (check.predicate.startswith("shows") or "marked" in _words(check))


def _tells_value(point: Point, check: Check, form: Form) -> bool:
    if point.wanted == "left":
        if check.noun.kind in ("touched", "errors"):
            return True
        seen = check.predicate.startswith("shows") or bool(_words(check) & {"touched", "marked"})
        return seen and _about(check, point.address, form)
    if check.noun.kind in ("values", "payload", "record", "body"):
        return True
    return _about(check, point.address, form)


def _tells_state(point: Point, check: Check, form: Form) -> bool:
    word, _, rest = point.name.partition(" ")
    if word == "submit.enabled":
        return check.noun.kind == "submit"
    if word == "button":
        return check.noun.kind == "button" and check.noun.name == rest
    if word == "reveal":
        return check.noun.kind == "errors" or check.predicate.startswith("shows") or "marked" in _words(check)
    if not _about(check, point.address, form):
        return False
    if word in ("add", "remove"):
        return check.predicate == "allows" and word in check.arguments
    return bool(_words(check) & _STATES.get(word, set())) or (word == "when" and check.predicate.startswith("breaks"))


def _tells_rows(point: Point, check: Check, form: Form) -> bool:
    if check.noun.kind in ("values", "payload", "record"):
        return True
    noun = check.noun.address
    return noun is not None and str(noun.segments[0]) == re.split(r"[.\[]", point.address)[0]


def _tells_submission(point: Point, check: Check, form: Form) -> bool:
    at_field = check.noun.kind == "address" and check.predicate.startswith("shows") and point.name != ""
    return at_field or check.noun.kind in _OF_SENDING


_TESTS: dict[str, Callable[[Point, Check, Form], bool]] = {
    "rule": _tells_validity, "bound": _tells_validity, "message": _tells_message, "field": _tells_value, "state": _tells_state,
    "choice": _tells_value, "rows": _tells_rows, "lookup": _tells_validity, "submission": _tells_submission,
}  # fmt: skip
