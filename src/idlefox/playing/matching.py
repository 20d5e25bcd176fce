"""Compares a value with an expected one: JSON equality, inclusion, patterns."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.values.patterns import finds
from ..forms.values.values import equal
from ..records import NamedTuple
from ..script.tree import Anything, Like


def matches(found: Any, pattern: Any) -> bool:
    """Return whether *found* equals *pattern*, which may contain `any` and `like`."""
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
    """Return whether *found* holds at least what *pattern* says: members recursively, lists element by element."""
    if isinstance(pattern, dict):
        return isinstance(found, dict) and all(k in found and includes(found[k], v) for k, v in pattern.items())
    if isinstance(pattern, list):
        return isinstance(found, list | tuple) and len(found) == len(pattern) and all(map(includes, found, pattern))
    return matches(found, pattern)


def contains(found: Any, pattern: Any) -> bool:
    """Return whether a list has an element, or a text a part, that *pattern* says."""
    if isinstance(found, str):
        if isinstance(pattern, Like):
            return matches(found, pattern)
        return isinstance(pattern, str) and pattern in found
    return isinstance(found, list | tuple) and any(matches(each, pattern) for each in found)


class Difference(NamedTuple):
    """A place inside an object or list where *found* is not *expected*.

    *kind*: missing (not found), besides (*found* are the names of additional members), length (number of elements), extra (an
    additional element) or differs.
    """

    kind: str
    path: str
    found: Any = None
    expected: Any = None


def differences(found: Any, pattern: Any, *, loose: bool, path: str = "") -> Iterator[Difference]:
    """Yield where *found* differs from *pattern*; nothing if the two as a whole say it all. *loose*: additional members are
    allowed.
    """
    if isinstance(pattern, dict) and isinstance(found, dict):
        yield from _members(found, pattern, loose, path)
    elif isinstance(pattern, list) and isinstance(found, list | tuple):
        for i, (a, b) in enumerate(zip(found, pattern, strict=False)):
            if not (includes if loose else matches)(a, b):
                yield from differences(a, b, loose=loose, path=f"{path}[{i}]")
        if len(found) != len(pattern):
            yield Difference("length", path, len(found), len(pattern))
        for i in range(min(len(found), len(pattern)), max(len(found), len(pattern))):
            place = f"{path}[{i}]"
            yield Difference("missing", place, None, pattern[i]) if i < len(pattern) else Difference("extra", place, found[i])
    elif path:
        yield Difference("differs", path, found, pattern)


def _members(found: dict[str, Any], pattern: dict[str, Any], loose: bool, path: str) -> Iterator[Difference]:
    for key, value in pattern.items():
        here = f"{path}.{key}" if path else str(key)
        if key not in found:
            yield Difference("missing", here, None, value)
        elif not (includes if loose else matches)(found[key], value):
            yield from differences(found[key], value, loose=loose, path=here)
    extra = [k for k in found if k not in pattern]
    if extra and not loose:
        yield Difference("besides", path, extra)
