"""Expressions over tags: ``voucher and not (slow or known-bad)``."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection

Test = Callable[[Collection[str]], bool]
_TOKEN = re.compile(r"\s*([()]|[^\s()]+)")
_WORDS = frozenset({"and", "or", "not"})


class TagError(ValueError):
    """An expression that cannot be read; *at* is the column, from 1."""

    def __init__(self, cause: str, at: int) -> None:
        super().__init__(f"{cause} at column {at}")
        self.at = at


def read_tags(text: str) -> Test:
    """Return whether tags fit the expression *text*: names, ``and``, ``or``, ``not``, brackets. Raises TagError."""
    tokens = [(found[1], found.start(1) + 1) for found in _TOKEN.finditer(text)]
    reader = _TagParser(tokens, len(text) + 1)
    test = reader.either()
    if reader.at < len(tokens):
        word, column = tokens[reader.at]
        raise TagError(f"expected `and` or `or`, found {word!r}", column)
    return test


class _TagParser:
    def __init__(self, tokens: list[tuple[str, int]], end: int) -> None:
        self.tokens, self.end, self.at = tokens, end, 0

    def _next(self, *words: str) -> bool:
        """Return whether one of *words* comes next; it is passed then."""
        found = self.at < len(self.tokens) and self.tokens[self.at][0] in words
        self.at += found
        return found

    def either(self) -> Test:
        tests = [self._both()]
        while self._next("or"):
            tests.append(self._both())
        return tests[0] if len(tests) == 1 else lambda tags: any(test(tags) for test in tests)

    def _both(self) -> Test:
        tests = [self._one()]
        while self._next("and"):
            tests.append(self._one())
        return tests[0] if len(tests) == 1 else lambda tags: all(test(tags) for test in tests)

    def _one(self) -> Test:
        if self._next("not"):
            inner = self._one()
            return lambda tags: not inner(tags)
        if self._next("("):
            inner = self.either()
            if not self._next(")"):
                raise self._expected("`)`")
            return inner
        if self.at == len(self.tokens) or self.tokens[self.at][0] in ")" or self.tokens[self.at][0] in _WORDS:
            raise self._expected("a tag")
        name = self.tokens[self.at][0]
        self.at += 1
        return lambda tags: name in tags

    def _expected(self, what: str) -> TagError:
        if self.at == len(self.tokens):
            return TagError(f"expected {what} before the end,", self.end)
        word, column = self.tokens[self.at]
        return TagError(f"expected {what}, found {word!r}", column)
