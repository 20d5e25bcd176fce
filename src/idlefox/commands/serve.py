"""`idlefox serve`: a sheet as the server of a page, on loopback."""

from __future__ import annotations

import asyncio
import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..forms.sheet.read import read_sheet
from ..play.kinds import misplaced
from ..play.player import Wishes
from ..problems import Place, Problem, Unreadable, near_file
from ..report.styled import plain
from ..roots import reading_below
from .config import read_config
from .console import Console
from .files import why

if TYPE_CHECKING:
    from ..forms.model.form import Form
    from ..live.messages import Request


@click.command("serve")
@click.argument("sheet", type=click.Path())
@click.option("--page", default="", metavar="FILE", help="The page to serve, instead of the one that the sheet names under live:.")
@click.option("--port", default=0, type=click.IntRange(0, 65535), metavar="N", help="Listen at this port; by default at any that is free.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
def command(sheet: str, page: str, port: int, color: str) -> None:
    """Serve a page on 127.0.0.1, with the sheet's lookups and server as what it asks. For building a page before its backend is there.

    Answers come after the time that the sheet gives them; what is sent is kept while it runs. Ctrl-C ends it.

    \b
    Example:
      idlefox serve booking.form.yaml
      idlefox serve booking.form.yaml --page draft.html --port 8000
    """
    console = Console(color)
    try:
        with reading_below(Wishes(project=read_config(".").folder).roots_for(sheet)):
            form = _form(sheet)
            file = page or _page_of(form)
        if not os.path.isfile(file):
            raise Unreadable([Problem(Place(file, 1, 1), "there is no such page", near_file(file, file))])
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    try:
        asyncio.run(_serve(form, file, port, console))
    except KeyboardInterrupt:
        console.text(" ended")
    except OSError as fault:
        raise click.ClickException(plain(f"port {port} cannot be listened at: {why(fault)}")) from None


def _form(sheet: str) -> Form:
    from ..live.loading import needs_libraries

    needs_libraries("serve")
    odd = misplaced(sheet, "sheet")
    if odd is not None:
        raise Unreadable([odd])
    form = read_sheet(sheet)
    if form.python:
        raise Unreadable([Problem(Place(sheet, 1, 1), "this sheet runs Python code, which is not served", "leave its python rules out")])
    return form


def _page_of(form: Form) -> str:
    """The HTML file that *form* names under `live:`. Raises Unreadable."""
    live = form.live
    if live is None or "://" in live.page:
        cause = "this sheet names no page of its own to serve" if live is None else f"{live.page} is served by somebody else"
        raise Unreadable([Problem(Place(form.file, 1, 1), cause, "name a file: --page app.html, or live: {page: app.html}")])
    return str(Path(form.file).parent / live.page.partition("#")[0])


async def _serve(form: Form, page: str, port: int, console: Console) -> None:
    from ..live.serving import PageServer

    def tell(request: Request, status: int) -> None:
        console.text(plain(f" {request.method} {request.target} {status or 'lost'}"))

    server = PageServer(form, page, tell)
    url = await server.start(port)
    console.text(plain(f" {form.label} is at {url}; Ctrl-C ends it"))
    try:
        await asyncio.Event().wait()
    finally:
        await server.stop()
