"""From a form to its page as a subject, for `run --live`."""

from __future__ import annotations

import asyncio
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.html.model import HtmlPage
from ..forms.html.read import read_page_text
from ..forms.model.form import Form
from ..forms.model.live import Find, LivePage
from ..playing.subjects import Loaded, page_warnings
from ..problems import CALL, OUTSIDE, Place, Problem, Unreadable, near_file
from ..records import NamedTuple
from ..roots import is_outside_roots
from .browser.connection import BrowserGone
from .browser.launch import NoBrowser, choose
from .page.session import BrowserSession, LiveOptions, PageEnvironment, SessionLost
from .page.subject import LivePageSubject
from .servers.dev_server import DevServer, NotReady, ready
from .signing_in import sign_in

if TYPE_CHECKING:
    from .http.client import HttpClient
    from .page.script_watch import PageScript

KINDS = ("auto", "firefox", "chromium", "http")


# Kept per process from script to script: a browser, and the servers of its forms.
_LANES: dict[LiveOptions, BrowserSession] = {}
_GROUNDS: dict[tuple[str, str], PageEnvironment] = {}  # of the last reading of each form
_SERVERS: dict[str, DevServer] = {}  # servers started for pages that run over HTTP


class LiveSubjectFactory(NamedTuple):
    """A picklable factory of live subjects."""

    wishes: LiveOptions
    retries: int = 0  # how often a failed scenario runs again

    def __call__(self, form: Form) -> Loaded:
        """The page of *form* as a subject."""
        if form.page is not None and form.live is None:
            form = _with_page(form)
        live = form.live
        if live is None:
            way = SessionFactory(compile_form(form)).way
            return Loaded(form, _nothing, LivePageSubject.abilities, way, make_ready=lambda: _no_page(form))
        if self.wishes.browser == "http":
            return self._over_http(form, live)
        lane = _LANES.get(self.wishes) or _LANES.setdefault(self.wishes, BrowserSession(self.wishes))
        ground = _GROUNDS.get((form.file, form.id))
        if ground is None or ground.form is not form:
            ground = _GROUNDS[form.file, form.id] = PageEnvironment(form, SessionFactory(compile_form(form)))
        kept = ground
        return Loaded(
            form, lambda folder: LivePageSubject(lane, kept, folder), LivePageSubject.abilities, kept.stage.way,
            (), lambda: self._make_ready(lane, kept), self.retries,
        )  # fmt: skip

    def _make_ready(self, lane: BrowserSession, ground: PageEnvironment) -> None:
        """Have the page and a browser there, and the person signed in. Raises Unreadable."""
        _make_ready(lane, ground)
        if ground.live.sign_in and ground.stored is None:
            ground.stored = sign_in(ground.live, self, LivePageSubject.stored, trust=self.wishes.trust)

    def _over_http(self, form: Form, live: LivePage) -> Loaded:
        """The page of *form* without its scripts."""
        kept: list[Any] = []  # the cookies of the sign-in

        def make_ready() -> None:
            _ready_over_http(live, self.wishes.trust)
            if live.sign_in and not kept:
                kept.append(sign_in(live, self, HttpSubject.cookies, trust=self.wishes.trust))

        from .http.subject import HttpSubject

        stage = SessionFactory(compile_form(form))
        begin = lambda folder: HttpSubject(form, live.page, folder, *kept)  # noqa: E731
        return Loaded(form, begin, HttpSubject.abilities, stage.way, make_ready=make_ready)

    def scripts(self) -> list[PageScript]:
        """Return the scripts of the pages since the last call and what of them ran, with `LiveOptions.scripts`."""
        lane = _LANES.get(self.wishes)
        return lane.take_scripts() if lane is not None else []

    def at(self, url: str) -> Loaded:
        """The page at *url* as a subject, as it says itself: in the browser, or over HTTP. Raises Unreadable."""
        if self.wishes.browser == "http":
            return served_subject(url)
        lane = _LANES.get(self.wishes) or _LANES.setdefault(self.wishes, BrowserSession(self.wishes))
        form = rendered(url, lane)
        return self(form._replace(live=LivePage(page=url, validity="native", requests="real", file=url)))


_PAGES: dict[tuple[str, str], tuple[Form, Form]] = {}  # the last reading of each


def _with_page(form: Form) -> Form:
    """Return the form of a page, or of a sheet over a page, with that page under `live`; the same object for the same form."""
    known = _PAGES.get((form.file, form.id))
    if known is None or known[0] is not form:
        page: HtmlPage = form.page
        own = f"form[id={json.dumps(page.form_id)}],form[name={json.dumps(page.form_id)}]" if page.form_id else ""
        beside = os.path.relpath(page.file, os.path.dirname(form.file) or ".")
        live = LivePage(page=beside, form=Find(css=own) if own else None, validity="native", file=form.file)
        known = _PAGES[form.file, form.id] = (form, form._replace(live=live))
    return known[1]


def _nothing(folder: str) -> Any:
    raise AssertionError("a form without a page cannot run live")


def _ready_over_http(live: LivePage, trust: bool) -> None:
    """Have the page of *live* answer: a file beside the sheet cannot be asked over HTTP. Raises Unreadable."""
    if "://" not in live.page:
        remedy = "name a URL, for example page: http://127.0.0.1:8000/booking (idlefox serve provides one)"
        place = Place(live.file, max(live.line, 1), 1)
        raise Unreadable([Problem(place, f"{live.page} is a file, which no server answers for over HTTP", remedy)])
    if not live.serve or live.page in _SERVERS:
        return
    try:
        folder = os.path.dirname(live.file) or "."
        server = asyncio.run(ready(live.page, live.serve, folder, live.ready / 1000, trust=trust))
    except NotReady as fault:
        raise _not_ready(live, fault) from None
    if server is not None:
        _SERVERS[live.page] = server


def served_subject(url: str) -> Loaded:
    """Return the page at *url* as a subject over HTTP. Raises Unreadable if it has no form."""
    from .http.subject import HttpSubject

    page = fetched(url)
    form = page.form
    if form is None:
        raise Unreadable([Problem(Place(url, 1, 1), page.why, "with --live it runs in a browser, including its scripts")])
    stage = SessionFactory(compile_form(form))
    return Loaded(form, lambda folder: HttpSubject(form, url, folder), HttpSubject.abilities, stage.way, page_warnings(form))


def fetched(url: str) -> Any:
    """The page at *url* as its server sends it. Raises Unreadable."""
    from .http.client import HttpClient

    return _asked(url, HttpClient.page)


def status_of(url: str) -> int:
    """The HTTP status with which a server answers *url*. Raises Unreadable where nothing answers."""
    response, _ = _asked(url, lambda web, there: web.fetch("GET", there))
    return int(response.status_code)


def _asked(url: str, ask: Callable[[HttpClient, str], Any]) -> Any:
    import httpx

    from .http.client import HttpClient, OtherHost

    web = HttpClient(frozenset({urlsplit(url).netloc}))
    try:
        return ask(web, url)
    except OtherHost as fault:
        cause = f"it leads to {urlsplit(str(fault)).netloc}"
        raise Unreadable([Problem(Place(url, 1, 1), cause, "if you mean that host, name it in the sheet or the call", code=CALL)]) from None
    except (httpx.HTTPError, httpx.InvalidURL) as fault:
        cause = f"it does not answer, or not with a usable page: {fault}"
        raise Unreadable([Problem(Place(url, 1, 1), cause, "is the server running?", code=CALL)]) from None
    finally:
        web.close()


def _no_page(form: Form) -> None:
    remedy = "add it to the sheet, for example live: {page: booking.html}, or leave out --live"
    raise Unreadable([Problem(Place(form.file, 1, 1), "this sheet does not name its page", remedy)])


def _make_ready(lane: BrowserSession, ground: PageEnvironment) -> None:
    live = ground.live
    place = Place(live.file, max(live.line, 1), 1)
    if "://" not in live.page:
        file = live.page.partition("#")[0]
        path = str(Path(live.file).parent / file)
        if is_outside_roots(path):
            remedy = "--root DIR allows another folder"
            raise Unreadable([Problem(place, f"{file} is outside the project", remedy, code=OUTSIDE)])
        if not os.path.isfile(path):
            raise Unreadable([Problem(place, f"page not found beside the sheet: {file!r}", near_file(path, file))])
    try:
        lane.make_ready(ground)
    except NotReady as fault:
        raise _not_ready(live, fault) from None
    except (NoBrowser, BrowserGone) as fault:
        remedy = fault.remedy if isinstance(fault, NoBrowser) else ""
        raise Unreadable([Problem(Place("--live", 1, 1), str(fault), remedy, code=CALL)]) from None


def _not_ready(live: LivePage, fault: NotReady) -> Unreadable:
    said = f"its last output: {' / '.join(fault.said[-3:])}" if fault.said else fault.remedy or "start it, or add the command to live.serve"
    return Unreadable([Problem(Place(live.file, max(live.line, 1), 1), f"{live.page}: {fault.why}", said)])


def source_of(url: str) -> str:
    """Return the page at *url* as its server sends it, where no browser is available. Raises Unreadable if that has no form."""
    needs_libraries("a page behind a URL")
    page = fetched(url)
    if page.form is None:
        remedy = "a page drawn by scripts needs a browser (Debian: apt install firefox-esr)"
        raise Unreadable([Problem(Place(url, 1, 1), page.why, remedy)])
    return str(page.text)


def rendered(url: str, lane: BrowserSession) -> Form:
    """The form of the page at *url* as a browser has it once its scripts have run. Raises Unreadable."""
    return read_page_text(_rendered(url, lane), url, urlsplit(url).fragment)


def _rendered(url: str, lane: BrowserSession) -> str:
    place = Place(url, 1, 1)
    try:
        return lane.source_of(url)
    except (NotReady, NoBrowser, BrowserGone) as fault:
        raise Unreadable([Problem(place, str(fault), "is the server running?", code=CALL)]) from None
    except SessionLost as fault:
        cause = str(fault.refusal.facts.get("why", fault.refusal.kind))
        raise Unreadable([Problem(place, f"it does not load: {cause}", "is the server running?", code=CALL)]) from None


def close_all() -> None:
    """End every browser and server of this process."""
    for lane in _LANES.values():
        lane.close()
    _LANES.clear()
    _GROUNDS.clear()
    for server in _SERVERS.values():
        server.end()
    _SERVERS.clear()


def needs_libraries(what: str) -> None:
    """Raise Unreadable where the libraries that *what* takes are not installed."""
    try:
        import h11  # noqa: F401
        import httpx  # noqa: F401
        import websockets  # noqa: F401
    except ImportError as fault:
        cause = f"{what} needs a library that is not installed: {fault.name}"
        raise Unreadable([Problem(Place(what, 1, 1), cause, "install it: pip install 'idle-fox[live]'", code=CALL)]) from None


def lacks_display() -> bool:
    """Return whether a browser has no display to open a window on."""
    return sys.platform.startswith("linux") and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def live_subjects(kind: str, *, show: bool, hands: str, deadline: float, retries: int = 0, trust: bool = False) -> LiveSubjectFactory:
    """Return the factory of live subjects for a browser of *kind*. Raises Unreadable if it is not available."""
    needs_libraries("--live")
    if kind == "http":
        return LiveSubjectFactory(LiveOptions("http", trust=trust), retries)
    if show and lacks_display():
        remedy = "leave out --show, or set a display: DISPLAY=:0"
        raise Unreadable([Problem(Place("--show", 1, 1), "no display is available to open a window on", remedy, code=CALL)])
    try:
        browser = choose(kind)
    except NoBrowser as fault:
        raise Unreadable([Problem(Place("--live", 1, 1), fault.cause, fault.remedy, code=CALL)]) from None
    return LiveSubjectFactory(LiveOptions(browser, show, hands, deadline, trust), retries)
