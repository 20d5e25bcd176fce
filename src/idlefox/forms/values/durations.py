"""Durations and instants as people write them, in milliseconds."""

from __future__ import annotations

import re
from decimal import Decimal

from .whatwg import date_number, days_from_civil

DURATION = re.compile(r"([0-9]+(?:\.[0-9]+)?)(ms|s|m|h|d)\b")
_INSTANT = re.compile(r"(\d{4}-\d\d-\d\d)[Tt](\d\d:\d\d:\d\d)(?:\.(\d+))?([Zz]|[-+]\d\d:\d\d)")
_UNITS = {"ms": 1, "s": 1000, "m": 60_000, "h": 3_600_000, "d": 86_400_000}
LONGEST = 36_525 * 86_400_000  # a century: a longer wait is a typo
_FIRST = days_from_civil(1, 1, 1) * 86_400_000


def milliseconds(number: str, unit: str) -> int | None:
    """Convert ``1.5``, ``s`` to 1500; None if the result is not a whole number of milliseconds or longer than a century."""
    if len(number) > 30:
        return None
    exact = Decimal(number) * _UNITS[unit]
    return int(exact) if exact == int(exact) and exact <= LONGEST else None


def parse_duration(text: str) -> int | None:
    """The whole of *text* as a duration, or None."""
    found = DURATION.fullmatch(text)
    return milliseconds(found[1], found[2]) if found else None


def write_duration(ms: int) -> str:
    """The shortest of our ways to write a duration: 1500 -> ``1500ms``, 3000 -> ``3s``."""
    for unit in ("d", "h", "m", "s"):
        if ms and ms % _UNITS[unit] == 0:
            return f"{ms // _UNITS[unit]}{unit}"
    return f"{ms}ms"


def parse_instant(text: str) -> int | None:
    """An RFC 3339 date-time as milliseconds since 1970-01-01T00:00:00Z, or None."""
    found = _INSTANT.fullmatch(text)
    if not found:
        return None
    day = date_number("date", found[1])
    clock = date_number("time", found[2].replace(":60", ":59"))  # RFC 3339 knows leap seconds, we have none
    if day is None or clock is None:
        return None
    zone = 0
    if found[4] not in "Zz":
        hours, minutes = int(found[4][1:3]), int(found[4][4:6])
        if hours > 23 or minutes > 59:
            return None
        zone = (hours * 60 + minutes) * 60_000 * (-1 if found[4][0] == "-" else 1)
    found_instant = day + clock + int((found[3] or "0").ljust(3, "0")[:3]) - zone
    return found_instant if found_instant >= _FIRST else None  # dates begin with the year 1, in UTC too
