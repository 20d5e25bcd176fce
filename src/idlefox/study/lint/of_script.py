"""Lint of a script, for any subject."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...problems import Place
from ...script.ops import ExpandedScenario, lines_of
from ...script.tree import Cannot, Check, Note, Script
from .findings import Finding

_PLAYS = re.compile(r"\bdo\s+([A-Za-z_][\w-]*)")


def script_findings(script: Script, scenarios: list[ExpandedScenario], used_elsewhere: bool) -> Iterator[Finding]:
    """Yield findings about *script* with *scenarios*; *used_elsewhere*: other scripts may use its routines."""
    yield from _checks(script, scenarios)
    yield from _same(script, scenarios)
    yield from _unused(script, used_elsewhere)


def _finding(code: str, script: Script, line: int, word: str, says: str, remedy: str) -> Finding:
    """Return a finding at *word* on a line, or at its first word."""
    source = lines_of(script).line(line)
    column = source.find(word) if word in source else len(source) - len(source.lstrip())
    return Finding(code, Place(script.file, line, column + 1, max(len(word), 1)), says, remedy, source)


def _first_rows(scenarios: list[ExpandedScenario]) -> list[ExpandedScenario]:
    """Return one scenario per block: findings in one row apply to all."""
    return list({scenario.line: scenario for scenario in reversed(scenarios)}.values())[::-1]


def _checks(script: Script, scenarios: list[ExpandedScenario]) -> Iterator[Finding]:
    for scenario in _first_rows(scenarios):
        ops = [op for op in scenario.ops if not isinstance(op.act, Note)]
        looks = [isinstance(op.act, Check | Cannot) for op in ops]
        if scenario.fate == "aside" or not looks:
            continue
        if not any(looks):
            says = "this scenario has no check, so it passes whatever the form does"
            yield _finding("no-check", script, scenario.line, "scenario", says, "add a check: expect …")
        elif not looks[-1]:
            op = ops[-1]
            place = op.place
            if place.file == script.file:
                source = lines_of(script).line(place.line)
                says, remedy = "no check follows the last step", "check its result, or remove it"
                yield Finding("unchecked-end", place, says, remedy, source)


def _same(script: Script, scenarios: list[ExpandedScenario]) -> Iterator[Finding]:
    titles: dict[str, int] = {}
    acts: dict[object, int] = {}
    by_line: dict[int, list[ExpandedScenario]] = {}
    for scenario in scenarios:
        by_line.setdefault(scenario.line, []).append(scenario)
    for block in (block for block in script.blocks if block.kind == "scenario"):
        title = str(block.title)
        if title in titles:
            says = f"the scenario at line {titles[title]} has the same title"
            yield _finding("same-title", script, block.line, "scenario", says, "say what is different here")
        titles.setdefault(title, block.line)
        own = by_line.get(block.line, [])
        if len(own) != 1 or not own[0].ops:
            continue
        told = (own[0].clock, own[0].fate, tuple(_told(op.source.text[op.offset : op.offset + op.length], op.calls) for op in own[0].ops))
        if told in acts:
            says = f"the scenario at line {acts[told]} has the same steps and checks"
            yield _finding("same-scenario", script, block.line, "scenario", says, "remove one of them")
        acts.setdefault(told, block.line)


def _told(text: str, calls: tuple[str, ...]) -> tuple[str, str]:
    """Return a step as text, with its call if it has parameters."""
    return " ".join(text.split()), "|".join(calls) if "$" in text else ""


def _unused(script: Script, used_elsewhere: bool) -> Iterator[Finding]:
    plays = any(block.kind == "scenario" for block in script.blocks)
    lines = script.text.split("\n")
    texts = ["\n".join(lines[block.line - 1 : block.last_line]) for block in script.blocks]
    routines = [block for block in script.blocks if block.kind == "routine"]
    played = {name for block, text in zip(script.blocks, texts, strict=True) for name in _PLAYS.findall(text) if name != block.name}
    for block, text in zip(script.blocks, texts, strict=True):
        for name in block.parameters:
            if not _names(text, name):
                says = f"the routine {block.name} does not use the parameter {name}"
                yield _finding("unused", script, block.line, name, says, "remove it")
        table = block.body.table
        for name in table.names if table is not None and block.kind == "scenario" else ():
            if not _names(text, name):
                says = f"the scenario does not use the column {name}"
                yield _finding("unused", script, table.line if table is not None else block.line, name, says, "remove it")
    for block in routines if plays and not used_elsewhere else ():
        if block.name not in played:
            says, remedy = f"the routine {block.name} is never used", f"remove it, or use it: do {block.name}"
            yield _finding("unused", script, block.line, block.name, says, remedy)


def _names(text: str, parameter: str) -> bool:
    return re.search(rf"\$\{{?{re.escape(parameter)}\b", text) is not None
