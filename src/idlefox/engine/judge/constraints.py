"""HTML's constraints on plain values (HTML, "Constraint validation"), written once for sheets and pages alike.

Who asks about which cell, and when a constraint counts, is the business of `rules` and `native`.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ...forms.values import whatwg


def too_long(most: float) -> Callable[[Any, str], bool]:
    """HTML, "suffering from being too long": whether a cell's text is, in UTF-16 code units. No character has more than two."""
    return lambda cell, text: 2 * len(text) > most and whatwg.utf16_length(text) > most


def too_short(least: float) -> Callable[[Any, str], bool]:
    """HTML, "suffering from being too short": whether a cell's text is."""
    return lambda cell, text: len(text) < least and whatwg.utf16_length(text) < least


def number_of(kind: str) -> Callable[[Any], Any]:
    """Return a function that converts a value of *kind* to a number for bounds and steps; None for other values."""
    if kind in whatwg.DATE_KINDS:
        return lambda value: whatwg.date_number(kind, value) if isinstance(value, str) and value else None
    return lambda value: value if isinstance(value, int | float) and not isinstance(value, bool) else None


def beyond(under: bool, value: Any, limit: Any) -> bool:
    """Return whether a value is beyond a limit (HTML, "suffering from an underflow" for *under*, or an overflow)."""
    if value is None or limit is None:
        return False
    return bool(value < limit) if under else bool(value > limit)


def beyond_on_the_clock(under: bool, value: Any, limit: Any, other: Any) -> bool:
    """Return whether a time is beyond a limit of a range that spans midnight (HTML, "reversed range").

    *other* is the bound on the other side; what lies between such bounds breaks both.
    """
    low, high = (limit, other) if under else (other, limit)
    if value is not None and low is not None and high is not None and high < low:
        return bool(high < value < low)
    return beyond(under, value, limit)


def off_step(kind: str, value: Any, step: Any, base: Any) -> bool:
    """HTML, "suffering from a step mismatch": *value* and *base* as `number_of` sees them; *base* None: the kind's own."""
    _, scale, default_base = whatwg.STEPS[kind]
    exact, size = whatwg.decimal_of(value), whatwg.decimal_of(step)
    if exact is None or size is None:
        return False
    start: Decimal | None = whatwg.decimal_of(base)
    return whatwg.step_mismatch(exact, size * scale, default_base if start is None else start)


def each_of(fits: Callable[[str], bool]) -> Callable[[str], bool]:
    """Return whether any part of a text that holds several (addresses with `multiple`) does not fit."""
    return lambda text: not all(fits(part.strip(whatwg.ASCII_WHITE_SPACE)) for part in text.split(","))
