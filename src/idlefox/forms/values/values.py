"""JSON values as forms hold them: equality, inclusion, emptiness, and how they are written out."""

from __future__ import annotations

import json
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


_JSON = json.JSONEncoder(ensure_ascii=False)  # created once: `json.dumps` creates one per call unless the output is ASCII


def written(value: Any) -> str:
    """*value* as compact JSON, with a space after ``,`` and ``:`` so that people can read it."""
    return _JSON.encode(value)


def as_text(value: Any) -> str:
    """*value* as part of a message: texts as they are, null as nothing, all else compact JSON."""
    if isinstance(value, str):
        return value
    if type(value) is int:
        return str(value)
    return "" if value is None else written(value)


def reads_as(value: Any) -> str:
    """The raw text that a control shows for *value*."""
    return value if isinstance(value, str) else as_text(value)
