"""`idlefox manners`: explores a form and reports bad manners."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from typing import TYPE_CHECKING, Any

import click

from ..forms.values.durations import parse_duration
from ..playing.player import DEFAULT_CLOCK
from ..playing.rehearsal import Rehearsal
from ..playing.subjects import Subjects
from ..problems import Unreadable, suggestion
from ..report.manners import manners_lines
from ..report.styled import plain
from ..roots import noting_reads, project_root, reading_below
from ..script.writer import write_played
from ..study.manners.live_study import SECONDS, page_manners
from ..study.manners.monitor import MANNERS
from ..study.manners.scenario import rehearsed, script_of, titled
from ..study.manners.study import WALKS, MannerFinding, MannersResult, manners_of
from . import completing
from .config import begin
from .console import Console
from .keeping import keep
from .live_options import outside_of
from .options import Number, color_option, seed_option, trust_option
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw_sums, figure_option, goes_to_output, report_option, write
from .work_options import jobs_option, on_option, with_notes, work_of

if TYPE_CHECKING:
    from ..report.study_page import StudyPage


@click.command("manners")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--only", default="", metavar="MANNER,…", help="Check only these manners.")
@click.option("--except", "but", default="", metavar="MANNER,…", help="Check all manners except these.")
@click.option("--walks", type=Number(1), default=None,
              help=f"Number of walks (default {WALKS:,}; live: as many as --time allows).")
@click.option("--time", "lasting", default="", metavar="DURATION",
              help="Walk for this long instead, for example 30s; results then depend on the machine.")
@click.option("--live", is_flag=False, flag_value="auto", default=None, metavar="[BROWSER]",
              help="Explore the form's own page in a browser: auto, firefox or chromium.")
@jobs_option
@on_option
@seed_option
@click.option("--keep", "keeping", default="", metavar="FILE", help="Append each finding to a script, as a passing scenario.")
@figure_option
@report_option
@trust_option
@color_option
def command(
    form: str, only: str, but: str, walks: int | None, lasting: str, live: str | None, jobs: str | None, on: str, seed: int,
    keeping: str, figure: str, reports: tuple[Wanted, ...], trust: bool | None, color: str,
) -> None:  # fmt: skip
    """Explore a form the way people and bad luck would, and check the manners that every form should keep.

    The manners: patience, plain-speech, forgives, way-out, row-back, no-rush, no-ghosts, keeps, clean-slate, once,
    fresh-answers, own-row, says-so, closes. Each finding comes with the shortest scenario that shows it.

    Exit code: 0 no findings; 1 at least one finding; 2 the form cannot be read.
    With --live, each walk starts on a fresh page, and the study takes one minute (see --time).

    \b
    Example:
      idlefox manners booking.form.yaml
      idlefox manners booking.form.yaml --only way-out,keeps --walks 10000
      idlefox manners booking.form.yaml --keep findings.fox
      idlefox manners booking.form.yaml --live
      idlefox manners http://127.0.0.1:8000/booking --live --time 30s
    """
    chosen = _chosen(only, but)
    seconds = _seconds(lasting)
    if live and (on or jobs is not None):
        raise click.UsageError(f"{'--on' if on else '--jobs'} cannot be combined with --live: one browser here does everything")
    console = Console(color, aside=goes_to_output(reports))
    try:
        config, trusted = begin(trust, console)
        outside = outside_of(live, {}, config.live, console, trust=trusted)
        files: set[str] = set()
        with reading_below((project_root(form),)):
            with noting_reads(files):
                loaded = Subjects(trust=trusted, outside=outside).load(form, ".")
            if loaded.make_ready is not None:
                loaded.make_ready()
            with Ticker(quiet=goes_to_output(reports)) as ticker:
                told = lambda made, known: ticker.tell(f"{made:,} walks, {known} found")  # noqa: E731
                if outside is not None:
                    found = page_manners(loaded, chosen, seed=seed, walks=walks, seconds=seconds or SECONDS, told=told)
                else:
                    work = work_of(jobs, on, config)
                    if seconds is None:  # the number of walks in a given time varies
                        work = with_notes(work, "manners", (form, chosen, seed, walks), files, console)
                    found = manners_of(
                        loaded, chosen, seed=seed, walks=walks or WALKS, seconds=seconds, told=told,
                        work=work, trust=trusted,
                    )  # fmt: skip
        scenarios = [(breach, rehearsed(breach, loaded, form, DEFAULT_CLOCK)) for breach in found.breaches]
        console.lines(manners_lines(found, [_body(r) for _, r in scenarios], console.width()))
        if keeping:
            told_of = ((breach, each) for breach, each in scenarios if each is not None and each.entries)
            keep(keeping, (partial(each.kept, keeping, title=titled(breach)) for breach, each in told_of), console)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    if figure:
        draw_sums(figure, lambda: _page(found, loaded.form.label, scenarios), console)
    fine = write(reports, lambda: as_json(found, scenarios, form), lambda: _page(found, loaded.form.label, scenarios), console)
    raise SystemExit(2 if not fine else 1 if found.breaches else 0)


def _page(found: MannersResult, title: str, scenarios: list[tuple[MannerFinding, Rehearsal | None]]) -> StudyPage:
    from ..report.study_page import manners_page

    return manners_page(found, title, [_body(rehearsal) for _, rehearsal in scenarios])


def _body(rehearsal: Rehearsal | None) -> list[str]:
    """The lines of a scenario."""
    return ["(these steps cannot be written as a script)"] if rehearsal is None else rehearsal.lines() or ["(at load)"]


def _chosen(only: str, but: str) -> tuple[str, ...]:
    """The manners to look at."""
    for option, given in (("--only", only), ("--except", but)):
        for name in filter(None, given.split(",")):
            if name.strip() not in MANNERS:
                raise click.UsageError(plain(f"{option}: unknown manner {name.strip()!r}; {suggestion(name.strip(), MANNERS)}"))
    wanted = [name.strip() for name in only.split(",") if name.strip()] or list(MANNERS)
    without = {name.strip() for name in but.split(",")}
    found = tuple(name for name in wanted if name not in without)
    if not found:
        raise click.UsageError("--except excludes every manner")
    return found


def _seconds(text: str) -> float | None:
    if not text:
        return None
    ms = parse_duration(text)
    if not ms:
        raise click.UsageError(plain(f"--time: {text!r} is not a duration; write 30s or 2m"))
    return ms / 1000


def as_json(found: MannersResult, scenarios: Iterable[tuple[MannerFinding, Rehearsal | None]], form: str) -> dict[str, Any]:
    """Return the findings as the JSON report."""
    breaches = [
        {
            "manner": breach.manner, "address": breach.where, "sentence": breach.sentence, "walks": breach.walks,
            "steps": rehearsal.lines() if rehearsal is not None else [],
            "script": script_of(breach, rehearsal, form) if rehearsal is not None else "",
        }
        for breach, rehearsal in scenarios
    ]  # fmt: skip
    return {
        "format": 1, "seed": found.seed, "walks": found.walks, "steps": found.steps, "states": found.states, "breaches": breaches,
        "undecided": [{"manner": "way-out", "steps": list(map(write_played, path))} for path in found.undecided],
        "left_out": [{"manner": manner, "why": reason} for manner, reason in found.left_out],
    }  # fmt: skip
