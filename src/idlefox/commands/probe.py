"""`idlefox probe`: writes a script of a form's behaviour at its limits, or checks another form against it."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

import click

from ..playing.player import RunOptions
from ..playing.select import SelectedScript
from ..playing.subjects import read_below
from ..problems import CALL, Place, Problem, Unreadable
from ..report.styled import plain
from ..roots import noting_reads
from ..study.probe import ProbeScript, probe
from . import completing
from .config import begin
from .console import Console
from .files import why, write_bytes_whole
from .options import color_option, trust_option
from .playing import OutputOptions, play
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw_sums, figure_option, goes_to_output, report_option, write
from .work_options import jobs_option, on_option, with_notes, work_of

if TYPE_CHECKING:
    from ..report.study_page import StudyPage


@click.command("probe")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--write", "target", default="", metavar="FILE", help="Write the script to FILE instead of printing it.")
@click.option("--against", default="", metavar="OTHER", shell_complete=completing.FORMS,
              help="Run the script on another form and show where it differs.")
@click.option("--server", is_flag=True, help="Send what the form would refuse to its server, and show what the server accepts.")
@click.option("--live", is_flag=False, flag_value="auto", default=None, metavar="[BROWSER]",
              help="With --server: send from the page in firefox, chromium or auto, not over HTTP.")
@jobs_option
@on_option
@figure_option
@report_option
@trust_option
@color_option
def command(
    form: str, target: str, against: str, server: bool, live: str | None, jobs: str | None, on: str, figure: str,
    reports: tuple[Wanted, ...], trust: bool | None, color: str,
) -> None:  # fmt: skip
    """Write a passing script of a form's behaviour at its limits: numbers, lengths, white space, options, conditions, rows, replies.

    With --server, FORM is a URL or a sheet whose page is a URL. A filling that the form accepts is sent to that host, then one
    filling for each rule that breaks only this rule, past the page's checks. The number of submissions is printed first.

    Exit code: 0; 1 if the form of --against differs, or the server accepts what the form refuses; 2 if something cannot be read.

    \b
    Example:
      idlefox probe booking.form.yaml --write limits.fox
      idlefox probe booking.form.yaml --against booking-new.form.yaml
      idlefox probe http://127.0.0.1:8000/booking --server
    """
    _need_fitting(form, server, live, against, figure)
    if server:
        _probe_server(form, live, target, reports, trust, Console(color, aside=goes_to_output(reports)))
    console = Console(color, aside=(not target and not against) or goes_to_output(reports))
    try:
        config, _ = begin(False, console)
        files: set[str] = set()
        with noting_reads(files):
            model = read_below(form)
        if model.python:
            remedy = "for a starter script use: idlefox scaffold"
            raise Unreadable([Problem(Place(form, 1, 1), "probe does not support sheets with Python rules", remedy, code=CALL)])
        with Ticker(quiet=not target and not against) as ticker:
            told = lambda done, of: ticker.tell(f"{done} of {of} scenarios")  # noqa: E731
            work = with_notes(work_of(jobs, on, config), "probe", form, files, console)
            made = probe(model, os.path.relpath(form, os.path.dirname(target) or "."), work, told)
        if target:
            write_bytes_whole(target, [made.text.encode("utf-8")])
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    except OSError as fault:
        raise click.ClickException(plain(f"cannot write {target}: {why(fault)}")) from None
    if not target and not against and not goes_to_output(reports):
        console.text(made.text, newline=False)
    left = f", {len(made.left_out)} left out" if made.left_out else ""
    console.lines([[(f" {made.scenarios} scenarios{left}{f' in {plain(target)}' if target else ''}", "good")]])
    console.lines([(f"   left out  {plain(text)}", "dim")] for text in made.left_out)
    if figure:
        draw_sums(figure, lambda: _page(made), console)
    fine = write(reports, made.as_json, lambda: _page(made), console)
    code = _against(form, made.text, against, console) if against else 0
    raise SystemExit(code if fine or code > 1 else 2)


def _need_fitting(form: str, server: bool, live: str | None, against: str, figure: str) -> None:
    """Raise click.UsageError where the options do not fit together."""
    if server and (against or figure):
        raise click.UsageError(f"--server does not go with {'--against' if against else '--figure'}")
    if live is not None and not server:
        raise click.UsageError("--live needs --server")
    if "://" in form and not server:
        raise click.UsageError("a URL needs --server, which sends data to it")


def _probe_server(form: str, live: str | None, target: str, reports: tuple[Wanted, ...], trust: bool | None, console: Console) -> None:
    from .server_probe import probe_server

    if any(kind != "json" for kind, _ in reports):
        raise click.UsageError("--server reports as JSON only: --report json=FILE")
    try:
        _, trusted = begin(trust, console)
        found = probe_server(form, live or "http", target, trusted, console)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    except OSError as fault:
        raise click.ClickException(plain(f"cannot write {target}: {why(fault)}")) from None
    fine = write(reports, found.as_json, _no_page, console)
    raise SystemExit(2 if not fine else 1 if found.accepted else 0)


def _no_page() -> StudyPage:
    raise AssertionError("other reports than JSON are refused")


def _page(made: ProbeScript) -> StudyPage:
    from ..report.study_page import probe_page

    return probe_page(made, made.form.label)


def _against(form: str, text: str, other: str, console: Console) -> int:
    """Run the script *text* on *other*."""
    name = os.path.join(os.path.dirname(form), "probe.fox")
    chosen = SelectedScript(name, text=text)
    run = play([chosen], [], RunOptions(subject=other, roots=(os.path.dirname(other) or ".",)), console, OutputOptions(quiet=False))
    errors = [problem for script in run.scripts for problem in script.errors]
    # A name that the other form does not have is a difference like any other.
    return 1 if errors and all(problem.place.file == name for problem in errors) else run.exit_code
