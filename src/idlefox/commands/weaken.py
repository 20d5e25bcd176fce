"""`idlefox weaken`: plants one fault at a time in a form and shows which ones the scenarios notice."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING

import click

from ..playing.player import RunOptions
from ..playing.rehearsal import Rehearsal
from ..problems import CALL, Place, Problem, Unreadable
from ..report.weaken import weaken_lines
from ..roots import noting_reads
from ..study.scripts import FormScripts, about_forms
from ..study.weaken.study import WeakenResult, weaken
from . import completing
from .config import begin
from .console import Console
from .keeping import keep
from .options import Percent, color_option, subject_option, trust_option
from .playing import choose
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw_sums, figure_option, goes_to_output, one_or_all, report_option, write
from .work_options import jobs_option, on_option, study_wishes, with_notes

if TYPE_CHECKING:
    from ..report.study_page import StudyPage


@click.command("weaken")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.SCRIPTS)
@click.option("--at-least", type=Percent(), default=None, metavar="N", help="Exit 1 if fewer than N percent of the faults are noticed.")
@click.option("--all", "everything", is_flag=True, help="Print every unnoticed fault, the totals by kind and field, and what is undecided.")
@click.option("--keep", "keeping", default="", metavar="FILE", help="Append a passing scenario to a script for each unnoticed fault.")
@jobs_option
@on_option
@figure_option
@report_option
@subject_option
@trust_option
@color_option
def command(
    paths: tuple[str, ...], at_least: float | None, everything: bool, keeping: str, jobs: str | None, on: str, figure: str,
    reports: tuple[Wanted, ...], subject: str | None, trust: bool | None, color: str,
) -> None:  # fmt: skip
    """Plant one fault at a time in the form and show which ones the scenarios notice.

    Faults: rules dropped, limits off by one, patterns loosened, messages swapped or emptied, conditions reversed, messages
    shown too early or late, payloads changed, and common bugs: double submission, stale answers, incomplete resets.

    The output starts with the score and the most telling unnoticed fault of each cause. --all prints the rest.

    Exit code: 0; 1 if below --at-least; 2 if something cannot be read.

    \b
    Example:
      idlefox weaken booking.fox
      idlefox weaken booking.fox messages.fox --at-least 90 --jobs 2
      idlefox weaken booking.fox --keep unnoticed.fox
    """
    console = Console(color, aside=goes_to_output(reports))
    try:
        config, trusted = begin(trust, console)
        wishes = study_wishes(subject, jobs, on, config, trust=trusted)
        files: set[str] = set()
        with noting_reads(files):
            suites = _suites(paths, config.scripts or (".",), wishes, console)
        if keeping and len(suites) > 1:
            raise click.UsageError("--keep needs scripts that are all about one form")
        found: list[WeakenResult] = []
        with Ticker(quiet=goes_to_output(reports)) as ticker:
            for about in suites:
                work = with_notes(wishes.work, "weaken", about.suite.chosen, files, console)
                found.append(weaken(about.suite, work, told=lambda done, of: ticker.tell(f"{done} of {of} faults")))
        for number, each in enumerate(found):
            console.lines([*([[]] if number else []), *weaken_lines(each, console.width(), at_least, everything=everything)])
        if keeping:
            keep(keeping, _made(keeping, found[0], suites[0]), console)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    if figure:
        draw_sums(figure, lambda: _page(found, at_least), console)
    fine = write(reports, lambda: one_or_all([each.as_json() for each in found]), lambda: _page(found, at_least), console)
    short = at_least is not None and any(each.score < at_least for each in found)
    raise SystemExit(2 if not fine else 1 if short else 0)


def _page(found: list[WeakenResult], at_least: float | None) -> StudyPage:
    from ..report.study_page import weaken_page

    if len(found) > 1:
        raise click.UsageError("an HTML report needs scripts that are all about one form")
    return weaken_page(found[0], at_least)


def _suites(paths: tuple[str, ...], otherwise: tuple[str, ...], wishes: RunOptions, console: Console) -> list[FormScripts]:
    """The scripts by the form sheet they are about. Raises Unreadable."""
    chosen, problems = choose(paths or otherwise, otherwise, console)
    forms, more = about_forms(chosen, wishes)
    found = [each for each in forms if each.loaded.form.page is None]
    if not found and not problems and not more:
        remedy = "name a script about a form sheet: idlefox weaken FILE.fox"
        more = [Problem(Place("weaken", 1, 1), "no scenario about a form sheet to examine", remedy, code=CALL)]
    if problems or more:
        raise Unreadable([*problems, *more])
    return found


def _made(file: str, found: WeakenResult, about: FormScripts) -> Iterator[Callable[[str | None], str | None]]:
    """Make a scenario for each unnoticed fault; a scenario that two faults share is made once."""
    loaded, clock = about.loaded, about.ready[0].clock
    for each in {fault.lines: fault for fault in reversed(found.faults) if fault.verdict == "unnoticed"}.values():
        rehearsal = Rehearsal(loaded, loaded.form.file, ".", clock)
        if all(rehearsal.take(text, played=not text.startswith("expect")).held for text in _statements(each.lines)):
            yield partial(rehearsal.kept, file, title=f"not so: {each.sentence}")


def _statements(lines: tuple[str, ...]) -> list[str]:
    """Split *lines* into statements; an indented line belongs to the one before."""
    found: list[str] = []
    for line in lines:
        if line.startswith(" ") and found:
            found[-1] += "\n" + line
        else:
            found.append(line)
    return found
