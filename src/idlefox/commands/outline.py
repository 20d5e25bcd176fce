"""`idlefox outline`: lists a form's fields, rules and messages."""

from __future__ import annotations

import click

from ..playing.subjects import read_form
from ..problems import Unreadable
from ..report.outline import outline_lines
from ..roots import project_root, reading_below
from . import completing
from .console import Console
from .options import color_option


@click.command("outline")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@color_option
def command(form: str, color: str) -> None:
    """List a form's fields with types, initial values, rules, messages and conditions, and its server.

    \b
    Example:
      idlefox outline booking.form.yaml
      idlefox outline page.html#lost-property
    """
    console = Console(color)
    try:
        with reading_below((project_root(form),)):
            model = read_form(form)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    console.lines(outline_lines(model, console.width()))
