"""A page as a server sends it: its form, and the messages and notices that stand in it (WAI-ARIA)."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from selectolax.lexbor import LexborHTMLParser

from ..forms.html.read import read_page_text
from ..forms.html.tree import collapsed
from ..forms.model.form import Form
from ..problems import Unreadable


class ServedPage:
    """The page *text* from *url*; *wanted* is the id of its form. *form* is None where it has no such form."""

    def __init__(self, text: str, url: str, wanted: str = "", charset: str = "UTF-8") -> None:
        self.url, self.text = url, text
        self.form: Form | None = None
        self.why = ""
        try:
            form = read_page_text(text, url, wanted, charset)
            home = urlsplit(url).path or "/"
            self.form = form._replace(page=form.page._replace(home=home), submit=form.submit._replace(to=form.page.action or home))
        except Unreadable as fault:
            self.why = fault.problems[0].cause
        self._parser = LexborHTMLParser(text)
        self.messages: dict[str, list[str]] = {}
        self.marked: set[str] = set()
        self.notices: list[tuple[str, str]] = []
        self.own: list[str] = []
        self._read()

    def _read(self) -> None:
        claimed: set[int] = set()
        for control in self._parser.css("input,select,textarea,[role=group],fieldset"):
            name = control.attributes.get("name") or ""
            wrong = (control.attributes.get("aria-invalid") or "false") != "false"
            if name and wrong:
                self.marked.add(name)
            for attribute in ("aria-errormessage", "aria-describedby"):
                for node in self._referred(control.attributes.get(attribute)):
                    loud = (node.attributes.get("role") or "") == "alert"
                    text = _text(node)
                    if text and name and (wrong or loud) and text not in self.messages.get(name, ()):
                        self.messages.setdefault(name, []).append(text)
                    claimed.add(node.mem_id)
        inside = {node.mem_id for form in self._parser.css("form") for node in form.css("[role=alert]")}
        for node in self._parser.css("[role=alert],[role=status],output"):
            text = _text(node)
            if not text or node.mem_id in claimed:
                continue
            if node.mem_id in inside:
                self.own.append(text)
            else:
                self.notices.append(("alert" if node.attributes.get("role") == "alert" else "status", text))

    def _referred(self, ids: str | None) -> list[Any]:
        found = []
        for each in (ids or "").split():
            node = next((n for n in self._parser.css("[id]") if n.attributes["id"] == each), None)
            if node is not None and "hidden" not in node.attributes:
                found.append(node)
        return found


def _text(node: Any) -> str:
    return collapsed(node.text(deep=True)) if "hidden" not in node.attributes else ""
