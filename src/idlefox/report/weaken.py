"""What the scenarios notice of planted faults, for people."""

from __future__ import annotations

from collections.abc import Callable

from ..study.weaken.study import Judged, Weakened
from .styled import Line, columns, hanging, plain

_BAR = 20


def weaken_lines(found: Weakened, width: int) -> list[Line]:
    """What was missed, each as a bug with a scenario that would have caught it; then sums by kind and by field, and the score."""
    played = f"   {found.scenarios} scenarios, {len(found.faults)} faults"
    lines: list[Line] = [[(f" {plain(found.form.label)}", "strong"), (played, "dim")]]
    for address in found.fallen:
        lines.append([(f" {plain(address)} does not hold as it is, and was left out", "bad")])
    for each in found.faults:
        if each.verdict == "missed":
            lines += [[], *_missed(each, width)]
    lines += _sums(" by kind", found, lambda fault: fault.kind, width)
    lines += _sums(" by field", found, lambda fault: fault.address or "the form", width)
    quiet = [each for each in found.faults if each.verdict == "open"]
    if quiet:
        lines += [[], [(" told apart by nothing that was tried, and not proved the same: not counted", "dim")]]
        for each in quiet:
            lines += hanging(f"   {each.kind:<14} ", plain(each.sentence), width, "dim")
    return lines


def _missed(each: Judged, width: int) -> list[Line]:
    lines = hanging(f" {each.kind:<14} ", plain(each.sentence), width, "bad")
    lines.append([(f"   {plain(each.place)}", "dim")])
    for text in each.lines:
        lines.append([("       " + plain(text), "")])
    return lines


def _sums(title: str, found: Weakened, of: Callable[[Judged], str], width: int) -> list[Line]:
    groups: dict[str, list[Judged]] = {}
    for each in found.faults:
        groups.setdefault(of(each), []).append(each)
    lines: list[Line] = [[], [(f"{title:<34}{'caught':>8}{'of':>6}", "dim")]]
    for name, those in groups.items():
        caught = sum(each.verdict == "caught" for each in those)
        counted = sum(each.verdict in ("caught", "missed") for each in those)
        if not counted:
            continue
        style = "good" if caught == counted else "bad" if not caught else ""
        done = round(_BAR * caught / counted)
        bar = [("   ", ""), ("█" * done, "good"), ("░" * (_BAR - done), "dim")] if width >= 76 else []
        shown = plain(name)
        lines.append([(f" {shown}" + " " * max(33 - columns(shown), 1), ""), (f"{caught:>8}{counted:>6}", style), *bar])
    return lines


def score_line(found: Weakened, under: float | None) -> Line:
    """The score, and what it is made of."""
    parts = [f"{found.count('caught')} caught", f"{found.count('missed')} missed"]
    parts += [f"{found.count('same')} the same"] if found.count("same") else []
    parts += [f"{found.count('open')} open"] if found.count("open") else []
    short = under is not None and found.score < under
    bound = f", {'under' if short else 'not under'} {under:g} %" if under is not None else ""
    return [(f" {found.score:.0f} % of the faults are caught{bound}", "bad" if short else "strong"), (f"   {', '.join(parts)}", "dim")]
