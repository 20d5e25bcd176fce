"""The result of `weaken`, printed."""

from __future__ import annotations

from collections.abc import Callable

from ..study.weaken.causes import Cause, by_cause
from ..study.weaken.study import FaultVerdict, WeakenResult
from .styled import Line, columns, hanging, plain, share_bar

UNDECIDED = "Undecided, not counted: nothing tried tells these faults from the original form, and nothing proves them equivalent."



_MOST = 10  # causes that are printed without --all


def weaken_lines(found: WeakenResult, width: int, at_least: float | None, *, everything: bool) -> list[Line]:
    """The score, and the most telling unnoticed fault of each cause, with a scenario that notices it.

    *everything*: also the other unnoticed faults, the totals by kind and by field, and the undecided faults.
    """
    played = f"   {found.scenarios} scenarios, {len(found.faults)} faults"
    lines: list[Line] = [[(f" {plain(found.form.label)}", "strong"), (played, "dim")], score_line(found, at_least)]
    for address in found.fallen:
        lines.append([(f" {plain(address)} fails on the original form and was left out", "bad")])
    causes = by_cause(found.faults)
    for cause, those in causes if everything else causes[:_MOST]:
        lines += [[], [(f" unchecked: {cause.unchecked}", "strong"), (f"   {len(those)} unnoticed", "dim")]]
        for each in those if everything else those[:1]:
            lines += _unnoticed(each, width)
    return lines + (_rest(found, width) if everything else _left(found, causes))


def _left(found: WeakenResult, causes: list[tuple[Cause, list[FaultVerdict]]]) -> list[Line]:
    """Say what --all would add, where it would."""
    more = found.count("unnoticed") - len(causes[:_MOST])
    parts = [f"{more} more unnoticed"] if more else []
    parts += [f"{found.count('undecided')} undecided"] if found.count("undecided") else []
    return [[], [(f" {' and '.join(parts)}: --all prints them, and the totals by kind and field", "dim")]] if parts else []


def _rest(found: WeakenResult, width: int) -> list[Line]:
    lines = _sums(" by kind", found, lambda fault: fault.kind, width)
    lines += _sums(" by field", found, lambda fault: fault.address or "the form", width)
    quiet = [each for each in found.faults if each.verdict == "undecided"]
    if quiet:
        lines += [[], *hanging(" ", UNDECIDED, width, "dim")]
        for each in quiet:
            lines += hanging(f"   {each.kind:<14} ", plain(each.sentence), width, "dim")
    return lines


def _unnoticed(each: FaultVerdict, width: int) -> list[Line]:
    lines = hanging(f"   {each.kind:<14} ", plain(each.sentence), width, "bad")
    lines.append([(f"     {plain(each.place)}", "dim")])
    for text in each.lines:
        lines.append([("       " + plain(text), "")])
    return lines


def _sums(title: str, found: WeakenResult, of: Callable[[FaultVerdict], str], width: int) -> list[Line]:
    groups: dict[str, list[FaultVerdict]] = {}
    for each in found.faults:
        groups.setdefault(of(each), []).append(each)
    lines: list[Line] = [[], [(f"{title:<34}{'noticed':>8}{'of':>6}", "dim")]]
    for name, those in groups.items():
        noticed = sum(each.verdict == "noticed" for each in those)
        counted = sum(each.verdict in ("noticed", "unnoticed") for each in those)
        if not counted:
            continue
        bar = [("   ", ""), *share_bar(noticed, counted)] if width >= 76 else []
        shown = plain(name)
        lines.append([(f" {shown}" + " " * max(33 - columns(shown), 1), ""), (f"{noticed:>8}{counted:>6}", ""), *bar])
    return lines


def score_line(found: WeakenResult, at_least: float | None) -> Line:
    """Return the score and the counts behind it."""
    parts = [f"{found.count('noticed')} noticed", f"{found.count('unnoticed')} unnoticed"]
    parts += [f"{found.count('equivalent')} equivalent"] if found.count("equivalent") else []
    parts += [f"{found.count('undecided')} undecided"] if found.count("undecided") else []
    short = at_least is not None and found.score < at_least
    bound = f", {'below' if short else 'at least'} {at_least:g} %" if at_least is not None else ""
    return [(f" {found.score:.0f} % of the faults are noticed{bound}", "bad" if short else "strong"), (f"   {', '.join(parts)}", "dim")]
