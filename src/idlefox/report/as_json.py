"""The JSON report of a run. Times are under `seconds`; everything else is the same in every run."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from ..playing.results import Failure, Run, ScenarioResult, ScriptResult
from ..problems import Problem
from .wording import expected_text, found_text, reason_texts, state_lines


def json_report(run: Run) -> Iterator[str]:
    """The report (`"format": 1`) as JSON text, in pieces."""
    head = {
        "format": 1,
        "summary": {
            "scenarios": run.scripts.total,
            "passed": run.tally("pass"),
            "failed": run.tally("fail"),
            "known": run.tally("known"),
            "aside": run.tally("aside"),
            "unsteady": run.tally("unsteady"),
            "errors": run.error_count,
        },
        **({"seed": run.seed} if run.seed is not None else {}),
        **({"interrupted": True} if run.interrupted else {}),
        "seconds": round(run.seconds, 6),
    }
    yield json.dumps(head, indent=2).removesuffix("\n}") + ',\n  "scripts": ['
    for number, script in enumerate(run.scripts):
        yield ("," if number else "") + "\n    " + json.dumps(_script(script), indent=2).replace("\n", "\n    ")
    yield "\n  ]" if len(run.scripts) else "]"
    if run.problems:
        yield ',\n  "errors": ' + json.dumps([_problem(p) for p in run.problems], indent=2).replace("\n", "\n  ")
    yield "\n}\n"


def _script(result: ScriptResult) -> dict[str, Any]:
    return {
        "file": result.file,
        "errors": [_problem(p) for p in result.errors],
        **({"warnings": list(result.warnings)} if result.warnings else {}),
        "seconds": round(result.seconds, 6),
        "scenarios": [_scenario(s) for s in result.scenarios],
    }


def _problem(problem: Problem) -> dict[str, Any]:
    place = problem.place
    return {"file": place.file, "line": place.line, "column": place.column, "message": problem.cause, "help": problem.remedy}


def _scenario(result: ScenarioResult) -> dict[str, Any]:
    return {
        "line": result.line,
        "row_line": result.row_line or None,
        **({"row_file": result.row_file} if result.row_file else {}),
        "title": result.title,
        "tags": list(result.tags),
        "verdict": result.verdict,
        **({"why": result.why} if result.why else {}),
        "steps": result.steps,
        "checks": result.checks,
        "virtual_ms": result.virtual_ms,
        "failures": [_failure(f) for f in result.failures],
        "warnings": list(result.warnings),
        **_material(result),
        "seconds": round(result.seconds, 6),
    }


def _material(result: ScenarioResult) -> dict[str, Any]:
    material = result.material
    if material is None:
        return {}
    return {"material": {"picture": material.file or None, "console": list(material.console), "requests": list(material.requests)}}


def _failure(failure: Failure) -> dict[str, Any]:
    return {
        "file": failure.place.file,
        "line": failure.place.line,
        "column": failure.place.column,
        "kind": failure.kind,
        "calls": list(failure.calls),
        "check": failure.text,
        "expected": expected_text(failure),
        "found": found_text(failure),
        "reason": "; ".join(reason_texts(failure)),
        "state": state_lines(failure),
    }
