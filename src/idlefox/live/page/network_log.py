"""The requests of a page as the browser reports them: those answered here, and those that are only observed."""

from __future__ import annotations

import asyncio
import base64
import re
from collections.abc import Coroutine
from typing import Any, Protocol

from ..browser.connection import BiDiError, Connection
from ..messages import DocumentGone, Request, Response, header_value, target_of
from ..servers.backend import NoBackend, PageBackend

PREFLIGHT = Response(204, b"", "text/plain")  # Fetch, "CORS-preflight request"
_READING, _NOTED, _ANSWERED, _LOST = -4, -3, -2, -1  # the progress of a submission that an external server answers
_ROWS = ":rows"  # no header of a request can be called so
_WATCHED = {"network.beforeRequestSent": "_sent", "network.responseCompleted": "_got", "network.fetchError": "_failed"}


class Sender(Protocol):
    """The page whose traffic it is."""

    connection: Connection
    context: str
    settings: dict[str, Any]
    world: PageBackend | NoBackend

    async def answer(self, request: Request) -> Response | None:
        """Return the answer to *request*; None if the real server answers."""

    def is_loading(self, request: Request) -> bool:
        """Return whether *request* is the one that loads the page itself."""

    async def ask_once(self, what: str, *, of: str = "", within: float = ..., **given: Any) -> Any:
        """Ask the agent in the page once, without a retry."""


class NetworkLog:
    """The requests of *page*."""

    def __init__(self, page: Sender) -> None:
        self.page = page
        self.form_sent: dict[str, str] | None = None  # the agent's report of a form that the browser itself sends
        self._real: dict[str, int] = {}  # submissions to external servers: progress or status
        self._late: set[str] = set()  # those no longer waited for

    async def intercept(self) -> None:
        """Intercept the requests that the stub server answers, for any host (WebDriver BiDi, "network.addIntercept")."""
        held = self.page.settings["held"]
        if not held:
            return
        self.page.connection.on("network.beforeRequestSent", self._intercepted)
        await self.page.connection.call("session.subscribe", events=["network.beforeRequestSent"], contexts=[self.page.context])
        paths = [each["literal"] for each in held]
        patterns = [{"type": "pattern", "pathname": path} for path in dict.fromkeys(paths)] if all(paths) else []
        more: dict[str, Any] = {"urlPatterns": patterns} if patterns else {}
        await self.page.connection.call("network.addIntercept", phases=["beforeRequestSent"], contexts=[self.page.context], **more)
        await self._keep_bodies()

    def in_flight(self) -> bool:
        """Return whether a submission is under way that somebody else answers, and is worth waiting for."""
        return any(status != _ANSWERED and number not in self._late for number, status in self._real.items())

    def give_up(self) -> None:
        """Stop waiting for pending requests that take long; their answers count when they come."""
        self._late.update(self._real)

    async def watch(self) -> None:
        """Observe requests that a real server answers: which are submissions, and their answers."""
        for event, handler in _WATCHED.items():
            self.page.connection.on(event, getattr(self, handler))
        await self.page.connection.call("session.subscribe", events=list(_WATCHED), contexts=[self.page.context])
        await self._keep_bodies()

    async def _keep_bodies(self) -> None:
        try:
            wishes: dict[str, Any] = {"dataTypes": ["request"], "maxEncodedDataSize": 20_000_000, "contexts": [self.page.context]}
            await self.page.connection.call("network.addDataCollector", **wishes)
        except BiDiError:
            pass  # only the agent reports bodies

    def forget(self) -> None:
        """A new scenario."""
        self._real.clear()
        self._late.clear()

    def close(self) -> None:
        """Stop observing."""
        self.page.connection.off("network.beforeRequestSent", self._intercepted)
        for event, handler in _WATCHED.items():
            self.page.connection.off(event, getattr(self, handler))

    def _sent(self, event: dict[str, Any]) -> Coroutine[Any, Any, None] | None:
        """Record a submission at once: its answer can arrive before the coroutine has read its body."""
        if event.get("context") != self.page.context or not isinstance(self.page.world, PageBackend):
            return None
        request = event["request"]
        bare = Request(request["method"], target_of(request["url"]))
        if not self.page.world.is_submission(bare) or (event.get("navigation") and self.page.is_loading(bare)):
            return None
        self._real[request["request"]] = _READING
        return self._read(request, bare, self.page.world, navigates=bool(event.get("navigation")))

    async def _read(self, request: dict[str, Any], bare: Request, world: PageBackend, *, navigates: bool) -> None:
        headers = {each["name"].lower(): each["value"].get("value", "") for each in request["headers"]}
        body = b""
        if bare.method != "GET":
            body = await self._body(request["request"], bare.method, request["url"], headers, navigates=navigates)
        status = self._real.get(request["request"])
        if status is None:
            return  # the scenario is over
        if headers.pop(_ROWS, ""):
            self._real.pop(request["request"], None)
            return  # a row was added or removed, and nothing is submitted
        world.watched(bare._replace(headers=headers, body=body))
        if status > 0 or status == _LOST:
            world.answered(status)
            self._real[request["request"]] = _ANSWERED
        else:
            self._real[request["request"]] = _NOTED

    def _got(self, event: dict[str, Any]) -> None:
        self._became(event, event["response"]["status"])

    def _failed(self, event: dict[str, Any]) -> None:
        self._became(event, _LOST)

    def _became(self, event: dict[str, Any], status: int) -> None:
        known = self._real.get(event["request"]["request"])
        if known is None or not isinstance(self.page.world, PageBackend):
            return
        if known == _NOTED:
            self.page.world.answered(status)
            self._real[event["request"]["request"]] = _ANSWERED
        elif known != _ANSWERED:
            self._real[event["request"]["request"]] = status  # its body is still being read

    async def _intercepted(self, event: dict[str, Any]) -> None:
        if not event.get("isBlocked") or event.get("context") != self.page.context:
            return
        request = event["request"]
        number = request["request"]
        sent = Request(request["method"], target_of(request["url"]))
        headers = {each["name"].lower(): each["value"].get("value", "") for each in request["headers"]}
        if event.get("navigation"):
            headers["sec-fetch-dest"] = "document"
        asked = headers.get("access-control-request-method")
        without = asked or request["method"] in ("GET", "HEAD")
        navigates = bool(event.get("navigation"))
        body = b"" if without else await self._body(number, request["method"], request["url"], headers, navigates=navigates)
        response = PREFLIGHT if asked and self._is_held(asked, sent.path) else None
        if response is None:
            response = await self.page.answer(sent._replace(headers=headers, body=body))
        try:
            if response is None:
                await self.page.connection.call("network.continueRequest", request=number)
            elif response.lost:
                await self.page.connection.call("network.failRequest", request=number)
            else:
                await self._provide(number, response, headers.get("origin", ""))
        except BiDiError:
            pass  # it has been withdrawn

    def _is_held(self, method: str, path: str) -> bool:
        return any(each["method"] == method and re.fullmatch(each["path"], path) for each in self.page.settings["held"])

    async def _body(self, number: str, method: str, url: str, headers: dict[str, str], *, navigates: bool) -> bytes:
        """Return the body of a request. Chromium does not report form bodies; the agent does."""
        told = await self._form_told() if navigates else await self._written(method, url)
        if told is not None:
            if told.get("rows"):
                headers[_ROWS] = "1"
            if navigates or headers.get("content-type", "").startswith("multipart/"):
                headers["content-type"] = told["type"]  # the agent reports it in another encoding than it was sent in
            headers.setdefault("content-type", told["type"])
            return str(told["body"]).encode("utf-8", "surrogatepass")
        try:
            found = (await self.page.connection.call("network.getData", dataType="request", request=number, within=3))["bytes"]
        except (BiDiError, TimeoutError):
            return b""
        return base64.b64decode(found["value"]) if found["type"] == "base64" else str(found["value"]).encode()

    async def _written(self, method: str, url: str) -> dict[str, str] | None:
        try:
            found: dict[str, str] | None = await self.page.ask_once("body", method=method, url=url)
        except DocumentGone:
            return None
        return found

    async def _form_told(self) -> dict[str, str] | None:
        for _ in range(100):
            if self.form_sent is not None:
                found, self.form_sent = self.form_sent, None
                return found
            await asyncio.sleep(0.01)
        return None

    async def _provide(self, number: str, response: Response, origin: str) -> None:
        headers = [("Content-Type", response.media_type), *response.headers]
        if origin:  # it may be for another server than the page's
            shown = ", ".join(name for name, _ in response.headers) or "*"
            headers += [("Access-Control-Allow-Origin", origin), ("Access-Control-Allow-Credentials", "true")]
            headers += [("Access-Control-Allow-Headers", "content-type, authorization, accept, x-requested-with, x-csrf-token")]
            headers += [("Access-Control-Allow-Methods", "GET, POST, PUT, PATCH, DELETE"), ("Access-Control-Expose-Headers", shown)]
        written = [{"name": name, "value": {"type": "string", "value": header_value(value)}} for name, value in headers]
        body = {"type": "base64", "value": base64.b64encode(response.body).decode()}
        wishes: dict[str, Any] = {"statusCode": response.status, "reasonPhrase": response.reason, "headers": written, "body": body}
        await self.page.connection.call("network.provideResponse", request=number, **wishes)
