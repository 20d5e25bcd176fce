"""The TAP report of a run (Test Anything Protocol 14): a subtest for each script, a point for each scenario."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import yaml

from ..playing.results import Failure, Run, ScenarioResult, ScriptResult
from ..problems import Problem
from .styled import plain
from .wording import expected_text, found_text, reason_texts, state_lines

_INDENT = "    "


def tap_report(run: Run) -> Iterator[str]:
    """The report in pieces."""
    yield "TAP version 14\n"
    count = 0
    for script in run.scripts:
        count += 1
        yield from _script(script, count)
    if run.problems:
        count += 1
        yield from _point(False, count, "idlefox run", _problems(run.problems))
    yield "Bail out! interrupted\n" if run.interrupted else f"1..{count}\n"


def _script(script: ScriptResult, number: int) -> Iterator[str]:
    if script.errors:
        yield from _point(False, number, script.file, _problems(script.errors))
        return
    yield f"# Subtest: {_title(script.file)}\n"
    yield f"{_INDENT}1..{len(script.scenarios)}\n"
    for point, scenario in enumerate(script.scenarios, 1):
        title = f"{scenario.title} ({scenario.address})"
        directive = {"known": f" # TODO {_title(scenario.why)}", "aside": f" # SKIP {_title(scenario.why)}"}.get(scenario.verdict, "")
        held = scenario.verdict in ("pass", "aside")
        yield from _point(held, point, title, _scenario(scenario), directive, _INDENT)
    yield from _point(not any(s.fell for s in script.scenarios), number, script.file, {"duration_ms": round(script.seconds * 1000, 3)})


def _point(held: bool, number: int, title: str, more: dict[str, Any], directive: str = "", indent: str = "") -> Iterator[str]:
    yield f"{indent}{'ok' if held else 'not ok'} {number} - {_title(title)}{directive}\n"
    if more.keys() == {"duration_ms"}:
        text = f"duration_ms: {more['duration_ms']}"  # written by hand: most points have nothing else
    else:
        text = yaml.safe_dump(more, allow_unicode=True, sort_keys=False, width=1_000_000)
    yield "".join(f"{indent}  {line}\n" for line in ("---", *text.splitlines(), "..."))


def _title(text: str) -> str:
    """*text* as a description: ``#`` begins a directive there, so it is escaped."""
    return plain(text.replace("\t", " ")).replace("\\", "\\\\").replace("#", "\\#")


def _problems(problems: Iterable[Problem]) -> dict[str, Any]:
    return {"problems": [{"message": plain(p.cause), "at": _at(p.place), "help": plain(p.remedy)} for p in problems]}


def _at(place: Any) -> dict[str, Any]:
    return {"file": place.file, "line": place.line, "column": place.column}


def _scenario(scenario: ScenarioResult) -> dict[str, Any]:
    found: dict[str, Any] = {"duration_ms": round(scenario.seconds * 1000, 3)}
    if scenario.failures:
        first, *more = map(_failure, scenario.failures)
        found |= first
        if more:
            found["more"] = more
    if scenario.warnings:
        found["warnings"] = list(map(plain, scenario.warnings))
    return found


def _failure(failure: Failure) -> dict[str, Any]:
    texts = {
        "at": _at(failure.place), "check": failure.text, "expected": expected_text(failure), "found": found_text(failure),
        "reason": "; ".join(reason_texts(failure)), "state": list(map(plain, state_lines(failure))),
    }  # fmt: skip
    return {key: plain(value) if isinstance(value, str) else value for key, value in texts.items() if value}
