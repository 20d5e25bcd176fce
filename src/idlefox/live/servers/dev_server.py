"""The page's own dev server: started if nothing answers, waited for, and ended with all that it started."""

from __future__ import annotations

import asyncio
import logging
import os
import threading
from collections import deque
from time import monotonic
from typing import IO

from ..processes import ProcessGroup

_LOG = logging.getLogger("idlefox.live")
UNTRUSTED = "start it yourself; or, if you trust the sheet, use --trust, or list its folder under `trusted` in your own configuration"
_KEPT = 40  # lines of output


class NotReady(Exception):
    """Nothing answers at the URL; *why* is the reason, *said* the last output of the server, and *remedy* what would help."""

    def __init__(self, why: str, said: tuple[str, ...] = (), remedy: str = "") -> None:
        super().__init__(why)
        self.why, self.said, self.remedy = why, said, remedy


class DevServer:
    """Runs *command*, by the shell, in *folder*."""

    def __init__(self, command: str, folder: str) -> None:
        self.command, self.folder = command, folder
        self.group = ProcessGroup()
        self._lines: deque[str] = deque(maxlen=_KEPT)

    def start(self) -> None:
        """Start the server's command."""
        stream = self.group.start(
            ["/bin/sh", "-c", self.command], output="both", environment={**os.environ, "BROWSER": "none"}, folder=self.folder
        )
        threading.Thread(target=self._read, args=(stream,), daemon=True).start()

    def _read(self, stream: IO[bytes]) -> None:
        for line in stream:
            self._lines.append(line.decode("utf-8", "replace").rstrip())

    @property
    def said(self) -> tuple[str, ...]:
        """Return the last lines of its output."""
        return tuple(self._lines)

    def over(self) -> int | None:
        """The exit code of a server that has ended; None while it runs."""
        return self.group.process.poll() if self.group.process is not None else 0

    def end(self) -> None:
        """Stop the server and everything it started."""
        self.group.end()


async def answers(url: str) -> bool:
    """Return whether a server answers at *url*, with any status."""
    import httpx

    try:
        async with httpx.AsyncClient(trust_env=False, timeout=5) as client:
            await client.get(url)
    except httpx.HTTPError:
        return False
    return True


async def ready(url: str, command: str, folder: str, within: float, *, trust: bool) -> DevServer | None:
    """Wait up to *within* seconds for an answer at *url*; return the server that was started for it.

    The *command* comes from a sheet and runs only with *trust*. Raises NotReady.
    """
    if await answers(url):
        return None
    server: DevServer | None = None
    if command and not trust:
        raise NotReady(f"nothing answers there, and this sheet would run `{command}`", (), UNTRUSTED)
    if command:
        _LOG.info("nothing answers at %s yet; running %s", url, command)
        server = DevServer(command, folder)
        server.start()
    end = monotonic() + within
    try:
        while monotonic() < end:
            await asyncio.sleep(0.1)
            if await answers(url):
                return server
            if server is not None and (code := server.over()) is not None:
                await asyncio.sleep(0.1)  # its last words
                raise NotReady(f"`{command}` ended with exit code {code}", server.said)
        said = server.said if server is not None else ()
        raise NotReady(f"nothing answers there within {within:g} s" + (f" of `{command}`" if command else ""), said)
    except BaseException:
        if server is not None:
            server.end()
        raise
