"""Holds a value against what a check expects: JSON equality, inclusion, patterns."""

from __future__ import annotations

from typing import Any

from ..forms.values.patterns import finds
from ..forms.values.values import equal, written
from ..script.tree import Anything, Like


def matches(found: Any, pattern: Any) -> bool:
    """Whether *found* equals *pattern*, in which `any` and `like` may stand."""
    if isinstance(pattern, Anything):
        return True
    if isinstance(pattern, Like):
        return isinstance(found, str) and finds(pattern.pattern, pattern.flags)(found)
    if isinstance(pattern, dict):
        return isinstance(found, dict) and found.keys() == pattern.keys() and all(matches(found[k], v) for k, v in pattern.items())
    if isinstance(pattern, list):
        return isinstance(found, list | tuple) and len(found) == len(pattern) and all(map(matches, found, pattern))
    return equal(found, pattern)


def includes(found: Any, pattern: Any) -> bool:
    """Whether *found* holds at least what *pattern* says: members recursively, lists element by element."""
    if isinstance(pattern, dict):
        return isinstance(found, dict) and all(k in found and includes(found[k], v) for k, v in pattern.items())
    if isinstance(pattern, list):
        return isinstance(found, list | tuple) and len(found) == len(pattern) and all(map(includes, found, pattern))
    return matches(found, pattern)


def contains(found: Any, pattern: Any) -> bool:
    """Whether a list has an element, or a text a part, that *pattern* says."""
    if isinstance(found, str):
        if isinstance(pattern, Like):
            return matches(found, pattern)
        return isinstance(pattern, str) and pattern in found
    return isinstance(found, list | tuple) and any(matches(each, pattern) for each in found)


def shown(value: Any) -> str:
    """*value*, or a pattern, as the person would write it."""
    if isinstance(value, Anything):
        return "any"
    if isinstance(value, Like):
        return f"like /{value.pattern}/{value.flags}"
    if isinstance(value, dict):
        return "{" + ", ".join(f"{written(k)}: {shown(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(shown, value)) + "]"
    return written(value)


def difference(found: Any, pattern: Any, *, loose: bool, path: str = "") -> str:
    """Where *found* first differs from *pattern* inside an object or list; "" where that says nothing new."""
    if isinstance(pattern, dict) and isinstance(found, dict):
        for key, value in pattern.items():
            here = f"{path}.{key}" if path else str(key)
            if key not in found:
                return f"{here} is missing; {shown(value)} was expected"
            if not (includes if loose else matches)(found[key], value):
                return difference(found[key], value, loose=loose, path=here)
        extra = [k for k in found if k not in pattern]
        return f"{f'{path} has' if path else 'it has'} {', '.join(map(written, extra))} besides" if extra and not loose else ""
    if isinstance(pattern, list) and isinstance(found, list | tuple):
        for i, (a, b) in enumerate(zip(found, pattern, strict=False)):
            if not (includes if loose else matches)(a, b):
                return difference(a, b, loose=loose, path=f"{path}[{i}]")
        return f"{path or 'it'} has {len(found)} elements, not {len(pattern)}"
    return f"{path} is {shown(found)}, not {shown(pattern)}" if path else ""
