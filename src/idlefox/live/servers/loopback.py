"""A server on loopback, in the player's own event loop: files of a folder, and requests that somebody else answers.

HTTP/1.1 (RFC 9112) is read and written by h11; nothing but 127.0.0.1 is listened on.
"""

from __future__ import annotations

import asyncio
import mimetypes
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TYPE_CHECKING

from ...roots import is_below
from ..messages import Request, Response

if TYPE_CHECKING:
    import h11

_MOST_BODY = 200 << 20
_TYPES = {".js": "text/javascript", ".mjs": "text/javascript", ".css": "text/css", ".html": "text/html", ".json": "application/json"}
Answer = Callable[[Request], Awaitable[Response | None]]


class Loopback:
    """Serves the files below *folder*; *answer* is asked first, and may take its time."""

    def __init__(self, folder: str, answer: Answer) -> None:
        self.folder = Path(folder).resolve()
        self.answer = answer
        self.base = ""
        self._server: asyncio.Server | None = None
        self._tasks: set[asyncio.Task[None]] = set()

    async def start(self, port: int = 0) -> str:
        """Begin to listen at *port* (0: any that is free); its URL. Raises OSError."""
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", port)
        self.base = f"http://127.0.0.1:{self._server.sockets[0].getsockname()[1]}"
        return self.base

    async def stop(self) -> None:
        """Stop the server."""
        if self._server is not None:
            self._server.close()
        for task in tuple(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        import h11  # part of an extra: if it is missing, report that before serving anything

        task = asyncio.current_task()
        assert task is not None
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        try:
            await self._converse(h11.Connection(h11.SERVER), reader, writer)
        except (ConnectionError, h11.ProtocolError, asyncio.CancelledError):
            pass
        finally:
            writer.close()

    async def _converse(self, wire: h11.Connection, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        import h11

        while True:
            request = await _next_request(wire, reader)
            if request is None:
                return
            response = await self._answered(request, reader)
            if response is None or response.lost:
                writer.transport.abort()
                return
            # Use each connection once: browsers repeat a request if a reused connection breaks.
            fixed = [("Cache-Control", "no-store"), ("Connection", "close")]
            headers = [("Content-Length", str(len(response.body))), *fixed, *response.headers]
            if response.body or response.status not in (204, 304):
                headers.append(("Content-Type", response.media_type))
            head = h11.Response(status_code=response.status, headers=headers, reason=response.reason)
            writer.write(wire.send(head) or b"")
            if response.body and request.method != "HEAD":
                writer.write(wire.send(h11.Data(response.body)) or b"")
            writer.write(wire.send(h11.EndOfMessage()) or b"")
            await writer.drain()
            if wire.our_state is h11.MUST_CLOSE:
                return
            wire.start_next_cycle()

    async def _answered(self, request: Request, reader: asyncio.StreamReader) -> Response | None:
        """Return the response to *request*; None if the client has disconnected."""
        answer = asyncio.ensure_future(self.answer(request))
        gone = asyncio.ensure_future(reader.read(1))
        try:
            await asyncio.wait({answer, gone}, return_when=asyncio.FIRST_COMPLETED)
            if not answer.done():
                return None
            return answer.result() or self._file(request)
        finally:
            for waiting in (answer, gone):
                waiting.cancel()
            await asyncio.gather(answer, gone, return_exceptions=True)

    def _file(self, request: Request) -> Response:
        from urllib.parse import unquote

        if request.method not in ("GET", "HEAD"):
            return Response(405, b"nothing here takes that", "text/plain")
        path = self.folder / unquote(request.path).lstrip("/")
        try:
            if not path.is_file() or not is_below(str(path), str(self.folder)):
                return Response(404, b"there is no such file", "text/plain")
            body = path.read_bytes()
        except (OSError, ValueError):
            return Response(404, b"there is no such file", "text/plain")
        media_type = _TYPES.get(path.suffix) or mimetypes.guess_type(path.name)[0] or "application/octet-stream"
        return Response(200, body, f"{media_type}; charset=utf-8" if media_type.startswith("text/") else media_type)


async def _next_request(wire: h11.Connection, reader: asyncio.StreamReader) -> Request | None:
    import h11

    head: h11.Request | None = None
    body: list[bytes] = []
    while True:
        event = wire.next_event()
        if event is h11.NEED_DATA:
            if wire.they_are_waiting_for_100_continue:
                return None
            wire.receive_data(await reader.read(65_536))
        elif isinstance(event, h11.Request):
            head = event
        elif isinstance(event, h11.Data):
            body.append(bytes(event.data))
            if sum(map(len, body)) > _MOST_BODY:
                return None
        elif isinstance(event, h11.EndOfMessage):
            assert head is not None
            headers = {name.decode().lower(): value.decode("latin-1") for name, value in head.headers}
            return Request(head.method.decode(), head.target.decode("latin-1"), headers, b"".join(body))
        else:
            return None
