"""The options of a choice as they are now: the sheet's, or the rows of a list."""

from __future__ import annotations

from typing import Any

from ...forms.expressions import Closure
from ...forms.model.form import OptionsFrom
from ...forms.values.values import equal, is_empty, reads_as
from ...records import NamedTuple
from ..state.cells import FieldCell, judged_value


class OptionState(NamedTuple):
    """The current state of one option of a choice."""

    value: Any
    label: str
    enabled: bool


def offered(cell: FieldCell) -> list[OptionState]:
    """Return the options of the choice *cell* in order; options from panels come last."""
    plan = cell.plan
    options = plan.field.options
    live = cell.live
    if options is None:
        return [OptionState(value, value, True) for value in plan.facts.suggests]
    if isinstance(options, OptionsFrom):
        row_path = (*options.path, "*")
        value = live.plan.paths[(*row_path, options.value)].part
        label = live.plan.paths[(*row_path, options.label)].part
        rows = live.cells_by_slot[live.plan.paths[options.path].index]
        found = [
            OptionState(judged_value(row.parts[value]), reads_as(judged_value(row.parts[label])), True)
            for row in rows.parts
            if not is_empty(judged_value(row.parts[value]))
        ]
    else:
        enabled = plan.options
        found = [
            OptionState(o.value, o.label, i >= len(enabled) or _holds(enabled[i], cell))
            for i, o in enumerate(options)
        ]
    return found + [OptionState(v, t, True) for v, t in live.given_options.get(plan.path, ())]


def _holds(condition: Closure | None, cell: FieldCell) -> bool:
    return condition is None or condition(cell, None) is True


def none_left(cell: FieldCell, value: Any) -> bool:
    """Return whether something is chosen that is on offer no more (the rule `among` of every choice)."""
    chosen = cell.value if isinstance(cell.value, list) else [cell.value]
    options = cell.plan.field.options
    if isinstance(options, tuple) and all(any(equal(each, o.value) for o in options) for each in chosen):
        return False  # skip checking enabled options and rows from panels
    values = [o.value for o in offered(cell)]
    return not all(any(equal(each, v) for v in values) for each in chosen)
