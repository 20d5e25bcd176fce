"""`idlefox coverage`: what the scenarios have exercised of a form, and what they leave out."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import click

from ..playing.player import Wishes
from ..playing.subjects import Loaded
from ..problems import Problem, Unreadable
from ..report.coverage import coverage_lines, missing_lines, share_line
from ..report.coverage import matrix as grid
from ..roots import noting_reads
from ..study.coverage.study import Coverage, coverage_by
from ..study.coverage.ways import kept, ways_to
from ..study.scripts import about_forms
from . import completing
from .config import begin
from .console import Console
from .keeping import keep
from .playing import choose
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw, draw_sums, figure_file, figure_option, goes_to_output, one_or_all, report_option, write
from .work_options import jobs_option, on_option, study_wishes, with_notes

if TYPE_CHECKING:
    from ..report.study_page import StudyPage


@click.command("coverage")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.SCRIPTS)
@click.option("--missing", is_flag=True, help="List what is not reached, each with the shortest steps that were found to reach it.")
@click.option("--keep", "keeping", default="", metavar="FILE", help="Append those steps to a script, each as a scenario that holds.")
@click.option("--matrix", default="", callback=figure_file, metavar="FILE", help="Draw rules against scenarios: .png, .svg or .pdf.")
@click.option("--under", type=click.FloatRange(0, 100), default=None, metavar="N", help="Exit 1 where less than N percent are reached.")
@jobs_option
@on_option
@figure_option
@report_option
@click.option("--subject", metavar="PATH", default=None, help="Play against this form instead of the scripts' own subject.")
@click.option("--trust-python/--no-trust-python", default=None, help="Let the sheet run the Python rules it names, or not.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
def command(
    paths: tuple[str, ...], missing: bool, keeping: str, matrix: str, under: float | None, jobs: str | None, on: str, figure: str,
    reports: tuple[Wanted, ...], subject: str | None, trust_python: bool | None, color: str,
) -> None:  # fmt: skip
    """Say what the scenarios have exercised: rules, bounds, messages, conditions, options, rows, lookups, answers.

    \b
    Exit code: 0; 1 under the bound that was asked for; 2 something could not be read.

    \b
    Example:
      idlefox coverage booking.fox
      idlefox coverage booking.fox --missing --under 80
      idlefox coverage booking.fox --matrix rules.png --report json=coverage.json
    """
    console = Console(color, aside=goes_to_output(reports))
    try:
        config, trusted = begin(trust_python, console)
        wishes = study_wishes(subject, jobs, on, config, trust_python=trusted)
        found = _studied(paths, config.scripts or (".",), wishes, console)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    if keeping and len(found) > 1:
        raise click.UsageError("--keep goes with scripts about one form")
    for number, (coverage, loaded) in enumerate(found):
        console.lines([*([[]] if number else []), *coverage_lines(coverage, console.width())])
        ways = ways_to(coverage) if missing or keeping else []
        if missing:
            console.lines(missing_lines(ways, console.width()))
        console.lines([[], share_line(coverage, under)])
        if keeping:
            made = (partial(kept, way, loaded, coverage.clock, keeping) for way in ways)
            keep(keeping, made, console)
    if matrix:
        draw(matrix, lambda kind: grid(found[0][0], kind), console)
    if figure:
        draw_sums(figure, lambda: _page(found, under), console)
    written = write(reports, lambda: one_or_all([coverage.as_json() for coverage, _ in found]), lambda: _page(found, under), console)
    short = under is not None and any(coverage.share < under for coverage, _ in found)
    raise SystemExit(2 if not written else 1 if short else 0)


def _studied(paths: tuple[str, ...], otherwise: tuple[str, ...], wishes: Wishes, console: Console) -> list[tuple[Coverage, Loaded]]:
    """The coverage of every form that the scripts are about. Raises Unreadable."""
    chosen, problems = choose(paths or otherwise, otherwise, console)
    files: set[str] = set()
    with noting_reads(files):
        forms, more = about_forms(chosen, wishes)
    if problems or more:
        raise Unreadable([*problems, *more])
    with Ticker(quiet=console.aside) as ticker:
        told = lambda done, of: ticker.tell(f"{done} of {of} scenarios")  # noqa: E731
        works = [with_notes(wishes.work, "coverage", each.suite.chosen, files, console) for each in forms]
        return [(coverage_by(work, each, told), each.loaded) for work, each in zip(works, forms, strict=True)] or _nothing()


def _page(found: list[tuple[Coverage, Loaded]], under: float | None) -> StudyPage:
    from ..report.study_page import coverage_page

    if len(found) > 1:
        raise click.UsageError("an HTML report goes with scripts about one form")
    coverage = found[0][0]
    return coverage_page(coverage, ways_to(coverage), under)


def _nothing() -> list[tuple[Coverage, Loaded]]:
    from ..problems import CALL, Place

    cause, remedy = "there is no scenario to look at", "name a script: idlefox coverage FILE.fox"
    raise Unreadable([Problem(Place("coverage", 1, 1), cause, remedy, code=CALL)])
