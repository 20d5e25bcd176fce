"""One page in a browser, in virtual time: the agent acts and observes in it, and requests are answered when they are due.

Everything is asynchronous and runs in one event loop, with the connection to the browser and the loopback server.
"""

from __future__ import annotations

import asyncio
import base64
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..browser.connection import BiDiError, Connection
from ..browser.launch import Browser
from ..messages import LOST, DocumentGone, Request, Response, StoredData, target_of
from ..servers.backend import NEVER, NoBackend, PageBackend, PlannedAnswer
from .network_log import NetworkLog
from .patience import StepPatience

# One function in the page; its parts share a scope.
_PARTS = (
    "start", "clock", "requests", "rest", "names", "finding", "sight", "messages", "looking", "choices", "dates", "hands", "survey",
    "following", "door",
)  # fmt: skip
_AGENT = Path(__file__).parent / "agent"
AGENT = "".join((_AGENT / f"{part}.js").read_text(encoding="utf-8") for part in _PARTS)
ASK = (
    "async (what, given, id) => { const agent = window[Symbol.for('idlefox.agent')];"
    " if (!agent) return 'none'; if (id && agent.id !== id) return 'another';"
    " return JSON.stringify([await agent[what](JSON.parse(given)) ?? null]); }"
)
ANSWER = 12.0  # seconds of real time for the agent to answer
ARRIVE = 5.0  # seconds of real time for a request of the page's to arrive
ANSWERED = 5.0  # and for an external server's answer to a submission
LOAD = 20.0  # and for a document to load
LOADED = 2.0  # and until the browser reports that it has
_NEVER = 1 << 60
_CHANNEL = "idlefox"
_LOADED = "browsingContext.load"
_DOCUMENTS = (_LOADED, "browsingContext.navigationFailed", "browsingContext.navigationAborted")
_NAVIGATES = "browsingContext.navigationStarted"
_MOST_DOCUMENTS = 20  # loaded in a row during one question
_OF_COOKIE = frozenset({"name", "value", "domain", "path", "httpOnly", "secure", "sameSite", "expiry"})  # storage.PartialCookie
_LOGGED = 50  # console lines kept
NOTHING_STORED = StoredData()


class PageNotSettled(Exception):
    """The page does not settle."""


class NoPage(Exception):
    """The page does not load or is gone; the text gives the reason."""


class AgentError(Exception):
    """The agent failed in the page: a fault of ours."""


class HeldRequest:
    """A request that is answered when it is *due*; None until the page has reported when it started."""

    def __init__(self, request: Request, decided: PlannedAnswer) -> None:
        self.request, self.decided = request, decided
        self.id: int | None = None
        self.due: int | None = None
        self.gate: asyncio.Future[Response] = asyncio.get_running_loop().create_future()

    def begun(self, number: int | None, at: int) -> None:
        """Set when the page sent the request."""
        self.id = number
        self.due = _NEVER if self.decided.takes == NEVER else at + self.decided.takes

    def release(self) -> None:
        """Let the answer go out."""
        if not self.gate.done():
            self.gate.set_result(self.decided.response)


class BrowsingContext:
    """The page of a form in a tab of *browser*. *settings* are the agent's, but for the clock."""

    def __init__(self, browser: Browser, world: PageBackend | NoBackend, settings: dict[str, Any]) -> None:
        assert browser.connection is not None
        self.browser, self.world, self.settings = browser, world, settings
        self.connection: Connection = browser.connection
        self.context = ""
        self.url = ""
        self.now = 0
        self.virtual = True
        self.state: dict[str, Any] = {}
        self.settle_limit = world.live.settle_limit
        self.held: list[HeldRequest] = []
        self.console: list[str] = []
        self.doings: list[dict[str, Any]] = []  # what the person has done, with the setting `follow`
        self.left = False  # the document is being replaced
        self.alert: str | None = None  # the text of the last alert
        self.waited = 0  # ms that steps have let the page's timers run
        self._arriving = False  # the page itself is being loaded
        self._loads = 0
        self.documents = 0  # loaded so far
        self._runs = 0
        self._progress = (0, 0)  # of which run_actions how many acts were done when its document went
        self._document = ""  # the id of the current one
        self._stayed = False  # the last navigation failed or was aborted
        self._begun = 0  # how many had loaded when it was begun with
        self._navigates = False  # another document has been asked for
        self._preload = ""
        self._known = 0
        self._notes: dict[str, Any] | None = None  # what the first document of the scenario showed at load
        self._unmatched: list[dict[str, Any]] = []  # requests of the page that have not arrived
        self._arrived = asyncio.Event()
        self._loaded = asyncio.Event()
        self._lost: dict[int, Request] = {}  # requests whose answer was lost, until the page knows
        self.traffic = NetworkLog(self)
        self._early: list[tuple[str, str]] = []  # requests that arrived and are not held

    async def open(self) -> None:
        """Open a tab."""
        self.context = (await self.connection.call("browsingContext.create", type="tab"))["context"]
        self.connection.on("log.entryAdded", self._logged)
        self.connection.on("script.message", self._told)
        self.connection.on(_NAVIGATES, self._navigation_started)
        events = ["log.entryAdded", "script.message", _NAVIGATES, *_DOCUMENTS]
        for event, handle in self._handlers():
            self.connection.on(event, handle)
        for event in events:
            try:
                await self.connection.call("session.subscribe", events=[event])
            except BiDiError:
                continue  # an event unknown to this browser

    def _handlers(self) -> list[tuple[str, Callable[[dict[str, Any]], None]]]:
        return [(event, self._document_there if event == _LOADED else self._navigation_ended) for event in _DOCUMENTS]

    async def close(self) -> None:
        """Close the tab."""
        self.traffic.close()
        self.connection.off("script.message", self._told)
        self.connection.off("log.entryAdded", self._logged)
        self.connection.off(_NAVIGATES, self._navigation_started)
        for event, handle in self._handlers():
            self.connection.off(event, handle)
        for held in tuple(self.held):
            held.gate.cancel()
        try:
            await self.connection.call("browsingContext.close", context=self.context)
        except BiDiError:
            pass  # it is closed already

    def _told(self, event: dict[str, Any]) -> None:
        """Handle a report of the agent before its document goes away: the form data that the browser sends, and its progress.

        WebDriver BiDi, "script.message".
        """
        if event.get("channel") == _CHANNEL and event.get("source", {}).get("context") == self.context:
            told = json.loads(event["data"]["value"])
            if "doing" in (told or {}):
                self.doings.append(told["doing"])
            elif "alert" in (told or {}):
                self.alert = told["alert"]
            elif "progress" in (told or {}):
                self._progress = (told["progress"]["number"], told["progress"]["done"])
            else:
                self.traffic.form_sent = told

    def _logged(self, event: dict[str, Any]) -> None:
        """Record the page's console output (WebDriver BiDi, "log.entryAdded")."""
        ours = event.get("source", {}).get("context") == self.context and "Permission denied to access" not in str(event.get("text"))
        if ours and event.get("level") in ("error", "warn") and len(self.console) < _LOGGED:
            self.console.append(f"{event['level']}: {event.get('text') or ''}")

    def _document_there(self, event: dict[str, Any]) -> None:
        if event.get("context") == self.context:
            self.documents += 1
            self._stayed = event.get("stays", False)
            self._loaded.set()

    def _navigation_ended(self, event: dict[str, Any]) -> None:
        """Handle a navigation that failed or was aborted: the document stays."""
        self._document_there({**event, "stays": True})

    def _navigation_started(self, event: dict[str, Any]) -> None:
        if event.get("context") == self.context:
            self._navigates = True

    # loading
    async def load(self, url: str, clock: int | None, *, fresh: bool, stored: StoredData = NOTHING_STORED) -> None:
        """Load *url* at the virtual instant *clock* (None: real time); *fresh*: with no more data than *stored*."""
        self.url, self.virtual, self.now = url, clock is not None, clock or 0
        if fresh:
            self._notes, self.alert = None, None
            await self._forget()
            for cookie in stored.cookies:
                await self.connection.call("storage.setCookie", cookie=cookie)
        self._loads += 1
        armed = self.browser.name != "chromium"
        settings = {**self.settings, "armed": armed, "clock": clock, "run": f"{id(self)}-{self._loads}", "fresh": fresh}
        settings["stored"] = stored.storages
        await self._put_agent(settings)
        self._begin()
        self._arriving = True
        try:
            await self.connection.call("browsingContext.navigate", context=self.context, url=url, wait="complete", within=LOAD)
        except BiDiError as fault:
            raise NoPage(fault.message) from None
        except TimeoutError:
            raise NoPage(f"it has not loaded within {LOAD:.0f} s") from None
        finally:
            self._arriving = False
        await self._next_document(self.documents, there=True)

    async def _put_agent(self, settings: dict[str, Any]) -> None:
        if self._preload:
            await self.connection.call("script.removePreloadScript", script=self._preload)
        function = f"(tell) => ({AGENT})({json.dumps(settings)}, tell)"
        channel = [{"type": "channel", "value": {"channel": _CHANNEL}}]
        added = await self.connection.call(
            "script.addPreloadScript", functionDeclaration=function, contexts=[self.context], arguments=channel
        )
        self._preload = added["script"]

    async def _forget(self) -> None:
        self.console.clear()
        self.traffic.forget()
        if self._loads:
            try:
                await self.ask_once("end")
            except DocumentGone:
                pass
        for held in tuple(self.held):
            held.gate.cancel()
        self.held.clear()
        try:
            await self.connection.call("storage.deleteCookies", partition=self._partition())
        except BiDiError:
            await self.connection.call("storage.deleteCookies")

    def _partition(self) -> dict[str, str]:
        return {"type": "context", "context": self.context}

    async def stored(self) -> StoredData:
        """Return the cookies of the tab, and the storages of the document's origin."""
        found = (await self.connection.call("storage.getCookies", partition=self._partition()))["cookies"]
        cookies = tuple({name: value for name, value in each.items() if name in _OF_COOKIE} for each in found)
        return StoredData(cookies, await self.ask("stored"))

    def _begin(self) -> None:
        """Start a new document: the requests of the old one are over."""
        self._known, self.left, self._begun, self._navigates = 0, False, self.documents, False
        self._document = ""
        self._unmatched.clear()
        self._early.clear()
        self._lost.clear()
        self._loaded.clear()

    async def _start(self) -> None:
        documents = self.documents
        begun = await self.ask_once("begin", within=LOAD, notes=self._notes, **self._wishes(self.now))
        if begun["blank"] and self.url != "about:blank":  # a browser may show an empty document for a moment between two others
            raise DocumentGone("none")
        self._notes = begun["notes"]
        if begun["waited"]:  # otherwise the load event, which can come later than this answer, would seem that of another document
            try:
                await asyncio.wait_for(self._another(documents), LOADED)
            except TimeoutError:
                pass
        self._begun = self.documents
        self._document = begun["document"]
        self._merge(begun)
        await self.advance(self.now)

    # asking
    async def ask_once(self, what: str, *, of: str = "", within: float = ANSWER, **given: Any) -> Any:
        """Call the agent of the document with that id ("": any). Raises DocumentGone if the document has been replaced.

        Arguments and results are JSON in one string: as values of the protocol they would be several times slower.
        """
        arguments = [{"type": "string", "value": each} for each in (what, json.dumps(given), of)]
        try:
            answer = await self.connection.call(
                "script.callFunction", functionDeclaration=ASK, awaitPromise=True, target={"context": self.context}, within=within,
                arguments=arguments,
            )  # fmt: skip
        except TimeoutError:
            raise PageNotSettled from None
        except BiDiError:
            raise DocumentGone("none") from None
        if answer["type"] == "exception":
            raise AgentError(answer["exceptionDetails"]["text"])
        text = answer["result"]["value"]
        if text in ("none", "another"):
            raise DocumentGone(text)
        return json.loads(text)[0]

    async def ask(self, what: str, **given: Any) -> Any:
        """Call the agent; if the document is replaced, that of the next one. Raises NoPage if none comes."""
        for _ in range(_MOST_DOCUMENTS):
            documents = self.documents
            asking = asyncio.ensure_future(self.ask_once(what, of=self._document, **given))
            coming = asyncio.ensure_future(self._another(documents))
            try:
                while True:
                    await asyncio.wait({asking, coming}, return_when=asyncio.FIRST_COMPLETED)
                    if not asking.done():
                        await asyncio.wait({asking}, timeout=0.3)  # a document that is being replaced may never answer
                    if asking.done():
                        return asking.result()
                    if not await self._is_same_document():
                        break
                    documents = self.documents
                    coming = asyncio.ensure_future(self._another(documents))
                there = True
            except DocumentGone as fault:
                there = fault.args[0] == "another"
            finally:
                for task in (asking, coming):
                    task.cancel()
                await asyncio.gather(asking, coming, return_exceptions=True)
            await self._next_document(documents, there=there)
            if what == "run_actions":
                return None  # its effects cannot be repeated
            if "known" in given:
                given |= self._wishes(given.get("target", self.now))
        raise NoPage("one document after the other replaces it")

    async def _is_same_document(self) -> bool:
        """Return whether the document is still the same one. Its own load event can come late and look like another document's."""
        try:
            await self.ask_once("here", of=self._document, within=LOADED)
        except (DocumentGone, PageNotSettled):
            return False
        return True

    async def _another(self, documents: int) -> None:
        """Wait for another document than the *documents* so far."""
        while self.documents == documents:
            self._loaded.clear()
            await self._loaded.wait()

    async def _next_document(self, documents: int, *, there: bool = False) -> None:
        """Begin with the document that comes after the *documents* so far, or with the one that is *there*."""
        try:
            if not there:
                await asyncio.wait_for(self._another(documents), LOAD)
        except TimeoutError:
            raise NoPage("it is gone, and no other document replaced it") from None
        for tries in range(100):
            self._begin()
            try:
                await self._start()
                return
            except DocumentGone:  # it is between two documents
                if tries == 99:
                    raise NoPage("it is gone, and another document replaced it") from None
                await asyncio.sleep(0.05)

    def _wishes(self, target: int) -> dict[str, Any]:
        wishes: dict[str, Any] = {"known": self._known, "open": [h.id for h in self.held if h.id is not None], "left": self.left}
        if self.virtual:
            wishes["target"] = target
        return wishes

    def _merge(self, state: dict[str, Any]) -> None:
        """Apply the agent's report of time and requests."""
        self.state = state
        if state.get("now") is not None:
            self.now = state["now"]
        self._known = state["known"]
        self._unmatched += [request for request in state["requests"] if request["held"]]
        over = set(state["over"])
        for held in [h for h in self.held if h.id in over]:
            self.held.remove(held)
            held.gate.cancel()
        self._unmatched = [request for request in self._unmatched if request["id"] not in over]
        self._lost = {number: request for number, request in self._lost.items() if number not in over}
        self._match()

    def _match(self) -> None:
        """Says of each request that has arrived when the page began it."""
        for request in tuple(self._unmatched):
            wanted = (request["method"], target_of(request["url"]))
            held = next((h for h in self.held if h.due is None and (h.request.method, h.request.target) == wanted), None)
            if held is not None:
                held.begun(request["id"], request["at"] if self.virtual else self.now)
            elif wanted in self._early:
                self._early.remove(wanted)
            else:
                continue
            self._unmatched.remove(request)

    # requests
    def is_loading(self, request: Request) -> bool:
        """Return whether *request* is the one that loads the page itself: a form without an action is sent to that URL, too."""
        return self._arriving and request.method == "GET" and request.target == target_of(self.url)

    async def answer(self, request: Request) -> Response | None:
        """Answer *request* of the loopback server once it is due; None if it is not handled here."""
        if any(lost._replace(headers={}) == request._replace(headers={}) for lost in self._lost.values()):
            return LOST  # a browser repeats an unanswered request
        itself = request.navigates and self.is_loading(request)
        decided = self.world.decide(request, self.now) if not itself else None
        if decided is None:
            self._early.append((request.method, request.target))
            self._arrived.set()
            return None
        if request.navigates and self.browser.name == "chromium" and decided.takes != NEVER:
            return decided.response  # while another page is loading, this one answers nothing and cannot be observed
        held = HeldRequest(request, decided)
        if request.navigates:
            self.left = True
            held.begun(None, self.now)
        self.held.append(held)
        self._arrived.set()
        if not self.virtual:
            asyncio.get_running_loop().call_later(decided.takes / 1000 if decided.takes != NEVER else 10_000, held.release)
        try:
            return await held.gate
        finally:
            if held in self.held:
                self.held.remove(held)

    async def _arrivals(self) -> None:
        """Wait until every request of the page has arrived."""
        for _ in range(int(ANSWERED / 0.01)):
            if not self.traffic.in_flight():
                break
            await asyncio.sleep(0.01)
        else:
            self.traffic.give_up()
        while self._unmatched:
            self._arrived.clear()
            try:
                await asyncio.wait_for(self._arrived.wait(), ARRIVE)
            except TimeoutError:
                self._unmatched.clear()  # answered out of a cache, or by a worker of the page's
                return
            self._match()

    # time
    def next_moment(self) -> int | None:
        """Return when something is due next, in virtual time; None if nothing is."""
        dues = [h.due for h in self.held if h.due is not None and h.due != _NEVER]
        if self.state.get("next") is not None:
            dues.append(self.state["next"])
        return min(dues, default=None)

    def under_way(self) -> list[str]:
        """Return what is pending: held requests, and one-time timers that are due within the settle limit."""
        found = [f"{h.request.method} {h.request.target}" for h in self.held]
        waiting = [due for due, delay in self.state.get("timers", ()) if (due - self.now if self.virtual else delay) <= self.settle_limit]
        return [*found, *(["a timer of the page's"] if waiting else [])]

    async def advance(self, target: int) -> None:
        """Let virtual time go on to *target*, answering each request when it is due. Raises PageNotSettled, BrowserGone."""
        for _ in range(10_000):
            dues = [h.due for h in self.held if h.due is not None]
            stop = min([target, *dues]) if self.virtual else target
            state = await self.ask("run", **self._wishes(max(stop, self.now)))
            self._merge(state)
            await self._arrivals()
            if state["why"] == "restless":
                raise PageNotSettled
            if state["why"] == "leaving":
                await self._leaving()
                continue
            if state["why"] != "quiet":
                continue
            due = [h for h in self.held if h.due is not None and h.due <= self.now] if self.virtual else []
            if due:
                await self._release(min(due, key=lambda h: (h.due or 0, h.id or 0)))
                continue
            if not self.virtual or self.now >= target:
                return
        raise PageNotSettled

    async def _release(self, held: HeldRequest) -> None:
        documents = self.documents
        if held.decided.response.lost and held.id is not None:
            self._lost[held.id] = held.request
        held.release()
        if held in self.held:
            self.held.remove(held)
        if held.id is None:
            await self._next_document(documents, there=self.documents != documents)

    async def _leaving(self) -> None:
        """The page has sent a form, or followed a link: its request arrives and is held, or another document comes."""
        for tries in range(int(LOAD / 0.01)):
            if self.documents != self._begun and not self._stayed and await self._is_same_document():
                self._begun = self.documents
            if self.left or self.documents != self._begun:
                break
            if tries > ARRIVE / 0.01 and not self._navigates:
                break  # it led nowhere: a download, for example
            await asyncio.sleep(0.01)
        if self.documents != self._begun:
            await self._next_document(self._begun, there=True)
        else:
            self.left = True

    # acting and looking
    async def run_actions(self, steps: list[dict[str, Any]]) -> tuple[int, dict[str, Any] | None]:
        """Do *steps*, each followed by everything due at once; return how many were done, and why the next was not."""
        done = 0
        patience = StepPatience(self)
        while done < len(steps):
            self._runs += 1
            upto = next((i + 1 for i in range(done, len(steps)) if _is_of_dialog(steps[i])), len(steps))
            found = await self.ask("run_actions", steps=steps[done:upto], number=self._runs, **self._wishes(self.now))
            if found is None:  # it led to another document
                number, came = self._progress
                done += came if number == self._runs else upto - done
                continue
            done += found["done"]
            self._merge(found)
            refused = found.get("refused")
            if refused:
                if await patience.waits(done, refused):
                    continue
                return done, refused
            if found["why"] != "quiet":
                await self._arrivals()
                await self.advance(self.now)
            if done == upto and _is_of_dialog(steps[upto - 1]):
                await patience.until_open()
        return done, None

    async def look(self, only: list[str] | None = None) -> dict[str, Any]:
        """Return the agent's snapshot of the form."""
        found: dict[str, Any] = await self.ask("look", only=only)
        found["alert"] = found["alert"] if found["alert"] is not None else self.alert
        if self.traffic.in_flight():
            await self._arrivals()
        return found

    async def press_keys(self, keys: str) -> None:
        """Press real keys where the focus is (WebDriver, "Keyboard actions")."""
        actions = [{"type": kind, "value": key} for key in keys for kind in ("keyDown", "keyUp")]
        await self.act([{"type": "key", "id": "keys", "actions": actions}])

    async def act(self, actions: list[dict[str, Any]]) -> None:
        """Perform WebDriver BiDi input *actions*."""
        await self.connection.call("input.performActions", context=self.context, actions=actions)
        await self.advance(self.now)

    async def choose_files(self, address: str, paths: list[str]) -> dict[str, Any] | None:
        """Choose files in a control (WebDriver BiDi, "input.setFiles"); return what prevents it, None if nothing does."""
        hinders = await self.ask("hinders", step={"act": "focus", "address": address})
        if hinders["kind"]:
            return dict(hinders)
        found = await self.connection.call(
            "script.callFunction", functionDeclaration="(at) => window[Symbol.for('idlefox.agent')].element(at)", awaitPromise=False,
            target={"context": self.context}, arguments=[{"type": "string", "value": address}],
        )  # fmt: skip
        element = {"sharedId": found["result"]["sharedId"]}
        await self.connection.call("input.setFiles", context=self.context, element=element, files=paths)
        await self.advance(self.now)
        return None

    async def leave(self) -> None:
        """Navigate away, to an empty page."""
        self._begin()
        await self.connection.call("browsingContext.navigate", context=self.context, url="about:blank", wait="complete", within=LOAD)

    async def told(self) -> dict[str, Any]:
        """Return the console output and page errors so far."""
        found: dict[str, Any] = await self.ask("told")
        return found

    async def picture(self) -> bytes:
        """A PNG of the whole page."""
        shot = await self.connection.call("browsingContext.captureScreenshot", context=self.context, origin="document")
        return base64.b64decode(shot["data"])


def _is_of_dialog(act: dict[str, Any]) -> bool:
    return act.get("part") in ("open", "close") or "panel" in (act.get("button") or {})
