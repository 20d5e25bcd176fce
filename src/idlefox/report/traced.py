"""A trace for people: each step with its line, and under it what it changed."""

from __future__ import annotations

from typing import Any

from ..forms.values.values import written
from ..play.tracing import Changed, Traced
from .styled import Line, hanging, plain
from .terminal import scenario_failures

_DOUBLES = frozenset({"value"})  # told by `reads` already, where the text is the value
_INNER = frozenset({"edited", "committed", "has_reported", "on_button"})  # bookkeeping: of no use to who reads along


def trace_lines(traced: Traced, width: int) -> list[Line]:
    """The whole trace of a scenario."""
    lines: list[Line] = [[(plain(traced.title), "strong")]]
    by_step: dict[int, list[Changed]] = {}
    for change in traced.journal.changes:
        if change.name not in _INNER:
            by_step.setdefault(change.step, []).append(change)
    for step in traced.steps:
        found = by_step.get(step.number, [])
        at = f"{found[-1].ms / 1000:.3f} s" if found else ""
        lines += [[], [(f"{step.line:>5} │ ", "dim"), (plain(step.text), ""), (f"   {at}", "dim")]]
        for change in _told(found):
            name = f"{change.cell or 'form'} {change.name}"
            before = "" if change.is_structure else f"{_told_value(change, change.before)} → "
            after = change.as_json()["after"] if change.is_structure else change.after
            lines += hanging(f"        {plain(name):<34} ", plain(before + _told_value(change, after)), width)
    if not traced.steps:
        lines.append([(" no step is taken: the scenario looks at the form as it is at load", "dim")])
    if traced.result.failures:
        lines += [[], *scenario_failures(traced.result, width)]
    return lines


def _told(changes: list[Changed]) -> list[Changed]:
    """Consecutive changes of one property in one step as one: from the first before to the last after."""
    single: list[Changed] = []
    places: dict[tuple[str, str], int] = {}
    for change in changes:
        key = (change.cell, change.name)
        if change.is_structure or change.is_event:
            single.append(change)
        elif key in places:
            single[places[key]] = single[places[key]]._replace(after=change.after)
        else:
            places[key] = len(single)
            single.append(change)
    same = {(c.cell, c.after) for c in single if c.name == "reads" and isinstance(c.after, str)}
    return [
        c
        for c in single
        if (c.before != c.after or c.is_structure or c.is_event)
        and not (c.name in _DOUBLES and isinstance(c.after, str) and (c.cell, c.after) in same)
    ]


def _told_value(change: Changed, value: Any) -> str:
    """A value as people read it; of messages their texts, a row's number left open as `#`."""
    if change.name in ("reported", "shows"):
        return written([text if isinstance(text, str) else "".join("#" if p is None else p for p in text) for _, text in value])
    return written(value)
