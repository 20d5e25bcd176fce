"""Limits for values that could otherwise grow without end or fill the memory."""

from __future__ import annotations

from typing import Any

TEXT = 1_000_000  # characters of a string built by an expression
PARTS = 100_000  # members, at all depths, of a list or object built by an expression
ROWS = 10_000  # with which a list begins
ITEMS = 1_000_000  # items that one expression visits, in nested lists


class NoEnd(Exception):
    """A computation does not finish, or not within the limits."""


class LimitExceeded(NoEnd):
    """An expression exceeds a limit. The text names the value and the limit."""


def within_parts(value: Any) -> Any:
    """Return *value*, a list or object. Raises LimitExceeded if it has too many parts, at all depths."""
    left = PARTS
    inner = [value]
    while inner:
        each = inner.pop()
        members = each.values() if isinstance(each, dict) else each
        left -= len(each)
        if left < 0:
            raise LimitExceeded(f"an expression builds a list of more than {PARTS:,} parts")
        inner += [m for m in members if isinstance(m, dict | list)]
    return value
