"""`idlefox format`: scripts in the one layout."""

from __future__ import annotations

import click

from ..playing.select import choose_files
from ..problems import CALL, Place, Problem, Unreadable, read_bytes
from ..report.styled import plain
from ..script.reader import read_script, read_script_text
from ..script.writer import write_script
from . import completing
from .console import Console
from .files import why, write_whole


@click.command("format")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.ALL)
@click.option("--check", is_flag=True, help="Change nothing; exit with 1 if a script is laid out otherwise.")
def command(paths: tuple[str, ...], check: bool) -> None:
    """Lay scripts out in the one way: four spaces, tables in columns. Comments and blank lines stay.

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
            console.text(plain(f"{each.file} is laid out otherwise"))
            code = max(code, 1)
            continue
        try:
            write_whole(each.file, text)
        except OSError as fault:
            console.problems([Problem(Place(each.file, 1, 1), f"the script cannot be written: {why(fault)}", "it is as it was", code=CALL)])
            code = 2
        else:
            console.text(plain(f"{each.file} laid out"))
    raise SystemExit(code)


def _format_piped(console: Console, check: bool) -> int:
    """A script from standard input, laid out on standard output."""
    try:
        text = console.piped("-")
        laid_out = write_script(read_script_text(text, "-"))
    except Unreadable as fault:
        console.problems(fault.problems)
        return 2
    if not check:
        console.text(laid_out, newline=False)
    return int(check and laid_out != text)
