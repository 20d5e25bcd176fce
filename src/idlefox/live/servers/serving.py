"""A sheet as a server on loopback: as a generated page, or as the backend of a page."""

from __future__ import annotations

import asyncio
import os
import tempfile
from collections.abc import Callable
from typing import Protocol

from ...engine.compile.compiler import compile_form
from ...engine.session.session import SessionFactory
from ...forms.model.form import Form
from ...forms.model.live import LivePage
from ..messages import Request, Response
from .backend import NEVER, PageBackend
from .clock import Clock
from .loopback import Loopback
from .served_files import served_path
from .visits import FormVisits


class RequestHandler(Protocol):
    """Answers the requests of a server with the files of *folder*, starting at *first*."""

    folder: str
    first: str

    async def answer(self, request: Request) -> Response | None:
        """Return the answer to *request*; None if it has none."""


class HttpServer:
    """Serves on 127.0.0.1; *tell* is called with every request that the sheet answers, and its status."""

    def __init__(self, serves: RequestHandler, tell: Callable[[Request, int], None]) -> None:
        self._serves, self._tell = serves, tell
        self._loopback = Loopback(serves.folder, self._answer)

    async def start(self, port: int = 0) -> str:
        """Begin to listen at *port* (0: any that is free); where the page is. Raises OSError."""
        return f"{await self._loopback.start(port)}/{self._serves.first}"

    async def stop(self) -> None:
        """Stop the server."""
        await self._loopback.stop()

    async def _answer(self, request: Request) -> Response | None:
        response = await self._serves.answer(request)
        if response is not None:
            self._tell(request, response.status)
        return response


class PageServer:
    """Serves the HTML file *page* and the files beside it, with the lookups and the server of *form* as its backend."""

    def __init__(self, form: Form, page: str, clock: Clock) -> None:
        self.clock = clock
        self.folder, self.first = served_path(form.file, page)
        live = (form.live or LivePage())._replace(page=os.path.relpath(page, os.path.dirname(form.file) or "."), file=form.file)
        self.world = PageBackend(form._replace(live=live), SessionFactory(compile_form(form)))
        self.world.start(clock.now())

    async def answer(self, request: Request) -> Response | None:
        """Answer *request*."""
        if request.path == "/":
            return Response(302, b"", "text/html", (("Location", f"/{self.first}"),))
        decided = self.world.decide(request, self.clock.now())
        if decided is None:
            return None
        if decided.takes == NEVER:
            await asyncio.Event().wait()
        await asyncio.sleep(0 if self.clock.at_once else decided.takes / 1000)
        return decided.response


class FormServer:
    """Serves *form* as a page that is drawn of it."""

    first = ""

    def __init__(self, form: Form, clock: Clock) -> None:
        self._nothing = tempfile.TemporaryDirectory(prefix="idlefox-serve-")  # no file of anyone's is served
        self.folder = self._nothing.name
        self.visits = FormVisits(SessionFactory(compile_form(form)), clock)

    async def answer(self, request: Request) -> Response | None:
        """Answer *request*."""
        return await self.visits.answer(request)
