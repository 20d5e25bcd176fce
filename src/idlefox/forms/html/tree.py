"""A parsed page: its forms, the owner of each control, labels, and the elements around a control.

selectolax parses as WHATWG HTML requires. What it does not expose (the form element pointer, source positions) is read from the
source again when it matters (`source`).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from selectolax.lexbor import LexborHTMLParser

from ..values.direction import first_strong
from .nodes import selected
from .source import CONTROLS, Tag, start_tags

_SELECTOR = ",".join(CONTROLS)
_MARK = "data-idlefox-tag"
_SPACE = re.compile(r"[\t\n\f\r ]+")
_EVENTS = ("onsubmit", "oninput", "onchange", "onclick", "onblur", "onfocus", "oninvalid", "onkeydown", "onkeyup", "onload", "onreset")
_HANDLERS = [re.compile(f"{space}on(?:{'|'.join(e[2:] for e in _EVENTS)})") for space in (" ", "\n", "\t")]
# Types of script elements that are data blocks, which do not run.
_DATA = ("json", "importmap", "speculationrules", "template", "text/plain")


def collapsed(text: str) -> str:
    """*text* with ASCII white space stripped and collapsed (Infra, "strip and collapse ASCII whitespace")."""
    if text.isascii():
        return " ".join(text.split())
    return _SPACE.sub(" ", text).strip(" ")


class Tree:
    """A page's tree. Nodes are selectolax's; *attributes* are those of the controls, None for one without a value."""

    def __init__(self, text: str) -> None:
        if "\r" in text:
            text = text.replace("\r\n", "\n").replace("\r", "\n")  # Infra, "normalize newlines"
        self.text = text
        self.folded = text.lower()
        self._tags: list[Tag] | None = None
        self._ids: dict[str, Any] | None = None
        self._parse(text)
        if self._needs_source():
            self._parse(self._marked())

    def _parse(self, text: str) -> None:
        self.parser = LexborHTMLParser(text)
        self.forms: list[Any] = []
        self.controls: list[Any] = []
        self.labels: list[Any] = []
        kinds: dict[str | None, list[Any]] = {"form": self.forms, "label": self.labels}
        for node in self.parser.css(f"form,label,{_SELECTOR}"):
            kinds.get(node.tag, self.controls).append(node)
        self.attributes: list[dict[str, Any]] = [n.attributes for n in self.controls]
        self.above: dict[int, int] = {}  # a control's nearest form around it, by number
        self.nested = False
        for number, form in enumerate(self.forms):
            inside = {node.mem_id: number for node in form.css(_SELECTOR)}
            self.nested = self.nested or not self.above.keys().isdisjoint(inside)
            self.above.update(inside)

    # owners
    def _needs_source(self) -> bool:
        """Return whether the tree alone cannot determine owners: a control outside all forms may have been parsed inside one."""
        if not self.forms:
            return False
        return self.nested or (
            len(self.above) < len(self.controls)
            and any(n.mem_id not in self.above and "form" not in a for n, a in zip(self.controls, self.attributes, strict=True))
        )

    @property
    def tags(self) -> list[Tag]:
        """The start tags of the source."""
        if self._tags is None:
            self._tags = start_tags(self.text)
        return self._tags

    def _marked(self) -> str:
        """The source with every start tag that counts numbered, so that the tree leads back to it."""
        parts, at = [], 0
        for number, tag in enumerate(self.tags):
            end = tag.offset + 1 + len(tag.name)
            parts.append(f'{self.text[at:end]} {_MARK}="{number}"')
            at = end
        return "".join(parts) + self.text[at:]

    def owners(self) -> list[int]:
        """For every control the number of the form that owns it, or -1 (HTML, "reset the form owner")."""
        found: list[int] = []
        pointers = self._pointers()
        for node, attributes in zip(self.controls, self.attributes, strict=True):
            if "form" in attributes:
                found.append(self._form_with_id(attributes["form"] or ""))
            else:
                number = pointers.get(node.mem_id, -1) if pointers else -1
                found.append(number if number >= 0 else self.above.get(node.mem_id, -1))
        return found

    def _pointers(self) -> dict[int, int]:
        """Controls by the form that the parser's pointer was at, where the source had to be asked."""
        if self._tags is None:
            return {}
        numbers: dict[int, int] = {}  # the source's number of a form -> the tree's
        for number, form in enumerate(self.forms):
            mark = form.attributes.get(_MARK)
            if mark is not None:
                numbers[self.tags[int(mark)].form] = number
        found = {}
        for node, attributes in zip(self.controls, self.attributes, strict=True):
            mark = attributes.pop(_MARK, None)
            if mark is not None:
                found[node.mem_id] = numbers.get(self.tags[int(mark)].form, -1)
        return found

    def _form_with_id(self, name: str) -> int:
        node = self.with_id(name)
        return next((i for i, f in enumerate(self.forms) if node is not None and f.mem_id == node.mem_id), -1)

    def with_id(self, name: str) -> Any:
        """The first element with the id *name* in tree order, or None."""
        if self._ids is None:
            self._ids = {}
            for node in self.parser.css("[id]"):
                self._ids.setdefault(node.attributes["id"] or "", node)
        return self._ids.get(name) if name else None

    # places
    def form_lines(self) -> list[int]:
        """The line at which each form begins."""
        return [self.text.count("\n", 0, t.offset) + 1 for t in self.tags if t.name == "form"]

    # ancestors
    def inside(self, selector: str, *words: str) -> frozenset[int]:
        """The controls inside an element that *selector* finds; nothing is looked for unless all *words* are in the page."""
        if not all(w in self.folded for w in words):
            return frozenset()
        return frozenset(n.mem_id for box in self.parser.css(selector) for n in box.css(_SELECTOR))

    def disabled_by_fieldset(self) -> dict[int, str]:
        """Controls in a disabled fieldset, but for those in its first legend (HTML, "The disabled attribute")."""
        found: dict[int, str] = {}
        if "fieldset" not in self.folded or "disabled" not in self.folded:
            return found
        for box in self.parser.css("fieldset[disabled]"):
            legend = first_child(box, "legend")
            spared = {n.mem_id for n in legend.css(_SELECTOR)} if legend is not None else set()
            name = collapsed(legend.text()) if legend is not None else ""
            why = f"the fieldset {name!r} around it is disabled" if name else "a fieldset around it is disabled"
            for node in box.css(_SELECTOR):
                if node.mem_id not in spared:
                    found.setdefault(node.mem_id, why)
        return found

    def hidden_by_page(self) -> dict[int, str]:
        """Controls that the markup keeps from a person's eyes or hands, and how."""
        found: dict[int, str] = {}
        for selector, words, why in _HIDING:
            if all(w in self.folded for w in words):
                for box in self.parser.css(selector):
                    text = why.format(tag=box.tag)
                    if box.tag in CONTROLS:
                        found.setdefault(box.mem_id, text.replace("around it ", ""))
                    for node in box.css(_SELECTOR):
                        found.setdefault(node.mem_id, text)
        for node, why in self._hidden_by_style():
            found.setdefault(node.mem_id, why)
        return found

    def _hidden_by_style(self) -> Iterator[tuple[Any, str]]:
        """Yield controls that a `style` hides: `display: none`, or the nearest `visibility` around them, which is inherited."""
        if "display:" in self.folded:
            for box in self.parser.css("[style]"):
                if re.search(r"display\s*:\s*none", box.attributes.get("style") or "", re.I):
                    inside = [box, *box.css(_SELECTOR)] if box.tag in CONTROLS else box.css(_SELECTOR)
                    yield from ((node, "its style says display: none") for node in inside)
        for node in self.parser.css(_SELECTOR) if "visibility" in self.folded else ():
            around: Any = node
            while around is not None:
                said = _VISIBILITY.search(around.attributes.get("style") or "") if around.attributes else None
                if said is not None:
                    if said[1].lower() != "visible":
                        yield node, f"its style says visibility: {said[1].lower()}"
                    break
                around = around.parent

    def folded_away(self) -> set[int]:
        """Yield controls in a closed `details` outside its summary: a person can open it, but Tab skips them."""
        found: set[int] = set()
        for box in self.parser.css("details:not([open])") if "<details" in self.folded else ():
            summary = first_child(box, "summary")
            spared = {node.mem_id for node in summary.css(_SELECTOR)} if summary is not None else set()
            found.update(node.mem_id for node in box.css(_SELECTOR) if node.mem_id not in spared)
        return found

    # texts
    def label_texts(self) -> tuple[dict[str, list[str]], dict[int, list[str]]]:
        """Return the texts of labels, by the id in `for` and by the control inside the label."""
        by_id: dict[str, list[str]] = {}
        by_node: dict[int, list[str]] = {}
        for label in self.labels:
            target = label.attributes.get("for", _NONE)
            if target is not _NONE:
                if target in by_id:
                    by_id[target].append(collapsed(label.text()))
                elif target:
                    by_id[target] = [collapsed(label.text())]
                continue
            for node in label.css(_SELECTOR):
                if node.attributes.get("type") != "hidden":
                    by_node.setdefault(node.mem_id, []).append(text_without_controls(label))
                    break
        return by_id, by_node

    def text_of_ids(self, ids: str | None) -> str:
        """The texts of the elements that a list of ids names (as `aria-describedby` has it)."""
        texts = [collapsed(n.text()) for i in (ids or "").split() if (n := self.with_id(i)) is not None]
        return " ".join(t for t in texts if t)

    def legend_around(self, node: Any) -> str:
        """Return the legend of the nearest fieldset around *node* within its form, "" if there is none."""
        each = node.parent
        while each is not None and each.tag not in ("form", "body", "html"):
            if each.tag == "fieldset":
                legend = first_child(each, "legend")
                return collapsed(legend.text()) if legend is not None else ""
            each = each.parent
        return ""

    def direction(self, node: Any) -> str:
        """Ltr or rtl (HTML, "The dir attribute"), as far as the markup settles it; "" where the control's own value does."""
        each = node
        while each is not None and _is_element(each):
            found = (each.attributes.get("dir") or "").lower()
            if found in ("ltr", "rtl"):
                return found
            if found == "auto" or each.tag == "bdi":
                return "" if each.mem_id == node.mem_id else first_strong(each.text())
            if each.mem_id == node.mem_id and (node.attributes.get("type") or "").lower() == "tel":
                return "ltr"
            each = each.parent
        return "ltr"

    def base(self) -> str:
        """Return the URL of the base element, "" without one."""
        node = self.parser.css_first("base[href]") if "<base" in self.folded else None
        return (node.attributes.get("href") or "").strip() if node is not None else ""

    def title(self) -> str:
        """Return the title of the page."""
        node = self.parser.css_first("title")
        return collapsed(node.text()) if node is not None else ""

    def _may_have_handlers(self) -> bool:
        """Return whether some text looks like a handler's attribute: one pass a kind of space, for most pages have none."""
        return any(pattern.search(self.folded) for pattern in _HANDLERS)

    def scripts(self) -> tuple[str, ...]:
        """Return descriptions of the scripts and handlers that a browser would run."""
        found: list[str] = []
        if "<script" in self.folded:
            count = sum(
                not any(d in (n.attributes.get("type") or "").lower() for d in _DATA) for n in self.parser.css("script")
            )
            if count:
                found.append(f"{count} script{'s' if count != 1 else ''}")
        if self._may_have_handlers():
            count = len(selected(self.parser, ",".join(f"[{e}]" for e in _EVENTS)))
            if count:
                found.append(f"{count} element{'s' if count != 1 else ''} with handlers")
        return tuple(found)


_NONE: Any = object()
_VISIBILITY = re.compile(r"visibility\s*:\s*(hidden|collapse|visible)", re.I)
_HIDING = (
    ('[hidden]:not([hidden="until-found" i])', ("hidden",), "the {tag} around it is hidden"),
    ("[inert]", ("inert",), "the {tag} around it is inert"),
    ("dialog:not([open])", ("<dialog",), "the dialog around it is not open"),
)


def first_child(node: Any, tag: str) -> Any:
    """The first child element of *node* called *tag*, or None."""
    each = node.child
    while each is not None:
        if each.tag == tag:
            return each
        each = each.next
    return None


def text_without_controls(label: Any) -> str:
    """The text of a label without that of the controls in it."""
    if label.css_first("select,textarea,button,script,style") is None:
        return collapsed(label.text())
    return collapsed("".join(_texts(label)))


def _is_element(node: Any) -> bool:
    """Return whether *node* is an element; the parser calls all else by names that begin with a hyphen, or by none."""
    return node.tag is not None and not node.tag.startswith("-")


def _texts(node: Any) -> Iterable[str]:
    each = node.child
    while each is not None:
        if each.tag == "-text":
            yield each.text()
        elif _is_element(each) and each.tag not in ("select", "textarea", "button", "script", "style"):
            yield from _texts(each)
        each = each.next
