"""A trace, printed: each step with its line, and below it the changes it caused, by group."""

from __future__ import annotations

from ..forms.values.values import written
from ..playing.story import StoryChange, told
from ..playing.tracing import Changed, ScenarioTrace, rebuild
from .styled import Line, columns, hanging, plain
from .terminal import scenario_failures

# The words of `--only` -> their properties and events.
ONLY: dict[str, frozenset[str]] = {
    "messages": frozenset({"reported", "shows", "server", "notice", "marked", "alert"}),
    "validity": frozenset({"breaks", "status", "required", "asks", "answer", "stale answer", "lost answer", "dropped question"}),
    "requests": frozenset({"request", "outcome", "answer", "asks", "stale answer", "lost answer", "busy", "record", "location"}),
}
_NAME = 34


def trace_lines(traced: ScenarioTrace, width: int, *, keys: bool = False, only: str = "") -> list[Line]:
    """Return the trace of a scenario; only the changes in *keys* and *only* (a group of `ONLY` or an address) if given."""
    lines: list[Line] = [[(plain(traced.title), "strong")]]
    state = traced.watched.initial
    by_step: dict[int, list[Changed]] = {}
    for change in traced.watched.journal.changes:
        by_step.setdefault(change.step, []).append(change)
    shown = 0
    for step in traced.steps:
        found = by_step.get(step.number, [])
        before, state = state, rebuild(state, found, step.number)
        changes = [change for change in told(found, before, state, keys=keys) if _wanted(change, only)]
        if only and not changes:
            continue
        shown += 1
        at = f"{found[-1].ms / 1000:.3f} s" if found else ""
        lines += [[], [(f"{step.line:>5} │ ", "dim"), (plain(step.played or step.text), ""), (f"   {at}", "dim")]]
        lines += [[("        " + plain(text), "dim")] for text in ((step.text, *step.calls) if step.played else step.calls)]
        lines += change_lines(changes, width)
    if not traced.steps:
        lines.append([(" no steps: the scenario checks the form as it is at load", "dim")])
    elif not shown:
        lines.append([(plain(f" no step changes {only}"), "dim")])
    if traced.result.failures:
        lines += [[], *scenario_failures(traced.result, width)]
    return lines


def _wanted(change: StoryChange, only: str) -> bool:
    if not only:
        return True
    if only in ONLY:
        return change.name in ONLY[only]
    return change.address == only or change.address.startswith((f"{only}.", f"{only}["))


def change_lines(changes: list[StoryChange], width: int) -> list[Line]:
    """Return the changes of one step, each group under its name."""
    lines: list[Line] = []
    group = ""
    for change in changes:
        label, group = ("" if change.group == group else change.group), change.group
        name = plain(f"{change.address or 'form'} {change.name}")
        head = f"        {label:<10}{name}" + " " * max(_NAME - columns(name), 0) + " "
        before = "" if change.is_event else f"{written(change.before)} → "
        if columns(head) > width // 2 + 10:
            lines += hanging(f"        {label:<10}", name, width)
            head = " " * 20
        lines += hanging(head, plain(before + written(change.after)), width)
    return lines
