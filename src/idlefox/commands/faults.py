"""Faults of our own: told in one line, with all that is known of them in a file to report."""

from __future__ import annotations

import sys

import click

from .. import __version__


def internal_fault(name: str, details: str) -> int:
    """Tells of a fault called *name* and writes *details* to a file. The exit code."""
    import tempfile

    click.echo(f"idlefox: an internal fault ({name}): this is our mistake, not yours", err=True)
    try:
        with tempfile.NamedTemporaryFile("wb", prefix="idlefox-fault-", suffix=".txt", delete=False) as handle:
            text = f"idlefox {__version__}, Python {sys.version}\n{' '.join(sys.argv)}\n\n{details}"
            handle.write(text.encode("utf-8", "backslashreplace"))
    except OSError:
        click.echo(f"→ please report it, with these details:\n{details}", err=True)
    else:
        click.echo(f"→ please report it, with the details in {handle.name}", err=True)
    return 3
