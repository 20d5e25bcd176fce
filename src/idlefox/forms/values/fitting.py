"""Return whether a field can hold a JSON value at all: the types of values by the kinds of fields."""

from __future__ import annotations

from typing import Any

from .whatwg import DATE_KINDS, is_color, sanitise_date

_EXAMPLES = {
    "date": "2031-05-02", "month": "2031-05", "week": "2031-W18", "time": "09:30", "datetime-local": "2031-05-02T09:30",
}  # fmt: skip


def misfit(kind: str, many: bool, value: Any) -> str:
    """Describe what a field of *kind* (*many*: a multiple choice) can hold instead of *value*; "" if *value* fits."""
    if many or kind == "file":
        return "" if isinstance(value, list) else "a list"
    if kind in ("number", "range"):
        return "" if value is None or (isinstance(value, int | float) and not isinstance(value, bool)) else "a number"
    if kind == "checkbox":
        return "" if isinstance(value, bool) else "true or false"
    if kind in ("select", "radio", "hidden"):
        return "" if not isinstance(value, list | dict) else "the value of an option"
    if kind == "rows":
        return "" if isinstance(value, list) and all(isinstance(r, dict) for r in value) else "a list of objects"
    if kind == "group":
        return "" if isinstance(value, dict) else "an object"
    return _not_text(kind, value)


def _not_text(kind: str, value: Any) -> str:
    if not isinstance(value, str):
        return "a text (in quotes)"
    if kind in DATE_KINDS and value and not sanitise_date(kind, value):
        return f"a {kind} as HTML writes it, such as {_EXAMPLES[kind]}"
    return "a colour such as #1e90ff" if kind == "color" and not is_color(value) else ""
