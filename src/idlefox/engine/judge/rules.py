"""What each kind of rule asks of a value: `test_for` makes the closure that says whether it is broken.

The flags and their conditions are HTML's ("Constraint validation", ValidityState); lookups are asked
elsewhere. A test is handed the cell whose value is judged; it is called only where the rule counts.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.expressions import UNKNOWN, Closure, Expression
from ...forms.model.form import Kind
from ...forms.values import whatwg
from ...forms.values.patterns import whole_match
from ...forms.values.values import equal
from ..plan.plans import FieldPlan, Test
from ..state.cells import judged_value
from .python_rules import broken

Compile = Callable[[Expression], Closure]


def test_for(kind: Kind, plan: FieldPlan, compile_: Compile) -> Test:
    """The test of one kind of a rule on a field compiled as *plan*."""
    maker = _MAKERS.get(kind.name)
    return maker(kind.parameter, plan, compile_) if maker is not None else lambda cell: True


def _parameter(parameter: Any, compile_: Compile) -> Callable[[Any], Any]:
    """The parameter as a function of the cell: unknown as None."""
    if isinstance(parameter, Expression):
        closure = compile_(parameter)

        def value(cell: Any) -> Any:
            found = closure(cell, None)
            return None if found is UNKNOWN else found

        return value
    return lambda cell: parameter


def _text(plan: FieldPlan) -> Callable[[Any], str]:
    normal = plan.normal
    return (lambda cell: cell.value) if normal is None else (lambda cell: normal(cell.value))


def _length(short: bool) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        text, length = _text(plan), whatwg.utf16_length
        if isinstance(parameter, int):
            if short:
                return lambda cell: length(text(cell)) < parameter
            return lambda cell: length(text(cell)) > parameter
        bound = _parameter(parameter, compile_)

        def test(cell: Any) -> bool:
            limit = bound(cell)
            if not isinstance(limit, int | float) or isinstance(limit, bool):
                return False
            return length(text(cell)) < limit if short else length(text(cell)) > limit

        return test

    return make


def _pattern(parameter: str, plan: FieldPlan, compile_: Compile) -> Test:
    # The pattern is about the whole text, white space around it included: only `case` counts before the blur.
    matches, folded = whole_match(parameter), plan.folded
    if folded is None:
        return lambda cell: not matches(cell.value)
    return lambda cell: not matches(folded(cell.value))


def _type(check: Callable[[str], bool]) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        text = _text(plan)
        if check is whatwg.is_email and plan.field is not None and plan.field.multiple:
            return lambda cell: not all(check(part.strip(whatwg.ASCII_WHITE_SPACE)) for part in text(cell).split(","))
        return lambda cell: not check(text(cell))

    return make


def measure(plan: FieldPlan) -> Callable[[Any], Any]:
    """How min and max see a value: a number, a date as a number, a list by its count; None for nothing."""
    kind = plan.kind
    if kind in whatwg.DATE_KINDS:
        return lambda value: whatwg.date_number(kind, value) if isinstance(value, str) else None
    if kind in ("rows", "file") or (plan.field is not None and plan.field.many):
        return len

    def number(value: Any) -> Any:
        return value if isinstance(value, int | float) and not isinstance(value, bool) else None

    return number


def _bound(under: bool) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        size = measure(plan)
        counted = size is len
        if not isinstance(parameter, Expression) and plan.kind == "number":
            if under:
                return lambda cell: cell.value is not None and cell.value < parameter
            return lambda cell: cell.value is not None and cell.value > parameter
        limit_of = _parameter(parameter, compile_)
        if plan.kind == "time":
            return _on_the_clock(under, limit_of, _sibling("max" if under else "min", plan, compile_))

        def test(cell: Any) -> bool:
            if counted:
                value, limit = len(cell.parts if plan.kind == "rows" else cell.value), limit_of(cell)
            else:
                value, limit = size(cell.value), size(limit_of(cell))
            if value is None or limit is None or isinstance(limit, str | bool | list):
                return False
            return bool(value < limit) if under else bool(value > limit)

        return test

    return make


def _sibling(name: str, plan: FieldPlan, compile_: Compile) -> Callable[[Any], Any]:
    """The parameter of another rule of the same field, as a function of the cell; None where there is none."""
    for rule in plan.field.rules:
        for kind in rule.kinds:
            if kind.name == name:
                return _parameter(kind.parameter, compile_)
    return lambda cell: None


def _on_the_clock(under: bool, limit_of: Callable[[Any], Any], other_of: Callable[[Any], Any]) -> Test:
    """HTML, "reversed range": a time from 22:00 to 06:00 goes over midnight, and what lies between breaks both."""

    def test(cell: Any) -> bool:
        value, limit, other = (whatwg.date_number("time", t or "") for t in (cell.value, limit_of(cell), other_of(cell)))
        if value is None or limit is None:
            return False
        low, high = (limit, other) if under else (other, limit)
        if low is not None and high is not None and high < low:
            return high < value < low
        return value < limit if under else value > limit

    return test


def _step(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    _, scale, default_base = whatwg.STEPS[plan.kind]
    size, step_of = measure(plan), _parameter(parameter, compile_)
    base_of = _step_base(plan, compile_)

    def test(cell: Any) -> bool:
        value, step = whatwg.decimal_of(size(cell.value)), whatwg.decimal_of(step_of(cell))
        if value is None or step is None:
            return False
        base = whatwg.decimal_of(size(base_of(cell)))
        return whatwg.step_mismatch(value, step * scale, default_base if base is None else base)

    return test


def _step_base(plan: FieldPlan, compile_: Compile) -> Callable[[Any], Any]:
    """HTML, "step base": the minimum if there is one, else the initial value, else the type's own."""
    if any(kind.name == "min" for rule in plan.field.rules for kind in rule.kinds):
        return _sibling("min", plan, compile_)
    initial = plan.field.initial if plan.field.has_initial else None
    return lambda cell: initial


def _among(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    allowed_of = _parameter(parameter, compile_)

    def test(cell: Any) -> bool:
        allowed, value = allowed_of(cell), judged_value(cell)
        if not isinstance(allowed, list | tuple):
            return False
        chosen = value if isinstance(value, list) else [value]
        return not all(any(equal(each, a) for a in allowed) for each in chosen)

    return test


def _repeats(parameter: Expression, plan: FieldPlan, compile_: Compile) -> Test:
    other = compile_(parameter)
    return lambda cell: not equal(judged_value(cell), other(cell, None))


def _holds(parameter: Expression, plan: FieldPlan, compile_: Compile) -> Test:
    closure = compile_(parameter)
    return lambda cell: closure(cell, None) is False


def twin_key(value: Any) -> Any:
    """*value* as a key by which equal JSON values meet: 1 and 1.0 are one, 1 and true are not."""
    if isinstance(value, list):
        return ("list", *map(twin_key, value))
    if isinstance(value, dict):
        return ("object", *((k, twin_key(value[k])) for k in sorted(value)))
    return ("boolean", value) if isinstance(value, bool) else value


def _unique(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    def test(cell: Any) -> bool:
        return cell.twin is not None and len(cell.row.up.twins[cell.twin]) > 1

    return test


def _python(parameter: str, plan: FieldPlan, compile_: Compile) -> Test:
    def test(cell: Any) -> bool:
        return broken(cell.live, parameter, cell)

    return test


_MAKERS: dict[str, Callable[..., Test]] = {
    "minlength": _length(True),
    "maxlength": _length(False),
    "pattern": _pattern,
    "email": _type(whatwg.is_email),
    "url": _type(whatwg.is_url),
    "min": _bound(True),
    "max": _bound(False),
    "step": _step,
    "among": _among,
    "repeats": _repeats,
    "holds": _holds,
    "unique": _unique,
    "python": _python,
}

