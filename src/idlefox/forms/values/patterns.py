"""ECMAScript patterns (flag v), compiled once each."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

from .pattern_syntax import SyntaxFault, checked


class PatternError(Exception):
    """A text that is no ECMAScript pattern."""


@lru_cache(maxsize=4096)
def _compiled(source: str, flags: str) -> Callable[[str], bool]:
    import regress

    try:
        find = regress.Regex(checked(source, sets="v" in flags), flags).find
    except SyntaxFault as fault:
        raise PatternError(str(fault)) from None
    except (regress.RegressError, UnicodeError, ValueError) as fault:
        raise PatternError(str(fault)) from None

    def found(text: str) -> bool:
        try:
            return find(text) is not None
        except UnicodeEncodeError:
            # Half an emoji (a lone surrogate) cannot be handed over; U+FFFD stands in, as where HTML encodes text.
            return find(text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")) is not None

    return found


def whole_match(pattern: str) -> Callable[[str], bool]:
    """Whether a text as a whole matches *pattern*: HTML, "The pattern attribute" (``^(?:…)$``, flag v).

    Raises PatternError where *pattern* alone is no ECMAScript pattern.
    """
    _compiled(pattern, "v")  # a pattern must be one by itself: `a)|(b` is not
    return _compiled(f"^(?:{pattern})$", "v")


def finds(pattern: str, flags: str) -> Callable[[str], bool]:
    """Whether a text holds a match of *pattern*; flag v unless u or v is given. Raises PatternError."""
    if set(flags) - set("dgimsuvy") or len(set(flags)) != len(flags) or {"u", "v"} <= set(flags):
        raise PatternError(f"these flags do not go together: {flags}")
    kept = "".join(f for f in flags if f in "imsuv")
    return _compiled(pattern, kept if "u" in kept or "v" in kept else kept + "v")
