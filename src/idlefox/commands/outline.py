"""`idlefox outline`: lists a form's fields, rules and messages."""

from __future__ import annotations

import click

from ..forms.model.form import Form
from ..playing.subjects import read_form
from ..problems import CALL, Place, Problem, Unreadable
from ..report.outline import outline_lines
from ..roots import project_root, reading_below
from . import completing
from .console import Console
from .options import color_option
from .study_reports import draw, figure_file


@click.command("outline")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--live", is_flag=True, help="With --figure: the page that the sheet names, in a browser.")
@click.option("--figure", default="", callback=figure_file, metavar="FILE",
              help="Draw the running page with a frame on every part that is found: .png, .svg or .pdf.")  # fmt: skip
@color_option
def command(form: str, live: bool, figure: str, color: str) -> None:
    """List a form's fields with types, initial values, rules, messages and conditions, and its server.

    FORM is a sheet, a page.html#form-id, or the URL of a running page, which a browser opens and reads.

    \b
    Example:
      idlefox outline booking.form.yaml
      idlefox outline page.html#lost-property
      idlefox outline http://127.0.0.1:8000/booking --figure page.png
    """
    console = Console(color)
    try:
        if "://" in form or figure or live:
            _running(form, figure, live, console)
            return
        with reading_below((project_root(form),)):
            model = read_form(form)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    console.lines(outline_lines(model, console.width()))


def _running(name: str, figure: str, live: bool, console: Console) -> None:
    """Outline a page as it runs. Raises Unreadable."""
    from .scaffold import sheet_of_running, surveying

    sheet = name.endswith((".yaml", ".yml"))
    if sheet and not (live and figure):
        raise Unreadable([Problem(Place("--figure", 1, 1), "a figure shows a running page", "add --live --figure FILE", code=CALL)])
    with surveying(name, ".") as surveyor:
        if sheet:
            model: Form = read_form(name)
            if model.live is None:
                remedy = "add it to the sheet, for example live: {page: booking.html}"
                raise Unreadable([Problem(Place(name, 1, 1), "this sheet does not name its page", remedy)])
        else:
            model = sheet_of_running(surveyor, name, ".")[1]
        console.lines(outline_lines(model, console.width()))
        if figure:
            from ..report.page_figure import page_figure

            picture, frames = surveyor.framed(model)
            draw(figure, lambda kind: page_figure(picture, frames, f"{model.label}: what is found on the page", kind), console)
