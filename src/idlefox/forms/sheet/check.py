"""Validates a sheet's data with the JSON Schema that the package ships.

The schema knows keys and types; meanings (addresses, expressions, cycles) are checked by the reader.
"""

from __future__ import annotations

import json
import os
from functools import lru_cache
from typing import Any

from ...problems import listed, nearest
from ..model.form import RULE_KINDS
from .document import Document


def schema_text() -> str:
    """The JSON Schema (2020-12) of the form sheet, as text."""
    # Not through importlib.resources: importing it costs more than reading the whole sheet.
    with open(os.path.join(os.path.dirname(__file__), "sheet.schema.json"), encoding="utf-8") as handle:
        return handle.read()


@lru_cache(maxsize=1)
def _schema() -> tuple[dict[str, Any], Any]:
    import jsonschema_rs

    schema = json.loads(schema_text())
    return schema, jsonschema_rs.Draft202012Validator(schema)


@lru_cache(maxsize=1)
def _key_names() -> frozenset[str]:
    """Every key that a sheet may have somewhere."""
    found: set[str] = set()
    parts: list[Any] = [_schema()[0]]
    while parts:
        part = parts.pop()
        if isinstance(part, dict):
            found.update(part.get("properties", ()))
            parts.extend(part.values())
    return frozenset(found)


def check(document: Document) -> bool:
    """Report everything that the schema does not allow to *document*; return whether there was nothing."""
    schema, validator = _schema()
    before = len(document.problems)
    for error in validator.iter_errors(document.data):
        _report(document, schema, error)
    return len(document.problems) == before


_COUNTS = frozenset({"limit", "start", "least", "most", "status", "minlength", "maxlength"})


def count_whole(part: Any) -> None:
    """Convert whole floats that count things to integers in *part* and everything inside: a JSON Schema accepts ``2.0`` for an
    integer.
    """
    if isinstance(part, dict):
        for key, value in part.items():
            if key in _COUNTS and isinstance(value, float) and value.is_integer():
                part[key] = int(value)
            else:
                count_whole(value)
    elif isinstance(part, list):
        for each in part:
            count_whole(each)


def mend(document: Document) -> bool:
    """Replace invalid parts with harmless ones, so that the rest can be checked too.

    The errors have been reported. Return whether the schema allows the result: only then are further errors independent of
    these.
    """
    schema, validator = _schema()
    for _ in range(3):
        errors = list(validator.iter_errors(document.data))
        if not errors:
            return True
        for error in errors:
            _mend_one(document.data, _part(schema, list(error.schema_path)), error)
    return False


def _path_in(data: Any, path: Any) -> tuple[str | int, ...]:
    """Return the validator's *path* in *data*; keys that look like numbers are strings."""
    found: list[str | int] = []
    for step in path:
        found.append(str(step) if isinstance(data, dict) else step)
        data = _at(data, [found[-1]])
    return tuple(found)


def _mend_one(data: Any, part: dict[str, Any], error: Any) -> None:
    path: list[Any] = list(_path_in(data, error.instance_path))
    parent, here = _at(data, path[:-1]), _at(data, path)
    name = error.kind.name
    if name == "additionalProperties" and isinstance(here, dict):
        _mend_keys(here, list(part.get("properties", {})), error, in_rule=path[-2:-1] == ["rules"])
    elif name == "required" and isinstance(here, dict):
        here[error.kind.property] = {} if error.kind.property == "fields" else "x"
    elif isinstance(parent, dict):
        words = [str(o) for o in part.get("enum", []) if o is not None] if name == "enum" else []
        _mend_value(parent, path or [None], nearest(str(here), words) if words else None)
    elif isinstance(parent, list):
        parent[path[-1]] = {"holds": True} if path[-2:-1] == ["rules"] else f"x{path[-1]}"


def _mend_keys(here: dict[str, Any], known: list[str], error: Any, *, in_rule: bool) -> None:
    """Replace unknown keys by the ones that were probably meant, so that they cause no further errors."""
    for key in error.kind.unexpected:
        value = here.pop(key, None)
        near = nearest(key, known)
        if near is not None and near not in here:
            here[near] = value
    if in_rule and not set(here) - {"say", "when", "id", "at", "on_empty"}:
        here["holds"] = True


def _mend_value(parent: dict[str, Any], path: list[Any], near: str | None) -> None:
    """Replace an invalid value with the nearest allowed word (*near*), or remove it."""
    if near is not None:
        parent[path[-1]] = near
    elif path[-2:-1] == ["fields"]:
        parent[path[-1]] = {}
    else:
        parent.pop(path[-1], None)
        if path[-3:-2] == ["rules"]:
            parent["holds"] = True


def _at(data: Any, path: list[Any]) -> Any:
    """Return the part at *path*; None if it does not exist."""
    for step in path:
        if (isinstance(data, dict) and step in data) or (isinstance(data, list) and isinstance(step, int) and step < len(data)):
            data = data[step]
        else:
            return None
    return data


def _part(schema: dict[str, Any], steps: list[Any]) -> dict[str, Any]:
    """The subschema whose keyword failed, references followed."""
    part: Any = schema
    for step in steps[:-1]:
        if isinstance(part, dict) and "$ref" in part and step != "$ref":
            part = schema["$defs"][part["$ref"].rpartition("/")[2]]
        if step == "$ref":
            part = schema["$defs"][part["$ref"].rpartition("/")[2]]
        elif isinstance(part, list):
            part = part[int(step)]
        else:
            part = part[step]
    return part if isinstance(part, dict) else {}


def _shown(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    if len(text) <= 60:
        return text
    return "keys and values" if isinstance(value, dict) else "a list" if isinstance(value, list) else text[:57] + "…"


def _instead(document: Document, at: tuple[Any, ...], known: list[str], *, of_field: bool) -> str:
    """Suggest a replacement for an unknown key: the nearest known one, a rule, or the text that a comma has split."""
    whole = document.parted(at)
    if whole:
        return f"if it belongs to the text before the comma, put the text in quotes: {whole}"
    near, rule = nearest(at[-1], known), nearest(at[-1], RULE_KINDS) if of_field else None
    if near is None and rule is not None:
        return f"that is a rule; write rules: [{{{rule}: …}}]"
    return f"did you mean {near!r}?" if near else f"the keys here are {listed(known, 'and', 30)}"


def _report(document: Document, schema: dict[str, Any], error: Any) -> None:
    path = _path_in(document.data, error.instance_path)
    part = _part(schema, list(error.schema_path))
    name = error.kind.name
    where = ".".join(str(p) for p in path)
    spot = f" in {where}" if where else ""
    wanted = part.get("title", "something else")
    if name == "additionalProperties":
        known = list(part.get("properties", {}))
        for key in error.kind.unexpected:
            remedy = _instead(document, (*path, key), known, of_field=part is schema["$defs"]["field"])
            document.report((*path, key), f"unknown key {key!r}{spot}", remedy, key=True)
    elif name == "required":
        key = error.kind.property
        document.report(path, f"the key {key!r} is missing{spot}", f"add `{key}:`", key=bool(path))
    elif name == "enum":
        options = [str(o) for o in part.get("enum", []) if o is not None]
        near = nearest(str(error.instance), options)
        remedy = f"did you mean {near!r}?" if near else f"write {listed(options, most=30)}"
        document.report(path, f"{_shown(error.instance)} is not a valid {path[-1] if path else 'value'}{spot}", remedy)
    elif name == "anyOf":
        document.report(path, "the sheet has no fields", "add `fields:`")
    else:
        key = next((step for step in reversed(path) if step in _key_names()), "")
        remedy = f"`idlefox words {key}` shows how to write it" if key else ""
        if name == "type" and error.instance is None:
            remedy = "write {} if there is nothing to set" if part.get("type") == "object" else "give it a value, or remove the key"
        elif name == "type" and part.get("type") == "string" and isinstance(error.instance, int | float | bool):
            remedy = f'put it in quotes: "{_shown(error.instance)}"'
        document.report(path, f"expected {wanted}, found {_shown(error.instance)}{spot}", remedy)
