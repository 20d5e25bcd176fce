"""A trace for people: each step with its line, and under it what it changed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.values.values import written
from ..play.tracing import Changed, State, Traced, rebuild
from .styled import Line, hanging, plain
from .terminal import scenario_failures

_DOUBLES = frozenset({"value"})  # told by `reads` already, where the text is the value
_INNER = frozenset({"edited", "committed", "has_reported", "on_button"})  # bookkeeping: of no use to who reads along


def trace_lines(traced: Traced, width: int) -> list[Line]:
    """The whole trace of a scenario."""
    lines: list[Line] = [[(plain(traced.title), "strong")]]
    state = traced.initial
    by_step: dict[int, list[Changed]] = {}
    for change in traced.journal.changes:
        by_step.setdefault(change.step, []).append(change)
    for step in traced.steps:
        found = by_step.get(step.number, [])
        at = f"{found[-1].ms / 1000:.3f} s" if found else ""
        lines += [[], [(f"{step.line:>5} │ ", "dim"), (plain(step.played or step.text), ""), (f"   {at}", "dim")]]
        lines += [[("        " + plain(text), "dim")] for text in ((step.text, *step.calls) if step.played else step.calls)]
        before_it, state = state, rebuild(state, found, step.number)
        for change in _told([c for c in found if c.name not in _INNER]):
            name = f"{change.cell or 'form'} {change.name}"
            before = "" if change.is_structure else f"{_told_value(change, change.before, before_it)} → "
            after = change.as_json()["after"] if change.is_structure else change.after
            lines += hanging(f"        {plain(name):<34} ", plain(before + _told_value(change, after, state)), width)
        if any(change.is_structure for change in found):
            for key, was, now in _renumbered(before_it, state, {(c.cell, c.name) for c in found}):
                lines += hanging(f"        {plain(key + ' shows'):<34} ", plain(f"{was} → {now}"), width)
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


def _told_value(change: Changed, value: Any, state: State) -> str:
    """A value as people read it; of messages their texts, with the row's number as it is in *state*."""
    return _texts(value, change.cell, state) if change.name in ("reported", "shows") else written(value)


def _texts(messages: Any, key: str, state: State) -> str:
    number = _row_number(key, state)
    return written([text if isinstance(text, str) else "".join(number if p is None else p for p in text) for _, text in messages])


def _row_number(key: str, state: State) -> str:
    """The number, from 1, of the row in which the cell *key* stands; `#` where it stands in none (any more)."""
    rows, mark, rest = key.rpartition("#")
    there = state.get(rows, {}).get("rows", ()) if mark else ()
    identity = int(rest[: len(rest) - len(rest.lstrip("0123456789"))] or 0)
    return str(list(there).index(identity) + 1) if identity in there else "#"


def _renumbered(before: State, after: State, told: set[tuple[str, str]]) -> Iterator[tuple[str, str, str]]:
    """The messages on show that read otherwise because their row has another number now, but those *told* already."""
    for key, properties in after.items():
        messages = properties.get("shows")
        if messages and key in before and (key, "shows") not in told and before[key].get("shows") == messages:
            was, now = _texts(messages, key, before), _texts(messages, key, after)
            if was != now:
                yield key, was, now
