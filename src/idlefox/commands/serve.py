"""`idlefox serve`: a sheet as the server of a page, on loopback."""

from __future__ import annotations

import asyncio
import os
from typing import TYPE_CHECKING

import click

from ..forms.sheet.read import read_sheet
from ..forms.values.durations import parse_instant
from ..playing.kinds import misplaced
from ..playing.player import Wishes
from ..problems import Place, Problem, Unreadable, near_file
from ..report.styled import plain
from ..roots import reading_below
from . import completing
from .config import read_config
from .console import Console
from .files import why

if TYPE_CHECKING:
    from ..forms.model.form import Form
    from ..live.clock import Clock
    from ..live.messages import Request


class _Instant(click.ParamType):  # type: ignore[type-arg]
    name = "instant"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> int | None:
        found = parse_instant(str(value))
        if found is None:
            self.fail(f"{value!r} is no RFC 3339 time; write it as in 2031-05-02T09:00:00Z", param, ctx)
        return found


@click.command("serve")
@click.argument("sheet", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--page", default="", metavar="FILE", help="Serve this page, with the sheet as what it asks, instead of one that is drawn.")
@click.option("--port", default=0, type=click.IntRange(0, 65535), metavar="N", help="Listen at this port; by default at any that is free.")
@click.option("--clock", type=_Instant(), metavar="INSTANT", help="What time it is there at first, as in 2031-05-02T09:00:00Z.")
@click.option("--at-once", is_flag=True, help="Answers take no time, and the clock stands.")
@click.option("--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="Colours; auto heeds NO_COLOR.")
def command(sheet: str, page: str, port: int, clock: int | None, at_once: bool, color: str) -> None:
    """Serve a sheet on 127.0.0.1: drawn as a page that needs no scripts, or with --page as what a page of yours asks.

    Answers come after the time that the sheet gives them; what is sent is kept while it runs. Ctrl-C ends it.

    \b
    Example:
      idlefox serve booking.form.yaml
      idlefox serve booking.form.yaml --clock 2031-05-02T09:00:00Z --at-once
      idlefox serve booking.form.yaml --page booking.html --port 8000
    """
    console = Console(color)
    try:
        with reading_below(Wishes(project=read_config(".").folder).roots_for(sheet)):
            form = _form(sheet, page)
        if page and not os.path.isfile(page):
            raise Unreadable([Problem(Place(page, 1, 1), "there is no such page", near_file(page, page))])
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    from ..live.clock import Clock

    try:
        asyncio.run(_serve(form, page, port, Clock(clock, at_once=at_once), console))
    except KeyboardInterrupt:
        console.text(" ended")
    except OSError as fault:
        raise click.ClickException(plain(f"port {port} cannot be listened at: {why(fault)}")) from None


def _form(sheet: str, page: str) -> Form:
    from ..live.loading import needs_libraries

    needs_libraries("serve")
    odd = misplaced(sheet, "sheet")
    if odd is not None:
        raise Unreadable([odd])
    form = read_sheet(sheet)
    if form.python:
        raise Unreadable([Problem(Place(sheet, 1, 1), "this sheet runs Python code, which is not served", "leave its python rules out")])
    if form.page is not None and not page:
        remedy = f"serve that, with the sheet as what it asks: --page {form.page.file}"
        raise Unreadable([Problem(Place(sheet, 1, 1), "this sheet lies over a page, which draws itself", remedy)])
    return form


async def _serve(form: Form, page: str, port: int, clock: Clock, console: Console) -> None:
    from ..live.serving import FormServer, PageServer, Server

    def tell(request: Request, status: int) -> None:
        console.text(plain(f" {request.method} {request.target} {status or 'lost'}"))

    server = Server(PageServer(form, page, clock) if page else FormServer(form, clock), tell)
    url = await server.start(port)
    console.text(plain(f" {form.label} is at {url}; Ctrl-C ends it"))
    try:
        await asyncio.Event().wait()
    finally:
        await server.stop()
