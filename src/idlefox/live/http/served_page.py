"""A served page: its form, and its messages and notices (WAI-ARIA)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import urlsplit

from selectolax.lexbor import LexborHTMLParser, SelectolaxError

from ...forms.html.model import PageButton
from ...forms.html.nodes import selected
from ...forms.html.read import read_page_text
from ...forms.html.tree import collapsed
from ...forms.model.form import Form
from ...forms.model.live import Find
from ...problems import Unreadable

_BUTTONS = frozenset({"submit", "image", "reset", "button"})
_ROLES = {"select": "combobox", "textarea": "textbox", "button": "button", "fieldset": "group", "form": "form", "output": "status"}
_INPUTS = {"checkbox": "checkbox", "radio": "radio", "number": "spinbutton", "range": "slider", "search": "searchbox"}


class ServedPage:
    """The page *text* from *url*; *wanted* is the id of its form. *form* is None if it has no such form.

    *likely* is the id that one of several forms may have, *own* where the map says that it is. *before* are the descriptions of the
    first page of the scenario: a description that was not there then is a message. None: this is the first page.
    """

    def __init__(
        self, text: str, url: str, wanted: str = "", charset: str = "UTF-8", *, likely: str = "", own: Find | None = None,
        before: frozenset[str] | None = None,
    ) -> None:  # fmt: skip
        self.url, self.text = url, text
        self._before = before
        self.form: Form | None = None
        self.why = ""
        self._parser = LexborHTMLParser(text)
        self._by_id: dict[str, Any] = {}
        for node in self._parser.css("[id]"):
            self._by_id.setdefault(node.attributes["id"] or "", node)
        self._labels = {node.attributes["for"]: node for node in reversed(self._parser.css("label[for]"))}
        self._numbers: dict[int, int] | None = None
        wanted = wanted or self._id_of(own, likely)
        try:
            form = read_page_text(text, url, wanted, charset)
            home = urlsplit(url).path or "/"
            self.form = form._replace(page=form.page._replace(home=home), submit=form.submit._replace(to=form.page.action or home))
        except Unreadable as fault:
            self.why = fault.problems[0].cause
        self.messages: dict[str, list[str]] = {}
        self.linked: dict[str, list[str]] = {}  # by control: the texts of links in an error summary
        self.marked: set[str] = set()
        self.required: set[str] = set()
        self.notices: list[tuple[str, str]] = []
        self.own: list[str] = []
        self._read()

    def _id_of(self, own: Find | None, likely: str) -> str:
        """Return the id of the form, "" if it is undetermined or the form has none."""
        forms = self._parser.css("form")
        if own is not None:
            forms = [f for f in self.found(own, self.root) if f.tag == "form"]
        elif len(forms) > 1:
            forms = [f for f in forms if f.attributes.get("id") == likely]
        return (forms[0].attributes.get("id") or "") if len(forms) == 1 else ""

    @property
    def root(self) -> Any:
        """The document's element."""
        return self._parser.root

    @property
    def elements(self) -> tuple[Any, ...]:
        """The controls and buttons of the form, in tree order."""
        found: tuple[Any, ...] = self.form.page.elements if self.form is not None else ()
        return found

    def submits(self) -> Iterator[tuple[int, PageButton]]:
        """The submit buttons with their numbers among the elements."""
        return ((n, e) for n, e in enumerate(self.elements) if isinstance(e, PageButton) and e.kind in ("submit", "image"))

    def number_of(self, node: Any) -> int | None:
        """Which of the form's elements the button *node* is."""
        if self._numbers is None:
            numbers = [n for n, e in enumerate(self.elements) if isinstance(e, PageButton)]
            nodes = [each for form in self._forms() for each in form.css("button,input") if role_of(each) == "button"]
            self._numbers = {each.mem_id: n for each, n in zip(nodes, numbers, strict=False)} if len(nodes) == len(numbers) else {}
        return self._numbers.get(node.mem_id)

    def _forms(self) -> list[Any]:
        """Return the node of the form."""
        forms = self._parser.css("form")
        own = [f for f in forms if self.form is not None and self.form.id in (f.attributes.get("id"), f.attributes.get("name"))]
        return own[:1] or forms[:1]

    def found(self, find: Find, box: Any) -> list[Any]:
        """Return the elements that the locator *find* matches inside *box*, in tree order; none if its selector is invalid."""
        if find.css:
            try:
                return selected(box, find.css)
            except (SelectolaxError, ValueError):
                return []
        nodes = box.css("*")
        return [n for n in nodes if (not find.role or role_of(n) == find.role) and (find.name is None or label_of(n, self) == find.name)]

    def text_of(self, node: Any) -> str:
        """Return the readable text of *node*, "" if it is hidden."""
        return _text(node)

    def by_id(self, ident: str) -> Any:
        """Return the element with the id *ident*."""
        return self._by_id.get(ident)

    def label_for(self, ident: str) -> Any:
        """Return the label of the control with the id *ident*."""
        return self._labels.get(ident)

    def messages_at(self, box: Any) -> list[str]:
        """Return the messages of the group *box* itself: its description, and alerts in it that belong to no control."""
        wrong = (box.attributes.get("aria-invalid") or "false") != "false"
        found = [_text(node) for node in self._referred(box.attributes.get("aria-errormessage"))]
        described = self._referred(box.attributes.get("aria-describedby"))
        found += [text for node in described if wrong or self._is_loud(node) or self._is_new(text := _text(node)) if (text := _text(node))]
        found += [_text(node) for node in box.css("[role=alert]") if node.mem_id not in self._claimed]
        return list(dict.fromkeys(text for text in found if text))

    def messages_of_set(self, name: str) -> list[str]:
        """Return the messages of the group that holds only the set of controls called *name*."""
        groups = selected(self._parser, "fieldset,[role=group],[role=radiogroup]")
        return next((self.messages_at(group) for group in groups if _set_name(group) == name), [])

    def _read(self) -> None:
        self._claimed: set[int] = set()
        for control in selected(self._parser, "input,select,textarea,[role=group],[role=radiogroup],fieldset"):
            name = control.attributes.get("name") or _set_name(control) or ""
            wrong = (control.attributes.get("aria-invalid") or "false") != "false"
            if name and wrong:
                self.marked.add(name)
            if name and control.attributes.get("aria-required") == "true":
                self.required.add(name)
            for attribute in ("aria-errormessage", "aria-describedby"):
                for node in self._referred(control.attributes.get(attribute)):
                    text = _text(node)
                    if text and name and (wrong or self._is_loud(node) or self._is_new(text)) and text not in self.messages.get(name, ()):
                        self.messages.setdefault(name, []).append(text)
                    self._claimed.add(node.mem_id)
        summaries = self._summaries()
        inside = {node.mem_id for form in self._parser.css("form") for node in form.css("[role=alert]")}
        grouped = {node.mem_id for group in self._parser.css("form fieldset,form [role=group]") for node in group.css("[role=alert]")}
        for node in selected(self._parser, "[role=alert],[role=status],output"):
            text = _text(node)
            if not text or node.mem_id in self._claimed or node.mem_id in grouped or node.mem_id in summaries:
                continue
            if node.mem_id in inside:
                self.own.append(text)
            else:
                self.notices.append(("alert" if node.attributes.get("role") == "alert" else "status", text))

    def _is_loud(self, node: Any) -> bool:
        return (node.attributes.get("role") or "") == "alert"

    def _is_new(self, text: str) -> bool:
        return self._before is not None and text not in self._before

    def descriptions(self) -> frozenset[str]:
        """The texts that describe controls and groups of the page."""
        nodes = self._parser.css("[aria-describedby]")
        return frozenset(_text(each) for node in nodes for each in self._referred(node.attributes.get("aria-describedby")))

    def _summaries(self) -> set[int]:
        """Error summaries: alerts with links to controls, whose texts are messages of these. Returns which alerts they are."""
        found: set[int] = set()
        for alert in self._parser.css("[role=alert]"):
            for link in alert.css("a[href^='#']"):
                target = self._by_id.get((link.attributes.get("href") or "")[1:])
                name = (target.attributes.get("name") or _set_name(target)) if target is not None else None
                if target is None:
                    continue
                found.add(alert.mem_id)
                if name and not self.messages.get(name):
                    self.linked.setdefault(name, []).append(_text(link))
        return found

    def _referred(self, ids: str | None) -> list[Any]:
        nodes = (self._by_id.get(each) for each in (ids or "").split())
        return [node for node in nodes if node is not None and "hidden" not in node.attributes]


def _set_name(group: Any) -> str | None:
    """The name of the set of radio buttons or checkboxes that *group* holds, if it holds nothing else."""
    names = {(node.attributes.get("type"), node.attributes.get("name")) for node in group.css("input,select,textarea")}
    kind, name = next(iter(names)) if len(names) == 1 else (None, None)
    return name if kind in ("radio", "checkbox") else None


def role_of(node: Any) -> str:
    """The role of an element, its own or by its kind (HTML-AAM), as far as forms go."""
    own = (node.attributes.get("role") or "").split()
    if own:
        return str(own[0])
    if node.tag == "input":
        kind = (node.attributes.get("type") or "text").lower()
        return "button" if kind in _BUTTONS else _INPUTS.get(kind, "textbox")
    if node.tag == "select" and "multiple" in node.attributes:
        return "listbox"
    return _ROLES.get(node.tag, "")


def label_of(node: Any, page: ServedPage) -> str:
    """The name of an element (Accessible Name and Description Computation), as far as forms go."""
    attributes = node.attributes
    by = [_text(each) for ident in (attributes.get("aria-labelledby") or "").split() if (each := page.by_id(ident)) is not None]
    if any(by):
        return " ".join(by)
    if attributes.get("aria-label"):
        return collapsed(attributes["aria-label"])
    if role_of(node) == "button":
        return collapsed(attributes.get("value") or "") if node.tag == "input" else _text(node)
    if node.tag in ("fieldset", "table"):
        first = next(iter(node.css("legend,caption")), None)
        return _text(first) if first is not None else ""
    label = page.label_for(attributes.get("id") or "")
    if label is not None:
        return _text(label)
    above = node.parent
    while above is not None and above.tag != "label":
        above = above.parent
    return _text(above) if above is not None else collapsed(attributes.get("title") or "")


def _text(node: Any) -> str:
    return collapsed(node.text(deep=True)) if "hidden" not in node.attributes else ""
