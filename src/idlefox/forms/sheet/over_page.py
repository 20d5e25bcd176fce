"""`page:` in a sheet: fields and native rules come from an HTML page, and the keys of the sheet are added.

A rule whose kind the page has as an attribute sets that attribute's message, or replaces it if the parameter differs. All other
rules come after the page's own.
"""

from __future__ import annotations

from os.path import normpath
from pathlib import Path
from typing import Any

from ...problems import NO_FILE, OUTSIDE, Unreadable, suggestion
from ..expressions.tree import FALSE, TRUE
from ..model.form import Field, Form, Kind, Rule, SubmitSettings
from ..names.shapes import Shape, segment_text
from ..values.values import equal
from .fields import FieldReader
from .reading import At, Reading

# Keys that only the page can set.
_OF_THE_PAGE = ("type", "options", "multiple", "accept", "fields", "start", "least", "most", "add", "remove")
# Keys of a sheet's field -> slots of the model.
_SLOTS = {
    "label": "label", "visible": "visible", "enabled": "enabled", "readonly": "readonly", "when_hidden": "forget_when_hidden",
    "trim": "trim", "case": "case", "limit": "limit", "derive": "derive", "empty": "empty",
}  # fmt: skip


def read_page_of(reading: Reading, name: str) -> Form | None:
    """Read the form of the page that the sheet names; None, with a problem reported, if it cannot be read."""
    from ..html.read import read_page

    path = normpath(Path(reading.document.file).parent / name)  # allow ../ from a folder that does not exist yet
    try:
        return read_page(path)
    except Unreadable as fault:
        first = fault.problems[0]
        if first.code == NO_FILE:
            reading.report(("page",), f"page not found beside the sheet: {name!r}", first.remedy)
        elif first.code == OUTSIDE:
            reading.report(("page",), first.cause, first.remedy)
        else:
            reading.document.problems.extend(fault.problems)
        return None


class PageFields:
    """The fields of *page* with the keys of a sheet."""

    def __init__(self, reading: Reading, page: Form, data: dict[str, Any]) -> None:
        self.reading = reading
        self.page = page
        self.data = data
        self.given: dict[str, tuple[str, dict[str, Any]]] = {}  # by field name: the sheet's key for it, and the keys in it
        children = page.shape.children or {}
        for key, each in data.get("fields", {}).items():
            name = key if key in children else (page.shape.named or {}).get(key)
            if name is None:
                known = [f.address for f in page.fields]
                repeated = segment_text(key, first=True)
                if f"{repeated}[0]" in known:
                    cause = f"the name {key!r} repeats in this page; name one of them"
                    reading.report(("fields", key), cause, f"write {repeated}[0]", key=True)
                    continue
                remedy = suggestion(key, known, f"`idlefox outline {data.get('page', '')}` lists its fields")
                reading.report(("fields", key), f"the page has no field {key!r}", remedy, key=True)
                continue
            self.given[name] = (key, each)
        if data.get("buttons"):
            reading.report(("buttons",), "a page defines its own buttons", "scripts can name them: submit by \"Save\"", key=True)

    def fields(self, reader: FieldReader) -> tuple[Field, ...]:
        """Read the fields with *reader*."""
        return tuple(self._field(each, reader) for each in self.page.fields)

    def _field(self, field: Field, reader: FieldReader) -> Field:
        key, data = self.given.get(field.name, ("", {}))
        at: At = ("fields", key)
        shape = (self.page.shape.children or {})[field.name]
        allowed = {k: v for k, v in data.items() if k not in _OF_THE_PAGE}
        for name in data:
            if name in _OF_THE_PAGE and not (name == "type" and data[name] == field.kind):
                cause = f"`{name}` comes from the page" + (f", and here it is a {field.kind}" if name == "type" else "")
                self.reading.report((*at, name), cause, "remove it here", key=True)
        read = reader.field(at, allowed, shape, of_page=True)
        changes: dict[str, Any] = {slot: getattr(read, slot) for k, slot in _SLOTS.items() if k in allowed}
        changes["reveal"] = read.reveal
        if "report" in self.data or "report" in allowed:
            changes["report"] = read.report
        if "messages" in self.data or "messages" in allowed:
            changes["messages"] = read.messages
        if "send" in allowed:
            changes |= {"send": read.send, "send_name": read.send_name}
        if "initial" in allowed and read.has_initial:
            changes |= {"initial": read.initial, "has_initial": True, "native": field.native._replace(raw="")}
        if "rules" in allowed:
            changes["rules"] = laid_over(field.rules, read.rules)
        if field.native.disabled and "enabled" not in allowed:
            changes["enabled"] = FALSE
        if field.native.fixed and "readonly" not in allowed:
            changes["readonly"] = TRUE
        return field._replace(**changes)

    def submit(self, given: SubmitSettings) -> SubmitSettings:
        """Return the settings of the submission; those of the page where the sheet has none."""
        said = self.data.get("submit", {})
        own = self.page.submit
        changes = {k: getattr(own, k) for k in ("to", "method", "send") if k not in said}
        return given._replace(**changes)

    def payload(self) -> Shape:
        """Return the shape of the payload, by the names of the controls."""
        top = Shape("", "form", ())
        children: dict[str, Shape] = {}
        for field in self.page.fields:
            _, data = self.given.get(field.name, ("", {}))
            sent = data.get("send", True)
            name = sent if isinstance(sent, str) else field.native.name
            if name:
                children[name] = Shape(name, field.kind, (name,), None, field.many or field.native.repeats)
        for button in self.page.page.buttons:
            if button.name:
                children.setdefault(button.name, Shape(button.name, "select", (button.name,)))
        top.children = children
        top.named = {address: name for address, name in (self.page.shape.named or {}).items() if name in children}
        return top


def laid_over(native: tuple[Rule, ...], said: tuple[Rule, ...]) -> tuple[Rule, ...]:
    """The rules of a field: the page's that the sheet does not speak of, then the sheet's in its order."""
    by_kind = {rule.kinds[0].name: rule for rule in native}
    spoken: set[str] = set()
    after: list[Rule] = []
    for rule in said:
        left: list[Kind] = []
        for kind in rule.kinds:
            own = by_kind.get(kind.name)
            if own is not None and rule.at is None:
                spoken.add(kind.name)
                if kind.parameter is True or equal(kind.parameter, own.kinds[0].parameter):
                    after.append(own._replace(say=rule.say, when=rule.when, id=rule.id))
                    continue
            left.append(kind)
        if left:
            after.append(rule._replace(kinds=tuple(left)))
    return (*(r for r in native if r.kinds[0].name not in spoken), *after)
