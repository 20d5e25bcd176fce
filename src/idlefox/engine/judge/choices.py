"""The options of a choice as they are now: the sheet's, or the rows of a list."""

from __future__ import annotations

from typing import Any

from ...forms.model.form import OptionsFrom
from ...forms.values.values import equal, is_empty, reads_as
from ...records import NamedTuple
from ..state.cells import judged_value


class Offered(NamedTuple):
    value: Any
    label: str
    enabled: bool


def offered(cell: Any) -> list[Offered]:
    """What the choice *cell* offers, in order; options that panels have given come last."""
    options = cell.plan.field.options
    live = cell.live
    if options is None and cell.plan.native is not None:
        return [Offered(value, value, True) for value in cell.plan.native.suggests]
    if isinstance(options, OptionsFrom):
        plan = live.plan.paths[(*options.path, "*")]
        value = live.plan.paths[(*plan.path, options.value)].part
        label = live.plan.paths[(*plan.path, options.label)].part
        rows = live.statics[live.plan.paths[options.path].index]
        found = [
            Offered(judged_value(row.parts[value]), reads_as(judged_value(row.parts[label])), True)
            for row in rows.parts
            if not is_empty(judged_value(row.parts[value]))
        ]
    else:
        enabled = live.plan.option_conditions.get(cell.plan.path, ())
        found = [
            Offered(o.value, o.label, i >= len(enabled) or enabled[i] is None or enabled[i](cell, None) is True)
            for i, o in enumerate(options or ())
        ]
    return found + [Offered(v, t, True) for v, t in live.given_options.get(cell.plan.path, ())]


def none_left(cell: Any) -> bool:
    """Whether something is chosen that is on offer no more (the rule `among` of every choice)."""
    chosen = cell.value if isinstance(cell.value, list) else [cell.value]
    values = [o.value for o in offered(cell)]
    return not all(any(equal(each, v) for v in values) for each in chosen)


def in_order(cell: Any, chosen: list[Any]) -> list[Any]:
    """*chosen* in the order of the options; what is on offer no more comes last."""
    values = [o.value for o in offered(cell)]
    found = [v for v in values if any(equal(v, c) for c in chosen)]
    return found + [c for c in chosen if not any(equal(c, v) for v in values)]

