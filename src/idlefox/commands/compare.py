"""`idlefox compare`: runs one suite on two forms and shows where they differ."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

import click

from ..forms.names.addresses import parse_address
from ..forms.values.values import written
from ..playing.player import RunOptions, load_script
from ..playing.subjects import Loaded, Subjects
from ..playing.work import HERE
from ..problems import Unreadable
from ..report.styled import Line, hanging, plain
from ..roots import noting_reads, project_root, reading_below
from ..study.compare import LAYERS, ComparedForms, CompareStudy, Comparison, compare, on_one_line
from ..study.scripts import Suite
from . import completing
from .config import begin
from .console import Console
from .live_options import outside_of
from .options import Number, color_option, seed_option, trust_option
from .playing import choose
from .progress import Ticker
from .reports import Wanted
from .study_reports import draw_sums, figure_option, goes_to_output, report_option, write
from .work_options import jobs_option, on_option, with_notes, work_of

if TYPE_CHECKING:
    from ..report.study_page import StudyPage

WALKS, LIVE_WALKS = 100, 10


@click.command("compare")
@click.argument("first", metavar="A", type=click.Path(), shell_complete=completing.FORMS)
@click.argument("second", metavar="B", type=click.Path(), shell_complete=completing.FORMS)
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.SCRIPTS)
@click.option("--explore", is_flag=True, help="Also try every boundary of A and take random walks.")
@click.option("--walks", type=Number(0), default=None,
              help=f"Number of random walks of --explore (default {WALKS}; live {LIVE_WALKS}).")
@seed_option
@click.option("--map", "mapped", multiple=True, metavar="OLD=NEW", help="A field of A that has a different name in B.")
@jobs_option
@on_option
@figure_option
@report_option
@trust_option
@color_option
def command(
    first: str, second: str, paths: tuple[str, ...], explore: bool, walks: int | None, seed: int, mapped: tuple[str, ...],
    jobs: str | None, on: str, figure: str, reports: tuple[Wanted, ...], trust: bool | None, color: str,
) -> None:  # fmt: skip
    """Run one suite on two forms (sheets or pages) and show where they differ: state, reports, messages, payload, timing.

    B may be `live`: the page that the sheet A names, in a browser (or live=firefox, live=chromium).

    Exit code: 0 no difference; 1 differences; 2 something cannot be read.

    \b
    Example:
      idlefox compare booking.form.yaml booking-new.form.yaml booking.fox --explore
      idlefox compare old.form.yaml new.form.yaml suite.fox --map contact.email=contact.mail
      idlefox compare booking.form.yaml live crossing.fox
    """
    names = dict(map(_mapping, mapped))
    console = Console(color, aside=goes_to_output(reports))
    try:
        config, trusted = begin(trust, console)
        subjects = Subjects(trust=trusted)
        files: set[str] = set()
        with noting_reads(files), reading_below((project_root(first), project_root(second))):
            live, browser = _live_side(second)
            if live and (on or jobs is not None):
                raise click.UsageError(f"{'--on' if on else '--jobs'} cannot be combined with live: one browser here runs everything")
            other = _page_of(first, browser, config.live, console, trusted) if live else subjects.load(second, ".")
            forms = [subjects.load(first, "."), other]
        roots = (project_root(first),)
        suite = _suite(paths, RunOptions(subject=first, trust=trusted, project=config.folder, roots=roots), console)
        with noting_reads(files):
            ready = [load_script(each, suite.wishes, subjects) for each in suite.chosen]
        if not explore and not any(script.scenarios for script in ready):
            raise click.UsageError("nothing to run: name scripts, or use --explore")
        number = (LIVE_WALKS if live else WALKS) if walks is None else walks
        comparing, sides = CompareStudy(forms[0], forms[1], ready, names), ComparedForms(first, second, suite, tuple(names.items()))
        wished = (sides.first, sides.second, suite.chosen, sides.names, explore, number, seed)
        work = HERE if live else with_notes(work_of(jobs, on, config), "compare", wished, files, console)
        with reading_below(roots), Ticker(quiet=console.aside) as ticker:
            told = lambda done, of: ticker.tell(f"{done} of {of} done")  # noqa: E731
            found = compare(comparing, sides, explore=explore, walks=number, seed=seed, work=work, told=told)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    console.lines(_lines(found, console.width()))
    title = f"{os.path.basename(first)} and {os.path.basename(second)}"
    if figure:
        draw_sums(figure, lambda: _page(found, title), console)
    fine = write(reports, found.as_json, lambda: _page(found, title), console)
    raise SystemExit(2 if not fine else 1 if found.groups or found.left_out else 0)


def _live_side(name: str) -> tuple[bool, str]:
    """Return whether the second side is a page in a browser, and which browser."""
    word, _, browser = name.partition("=")
    return word == "live" and not os.path.exists(name), browser or "auto"


def _page_of(sheet: str, browser: str, configured: dict[str, Any], console: Console, trust: bool) -> Loaded:
    """The page that *sheet* names, in a browser. Raises Unreadable."""
    loaded = Subjects(outside=outside_of(browser, {}, configured, console, trust=trust)).load(sheet, ".")
    if loaded.make_ready is not None:
        loaded.make_ready()
    return loaded


def _page(found: Comparison, title: str) -> StudyPage:
    from ..report.study_page import compare_page

    return compare_page(found, title, lambda value: plain(_value(value)))


def _mapping(text: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    old, mark, new = text.partition("=")
    paths = [tuple(str(each) for each in parse_address(part) or ()) for part in (old, new)]
    if not mark or not all(paths):
        raise click.UsageError(plain(f"--map needs two addresses, for example contact.email=contact.mail, not {text!r}"))
    return paths[0], paths[1]


def _suite(paths: tuple[str, ...], wishes: RunOptions, console: Console) -> Suite:
    chosen, problems = choose(paths, (), console) if paths else ([], [])
    if problems:
        raise Unreadable(problems)
    return Suite(tuple(chosen), wishes)


def _lines(found: Comparison, width: int) -> list[Line]:
    lines: list[Line] = []
    for each, times in found.groups:
        where = f"{each.address} {each.what}" if each.address else each.what
        done = " / ".join(map(on_one_line, each.steps)) or each.step
        lines += hanging(f" {plain(each.scenario)}   after: ", plain(done), width, "strong")
        lines += hanging(f"   {each.layer:<9} ", plain(where), width, "bad")
        lines += hanging("       A  ", plain(_value(each.first)), width, "")
        lines += hanging("       B  ", plain(_value(each.second)), width, "")
        lines += [[(f"   and {times - 1} more like this", "dim")]] if times > 1 else []
        lines.append([])
    for scenario, reason in found.left_out:
        lines += [[(f" {plain(scenario)}", "strong"), ("   not possible on B", "bad")], *hanging("   ", plain(reason), width), []]
    for kind in found.unable:
        lines += [[(f" {plain(kind)}", "strong"), ("   not possible on B at all; walks with this step were left out", "dim")], []]
    sums = [f"{layer} {count}" for layer in LAYERS if (count := sum(each.example.layer == layer for each in found.groups))]
    played = f"{found.scenarios} scenarios, {found.walks} walks, {found.states} states"
    if not found.groups and not found.left_out:
        return [*lines, [(f" no difference in {played}", "good")]]
    count = len(found.groups)
    odd = [*([f"{count} difference{'' if count == 1 else 's'} ({', '.join(sums)})"] if sums else [])]
    odd += [f"{len(found.left_out)} not possible on B"] if found.left_out else []
    return [*lines, [(f" {'; '.join(odd)}", "bad"), (f"   of {played}", "dim")]]


def _value(value: object) -> str:
    return value if isinstance(value, str) and not value.startswith('"') else written(list(value) if isinstance(value, tuple) else value)

