"""`idlefox trace`: shows what each step of a scenario changed."""

from __future__ import annotations

import json
import os
from typing import Any

import click

from ..forms.names.addresses import AddressError, locate, parse_address
from ..playing.player import RunOptions
from ..playing.results import Results, Run, ScriptResult
from ..playing.select import choose_files
from ..playing.story import Story
from ..playing.tracing import ScenarioTrace, trace_scenario
from ..problems import CALL, Place, Problem, Unreadable, listed
from ..report.styled import plain
from ..report.traced import ONLY, trace_lines
from . import completing
from .config import further_roots, read_config, trusts
from .console import Console
from .files import why, write_bytes_whole
from .live_options import outside_of, served
from .options import color_option, live_options, subject_option, trust_option


@click.command("trace")
@click.argument("scenario", metavar="SCRIPT:LINE", type=click.Path(), shell_complete=completing.SCRIPTS)
@click.option("--json", "as_json", is_flag=True, help="Print every change as a line of JSON, identical in every run.")
@click.option("--only", default="", metavar="WHAT", shell_complete=completing.traced_addresses,
              help="Show only changes at an address, or only `messages`, `validity` or `requests`.")
@click.option("--keys", is_flag=True, help="Show every keystroke as its own change.")
@click.option("--figure", default="", metavar="FILE", help="Draw the timeline: .png, .svg or .pdf.")
@click.option("--web", default="", metavar="FILE", help="Write the scenario as a self-contained HTML page.")
@subject_option
@live_options
@color_option
@click.option("--root", "roots", multiple=True, metavar="DIR", help="Also allow scripts and sheets to use files below DIR.")
@trust_option
def command(
    scenario: str, as_json: bool, only: str, keys: bool, figure: str, web: str, subject: str | None, color: str,
    roots: tuple[str, ...], trust: bool | None, live: str | None, **of_live: Any,
) -> None:  # fmt: skip
    """Run the scenario at a line and show what each step changed.

    \b
    Example:
      idlefox trace booking.fox:41
      idlefox trace booking.fox:41 --only voucher
      idlefox trace booking.fox:41 --json > trace.jsonl
      idlefox trace booking.fox:41 --live
    """
    console = Console(color)
    if live and "," in live:
        raise click.UsageError("trace runs in one browser: --live=firefox or --live=chromium")
    try:
        config = read_config(".")
        chosen, problems = choose_files((scenario,))
        if problems:
            raise Unreadable(problems)
        trusted, told = trusts(config, trust)
        if told:
            console.lines([[(told, "dim")]], err=True)
        outside = outside_of(live, of_live, config.live, console, trust=trusted)
        wishes = RunOptions(
            subject=subject or config.subject, trust=trusted, project=config.folder, roots=further_roots(roots, subject), outside=outside,
            served=served,
        )
        traced = trace_scenario(chosen[0], wishes)
        _need_address(only, traced)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    finally:
        if live is not None:
            from ..live.loading import close_all

            close_all()
    if figure or web:
        _draw(traced, figure, web, console)
    elif as_json:
        for change in traced.as_json():
            console.text(json.dumps(change, ensure_ascii=True))
    else:
        console.lines(trace_lines(traced, console.width(), keys=keys, only=only))
    raise SystemExit(1 if traced.result.fell else 0)


def _draw(traced: ScenarioTrace, figure: str, web: str, console: Console) -> None:
    """Write the figure, the page, or both."""
    story = traced.watched.story()
    for file in filter(None, (figure, web)):
        made = _figure(traced, story, file) if file == figure else _page(traced, story)
        try:
            os.makedirs(os.path.dirname(file) or ".", exist_ok=True)
            write_bytes_whole(file, [made])
        except (OSError, ValueError) as fault:
            raise _Unwritten(plain(f"cannot write {file}: {why(fault)}")) from None
        console.text(plain(f" {file}"))


class _Unwritten(click.ClickException):
    exit_code = 2


def _figure(traced: ScenarioTrace, story: Story, file: str) -> bytes:
    from ..report.timeline import drawing_of
    from ..report.timeline_figure import KINDS, figure_of

    kind = file.rpartition(".")[2].lower()
    if kind not in KINDS:
        raise click.UsageError(plain(f"--figure: {file} ends in none of .{', .'.join(KINDS)}"))
    try:
        return figure_of(drawing_of(story), plain(f"{traced.result.address}  {traced.title}"), kind)
    except ImportError:
        raise click.UsageError("--figure needs a library that is not installed: pip install 'idle-fox[figures]'") from None


def _page(traced: ScenarioTrace, story: Story) -> bytes:
    from ..report.as_html import html_report

    result = traced.result._replace(story=story)
    run = Run(Results([ScriptResult(result.file, (result,), seconds=result.seconds)]), seconds=result.seconds)
    return "".join(html_report(run, whole=True)).encode("utf-8", "backslashreplace")


def _need_address(only: str, traced: ScenarioTrace) -> None:
    """Raise Unreadable where *only* is nothing that could change."""
    if not only or only in ONLY:
        return
    form = traced.loaded.form
    try:
        locate(form.shape, parse_address(only) or (only,), [panel.shape for panel in form.panels])
    except AddressError as fault:
        remedy = f"{fault.remedy} (or one of {listed(ONLY)})".lstrip()
        raise Unreadable([Problem(Place("--only", 1, 1), fault.cause, remedy, code=CALL)]) from None
