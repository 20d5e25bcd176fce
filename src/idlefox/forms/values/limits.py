"""What has a limit, so that no input can go on for ever or fill the memory; reaching one says so."""

from __future__ import annotations

from typing import Any

TEXT = 1_000_000  # characters of a text that an expression makes
PARTS = 100_000  # members, at all depths, of a list or object that an expression makes
ROWS = 10_000  # with which a list begins
ITEMS = 1_000_000  # items that one expression goes over, in lists inside lists


class NoEnd(Exception):
    """What is asked for comes to no end, or to none within the limits."""


class LimitExceeded(NoEnd):
    """An expression makes or goes over more than it may. Its text tells what, and the limit."""


def within_parts(value: Any) -> Any:
    """*value*, a list or object. Raises LimitExceeded where it has more members, at all depths, than an expression may make."""
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
