"""A WebDriver BiDi connection: commands go out, results and events come in, over one websocket.

W3C WebDriver BiDi, "Transport" and "Protocol": a command is {id, method, params}; its result or error has that id, an event has
none. Commands may be sent before earlier ones are answered.
"""

from __future__ import annotations

import asyncio
import json
import socket
from collections.abc import Callable
from typing import Any

Event = dict[str, Any]
PATIENCE = 30.0  # seconds, for one command


class BiDiError(Exception):
    """The browser refused a command: *code* is the standard's ("no such node"), *message* the browser's own."""

    def __init__(self, code: str, message: str, method: str) -> None:
        super().__init__(f"{method}: {code}: {message[:300]}")
        self.code, self.message = code, message


class BrowserGone(Exception):
    """The browser has died, or closed the connection."""


class Connection:
    """One connection, used from one event loop."""

    def __init__(self, websocket: Any) -> None:
        self._websocket = websocket
        self._number = 0
        self._waiting: dict[int, tuple[asyncio.Future[Any], str]] = {}
        self._handlers: dict[str, list[Callable[[Event], Any]]] = {}
        self._tasks: set[asyncio.Future[Any]] = set()
        self._socket = websocket.transport.get_extra_info("socket") if hasattr(socket, "TCP_QUICKACK") else None
        self.gone = ""
        self._reader = asyncio.ensure_future(self._read())

    @classmethod
    async def open(cls, url: str) -> Connection:
        """Connects to the websocket at *url*. Raises BrowserGone."""
        import websockets

        try:
            return cls(await websockets.connect(url, max_size=None, ping_interval=None, compression=None, proxy=None))
        except (OSError, websockets.WebSocketException) as fault:
            raise BrowserGone(f"the browser does not answer at {url}: {fault}") from None

    def post(self, method: str, /, **params: Any) -> asyncio.Future[Any]:
        """Send a command and return a future of its result."""
        future: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        if self.gone:
            future.set_exception(BrowserGone(self.gone))
            return future
        self._number += 1
        self._waiting[self._number] = (future, method)
        text = json.dumps({"id": self._number, "method": method, "params": params}, separators=(",", ":"))
        self._keep(asyncio.ensure_future(self._websocket.send(text)))
        return future

    async def call(self, method: str, /, *, within: float = PATIENCE, **params: Any) -> Any:
        """The result of a command. Raises BiDiError, BrowserGone, and TimeoutError after *within* seconds."""
        return await asyncio.wait_for(self.post(method, **params), within)

    def on(self, event: str, handler: Callable[[Event], Any]) -> None:
        """Have *handler* called with the parameters of each *event* from now on; a coroutine of it is run."""
        self._handlers.setdefault(event, []).append(handler)

    def off(self, event: str, handler: Callable[[Event], Any]) -> None:
        """Stop calling *handler* for *event*."""
        if handler in self._handlers.get(event, ()):
            self._handlers[event].remove(handler)

    def _keep(self, task: asyncio.Future[Any]) -> None:
        """Keep a reference to *task* until it ends; an exception in it closes the connection."""
        self._tasks.add(task)
        task.add_done_callback(self._over)

    def _over(self, task: asyncio.Future[Any]) -> None:
        self._tasks.discard(task)
        if not task.cancelled():
            task.exception()

    async def _read(self) -> None:
        try:
            self._acknowledge()
            async for raw in self._websocket:
                self._acknowledge()
                self._take(json.loads(raw))
            self.gone = "the browser closed the connection"
        except asyncio.CancelledError:
            self.gone = "the connection was closed"
        except Exception as fault:
            self.gone = f"the connection to the browser broke: {fault}"
        for future, _ in self._waiting.values():
            if not future.done():
                future.set_exception(BrowserGone(self.gone))
        self._waiting.clear()

    def _acknowledge(self) -> None:
        """Acknowledge received data at once: Firefox holds back a second message until the first one is acknowledged, and Linux
        delays that by 40 ms. The option has to be set again at every read.
        """
        if self._socket is not None:
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_QUICKACK, 1)

    def _take(self, message: dict[str, Any]) -> None:
        if message.get("type") == "event":
            for handler in tuple(self._handlers.get(message["method"], ())):
                found = handler(message["params"])
                if asyncio.iscoroutine(found):
                    self._keep(asyncio.ensure_future(found))
            return
        future, method = self._waiting.pop(message.get("id", 0), (None, ""))
        if future is None or future.done():
            return
        if message.get("type") == "error":
            future.set_exception(BiDiError(message.get("error", ""), message.get("message", ""), method))
        else:
            future.set_result(message["result"])

    async def close(self) -> None:
        """Close the connection."""
        await self._websocket.close()
        self._reader.cancel()
