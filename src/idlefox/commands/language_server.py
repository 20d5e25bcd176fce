"""`idlefox language-server`: help in an editor, by the Language Server Protocol."""

from __future__ import annotations

import click


@click.command("language-server")
def command() -> None:
    """Speak the Language Server Protocol (3.17) over standard input and output; an editor starts this.

    Scripts (*.fox) and sheets (*.form.yaml): diagnostics, completion, hover, definitions, references, renaming, outline,
    formatting, folding, playing a scenario, quick fixes. How to set up an editor: docs/editors.md.

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
