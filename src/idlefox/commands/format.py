"""`idlefox format`: formats scripts."""

from __future__ import annotations

import click

from ..playing.select import choose_files
from ..problems import CALL, Place, Problem, Unreadable, read_bytes
from ..report.styled import Line, plain
from ..script.reader import read_script, read_script_text
from ..script.writer import write_script
from . import completing
from .console import Console
from .files import why, write_whole

_MOST_CHANGED = 12  # lines that `--check` prints of a script


@click.command("format")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.ALL)
@click.option("--check", is_flag=True, help="Change nothing; exit 1 if a script is not formatted.")
def command(paths: tuple[str, ...], check: bool) -> None:
    """Format scripts: four spaces of indentation, tables in columns. Comments and blank lines stay.

    \b
    Example:
      idlefox format booking.fox
      idlefox format --check forms/
      idlefox format - < booking.fox
    """
    console = Console()
    if paths == ("-",):
        raise SystemExit(_format_piped(console, check))
    chosen, problems = choose_files(paths or (".",))
    console.problems(problems)
    code = 2 if problems else 0
    for each in chosen:
        try:
            script = read_script(each.file)
        except Unreadable as fault:
            console.problems(fault.problems)
            code = 2
            continue
        text = write_script(script)
        if read_bytes(each.file) == text.encode("utf-8", "backslashreplace"):
            continue
        if check:
            console.lines(_difference(each.file, text))
            code = max(code, 1)
            continue
        try:
            write_whole(each.file, text)
        except OSError as fault:
            cause = f"cannot write the script: {why(fault)}"
            console.problems([Problem(Place(each.file, 1, 1), cause, "the file is unchanged", code=CALL)])
            code = 2
        else:
            console.text(plain(f"formatted {each.file}"))
    raise SystemExit(code)


def _difference(file: str, formatted: str) -> list[Line]:
    """Return the output of `--check` for a script: its name and the first lines that would change."""
    from difflib import unified_diff

    written = read_bytes(file).decode("utf-8", "replace")
    changed = list(unified_diff(written.splitlines(), formatted.splitlines(), n=0, lineterm=""))[2:]
    lines: list[Line] = [[(f"{plain(file)} would be reformatted", "strong")]]
    lines += [[(f"  {plain(line)}", {"-": "bad", "+": "good"}.get(line[:1], "dim"))] for line in changed[:_MOST_CHANGED]]
    if len(changed) > _MOST_CHANGED:
        lines.append([(f"  and {len(changed) - _MOST_CHANGED} more lines", "dim")])
    return lines or [[(f"{plain(file)}: line ends", "")]]


def _format_piped(console: Console, check: bool) -> int:
    """Format a script from standard input and print it."""
    try:
        text = console.piped("-")
        laid_out = write_script(read_script_text(text, "-"))
    except Unreadable as fault:
        console.problems(fault.problems)
        return 2
    if not check:
        console.text(laid_out, newline=False)
    return int(check and laid_out != text)
