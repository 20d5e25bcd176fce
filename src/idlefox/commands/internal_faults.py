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


def internal_fault(name: str, details: str) -> int:
    """Report of a fault called *name* and writes *details* to a file. The exit code."""
    import tempfile

    click.echo(f"idlefox: an internal fault ({name}): this is a bug in Idle Fox", err=True)
    try:
        with tempfile.NamedTemporaryFile("wb", prefix="idlefox-fault-", suffix=".txt", delete=False) as handle:
            text = f"idlefox {__version__}, Python {sys.version}\n{' '.join(sys.argv)}\n\n{details}"
            handle.write(text.encode("utf-8", "backslashreplace"))
    except OSError:
        click.echo(f"→ please report it with these details:\n{details}", err=True)
    else:
        click.echo(f"→ please report it with the details in {handle.name}", err=True)
    return 3
