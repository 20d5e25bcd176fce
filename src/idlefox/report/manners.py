"""The findings of `manners`, printed."""

from __future__ import annotations

from collections.abc import Sequence

from ..study.manners.monitor import MANNERS
from ..study.manners.study import MannerFinding, MannersResult
from .styled import Line, hanging, plain


def manners_lines(found: MannersResult, scenarios: Sequence[list[str]], width: int) -> list[Line]:
    """Return each finding with its scenario, by manner, and a summary of the search."""
    lines: list[Line] = []
    last = ""
    for breach, body in zip(found.breaches, scenarios, strict=True):
        if breach.manner != last:
            lines += [*([[]] if last else []), *_heading(breach.manner, width)]
        else:
            lines.append([])
        last = breach.manner
        lines += _breach(breach, body, width)
    for manner, why in found.left_out:
        lines += hanging(f" {manner:<14}", f"not checked: {why}", width, "dim")
    if found.undecided:
        many = "1 state" if len(found.undecided) == 1 else f"{len(found.undecided)} states"
        told = f"undecided: from {many} nothing acceptable was found, and it was not proved that there is nothing"
        lines += hanging(f" {'way-out':<14}", told, width, "dim")
    walked = f"{found.walks:,} walks, {found.steps:,} steps, {found.states:,} states, seed {found.seed}"
    rude = len({breach.manner for breach in found.breaches})
    if rude:
        told = f" {rude} of {len(found.kept_to)} manners broken"
        return [*lines, [], [(told, "bad"), (f"   {walked}", "dim")]]
    told = f" no finding, {len(found.kept_to)} manners checked"
    return [*lines, [(told, "good"), (f"   {walked}", "dim")]]


def _heading(manner: str, width: int) -> list[Line]:
    first, *more = hanging(f" {manner:<14}", MANNERS[manner], width, "dim")
    return [[(first[0][0], "strong"), *first[1:]], *more]


def _breach(breach: MannerFinding, body: list[str], width: int) -> list[Line]:
    walks = f"(in {breach.walks} walk{'' if breach.walks == 1 else 's'})"
    lines = hanging("   ", f"{plain(breach.sentence)} {walks}", width, "bad")
    for text in body:
        lines.append([("       " + plain(text), "" if not text.lstrip().startswith("expect") else "dim")])
    return lines
