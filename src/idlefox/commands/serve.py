"""`idlefox serve`: serves a sheet on loopback, as a generated page or as the backend of a page."""

from __future__ import annotations

import asyncio
import os
from typing import TYPE_CHECKING

import click

from ..forms.sheet.read import read_sheet
from ..forms.values.durations import parse_instant
from ..playing.kinds import misplaced
from ..problems import Place, Problem, Unreadable, near_file
from ..report.styled import plain
from ..roots import project_root, reading_below
from . import completing
from .console import Console
from .files import why
from .options import Number, color_option

if TYPE_CHECKING:
    from ..forms.model.form import Form
    from ..live.messages import Request
    from ..live.servers.clock import Clock


class _Instant(click.ParamType):  # type: ignore[type-arg]
    name = "instant"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> int | None:
        found = parse_instant(str(value))
        if found is None:
            self.fail(f"{value!r} is not an RFC 3339 time, for example 2031-05-02T09:00:00Z", param, ctx)
        return found


@click.command("serve")
@click.argument("sheet", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--page", default="", metavar="FILE", help="Serve this page with the sheet as its backend, instead of a generated page.")
@click.option("--port", default=0, type=Number(0, 65535), metavar="N", help="Port to listen on (default: any free port).")
@click.option("--clock", type=_Instant(), metavar="INSTANT", help="Start time of the virtual clock, for example 2031-05-02T09:00:00Z.")
@click.option("--at-once", is_flag=True, help="Reply immediately and freeze the clock.")
@color_option
def command(sheet: str, page: str, port: int, clock: int | None, at_once: bool, color: str) -> None:
    """Serve a sheet on 127.0.0.1, as a generated page without scripts or, with --page, as the backend of your own page.

    Replies take as long as the sheet says. Submissions are kept until the server stops (Ctrl-C).

    \b
    Example:
      idlefox serve booking.form.yaml
      idlefox serve booking.form.yaml --clock 2031-05-02T09:00:00Z --at-once
      idlefox serve booking.form.yaml --page booking.html --port 8000
    """
    console = Console(color)
    try:
        with reading_below((project_root(sheet),)):
            form = _form(sheet, page)
        if page and not os.path.isfile(page):
            raise Unreadable([Problem(Place(page, 1, 1), "page not found", near_file(page, page))])
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    from ..live.servers.clock import Clock

    try:
        asyncio.run(_serve(form, page, port, Clock(clock, at_once=at_once), console))
    except KeyboardInterrupt:
        console.text(" ended")
    except OSError as fault:
        raise click.ClickException(plain(f"cannot listen on port {port}: {why(fault)}")) from None


def _form(sheet: str, page: str) -> Form:
    from ..live.loading import needs_libraries

    needs_libraries("serve")
    odd = misplaced(sheet, "sheet")
    if odd is not None:
        raise Unreadable([odd])
    form = read_sheet(sheet)
    if form.python:
        raise Unreadable([Problem(Place(sheet, 1, 1), "serve does not support sheets with Python rules", "remove the Python rules")])
    if form.page is not None and not page:
        remedy = f"serve that page with the sheet as its backend: --page {form.page.file}"
        raise Unreadable([Problem(Place(sheet, 1, 1), "this sheet describes an existing page, so serve does not generate one", remedy)])
    return form


async def _serve(form: Form, page: str, port: int, clock: Clock, console: Console) -> None:
    from ..live.servers.serving import FormServer, HttpServer, PageServer

    def tell(request: Request, status: int) -> None:
        console.text(plain(f" {request.method} {request.target} {status or 'lost'}"))

    server = HttpServer(PageServer(form, page, clock) if page else FormServer(form, clock), tell)
    url = await server.start(port)
    console.text(plain(f" {form.label} is served at"))
    console.text(plain(f" {url}"))
    console.text(" Press Ctrl-C to stop.")
    try:
        await asyncio.Event().wait()
    finally:
        await server.stop()
