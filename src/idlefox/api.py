"""Playing scripts from Python: `from idlefox import play`. What stands in `idlefox.__all__` is all that is promised."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Any

from .records import NamedTuple

StrPath = str | os.PathLike[str]


class Failure(NamedTuple):
    """A check that did not hold or a step that could not be taken, at *line* and *column* (from 1) of *file*.

    *kind*: check, step, fault, known or unseen. *check* is what was written, *expected*, *found* and *reason* say in words what came of it,
    *state* how the field stood; *text* is all of it as `idlefox run` prints it.
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
    """One scenario, or one row of its table (the *row*-th, from 1; 0 without one), at *line* of *file*.

    *verdict*: pass, fail, known, aside, unsteady or error. *seconds* are real, *virtual_ms* virtual time.
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
    def held(self) -> bool:
        """Whether nothing speaks against it: it held, is known not to, or was left aside."""
        return self.verdict not in ("fail", "error")


class Problem(NamedTuple):
    """Why something could not be read or used, and what to do about it (*help*)."""

    file: str
    line: int
    column: int
    message: str
    help: str


class Result(NamedTuple):
    """What a run came to. *problems* are scripts and sheets that could not be read, tags that fit nothing, and the like."""

    scenarios: tuple[Scenario, ...]
    problems: tuple[Problem, ...]
    seconds: float

    @property
    def held(self) -> bool:
        """Whether everything could be read and every scenario held; false, too, where nothing was played."""
        return bool(self.scenarios) and not self.problems and all(scenario.held for scenario in self.scenarios)

    @property
    def text(self) -> str:
        """What did not hold and what could not be read, for people; "" where all is well."""
        lines = [f"{p.file}:{p.line}:{p.column}: {p.message}" + (f"\n→ {p.help}" if p.help else "") for p in self.problems]
        for scenario in self.scenarios:
            head = f"{scenario.file}:{scenario.line}  {scenario.title}"
            lines += [f"{head}\n{failure.text}" for failure in scenario.failures if not scenario.held]
        return "\n\n".join(lines)


def play(
    *paths: StrPath, subject: StrPath = "", tags: str | Iterable[str] = (), match: str = "", trust_python: bool = False,
    roots: Iterable[StrPath] = (), jobs: int = 1, on: str = "",
) -> Result:  # fmt: skip
    """Plays the scripts at *paths*: files, folders, ``file.fox:LINE``, as `idlefox run` does; no configuration is read.

    *subject* takes the place of the scripts' own; *tags* are expressions (several: any of them), *match* is a part of titles. Sheets
    run Python rules only with *trust_python*. Scripts and sheets may name files below their own folder, and below *roots*.
    They are played in so many *jobs*, or *on* the workers of the scheduler at an address. What is wrong with scripts and sheets, or with
    the scheduler, comes back as problems. Raises ValueError for *tags* that are no expression, *jobs* below 1, and both *jobs* and *on*.
    """
    from .playing.player import Wishes
    from .playing.results import Results
    from .playing.select import Narrowed, choose_files
    from .playing.subjects import Subjects
    from .playing.suite import play_files
    from .playing.tags import read_tags
    from .playing.work import Work
    from .problems import Unreadable

    given = (tags,) if isinstance(tags, str) else tuple(tags)
    if jobs < 1:
        raise ValueError(f"jobs is a number from 1 on, not {jobs}")
    if on and jobs != 1:
        raise ValueError("jobs goes without on: all workers of the scheduler work")
    for text in given:
        read_tags(text)
    form = os.fspath(subject)
    folders = [os.fspath(root) for root in roots] + ([os.path.dirname(form) or "."] if form else [])
    wishes = Wishes(form, Narrowed(given, match), trust_python=trust_python, work=Work(jobs, on), roots=tuple(folders))
    chosen, problems = choose_files(os.fspath(path) for path in paths)
    results = Results()
    try:
        for played in play_files(chosen, wishes, Subjects(trust_python=trust_python)):
            results.add(played)
    except Unreadable as fault:
        problems += fault.problems
    scenarios = tuple(_scenario(scenario) for script in results for scenario in script.scenarios)
    found = [*problems, *(problem for script in results for problem in script.errors)]
    told = tuple(Problem(p.place.file, p.place.line, p.place.column, p.cause, p.remedy) for p in found)
    if not scenarios and not told and (given or match):
        told = (Problem("", 1, 1, "no scenario fits the tags and the title", ""),)
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
