"""`idlefox coverage`: which parts of a form the scenarios reach."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import click

from ..playing.player import RunOptions
from ..playing.subjects import Loaded
from ..problems import Problem, Unreadable
from ..report.coverage import coverage_lines, scripts_lines, share_line, unreached_lines
from ..report.coverage import matrix as grid
from ..roots import noting_reads
from ..study.coverage.reaching import kept, ways_to
from ..study.coverage.study import Coverage, coverage_by
from ..study.scripts import about_forms
from . import completing
from .config import begin
from .console import Console
from .keeping import keep
from .options import Percent, color_option, subject_option, trust_option
from .page_scripts import scripts_run, watching_factory
from .playing import choose
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw, draw_sums, figure_file, figure_option, goes_to_output, one_or_all, report_option, write
from .work_options import jobs_option, on_option, study_wishes, with_notes

if TYPE_CHECKING:
    from ..live.loading import LiveSubjectFactory
    from ..report.study_page import StudyPage


@click.command("coverage")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.SCRIPTS)
@click.option("--unreached", is_flag=True, help="List the unreached points, each with the shortest steps found to reach it.")
@click.option("--keep", "keeping", default="", metavar="FILE", help="Append those steps to a script, as passing scenarios.")
@click.option("--matrix", default="", callback=figure_file, metavar="FILE", help="Draw a grid of rules and scenarios: .png, .svg or .pdf.")
@click.option("--at-least", type=Percent(), default=None, metavar="N", help="Exit 1 if fewer than N percent of the points are reached.")
@click.option("--live", is_flag=False, flag_value="auto", default=None, metavar="[BROWSER]",
              help="With --scripts: run the scenarios on the form's own page, in chromium.")
@click.option("--scripts", is_flag=True, help="Show which lines of the page's own scripts the scenarios run; needs --live=chromium.")
@jobs_option
@on_option
@figure_option
@report_option
@subject_option
@trust_option
@color_option
def command(
    paths: tuple[str, ...], unreached: bool, keeping: str, matrix: str, at_least: float | None, live: str | None, scripts: bool,
    jobs: str | None, on: str, figure: str, reports: tuple[Wanted, ...], subject: str | None, trust: bool | None, color: str,
) -> None:  # fmt: skip
    """Show which rules, limits, messages, conditions, options, rows, lookups and replies the scenarios reach.

    Exit code: 0; 1 if below --at-least; 2 if something cannot be read.

    \b
    Example:
      idlefox coverage booking.fox
      idlefox coverage booking.fox --unreached --at-least 80
      idlefox coverage booking.fox --matrix rules.png --report json=coverage.json
      idlefox coverage booking.fox --live=chromium --scripts
    """
    console = Console(color, aside=goes_to_output(reports))
    try:
        config, trusted = begin(trust, console)
        wishes = study_wishes(subject, jobs, on, config, trust=trusted)
        factory = watching_factory(live, scripts, config, console, trust=trusted)
        found = _studied(paths, config.scripts or (".",), wishes, console, factory)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    if keeping and len(found) > 1:
        raise click.UsageError("--keep needs scripts that are all about one form")
    for number, (coverage, loaded) in enumerate(found):
        console.lines([*([[]] if number else []), *coverage_lines(coverage, console.width()), *scripts_lines(coverage, console.width())])
        ways = ways_to(coverage) if unreached or keeping else []
        if unreached:
            console.lines(unreached_lines(ways, console.width()))
        console.lines([[], share_line(coverage, at_least)])
        if keeping:
            made = (partial(kept, way, loaded, coverage.clock, keeping) for way in ways)
            keep(keeping, made, console)
    if matrix:
        draw(matrix, lambda kind: grid(found[0][0], kind), console)
    if figure:
        draw_sums(figure, lambda: _page(found, at_least), console)
    written = write(reports, lambda: one_or_all([coverage.as_json() for coverage, _ in found]), lambda: _page(found, at_least), console)
    short = at_least is not None and any(coverage.share < at_least for coverage, _ in found)
    raise SystemExit(2 if not written else 1 if short else 0)


def _studied(
    paths: tuple[str, ...], otherwise: tuple[str, ...], wishes: RunOptions, console: Console, factory: LiveSubjectFactory | None
) -> list[tuple[Coverage, Loaded]]:
    """The coverage of every form that the scripts are about, with that of its page's scripts if there is a *factory*.

    Raises Unreadable.
    """
    chosen, problems = choose(paths or otherwise, otherwise, console)
    files: set[str] = set()
    with noting_reads(files):
        forms, more = about_forms(chosen, wishes)
    if problems or more:
        raise Unreadable([*problems, *more])
    with Ticker(quiet=console.aside) as ticker:
        told = lambda done, of: ticker.tell(f"{done} of {of} scenarios")  # noqa: E731
        works = [with_notes(wishes.work, "coverage", each.suite.chosen, files, console) for each in forms]
        found = [(coverage_by(work, each, told), each.loaded) for work, each in zip(works, forms, strict=True)] or _nothing()
        if factory is None:
            return found
        running = lambda done: ticker.tell(f"{done} scenarios on the page")  # noqa: E731
        ran = [scripts_run(each, wishes, factory, running) for each in forms]
    return [(coverage._replace(scripts=here), loaded) for (coverage, loaded), here in zip(found, ran, strict=True)]


def _page(found: list[tuple[Coverage, Loaded]], at_least: float | None) -> StudyPage:
    from ..report.study_page import coverage_page

    if len(found) > 1:
        raise click.UsageError("an HTML report needs scripts that are all about one form")
    coverage = found[0][0]
    return coverage_page(coverage, ways_to(coverage), at_least)


def _nothing() -> list[tuple[Coverage, Loaded]]:
    from ..problems import CALL, Place

    cause, remedy = "no scenario to examine", "name a script: idlefox coverage FILE.fox"
    raise Unreadable([Problem(Place("coverage", 1, 1), cause, remedy, code=CALL)])
