"""`idlefox run`: plays scripts and says what held."""

from __future__ import annotations

import os
import signal
import sys
from time import perf_counter

import click

from ..play.player import Wishes, play_files, prepare
from ..play.results import Run, ScenarioResult, ScriptResult, address_of
from ..play.select import Chosen, choose_files
from ..play.subjects import Subjects
from ..problems import CALL, Place, Problem, Unreadable
from ..report.styled import plain
from ..report.terminal import fallen_lines, scenario_failures, scenario_line, script_line, script_warnings, summary_line, warning_lines
from .config import far_report, further_roots, jobs_of, read_config, report_of, trusts
from .console import Console
from .faults import internal_fault
from .files import keep_picture, why, write_whole
from .live_options import outside_of, served


@click.command("run")
@click.argument("paths", nargs=-1, type=click.Path())
@click.option("--subject", metavar="PATH", default=None, help="Play against this form instead of the scripts' own subject.")
@click.option("--live", is_flag=False, flag_value="auto", metavar="[BROWSER]", default=None,
              help="Play on the sheet's own page, in a browser: firefox, chromium or auto.")
@click.option("--show", is_flag=True, default=None, help="With --live: open a window.")
@click.option("--hands", default=None, metavar="quick|real", help="With --live: how text is typed.")
@click.option("--deadline", default=None, metavar="TIME", help="With --live: the real time that a scenario may take (30s).")
@click.option("--retries", default=None, type=int, metavar="N", help="With --live: play what fails up to N times more.")
@click.option("--tag", "tags", multiple=True, metavar="TAG", help="Only scenarios with this tag (repeat it for any of several).")
@click.option("--match", default="", metavar="TEXT", help="Only scenarios whose title has TEXT in it.")
@click.option("--stop-first", is_flag=True, help="Stop at the first scenario that does not hold.")
@click.option("--report", "reports", multiple=True, metavar="KIND=FILE", help="Write a report: json=FILE, where - is standard output.")
@click.option("--jobs", default=None, metavar="N|auto", help="Play scripts in N processes (auto: one a core). Results keep their order.")
@click.option("--list", "listing", is_flag=True, help="Print what would be played, a line each, and play nothing.")
@click.option("--quiet", "-q", is_flag=True, help="Print failures and errors only.")
@click.option("--verbose", "-v", is_flag=True, help="Print a line for every scenario.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
@click.option("--root", "roots", multiple=True, metavar="DIR", help="Let scripts and sheets name files below DIR too.")
@click.option("--trust-python/--no-trust-python", default=None, help="Let sheets run the Python rules they name, or not.")
def command(
    paths: tuple[str, ...],
    subject: str | None,
    live: str | None,
    show: bool | None,
    hands: str | None,
    deadline: str | None,
    retries: int | None,
    tags: tuple[str, ...],
    match: str,
    stop_first: bool,
    reports: tuple[str, ...],
    jobs: str | None,
    listing: bool,
    quiet: bool,
    verbose: bool,
    color: str,
    roots: tuple[str, ...],
    trust_python: bool | None,
) -> None:
    """Play scripts: files, folders, or file.fox:LINE for the scenario (or table row) at that line.

    \b
    Exit code: 0 all held; 1 something did not hold; 2 something could not be
    read or used; 3 an internal fault; 130 interrupted.

    \b
    Example:
      idlefox run booking.fox
      idlefox run forms/ --tag voucher --report json=report.json
      idlefox run booking.fox:41 --subject other.form.yaml
      idlefox run - --subject booking.form.yaml < first.fox
    """
    try:
        config = read_config(".")
        trusted, told = trusts(config, trust_python)
    except Unreadable as fault:
        Console(color).problems(fault.problems)
        raise SystemExit(2) from None
    try:
        wanted = [report_of(r) for r in (reports or config.reports)]
    except ValueError as fault:
        raise click.UsageError(f"--report: {fault}") from None
    if not reports and (odd := far_report(config, wanted)) is not None:
        Console(color).problems([odd])
        raise SystemExit(2)
    try:
        processes = jobs_of(jobs if jobs is not None else config.jobs)
    except ValueError as fault:
        raise click.UsageError(f"--jobs: {fault}") from None
    console = Console(color, aside=any(file == "-" for _, file in wanted))
    wishes = Wishes(
        subject=subject if subject is not None else config.subject,
        tags=tags,
        match=match,
        stop_first=stop_first,
        trust_python=trusted,
        jobs=processes,
        project=config.folder,
        outside=outside_of(live, {"show": show, "hands": hands, "deadline": deadline, "retries": retries}, config.live, Console(color)),
        served=served,
        roots=further_roots(roots, subject),
    )
    otherwise = config.scripts or (".",)
    signal.signal(signal.SIGTERM, signal.default_int_handler)  # being told to end is an interrupt: the results so far, the reports
    if told and not quiet:
        console.lines([[(f" {told}", "dim")]], err=not trusted)
    if listing:
        raise SystemExit(list_scenarios(paths or otherwise, wishes, console, otherwise))
    run = play(paths or otherwise, wishes, console, otherwise, quiet=quiet, verbose=verbose)
    for kind, file in wanted:
        write_report(run, kind, file, console)
    if run.faults:
        count = len(run.faults)
        internal_fault("in one place" if count == 1 else f"in {count} places", "\n\n".join(run.faults))
    raise SystemExit(run.exit_code)


def write_report(run: Run, kind: str, file: str, console: Console) -> None:
    """Writes one report to *file* (``-``: standard output)."""
    from ..report.as_json import json_report

    text = json_report(run)
    if file == "-":
        console.text(text, newline=False)
        return
    try:
        os.makedirs(os.path.dirname(file) or ".", exist_ok=True)
        write_whole(file, text)
    except (OSError, ValueError) as fault:
        raise click.ClickException(plain(f"the report cannot be written to {file}: {why(fault)}")) from None


def play(
    paths: tuple[str, ...], wishes: Wishes, console: Console, otherwise: tuple[str, ...] = (), *,
    quiet: bool = False, verbose: bool = False, pictures: bool = True,
) -> Run:  # fmt: skip
    """Plays the scripts at *paths* and prints what came of each as it comes. *pictures* of what failed live are put into files."""
    started = perf_counter()
    chosen, problems = _from_pipe(console) if paths == ("-",) else choose_files(paths, otherwise)
    results: list[ScriptResult] = []
    interrupted = False
    console.problems(problems)
    printer = _Printer(console, quiet, verbose)
    current: list[ScenarioResult] = []

    def tell(result: ScenarioResult) -> None:
        current.append(result)

    try:
        subjects = Subjects(trust_python=wishes.trust_python, outside=wishes.outside, served=served)
        for result in play_files(chosen, wishes, subjects, tell):
            current.clear()
            results.append(_with_pictures(result, wishes.project) if pictures else result)
            printer.script(results[-1])
    except KeyboardInterrupt:
        interrupted = True
        if current:
            results.append(ScriptResult(current[0].file, tuple(current)))
            printer.script(results[-1])
    finally:
        if wishes.outside is not None:
            from ..live.loading import close_all

            close_all()
    stopped = wishes.stop_first and any(r.errors or any(s.fell for s in r.scenarios) for r in results)
    run = Run(tuple(results), tuple(_with_nothing(results, wishes, problems, chosen)), perf_counter() - started, stopped, interrupted)
    printer.end(run, len(problems))
    return run


def _with_pictures(result: ScriptResult, project: str) -> ScriptResult:
    """*result* with the pictures of what failed put into files, below ``.idlefox``."""
    if not any(scenario.material is not None for scenario in result.scenarios):
        return result

    found = []
    for scenario in result.scenarios:
        material = scenario.material
        if material is not None and material.picture:
            name = f"{os.path.basename(result.file).removesuffix('.fox')}-{scenario.at}.png"
            scenario = scenario._replace(material=material._replace(file=keep_picture(project or ".", name, material.picture)))
        found.append(scenario)
    return result._replace(scenarios=tuple(found))


def list_scenarios(paths: tuple[str, ...], wishes: Wishes, console: Console, otherwise: tuple[str, ...]) -> int:
    """Prints what would be played, ``FILE:LINE  title  [tags]`` each, and plays nothing. The exit code."""
    chosen, problems = _from_pipe(console) if paths == ("-",) else choose_files(paths, otherwise)
    console.problems(problems)
    subjects, code = Subjects(trust_python=wishes.trust_python, outside=wishes.outside, served=served), 2 if problems else 0
    for each in chosen:
        try:
            ready = prepare(each, wishes, subjects)
        except Unreadable as fault:
            console.problems(fault.problems)
            code = 2
            continue
        for scenario in ready.scenarios:
            tags = f"  [{', '.join(scenario.tags)}]" if scenario.tags else ""
            console.text(plain(f"{address_of(each.file, scenario)}  {scenario.title}{tags}"))
    return code


def _from_pipe(console: Console) -> tuple[list[Chosen], list[Problem]]:
    """The script that comes in at standard input."""
    try:
        return [Chosen("-", text=console.piped("-"))], []
    except Unreadable as fault:
        return [], list(fault.problems)


def _with_nothing(
    results: list[ScriptResult], wishes: Wishes, problems: list[Problem], chosen: list[Chosen]
) -> list[Problem]:
    """The run's own problems; that nothing fits --tag or --match is one, so that a typo is no silent pass."""
    found = list(problems)
    asked = dict.fromkeys(row for each in chosen for row in each.rows)
    if asked and not any(r.scenarios or r.errors for r in results):
        file, line = next(iter(asked))
        remedy = "name the scripts too: idlefox run SCRIPTS… FILE:LINE"
        found.append(Problem(Place(file, line, 1), "no script here is played for the row at this line", remedy))
    narrowed = [f"--tag {t}" for t in wishes.tags] + ([f"--match {wishes.match!r}"] if wishes.match else [])
    if narrowed and not any(r.scenarios or r.errors for r in results):
        cause = f"no scenario fits {' and '.join(narrowed)}"
        found.append(Problem(Place("idlefox run", 1, 1), cause, "see the titles and tags with --list", code=CALL))
    return found


class _Printer:
    """Prints results as they come."""

    def __init__(self, console: Console, quiet: bool, verbose: bool) -> None:
        self.console = console
        self.quiet = quiet
        self.verbose = verbose

    def script(self, result: ScriptResult) -> None:
        console, width = self.console, self.console.width()
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
        if not self.quiet:
            fallen = fallen_lines(run, self.console.width())
            apart = bool(run.scripts) and not _ends_open(run.scripts[-1], self.verbose)
            lines = [*([[]] if apart else []), *fallen, *([[]] if fallen else []), summary_line(run)]
            self.console.lines(lines)


def _ends_open(result: ScriptResult, verbose: bool) -> bool:
    """Whether what was printed of *result* ends with an empty line already."""
    told = [scenario for scenario in result.scenarios if verbose or scenario.fell or scenario.warnings]
    if result.errors or not told:
        return bool(result.errors)
    return told[-1].fell and not told[-1].warnings
