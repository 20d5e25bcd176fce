"""Locates the fields, rows and buttons of a sheet on a served page: by name, id and label, or by the sheet's locators."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ...forms.html.nodes import selected
from ...forms.model.form import Field, Form
from ...forms.model.live import FieldLocators, Find, LivePage
from ...forms.names.addresses import called
from ...forms.names.shapes import write_address
from ..page.message_patterns import patterns_of
from .served_page import ServedPage, label_of, role_of

Segments = tuple[Any, ...]
_GROUPS = "fieldset,[role=group],[role=radiogroup],[role=list],[role=region],section,table"
_ROWS = "fieldset,[role=group],li,tr,section"


class ServedMap:
    """The sheet *form* on *page*, which has a form."""

    def __init__(self, form: Form, page: ServedPage) -> None:
        self.form, self.page = form, page
        live = form.live or LivePage()
        self._places: dict[str, FieldLocators] = dict(live.find)
        self._submit: Find | None = live.submit
        self._found: dict[str, str | None] = {}
        self._says = patterns_of(form, form.fields)

    def _place(self, segments: Segments) -> FieldLocators:
        return self._places.get(write_address(tuple("*" if isinstance(s, int) else s for s in segments)), FieldLocators())

    def field(self, segments: Segments) -> Field | None:
        """Return the sheet's field at *segments*."""
        return self.form.find(tuple("*" if isinstance(s, int) else s for s in segments))

    # controls
    def control(self, segments: Segments) -> str | None:
        """Return the name of the page's control for the field at *segments*; None if it is missing."""
        address = write_address(segments)
        if address not in self._found:
            self._found[address] = self._control(segments, address)
        return self._found[address]

    def _control(self, segments: Segments, address: str) -> str | None:
        field = self.field(segments)
        if field is None or field.kind in ("group", "rows"):
            return None
        place = self._place(segments)
        if place.find is not None:
            box = self._row(segments) or self.page.root
            return next((name for node in self.page.found(place.find, box) if (name := self._name(node)) is not None), None)
        last = field.send_name or field.name
        dotted = ".".join(str(s) for s in segments)
        nested = str(segments[0]) + "".join(f"[{s}]" for s in segments[1:])
        for text in (address, dotted, nested, *([last] if len(segments) > 1 and not _numbered(segments) else [])):
            shape = self.page.form.shape  # type: ignore[union-attr]
            name = called(shape, text)
            if name is not None:
                return name
        box = self._row(segments) or self.page.root
        by_label = [node for node in box.css("input,select,textarea") if label_of(node, self.page) == field.label]
        return self._name(by_label[0]) if len(by_label) == 1 else None

    def _name(self, node: Any) -> str | None:
        shape = self.page.form.shape  # type: ignore[union-attr]
        name, ident = node.attributes.get("name"), node.attributes.get("id")
        return called(shape, name or "") or (called(shape, f"#{ident}") if ident else None)

    # rows and groups
    def group(self, segments: Segments) -> Any:
        """Return the element that contains the group, row or list at *segments*; None if there is none."""
        if segments and isinstance(segments[-1], int):
            rows = self.rows(segments[:-1])
            return rows[segments[-1]] if -len(rows) <= segments[-1] < len(rows) else None
        field, place = self.field(segments), self._place(segments)
        if place.find is not None:
            return next(iter(self.page.found(place.find, self.page.root)), None)
        box = self._row(segments) or self.page.root
        wanted = {field.label, field.name} if field is not None else set()
        address = write_address(segments)
        return next((n for n in selected(box, _GROUPS) if n.attributes.get("id") == address or label_of(n, self.page) in wanted), None)

    def _row(self, segments: Segments) -> Any:
        at = next((i for i in range(len(segments) - 1, -1, -1) if isinstance(segments[i], int)), None)
        return self.group(segments[: at + 1]) if at is not None else None

    def rows(self, segments: Segments) -> list[Any]:
        """The elements of the list's rows, in order."""
        place = self._place(segments)
        box = self.group(segments)
        if place.rows is not None:
            return self.page.found(place.rows, box or self.page.root)
        if box is None:
            return []
        inside = (node for node in selected(box, _ROWS) if node.mem_id != box.mem_id and _outer(node, box))
        return [node for node in inside if node.css("input,select,textarea")]

    def count(self, segments: Segments) -> int:
        """Return the number of rows of a list, by groups or by names."""
        rows = self.rows(segments)
        if rows:
            return len(rows)
        field = self.field(segments)
        if field is None or field.kind != "rows":
            return 0
        number, met = 0, set[str]()
        while True:  # a control that is found for two rows is none of theirs
            found = {name for leaf in field.fields if (name := self.control((*segments, number, leaf.name))) is not None}
            if not found - met:
                return number
            met |= found
            number += 1

    # buttons
    def add_button(self, segments: Segments) -> int | None:
        """The number, among the page's elements, of the button that adds a row."""
        place = self._place(segments)
        if place.add is not None:
            return self._number(self.page.found(place.add, self.page.root))
        box = self.group(segments)
        inside = {button.mem_id for row in self.rows(segments) for button in row.css("button,input")}
        buttons = [node for node in _buttons(box) if node.mem_id not in inside] if box is not None else []
        return self._number(buttons) if len(buttons) == 1 else None

    def remove_button(self, segments: Segments) -> int | None:
        """The number of the button that removes the row at *segments*."""
        place, row = self._place(segments[:-1]), self.group(segments)
        if row is None:
            return None
        buttons = self.page.found(place.remove, row) if place.remove is not None else list(_buttons(row))
        return self._number(buttons) if len(buttons) == 1 else None

    def submit_button(self, name: str) -> int | None:
        """The number of the submit button that the sheet calls *name* ("": its default one)."""
        if not name and self._submit is not None:
            return self._number(self.page.found(self._submit, self.page.root))
        label = next((b.label for b in self.form.buttons if b.name == name), name) if name else self.form.submit.label
        numbers = [n for n, b in self.page.submits() if not b.hidden]
        fitting = [n for n in numbers if label in (self.page.elements[n].text, self.page.elements[n].name)]
        return next(iter(fitting or ([] if name else numbers)), None)

    def _number(self, nodes: list[Any]) -> int | None:
        return self.page.number_of(nodes[0]) if nodes else None

    # messages
    def messages(self, segments: Segments) -> list[str]:
        """Return the server's messages at the field, group or list at *segments*."""
        field = self.field(segments)
        known = self._says.get(field.path, []) if field is not None else []
        return list(dict.fromkeys(_as_said(text, known) for text in self._messages(segments)))

    def _messages(self, segments: Segments) -> list[str]:
        place = self._place(segments)
        if place.shows is not None:
            nodes = self.page.found(place.shows, self._row(segments) or self.page.root)
            return [text for node in nodes if (text := self.page.text_of(node))]
        field = self.field(segments)
        if field is not None and field.kind not in ("group", "rows"):
            name = self.control(segments)
            said = self.page.messages.get(name, []) if name is not None else []
            around = self._of_its_group(name) if name is not None and not said else []
            return said or around or (self._linked(segments, name) if name is not None else [])
        box = self.group(segments)
        return self.page.messages_at(box) if box is not None else []

    def _linked(self, segments: Segments, name: str) -> list[str]:
        """The texts of a summary's links to the control, but for what the group around it says."""
        above = [text for i in range(1, len(segments)) for text in self.messages(segments[:i])]
        return [text for text in self.page.linked.get(name, []) if text not in above]

    def _of_its_group(self, name: str) -> list[str]:
        """The messages of the group that holds nothing but the radio buttons or checkboxes called *name*."""
        return self.page.messages_of_set(name)

    def marked(self, segments: Segments) -> bool:
        """Return whether the field at *segments* is marked as wrong."""
        return self.control(segments) in self.page.marked

    def required(self, segments: Segments) -> bool:
        """Return whether the markup says so to those who do not see it."""
        return self.control(segments) in self.page.required

    def addresses(self) -> Iterator[Segments]:
        """Every field, group, list and row of the sheet that is on the page."""
        yield from self._inside(self.form.fields, ())

    def _inside(self, fields: tuple[Field, ...], above: Segments) -> Iterator[Segments]:
        for field in fields:
            here = (*above, field.name)
            if field.kind == "rows":
                yield here
                for number in range(self.count(here)):
                    yield from self._inside(field.fields, (*here, number))
            elif field.kind == "group":
                yield here
                yield from self._inside(field.fields, here)
            elif self.control(here) is not None:
                yield here


def _as_said(text: str, known: list[str]) -> str:
    """*text* without a word before it that is for screen readers ("Error:"), if the sheet knows it so."""
    if any(re.fullmatch(pattern, text) for pattern in known):
        return text
    rest = text.partition(":")[2].strip()
    return rest if rest and any(re.fullmatch(pattern, rest) for pattern in known) else text


def _numbered(segments: Segments) -> bool:
    return any(isinstance(s, int) for s in segments)


def _outer(node: Any, box: Any) -> bool:
    """Return whether nothing between *node* and *box* is a row itself."""
    above = node.parent
    while above is not None and above.mem_id != box.mem_id:
        if above.tag in ("fieldset", "li", "tr", "section") or above.attributes.get("role") == "group":
            return False
        above = above.parent
    return True


def _buttons(box: Any) -> Iterator[Any]:
    return (node for node in box.css("button,input") if role_of(node) == "button")
