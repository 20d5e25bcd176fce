"""The kinds of rules: `test_for` makes the closure that decides whether a rule is broken.

The flags and conditions are HTML's ("Constraint validation", ValidityState). Lookups are handled elsewhere. A test gets the
cell and its value as rules see it, and is called only where the rule applies.
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
from .constraints import beyond, beyond_on_the_clock, each_of, number_of, off_step, too_long, too_short
from .python_rules import broken

Compile = Callable[[Expression], Closure]


def test_for(kind: Kind, plan: FieldPlan, compile_: Compile) -> Test:
    """The test of one kind of a rule on a field compiled as *plan*."""
    maker = _MAKERS.get(kind.name)
    return maker(kind.parameter, plan, compile_) if maker is not None else lambda cell, value: True


def _parameter(parameter: Any, compile_: Compile) -> Callable[[Any], Any]:
    """The parameter as a function of the cell: unknown as None."""
    if isinstance(parameter, Expression):
        closure = compile_(parameter)

        def value(cell: Any) -> Any:
            found = closure(cell, None)
            return None if found is UNKNOWN else found

        return value
    return lambda cell: parameter


def _length(beyond_limit: Callable[[float], Test]) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        if isinstance(parameter, int):
            return beyond_limit(parameter)
        bound = _parameter(parameter, compile_)

        def test(cell: Any, text: str) -> bool:
            limit = bound(cell)
            return isinstance(limit, int | float) and not isinstance(limit, bool) and beyond_limit(limit)(cell, text)

        return test

    return make


def _pattern(parameter: str, plan: FieldPlan, compile_: Compile) -> Test:
    # The pattern is about the whole text, white space around it included: only `case` counts before the blur.
    matches, folded = whole_match(parameter), plan.folded
    if folded is None:
        return lambda cell, value: not matches(cell.value)
    return lambda cell, value: not matches(folded(cell.value))


def _type(fits: Callable[[str], bool]) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        if fits is whatwg.is_email and plan.field is not None and plan.field.multiple:
            wrong = each_of(fits)
            return lambda cell, text: wrong(text)
        return lambda cell, text: not fits(text)

    return make


def _bound(under: bool) -> Callable[..., Test]:
    def make(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
        kind, limit_of = plan.kind, _parameter(parameter, compile_)
        if not isinstance(parameter, Expression) and kind == "number":
            return lambda cell, value: beyond(under, value, parameter)
        if kind in ("rows", "file") or (plan.field is not None and plan.field.many):
            count, number = _count(kind), number_of("number")
            return lambda cell, value: beyond(under, count(cell), number(limit_of(cell)))
        measure = number_of(kind)
        if kind == "time":
            other_of = _sibling("max" if under else "min", plan, compile_)
            return lambda cell, value: beyond_on_the_clock(under, measure(value), measure(limit_of(cell)), measure(other_of(cell)))
        return lambda cell, value: beyond(under, measure(value), measure(limit_of(cell)))

    return make


def _count(kind: str) -> Callable[[Any], int]:
    """A list's bounds are about how many there are."""
    return (lambda cell: len(cell.parts)) if kind == "rows" else (lambda cell: len(cell.value))


def _sibling(name: str, plan: FieldPlan, compile_: Compile) -> Callable[[Any], Any]:
    """Return a function from a cell to the parameter of another rule of the same field; None if there is none."""
    for rule in plan.field.rules:
        for kind in rule.kinds:
            if kind.name == name:
                return _parameter(kind.parameter, compile_)
    return lambda cell: None


def _step(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    kind, measure = plan.kind, number_of(plan.kind)
    step_of, base_of = _parameter(parameter, compile_), _step_base(plan, compile_)
    return lambda cell, value: off_step(kind, measure(value), step_of(cell), measure(base_of(cell)))


def _step_base(plan: FieldPlan, compile_: Compile) -> Callable[[Any], Any]:
    """HTML, "step base": the minimum if there is one, else the initial value, else the type's own."""
    if any(kind.name == "min" for rule in plan.field.rules for kind in rule.kinds):
        return _sibling("min", plan, compile_)
    initial = plan.field.initial if plan.field.has_initial else None
    return lambda cell: initial


def _among(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    allowed_of = _parameter(parameter, compile_)

    def test(cell: Any, value: Any) -> bool:
        allowed, value = allowed_of(cell), judged_value(cell)  # also of a group or a list
        if not isinstance(allowed, list | tuple):
            return False
        chosen = value if isinstance(value, list) else [value]
        return not all(any(equal(each, a) for a in allowed) for each in chosen)

    return test


def _repeats(parameter: Expression, plan: FieldPlan, compile_: Compile) -> Test:
    other = compile_(parameter)
    return lambda cell, value: not equal(judged_value(cell), other(cell, None))


def _holds(parameter: Expression, plan: FieldPlan, compile_: Compile) -> Test:
    closure = compile_(parameter)
    return lambda cell, value: closure(cell, None) is False


def twin_key(value: Any) -> Any:
    """*value* as a key by which equal JSON values meet: 1 and 1.0 are one, 1 and true are not."""
    if isinstance(value, list):
        return ("list", *map(twin_key, value))
    if isinstance(value, dict):
        return ("object", *((k, twin_key(value[k])) for k in sorted(value)))
    return ("boolean", value) if isinstance(value, bool) else value


def _unique(parameter: Any, plan: FieldPlan, compile_: Compile) -> Test:
    def test(cell: Any, value: Any) -> bool:
        return cell.twin is not None and len(cell.row.up.twins[cell.twin]) > 1

    return test


def _python(parameter: str, plan: FieldPlan, compile_: Compile) -> Test:
    def test(cell: Any, value: Any) -> bool:
        return broken(cell.live, parameter, cell)

    return test


_MAKERS: dict[str, Callable[..., Test]] = {
    "minlength": _length(too_short),
    "maxlength": _length(too_long),
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

