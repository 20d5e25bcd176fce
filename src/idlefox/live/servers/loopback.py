"""A server on loopback, in the player's own event loop: files of a folder, and requests that somebody else answers.

h11 reads and writes HTTP/1.1 (RFC 9112). The server listens on 127.0.0.1 only and answers only requests for a host of that
machine, so that no page of another site can use it (DNS rebinding).
"""

from __future__ import annotations

import asyncio
import logging
import mimetypes
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from ...roots import is_below
from ..messages import Request, Response, header_value

if TYPE_CHECKING:
    import h11

_LOG = logging.getLogger("idlefox.live")
MOST_BODY = 64 << 20  # bytes
SLOWEST = 20.0  # seconds until a request must have arrived
_HOSTS = ("127.0.0.1", "localhost", "::1")
_TYPES = {".js": "text/javascript", ".mjs": "text/javascript", ".css": "text/css", ".html": "text/html", ".json": "application/json"}
_NO_FILE = Response(404, b"there is no such file", "text/plain")
Answer = Callable[[Request], Awaitable[Response | None]]


class RequestRejected(Exception):
    """The request cannot be used; *status* is the answer."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status = status


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
        except (OSError, h11.ProtocolError, asyncio.CancelledError):
            pass  # the client is gone
        finally:
            writer.close()

    async def _converse(self, wire: h11.Connection, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Answer one request: browsers repeat a request if a reused connection breaks, so each connection is used once."""
        method = "GET"
        try:
            async with asyncio.timeout(SLOWEST):
                request = await _next_request(wire, reader, writer)
            if request is None:
                return
            method = request.method
            response = await self._answered(request, reader)
        except RequestRejected as fault:
            response = Response(fault.status, str(fault).encode(), "text/plain")
        except TimeoutError:
            response = Response(408, b"the request did not arrive in time", "text/plain")
        if response is None or response.lost:
            writer.transport.abort()
            return
        await _write(wire, writer, method, response)

    async def _answered(self, request: Request, reader: asyncio.StreamReader) -> Response | None:
        """Return the response to *request*; None if the client has disconnected."""
        answer = asyncio.ensure_future(self.answer(request))
        gone = asyncio.ensure_future(_closed(reader))
        try:
            await asyncio.wait({answer, gone}, return_when=asyncio.FIRST_COMPLETED)
            if not answer.done():
                return None
            if answer.exception() is not None:
                _LOG.error("%s %s could not be answered: %r", request.method, request.target, answer.exception())
                return Response(500, b"this server has a fault", "text/plain")
            return answer.result() or self._file(request)
        finally:
            for waiting in (answer, gone):
                waiting.cancel()
            await asyncio.gather(answer, gone, return_exceptions=True)

    def _file(self, request: Request) -> Response:
        """Return the file that *request* asks for: below the folder, and no part of its path starts with a dot."""
        if request.method not in ("GET", "HEAD"):
            return Response(405, b"nothing here takes that", "text/plain", (("Allow", "GET, HEAD"),))
        name = unquote(urlsplit(request.path).path).lstrip("/")
        path = self.folder / name
        try:
            if any(part.startswith(".") for part in Path(name).parts) or not path.is_file() or not is_below(str(path), str(self.folder)):
                return _NO_FILE
            body = path.read_bytes()
        except (OSError, ValueError):
            return _NO_FILE
        media_type = _TYPES.get(path.suffix) or mimetypes.guess_type(path.name)[0] or "application/octet-stream"
        return Response(200, body, f"{media_type}; charset=utf-8" if media_type.startswith("text/") else media_type)


async def _write(wire: h11.Connection, writer: asyncio.StreamWriter, method: str, response: Response) -> None:
    import h11

    fixed = [("Cache-Control", "no-store"), ("Connection", "close")]
    headers = [("Content-Length", str(len(response.body))), *fixed, *response.headers]
    if response.body or response.status not in (204, 304):
        headers.append(("Content-Type", response.media_type))
    written = [(name, header_value(value)) for name, value in headers]
    writer.write(wire.send(h11.Response(status_code=response.status, headers=written, reason=response.reason)) or b"")
    if response.body and method != "HEAD":
        writer.write(wire.send(h11.Data(response.body)) or b"")
    writer.write(wire.send(h11.EndOfMessage()) or b"")
    async with asyncio.timeout(SLOWEST):  # for a client that does not read
        await writer.drain()


async def _closed(reader: asyncio.StreamReader) -> None:
    """Wait until the client has closed the connection; what it still sends is not read."""
    while await reader.read(65_536):
        pass


async def _next_request(wire: h11.Connection, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> Request | None:
    """Return the request; None if the client has closed the connection. Raises RequestRejected."""
    import h11

    head: h11.Request | None = None
    body = bytearray()
    while True:
        try:
            event = wire.next_event()
        except h11.RemoteProtocolError as fault:
            raise RequestRejected(fault.error_status_hint, f"bad request: {fault}") from None
        if event is h11.NEED_DATA:
            if wire.they_are_waiting_for_100_continue:  # RFC 9110, section 10.1.1
                writer.write(wire.send(h11.InformationalResponse(status_code=100, headers=[])) or b"")
            wire.receive_data(await reader.read(65_536))
            await asyncio.sleep(0)  # what has arrived already is read without waiting, and others want their turn
        elif isinstance(event, h11.Request):
            head = event
            _check(head)
        elif isinstance(event, h11.Data):
            body += event.data
            if len(body) > MOST_BODY:
                raise RequestRejected(413, f"a body may have {MOST_BODY} bytes")
        elif isinstance(event, h11.EndOfMessage):
            assert head is not None
            headers = {name.decode().lower(): value.decode("latin-1") for name, value in head.headers}
            return Request(head.method.decode(), head.target.decode("latin-1"), headers, bytes(body))
        else:
            return None


def _check(head: h11.Request) -> None:
    """Raise RequestRejected if nothing more needs to be read of the request with this *head*."""
    headers = dict(head.headers)
    try:
        host = urlsplit("//" + headers.get(b"host", b"").decode("latin-1")).hostname
        urlsplit(head.target.decode("latin-1"))
    except ValueError:
        raise RequestRejected(400, "bad request: the host or the target cannot be read") from None
    if host not in _HOSTS:
        raise RequestRejected(421, "this server answers for 127.0.0.1, localhost and [::1] only")
    length = headers.get(b"content-length", b"0")
    if length.isdigit() and int(length[:20]) > MOST_BODY:
        raise RequestRejected(413, f"a body may have {MOST_BODY} bytes")
