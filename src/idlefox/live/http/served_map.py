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
from ..page.page_map import notices_of
from .nodes import bare
from .served_messages import FirstLook, ServedMessages
from .served_page import ServedPage, label_of, role_of

Segments = tuple[Any, ...]
_GROUPS = "fieldset,[role=group],[role=radiogroup],[role=list],[role=region],section,table"
_ROWS = "fieldset,[role=group],li,tr,section"


class ServedMap:
    """The form of a sheet, or the page's own *form*, on *page*. *first* is the scenario's first page; None: this is the first."""

    def __init__(self, form: Form, page: ServedPage, first: FirstLook | None = None) -> None:
        self.form, self.page, self._first = form, page, first
        self._messages: ServedMessages | None = None
        live = form.live or LivePage()
        self._places: dict[str, FieldLocators] = dict(live.find)
        self._submit: Find | None = live.submit
        self._found: dict[str, str | None] = {}
        self._says = patterns_of(form, form.fields) if form.page is None else {}

    def place(self, segments: Segments) -> FieldLocators:
        """Return the locators of the sheet for the field at *segments*."""
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
        if field is None or field.kind in ("group", "rows") or self.page.form is None:
            return None
        if self.form.page is not None:
            return field.name if self.page.form.find(field.path) is not None else None
        place = self.place(segments)
        if place.find is not None:
            box = self.row(segments) or self.page.root
            return next((name for node in self.page.found(place.find, box) if (name := self._name(node)) is not None), None)
        last = field.send_name or field.name
        dotted = ".".join(str(s) for s in segments)
        nested = str(segments[0]) + "".join(f"[{s}]" for s in segments[1:])
        for text in (address, dotted, nested, *([last] if len(segments) > 1 and not _numbered(segments) else [])):
            name = called(self.page.form.shape, text)
            if name is not None:
                return name
        box = self.row(segments) or self.page.root
        by_label = [node for node in box.css("input,select,textarea") if bare(label_of(node, self.page)) == bare(field.label)]
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
        field, place = self.field(segments), self.place(segments)
        if place.find is not None:
            return next(iter(self.page.found(place.find, self.page.root)), None)
        box = self.row(segments) or self.page.root
        wanted = {field.label, field.name} if field is not None else set()
        address = write_address(segments)
        return next((n for n in selected(box, _GROUPS) if n.attributes.get("id") == address or label_of(n, self.page) in wanted), None)

    def row(self, segments: Segments) -> Any:
        """The element of the innermost row around *segments*; None if they are in none."""
        at = next((i for i in range(len(segments) - 1, -1, -1) if isinstance(segments[i], int)), None)
        return self.group(segments[: at + 1]) if at is not None else None

    def rows(self, segments: Segments) -> list[Any]:
        """The elements of the list's rows, in order."""
        place = self.place(segments)
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
        place = self.place(segments)
        if place.add is not None:
            return self._number(self.page.found(place.add, self.page.root))
        box = self.group(segments)
        inside = {button.mem_id for row in self.rows(segments) for button in row.css("button,input")}
        buttons = [node for node in _buttons(box) if node.mem_id not in inside] if box is not None else []
        return self._number(buttons) if len(buttons) == 1 else None

    def remove_button(self, segments: Segments) -> int | None:
        """The number of the button that removes the row at *segments*."""
        place, row = self.place(segments[:-1]), self.group(segments)
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
    def look(self) -> ServedMessages:
        """Return what the page shows of the sheet's fields; it is read once."""
        if self._messages is None:
            self._messages = ServedMessages(self, self._first)
        return self._messages

    def messages(self, segments: Segments) -> list[str]:
        """Return the server's messages at the field, group or list at *segments*."""
        return self.messages_of(self.look(), segments)

    def messages_of(self, look: ServedMessages, segments: Segments) -> list[str]:
        """Return the messages in *look* at *segments*."""
        texts = look.fields[segments]["shows"] if segments in look.fields else look.groups.get(segments, [])
        said = dict.fromkeys(self.as_said(segments, text) for text in texts)
        return [text for text in said if _behind_colon(text) not in said]  # "Error: …" for screen readers, and the summary's text

    def as_said(self, segments: Segments, text: str) -> str:
        """Return *text*, or the message of the sheet that it ends with."""
        field = self.field(segments)
        return _as_said(text, self._says.get(field.path, []) if field is not None else [])

    def is_said(self, segments: Segments, text: str) -> bool:
        """Return whether *text* is a message that the sheet knows at *segments*."""
        field = self.field(segments)
        known = self._says.get(field.path, []) if field is not None and not isinstance(segments[-1], int) else []
        return any(re.fullmatch(pattern, _as_said(text, known), re.DOTALL) for pattern in known)

    def is_known(self, text: str) -> bool:
        """Return whether *text* is a message of any field of the sheet."""
        return any(re.fullmatch(pattern, text, re.DOTALL) for known in self._says.values() for pattern in known)

    def written(self, segments: Segments) -> str:
        """Write an address as scripts do."""
        field = self.field(segments) if self.form.page is not None else None
        return str(field.address) if field is not None else write_address(segments)

    def notice_texts(self) -> frozenset[str]:
        """Return the texts of the notices that the sheet knows."""
        return frozenset(notice.text for notice in notices_of(self.form))

    def is_native(self, segments: Segments) -> bool:
        """Return whether the page leaves the rules of the field to the browser."""
        live = self.form.live
        if self.form.page is not None:
            return True
        return (self.place(segments).validity or (live.validity if live is not None else "")) == "native"

    def facts(self, segments: Segments) -> dict[str, Any]:
        """Return the messages, the mark and what cannot be seen of the field at *segments*."""
        return self.look().fields.get(segments, {"shows": [], "marked": False, "unseen": {}, "required": False})

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


def _behind_colon(text: str) -> str:
    return text.partition(":")[2].strip()


def _as_said(text: str, known: list[str]) -> str:
    """*text* without a word before it that is for screen readers ("Error:"), if the sheet knows it so."""
    if any(re.fullmatch(pattern, text) for pattern in known):
        return text
    rest = _behind_colon(text)
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
