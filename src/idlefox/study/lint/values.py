"""Return whether a value breaks a rule, where the rule alone decides it."""

from __future__ import annotations

from typing import Any

from ...forms.model.form import Field, Kind
from ...forms.values.patterns import PatternError, PatternTooSlow, whole_match
from ...forms.values.values import equal, is_empty
from ...forms.values.whatwg import utf16_length


def breaks(kind: Kind, value: Any, field: Field) -> bool | None:
    """Return whether *value* breaks a rule of *kind* on *field*; None if that depends on more than the value."""
    if kind.name == "required":
        return is_empty(value)
    if is_empty(value):
        return False
    test = _TESTS.get(kind.name)
    if test is None or (isinstance(value, str) and (field.trim or field.case)):
        return None
    return test(kind.parameter, value)


def _length(parameter: Any, value: Any, sign: int) -> bool | None:
    return sign * (utf16_length(value) - parameter) > 0 if isinstance(value, str) and is_number(parameter) else None


def _bound(parameter: Any, value: Any, sign: int) -> bool | None:
    if isinstance(value, list):
        value = len(value)
    return sign * (value - parameter) > 0 if is_number(value) and is_number(parameter) else None


def _pattern(parameter: Any, value: Any) -> bool | None:
    if not isinstance(value, str) or not isinstance(parameter, str):
        return None
    try:
        return not whole_match(parameter)(value)
    except (PatternError, PatternTooSlow):
        return None


def _among(parameter: Any, value: Any) -> bool | None:
    if not isinstance(parameter, list | tuple):
        return None
    return not all(any(equal(one, each) for each in parameter) for one in (value if isinstance(value, list) else [value]))


_TESTS = {
    "minlength": lambda p, v: _length(p, v, -1), "maxlength": lambda p, v: _length(p, v, 1), "min": lambda p, v: _bound(p, v, -1),
    "max": lambda p, v: _bound(p, v, 1), "pattern": _pattern, "among": _among,
}  # fmt: skip


def is_number(value: Any) -> bool:
    """Return whether *value* is a number and not a boolean."""
    return isinstance(value, int | float) and not isinstance(value, bool)
