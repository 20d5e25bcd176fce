"""The direction of a text by its first strong character (HTML, "The dir attribute", the auto state)."""

from __future__ import annotations

import unicodedata


def first_strong(text: str) -> str:
    """Return rtl if the first strong character of *text* is right-to-left, else ltr."""
    for character in text:
        kind = unicodedata.bidirectional(character)
        if kind in ("R", "AL"):
            return "rtl"
        if kind == "L":
            return "ltr"
    return "ltr"
