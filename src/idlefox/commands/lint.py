"""`idlefox lint`: finds mistakes in scripts, sheets and pages that a run would not stop at."""

from __future__ import annotations

import click

from .. import __version__
from ..problems import Unreadable, listed, suggestion
from ..report.findings import code_lines, finding_lines, findings_json, findings_sarif
from ..report.styled import plain
from ..study.lint.findings import codes
from ..study.lint.look import look_through
from . import completing
from .config import read_config
from .console import Console
from .options import color_option
from .reports import write_report

_KINDS = {"json": findings_json, "sarif": findings_sarif}


@click.command("lint")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.ALL)
@click.option("--report", "reports", multiple=True, metavar="KIND=FILE", help="Write a report: json or sarif; - is standard output.")
@click.option("--only", default="", metavar="CODE,…", shell_complete=completing.codes, help="Report only these codes.")
@click.option("--except", "left_out", default="", metavar="CODE,…", shell_complete=completing.codes, help="Leave out these codes.")
@click.option("--explain", default="", metavar="CODE", shell_complete=completing.codes,
              help="Explain a code, with examples.")
@color_option
def command(paths: tuple[str, ...], reports: tuple[str, ...], only: str, left_out: str, explain: str, color: str) -> None:
    """Check scripts, sheets and pages, and whatever sheets and pages the scripts name.

    Folders are searched for scripts and sheets. To silence a finding, add a comment with a reason at the end of
    the line or on the line above: # lint: allow CODE, reason

    Exit code: 0 no findings; 1 at least one finding; 2 something cannot be read.

    \b
    Example:
      idlefox lint
      idlefox lint forms/ --except silent-rule --report sarif=lint.sarif
      idlefox lint --explain same-message
    """
    wanted = [_report(text) for text in reports]
    console = Console(color, aside=any(file == "-" for _, file in wanted))
    if explain:
        console.lines(code_lines(codes()[_code(explain)], console.width()))
        return
    try:
        config = read_config(".")
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    chosen, without = _codes(only), {*_codes(left_out), *map(_code, config.lint)}
    looked = look_through(paths or config.scripts or (".",))
    findings = [f for f in looked.findings if (not chosen or f.code in chosen) and f.code not in without]
    for finding in findings:
        console.lines(finding_lines(finding, console.width()))
    console.problems(looked.problems)
    count, files = len(findings), len(looked.files)
    odd = f", {len(looked.problems)} error{'' if len(looked.problems) == 1 else 's'}" if looked.problems else ""
    told = f" {count or 'no'} finding{'' if count == 1 else 's'} in {files} file{'' if files == 1 else 's'}{odd}"
    console.lines([[(told, "bad" if count or odd else "good")]])
    written = [write_report(file, [_KINDS[kind](findings, __version__)], console) for kind, file in wanted]
    raise SystemExit(2 if looked.problems or not all(written) else 1 if findings else 0)


def _report(text: str) -> tuple[str, str]:
    kind, mark, file = text.partition("=")
    if not mark or not file or kind not in _KINDS:
        raise click.UsageError(plain(f"--report needs json=FILE or sarif=FILE, not {text!r}"))
    return kind, file


def _codes(text: str) -> set[str]:
    return {_code(each.strip()) for each in text.split(",") if each.strip()}


def _code(text: str) -> str:
    if text not in codes():
        raise click.UsageError(plain(f"unknown code {text!r}; {suggestion(text, codes(), f'the codes are {listed(codes(), most=30)}')}"))
    return text
