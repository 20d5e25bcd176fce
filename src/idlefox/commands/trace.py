"""`idlefox trace`: one scenario step by step, and what each step changed."""

from __future__ import annotations

import json

import click

from ..play.player import Wishes
from ..play.select import choose_files
from ..play.tracing import trace_scenario
from ..problems import Unreadable
from ..report.traced import trace_lines
from .config import further_roots, read_config, trusts
from .console import Console


@click.command("trace")
@click.argument("scenario", metavar="SCRIPT:LINE", type=click.Path())
@click.option("--json", "as_json", is_flag=True, help="Print every change as a line of JSON, the same bytes in every run.")
@click.option("--subject", metavar="PATH", default=None, help="Play against this form instead of the script's own subject.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
@click.option("--root", "roots", multiple=True, metavar="DIR", help="Let scripts and sheets name files below DIR too.")
@click.option("--trust-python/--no-trust-python", default=None, help="Let the sheet run the Python rules it names, or not.")
def command(scenario: str, as_json: bool, subject: str | None, color: str, roots: tuple[str, ...], trust_python: bool | None) -> None:
    """Play the scenario at a line and show what each step changed.

    \b
    Example:
      idlefox trace booking.fox:41
      idlefox trace booking.fox:41 --json > trace.jsonl
    """
    console = Console(color)
    try:
        config = read_config(".")
        chosen, problems = choose_files((scenario,))
        if problems:
            raise Unreadable(problems)
        trusted, told = trusts(config, trust_python)
        if told:
            console.lines([[(told, "dim")]], err=True)
        wishes = Wishes(subject=subject or config.subject, trust_python=trusted, project=config.folder, roots=further_roots(roots, subject))
        traced = trace_scenario(chosen[0], wishes)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    if as_json:
        for change in traced.as_json():
            console.text(json.dumps(change, ensure_ascii=True))
    else:
        console.lines(trace_lines(traced, console.width()))
    raise SystemExit(1 if traced.result.fell else 0)
