"""JSON values as forms hold them: equality, inclusion, emptiness, and how they are written out."""

from __future__ import annotations

import json
import math
import re
from typing import Any


def equal(a: Any, b: Any) -> bool:
    """JSON's equality: ``1`` equals ``1.0``, ``true`` does not equal ``1``, the order of keys does not matter."""
    if isinstance(a, bool) or isinstance(b, bool):
        return a is b
    if isinstance(a, dict):
        return isinstance(b, dict) and a.keys() == b.keys() and all(equal(v, b[k]) for k, v in a.items())
    if isinstance(a, list | tuple):
        return isinstance(b, list | tuple) and len(a) == len(b) and all(map(equal, a, b))
    return bool(a == b) and not isinstance(b, dict | list | tuple)


class RepeatedValue(str):
    """The value of an option that others before it have too: the same text, another choice. *nth*: how many have it before."""

    __slots__ = ("nth",)
    nth: int

    def __new__(cls, text: str, nth: int) -> RepeatedValue:
        made = super().__new__(cls, text)
        made.nth = nth
        return made

    def __getnewargs__(self) -> tuple[str, int]:  # type: ignore[override]  # a copy is the same choice
        return str(self), self.nth


def same_choice(a: Any, b: Any) -> bool:
    """Return whether *a* and *b* are not only equal but the same options."""
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same_choice, a, b))
    return equal(a, b) and getattr(a, "nth", 0) == getattr(b, "nth", 0)


def is_chosen(option: Any, chosen: list[Any]) -> bool:
    """Return whether *option* is among the *chosen* ones."""
    return any(same_choice(option, each) for each in chosen)


def in_order(offered: list[Any], chosen: list[Any]) -> list[Any]:
    """Return *chosen* in the order of *offered*; other values come last. A repeated value means several options with that value."""
    taken: set[int] = set()
    beyond = []
    for each in chosen:
        free = [i for i, o in enumerate(offered) if i not in taken and equal(o, each)]
        if free:
            taken.add(next((i for i in free if same_choice(offered[i], each)), free[0]))
        else:
            beyond.append(each)
    return [offered[i] for i in sorted(taken)] + beyond


def is_empty(value: Any) -> bool:
    """Return whether *value* is what an unfilled control holds: ``""``, null, ``[]`` or an unchecked box."""
    return value is None or value is False or value == "" or value == [] or value == ()


_SURROGATE = re.compile("[\ud800-\udfff]")
_JSON = json.JSONEncoder(ensure_ascii=False)  # created once: `json.dumps` creates one per call unless the output is ASCII


def written(value: Any) -> str:
    """*value* as compact JSON, with a space after ``,`` and ``:`` so that people can read it."""
    return _JSON.encode(value)


def number_text(value: float) -> str:
    """Return *value* as browsers write numbers (ECMA-262, "Number::toString"): ``1e-7``, not ``1e-07``; ``5``, not ``5.0``."""
    if isinstance(value, int) and abs(value) < 10**21:
        return str(value)
    if not math.isfinite(value):
        return "null"  # as JSON.stringify has it
    digits, _, power = repr(abs(float(value))).partition("e")
    whole, _, fraction = digits.partition(".")
    text = (whole + fraction).lstrip("0")
    point = len(text) - len(fraction) + int(power or 0)  # where the decimal point is, counted in digits
    text = text.rstrip("0") or "0"
    if text == "0":
        return text
    if len(text) <= point <= 21:
        text += "0" * (point - len(text))
    elif 0 < point <= 21:
        text = f"{text[:point]}.{text[point:]}"
    elif -6 < point <= 0:
        text = f"0.{'0' * -point}{text}"
    else:
        text = f"{text[0]}{'.' + text[1:] if text[1:] else ''}e{point - 1:+d}"
    return f"-{text}" if value < 0 else text


def stringify(value: Any) -> str:
    """Return *value* as a page writes JSON (ECMA-262, "JSON.stringify")."""
    if isinstance(value, dict):
        return "{" + ",".join(f"{stringify(str(name))}:{stringify(inner)}" for name, inner in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ",".join(map(stringify, value)) + "]"
    if isinstance(value, str):
        return _SURROGATE.sub(lambda found: f"\\u{ord(found[0]):04x}", _JSON.encode(value))
    return _JSON.encode(value) if value is None or isinstance(value, bool) else number_text(value)


def as_text(value: Any) -> str:
    """*value* as part of a message: texts as they are, null as nothing, all else compact JSON."""
    if isinstance(value, str):
        return value
    if type(value) is int:
        return str(value)
    if type(value) is float:
        return number_text(value)
    return "" if value is None else written(value)


def reads_as(value: Any) -> str:
    """The raw text that a control shows for *value*."""
    return value if isinstance(value, str) else as_text(value)
