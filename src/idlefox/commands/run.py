"""`idlefox run`: runs scripts and reports which scenarios passed."""

from __future__ import annotations

import signal
from collections.abc import Callable
from typing import Any

import click

from ..playing.player import RunOptions
from ..playing.results import Run
from ..playing.select import ScenarioFilter, SelectedScript
from ..playing.tags import TagError, read_tags
from ..problems import Problem, Unreadable
from ..report.styled import plain
from . import completing
from .config import Config, far_report, further_roots, read_config, trusts
from .console import Console
from .internal_faults import internal_fault
from .last_run import Fallen, keep_last, only_fallen, read_last
from .live_options import outside_of, served
from .options import Number, color_option, combined, live_options, subject_option, trust_option
from .playing import OutputOptions, choose, list_scenarios, play
from .reports import Wanted, one_at_most, report_of, write_reports
from .work_options import jobs_option, on_option, work_of

_subject_options = combined(
    subject_option,
    click.option("--root", "roots", multiple=True, metavar="DIR", help="Also allow scripts and sheets to use files below DIR."),
    trust_option,
)
_live_options = combined(
    live_options,
    click.option("--retries", default=None, type=Number(), metavar="N", help="With --live: retry a failing scenario up to N times."),
    click.option("--unsteady", type=click.Choice(["pass", "fail"]), default="pass",
                 help="How to count scenarios that pass only on a retry."),
)  # fmt: skip
_choice_options = combined(
    click.option("--tag", "tags", multiple=True, metavar="TAGS", shell_complete=completing.tags,
                 help="Only scenarios with this tag, or matching 'a and not (b or c)'."),
    click.option("--match", default="", metavar="TEXT", help="Only scenarios whose title contains TEXT."),
    click.option("--failed", is_flag=True, help="Only scenarios that failed in the last run in this folder."),
    click.option("--shard", default=None, metavar="K/N",
                 help="Run part K of N. Adding a scenario never moves another one to a different part."),
    click.option("--list", "listing", is_flag=True, help="List the scenarios that would run, without running them."),
)
_order_options = combined(
    click.option("--order", type=click.Choice(["given", "shuffled"]), default="given", help="The order in which scenarios run."),
    click.option("--seed", type=Number(0), default=None, metavar="N", help="Repeat the shuffled order with this seed."),
    click.option("--stop-first", is_flag=True, help="Stop at the first failure."),
    click.option("--stop-after", type=Number(1), default=None, metavar="N", help="Stop after N failures."),
    jobs_option,
    on_option,
    click.option("--watch", is_flag=True, help="When a file changes, rerun the scenarios it affects, until you quit."),
)
_output_options = combined(
    click.option("--report", "reports", multiple=True, metavar="KIND=FILE",
                 help="Write a report: json, tap, xml or html; - is standard output. Can be given more than once."),
    click.option("--slowest", type=Number(1), default=None, metavar="N", help="Print the N slowest scenarios at the end."),
    click.option("--quiet", "-q", is_flag=True, help="Print failures and errors only."),
    click.option("--verbose", "-v", is_flag=True, help="Print a line for every scenario."),
    color_option,
)  # fmt: skip


@click.command("run")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.SCRIPTS)
@_choice_options
@_order_options
@_output_options
@_subject_options
@_live_options
def command(paths: tuple[str, ...], **given: Any) -> None:
    """Run scripts: files, folders, or file.fox:LINE for the scenario (or table row) at that line.

    Exit code: 0 every scenario passed; 1 at least one failed; 2 a file or
    option is invalid; 3 internal error; 130 interrupted.

    \b
    Example:
      idlefox run booking.fox
      idlefox run forms/ --tag 'voucher and not slow' --report xml=report.xml
      idlefox run booking.fox:41 --subject other.form.yaml
      idlefox run --failed
      idlefox run - --subject booking.form.yaml < first.fox
    """
    browsers = given["live"].split(",") if given["live"] else []
    raise SystemExit(_in_each(paths, given, browsers) if len(browsers) > 1 else _run(paths, given))


def _in_each(paths: tuple[str, ...], given: dict[str, Any], browsers: list[str]) -> int:
    """Run in one browser after the other, with a report for each; the worst exit code."""
    if given["watch"] or given["listing"] or given["failed"] or paths == ("-",):
        raise click.UsageError("several browsers cannot be combined with --watch, --list, --failed or a script on standard input")
    if any(text.endswith("=-") for text in given["reports"]):
        raise click.UsageError("with several browsers, give the report a file: json=report.json writes report.firefox.json")
    codes = []
    for browser in browsers:
        Console(given["color"]).lines([[(plain(f" {browser}"), "bold")]])
        reports = tuple(_of_browser(text, browser) for text in given["reports"])
        codes.append(_run(paths, {**given, "live": browser, "reports": reports}))
    return max(codes)


def _of_browser(report: str, browser: str) -> str:
    """*report* (``KIND=FILE``) with the browser in the name of its file."""
    kind, mark, file = report.partition("=")
    stem, dot, ending = file.rpartition(".")
    return f"{kind}{mark}{stem}.{browser}{dot}{ending}" if dot else f"{kind}{mark}{file}.{browser}"


def _run(paths: tuple[str, ...], given: dict[str, Any]) -> int:
    """Run the scripts with the options *given*; the exit code."""
    config, told, wishes, wanted = _read(given)
    console = Console(given["color"], aside=any(file == "-" for _, file in wanted))
    manner = OutputOptions(given["quiet"], given["verbose"], slowest=given["slowest"] or 0, unsteady_fails=given["unsteady"] == "fail")
    signal.signal(signal.SIGTERM, _interrupt_once)  # print the results so far, write the reports
    if told and not manner.quiet:
        console.lines([[(f" {told}", "dim")]], err=not wishes.trust)
    otherwise = config.scripts or (".",)
    chosen, problems = choose(paths or otherwise, otherwise, console)
    before = read_last(config.folder)
    if given["failed"]:
        chosen, wishes = _only_failed(chosen, wishes, before, console, quiet=manner.quiet)
    if given["listing"]:
        return list_scenarios(chosen, problems, wishes, console)
    if wishes.seed is not None and not manner.quiet:
        console.lines([[(f" shuffled; to repeat this order: --order shuffled --seed {wishes.seed}", "dim")]])
    if given["watch"]:
        odd = "--report" if wanted else "--on" if wishes.work.on else "-" if paths == ("-",) else ""
        if odd:
            raise click.UsageError(f"--watch cannot be combined with {odd}")
        from .watching import watch

        return watch(paths or otherwise, otherwise, wishes, console, manner)
    run = play(chosen, problems, wishes, console, manner)
    if paths != ("-",):
        keep_last(config.folder, run.scripts, before, interrupted=run.interrupted)
    return _end(run, wanted, console)


def _end(run: Run, wanted: list[Wanted], console: Console) -> int:
    """Write the reports and the faults; the exit code."""
    written = write_reports(run, wanted, console)
    if run.faults:
        count = len(run.faults)
        internal_fault("in one place" if count == 1 else f"in {count} places", "\n\n".join(run.faults))
    return run.exit_code if written or run.exit_code > 1 else 2


def _read(given: dict[str, Any]) -> tuple[Config, str, RunOptions, list[Wanted]]:
    """Read the configuration and combine it with the options. Ends the program if they are invalid."""
    color = given["color"]
    try:
        config = read_config(".")
        trusted, told = trusts(config, given["trust"])
    except Unreadable as fault:
        raise _told(fault.problems, color) from None
    wanted = _usable("report", lambda: _reports(given["reports"] or config.reports))
    if not given["reports"] and (odd := far_report(config, wanted)) is not None:
        raise _told([odd], color)
    if given["on"] and given["live"]:
        raise click.UsageError("--on cannot be combined with --live: browsers start on this machine")
    live = {name: given[name] for name in ("show", "hands", "deadline", "retries")}
    subject = given["subject"]
    for text in given["tags"]:
        _usable("tag", lambda text=text: read_tags(text))  # type: ignore[misc]
    wishes = RunOptions(
        subject=subject if subject is not None else config.subject,
        narrowed=ScenarioFilter(given["tags"], given["match"], _usable("shard", lambda: _shard(given["shard"]))),
        stop_after=given["stop_after"] or int(given["stop_first"]),
        seed=_seed(given["order"], given["seed"]),
        trust=trusted,
        apart=trusted and given["live"] is None,
        work=work_of(given["jobs"], given["on"], config),
        project=config.folder,
        stories=any(kind == "html" for kind, _ in wanted),
        outside=outside_of(given["live"], live, config.live, Console(color), trust=trusted),
        served=served,
        roots=further_roots(given["roots"], subject),
    )
    return config, told, wishes, wanted


def _told(problems: tuple[Problem, ...] | list[Problem], color: str) -> SystemExit:
    Console(color).problems(problems)
    return SystemExit(2)


def _usable(option: str, read: Callable[[], Any]) -> Any:
    """Return the result of *read*. A ValueError becomes an error of *option*."""
    try:
        return read()
    except TagError as fault:
        raise click.UsageError(plain(f"--{option}: {fault}; for example 'voucher and not (slow or old)'")) from None
    except ValueError as fault:
        raise click.UsageError(f"--{option}: {fault}") from None


def _reports(texts: tuple[str, ...]) -> list[Wanted]:
    wanted = [report_of(text) for text in texts]
    one_at_most(wanted)
    return wanted


def _shard(text: str | None) -> tuple[int, int]:
    if text is None:
        return (1, 1)
    part, mark, parts = text.partition("/")
    if not (mark and part.isascii() and part.isdigit() and parts.isascii() and parts.isdigit() and 0 < int(part) <= int(parts) <= 10_000):
        raise ValueError(plain(f"--shard needs K/N, for example 2/5 for the second of five parts, not {text!r}"))
    return int(part), int(parts)


def _seed(order: str, seed: int | None) -> int | None:
    if order == "given":
        if seed is not None:
            raise click.UsageError("--seed needs --order shuffled")
        return None
    import random

    return random.SystemRandom().randrange(1_000_000) if seed is None else seed


def _only_failed(
    chosen: list[SelectedScript], wishes: RunOptions, before: Fallen | None, console: Console, *, quiet: bool
) -> tuple[list[SelectedScript], RunOptions]:
    """Select the failures of the last run; everything if there was none. Ends the program if there is nothing to do."""
    if before is None:
        if not quiet:
            console.lines([[(" no last run in this folder, so every scenario runs", "dim")]])
        return chosen, wishes
    fallen = only_fallen(chosen, before, wishes.project)
    if not fallen:
        if not quiet:
            console.text(" nothing to do: every scenario of the last run passed")
        raise SystemExit(0)
    return fallen, wishes._replace(narrowed=wishes.narrowed._replace(only=before))


def _interrupt_once(number: int, frame: object) -> None:
    """Interrupt the run. The signal may come again, from whoever sends it to a process and then to its group: that counts once."""
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    raise KeyboardInterrupt
