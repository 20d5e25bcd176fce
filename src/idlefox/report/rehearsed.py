"""A rehearsal as people read it: what came of an entry, the form as a table, the steps so far."""

from __future__ import annotations

from ..forms.values.values import written
from ..playing.observed import Observed
from ..playing.rehearsal import Entry, EntryResult
from ..playing.subject import FieldState
from ..problems import Problem
from .styled import Line, columns, hanging, marked, plain
from .terminal import why_lines
from .traced import change_lines

_QUIET = frozenset({"clean", "not touched", "valid"})


def came_lines(came: EntryResult, width: int) -> list[Line]:
    """Return the result of one entry: why it was not possible, or its changes."""
    if came.problems:
        return [line for problem in came.problems for line in slip_lines(problem, width)]
    lines: list[Line] = []
    for failure in came.failures:
        what = "   does not hold" if came.checked else "   not possible"
        lines += [[(what, "bad"), ("; nothing changed" if not came.checked else "", "dim")], *why_lines(failure, width)]
    if lines:
        return lines
    if came.checked:
        return [[("   holds", "good")]]
    if not came.changed:
        return [[("   done" if came.live else "   changes nothing", "dim"), (f"   {came.ms / 1000:.3f} s" if came.ms else "", "dim")]]
    time: list[Line] = [[(f"        {came.ms / 1000:.3f} s", "dim")]] if came.ms else []
    return [*change_lines(list(came.changed), width), *time]


def slip_lines(problem: Problem, width: int) -> list[Line]:
    """Return the errors in an entry, without a file name."""
    lines = hanging("   ", plain(problem.cause), width, "bad")
    if problem.source.strip():
        lines += marked(1, problem.source, problem.place.column, problem.place.length, width, 2)
    return [*lines, *(hanging("   → ", plain(problem.remedy), width, "") if problem.remedy else [])]


def table_lines(seen: Observed, address: str, width: int) -> list[Line]:
    """Return the state of the form, or of the element at *address*, as a table."""
    rows = [(name, state) for name, state in seen.fields.items() if _within(name, address)]
    lines: list[Line] = []
    longest = min(max((columns(name or "form") for name, _ in rows), default=4), 34)
    for name, state in rows:
        if address or name:
            lines += _state_lines(name or "form", state, longest, width)
    if address:
        return lines
    form = seen.fields.get("")
    if form is not None:
        lines += [[], *_state_lines("form", form, longest, width)]
    for noun, value in seen.nouns.items():
        if value not in (None, [], 0, ""):
            text = value if noun in ("outcome", "view") else value[0] if noun == "focus" else written(value)
            lines += hanging(f" {noun.ljust(longest)}  ", plain(str(text)), width, "dim")
    return lines


def _within(name: str, address: str) -> bool:
    return not address or name == address or name.startswith((f"{address}.", f"{address}["))


def _state_lines(name: str, state: FieldState, longest: int, width: int) -> list[Line]:
    if state.rows is not None:
        value = f"{state.rows} row{'' if state.rows == 1 else 's'}"
    else:
        value = written(state.value) if state.kind == "field" else ""
    if state.reads is not None:
        value += f" (reads {written(state.reads)})"
    words = [word for word in state.words if word not in _QUIET]
    told = ", ".join([*words, *(f"breaks {rule}" for rule in state.breaks)])
    head = f" {plain(name)}" + " " * max(longest - columns(plain(name)), 0) + "  "
    lines = hanging(head, plain(value) + (f"   {told}" if told else ""), width, "")
    for message in state.shows:
        lines += hanging(" " * (longest + 3) + "“", plain(message) + "”", width, "bad")
    return lines


def entries_lines(entries: list[Entry], width: int) -> list[Line]:
    """The steps and checks so far, numbered."""
    if not entries:
        return [[(" nothing done yet", "dim")]]
    lines: list[Line] = []
    for number, entry in enumerate(entries, 1):
        for n, text in enumerate(entry.text.split("\n")):
            inset = " " * (len(text) - len(text.lstrip()))
            lines += hanging((f"{number:>4}  " if n == 0 else " " * 6) + inset, plain(text.lstrip()), width)
    return lines
