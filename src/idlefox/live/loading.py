"""From a form to the page that it names, as a subject: what `run --live` plays on."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import Stage
from ..forms.model.form import Form
from ..forms.model.live import LivePage
from ..play.subjects import Loaded
from ..problems import CALL, OUTSIDE, Place, Problem, Unreadable, near_file
from ..records import NamedTuple
from ..roots import outside
from .browsers import NoBrowser, choose
from .connection import BrowserGone
from .lane import Ground, Lane, LiveWishes
from .served import NotReady
from .subject import LivePageSubject

KINDS = ("auto", "firefox", "chromium")


# Of this process: a browser is kept from script to script, and so is what its forms need.
_LANES: dict[LiveWishes, Lane] = {}
_GROUNDS: dict[int, Ground] = {}


class Live(NamedTuple):
    """Makes live subjects of forms: what `play` is handed to go outside. It can be sent to another process."""

    wishes: LiveWishes
    retries: int = 0  # how often what fails is played again

    def __call__(self, form: Form) -> Loaded:
        """The page of *form* as a subject."""
        if form.page is not None and form.live is None:
            form = _with_page(form)
        live = form.live
        if live is None:
            return Loaded(form, _nothing, LivePageSubject.abilities, Stage(compile_form(form)).way, make_ready=lambda: _no_page(form))
        lane = _LANES.get(self.wishes) or _LANES.setdefault(self.wishes, Lane(self.wishes))
        ground = _GROUNDS.get(id(form))
        if ground is None or ground.form is not form:
            ground = _GROUNDS[id(form)] = Ground(form, Stage(compile_form(form)))
        kept = ground
        return Loaded(
            form, lambda folder: LivePageSubject(lane, kept, folder), LivePageSubject.abilities, kept.stage.way,
            _told(live), lambda: _make_ready(lane, kept), self.retries,
        )  # fmt: skip


_PAGES: dict[int, tuple[Form, Form]] = {}


def _with_page(form: Form) -> Form:
    """A form of a page, with that page as the one that is played; the same for the same form."""
    known = _PAGES.get(id(form))
    if known is None or known[0] is not form:
        live = LivePage(page=Path(form.file).name, validity="native", file=form.file)
        known = _PAGES[id(form)] = (form, form._replace(live=live))
    return known[1]


def _nothing(folder: str) -> Any:
    raise AssertionError("nothing is played on a form that has no page")


def _told(live: LivePage) -> tuple[str, ...]:
    """What a person should know before anything is started in their name."""
    return (f"if nothing answers at {live.page}, this is run: {live.serve}",) if live.serve else ()


def _no_page(form: Form) -> None:
    remedy = "say so under live: as in live: {page: booking.html}, or leave out --live"
    raise Unreadable([Problem(Place(form.file, 1, 1), "this sheet does not say where its page is", remedy)])


def _make_ready(lane: Lane, ground: Ground) -> None:
    live = ground.live
    place = Place(live.file, max(live.line, 1), 1)
    if "://" not in live.page:
        file = live.page.partition("#")[0]
        path = str(Path(live.file).parent / file)
        if outside(path):
            remedy = "--root DIR allows another folder"
            raise Unreadable([Problem(place, f"{file} lies outside of the project", remedy, code=OUTSIDE)])
        if not os.path.isfile(path):
            raise Unreadable([Problem(place, f"there is no page {file!r} beside the sheet", near_file(path, file))])
    try:
        lane.make_ready(ground)
    except NotReady as fault:
        said = f"the last it said: {' / '.join(fault.said[-3:])}" if fault.said else "start it, or say how under live.serve"
        raise Unreadable([Problem(place, f"{live.page}: {fault.why}", said)]) from None
    except (NoBrowser, BrowserGone) as fault:
        remedy = fault.remedy if isinstance(fault, NoBrowser) else ""
        raise Unreadable([Problem(Place("--live", 1, 1), str(fault), remedy, code=CALL)]) from None


def close_all() -> None:
    """Ends every browser of this process."""
    for lane in _LANES.values():
        lane.close()
    _LANES.clear()
    _GROUNDS.clear()


def live_subjects(kind: str, *, show: bool, hands: str, deadline: float, retries: int = 0) -> Live:
    """What plays forms live in a browser of *kind*. Raises Unreadable where there is none, or what it takes is not installed."""
    try:
        import h11  # noqa: F401
        import httpx  # noqa: F401
        import websockets  # noqa: F401
    except ImportError as fault:
        cause = f"--live needs a library that is not installed: {fault.name}"
        raise Unreadable([Problem(Place("--live", 1, 1), cause, "install it: pip install 'idle-fox[live]'", code=CALL)]) from None
    try:
        browser = choose(kind)
    except NoBrowser as fault:
        raise Unreadable([Problem(Place("--live", 1, 1), fault.cause, fault.remedy, code=CALL)]) from None
    return Live(LiveWishes(browser, show, hands, deadline), retries)
