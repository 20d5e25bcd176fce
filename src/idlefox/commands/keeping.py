"""Keeps scenarios that a study has made: appends them to a script."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable

import click

from ..problems import Unreadable, read_text
from ..report.styled import plain
from .console import Console
from .files import why, write_bytes_whole


def keep(file: str, makers: Iterable[Callable[[str | None], str | None]], console: Console) -> None:
    """Append to the script *file* with each of *makers*, which get its text (None if it is missing), and print how many scenarios
    were added.

    A maker returns None if it has nothing to add. If *file* cannot be read or written, print the error and exit.
    """
    count = 0
    try:
        for make in makers:
            made = make(read_text(file) if os.path.exists(file) else None)
            if made is not None:
                write_bytes_whole(file, [made.encode("utf-8")])
                count += 1
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    except OSError as fault:
        raise click.ClickException(plain(f"cannot write {file}: {why(fault)}")) from None
    console.lines([[(f" {count} scenario{'' if count == 1 else 's'} added to {plain(file)}", "good")]])
