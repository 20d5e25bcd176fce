"""Where the fields of a form are on its page, for the agent: the sheet's own map, over what the standards find."""

from __future__ import annotations

from typing import Any

from ..forms.model.form import Field, Form
from ..forms.model.live import Find, LivePage, Place
from ..forms.names.addresses import parse_address

Path = tuple[Any, ...]


def agent_map(form: Form) -> dict[str, Any]:
    """What the agent is to know of *form*: its fields by name, nested, and the parts of its page."""
    live = form.live or LivePage()
    places = {_path(address): place for address, place in live.find.items()}
    found = {
        "fields": _fields(form.fields, places),
        "views": {name: _found(find) for name, find in live.views.items()},
        "native": live.validity == "native",
        "submitLabel": form.submit.label,
    }
    for name, find in (("form", live.form), ("notice", live.notice), ("submit", live.submit)):
        if find is not None:
            found[name] = _found(find)
    return found


def _path(address: str) -> Path:
    return tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ())


def _fields(fields: tuple[Field, ...], places: dict[Path, Place]) -> dict[str, Any]:
    return {field.name: _field(field, places) for field in fields if field.kind != "hidden"}


def _field(field: Field, places: dict[Path, Place]) -> dict[str, Any]:
    kind = "rows" if field.kind == "rows" else "group" if field.kind == "group" else "field"
    found: dict[str, Any] = {"kind": kind, "label": field.label or field.name}
    if field.send_name:
        found["send"] = field.send_name
    if field.kind == "radio" or (field.kind == "checkbox" and field.many):
        found["set"] = True
    if kind != "field":
        found["fields"] = _fields(field.fields, places)
    place = places.get(field.path)
    if place is not None:
        for name in ("find", "rows", "add", "remove", "touched", "dirty", "shows", "asking"):
            find: Find | None = getattr(place, name)
            if find is not None:
                found[name] = _found(find)
    return found


def _found(find: Find) -> dict[str, Any]:
    if find.css:
        return {"css": find.css}
    found = {"role": find.role} if find.role else {}
    return found if find.name is None else {**found, "name": find.name}
