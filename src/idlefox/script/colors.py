"""The parts of a script that a reader tells apart by colour. Works on any text, also a half-written one."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

from ..records import NamedTuple
from ..words.table import words

# What a span can be.
KINDS = ("comment", "string", "number", "regex", "parameter", "tag", "keyword", "step", "word", "state", "constant", "address", "operator")
_TOKEN = re.compile(
    r"""(?P<comment>\#[^\n]*)|(?P<string>"(?:[^"\\\n]|\\.)*"?)|(?P<newline>\n[ \t]*)|(?P<parameter>\$\{?[A-Za-z_][\w-]*\}?)
    |(?P<number>-?\d+(?:\.\d+)?(?:ms|s|m|h|d)?\b)|(?P<tag>\[[A-Za-z][\w-]*(?:,[ ]*[A-Za-z][\w-]*)*\](?=[ ]*(?:\#|\n|$)))
    |(?P<name>\.?[A-Za-z_][\w-]*(?:\.[A-Za-z_][\w-]*|\[(?:\*|-?\d+|\$\{?[\w-]+\}?|"[^"\n]*")\])*)|(?P<operator>!=|=)""",
    re.VERBOSE,
)
_REGEX = re.compile(r"/(?:[^/\\\n]|\\.)+/")
_IN_STRING = re.compile(r"\$\$|\$\{[A-Za-z_][\w-]*\}|\$[A-Za-z_][\w-]*")
_CONSTANTS = frozenset({"true", "false", "null"})
_SOFT = frozenset({"by", "past", "checks", "at", "every", "also", "except", "on", "off", "within", "for", "with"})


class Span(NamedTuple):
    """A part of a text from offset *start* to *end*; *kind* is one of `KINDS`."""

    start: int
    end: int
    kind: str


@cache
def vocabulary() -> dict[str, frozenset[str]]:
    """Return the words of the language by group, and those that are words only where they stand (`soft`)."""
    groups: dict[str, set[str]] = {}
    for word in words():
        groups.setdefault(word.group, set()).update(part for part in word.word.split() if part.isalpha() and part.islower())
    names = ("headers", "blocks", "steps", "checks", "nouns", "predicates", "states")
    return {**{name: frozenset(groups.get(name, ())) for name in names}, "constants": _CONSTANTS, "soft": _SOFT}


def spans(text: str) -> Iterator[Span]:
    """Yield the coloured parts of *text* in order; they do not overlap."""
    return _Reader(text).spans()


class _Reader:
    def __init__(self, text: str) -> None:
        self.text = text
        self.words = vocabulary()
        self.first = True  # at the first word of a line
        self.indent = 0
        self.fill: int | None = None  # the indentation of the `fill` whose lines these are
        self.line: list[str] = []  # the words of this line so far

    def spans(self) -> Iterator[Span]:
        at = len(self.text) - len(self.text.lstrip(" \t"))
        self._new_line(at)
        while at < len(self.text):
            if self.line[-1:] == ["like"] and (regex := _REGEX.match(self.text, at)) is not None:
                yield Span(at, regex.end(), "regex")
                at = regex.end()
                continue
            found = _TOKEN.match(self.text, at)
            if found is None:
                at += 1
                continue
            yield from self._token(found)
            at = found.end()

    def _token(self, found: re.Match[str]) -> Iterator[Span]:
        kind, (start, end) = str(found.lastgroup), found.span()
        if kind == "newline":
            self._new_line(end - start - 1)
        elif kind == "string":
            yield from self._string(start, end)
        elif kind == "name":
            yield Span(start, end, self._of_name(found[0]))
            self.line.append(found[0])
        else:
            yield Span(start, end, kind)
            if kind == "parameter":
                self.line.append(found[0])  # it stands for a word or an address
        self.first = self.first and kind in ("newline", "comment")

    def _new_line(self, indent: int) -> None:
        self.first, self.indent, self.line = True, indent, []
        if self.fill is not None and indent <= self.fill:
            self.fill = None

    def _string(self, start: int, end: int) -> Iterator[Span]:
        at = start
        for used in _IN_STRING.finditer(self.text, start, end):
            if used[0] != "$$":
                if used.start() > at:
                    yield Span(at, used.start(), "string")
                yield Span(used.start(), used.end(), "parameter")
                at = used.end()
        if at < end:
            yield Span(at, end, "string")

    def _of_name(self, name: str) -> str:
        words, line = self.words, self.line
        if name in _CONSTANTS:
            return "constant"
        if self.first or line[-1:] == ["cannot"]:
            return self._of_first(name)
        begins = line[0] if line else ""
        if begins == "with" and self.fill is None:
            return "parameter"
        if begins in ("do", "routine") and len(line) == 1:
            return "word"
        if begins == "expect":
            return self._of_check(name)
        return "word" if name in _SOFT or (begins == "answer" and name in words["nouns"]) else "address"

    def _of_first(self, name: str) -> str:
        if self.fill is not None:
            return "address"
        if name == "fill":
            self.fill = self.indent
        words = self.words
        if name in words["steps"] and (self.indent or self.line):
            return "step"
        return "keyword" if name in words["headers"] | words["blocks"] | words["checks"] else "address"

    def _of_check(self, name: str) -> str:
        """The kind of a word behind `expect`: a part of the check, a state, or else an address."""
        words, line = self.words, self.line
        if len(line) == 1 and name in words["nouns"]:
            return "word"
        if name in words["checks"] | words["predicates"] | _SOFT and len(line) > 1:
            return "state" if line[-1] == "is" and name in words["states"] else "word"
        if name in ("not", "only", "cannot"):
            return "word"
        return "state" if {"is", "breaks"} & {*line} else "address"
