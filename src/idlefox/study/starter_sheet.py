"""A starter sheet as YAML, for a page or for data from a JSON Schema.

This module reads no files and checks nothing; the caller reads the result back.
"""

from __future__ import annotations

import json
import re
from typing import Any

from ..forms.expressions import Expression
from ..forms.model.form import Field, Form, Kind
from ..forms.model.messages import stock_text
from ..forms.values.whatwg import DATE_KINDS

_PLAIN = re.compile(r"[A-Za-z_](?:[A-Za-z0-9_./-]|[ ](?=[A-Za-z0-9_(]))*")
_TAKEN = frozenset({"true", "false", "null", "yes", "no", "on", "off"})
_DEFAULT_STEPS = {"date": 1, "month": 1, "week": 1, "time": 60, "datetime-local": 60}


def yaml_text(value: Any) -> str:
    """Return *value* in YAML's flow style, unquoted if every reader of YAML 1.2 (and 1.1) reads the same text."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{yaml_text(k)}: {yaml_text(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(yaml_text(v) for v in value) + "]"
    if isinstance(value, str) and _PLAIN.fullmatch(value) and value.lower() not in _TAKEN:
        return value
    if isinstance(value, str) and "\\" in value and "'" not in value and value.isprintable():
        return f"'{value}'"  # a pattern reads better without its backslashes doubled
    return json.dumps(value, ensure_ascii=False)


def block(key: str, value: Any, indent: int) -> list[str]:
    """Return the lines for ``key: value``: fields as blocks, rules one per line, everything else on the line of its key."""
    space = " " * indent
    if key == "fields" and isinstance(value, dict):
        lines = [f"{space}fields:"]
        for name, field in value.items():
            lines += _field(name, field, indent + 2)
        return lines
    if key == "rules" and isinstance(value, list):
        return [f"{space}rules:", *(f"{space}  - {yaml_text(rule)}" for rule in value)]
    return [f"{space}{yaml_text(key)}: {yaml_text(value)}"]


def _field(name: str, field: dict[str, Any], indent: int) -> list[str]:
    space = " " * indent
    nested = "rules" in field or "fields" in field
    if not nested:
        return [f"{space}{yaml_text(name)}: {yaml_text(field)}"]
    lines = [f"{space}{yaml_text(name)}:"]
    for key, value in field.items():
        lines += block(key, value, indent + 2)
    return lines


def sheet_text(data: dict[str, Any], comment: list[str]) -> str:
    """A whole sheet."""
    lines = [f"# {line}".rstrip() for line in comment]
    for key, value in data.items():
        lines += block(key, value, 0)
    return "\n".join(lines) + "\n"


def sheet_of_page(form: Form, page: str, url: str = "") -> str:
    """A first sheet over *page* (as the sheet's `page` key will name it): every field, every rule with words to change.

    *url*: where the page is live, "" where it is nowhere.
    """
    data: dict[str, Any] = {"form": name_of(form), "label": form.label, "page": page, "report": {"first": "submit", "again": "submit"}}
    fields: dict[str, Any] = {}
    for field in form.fields:
        said: dict[str, Any] = {"label": field.label}
        rules = [_rule(field, kind) for rule in field.rules for kind in rule.kinds if _worth_saying(field, kind)]
        if rules:
            said["rules"] = rules
        fields[field.name] = said
    if fields:
        data["fields"] = fields
    if url:
        data["live"] = {"page": url, "validity": "native", "requests": "real"}
    comment = [
        f"A starter sheet for the page {page}, with the page's fields and rules.",
        "Change the messages, set when they appear (report, reveal), and add the rules and the server that a page cannot describe.",
    ]
    return sheet_text(data, comment)


def name_of(form: Form) -> str:
    """A name that a sheet can have, after the form's id."""
    name = re.sub(r"[^A-Za-z0-9_-]+", "-", form.id).strip("-")
    return name if name and not name[0].isdigit() and name[0] != "-" else f"form-{name}".rstrip("-")


def _worth_saying(field: Field, kind: Kind) -> bool:
    if kind.name == "step":
        return bool(kind.parameter != _DEFAULT_STEPS.get(field.kind)) and field.kind != "range"
    if field.kind == "range" and kind.name in ("min", "max"):
        return False
    return not (kind.name == "badInput" and field.kind in DATE_KINDS)


def _rule(field: Field, kind: Kind) -> dict[str, Any]:
    parameter = True if isinstance(kind.parameter, Expression | tuple | bool) or kind.name == "required" else kind.parameter
    return {kind.name: parameter, "say": stock_text(kind.name, field.kind)}
