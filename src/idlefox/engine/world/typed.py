"""Turns a payload as sent, names and strings, back into typed values of the form's fields for the server."""

from __future__ import annotations

import json
from typing import Any

from ...forms.model.form import Field, Form
from ...forms.names.addresses import parse_address
from ...forms.values.values import reads_as
from ..plan.controls import blank, parser
from .encode import decode_multipart, decode_plain_text, decode_urlencoded


def typed_payload(form: Form, flat: dict[str, Any]) -> dict[str, Any]:
    """The values of *flat* (addresses, or names that are sent, to a text or several) in the shape of *form*.

    What no field is sent as is kept under its own name.
    """
    tree: dict[Any, Any] = {}
    for name, value in flat.items():
        at = tree
        segments = parse_address(name) or (name,)
        for segment in segments[:-1]:
            inner = at.setdefault(segment, {})
            if not isinstance(inner, dict):
                break
            at = inner
        at[segments[-1]] = value
    return _group(form.fields, tree)


def read_as(form: Form, payload: Any, *, flat: bool) -> Any:
    """*payload* as checks read it: a sheet that sends objects has them also where its page sends names and texts."""
    if flat and form.page is None and form.submit.send == "json" and isinstance(payload, dict):
        return typed_payload(form, payload)
    return payload


def _group(fields: tuple[Field, ...], tree: dict[Any, Any]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for field in fields:
        name = field.send_name or field.name
        if field.kind == "rows":
            rows = tree.pop(name, {})
            numbers = sorted(n for n in rows if isinstance(n, int)) if isinstance(rows, dict) else []
            found[name] = [_group(field.fields, rows[n]) for n in numbers if isinstance(rows[n], dict)]
        elif field.fields:
            inner = tree.pop(name, None)
            if isinstance(inner, dict):
                found[name] = _group(field.fields, inner)
        elif name in tree:
            found[name] = typed_value(field, tree.pop(name))
        elif field.kind == "checkbox":
            found[name] = blank(field)
    return {**found, **{str(name): value for name, value in tree.items()}}


def typed_value(field: Field, sent: Any) -> Any:
    """Return the value of *field* for *sent*, a string or a list of strings."""
    if field.many:
        return [_option(field, each) for each in (sent if isinstance(sent, list) else [sent])]
    text = sent[-1] if isinstance(sent, list) else sent
    if field.kind == "checkbox":
        return text not in ("", "false")
    if field.kind in ("select", "radio"):
        return _option(field, text) if text != "" else None
    return parser(field)(text)[0] if isinstance(text, str) else text


def _option(field: Field, text: Any) -> Any:
    """The value of the option that is sent as *text*."""
    offered = field.options if isinstance(field.options, tuple) else ()
    return next((option.value for option in offered if reads_as(option.value) == text), text)


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is not JSON")


def received(body: bytes, media_type: str) -> tuple[Any, bool]:
    """Return a request's *body* as the server reads it, and whether it is flat: names to strings (HTML's encodings) instead of
    JSON.

    A body that cannot be read is its text.
    """
    kind, _, rest = media_type.partition(";")
    text = body.decode("utf-8", "replace")
    kind = kind.strip().lower()
    if kind == "application/json" or kind.endswith("+json"):
        try:
            return json.loads(text, parse_constant=_no_constant), False
        except (ValueError, RecursionError):
            return text, False
    if kind == "application/x-www-form-urlencoded":
        return decode_urlencoded(text), True
    if kind == "multipart/form-data":
        return decode_multipart(text, rest.partition("boundary=")[2].strip('" ')), True
    if kind == "text/plain" and "=" in text and text.endswith("\r\n"):
        return decode_plain_text(text), True
    return text, False
