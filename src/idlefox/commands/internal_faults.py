"""The end of a command: reports of internal faults, with the details in a file, and of lost output."""

from __future__ import annotations

import os
import sys
from typing import Any

import click

from .. import __version__

LOST: list[str] = []  # reasons why output was lost


def drop_output(stream: Any) -> None:
    """Redirect further output of *stream* to nowhere, so that exit does not complain."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())


def stand_in_for_closed_streams() -> None:
    """Put a stream that fails with an OSError instead of each standard stream that is closed.

    Otherwise the next file that is opened would take its number, and what is printed would end up in that file.
    """
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        if getattr(sys, name) is None:
            opened = os.open(os.devnull, os.O_RDONLY if number else os.O_WRONLY)  # the wrong way round: it fails
            if opened != number:
                os.dup2(opened, number)
                os.close(opened)
            setattr(sys, name, open(number, "w" if number else "r", encoding="utf-8", closefd=False))  # noqa: SIM115


def internal_fault(name: str, details: str) -> int:
    """Report of a fault called *name* and writes *details* to a file. The exit code."""
    import tempfile

    try:
        click.echo(f"idlefox: an internal fault ({name}): this is a bug in Idle Fox", err=True)
    except OSError:
        drop_output(sys.stderr)
    try:
        with tempfile.NamedTemporaryFile("wb", prefix="idlefox-fault-", suffix=".txt", delete=False) as handle:
            text = f"idlefox {__version__}, Python {sys.version}\n{' '.join(sys.argv)}\n\n{details}"
            handle.write(text.encode("utf-8", "backslashreplace"))
    except OSError:
        click.echo(f"→ please report it with these details:\n{details}", err=True)
    else:
        click.echo(f"→ please report it with the details in {handle.name}", err=True)
    return 3
