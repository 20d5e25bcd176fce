"""A trace for people: each step with its line, and under it what it changed."""

from __future__ import annotations

from typing import Any

from ..forms.values.values import written
from ..play.tracing import Traced
from .styled import Line, hanging, plain
from .terminal import scenario_failures

_DOUBLES = frozenset({"value"})  # told by `reads` already, where the text is the value


def trace_lines(traced: Traced, width: int) -> list[Line]:
    """The whole trace of a scenario."""
    lines: list[Line] = [[(plain(traced.title), "strong")]]
    by_step: dict[int, list[dict[str, Any]]] = {}
    for change in traced.changes:
        by_step.setdefault(change["step"], []).append(change)
    for number, line, text in traced.steps:
        found = by_step.get(number, [])
        at = f"{found[-1]['ms'] / 1000:.3f} s" if found else ""
        lines += [[], [(f"{line:>5} │ ", "dim"), (plain(text), ""), (f"   {at}", "dim")]]
        for change in _told(found):
            name = f"{change['cell'] or 'form'} {change['property']}"
            before = f"{written(change['before'])} → " if "before" in change else ""
            lines += hanging(f"        {plain(name):<34} ", plain(before + written(change.get("after"))), width)
    if not traced.steps:
        lines.append([(" no step is taken: the scenario looks at the form as it is at load", "dim")])
    if traced.result.failures:
        lines += [[], *scenario_failures(traced.result, width)]
    return lines


def _told(changes: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Consecutive changes of one property in one step as one: from the first before to the last after."""
    merged: dict[tuple[str, str], dict[str, Any]] = {}
    single: list[dict[str, Any]] = []
    for change in changes:
        key = (change["cell"], change["property"])
        if "before" not in change or change["property"] in ("request", "answer", "asks", "stale answer"):
            single.append(change)
        elif key in merged:
            merged[key]["after"] = change["after"]
        else:
            merged[key] = dict(change)
            single.append(merged[key])
    same = {(c["cell"], c["after"]) for c in single if c["property"] == "reads" and isinstance(c.get("after"), str)}
    return [
        c
        for c in single
        if not ("before" in c and c["before"] == c["after"])
        and not (c["property"] in _DOUBLES and isinstance(c["after"], str) and (c["cell"], c["after"]) in same)
    ]
