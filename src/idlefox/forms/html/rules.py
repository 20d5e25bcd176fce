"""The rules that a control's attributes make (HTML, "Constraint validation"), as rules of a field.

Order of the rules of a field: unreadable input first, then missing, type, pattern, lengths, bounds, step, so that the
one message on show is the one that explains most.
"""

from __future__ import annotations

from typing import Any

from ..model.form import Kind, Rule
from ..values.whatwg import STEPS
from .elements import LENGTHS, LINES, NUMERIC, REQUIRED, Attributes, bound, pattern_of, step_of, whole_number

_BAD_INPUT = Rule((Kind("badInput", "badInput", True),), native=True)
_REQUIRED = Rule((Kind("required", "valueMissing", True),), on_empty=True, native=True)
_RANGE_MAX = 100  # HTML, "Range state"
_TYPES = {
    "email": Rule((Kind("email", "typeMismatch", True),), native=True),
    "url": Rule((Kind("url", "typeMismatch", True),), native=True),
}


def _rule(name: str, flag: str, parameter: Any) -> Rule:
    return Rule((Kind(name, flag, parameter),), native=True)


def required_rule(parameter: Any = True) -> Rule:
    """Return the rule of the required attribute. *parameter*: the value that a choice must or must not have."""
    return _REQUIRED if parameter is True else Rule((Kind("required", "valueMissing", parameter),), on_empty=True, native=True)


def native_rules(kind: str, attributes: Attributes) -> tuple[Rule, ...]:
    """The rules of a control of *kind* with *attributes*, which is not barred from constraint validation."""
    rules: list[Rule] = []
    if kind in NUMERIC and kind != "range":
        rules.append(_BAD_INPUT)
    if "required" in attributes and kind in REQUIRED:
        rules.append(_REQUIRED)
    if kind in _TYPES:
        rules.append(_TYPES[kind])
    if kind in LINES and "pattern" in attributes and (pattern := pattern_of(attributes)) is not None:
        rules.append(_rule("pattern", "patternMismatch", pattern))
    if kind in LENGTHS:
        if (most := whole_number(attributes, "maxlength")) is not None:
            rules.append(_rule("maxlength", "tooLong", most))
        if least := whole_number(attributes, "minlength"):
            rules.append(_rule("minlength", "tooShort", least))
    elif kind in NUMERIC:
        rules += numeric_rules(kind, attributes)
    return tuple(rules)


def numeric_rules(kind: str, attributes: Attributes) -> list[Rule]:
    """min, max and step, as far as the attributes have values; a step without one is the type's own."""
    rules: list[Rule] = []
    if (low := bound(kind, attributes, "min")) is not None:
        rules.append(_rule("min", "rangeUnderflow", low))
    high = bound(kind, attributes, "max")
    if kind == "range" and high is None and low is not None and low > _RANGE_MAX:
        high = _RANGE_MAX  # above the implicit maximum
    if high is not None:
        rules.append(_rule("max", "rangeOverflow", high))
    step = step_of(attributes)
    if step is not None:
        rules.append(_rule("step", "stepMismatch", step or default_step(kind)))
    return rules


def default_step(kind: str) -> int:
    """Return the default step of *kind*."""
    return int(STEPS[kind][0])


def step_base(kind: str, attributes: Attributes) -> Any:
    """HTML, "step base": the min attribute, else the value attribute, else None for the type's own."""
    low = bound(kind, attributes, "min")
    return low if low is not None else bound(kind, attributes, "value")


def span_of(attributes: Attributes) -> tuple[Any, Any, Any, Any]:
    """Least, most, step (None: any) and step base of a slider (HTML, "Range state": 0, 100 and 1 by default)."""
    low, high = bound("range", attributes, "min"), bound("range", attributes, "max")
    step = step_of(attributes)
    base = step_base("range", attributes)
    return (0 if low is None else low, _RANGE_MAX if high is None else high, 1 if step == 0 else step, 0 if base is None else base)
