"""Run scripts from Python: `from idlefox import run`. Only the names in `idlefox.__all__` are public."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Any

from .records import NamedTuple

StrPath = str | os.PathLike[str]


class Failure(NamedTuple):
    """A check that did not hold or a step that was not possible, at *line* and *column* (from 1) of *file*.

    *kind*: check, step, fault, known or unseen. *check* is the line as written; *expected*, *found* and *reason* explain the result,
    *state* describes the field; *text* is the whole failure as `idlefox run` prints it.
    """

    file: str
    line: int
    column: int
    kind: str
    check: str
    expected: str
    found: str
    reason: str
    state: tuple[str, ...]
    text: str


class Scenario(NamedTuple):
    """One scenario, or one row of its table (*row* counts from 1; 0 if there is no table), at *line* of *file*.

    *verdict*: pass, fail, known, aside, unsteady or error. *seconds* is real time, *virtual_ms* virtual time.
    """

    file: str
    line: int
    title: str
    tags: tuple[str, ...]
    verdict: str
    failures: tuple[Failure, ...]
    warnings: tuple[str, ...]
    steps: int
    checks: int
    virtual_ms: int
    seconds: float
    row: int = 0

    @property
    def passed(self) -> bool:
        """Return whether the scenario passed, failed as `known`, or was set `aside`."""
        return self.verdict not in ("fail", "error")


class Problem(NamedTuple):
    """Why a file or option could not be used (*message*), and what to do about it (*help*)."""

    file: str
    line: int
    column: int
    message: str
    help: str


class Result(NamedTuple):
    """The result of a run. *problems* lists scripts and sheets that could not be read, tags that match nothing, and so on."""

    scenarios: tuple[Scenario, ...]
    problems: tuple[Problem, ...]
    seconds: float

    @property
    def passed(self) -> bool:
        """Return whether everything could be read and every scenario passed; false if nothing ran."""
        return bool(self.scenarios) and not self.problems and all(scenario.passed for scenario in self.scenarios)

    @property
    def text(self) -> str:
        """The failures and problems as text for people; "" if there are none."""
        lines = [f"{p.file}:{p.line}:{p.column}: {p.message}" + (f"\n→ {p.help}" if p.help else "") for p in self.problems]
        for scenario in self.scenarios:
            head = f"{scenario.file}:{scenario.line}  {scenario.title}"
            lines += [f"{head}\n{failure.text}" for failure in scenario.failures if not scenario.passed]
        return "\n\n".join(lines)


def run(
    *paths: StrPath, subject: StrPath = "", tags: str | Iterable[str] = (), match: str = "", trust: bool = False,
    roots: Iterable[StrPath] = (), jobs: int = 1, on: str = "",
) -> Result:  # fmt: skip
    """Run the scripts at *paths* (files, folders, ``file.fox:LINE``) as `idlefox run` does, without reading a configuration.

    *subject* replaces the subject of the scripts. *tags* are tag expressions (a scenario has to match one of them); *match* is
    part of a title. Sheets may run Python rules only with *trust*. Scripts and sheets may use files below the root of
    their project (the nearest folder with a configuration or ``.git``) and below *roots*. *jobs* is the number of processes; *on*
    is the address of a scheduler whose workers do the work instead.
    Errors in scripts and sheets are returned as problems. Raises ValueError for invalid *tags*, for *jobs* below 1, and for
    both *jobs* and *on*.
    """
    from .playing.player import RunOptions
    from .playing.results import Results
    from .playing.select import ScenarioFilter, choose_files
    from .playing.subjects import Subjects
    from .playing.suite import play_files
    from .playing.tags import read_tags
    from .playing.work import ExecutionOptions
    from .problems import Unreadable
    from .roots import project_root

    given = (tags,) if isinstance(tags, str) else tuple(tags)
    if jobs < 1:
        raise ValueError(f"jobs must be 1 or more, not {jobs}")
    if on and jobs != 1:
        raise ValueError("use either jobs or on: with on, all workers of the scheduler take part")
    for text in given:
        read_tags(text)
    form = os.fspath(subject)
    folders = [os.fspath(root) for root in roots] + ([project_root(form)] if form else [])
    wishes = RunOptions(form, ScenarioFilter(given, match), trust=trust, work=ExecutionOptions(jobs, on), roots=tuple(folders))
    chosen, problems = choose_files(os.fspath(path) for path in paths)
    results = Results()
    try:
        for finished in play_files(chosen, wishes, Subjects(trust=trust)):
            results.add(finished)
    except Unreadable as fault:
        problems += fault.problems
    scenarios = tuple(_scenario(scenario) for script in results for scenario in script.scenarios)
    found = [*problems, *(problem for script in results for problem in script.errors)]
    told = tuple(Problem(p.place.file, p.place.line, p.place.column, p.cause, p.remedy) for p in found)
    if not scenarios and not told and (given or match):
        told = (Problem("", 1, 1, "no scenario matches the tags and the title", ""),)
    return Result(scenarios, told, sum(script.seconds for script in results))


def _scenario(result: Any) -> Scenario:
    failures = tuple(map(_failure, result.failures))
    numbers = (result.steps, result.checks, result.virtual_ms, result.seconds, result.row)
    return Scenario(result.file, result.at, result.title, result.tags, result.verdict, failures, result.warnings, *numbers)


def _failure(failure: Any) -> Failure:
    from .report.styled import unstyled
    from .report.terminal import failure_lines
    from .report.wording import expected_text, found_text, reason_texts, state_lines

    place = failure.place
    words = (failure.text, expected_text(failure), found_text(failure), "; ".join(reason_texts(failure)))
    state, text = tuple(state_lines(failure)), unstyled(failure_lines(failure, 100))
    return Failure(place.file, place.line, place.column, failure.kind, *words, state, text)
