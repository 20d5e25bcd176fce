"""The constraints of a page's controls (HTML, "Constraint validation").

Differences from a sheet's rules: `minlength` and `maxlength` count only after a person's edit; a required value is missing even
if the text cannot be parsed; a drop-down whose placeholder is chosen has no value. Fields with equal attributes share their
checks, so that a page of thousands of controls loads at once.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.model.form import Field, Kind, Message, Rule
from ...forms.model.messages import stock
from ...forms.values import whatwg
from ...forms.values.patterns import whole_match
from ...forms.values.values import as_text, is_chosen, is_empty, same_choice
from ...records import NamedTuple
from ..plan import controls
from ..plan.plans import SUBMIT, CheckPlan, FieldPlan, Test
from .constraints import beyond, beyond_on_the_clock, each_of, number_of, off_step, too_long, too_short


class SharedConstraints(NamedTuple):
    """The checks shared by fields with equal attributes."""

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
        self._known: dict[int, SharedConstraints] = {}

    def fill(self, plan: FieldPlan, field: Field) -> None:
        """Give *plan* its parser and checks; nothing in it reads another field."""
        plan.first = plan.again = SUBMIT
        like = field.native.like
        shared = self._known.get(like) if like else self._share(field)
        if shared is None:
            shared = self._known[like] = self._share(field)
        plan.parse, plan.blank = shared.parse, shared.blank
        plan.checks, plan.tests_empty, plan.tests_filled = shared.checks, shared.empty, shared.filled
        plan.bad_bit, plan.required = shared.bad_bit, shared.required

    def _share(self, field: Field) -> SharedConstraints:
        checks = [native_check(i, rule, rule.kinds[0], field, self.texts) for i, rule in enumerate(field.rules)]
        empty = [(c.bit, c.test) for c in checks if c.on_empty]
        filled = [(c.bit, c.test) for c in checks if c.kind != "badInput"]
        required = any(c.kind == "required" for c in checks)
        return SharedConstraints(controls.parser(field), controls.blank(field), checks, empty, filled, bad_bits(checks), required)


def bad_bits(checks: list[CheckPlan]) -> int:
    """Return the flags of a control whose text cannot be parsed: badInput, and valueMissing if it is required."""
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
    makers: dict[str, Callable[[Any, Field], Test]] = {
        "required": _missing, "minlength": _length(too_short), "maxlength": _length(too_long), "pattern": _pattern,
        "email": _type(whatwg.is_email), "url": _type(whatwg.is_url), "min": _bound(True), "max": _bound(False), "step": _step,
    }  # fmt: skip
    maker = makers.get(name)
    return maker(parameter, field) if maker is not None else lambda cell, value: True


def _length(beyond_limit: Callable[[float], Test]) -> Callable[[Any, Field], Test]:
    """Lengths count only after a person's edit (HTML, "dirty value flag" and its last change)."""

    def make(parameter: Any, field: Field) -> Test:
        beyond_it = beyond_limit(parameter)
        return lambda cell, value: cell.edited and beyond_it(cell, cell.value)

    return make


def _pattern(parameter: str, field: Field) -> Test:
    return _misfit(whole_match(parameter), field)


def _type(fits: Callable[[str], bool]) -> Callable[[Any, Field], Test]:
    return lambda parameter, field: _misfit(fits, field)


def _misfit(fits: Callable[[str], bool], field: Field) -> Test:
    if field.kind == "email" and field.multiple:
        wrong = each_of(fits)
        return lambda cell, value: wrong(cell.value)
    return lambda cell, value: not fits(cell.value)


def _missing(parameter: Any, field: Field) -> Test:
    """HTML, "suffering from being missing". *parameter*: the checkboxes that must be on, or a drop-down's placeholder."""
    if isinstance(parameter, tuple):
        return lambda cell, value: not all(is_chosen(each, cell.value) for each in parameter)
    if field.kind == "select" and not field.multiple:
        if parameter is True:
            return lambda cell, value: cell.value is None
        return lambda cell, value: cell.value is None or same_choice(cell.value, parameter)
    if field.kind == "radio":
        return lambda cell, value: cell.value is None
    return lambda cell, value: is_empty(cell.value)


def _bound(under: bool) -> Callable[[Any, Field], Test]:
    def make(parameter: Any, field: Field) -> Test:
        measure = number_of(field.kind)
        limit = measure(parameter)
        other = next((k.parameter for r in field.rules for k in r.kinds if k.name == ("max" if under else "min")), None)
        if field.kind == "time":
            opposite = measure(other)
            return lambda cell, value: beyond_on_the_clock(under, measure(cell.value), limit, opposite)
        return lambda cell, value: beyond(under, measure(cell.value), limit)

    return make


def _step(parameter: Any, field: Field) -> Test:
    kind, measure = field.kind, number_of(field.kind)
    base = measure(field.native.base)
    return lambda cell, value: off_step(kind, measure(cell.value), parameter, base)
