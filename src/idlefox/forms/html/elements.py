"""The attributes of one form element as HTML reads them.

Attributes that do not apply to a control's type, or have an invalid value, count as missing.
"""

from __future__ import annotations

import re
from typing import Any

from ..values.patterns import PatternError, PatternTooLong, whole_match
from ..values.whatwg import ASCII_WHITE_SPACE, DATE_KINDS, Number, date_number, parse_number

Attributes = dict[str, Any]
INPUT_TYPES = frozenset({
    "hidden", "text", "search", "tel", "url", "email", "password", "date", "month", "week", "time", "datetime-local",
    "number", "range", "color", "checkbox", "radio", "file", "submit", "image", "reset", "button",
})  # fmt: skip
BUTTON_TYPES = frozenset({"submit", "image", "reset", "button"})
LINES = frozenset({"text", "search", "tel", "url", "email", "password"})
NUMERIC = frozenset({"number", "range"}) | DATE_KINDS
# HTML, "The input element": which attributes apply to which types.
READONLY = LINES | DATE_KINDS | {"number", "textarea"}
REQUIRED = LINES | DATE_KINDS | {"number", "textarea", "checkbox", "radio", "file", "select"}
LENGTHS = LINES | {"textarea"}
# HTML, "Implicit submission": fields of which a form without a submit button may have one at most.
# HTML, "fields that block implicit submission", also lists dates and times; in no browser do they block it.
BLOCKING = LINES | {"number"}
DIRNAME = LENGTHS | {"hidden"}
_LEADING = re.compile(r"[\t\n\f\r ]*(?:\+(?!-))?(-?)(?:([0-9]+)\.(?=[eE])|([0-9]+(?:\.[0-9]+)?|\.[0-9]+))([eE][-+]?[0-9]+)?")
_INTEGER = re.compile(r"[\t\n\f\r ]*([+-]?[0-9]+)")


def type_of(tag: str, attributes: Attributes) -> str:
    """The kind of a control: the state of its type attribute, or the element's own name."""
    if tag == "input":
        kind = (attributes.get("type") or "text").lower()
        return kind if kind in INPUT_TYPES else "text"
    if tag == "button":
        kind = (attributes.get("type") or "submit").lower()
        return kind if kind in BUTTON_TYPES and kind != "image" else "submit"
    return tag


def given(attributes: Attributes, name: str) -> str | None:
    """Return the value of an attribute, "" if it has none, None if it is missing."""
    return attributes[name] or "" if name in attributes else None


def whole_number(attributes: Attributes, name: str) -> int | None:
    """HTML, "Rules for parsing non-negative integers": leading white space and what follows the digits do not count."""
    found = _INTEGER.match(attributes.get(name) or "")
    value = int(found[1][:18]) if found else -1
    return value if value >= 0 else None


def integer(attributes: Attributes, name: str) -> int | None:
    """HTML, "Rules for parsing integers"."""
    found = _INTEGER.match(attributes.get(name) or "")
    return int(found[1][:18]) if found else None


def leading_number(text: str) -> Number | None:
    """HTML, "Rules for parsing floating-point number values": what follows the number does not count."""
    found = _LEADING.match(text)
    return parse_number("".join(part or "" for part in found.groups())) if found else None


def bound(kind: str, attributes: Attributes, name: str) -> Any:
    """Return the value of `min` or `max` (or `value`, for the step base): a number, or a date as written; None if invalid."""
    text = attributes.get(name)
    if not text:
        return None
    if kind in DATE_KINDS:
        return text if date_number(kind, text) is not None else None
    return leading_number(text)


def step_of(attributes: Attributes) -> Number | None:
    """Return the allowed value step in the type's unit (HTML, "The step attribute"); None for any. 0 means the type's default."""
    text = attributes.get("step")
    if not text:
        return 0
    if text.lower() == "any":
        return None
    number = leading_number(text)
    return number if number is not None and number > 0 else 0


def pattern_of(attributes: Attributes) -> str | None:
    """Return the pattern attribute; None if it is not an ECMAScript pattern (HTML: then there is no constraint)."""
    pattern = given(attributes, "pattern")
    if pattern is None:
        return None
    try:
        whole_match(pattern)
    except PatternTooLong:
        raise
    except PatternError:
        return None
    return str(pattern)


def accept_of(attributes: Attributes) -> tuple[str, ...]:
    """The tokens of the accept attribute."""
    tokens = (t.strip(ASCII_WHITE_SPACE) for t in (attributes.get("accept") or "").split(","))
    return tuple(t for t in tokens if t)
