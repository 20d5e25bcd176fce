"""`idlefox schema`: prints the JSON Schema of sheets or of a JSON report."""

from __future__ import annotations

from importlib import resources

import click

from ..forms.sheet.check import schema_text

_OUTPUTS = ("report", "trace")


@click.command("schema")
@click.option("--of", "what", type=click.Choice(["sheet", *_OUTPUTS]), default="sheet", help="Which schema to print (default: sheet).")
def command(what: str) -> None:
    """Print a JSON Schema (2020-12): of sheets, so that editors can complete and check them, or of a JSON report.

    \b
    Example:
      idlefox schema > sheet.schema.json
      idlefox schema --of report
    """
    click.echo(schema_text() if what == "sheet" else resources.files("idlefox.report").joinpath(f"{what}.schema.json").read_text("utf-8"))
