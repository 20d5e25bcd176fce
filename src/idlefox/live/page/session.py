"""One browser with one page, in which scenarios run one after the other. A part that dies is restarted for the next scenario.

The event loop runs only during calls, so nothing happens in between.
"""

from __future__ import annotations

import asyncio
import os
from collections.abc import Coroutine
from multiprocessing.util import Finalize
from time import monotonic
from typing import Any, TypeVar

from ...engine.session.session import SessionFactory
from ...forms.model.form import Form
from ...forms.model.live import LivePage
from ...records import NamedTuple
from ...refusals import Refusal
from ..browser.connection import BiDiError, BrowserGone
from ..browser.launch import Browser
from ..messages import StoredData
from ..servers.backend import NOBODY, PageBackend
from ..servers.dev_server import DevServer, ready
from ..servers.loopback import Loopback
from ..servers.served_files import live_path
from .browsing_context import NOTHING_STORED, BrowsingContext, NoPage, PageNotSettled
from .page_map import agent_map
from .script_watch import PageScript, ScriptWatch

T = TypeVar("T")


class LiveOptions(NamedTuple):
    """The browser (firefox, chromium), whether it has a window, and the kind of input (quick, real).

    *deadline* is the real time that a scenario may take, in seconds. With *trust*, sheets may start their dev servers. With *scripts*,
    the browser notes which lines of the page's scripts run (only Chromium can). With *follow*, what a person does in the page is noted.
    """

    browser: str = "firefox"
    show: bool = False
    hands: str = "quick"
    deadline: float = 30.0
    trust: bool = False
    scripts: bool = False
    follow: bool = False


class SessionLost(Exception):
    """The page or the browser can no longer be used; *refusal* says why."""

    def __init__(self, refusal: Refusal) -> None:
        super().__init__(refusal.kind)
        self.refusal = refusal


class PageEnvironment:
    """Per-form state reused between scenarios: the backend of its page, and its server."""

    def __init__(self, form: Form, stage: SessionFactory) -> None:
        self.form, self.stage = form, stage
        self.live: LivePage = form.live or LivePage()
        self.world = PageBackend(form, stage)
        self.settings = {"map": agent_map(form), "held": self.world.held()}
        self.url = ""  # once it is there
        self.stored: StoredData | None = None  # what the sign-in has left


class BrowserSession:
    """One browser with one page at a time. Everything starts when it is needed."""

    def __init__(self, wishes: LiveOptions) -> None:
        self.wishes = wishes
        self.browser: Browser | None = None
        self.page: BrowsingContext | None = None
        self.watch: ScriptWatch | None = None
        self.ends = 0.0  # when the scenario must be over, by the real clock
        self._ground: PageEnvironment | None = None
        self._at = ""  # the current page, for messages
        self._watched = ""  # the URL of the page whose scripts are watched
        self._loopbacks: dict[str, Loopback] = {}  # by the folder that each serves
        self._servers: list[DevServer] = []
        self._loop: asyncio.AbstractEventLoop | None = None
        self._process = os.getpid()
        Finalize(None, self.close, exitpriority=1)  # unlike atexit, this holds in processes of a pool, too

    @property
    def loop(self) -> asyncio.AbstractEventLoop:
        """The event loop."""
        if self._loop is None:
            self._loop = asyncio.new_event_loop()
        return self._loop

    def run(self, work: Coroutine[Any, Any, T]) -> T:
        """Run *work* and return its result. Raises SessionLost if the browser or the page is lost, or on a timeout."""
        left = self.ends - monotonic()
        try:
            return self.loop.run_until_complete(asyncio.wait_for(work, max(left, 0.001)))
        except PageNotSettled:
            self._drop()
            raise SessionLost(Refusal("restless")) from None
        except NoPage as fault:
            self._drop()
            raise SessionLost(Refusal("no page", facts={"url": self._at, "why": str(fault)})) from None
        except BrowserGone as fault:
            self._drop()
            raise SessionLost(Refusal("browser gone", facts={"why": f"{self.wishes.browser} is gone: {fault}"})) from None
        except TimeoutError:
            self._drop()
            raise SessionLost(Refusal("too long", facts={"seconds": self.wishes.deadline})) from None
        except BiDiError as fault:
            self._drop()
            raise SessionLost(Refusal("browser gone", facts={"why": f"{self.wishes.browser} cannot continue: {fault}"})) from None

    def load(self, ground: PageEnvironment, clock: int) -> None:
        """Begin a scenario: the page of *ground* fresh, at the virtual instant *clock*. Raises SessionLost, NoBrowser."""
        self.ends = monotonic() + self.wishes.deadline + (60.0 if self.browser is None else 0.0)  # starting a browser takes longer
        ground.world.start(clock)
        self._at = ground.live.page
        self.run(self._load(ground, clock))
        self.ends = monotonic() + self.wishes.deadline

    async def _load(self, ground: PageEnvironment, clock: int) -> None:
        if self.browser is None:
            self.browser = await Browser.start(self.wishes.browser, show=self.wishes.show)
        if self.watch is not None and self.page is not None:
            await self.watch.take(self._watched)
        if self._ground is not ground and self.page is not None:
            await self.page.close()
            self.page = None
        if self.page is None:
            self.page, self._ground = self._tab(self.browser, ground), ground
            await self.page.open()
            if ground.live.requests == "real":
                await self.page.traffic.watch()
            elif "://" in ground.live.page:
                await self.page.traffic.intercept()
            if self.wishes.scripts:
                self.watch = self.watch or ScriptWatch()
                await self.watch.start(self.page.connection, self.page.context)
        self._watched = ground.url
        now = clock if ground.live.time == "virtual" else None
        await self.page.load(ground.url, now, fresh=True, stored=ground.stored or NOTHING_STORED)

    def _tab(self, browser: Browser, ground: PageEnvironment) -> BrowsingContext:
        return BrowsingContext(browser, ground.world, {**ground.settings, "follow": self.wishes.follow})

    def take_scripts(self) -> list[PageScript]:
        """Return the scripts of the pages since the last call and what of them ran, with `LiveOptions.scripts`."""
        if self.watch is None:
            return []
        self.ends = monotonic() + self.wishes.deadline
        if self.page is not None:
            try:
                self.run(self.watch.take(self._watched))
            except SessionLost:
                pass  # what had run before is known
        return self.watch.taken()

    def make_ready(self, ground: PageEnvironment) -> None:
        """Have the page of *ground* there to be loaded, and a browser. Raises NotReady, NoBrowser, BrowserGone."""
        self.loop.run_until_complete(self._make_ready(ground))

    async def _make_ready(self, ground: PageEnvironment) -> None:
        live = ground.live
        if not ground.url and "://" in live.page:
            server = await ready(live.page, live.serve, os.path.dirname(live.file) or ".", live.ready / 1000, trust=self.wishes.trust)
            if server is not None:
                self._servers.append(server)
            ground.url = live.page
        elif not ground.url:
            _, mark, fragment = live.page.partition("#")
            folder, path = live_path(live)
            if folder not in self._loopbacks:
                self._loopbacks[folder] = Loopback(folder, self._answer)
                await self._loopbacks[folder].start()
            ground.url = f"{self._loopbacks[folder].base}/{path}{mark}{fragment}"
        if self.browser is None:
            self.browser = await Browser.start(self.wishes.browser, show=self.wishes.show)

    def source_of(self, url: str) -> str:
        """The page at *url* as HTML, once its scripts have run and it is at rest. Raises SessionLost, NotReady, NoBrowser, BrowserGone."""
        self.ends = monotonic() + self.wishes.deadline + 60.0
        self._at = url
        return self.run(self._source_of(url))

    async def _source_of(self, url: str) -> str:
        await ready(url, "", ".", 5.0, trust=False)
        if self.browser is None:
            self.browser = await Browser.start(self.wishes.browser, show=self.wishes.show)
        if self.page is not None:
            await self.page.close()
        self.page, self._ground = BrowsingContext(self.browser, NOBODY, {"map": {"fields": {}, "views": {}}, "held": []}), None
        await self.page.open()
        await self.page.load(url, 0, fresh=True)
        return str(await self.page.ask("source"))

    async def _answer(self, request: Any) -> Any:
        return await self.page.answer(request) if self.page is not None else None

    def folder(self) -> str:
        """Return a folder for made-up files; it is removed with the browser."""
        assert self.browser is not None
        return self.browser.folder

    def _drop(self) -> None:
        """The browser is of no more use: the next scenario gets another."""
        browser, self.browser, self.page = self.browser, None, None
        if browser is not None:
            browser.kill()

    def close(self) -> None:
        """End the browser and the server. What another process has started is left alone."""
        if self._process != os.getpid():
            return
        if self._loop is None:
            return
        try:
            if self.browser is not None:
                self.loop.run_until_complete(self.browser.close())
            for loopback in self._loopbacks.values():
                self.loop.run_until_complete(loopback.stop())
            for task in asyncio.all_tasks(self._loop):
                task.cancel()
            self.loop.run_until_complete(asyncio.sleep(0))
        finally:
            self._drop()
            for server in self._servers:
                server.end()
            self._servers.clear()
            self._loop.close()
            self._loop = None


