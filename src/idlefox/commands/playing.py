"""Runs scripts and prints results as they come, for `idlefox run` and other commands."""

from __future__ import annotations

import os
import signal
import sys
from time import perf_counter

from ..playing.player import Prepares, RunOptions, load_script
from ..playing.results import Results, Run, ScenarioResult, ScriptResult, address_of
from ..playing.select import SelectedScript, choose_files
from ..playing.subjects import Subjects
from ..playing.suite import in_order, play_files
from ..problems import CALL, Place, Problem, Unreadable
from ..records import NamedTuple
from ..report.styled import plain
from ..report.terminal import (
    fallen_lines,
    scenario_failures,
    scenario_line,
    script_line,
    script_warnings,
    slowest_lines,
    summary_lines,
    warning_lines,
)
from .console import Console
from .files import keep_picture
from .live_options import served
from .progress import Progress


class OutputOptions(NamedTuple):
    """Options for the output of a run. *pictures* of live failures are saved as files; the *slowest* scenarios are listed at the end."""

    quiet: bool = False
    verbose: bool = False
    pictures: bool = True
    slowest: int = 0
    unsteady_fails: bool = False


_PLAIN = OutputOptions()


def choose(paths: tuple[str, ...], otherwise: tuple[str, ...], console: Console) -> tuple[list[SelectedScript], list[Problem]]:
    """Return the scripts that *paths* name (``-``: standard input), and an error for each path that names none."""
    if paths != ("-",):
        return choose_files(paths, otherwise)
    try:
        return [SelectedScript("-", text=console.piped("-"))], []
    except Unreadable as fault:
        return [], list(fault.problems)


def play(
    chosen: list[SelectedScript], problems: list[Problem], wishes: RunOptions, console: Console, manner: OutputOptions = _PLAIN, *,
    subjects: Subjects | None = None, prepared: Prepares | None = None,
) -> Run:  # fmt: skip
    """Run *chosen* and print each result as it comes, after *problems*. *subjects* and *prepared* reuse what an earlier run has
    loaded.
    """
    started = perf_counter()
    results = Results()
    interrupted = False
    console.problems(problems)
    told = len(problems)
    printer = _Printer(console, manner)
    progress = Progress(chosen, quiet=manner.quiet)
    current: list[ScenarioResult] = []

    def tell(result: ScenarioResult) -> None:
        """Print a scenario's result."""
        current.append(result)
        progress.told(result)

    def take(result: ScriptResult) -> None:
        """Record and print a script's result."""
        result = _with_pictures(result, wishes.project) if manner.pictures else result
        results.add(result)
        progress.away()
        printer.script(result)

    try:
        subjects = subjects or Subjects(trust=wishes.trust, outside=wishes.outside, served=served)
        for result in play_files(chosen, wishes, subjects, tell, progress.begun, prepared):
            current.clear()
            progress.script_done(result.scenarios)
            take(result)
    except Unreadable as fault:  # nothing can run
        problems = [*problems, *fault.problems]
    except KeyboardInterrupt:
        signal.signal(signal.SIGINT, lambda *_: os._exit(130))  # a second one ends at once
        interrupted = True
        if current:
            take(ScriptResult(current[0].file, tuple(current)))
    finally:
        progress.away()
        if wishes.outside is not None:
            from ..live.loading import close_all

            close_all()
    stopped = bool(wishes.stop_after) and len(results.fallen) + results.unplayed >= wishes.stop_after
    results.in_file_order(each.file for each in chosen)
    problems = _with_nothing(results, wishes, problems, chosen)
    run = Run(results, tuple(problems), perf_counter() - started, stopped, interrupted, manner.unsteady_fails, wishes.seed)
    printer.end(run, told)
    return run


def _with_pictures(result: ScriptResult, project: str) -> ScriptResult:
    """*result* with the pictures of what failed put into files, below ``.idlefox``."""
    if not any(scenario.material is not None for scenario in result.scenarios):
        return result

    found = []
    for scenario in result.scenarios:
        material = scenario.material
        if material is not None and material.picture:
            name = f"{_in_one_word(result.file, project or '.')}-{scenario.at}.png"
            scenario = scenario._replace(material=material._replace(file=keep_picture(project or ".", name, material.picture)))
        found.append(scenario)
    return result._replace(scenarios=tuple(found))


def _in_one_word(file: str, project: str) -> str:
    """The script *file* as one name: with the folders around it in the project, for another folder may have one that is called so."""
    inside = os.path.relpath(file, project)
    name = os.path.basename(file) if inside.startswith("..") else inside
    return name.removesuffix(".fox").replace(os.sep, "-")


def list_scenarios(chosen: list[SelectedScript], problems: list[Problem], wishes: RunOptions, console: Console) -> int:
    """List the scenarios that would run, as ``FILE:LINE  title  [tags]``, and return the exit code."""
    console.problems(problems)
    subjects, code = Subjects(trust=wishes.trust, outside=wishes.outside, served=served), 2 if problems else 0
    for each in in_order(chosen, wishes):
        try:
            ready = load_script(each, wishes, subjects)
        except Unreadable as fault:
            console.problems(fault.problems)
            code = 2
            continue
        for scenario in ready.scenarios:
            tags = f"  [{', '.join(scenario.tags)}]" if scenario.tags else ""
            console.text(plain(f"{address_of(each.file, scenario)}  {scenario.title}{tags}"))
    return code


def _with_nothing(
    results: Results, wishes: RunOptions, problems: list[Problem], chosen: list[SelectedScript]
) -> list[Problem]:
    """Return the run's own problems. A --tag or --match without a match is one, so that a typo never passes silently."""
    found = list(problems)
    asked = dict.fromkeys(row for each in chosen for row in each.rows)
    nothing = not results.total and not results.unplayed
    if asked and nothing:
        file, line = next(iter(asked))
        remedy = "name the scripts too: idlefox run SCRIPTS… FILE:LINE"
        found.append(Problem(Place(file, line, 1), "no script here uses the row at this line", remedy))
    wished = wishes.narrowed
    narrowed = [f"--tag {t}" for t in wished.tags] + ([f"--match {wished.match!r}"] if wished.match else [])
    if narrowed and nothing and wished.shard == (1, 1):
        cause = f"no scenario matches {' and '.join(narrowed)}"
        found.append(Problem(Place("idlefox run", 1, 1), cause, "list the titles and tags with --list", code=CALL))
    return found


class _Printer:
    """Prints results as they come."""

    def __init__(self, console: Console, manner: OutputOptions) -> None:
        self.console = console
        self.quiet, self.verbose, self.slowest = manner.quiet, manner.verbose, manner.slowest
        self.last: ScriptResult | None = None

    def script(self, result: ScriptResult) -> None:
        console, width = self.console, self.console.width()
        self.last = result
        if not self.quiet:
            console.lines([script_line(result, width)])
            console.lines(script_warnings(result, width))
        sys.stdout.flush()
        if result.errors:
            console.lines([[]])
        console.problems(result.errors, err=False)
        for scenario in result.scenarios:
            if self.verbose and not self.quiet:
                console.lines(scenario_line(scenario, width))
            if scenario.fell:
                console.lines([[], *scenario_failures(scenario, width), []])
            if not self.quiet:
                console.lines(warning_lines(scenario, width))

    def end(self, run: Run, told: int) -> None:
        self.console.problems(run.problems[told:])
        if self.slowest and run.scripts.total:
            self.console.lines([[], *slowest_lines(run, self.slowest, self.console.width())])
        if not self.quiet:
            fallen = fallen_lines(run, self.console.width())
            apart = self.last is not None and not _ends_open(self.last, self.verbose)
            lines = [*([[]] if apart else []), *fallen, *([[]] if fallen else []), *summary_lines(run, self.console.width())]
            self.console.lines(lines)


def _ends_open(result: ScriptResult, verbose: bool) -> bool:
    """Return whether the output about *result* already ends with an empty line."""
    told = [scenario for scenario in result.scenarios if verbose or scenario.fell or scenario.warnings]
    if result.errors or not told:
        return bool(result.errors)
    return told[-1].fell and not told[-1].warnings
