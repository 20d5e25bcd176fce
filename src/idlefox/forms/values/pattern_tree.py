"""The syntax tree of a pattern, and an upper bound of the ways to match it.

It is built after the grammar has been checked (`pattern_syntax`), so it reports no errors.
"""

from __future__ import annotations

import re
from math import inf

from ...records import NamedTuple

_TOKEN = re.compile(
    r"(?P<open>\((?:\?(?:<?[=!]|<[^>]*>|[ims]*(?:-[ims]*)?:))?)|(?P<close>\))|(?P<bar>\|)|(?P<back>\\(?:[1-9]\d*|k<[^>]*>))"
    r"|(?P<times>(?:[*+?]|\{\d+(?:,\d*)?\})\??)|(?P<edge>[\^$]|\\[bB])|(?P<one>\\(?:[pPu]\{[^}]*\}|u[0-9A-Fa-f]{4}|x..|c.|.)|.)",
    re.DOTALL,
)  # fmt: skip
_COUNTED = re.compile(r"\{(\d+)(,(\d*))?\}")
_QUICK = 5_000_000.0  # ways: a tenth of a second or so
_LENGTHS = (16, 64, 256, 1024, 4096, 65536, 1 << 20)
_SIGNS = {"*": (0, None), "+": (1, None), "?": (0, 1)}
# A class that may contain strings of any length.
_STRINGS = re.compile(r"\\q\{|\\p\{(?:Basic_Emoji|Emoji_Keycap_Sequence|RGI_)")


class CharacterMatch(NamedTuple):
    """One character as a class, an escape or itself is one; *strings*: or a string out of a class."""

    source: str
    flags: str
    strings: bool = False


class Assertion(NamedTuple):
    """``^ $ \\b \\B``."""

    source: str
    flags: str


class Back(NamedTuple):
    """A back reference to a group, by number or name."""

    group: int | str
    flags: str


class Concatenation(NamedTuple):
    """One part after the other."""

    parts: tuple[Part, ...]


class Alternation(NamedTuple):
    """The one or the other."""

    lines: tuple[Concatenation, ...]


class Group(NamedTuple):
    """A part that is remembered, by its number."""

    number: int
    name: str
    part: Part


class Lookaround(NamedTuple):
    """A pattern that must (*holds*) or must not precede or follow this position."""

    behind: bool
    holds: bool
    part: Part


class Repetition(NamedTuple):
    """A part again and again; *most* None: without end. *groups*: the first group in it, and the first one after."""

    part: Part
    least: int
    most: int | None
    lazy: bool
    groups: tuple[int, int]


Part = CharacterMatch | Assertion | Back | Concatenation | Alternation | Group | Lookaround | Repetition


class _Open:
    """A bracket that has not been closed yet."""

    def __init__(self, sign: str, number: int, flags: str, before: int) -> None:
        self.sign, self.number, self.flags, self.before = sign, number, flags, before
        self.lines: list[Concatenation] = []
        self.line: list[Part] = []

    def closed(self) -> Part:
        last = Concatenation(tuple(self.line))
        inner: Part = Alternation((*self.lines, last)) if self.lines else last
        if self.sign.endswith(("=", "!")):
            return Lookaround("<" in self.sign, self.sign.endswith("="), inner)
        return Group(self.number, self.sign[3:-1], inner) if self.number else inner


def read_pattern(pattern: str, flags: str) -> Part:
    """The tree of *pattern*, which is one, read with flag u or v."""
    opened = [_Open("", 0, flags, 1)]
    groups, at, began = 1, 0, 1
    while at < len(pattern):
        here = opened[-1]
        if pattern[at] == "[":
            end = _end_of_class(pattern, at, nested="v" in flags)
            source, at = pattern[at:end], end
            here.line.append(CharacterMatch(source, here.flags, "v" in flags and _STRINGS.search(source) is not None))
            began = groups
            continue
        found = _TOKEN.match(pattern, at)
        assert found is not None
        at, source = found.end(), found[0]
        if found.lastgroup == "open":
            number = groups if source == "(" or (source[:3] == "(?<" and source[-1] == ">") else 0
            opened.append(_Open(source, number, _modified(here.flags, source), groups))
            groups += number > 0
        elif found.lastgroup == "close":
            done = opened.pop()
            opened[-1].line.append(done.closed())
            began = done.before
        elif found.lastgroup == "bar":
            here.lines.append(Concatenation(tuple(here.line)))
            here.line.clear()
        elif found.lastgroup == "times":
            here.line[-1] = Repetition(here.line[-1], *_counts(source), len(source) > 1 and source[-1] == "?", (began, groups))
        else:
            here.line.append(_single(source, here.flags, found.lastgroup or ""))
            began = groups
    return opened[0].closed()


def _single(source: str, flags: str, kind: str) -> Part:
    if kind == "edge":
        return Assertion(source, flags)
    if kind == "back":
        return Back(source[3:-1] if source[1] == "k" else int(source[1:]), flags)
    return CharacterMatch(source, flags, "v" in flags and _STRINGS.match(source) is not None)


def _modified(flags: str, opening: str) -> str:
    """*flags* as ``(?i-s:`` changes them."""
    if opening[-1] != ":":
        return flags
    more, _, less = opening[2:-1].partition("-")
    return "".join(f for f in "imsuv" if f in more or (f in flags and f not in less))


def _counts(sign: str) -> tuple[int, int | None]:
    counted = _COUNTED.match(sign)
    if counted is None:
        return _SIGNS[sign[0]]
    least = int(counted[1])
    return least, least if counted[2] is None else int(counted[3]) if counted[3] else None


def _end_of_class(pattern: str, at: int, *, nested: bool) -> int:
    depth = 0
    while True:
        sign = pattern[at]
        at += 2 if sign == "\\" else 1
        depth += (sign == "[" and (nested or not depth)) - (sign == "]")
        if not depth:
            return at


def from_start(part: Part) -> bool:
    """Return whether it can match at the text's beginning only."""
    if isinstance(part, Concatenation):
        return bool(part.parts) and from_start(part.parts[0])
    return isinstance(part, Assertion) and part.source == "^" and "m" not in part.flags


def written_out(part: Part) -> int:
    """Return the number of parts with counted repetitions written out."""
    if isinstance(part, Concatenation):
        return sum(map(written_out, part.parts)) + 1
    if isinstance(part, Alternation):
        return sum(map(written_out, part.lines)) + 1
    if isinstance(part, Repetition):
        return (written_out(part.part) + 1) * max(part.least + 1, part.most or 0)
    return written_out(part.part) + 2 if isinstance(part, Group | Lookaround) else 1


def quick_length(part: Part) -> float:
    """Return the length of the longest text that plain backtracking searches quickly for *part*, a whole pattern.

    This is finite if repetitions contain no choice and are few; it is infinite if there is only one path.
    """
    if _ways(part, inf) == 1:
        return inf
    longest = 0
    for length in _LENGTHS:
        if not _ways(part, length) * (1 if from_start(part) else length + 1) <= _QUICK:
            break
        longest = length
    return longest


def _ways(part: Part, length: float) -> float:
    """Return an upper bound of the ways to try *part* on a text of *length* characters; infinity if it is not obvious."""
    if isinstance(part, Concatenation):
        product = 1.0
        for each in part.parts:
            product *= _ways(each, length)
        return product
    if isinstance(part, Alternation):
        return sum(_ways(line, length) for line in part.lines)
    if isinstance(part, Group | Lookaround):
        return _ways(part.part, length)
    if isinstance(part, Repetition):
        return _repeated(part, length)
    # The engine supports no strings in a lookbehind, and not every word boundary with flag i.
    boundary = isinstance(part, Assertion) and "i" in part.flags and part.source in ("\\b", "\\B")
    odd = (isinstance(part, CharacterMatch) and part.strings) or boundary
    return inf if odd or isinstance(part, Back) else 1.0


def _repeated(part: Repetition, length: float) -> float:
    if part.most == 1:
        return 1.0 - part.least + _ways(part.part, length)
    if not isinstance(part.part, CharacterMatch) and not _fixed(part.part):
        return inf
    return 1.0 + max((length if part.most is None else min(part.most, length)) - part.least, 0)


def _fixed(part: Part) -> bool:
    """Return whether there is one way to match it, and no repetition in it but of one character, so often."""
    if isinstance(part, Concatenation):
        return all(_fixed(each) for each in part.parts)
    if isinstance(part, Repetition):
        return part.least == part.most and isinstance(part.part, CharacterMatch) and not part.part.strings
    return _fixed(part.part) if isinstance(part, Group) else isinstance(part, CharacterMatch) and not part.strings
