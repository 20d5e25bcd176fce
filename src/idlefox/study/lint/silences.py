"""Findings that are silenced by a comment: ``# lint: allow CODE, REASON``, at the end of the line or alone above it."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ...problems import Place, listed, suggestion
from .findings import Finding, codes

_SILENCE = re.compile(r"#\s*lint:\s*allow\s+([a-z-]+)\s*(?:,\s*(.*?))?\s*$")


def silenced(text: str, file: str, findings: Iterable[Finding]) -> list[Finding]:
    """*findings* in *file*, whose text is *text*, without those that are silenced; an idle silence is a finding itself."""
    lines = text.split("\n")
    silences: dict[tuple[int, str], int] = {}
    odd: list[Finding] = []
    for number, line in enumerate(lines, 1):
        found = _SILENCE.search(line)
        if found is None:
            continue
        alone = not line[: found.start()].strip()
        code, reason = found[1], found[2]
        place = Place(file, number, found.start() + 1, len(line.rstrip()) - found.start())
        if code not in codes():
            remedy = suggestion(code, codes(), f"the codes are {listed(codes(), most=30)}")
            odd.append(Finding("idle-silence", place, f"unknown code {code!r}", remedy, line))
        elif not reason:
            remedy = f"add a reason: # lint: allow {code}, because …"
            odd.append(Finding("idle-silence", place, f"{code} is silenced without a reason", remedy, line))
        silences[(_next(lines, number) if alone else number, code)] = number
    kept, used = [], set()
    for finding in findings:
        key = (finding.place.line, finding.code)
        if key in silences:
            used.add(key)
        else:
            kept.append(finding)
    for key, number in silences.items():
        if key not in used and key[1] in codes():
            line = lines[number - 1]
            at = line.index("#")
            place = Place(file, number, at + 1, len(line.rstrip()) - at)
            odd.append(Finding("idle-silence", place, f"there is no {key[1]} finding here", "remove the comment", line))
    return [*kept, *odd]


def _next(lines: list[str], number: int) -> int:
    """Return the line below a comment that is alone on line *number*."""
    after = number
    while after < len(lines) and (not lines[after].strip() or lines[after].lstrip().startswith("#")):
        after += 1
    return after + 1
