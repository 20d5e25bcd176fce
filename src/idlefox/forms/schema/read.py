"""A form's fields from a JSON Schema (2020-12) of its payload.

Supported: types, required, lengths, ranges, patterns, enums, nested objects, arrays of objects as rows. Everything else
(conditional schemas, free-form maps, arrays of numbers) is reported with its JSON Pointer.
https://json-schema.org/draft/2020-12/json-schema-validation
"""

from __future__ import annotations

import json
import re
from decimal import Decimal
from typing import Any

from ...problems import Place, Problem, Unreadable, read_text
from ..model.messages import label_of
from ..values.patterns import PatternError, whole_match
from ..values.whatwg import step_mismatch

_FORMATS = {"email": "email", "uri": "url", "iri": "url", "date": "date"}
_MOST = 10_000  # parts, counted once per reference
_LONG = 200  # longer texts get a multi-line control
_SILENT = frozenset({
    "$schema", "$id", "$defs", "definitions", "title", "description", "$comment", "examples", "type", "properties", "required", "enum",
    "const", "format", "minLength", "maxLength", "pattern", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf",
    "items", "minItems", "maxItems", "uniqueItems", "default", "readOnly", "$ref", "additionalProperties", "unevaluatedProperties",
    "deprecated", "writeOnly", "$anchor", "contentMediaType", "contentEncoding",
})  # fmt: skip


class SchemaForm:
    """The *fields* of a sheet as plain data, its *title*, and *notes* on parts of the schema without a counterpart."""

    def __init__(self, title: str, fields: dict[str, Any], notes: list[str]) -> None:
        self.title = title
        self.fields = fields
        self.notes = notes


def read_schema(file: str) -> SchemaForm:
    """The form of the payload that the JSON Schema *file* describes. Raises Unreadable."""
    text = read_text(file)
    try:
        data = json.loads(text)
    except json.JSONDecodeError as fault:
        line = text.split("\n")[fault.lineno - 1] if text else ""
        raise Unreadable([Problem(Place(file, fault.lineno, fault.colno), f"invalid JSON: {fault.msg.lower()}", "", line)]) from None
    except RecursionError:
        raise Unreadable([Problem(Place(file, 1, 1), "this is nested too deep", "flatten the schema")]) from None
    place = Place(file, 1, 1)
    if re.search("[\ud800-\udfff]", json.dumps(data, ensure_ascii=False)):
        raise Unreadable([Problem(place, "this contains half of a surrogate pair, which is no character", "write the whole pair")])
    if not isinstance(data, dict):
        raise Unreadable([Problem(place, "a schema must be an object", 'start with {"type": "object", "properties": …}')])
    wrong = _no_schema(data)
    if wrong:
        raise Unreadable([Problem(place, f"this is not a JSON Schema (2020-12): {wrong}", "fix it there")])
    reader = _SchemaReader(data)
    try:
        return _form(reader, data, place)
    except _TooManyReferences as fault:
        cause = f"with its references this schema has more than {_MOST:,} parts, {fault} among them"
        raise Unreadable([Problem(place, cause, "give scaffold only the part of the schema that describes the payload")]) from None


def _form(reader: _SchemaReader, data: dict[str, Any], place: Place) -> SchemaForm:
    top = reader.resolved(data, "")
    if not isinstance(top.get("properties"), dict) or not top["properties"]:
        remedy = 'describe the payload: {"type": "object", "properties": …}'
        raise Unreadable([Problem(place, "this schema describes no object with properties", remedy)])
    fields = reader.fields(top, "")
    title = top.get("title") if isinstance(top.get("title"), str) else ""
    return SchemaForm(title or "", fields, reader.notes)


class _TooManyReferences(Exception):
    """References that multiply; its text is the pointer to the part that was one too many."""


def _no_schema(data: dict[str, Any]) -> str:
    """Return what the metaschema rejects in *data*, and where; "" if it is valid."""
    import jsonschema_rs

    try:
        jsonschema_rs.meta.validate({**data, "$schema": "https://json-schema.org/draft/2020-12/schema"})
    except jsonschema_rs.ValidationError as fault:
        return f"at /{'/'.join(map(str, fault.instance_path))}, {fault.message[:200]}"
    except (ValueError, RecursionError) as fault:
        return str(fault)
    return ""


def _lay_over(whole: dict[str, Any], part: dict[str, Any]) -> None:
    """Add a part of `allOf` to *whole*."""
    for key, value in part.items():
        if key == "properties" and isinstance(value, dict):
            whole["properties"] = {**whole.get("properties", {}), **value}
        elif key == "required" and isinstance(value, list):
            whole["required"] = [*whole.get("required", []), *value]
        else:
            whole.setdefault(key, value)


class _SchemaReader:
    def __init__(self, root: dict[str, Any]) -> None:
        self.root = root
        self.notes: list[str] = []
        self.open: list[str] = []
        self.parts = 0

    def note(self, at: str, text: str) -> None:
        self.notes.append(f"{at or '/'}: {text}")

    def resolved(self, schema: Any, at: str) -> dict[str, Any]:
        """*schema* with its local `$ref` followed and its `allOf` put together."""
        if not isinstance(schema, dict):
            return {}
        self.parts += 1
        if self.parts > _MOST:
            raise _TooManyReferences(at if len(at) <= 80 else f"{at[:80]}…")
        whole = dict(self._followed(schema, at))
        parts = whole.pop("allOf", [])
        for i, part in enumerate(parts if isinstance(parts, list) else []):
            _lay_over(whole, self.resolved(part, f"{at}/allOf/{i}"))
        for key in whole:
            if key not in _SILENT:
                self.note(at, f"{key} has no counterpart in form fields")
        return whole

    def _followed(self, schema: dict[str, Any], at: str) -> dict[str, Any]:
        seen: list[str] = []
        while isinstance(schema.get("$ref"), str):
            reference = schema["$ref"]
            if reference in seen or reference in self.open or not reference.startswith("#"):
                self.note(at, f"$ref {reference} is not followed" + ("" if reference.startswith("#") else ": it leaves the file"))
                break
            seen.append(reference)
            target = self._pointer(reference[1:])
            if target is None:
                self.note(at, f"$ref {reference} points to nothing")
                break
            schema = {**target, **{k: v for k, v in schema.items() if k != "$ref"}}
        return schema

    def _pointer(self, pointer: str) -> dict[str, Any] | None:
        """RFC 6901, within this file."""
        found: Any = self.root
        for part in pointer.split("/")[1:]:
            name = part.replace("~1", "/").replace("~0", "~")
            found = found.get(name) if isinstance(found, dict) else None
        return found if isinstance(found, dict) else None

    def fields(self, schema: dict[str, Any], at: str) -> dict[str, Any]:
        required = schema["required"] if isinstance(schema.get("required"), list) else []
        found: dict[str, Any] = {}
        properties = schema.get("properties")
        for name, part in properties.items() if isinstance(properties, dict) else ():
            here = f"{at}/properties/{name}"
            reference = part.get("$ref") if isinstance(part, dict) else None
            each = self.resolved(part, here)
            if isinstance(reference, str):
                self.open.append(reference)
            field = self.field(name, each, here, name in required)
            if isinstance(reference, str):
                self.open.pop()
            if field is not None:
                found[name] = field
        return found

    def field(self, name: str, schema: dict[str, Any], at: str, required: bool) -> dict[str, Any] | None:
        if "const" in schema:
            return {"type": "hidden", "initial": schema["const"]} if not isinstance(schema["const"], dict | list) else None
        kind = self._type(schema)
        rules: list[dict[str, Any]] = []
        if required and kind not in ("object", "boolean", "array"):
            rules.append({"required": True})
        field = self._control(name, schema, at, kind, rules, required)
        if field is None:
            self.note(at, "no form control can hold such a value, so the form leaves it out")
            return None
        if "default" in schema and kind != "object" and self._fits(field, schema["default"]):
            field["initial"] = schema["default"]
        if schema.get("readOnly") is True:
            field["readonly"] = True
        if rules:
            field["rules"] = rules
            if "fields" in field:
                field["fields"] = field.pop("fields")  # after the rules, for readability
        return field

    def _control(
        self, name: str, schema: dict[str, Any], at: str, kind: str, rules: list[dict[str, Any]], required: bool
    ) -> dict[str, Any] | None:
        """Return the control for a schema; its constraints are added to *rules*."""
        label = schema["title"] if isinstance(schema.get("title"), str) else label_of(name)
        options = schema.get("enum")
        if isinstance(options, list):
            offered = [o for o in options if isinstance(o, str | int | float)]
            return {"type": "select", "label": label, "options": offered} if offered else None
        if kind == "object":
            inner = self.fields(schema, at)
            return {"type": "group", "label": label, "fields": inner} if inner else None
        if kind == "array":
            return self._array(label, schema, at, rules, required)
        if kind == "boolean":
            return {"type": "checkbox", "label": label}
        if kind in ("number", "integer"):
            return self._number(label, schema, kind, rules)
        return self._text(label, schema, at, rules)

    def _type(self, schema: dict[str, Any]) -> str:
        given = schema.get("type")
        if isinstance(given, list):
            given = next((t for t in given if t != "null"), "string")
        if isinstance(given, str):
            return given
        return "object" if "properties" in schema else "array" if "items" in schema else "string"

    def _fits(self, field: dict[str, Any], value: Any) -> bool:
        from ..values.fitting import misfit

        kind = field.get("type", "text")
        return value is not None and not misfit(kind, kind == "checkbox" and "options" in field, value)

    def _text(self, label: str, schema: dict[str, Any], at: str, rules: list[dict[str, Any]]) -> dict[str, Any]:
        most = schema.get("maxLength")
        given = schema.get("format")
        kind = _FORMATS.get(given, "text") if isinstance(given, str) else "text"
        if given is not None and kind == "text":
            self.note(at, f"format {given} is not checked")
        if kind == "text" and isinstance(most, int) and most > _LONG:
            kind = "textarea"
        if kind == "date":
            return {"type": kind, "label": label}
        lengths = {s: schema[k] for k, s in (("minLength", "minlength"), ("maxLength", "maxlength")) if isinstance(schema.get(k), int)}
        rules += [{k: v} for k, v in lengths.items() if not (k == "minlength" and v == 0)]
        pattern = schema.get("pattern")
        if isinstance(pattern, str):
            whole = whole_pattern(pattern)
            try:
                whole_match(whole)
                rules.append({"pattern": whole})
            except PatternError as fault:
                self.note(at, f"{pattern} is not a valid pattern with flag v: {fault}")
        return {"type": kind, "label": label} if kind != "text" else {"label": label}

    def _number(self, label: str, schema: dict[str, Any], kind: str, rules: list[dict[str, Any]]) -> dict[str, Any]:
        for key, name in (("minimum", "min"), ("maximum", "max")):
            if _is_number(schema.get(key)):
                rules.append({name: schema[key]})
        for key, sign in (("exclusiveMinimum", ">"), ("exclusiveMaximum", "<")):
            if _is_number(schema.get(key)):
                rules.append({"holds": f"value {sign} {json.dumps(schema[key])}"})
        multiple = schema.get("multipleOf")
        step = multiple if _is_number(multiple) else 1 if kind == "integer" else None
        if step is not None:
            # A form counts steps from the minimum, a schema from 0; if these differ, use an expression.
            low = schema.get("minimum", 0)
            whole = step > 0 and _is_number(low) and not step_mismatch(Decimal(str(low)), Decimal(str(step)), Decimal(0))
            rules.append({"step": step} if whole else {"holds": f"value % {json.dumps(step)} == 0"})
        return {"type": "number", "label": label}

    def _array(self, label: str, schema: dict[str, Any], at: str, rules: list[dict[str, Any]], required: bool) -> dict[str, Any] | None:
        items = self.resolved(schema.get("items"), f"{at}/items")
        counts = {s: schema[k] for k, s in (("minItems", "min"), ("maxItems", "max")) if isinstance(schema.get(k), int)}
        if isinstance(items.get("enum"), list):
            if counts.get("min"):
                rules.append({"required": True})
            rules += [{k: v} for k, v in counts.items() if v]
            offered = [o for o in items["enum"] if isinstance(o, str | int | float)]
            return {"type": "checkbox", "label": label, "options": offered} if offered else None
        if self._type(items) != "object":
            return None
        inner = self.fields(items, f"{at}/items")
        if not inner:
            return None
        found: dict[str, Any] = {"type": "rows", "label": label}
        if counts.get("min"):
            found["least"] = counts["min"]
        if "max" in counts:
            found["most"] = counts["max"]
        if schema.get("uniqueItems") is True:
            self.note(at, "uniqueItems: add `unique` to the field of a row that must differ")
        return {**found, "fields": inner}


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def whole_pattern(pattern: str) -> str:
    """A schema's pattern, which is searched for with flag u, as a form's: flag v, and it must match the whole value."""
    pattern = _CLASS.sub(_class_for_v, pattern)
    if _alternates(pattern):
        return f"[\\s\\S]*(?:{pattern})[\\s\\S]*"
    begins, ends = pattern.startswith("^"), re.search(r"(?<!\\)(?:\\\\)*\$$", pattern) is not None
    inner = pattern[1 if begins else 0 : -1 if ends else None]
    return ("" if begins else "[\\s\\S]*") + inner + ("" if ends else "[\\s\\S]*")


_CLASS = re.compile(r"\\.|\[\^?((?:\\.|[^\]\\])*)\]", re.S)
_IN_CLASS = re.compile(r"\\.|[()\[{}/|]|^-|-$", re.S)


def _class_for_v(found: re.Match[str]) -> str:
    """A character class with a backslash before what flag v keeps for itself."""
    if not found[0].startswith("["):
        return found[0]
    inner = _IN_CLASS.sub(lambda m: m[0] if m[0].startswith("\\") else "\\" + m[0], found[1])
    return f"[{'^' if found[0].startswith('[^') else ''}{inner}]"


def _alternates(pattern: str) -> bool:
    """Return whether *pattern* has an alternative outside of groups and classes."""
    depth = 0
    for piece in re.findall(r"\\.|\[(?:\\.|[^\]\\])*\]|.", pattern, re.S):
        depth += (piece == "(") - (piece == ")")
        if piece == "|" and not depth:
            return True
    return False
