"""Notes what the scripts of a page ran, by the vendor commands of Chromium's driver (WebDriver BiDi, "Extensions"). Firefox has none."""

from __future__ import annotations

from typing import Any
from urllib.parse import urldefrag, urlsplit

from ...records import NamedTuple
from ..browser.connection import BiDiError, Connection

_PARSED = "goog:cdp.Debugger.scriptParsed"
_FOREIGN = ("/node_modules/", "/@")  # what a dev server adds to the page


class PageScript(NamedTuple):
    """A script of a page: where its text begins in the file at *url* (in lines, from 0), its text, and a byte for each UTF-16 unit of it,
    1 if that ran.
    """

    url: str
    line: int
    source: str
    ran: bytes


class ScriptWatch:
    """Watches the scripts of the page in a tab. What ran is read at the end of each scenario."""

    def __init__(self) -> None:
        self._connection: Connection | None = None
        self._session = ""
        self._loaded: dict[str, dict[str, Any]] = {}  # by the browser's id of the script
        self._found: dict[tuple[str, int, str], PageScript] = {}

    def taken(self) -> list[PageScript]:
        """Return the scripts since the last call, in the order in which they were first loaded."""
        found, self._found = list(self._found.values()), {}
        return found

    async def start(self, connection: Connection, context: str) -> None:
        """Begin to watch the tab *context*."""
        self._session = (await connection.call("goog:cdp.getSession", context=context))["session"]
        if connection is not self._connection:
            self._connection = connection
            connection.on(_PARSED, self._parsed)
            await connection.call("session.subscribe", events=[_PARSED])
        await self._command("Debugger.enable")  # for the texts of the scripts
        await self._command("Debugger.setSkipAllPauses", skip=True)
        await self._command("Profiler.enable")
        await self._command("Profiler.startPreciseCoverage", callCount=True, detailed=True)

    def _parsed(self, event: dict[str, Any]) -> None:
        script = event["params"]
        self._loaded[script["scriptId"]] = script

    async def _command(self, method: str, **params: Any) -> dict[str, Any]:
        assert self._connection is not None
        found = await self._connection.call("goog:cdp.sendCommand", method=method, params=params, session=self._session)
        return dict(found.get("result") or {})

    async def take(self, page: str) -> None:
        """Read what ran since the last time in the scripts from the server of *page*."""
        origin = urlsplit(page)[:2]
        for each in (await self._command("Profiler.takePreciseCoverage"))["result"]:
            script = self._loaded.get(each["scriptId"])
            path = urlsplit(each["url"]).path
            if script is not None and urlsplit(each["url"])[:2] == origin and not any(part in path for part in _FOREIGN):
                await self._note(script, each)
        self._loaded.clear()

    async def _note(self, script: dict[str, Any], counted: dict[str, Any]) -> None:
        key = (urldefrag(script["url"]).url, script["startLine"], script["hash"])
        known = self._found.get(key)
        if known is None:
            try:
                source = str((await self._command("Debugger.getScriptSource", scriptId=script["scriptId"]))["scriptSource"])
            except BiDiError:
                return  # it went with its document, and it ran nothing that was kept
            known = PageScript(key[0], key[1], source, bytes(len(source.encode("utf-16-le", "surrogatepass")) // 2))
        self._found[key] = known._replace(ran=_either(known.ran, _ran(counted, len(known.ran))))


def _ran(counted: dict[str, Any], width: int) -> bytes:
    """Return for each UTF-16 unit whether it ran. Ranges come from the outside in, so the innermost decides."""
    ran = bytearray(width)
    for function in counted["functions"]:
        for part in function["ranges"]:
            start, end = part["startOffset"], min(part["endOffset"], width)
            ran[start:end] = (b"\1" if part["count"] else b"\0") * max(end - start, 0)
    return bytes(ran)


def _either(one: bytes, other: bytes) -> bytes:
    return (int.from_bytes(one, "big") | int.from_bytes(other, "big")).to_bytes(len(one), "big")
