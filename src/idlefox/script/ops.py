"""The scenarios to run as flat lists of `Op`s, with their places in the script."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from ..problems import Place
from ..records import NamedTuple
from .lines import LineIndex
from .tree import Script

_QUOTED = re.compile(r'[^"\n]*("(?:[^"\\\n]|\\.)*")')
_LINES: dict[int, tuple[str, LineIndex]] = {}


class Op(NamedTuple):
    """A step or check to run. *calls* are the calling lines; *source* is its script."""

    act: Any
    line: int
    offset: int
    length: int
    source: Script
    calls: tuple[str, ...]

    @property
    def place(self) -> Place:
        """The place of the statement."""
        return lines_of(self.source).place(self.source.file, self.offset, self.length)


class ExpandedScenario(NamedTuple):
    """A scenario to run: *row_line* is the line of its table row, or 0.

    *fate*: `known` not to hold, or left `aside`, and *why*.
    """

    title: str
    tags: tuple[str, ...]
    line: int
    last_line: int
    row_line: int
    ops: tuple[Op, ...]
    clock: int | None = None
    fate: str = ""
    why: str = ""
    source: Any = None  # its script
    row_file: str = ""  # the file of its row, as named in the script; "" if the row is in the script
    row: int = 0  # which row of its table, from 1; 0 without one
    given: str = ""  # the row's values, as JSON; "" without one


class ScenarioRange(NamedTuple):
    """The *number*-th of *parts* of a script's scenarios, from 0."""

    number: int
    parts: int

    def of(self, all_: Sequence[Any]) -> Sequence[Any]:
        """Select this part of *all_*."""
        count = len(all_)
        return all_[count * self.number // self.parts : count * (self.number + 1) // self.parts]


WHOLE = ScenarioRange(0, 1)
_TOP = re.compile(r"^(?=[^\s#])", re.MULTILINE)
_LEAST_EACH = 8  # scenarios per part, so that parts have similar sizes


@lru_cache(maxsize=1)  # a process usually runs another part of the same script next
def _blocks(text: str) -> tuple[str, ...]:
    return tuple(_TOP.split(text))


def part_of_text(text: str, part: ScenarioRange) -> str | None:
    """Return the *text* of a script without the scenarios of other parts, every line in its place; None if it has too few."""
    blocks = list(_blocks(text))
    scenarios = [number for number, block in enumerate(blocks) if block.startswith("scenario")]
    if len(scenarios) < part.parts * _LEAST_EACH:
        return None
    kept = set(part.of(scenarios))
    for number in scenarios:
        if number not in kept:
            blocks[number] = "\n" * blocks[number].count("\n")
    return "".join(blocks)


def path_span(text: str, offset: int) -> tuple[int, int]:
    """Return the position of the first quoted string after *offset* on its line, or of the word there."""
    found = _QUOTED.match(text, offset)
    return (found.start(1), len(found[1])) if found is not None else (offset, 1)


def lines_of(script: Script) -> LineIndex:
    """The lines of a script's text (kept for the last few scripts asked for)."""
    known = _LINES.get(id(script))
    if known is None or known[0] is not script.text:
        if len(_LINES) > 16:
            _LINES.clear()
        known = _LINES[id(script)] = (script.text, LineIndex(script.text))
    return known[1]
