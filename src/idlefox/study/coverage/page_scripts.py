"""Which lines of a page's own scripts ran.

A line counts if it has code: lines that are blank, only comment or only brackets do not. A line ran if any of its code ran.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, Protocol

from ...records import NamedTuple

_NO_CODE = re.compile(r"[\s\[\](){};,]*(//.*)?")
_BRACKETS = frozenset("[](){};,")


class ScriptText(Protocol):
    """A script in the file at *url*, where it begins at *line* (from 0). *ran* has a byte for each UTF-16 unit of *source*."""

    @property
    def url(self) -> str: ...
    @property
    def line(self) -> int: ...
    @property
    def source(self) -> str: ...
    @property
    def ran(self) -> bytes: ...


class ScriptLines(NamedTuple):
    """The lines with code of one file, and those of them that ran. Lines count from 1."""

    url: str
    code: frozenset[int]
    ran: frozenset[int]

    @property
    def missed(self) -> list[int]:
        """The lines with code that did not run."""
        return sorted(self.code - self.ran)

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report of the file."""
        return {"url": self.url, "lines": len(self.code), "ran": len(self.ran), "missed": self.missed}


class PageScripts(NamedTuple):
    """The *files* of scripts that a page loaded in a browser, while *played* scenarios ran, of which *failed* did not pass."""

    browser: str
    files: tuple[ScriptLines, ...]
    played: int
    failed: int

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        files = [each.as_json() for each in self.files]
        return {"browser": self.browser, "scenarios": self.played, "failed": self.failed, "files": files}


def lines_run(scripts: Iterable[ScriptText]) -> tuple[ScriptLines, ...]:
    """Return the lines of every file, in the order in which the files were first loaded."""
    code: dict[str, set[int]] = {}
    ran: dict[str, set[int]] = {}
    for script in scripts:
        at, inside = 0, False
        for number, text in enumerate(script.source.split("\n"), script.line + 1):
            bare, inside = _without_comments(text, inside)
            if not _NO_CODE.fullmatch(bare):
                code.setdefault(script.url, set()).add(number)
                if any(script.ran[at + place] for place in _places(bare)):
                    ran.setdefault(script.url, set()).add(number)
            at += len(text.encode("utf-16-le", "surrogatepass")) // 2 + 1
    return tuple(ScriptLines(url, frozenset(those), frozenset(ran.get(url, ()))) for url, those in code.items())


def spans(numbers: Iterable[int]) -> list[str]:
    """Return line numbers in short: 3, 7–9. They must be in order."""
    found: list[list[int]] = []
    for number in numbers:
        if found and number == found[-1][1] + 1:
            found[-1][1] = number
        else:
            found.append([number, number])
    return [str(first) if first == last else f"{first}–{last}" for first, last in found]


def _without_comments(text: str, inside: bool) -> tuple[str, bool]:
    """Return a line with the block comments at its start blanked, and whether one goes on after it. *inside*: one began before it."""
    found = ""
    while True:
        if inside:
            before, mark, text = text.partition("*/")
            found += " " * (len(before) + len(mark))
            if not mark:
                return found, True
        if not text.lstrip().startswith("/*"):
            return found + text, False
        width = len(text) - len(text.lstrip()) + 2
        found, text, inside = found + " " * width, text[width:], True


def _places(text: str) -> Iterable[int]:
    """Yield the UTF-16 offset of each character of code. Brackets and blanks belong to what is around them."""
    place = 0
    for character in text:
        if not character.isspace() and character not in _BRACKETS:
            yield place
        place += 2 if character > "\uffff" else 1
