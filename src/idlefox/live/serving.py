"""A sheet as a server on loopback: the page that it names, with its lookups and its server as what the page asks. In real time."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from pathlib import Path

from ..engine.compile.compiler import compile_form
from ..engine.session.session import Stage
from ..forms.model.form import Form
from .loopback import Loopback
from .messages import Request, Response
from .world import NEVER, World


class PageServer:
    """Serves the HTML file *page* and what lies beside it; *tell* hears of every request that the sheet answers, and of its status."""

    def __init__(self, form: Form, page: str, tell: Callable[[Request, int], None]) -> None:
        self.page, self.tell = Path(page), tell
        self.world = World(form, Stage(compile_form(form)))
        self.world.start(_now())
        self._loopback = Loopback(str(self.page.parent), self._answer)

    async def start(self, port: int = 0) -> str:
        """Begins to listen at *port* (0: any that is free); the page's URL. Raises OSError."""
        return f"{await self._loopback.start(port)}/{self.page.name}"

    async def stop(self) -> None:
        await self._loopback.stop()

    async def _answer(self, request: Request) -> Response | None:
        if request.path == "/":
            return Response(302, b"", "text/html", (("Location", f"/{self.page.name}"),))
        decided = self.world.decide(request, _now())
        if decided is None:
            return None
        if decided.takes == NEVER:
            await asyncio.Event().wait()
        await asyncio.sleep(decided.takes / 1000)
        self.tell(request, decided.response.status)
        return decided.response


def _now() -> int:
    return int(time.time() * 1000)
