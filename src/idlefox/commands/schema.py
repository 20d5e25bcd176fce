"""`idlefox schema`: the sheet's JSON Schema, for editors."""

from __future__ import annotations

import click

from ..forms.sheet.check import schema_text


@click.command("schema")
def command() -> None:
    """Print the JSON Schema (2020-12) of the form sheet, so that an editor completes and checks it.

    \b
    Example:
      idlefox schema > sheet.schema.json
    """
    click.echo(schema_text())
