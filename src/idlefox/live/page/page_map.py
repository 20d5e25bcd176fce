"""The locators of a form's fields for the agent: those of the sheet, in addition to the standards."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import Any

from ...forms.model.form import Field, Form, Notice
from ...forms.model.live import ANY, WHOLE, FieldLocators, Find, LivePage
from ...forms.names.addresses import named, parse_address
from ...forms.values.values import reads_as
from .message_patterns import CALM, patterns_of

Path = tuple[Any, ...]


def agent_map(form: Form) -> dict[str, Any]:
    """Return the agent's map of *form*: its fields by name, nested, and the parts of its page."""
    live = form.live or LivePage()
    places = {_path(address): place for address, place in live.find.items() if address not in (ANY, WHOLE)}
    says = patterns_of(form, form.fields)
    for panel in form.panels:
        says |= patterns_of(panel, panel.fields)
    panels = {panel.panel: _panel(panel, places, says) for panel in form.panels}
    general = _placed(live.find.get(ANY)) | ({"own": own["shows"]} if "shows" in (own := _placed(live.find.get(WHOLE))) else {})
    found: dict[str, Any] = {
        "fields": {**_fields(form.fields, places, says), **panels, "*": general},
        "views": {name: _found(find) for name, find in live.views.items()},
        "native": live.validity == "native",
        "submitLabel": form.submit.label,
        "calm": CALM,
    }
    found["noticeTexts"] = list(dict.fromkeys(notice.text for notice in notices_of(form)))
    if live.payload is not None and live.payload.css == "console":
        found["console"] = True
    for name, find in _parts(live).items():
        if find is not None:
            found[name] = _found(find)
    if form.page is not None:
        found["page"] = True
        _by_markup(form, found["fields"])
    return found


def notices_of(form: Form) -> Iterator[Notice]:
    """The notices that the sheet knows."""
    for part in (form, *form.panels):
        told = [*(after.notice for after in part.after.values()), *(reply.notice for reply in part.server.replies)]
        yield from (notice for notice in told if notice is not None)


def _parts(live: LivePage) -> dict[str, Find | None]:
    whole = live.find.get(WHOLE)
    names = ("notice", "submit", "reset", "summary", "accepted", "rejected")
    payload = live.payload if live.payload is not None and live.payload.css != "console" else None
    form = live.form or (whole.find if whole is not None else None)
    return {"form": form, "payload": payload, **{name: getattr(live, name) for name in names}}


def _by_markup(form: Form, fields: dict[str, Any]) -> None:
    """Locate the controls of a page's own form by name and position."""
    met: dict[str, int] = {}
    for field in form.fields:
        name, known = field.native.name, fields.get(field.name)
        number = met.get(name, 0)
        met[name] = number + 1
        if known is None or "find" in known:
            continue
        if field.address.startswith("#"):
            known["find"] = {"css": f"[id={json.dumps(field.address[1:])}]"}
        elif name:
            known["named"] = name
            if field.native.repeats:
                known["nth"] = number


def key_of(segments: Iterable[Any]) -> str:
    """Return the agent's key of the field at *segments*: names as they are, joined by dots."""
    text = ""
    for segment in segments:
        text += f"[{segment}]" if isinstance(segment, int) else f".{segment}" if text else str(segment)
    return text


def resolved(form: Form, segments: tuple[Any, ...]) -> tuple[Any, ...]:
    """*segments* as they lead to a field of *form*: a page's may have brackets and dots in its name."""
    name = named(form.shape, segments) if form.page is not None else None
    return (name,) if name is not None else segments


def _path(address: str) -> Path:
    return tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ())


def _fields(fields: tuple[Field, ...], places: dict[Path, FieldLocators], says: dict[Path, list[str]]) -> dict[str, Any]:
    return {field.name: _field(field, places, says) for field in fields if field.kind != "hidden"}


def _field(field: Field, places: dict[Path, FieldLocators], says: dict[Path, list[str]]) -> dict[str, Any]:
    kind = "rows" if field.kind == "rows" else "group" if field.kind == "group" else "field"
    found: dict[str, Any] = {"kind": kind, "label": field.label or field.name, "type": field.kind}
    if field.many:
        found["many"] = True
    if field.kind in ("select", "radio") or field.many:
        found["choice"] = True
    if isinstance(field.options, tuple):
        found["options"] = [[reads_as(option.value), option.label] for option in field.options]
    if field.send_name:
        found["send"] = field.send_name
    if field.kind == "radio" or (field.kind == "checkbox" and field.many):
        found["set"] = True
    if says.get(field.path):
        found["says"] = says[field.path]
    if kind != "field":
        found["fields"] = _fields(field.fields, places, says)
    return found | _placed(places.get(field.path))


def _panel(panel: Form, places: dict[Path, FieldLocators], says: dict[Path, list[str]]) -> dict[str, Any]:
    found: dict[str, Any] = {"kind": "panel", "label": panel.label or panel.panel, "submitLabel": panel.submit.label}
    found["fields"] = _fields(panel.fields, places, says)
    return found | _placed(places.get((panel.panel,)))


def _placed(place: FieldLocators | None) -> dict[str, Any]:
    if place is None:
        return {}
    parts = ("find", "value", "rows", "add", "remove", "open", "close", "touched", "dirty", "shows", "asking", "marked")
    found: dict[str, Any] = {name: _found(find) for name in parts if (find := getattr(place, name)) is not None}
    found |= {name: text for name in ("empty", "format") if (text := getattr(place, name))}
    if place.around:
        found["around"] = {"css": place.around}
    if "open" in found:
        found["opener"] = found["open"]
    return found


def _found(find: Find) -> dict[str, Any]:
    if find.css:
        return {"css": find.css}
    found = {"role": find.role} if find.role else {}
    return found if find.name is None else {**found, "name": find.name}
