"""`idlefox language-server`: the language server for editors."""

from __future__ import annotations

import click


@click.command("language-server")
def command() -> None:
    """Run the language server (LSP 3.17 over standard input and output). Your editor starts it.

    Scripts (*.fox) and sheets (*.form.yaml): diagnostics, completion, hover, definitions, references, renaming, outline,
    formatting, folding, running a scenario, quick fixes. docs/editors.md explains how to set up an editor.

    \b
    Example:
      pip install 'idle-fox[editor]'
      idlefox language-server
    """
    try:
        from ..editor.server import server
    except ImportError:
        raise click.UsageError("language-server needs a library that is not installed: pip install 'idle-fox[editor]'") from None
    server.start_io()
