"""Controls: the raw text of each kind of field, its value, and how a value is written.

Implements HTML's value sanitization algorithms as far as typing needs them, as pure functions of a kind and a text.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.model.form import Field
from ...forms.values import whatwg
from ...forms.values.values import in_order, reads_as

Parsed = tuple[Any, bool]  # the value, and whether the raw text is bad input


def _text(raw: str) -> Parsed:
    return raw, False


def _stripped(raw: str) -> Parsed:
    return raw.strip(whatwg.ASCII_WHITE_SPACE), False


def _addresses(raw: str) -> Parsed:
    """HTML, E-mail state with `multiple`: each address without the white space around it."""
    return ",".join(part.strip(whatwg.ASCII_WHITE_SPACE) for part in raw.split(",")), False


def _page_address(raw: str) -> Parsed:
    return whatwg.with_ascii_domain(_stripped(raw)[0]), False


def _page_addresses(raw: str) -> Parsed:
    return ",".join(map(whatwg.with_ascii_domain, _addresses(raw)[0].split(","))), False


def _number(raw: str) -> Parsed:
    # `2.` may be the beginning of a fraction, so it is not an error yet; `1.5.` and `1e5.` are.
    whole = raw[:-1].removeprefix("-") if raw[-1:] == "." else ""
    value = whatwg.parse_number(raw[:-1] if whole.isascii() and whole.isdigit() else raw)
    return value, value is None and raw != ""


def _date(kind: str) -> Callable[[str], Parsed]:
    def parse(raw: str) -> Parsed:
        value = whatwg.sanitise_date(kind, raw)
        return value, value == "" and raw != ""

    return parse


def _color(raw: str) -> Parsed:
    return (raw.lower(), False) if whatwg.is_color(raw) else ("#000000", False)


def _page_color(raw: str) -> Parsed:
    from ...forms.values.colors import simple_color

    return simple_color(raw), False


def range_bounds(field: Field) -> tuple[Any, Any, Any, Any]:
    """The least, most, step and step base (None: the least) of a range control: its literal rules, else 0, 100 and 1."""
    if field.native is not None and field.native.span is not None:
        return field.native.span  # type: ignore[no-any-return]
    found: dict[str, Any] = {"min": 0, "max": 100, "step": 1}
    for rule in field.rules:
        for kind in rule.kinds:
            if kind.name in found and isinstance(kind.parameter, int | float):
                found[kind.name] = kind.parameter
    return found["min"], found["max"], found["step"], None


def parser(field: Field) -> Callable[[str], Parsed]:
    """Return the function that parses the raw text of this kind of field."""
    if field.kind == "email" and field.native is not None:
        return _page_addresses if field.multiple else _page_address
    if field.kind in ("email", "url"):
        return _addresses if field.multiple else _stripped
    if field.kind == "number":
        return _number
    if field.kind == "range":
        low, high, step, base = range_bounds(field)
        return lambda raw: (whatwg.sanitise_range(raw, low, high, step, base), False)
    if field.kind in whatwg.DATE_KINDS:
        return _date(field.kind)
    if field.kind == "color":
        return _color if field.native is None else _page_color
    return _lines if field.kind == "textarea" else _text


def _lines(raw: str) -> Parsed:
    """HTML, "textarea": the API value, whose line breaks are one character each."""
    return (raw.replace("\r\n", "\n").replace("\r", "\n") if "\r" in raw else raw), False


def blank(field: Field) -> Any:
    """Return the raw text of an empty field (HTML's defaults for range and color)."""
    if field.many or field.kind == "file":
        return []
    if field.kind == "checkbox":
        return False
    if field.kind in ("number", "select", "radio"):
        return None
    if field.kind in ("range", "color"):
        return parser(field)("")[0]
    return ""


def held(field: Field, value: Any) -> Any:
    """*value* as the control of *field* holds it (it fits; see `forms.fitting`)."""
    if value is None:
        return blank(field)
    if field.many:
        return in_order([o.value for o in field.options] if isinstance(field.options, tuple) else [], value)
    if field.kind in ("checkbox", "select", "radio", "file", "hidden"):
        return value
    if field.kind == "number":
        return whatwg.tidy(value) if isinstance(value, float) else value
    return parser(field)(reads_as(value))[0]


TYPED = frozenset({
    "text", "search", "tel", "email", "url", "password", "textarea", "number", "date", "month", "week", "time",
    "datetime-local",
})  # fmt: skip
SINGLE_LINE = TYPED - {"textarea"}
