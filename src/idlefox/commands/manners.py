"""`idlefox manners`: walks about in a form and says what is rude about it."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from typing import Any

import click

from ..forms.values.durations import parse_duration
from ..playing.player import DEFAULT_CLOCK
from ..playing.rehearsal import Rehearsal
from ..playing.subjects import Subjects
from ..problems import Unreadable, read_text, suggestion
from ..report.manners import manners_lines
from ..report.styled import plain
from ..roots import reading_below
from ..study.manners.rules import MANNERS
from ..study.manners.scenario import rehearsed, script_of, titled
from ..study.manners.study import WALKS, Breach, Manners, manners_of
from . import completing
from .config import begin
from .console import Console
from .files import why, write_bytes_whole
from .progress import Ticker
from .reports import write_report


@click.command("manners")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--only", default="", metavar="MANNER,…", help="Hold it to these manners only.")
@click.option("--except", "but", default="", metavar="MANNER,…", help="Hold it to all manners but these.")
@click.option("--walks", type=click.IntRange(1), default=WALKS, show_default=True, help="How many walks are made.")
@click.option("--time", "lasting", default="", metavar="DURATION",
              help="Walk for so long instead, as in 30s; what is found depends on the machine.")
@click.option("--seed", type=int, default=1, show_default=True, help="Another number makes other walks.")
@click.option("--keep", "keeping", default="", metavar="FILE", help="Append what was found to a script, each as a scenario that holds.")
@click.option("--report", default="", metavar="json=FILE", help="Write every breach; - is standard output.")
@click.option("--trust-python/--no-trust-python", default=None, help="Let the sheet run the Python rules it names, or not.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
def command(
    form: str, only: str, but: str, walks: int, lasting: str, seed: int, keeping: str, report: str, trust_python: bool | None, color: str,
) -> None:  # fmt: skip
    """Walk about in a form, as people and accidents would, and hold it to rules that no form should break.

    \b
    The manners: patience, plain-speech, forgives, way-out, row-back, no-rush, no-ghosts, keeps, clean-slate, once,
    fresh-answers, own-row, says-so, closes. Each breach comes with the shortest scenario that was found to show it.

    \b
    Exit code: 0 nothing rude was met; 1 something was; 2 the form could not be read.

    \b
    Example:
      idlefox manners booking.form.yaml
      idlefox manners booking.form.yaml --only way-out,keeps --walks 10000
      idlefox manners booking.form.yaml --keep rude.fox
    """
    kind, mark, target = report.partition("=")
    if report and (kind != "json" or not mark or not target):
        raise click.UsageError(plain(f"--report: json=FILE is needed, not {report!r}"))
    chosen = _chosen(only, but)
    seconds = _seconds(lasting)
    console = Console(color, aside=target == "-")
    try:
        _, trusted = begin(trust_python, console)
        with reading_below((os.path.dirname(form) or ".",)):
            loaded = Subjects(trust_python=trusted).load(form, ".")
        with Ticker(quiet=target == "-") as ticker:
            found = manners_of(
                loaded, chosen, seed=seed, walks=walks, seconds=seconds,
                told=lambda made, known: ticker.tell(f"{made:,} walks, {known} found"),
            )  # fmt: skip
        scenarios = [(breach, rehearsed(breach, loaded, form, DEFAULT_CLOCK)) for breach in found.breaches]
        console.lines(manners_lines(found, [_body(r) for _, r in scenarios], console.width()))
        if keeping:
            _keep(keeping, scenarios, console)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    fine = write_report(target, [json.dumps(as_json(found, scenarios, form), indent=2) + "\n"], console) if target else True
    raise SystemExit(2 if not fine else 1 if found.breaches else 0)


def _body(rehearsal: Rehearsal | None) -> list[str]:
    """The lines of a scenario."""
    return ["(what was done cannot be written down)"] if rehearsal is None else rehearsal.lines() or ["(at load)"]


def _chosen(only: str, but: str) -> tuple[str, ...]:
    """The manners to look at."""
    for option, given in (("--only", only), ("--except", but)):
        for name in filter(None, given.split(",")):
            if name.strip() not in MANNERS:
                raise click.UsageError(plain(f"{option}: there is no manner {name.strip()!r}; {suggestion(name.strip(), MANNERS)}"))
    wanted = [name.strip() for name in only.split(",") if name.strip()] or list(MANNERS)
    without = {name.strip() for name in but.split(",")}
    found = tuple(name for name in wanted if name not in without)
    if not found:
        raise click.UsageError("--except leaves no manner out of which one could fall")
    return found


def _seconds(text: str) -> float | None:
    if not text:
        return None
    ms = parse_duration(text)
    if not ms:
        raise click.UsageError(plain(f"--time: {text!r} is no duration: write 30s or 2m"))
    return ms / 1000


def as_json(found: Manners, scenarios: Iterable[tuple[Breach, Rehearsal | None]], form: str) -> dict[str, Any]:
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
        "left_out": [{"manner": manner, "why": reason} for manner, reason in found.left_out],
    }  # fmt: skip


def _keep(file: str, scenarios: list[tuple[Breach, Rehearsal | None]], console: Console) -> None:
    count = 0
    for breach, rehearsal in scenarios:
        if rehearsal is None or not rehearsal.entries:
            continue
        text = read_text(file) if os.path.exists(file) else None
        try:
            write_bytes_whole(file, [rehearsal.kept(file, text, titled(breach)).encode("utf-8")])
        except OSError as fault:
            raise click.ClickException(plain(f"{file} cannot be written: {why(fault)}")) from None
        count += 1
    console.lines([[(f" {count} scenario{'' if count == 1 else 's'} kept in {plain(file)}", "good")]])
