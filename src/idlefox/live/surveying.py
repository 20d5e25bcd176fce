"""Surveys of running pages: what a person who opens one finds, for a sheet that does not exist yet."""

from __future__ import annotations

import json
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.model.form import Form
from ..forms.sheet.read import read_sheet_text
from ..problems import CALL, Place, Problem, Unreadable
from ..refusals import Refusal
from .browser.connection import BrowserGone
from .browser.launch import NoBrowser, choose
from .page.session import BrowserSession, LiveOptions, PageEnvironment, SessionLost
from .page.subject import LivePageSubject
from .servers.dev_server import NotReady

_NOTHING = "form: survey\nfields: {}\nlive: {page: %s, requests: real}\n"
_DEADLINE = 120.0  # seconds


class Surveyor:
    """A browser for surveys. *folder* is where a page that is a file, and its sheet, stand. Close it at the end.

    Every method raises Unreadable where the page cannot be opened.
    """

    def __init__(self, folder: str, browser: str = "auto") -> None:
        try:
            self.lane = BrowserSession(LiveOptions(choose(browser), deadline=_DEADLINE))
        except NoBrowser as fault:
            raise Unreadable([Problem(Place("the page", 1, 1), fault.cause, fault.remedy, code=CALL)]) from None
        self.folder = folder

    def survey(self, page: str) -> dict[str, Any]:
        """Return what is on *page*, a URL or a file in the folder."""
        form = read_sheet_text(_NOTHING % json.dumps(page), f"{self.folder}/survey.form.yaml")
        subject = self._loaded(form)
        try:
            found: dict[str, Any] = self.lane.run(subject.page.ask("survey"))
        except SessionLost as fault:
            cause = f"no survey is possible: {_why(fault.refusal)}"
            raise Unreadable([Problem(Place(page, 1, 1), cause, "write the sheet by hand", code=CALL)]) from None
        return found

    def open(self, form: Form) -> LivePageSubject:
        """Return the page of *form* as a subject."""
        ground = PageEnvironment(form, SessionFactory(compile_form(form)))
        try:
            self.lane.make_ready(ground)
        except (NotReady, NoBrowser, BrowserGone) as fault:
            raise Unreadable([Problem(Place(ground.live.page, 1, 1), str(fault), "is the server running?", code=CALL)]) from None
        return LivePageSubject(self.lane, ground, self.folder)

    def _loaded(self, form: Form) -> LivePageSubject:
        subject = self.open(form)
        refusal = subject.load(0)
        if refusal is not None:
            page = form.live.page if form.live is not None else form.file
            raise Unreadable([Problem(Place(page, 1, 1), f"it does not load: {_why(refusal)}", "is the server running?", code=CALL)])
        return subject

    def unfound(self, form: Form) -> list[str]:
        """The addresses of *form* whose control is not found on its page at load, or of which there are two."""
        fields = self.lane.run(self._loaded(form).page.look())["fields"]
        return [address for address, facts in fields.items() if facts is None or "value" not in facts]

    def framed(self, form: Form) -> tuple[bytes, list[dict[str, Any]]]:
        """A picture of the page of *form* at load (PNG), and where its parts stand."""
        return self.lane.run(self._framed(self._loaded(form)))

    async def _framed(self, subject: LivePageSubject) -> tuple[bytes, list[dict[str, Any]]]:
        found = await subject.page.ask("frames")
        picture, ratio = await subject.page.picture(), found["ratio"]
        sides = ("x", "y", "width", "height")
        return picture, [{**each, **{side: each[side] * ratio for side in sides}} for each in found["frames"]]

    def close(self) -> None:
        """End the browser."""
        self.lane.close()


def _why(refusal: Refusal) -> str:
    return str(refusal.facts.get("why", refusal.kind))
