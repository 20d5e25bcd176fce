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


def is_empty(value: Any) -> bool:
    """Whether *value* is what an unfilled control holds: ``""``, null, ``[]`` or an unchecked box."""
    return value is None or value is False or value == "" or value == [] or value == ()


def written(value: Any) -> str:
    """*value* as compact JSON, with a space after ``,`` and ``:`` so that people can read it."""
    return json.dumps(value, ensure_ascii=False)


def as_text(value: Any) -> str:
    """*value* as part of a message: texts as they are, null as nothing, all else compact JSON."""
    if isinstance(value, str):
        return value
    return "" if value is None else written(value)


def reads_as(value: Any) -> str:
    """The raw text that a control shows for *value*."""
    return value if isinstance(value, str) else as_text(value)
