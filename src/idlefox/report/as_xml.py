"""The XML report of a run: the test suites that CI servers read."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from ..playing.results import Run, ScenarioResult, ScriptResult
from ..problems import Problem
from .styled import Line, unstyled
from .terminal import problem_lines, scenario_failures
from .wording import expected_text, found_text, reason_texts

_WIDTH = 100
# Characters that XML 1.0 ("Char") does not allow.
_NO_CHARACTER = re.compile("[^\t\n\r\x20-\x7e\x85\xa0-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def xml_report(run: Run) -> Iterator[str]:
    """The report in pieces."""
    yield '<?xml version="1.0" encoding="UTF-8"?>\n'
    counts = [_counts(script) for script in run.scripts]
    apart = len(run.problems) + run.interrupted
    totals = {key: sum(c[key] for c in counts) for key in ("tests", "failures", "errors", "skipped")}
    totals["tests"] += apart
    totals["errors"] += apart
    yield f"<testsuites{_attributes({'name': 'idlefox', **totals, 'time': _time(run.seconds)})}>\n"
    for script, count in zip(run.scripts, counts, strict=True):
        yield from _suite(script, count)
    if apart:
        of_run = {"name": "idlefox run", "tests": apart, "failures": 0, "errors": apart, "skipped": 0, "time": "0"}
        yield f"  <testsuite{_attributes(of_run)}>\n"
        for problem in run.problems:
            yield _unplayed("idlefox run", problem.place.file, [problem])
        if run.interrupted:
            error = '<error type="interrupted" message="the run was interrupted; not everything ran"/>'
            yield _case("idlefox run", {"name": "interrupted"}, error)
        yield "  </testsuite>\n"
    yield "</testsuites>\n"


def _counts(script: ScriptResult) -> dict[str, int]:
    verdicts = [scenario.verdict for scenario in script.scenarios]
    if script.errors:
        return {"tests": 1, "failures": 0, "errors": 1, "skipped": 0}
    skipped = verdicts.count("known") + verdicts.count("aside")
    return {"tests": len(verdicts), "failures": verdicts.count("fail"), "errors": verdicts.count("error"), "skipped": skipped}


def _suite(script: ScriptResult, counts: dict[str, int]) -> Iterator[str]:
    yield f"  <testsuite{_attributes({'name': script.file, **counts, 'time': _time(script.seconds), 'file': script.file})}>\n"
    if script.errors:
        yield _unplayed(_class_name(script.file), script.file, script.errors)
    for scenario in script.scenarios:
        yield _scenario(scenario)
    if script.warnings:
        yield f"    <system-out>{_text(chr(10).join(script.warnings))}</system-out>\n"
    yield "  </testsuite>\n"


def _class_name(file: str) -> str:
    """The path without its ending, slashes as dots."""
    return re.sub(r"^(\.\.?/|/)+", "", file.removesuffix(".fox")).replace("/", ".")


def _scenario(scenario: ScenarioResult) -> str:
    name = scenario.title + (f" [row {scenario.row}]" if scenario.row else "")
    inner = "".join(f'<property name="tag" value={_quoted(tag)}/>' for tag in scenario.tags)
    parts = [f"<properties>{inner}</properties>"] if inner else []
    parts += _outcome(scenario)
    told = [*scenario.warnings, *((f"note: {scenario.why}",) if scenario.why else ())]
    if told:
        parts.append(f"<system-out>{_text(chr(10).join(told))}</system-out>")
    attributes = {"name": name, "file": scenario.file, "line": scenario.at, "time": _time(scenario.seconds)}
    return _case(_class_name(scenario.file), attributes, *parts)


def _outcome(scenario: ScenarioResult) -> list[str]:
    if scenario.verdict in ("known", "aside"):
        return [f"<skipped message={_quoted(f'{scenario.verdict}: {scenario.why}')}/>"]
    if not scenario.fell:
        return []
    tag, first = ("failure" if scenario.verdict == "fail" else "error"), scenario.failures[0]
    expected = expected_text(first)
    message = f"expected {expected}, found {found_text(first)}" if expected else "; ".join(reason_texts(first))
    kind = first.kind if first.kind in ("check", "step") else "fault" if first.kind == "fault" else "check"
    lines: list[Line] = scenario_failures(scenario, _WIDTH)
    return [f"<{tag} type={_quoted(kind)} message={_quoted(message or first.text)}>{_text(unstyled(lines))}</{tag}>"]


def _unplayed(class_name: str, file: str, problems: Iterable[Problem]) -> str:
    problems = list(problems)
    lines = [line for problem in problems for line in (*problem_lines(problem, _WIDTH), [])]
    error = f"<error type=\"unreadable\" message={_quoted(problems[0].cause)}>{_text(unstyled(lines))}</error>"
    return _case(class_name, {"name": file, "file": file}, error)


def _case(class_name: str, attributes: dict[str, Any], *parts: str) -> str:
    head = f"    <testcase{_attributes({'classname': class_name, **attributes})}"
    return f"{head}>{''.join(parts)}</testcase>\n" if parts else f"{head}/>\n"


def _attributes(values: dict[str, Any]) -> str:
    return "".join(f" {key}={_quoted(str(value))}" for key, value in values.items())


def _quoted(text: str) -> str:
    return quoteattr(_allowed(text), {"\n": "&#10;", "\r": "&#13;", "\t": "&#9;"})


def _text(text: str) -> str:
    return escape(_allowed(text), {"\r": "&#13;"})


def _allowed(text: str) -> str:
    """*text*, what XML has no character for as an escape."""
    return _NO_CHARACTER.sub(lambda found: f"\\x{ord(found[0]):02x}" if ord(found[0]) < 256 else f"\\u{ord(found[0]):04x}", text)


def _time(seconds: float) -> str:
    return f"{seconds:.6f}"
