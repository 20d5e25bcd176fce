"""Surveys of running pages: what a person who opens one finds, for a sheet that does not exist yet."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.model.form import Form
from ..forms.sheet.read import read_sheet_text
from ..playing.subject import Subject
from ..problems import CALL, Place, Problem, Unreadable
from .browser.connection import BrowserGone
from .browser.launch import NoBrowser, choose
from .page.session import BrowserSession, LiveOptions, PageEnvironment, SessionLost
from .page.subject import LivePageSubject
from .servers.dev_server import NotReady

_NOTHING = "form: survey\nfields: {}\nlive: {page: %s, requests: real}\n"


class Surveyor:
    """A browser for surveys. *folder* is where a page that is a file, and its sheet, stand. Close it at the end."""

    def __init__(self, folder: str, browser: str = "auto") -> None:
        try:
            self.lane = BrowserSession(LiveOptions(choose(browser), deadline=120.0))
        except NoBrowser as fault:
            raise Unreadable([Problem(Place("the page", 1, 1), fault.cause, fault.remedy, code=CALL)]) from None
        self.folder = folder

    def survey(self, page: str) -> dict[str, Any]:
        """Return what is on *page*, a URL or a file in the folder. Raises Unreadable."""
        import json

        form = read_sheet_text(_NOTHING % json.dumps(page), f"{self.folder}/survey.form.yaml")
        subject = self.open(form)
        refusal = subject.load(0)
        if refusal is not None:
            raise Unreadable([Problem(Place(page, 1, 1), f"it does not load: {refusal.facts.get('why', refusal.kind)}", "is the server running?", code=CALL)])
        try:
            found: dict[str, Any] = self.lane.run(subject.page.ask("survey"))
        except SessionLost as fault:
            cause = str(fault.refusal.facts.get("why", fault.refusal.kind))
            raise Unreadable([Problem(Place(page, 1, 1), f"it could not be surveyed: {cause}", "write the sheet by hand", code=CALL)]) from None
        return found

    def open(self, form: Form) -> LivePageSubject:
        """Return the page of *form* as a subject. Raises Unreadable."""
        ground = PageEnvironment(form, SessionFactory(compile_form(form)))
        try:
            self.lane.make_ready(ground)
        except (NotReady, NoBrowser, BrowserGone) as fault:
            raise Unreadable([Problem(Place(ground.live.page, 1, 1), str(fault), "is the server running?", code=CALL)]) from None
        return LivePageSubject(self.lane, ground, self.folder)

    def unfound(self, form: Form) -> dict[str, str]:
        """The addresses of *form* whose control is not found on its page at load, or of which there are two. Raises Unreadable."""
        subject = self.open(form)
        if subject.load(0) is not None:
            return {}
        fields = self.lane.run(subject.page.look())["fields"]
        return {address: "two" if "two" in facts else "none" for address, facts in fields.items() if facts is None or "value" not in facts}

    def close(self) -> None:
        """End the browser."""
        self.lane.close()


Opened = Callable[[Form], Subject]
