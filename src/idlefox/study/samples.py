"""Values to try on a field: at a limit and beside it, matching a pattern and not.

Pure functions of a model's field. Their results are guesses, which callers verify.
"""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from ..forms.model.form import TEXT_KINDS, Field
from ..forms.values.patterns import PatternTooSlow, whole_match
from ..forms.values.whatwg import DATE_KINDS, EXACT, STEPS, date_number, date_text, decimal_of

_NOT = ("!", "~~~", "x", "1", "Zz9 ~!", "")
_YES = (
    "a", "A", "1", "ab", "abc", "ABC", "123", "12345", "A1", "AB123", "name", "word", "two words", "2031-05-02", "12:30", "+47 123 45 678",
    "a@b.example", "https://a.example", "A-1", "AB-12", "0.5", "Ferry9!mooring", "FERRY 9",
)  # fmt: skip


def parameter(field: Field, kind: str) -> Any:
    """Return the literal parameter of the field's rule of *kind*, None if there is none."""
    for rule in field.rules:
        for each in rule.kinds:
            if each.name == kind and isinstance(each.parameter, int | float | str):
                return each.parameter
    return None


def parameter_of(field: Field, kind: str) -> Any:
    """Return the parameter of the field's rule of *kind*."""
    return next((k.parameter for r in field.rules for k in r.kinds if k.name == kind), None)


def candidates(field: Field) -> list[Any]:
    """Values that the field may well take, the likeliest first."""
    if field.kind in TEXT_KINDS:
        return list(texts_for(field))
    if field.kind == "number" or field.kind in DATE_KINDS:
        return list(values_for(field))
    if field.kind == "checkbox" and not field.many:
        return [True]
    if field.kind == "file":
        suffix = next((a for a in field.accept if a.startswith(".")), ".pdf" if not field.accept else "")
        return [f"paper{suffix}"] if suffix else ["picture.png"]
    options = [o.value for o in options_of(field) if o.enabled is None and o.value not in ("", None)]
    needed = parameter_of(field, "required")
    if field.many and isinstance(needed, tuple):
        return [list(needed)]
    return [[o] for o in options] if field.many else list(options)


def options_of(field: Field) -> tuple[Any, ...]:
    """Return the options of a choice."""
    return field.options if isinstance(field.options, tuple) else ()


_LONGEST = 1_000_000  # a longer text is not made up


def texts_for(field: Field) -> list[str]:
    """Texts that may well be valid in a field of texts, the likeliest first."""
    least = parameter(field, "minlength") or 0
    most = parameter(field, "maxlength")
    pattern = parameter(field, "pattern")
    found: list[str] = []
    if pattern is not None:
        found += [t for t in matching(str(pattern)) if len(t) >= least and (most is None or len(t) <= most)]
    if field.kind == "email":
        found += ["mara@fjordmail.example", "a@b.example", "a@b"]
    elif field.kind == "url":
        found += ["https://skerry.example/", "a:b"]
    else:
        found += ["word", "a", "A", "1"]
    size = min(max(1, least), _LONGEST)
    found += [t * size for t in ("a", "A", "1", "word"[:1])]
    return [t for t in dict.fromkeys(found) if most is None or len(t) <= most]


def matching(pattern: str) -> list[str]:
    """Texts that the ECMAScript *pattern* matches as a whole, as far as some can be made up."""
    candidates = [*(t for t in (_made_up(pattern, 0), _made_up(pattern, 1)) if t is not None), *_YES]
    return [t for t in dict.fromkeys(candidates) if _matches(pattern, t)]


def not_matching(pattern: str) -> str | None:
    """A text that is not empty and that *pattern* does not match, or None."""
    return next((t for t in (*_NOT, "x" * 300) if t and _matches(pattern, t) is False), None)


def _matches(pattern: str, text: str) -> bool | None:
    """Return whether *pattern* matches all of *text*; None if that takes too long."""
    try:
        return whole_match(pattern)(text)
    except PatternTooSlow:
        return None


_PIECE = re.compile(
    r"\\[pP]\{[^}]*\}|\\u\{[0-9a-fA-F]+\}|\\u[0-9a-fA-F]{4}|\\x[0-9a-fA-F]{2}|\\.|\[(?:\\.|[^\]\\])*\]"
    r"|\(\?(?:[:=!]|<[=!]|<\w+>)|\(|\)|\||\{\d+(?:,\d*)?\}|[*+?^$]|.",
    re.S,
)
_CLASSES = {"d": "5", "w": "a", "s": " ", "D": "a", "W": "-", "S": "a", "b": "", "B": "", "t": "\t", "n": "\n"}


def _made_up(pattern: str, extra: int) -> str | None:
    """Return a text for the parts of *pattern*, each repeated as few times as possible plus *extra*; None if that is not possible."""
    try:
        text, rest = _alternatives([m[0] for m in _PIECE.finditer(pattern)], extra)
    except (IndexError, ValueError):
        return None
    return text if not rest else None


def _alternatives(pieces: list[str], extra: int) -> tuple[str, list[str]]:
    """Return the first alternative of a group, and the rest after its closing bracket."""
    first: str | None = None
    text = ""
    while pieces:
        piece = pieces.pop(0)
        if piece == ")":
            return first if first is not None else text, [")", *pieces]
        if piece == "|":
            first, text = text if first is None else first, ""
            continue
        unit, pieces = _unit(piece, pieces, extra)
        if pieces and (pieces[0] in "*+?" or re.fullmatch(r"\{\d+(?:,\d*)?\}", pieces[0])):
            unit = unit * _times(pieces.pop(0), extra)
            if pieces and pieces[0] == "?":
                pieces.pop(0)
        text += unit
    return first if first is not None else text, []


def _unit(piece: str, pieces: list[str], extra: int) -> tuple[str, list[str]]:
    if piece.startswith("("):
        inner, rest = _alternatives(pieces, extra)
        if not rest:
            raise ValueError(piece)
        looks = piece in ("(?=", "(?!", "(?<=", "(?<!")
        return "" if looks else inner, rest[1:]
    if piece in ("^", "$"):
        return "", pieces
    if piece.startswith("["):
        return _of_class(piece), pieces
    if piece.startswith("\\"):
        return _escaped(piece), pieces
    return "a" if piece == "." else piece, pieces


def _escaped(piece: str) -> str:
    if piece[1] in "pP":
        return "1" if "N" in piece and "L" not in piece else "a"
    if piece.startswith("\\u{"):
        return chr(int(piece[3:-1], 16))
    if piece[1] in "ux" and len(piece) > 2:
        return chr(int(piece[2:], 16))
    return _CLASSES.get(piece[1], piece[1])


def _of_class(piece: str) -> str:
    """A character of a class: its first, or one that a negated class is likely to take."""
    if piece.startswith("[^"):
        return next((c for c in "aA1 -" if c not in piece), "a")
    inner = piece[1:-1]
    return _escaped(_PIECE.match(inner)[0]) if inner.startswith("\\") else inner[:1]  # type: ignore[index]


def _times(quantifier: str, extra: int) -> int:
    if quantifier in ("*", "?"):
        return extra
    if quantifier == "+":
        return 1 + extra
    low, comma, high = quantifier[1:-1].partition(",")
    return min(int(low) + extra, int(high)) if comma and high else int(low) + (extra if comma else 0)


# numbers and dates
def number_text(number: Decimal) -> str:
    """A number as a person types it."""
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def measured(field: Field, value: Any) -> Decimal | None:
    """*value* as the number that min, max and step see."""
    if field.kind in DATE_KINDS:
        found = date_number(field.kind, value) if isinstance(value, str) else None
        return None if found is None else Decimal(found)
    return decimal_of(value)


def written_value(field: Field, number: Decimal) -> str | None:
    """Return *number* as the field's text; None if it has none."""
    if field.kind not in DATE_KINDS:
        return number_text(number)
    return date_text(field.kind, int(number)) or None if number == int(number) else None


def step_size(field: Field) -> Decimal:
    """One step of the field in the unit of `measured`."""
    default, scale, _ = STEPS[field.kind]
    given = decimal_of(parameter(field, "step"))
    return (given if given else default) * scale


def step_base(field: Field) -> Decimal:
    """Return the step base of the field."""
    base = field.native.base if field.native is not None else parameter(field, "min")
    if base is None and field.native is None and field.has_initial:
        base = field.initial
    found = measured(field, base)
    return STEPS[field.kind][2] if found is None else found


def values_for(field: Field) -> list[str]:
    """Numbers or dates, as texts, that may well be valid."""
    low, high = measured(field, parameter(field, "min")), measured(field, parameter(field, "max"))
    base, size = step_base(field), step_size(field)
    starts = [n for n in (low, high, base) if n is not None]
    numbers = [n + k * size for n in starts for k in (0, 1, -1, 2)]
    if field.kind in DATE_KINDS:
        today = {"time": "12:00", "month": "2031-05", "week": "2031-W18", "datetime-local": "2031-05-02T12:00"}
        start = measured(field, today.get(field.kind, "2031-05-02"))
        if start is not None:
            numbers.insert(0 if low is None and high is None else len(numbers), start - EXACT.remainder(EXACT.subtract(start, base), size))
    found = (written_value(field, n) for n in numbers)
    return [t for t in dict.fromkeys(found) if t]
