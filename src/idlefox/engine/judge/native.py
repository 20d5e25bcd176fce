"""The constraints of a page's controls, judged as HTML's "Constraint validation" has them.

What differs from a sheet's rules: `minlength` and `maxlength` count only after a person's edit; a missing value is
missing even where the text is unreadable; a drop-down whose placeholder is chosen has nothing chosen. Fields whose
attributes are alike share their checks: a page of thousands of controls is ready at once.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.model.form import Field, Kind, Message, Rule
from ...forms.model.messages import stock
from ...forms.values import whatwg
from ...forms.values.patterns import whole_match
from ...forms.values.values import as_text, is_empty
from ...records import NamedTuple
from ..plan import controls
from ..plan.plans import CheckPlan, FieldPlan, Test


class Shared(NamedTuple):
    """What fields with the same attributes have in common."""

    parse: Callable[[str], controls.Parsed]
    blank: Any
    checks: list[CheckPlan]
    empty: list[tuple[int, Test]]
    filled: list[tuple[int, Test]]
    bad_bit: int
    required: bool


class NativePlans:
    """Fills in the plans of one page's fields. *texts* are a sheet's own, for rules without words."""

    def __init__(self, texts: dict[str, Message]) -> None:
        self.texts = texts
        self._known: dict[int, Shared] = {}

    def fill(self, plan: FieldPlan, field: Field) -> None:
        """Gives *plan* its parser and checks; nothing in it reads another field."""
        plan.first = plan.again = 3
        like = field.native.like
        shared = self._known.get(like) if like else self._share(field)
        if shared is None:
            shared = self._known[like] = self._share(field)
        plan.parse, plan.blank = shared.parse, shared.blank
        plan.checks, plan.tests_empty, plan.tests_filled = shared.checks, shared.empty, shared.filled
        plan.bad_bit, plan.required = shared.bad_bit, shared.required

    def _share(self, field: Field) -> Shared:
        checks = [native_check(i, rule, rule.kinds[0], field, self.texts) for i, rule in enumerate(field.rules)]
        empty = [(c.bit, c.test) for c in checks if c.on_empty]
        filled = [(c.bit, c.test) for c in checks if c.kind != "badInput"]
        required = any(c.kind == "required" for c in checks)
        return Shared(controls.parser(field), controls.blank(field), checks, empty, filled, bad_bits(checks), required)


def bad_bits(checks: list[CheckPlan]) -> int:
    """What a control with unreadable text breaks: badInput, and missing too, for its value is empty."""
    return sum(c.bit for c in checks if c.kind in ("badInput", "required"))


def native_check(index: int, rule: Rule, kind: Kind, field: Field, texts: dict[str, Message]) -> CheckPlan:
    """The check of one attribute of *field*."""
    message = rule.say if rule.say is not None else stock(kind.name, texts, field.kind)
    check = CheckPlan(index, kind.name, kind.flag, rule.id, message)
    check.on_empty = rule.on_empty
    check.parameters = {kind.name: as_text(kind.parameter)}
    check.test = _test(kind.name, kind.parameter, field)
    return check


def _test(name: str, parameter: Any, field: Field) -> Test:
    if name == "required":
        return _missing(parameter, field)
    if name == "minlength":
        return lambda cell: cell.edited and whatwg.utf16_length(cell.value) < parameter
    if name == "maxlength":
        return lambda cell: cell.edited and whatwg.utf16_length(cell.value) > parameter
    if name == "pattern":
        matches = whole_match(parameter)
        return _each(matches, field)
    if name in ("email", "url"):
        return _each(whatwg.is_email if name == "email" else whatwg.is_url, field)
    if name in ("min", "max"):
        return _bound(name == "min", parameter, field)
    return _step(parameter, field) if name == "step" else lambda cell: True


def _each(fits: Callable[[str], bool], field: Field) -> Test:
    """A text that does not fit; of an e-mail control with `multiple`, any part of it."""
    if field.kind == "email" and field.multiple:
        return lambda cell: not all(map(fits, cell.value.split(",")))
    return lambda cell: not fits(cell.value)


def _missing(parameter: Any, field: Field) -> Test:
    """HTML, "suffering from being missing". *parameter*: the checkboxes that must be on, or a drop-down's placeholder."""
    if isinstance(parameter, tuple):
        return lambda cell: not all(value in cell.value for value in parameter)
    if field.kind == "select" and not field.multiple:
        if parameter is True:
            return lambda cell: cell.value is None
        return lambda cell: cell.value is None or cell.value == parameter
    if field.kind == "radio":
        return lambda cell: cell.value is None
    return lambda cell: is_empty(cell.value)


def _measure(kind: str) -> Callable[[Any], Any]:
    if kind in whatwg.DATE_KINDS:
        return lambda value: whatwg.date_number(kind, value) if value else None
    return lambda value: value


def _bound(under: bool, parameter: Any, field: Field) -> Test:
    measure = _measure(field.kind)
    limit = measure(parameter)
    other = next((k.parameter for r in field.rules for k in r.kinds if k.name == ("max" if under else "min")), None)
    if field.kind == "time" and other is not None:
        low, high = (limit, measure(other)) if under else (measure(other), limit)
        if high < low:
            # HTML, "reversed range": from evening to morning; what lies between breaks both.
            return lambda cell: bool(cell.value) and high < measure(cell.value) < low

    def test(cell: Any) -> bool:
        value = measure(cell.value)
        return value is not None and bool(value < limit if under else value > limit)

    return test


def _step(parameter: Any, field: Field) -> Test:
    _, scale, default_base = whatwg.STEPS[field.kind]
    measure = _measure(field.kind)
    step, base = whatwg.decimal_of(parameter), whatwg.decimal_of(measure(field.native.base))
    if step is None:
        return lambda cell: False
    size = step * scale
    start = default_base if base is None else base

    def test(cell: Any) -> bool:
        value = whatwg.decimal_of(measure(cell.value))
        return value is not None and whatwg.step_mismatch(value, size, start)

    return test
