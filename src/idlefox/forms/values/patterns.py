"""ECMAScript patterns (flag v), each compiled once.

Simple patterns are matched by the library's engine, which is wrong or endless for nested repetitions. Those are matched step by
step (`pattern_match`) with a limit of steps, so that no pattern can block a run.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from math import inf

from .pattern_match import Matcher, PatternTooSlow
from .pattern_syntax import SyntaxFault, checked, with_own_names
from .pattern_tree import quick_length, read_pattern, written_out

__all__ = ["PatternError", "PatternTooLong", "PatternTooSlow", "finds", "whole_match"]

LONGEST = 10_000  # characters of a pattern
LARGEST = 100_000  # parts of one, its counted repetitions written out


class PatternError(Exception):
    """A text that is not an ECMAScript pattern; *remedy* is "" if the cause is enough."""

    said, remedy = "this is not an ECMAScript pattern", ""

    @property
    def cause(self) -> str:
        """A sentence about the error."""
        return f"{self.said}: {self}"


class PatternTooLong(PatternError):
    """A pattern that is refused for its size alone."""

    said, remedy = "this pattern is too large", "use a lookup or several rules instead"


@lru_cache(maxsize=4096)
def _engine(source: str, flags: str) -> Callable[[str], bool]:
    """Return whether a text holds a match of *source*, by the library's engine. Raises PatternError."""
    import regress

    try:
        find = regress.Regex(checked(with_own_names(source) if checked(source, flags) else source, flags), flags).find
    except (SyntaxFault, regress.RegressError, UnicodeError, ValueError) as fault:
        raise PatternError(str(fault)) from None
    return lambda text: find(text) is not None


def _one_of(source: str, flags: str) -> Callable[[str], bool]:
    """Return a test of whether a text as a whole is a match of *source*: a character, an escape or a class."""
    return _engine(f"^(?:{source})$", flags)


@lru_cache(maxsize=4096)
def _finder(source: str, flags: str, written: str) -> Callable[[str], bool]:
    """Return a test of whether a text contains a match of *source*, called *written* in messages. Raises PatternError; the test
    raises PatternTooSlow.
    """
    if len(written) > LONGEST:
        raise PatternTooLong(f"it has more than {LONGEST:,} characters")
    at_once = _engine(source, flags)
    tree = read_pattern(with_own_names(source), flags)
    quick = quick_length(tree)
    if quick < inf and written_out(tree) > LARGEST:
        raise PatternTooLong(f"with its counted repetitions written out it has more than {LARGEST:,} parts")
    matcher: Matcher | None = None

    def found(text: str) -> bool:
        nonlocal matcher
        if not text.isascii():
            # A lone surrogate cannot be passed on; it becomes U+FFFD, as when HTML encodes text.
            text = text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
        if len(text) <= quick:
            return at_once(text)
        if matcher is None:
            matcher = Matcher(tree, _one_of)
        return matcher.found(text, written)

    return found


def whole_match(pattern: str) -> Callable[[str], bool]:
    """Return a function that tells whether a whole text matches *pattern*: HTML, "The pattern attribute" (``^(?:…)$``, flag v).

    Raises PatternError if *pattern* is not an ECMAScript pattern or is too long. The function raises PatternTooSlow if a text
    takes too long.
    """
    if len(pattern) <= LONGEST:
        _engine(pattern, "v")  # a pattern must be valid on its own: `a)|(b` is not
    return _finder(f"^(?:{pattern})$", "v", pattern)


def finds(pattern: str, flags: str) -> Callable[[str], bool]:
    """Return whether a text holds a match of *pattern*; flag v unless u or v is given. Raises what `whole_match` raises."""
    if set(flags) - set("dgimsuvy") or len(set(flags)) != len(flags) or {"u", "v"} <= set(flags):
        raise PatternError(f"these flags cannot be combined: {flags}")
    kept = "".join(f for f in flags if f in "imsuv")
    return _finder(pattern, kept if "u" in kept or "v" in kept else kept + "v", pattern)
