"""Patterns that take a backtracking matcher, such as those of browsers, more than linear time.

A pattern becomes an automaton whose states are its characters (Glushkov's construction). If a word leads from a state back to
it, on to another state, and from there back to that state, the ways to match repetitions of the word grow with their number
(Weber and Seidl, "On the degree of ambiguity of finite automata"), and a text that fails after them makes the matcher try all
of them. Such a text is built, and its ways are counted at two lengths, before anything is reported.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from itertools import chain

from ...forms.values.pattern_tree import (
    Alternation,
    Assertion,
    CharacterMatch,
    Concatenation,
    Group,
    Part,
    Repetition,
    read_pattern,
)
from ...forms.values.patterns import PatternError, PatternTooSlow, finds, whole_match
from ...records import NamedTuple

_POOL = [*map(chr, range(32, 127)), "\n", "é", "ß", "Ж", "٣", "€", "中"]
_MOST_STATES = 120
_MOST_TRIED = 60_000
_SHORT = 40  # repetitions in the shorter of two texts
_GROWS = 3.0  # growth of the time when the text doubles, if it is more than linear


class SlowPattern(NamedTuple):
    """A text that takes long: *again* repeated after *before*, then *after*. *exponential*: the time is multiplied with every few
    repetitions.
    """

    before: str
    again: str
    after: str
    exponential: bool


class _NotSeenThrough(Exception):
    """The pattern contains something other than plain characters, choices and repetitions, or is too large."""


class _Ends(NamedTuple):
    """The possible first and last states of a part, and whether it can be empty."""

    first: tuple[int, ...]
    last: tuple[int, ...]
    nothing: bool


@lru_cache(maxsize=1024)
def wide(pattern: str) -> SlowPattern | None:
    """Return a text on which *pattern* takes more than linear time; None if there is none, or none that can be determined."""
    try:
        whole_match(pattern)
        return _Automaton(read_pattern(pattern, "v")).wide(whole_match(pattern))
    except (_NotSeenThrough, PatternError, PatternTooSlow):
        return None


class _Automaton:
    """An automaton; state 0 is the start. *edges* lead from a state to the next ones; a state that can be reached in two ways
    occurs twice.
    """

    def __init__(self, tree: Part) -> None:
        self.tests: list[Callable[[str], bool]] = [lambda character: False]
        self.edges: list[list[int]] = [[]]
        ends = self._part(tree)
        self.edges[0] = list(ends.first)
        self.last = {*ends.last, *([0] if ends.nothing else [])}
        self.alphabet = self._alphabet()

    def _part(self, part: Part) -> _Ends:
        if isinstance(part, CharacterMatch) and not part.strings:
            if len(self.tests) > _MOST_STATES:
                raise _NotSeenThrough
            self.tests.append(finds(f"^(?:{part.source})$", part.flags))
            self.edges.append([])
            return _Ends((len(self.tests) - 1,), (len(self.tests) - 1,), False)
        if isinstance(part, Concatenation):
            return self._line(part.parts)
        if isinstance(part, Alternation):
            ends = [self._part(line) for line in part.lines]
            first, last = (tuple(chain.from_iterable(each)) for each in ((e.first for e in ends), (e.last for e in ends)))
            return _Ends(first, last, any(e.nothing for e in ends))
        if isinstance(part, Group):
            return self._part(part.part)
        if isinstance(part, Repetition):
            return self._times(part)
        raise _NotSeenThrough

    def _line(self, parts: tuple[Part, ...]) -> _Ends:
        kept = parts[isinstance(parts[0], Assertion) and parts[0].source == "^" :] if parts else parts
        kept = kept[: len(kept) - (isinstance(kept[-1], Assertion) and kept[-1].source == "$")] if kept else kept
        whole = _Ends((), (), True)
        for part in kept:
            whole = self._joined(whole, self._part(part))
        return whole

    def _joined(self, a: _Ends, b: _Ends) -> _Ends:
        for state in a.last:
            self.edges[state] += b.first
        return _Ends(a.first + b.first if a.nothing else a.first, b.last + a.last if b.nothing else b.last, a.nothing and b.nothing)

    def _times(self, part: Repetition) -> _Ends:
        whole = _Ends((), (), True)
        for _ in range(part.least if part.most is not None else max(part.least - 1, 0)):
            whole = self._joined(whole, self._part(part.part))
        if part.most is None:
            again = self._part(part.part)
            for state in again.last:
                self.edges[state] += again.first
            return self._joined(whole, again._replace(nothing=again.nothing or not part.least))
        return self._joined(whole, self._up_to(part.part, part.most - part.least))

    def _up_to(self, part: Part, count: int) -> _Ends:
        """Repeat *part* up to that many times, each inside the one before, so that there is one way to match."""
        if count == 0:
            return _Ends((), (), True)
        if count > _MOST_STATES:
            raise _NotSeenThrough
        first = self._part(part)
        return self._joined(first, self._up_to(part, count - 1))._replace(nothing=True)

    def _alphabet(self) -> list[str]:
        """Return a character of each class that the pattern distinguishes."""
        kinds: dict[tuple[bool, ...], str] = {}
        for character in _POOL:
            kinds.setdefault(tuple(test(character) for test in self.tests), character)
        return list(kinds.values())

    def _next(self, state: int, character: str) -> Iterator[int]:
        return (each for each in self.edges[state] if self.tests[each](character))

    def wide(self, matches: Callable[[str], bool]) -> SlowPattern | None:
        for state, again in self._words():
            before = self._word([(0,)], lambda at, state=state: at[0] == state)  # type: ignore[misc]
            if before is None:
                continue
            for after in ("", *self.alphabet):
                short = before + again * _SHORT + after
                if not matches(short):
                    few, many = self._ways(short), self._ways(before + again * 2 * _SHORT + after)
                    if many > _GROWS * few:
                        return SlowPattern(before, again, after, many > few * 2 ** (_SHORT // 2))
        return None

    def _ways(self, text: str) -> int:
        """Return the number of ways to match a prefix *text*."""
        here, total = {0: 1}, 1
        for character in text:
            there: dict[int, int] = {}
            for state, ways in here.items():
                for each in self._next(state, character):
                    there[each] = there.get(each, 0) + ways
            here = there
            total += sum(here.values())
        return total

    def _words(self) -> Iterator[tuple[int, str]]:
        """States and words that can be read from each in ever more ways."""
        for state, on in enumerate(self.edges):
            for each in {each for each in on if on.count(each) > 1}:
                character = next((c for c in self.alphabet if self.tests[each](c)), None)
                rest = self._word([(each,)], lambda at, state=state: at[0] == state) if character is not None else None  # type: ignore[misc]
                if rest is not None and character is not None:
                    yield state, character + rest
        looping = [s for s in range(1, len(self.edges)) if s in self._reached(self.edges[s])]
        tried = 0
        for p in looping:
            reached = self._reached([p])
            for q in looping:
                if q != p and q in reached:
                    tried += 1
                    if tried > 400:
                        return
                    word = self._word([(p, p, q)], lambda at, p=p, q=q: at == (p, q, q), moved=True)  # type: ignore[misc]
                    if word is not None:
                        yield p, word

    def _reached(self, states: Iterable[int]) -> set[int]:
        found, left = set(states), list(states)
        while left:
            for each in self.edges[left.pop()]:
                if each not in found:
                    found.add(each)
                    left.append(each)
        return found

    def _word(self, starts: list[tuple[int, ...]], there: Callable[[tuple[int, ...]], bool], *, moved: bool = False) -> str | None:
        """A shortest word that leads all of *starts* (states side by side) to where *there* is true; *moved*: one that is not empty."""
        known = dict.fromkeys(starts, "")
        left = deque(starts)
        while left:
            at = left.popleft()
            if there(at) and (known[at] or not moved):
                return known[at]
            if len(known) > _MOST_TRIED // (len(at) ** 2):
                return None
            for character in self.alphabet:
                ways: list[tuple[int, ...]] = [()]
                for state in at:
                    on = set(self._next(state, character))
                    ways = [(*way, each) for way in ways for each in on]
                for way in ways:
                    if way not in known:
                        known[way] = known[at] + character
                        left.append(way)
        return None
