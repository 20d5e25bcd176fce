"""A served page: its form, and its elements by name, label, role and selector."""

from __future__ import annotations

from collections import Counter
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
from .nodes import above

_BUTTONS = frozenset({"submit", "image", "reset", "button"})
_NO_FIELDS = _BUTTONS | {"hidden"}
_ROLES = {"select": "combobox", "textarea": "textbox", "button": "button", "fieldset": "group", "form": "form", "output": "status"}
_INPUTS = {"checkbox": "checkbox", "radio": "radio", "number": "spinbutton", "range": "slider", "search": "searchbox"}


class ServedPage:
    """The page *text* from *url*; *wanted* is the id of its form. *form* is None if it has no such form.

    *likely* is the id that one of several forms may have, *own* where the map says that it is.
    """

    def __init__(self, text: str, url: str, wanted: str = "", charset: str = "UTF-8", *, likely: str = "", own: Find | None = None) -> None:
        self.url, self.text = url, text
        self.form: Form | None = None
        self.why = ""
        self._parser = LexborHTMLParser(text)
        self._by_id: dict[str, Any] = {}
        for node in self._parser.css("[id]"):
            self._by_id.setdefault(node.attributes["id"] or "", node)
        self._labels = {node.attributes["for"]: node for node in reversed(self._parser.css("label[for]"))}
        self._numbers: dict[int, int] | None = None
        self._controls: dict[str, list[Any]] | None = None  # by name of the field
        self._matching: dict[str, frozenset[int]] = {}  # by selector
        wanted = wanted or self._id_of(own, likely)
        try:
            form = read_page_text(text, url, wanted, charset)
            home = urlsplit(url).path or "/"
            self.form = form._replace(page=form.page._replace(home=home), submit=form.submit._replace(to=form.page.action or home))
        except Unreadable as fault:
            self.why = fault.problems[0].cause

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
            nodes = [each for form in self.form_nodes() for each in form.css("button,input") if role_of(each) == "button"]
            self._numbers = {each.mem_id: n for each, n in zip(nodes, numbers, strict=False)} if len(nodes) == len(numbers) else {}
        return self._numbers.get(node.mem_id)

    def form_nodes(self) -> list[Any]:
        """The element of the form, if the page has it."""
        forms = self._parser.css("form")
        own = [f for f in forms if self.form is not None and self.form.id in (f.attributes.get("id"), f.attributes.get("name"))]
        return own[:1] or forms[:1]

    def all_controls(self) -> list[Any]:
        """The controls of the form, in tree order."""
        inside = next(iter(self.form_nodes()), self.root)
        nodes = selected(inside, "input,select,textarea")
        return [each for each in nodes if (each.attributes.get("type") or "").lower() not in _NO_FIELDS]

    def controls(self, name: str | None) -> list[Any]:
        """The controls of the field that the page's form calls *name*; none for an unknown field."""
        if self._controls is None:
            self._controls = {}
            nodes, met = self.all_controls(), Counter[str]()
            for field in self.form.fields if self.form is not None else ():
                own = field.native.name
                found = [n for n in nodes if (n.attributes.get("name") or "") == own] if own else []
                if field.native.repeats:
                    found = found[met[own] : met[own] + 1]
                    met[own] += 1
                self._controls[field.name] = found or [n for n in nodes if f"#{n.attributes.get('id')}" == field.name]
        return self._controls.get(name or "", [])

    def found(self, find: Find, box: Any) -> list[Any]:
        """Return the elements that the locator *find* matches inside *box*, in tree order; none if its selector is invalid."""
        if find.css:
            try:
                return selected(box, find.css)
            except (SelectolaxError, ValueError):
                return []
        nodes = box.css("*")
        return [n for n in nodes if (not find.role or role_of(n) == find.role) and (find.name is None or label_of(n, self) == find.name)]

    def matches(self, node: Any, selector: str) -> bool:
        """Return whether *node* matches *selector*; False if the selector is invalid. (The library's own test looks inside, too.)"""
        if selector not in self._matching:
            try:
                self._matching[selector] = frozenset(each.mem_id for each in self.root.css(selector))
            except (SelectolaxError, ValueError):
                self._matching[selector] = frozenset()
        return node.mem_id in self._matching[selector]

    def closest(self, node: Any, selector: str) -> Any:
        """*node* or the nearest element around it that matches *selector*; None if there is none."""
        while node is not None and not self.matches(node, selector):
            node = above(node)
        return node

    def by_id(self, ident: str) -> Any:
        """Return the element with the id *ident*."""
        return self._by_id.get(ident)

    def label_for(self, ident: str) -> Any:
        """Return the label of the control with the id *ident*."""
        return self._labels.get(ident)

    def referred(self, ids: str | None) -> list[Any]:
        """The elements that the attribute value *ids* refers to."""
        nodes = (self._by_id.get(each) for each in (ids or "").split())
        return [node for node in nodes if node is not None and "hidden" not in node.attributes]


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
