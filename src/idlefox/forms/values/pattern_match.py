"""A backtracking matcher with bounded time (ECMA-262, "Pattern Semantics").

It backtracks as the standard does, but never tries the same path twice from the same position, and it counts its steps.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .limits import NoEnd
from .pattern_tree import Alternation, Assertion, Back, CharacterMatch, Concatenation, Group, Lookaround, Part, Repetition, from_start

# Steps allowed for a match, and more for each character: a few tenths of a second. With back references the limit is lower,
# because the number of paths may double with every character, and typing runs the pattern for each of them.
_STEPS, _STEPS_REFERRING, _STEPS_EACH = 200_000, 40_000, 100
_LONGEST_STRING = 16  # characters of a string in a class: no emoji has more
_ENDS_OF_LINE = frozenset("\n\r\u2028\u2029")
_WORD = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_")
_FOLDED_WORD = _WORD | frozenset("\u017f\u212a")

# Kinds of instructions; an instruction is a tuple of its kind and its operands.
_ONE, _FORK, _GO, _DONE, _BEFORE, _STRING, _EDGE, _LOOK, _BACK, _BEGIN, _KEEP, _FORGET, _MOVED = range(13)

_Instruction = tuple[Any, ...]
_Kept = tuple[Any, ...]  # captures as (start, end) or None, and the starts of repetitions
_Way = tuple[int, int, _Kept]  # an instruction, a position, the captures


class PatternTooSlow(NoEnd):
    """A match took too many steps. *pattern* is as written, *length* how many characters the text has."""

    def __init__(self, pattern: str, length: int) -> None:
        super().__init__(pattern, length)
        self.pattern = pattern
        self.length = length


class _Characters(dict[str, bool]):
    """Return whether a character (or string) is what *one* is; asked once each."""

    def __init__(self, matches: Callable[[str], bool]) -> None:
        super().__init__()
        self.matches = matches

    def __missing__(self, character: str) -> bool:
        found = self[character] = self.matches(character)
        return found


class Matcher:
    """Searches texts for matches of the pattern *tree*.

    *one_of* returns, for a character or class and its flags, whether a whole text is one.
    """

    def __init__(self, tree: Part, one_of: Callable[[str, str], Callable[[str], bool]]) -> None:
        written = _Written(tree, one_of)
        written.add(tree, backward=False)
        written.emit(_DONE)
        self.program = tuple(written.program)
        self.places = written.places
        self.starts_once = from_start(tree)

    def found(self, text: str, shown: str) -> bool:
        """Return whether *text* holds a match; *shown* is how its user knows the pattern. Raises PatternTooSlow."""
        run = _Run(self.program, text, shown, _STEPS_REFERRING if self.places else _STEPS)
        seen: set[_Way] = set()
        none: _Kept = (None,) * self.places
        return any(run.match(0, at, none, seen) is not None for at in range(1 if self.starts_once else len(text) + 1))


class _Written:
    """A pattern as instructions."""

    def __init__(self, tree: Part, one_of: Callable[[str, str], Callable[[str], bool]]) -> None:
        self.one_of = one_of
        self.program: list[_Instruction] = []
        self.characters: dict[tuple[str, str], _Characters] = {}
        self.names: dict[str, int] = {}
        self.refers = _survey(tree, self.names)
        # Captures are kept only if something refers to them, so that equal paths can be merged.
        self.places = (max(self.names.values(), default=0) + 1) if self.refers else 0

    def emit(self, *instruction: Any) -> int:
        self.program.append(instruction)
        return len(self.program) - 1

    def add(self, part: Part, *, backward: bool) -> None:
        if isinstance(part, CharacterMatch):
            known = self.characters.get((part.source, part.flags))
            if known is None:
                known = self.characters[part.source, part.flags] = _Characters(self.one_of(part.source, part.flags))
            self.emit(_STRING if part.strings else _BEFORE if backward else _ONE, known, backward)
        elif isinstance(part, Concatenation):
            for each in reversed(part.parts) if backward else part.parts:
                self.add(each, backward=backward)
        elif isinstance(part, Alternation):
            self._either(part, backward)
        elif isinstance(part, Group):
            self._group(part, backward)
        elif isinstance(part, Repetition):
            self._times(part, backward)
        elif isinstance(part, Assertion):
            self.emit(_EDGE, part.source, part.flags)
        elif isinstance(part, Lookaround):
            look = self.emit(_LOOK)
            self.add(part.part, backward=part.behind)
            self.emit(_DONE)
            self.program[look] = (_LOOK, part.holds, len(self.program))
        else:
            number = part.group if isinstance(part.group, int) else self.names[part.group]
            self.emit(_BACK, number, backward, "i" in part.flags)

    def _either(self, part: Alternation, backward: bool) -> None:
        leave: list[int] = []
        for line in part.lines[:-1]:
            fork = self.emit(_FORK)
            self.add(line, backward=backward)
            leave.append(self.emit(_GO))
            self.program[fork] = (_FORK, fork + 1, len(self.program))
        self.add(part.lines[-1], backward=backward)
        for each in leave:
            self.program[each] = (_GO, len(self.program))

    def _group(self, part: Group, backward: bool) -> None:
        if not self.refers:
            self.add(part.part, backward=backward)
            return
        begin = self._place()
        self.emit(_BEGIN, begin)
        self.add(part.part, backward=backward)
        self.emit(_KEEP, part.number, begin)

    def _place(self) -> int:
        self.places += 1
        return self.places - 1

    def _times(self, part: Repetition, backward: bool) -> None:
        for _ in range(part.least):
            self._again(part, backward)
        if part.most is not None:
            forks = []
            for _ in range(part.most - part.least):
                forks.append(self.emit(_FORK))
                self._again(part, backward, must_move=True)
            for fork in forks:
                self._fork(fork, len(self.program), part.lazy)
            return
        fork = self.emit(_FORK)
        self._again(part, backward, must_move=True)
        self.emit(_GO, fork)
        self._fork(fork, len(self.program), part.lazy)

    def _again(self, part: Repetition, backward: bool, *, must_move: bool = False) -> None:
        """Start the next repetition: its groups are reset, and an optional repetition must consume something."""
        begin = -1
        if self.refers:
            if part.groups[0] < part.groups[1]:
                self.emit(_FORGET, *part.groups)
            if must_move:
                begin = self._place()
                self.emit(_BEGIN, begin)
        self.add(part.part, backward=backward)
        if begin >= 0:
            self.emit(_MOVED, begin)

    def _fork(self, fork: int, past: int, lazy: bool) -> None:
        self.program[fork] = (_FORK, past, fork + 1) if lazy else (_FORK, fork + 1, past)


def _survey(part: Part, names: dict[str, int]) -> bool:
    """Return whether something in it refers to a group. Its groups are put into *names*, those without one by number."""
    if isinstance(part, Group):
        names[part.name or str(part.number)] = part.number
    if isinstance(part, Concatenation):
        inner: tuple[Part, ...] = part.parts
    elif isinstance(part, Alternation):
        inner = part.lines
    else:
        inner = (part.part,) if isinstance(part, Group | Lookaround | Repetition) else ()
    refers = [_survey(each, names) for each in inner]  # all of them, for their names
    return any(refers) or isinstance(part, Back)


class _Run:
    """One text being matched."""

    def __init__(self, program: tuple[_Instruction, ...], text: str, shown: str, steps: int) -> None:
        self.program = program
        self.text = text
        self.shown = shown
        self.left = steps + _STEPS_EACH * len(text)
        self.looked: dict[_Way, _Kept | None] = {}

    def match(self, pc: int, at: int, kept: _Kept, seen: set[_Way]) -> _Kept | None:
        """Return the groups if the end is reached from instruction *pc* and character *at*; None if it is not."""
        program, text, length = self.program, self.text, len(self.text)
        ways = [(pc, at, kept)]
        while ways:
            pc, at, kept = ways.pop()
            while True:
                self.left -= 1
                if not self.left:
                    raise PatternTooSlow(self.shown, length)
                does = program[pc]
                kind = does[0]
                if kind == _ONE:
                    if at == length or not does[1][text[at]]:
                        break
                    pc, at = pc + 1, at + 1
                elif kind == _FORK:
                    if (pc, at, kept) in seen:
                        break
                    seen.add((pc, at, kept))
                    ways.append((does[2], at, kept))
                    pc = does[1]
                elif kind == _GO:
                    pc = does[1]
                elif kind == _DONE:
                    return kept
                else:
                    ways += self._rarer(does, pc, at, kept)
                    break
        return None

    def _rarer(self, does: _Instruction, pc: int, at: int, kept: _Kept) -> list[_Way]:
        """Return where a rarer kind of instruction leads; the alternative to try first comes last."""
        kind = does[0]
        if kind == _LOOK:
            return self._look(does, pc, at, kept)
        if kind == _STRING:
            return [(pc + 1, end, kept) for end in self._strings(does[1], at, backward=does[2])]
        end: int | None = at
        if kind == _BEFORE:
            end = at - 1 if at and does[1][self.text[at - 1]] else None
        elif kind == _EDGE:
            end = at if self._edge(does[1], does[2], at) else None
        elif kind == _BACK:
            end = self._back(kept[does[1]], at, backward=does[2], fold=does[3])
        elif kind == _MOVED:
            end, kept = None if kept[does[1]] == at else at, _put(kept, does[1], None)
        else:
            kept = self._remembered(does, at, kept)
        return [] if end is None else [(pc + 1, end, kept)]

    def _remembered(self, does: _Instruction, at: int, kept: _Kept) -> _Kept:
        kind = does[0]
        if kind == _BEGIN:
            return _put(kept, does[1], at)
        if kind == _KEEP:
            begin = kept[does[2]]
            return _put(_put(kept, does[1], (min(begin, at), max(begin, at))), does[2], None)
        return (*kept[: does[1]], *(None,) * (does[2] - does[1]), *kept[does[2] :])

    def _look(self, does: _Instruction, pc: int, at: int, kept: _Kept) -> list[_Way]:
        where = (pc, at, kept)
        if where not in self.looked:
            self.looked[where] = self.match(pc + 1, at, kept, set())
        there = self.looked[where]
        if (there is not None) != does[1]:
            return []
        return [(does[2], at, kept if there is None else there)]

    def _strings(self, known: _Characters, at: int, *, backward: bool) -> list[int]:
        """Return where the strings of the class that match here can end, the longest last."""
        text = self.text
        if backward:
            return [end for end in range(at, max(at - _LONGEST_STRING, 0) - 1, -1) if known[text[end:at]]]
        return [end for end in range(at, min(at + _LONGEST_STRING, len(text)) + 1) if known[text[at:end]]]

    def _edge(self, source: str, flags: str, at: int) -> bool:
        text = self.text
        if source == "^":
            return at == 0 or ("m" in flags and text[at - 1] in _ENDS_OF_LINE)
        if source == "$":
            return at == len(text) or ("m" in flags and text[at] in _ENDS_OF_LINE)
        word = _FOLDED_WORD if "i" in flags else _WORD
        parts = (at > 0 and text[at - 1] in word) != (at < len(text) and text[at] in word)
        return parts == (source == "\\b")

    def _back(self, group: tuple[int, int] | None, at: int, *, backward: bool, fold: bool) -> int | None:
        """Return where a repetition of the text of *group* ends if it matches here; an unset group matches empty."""
        if group is None:
            return at
        text = self.text[group[0] : group[1]]
        end = at - len(text) if backward else at + len(text)
        if end < 0:
            return None
        again = self.text[min(at, end) : max(at, end)]
        self.left = max(self.left - len(text), 1)
        if text == again or (fold and [*map(_folded, text)] == [*map(_folded, again)]):
            return end
        return None


def _put(kept: _Kept, place: int, value: Any) -> _Kept:
    return (*kept[:place], value, *kept[place + 1 :])


def _folded(character: str) -> str:
    """By Unicode's simple case folding, near enough: a character stays one."""
    for folded in (character.casefold(), character.lower()):
        if len(folded) == 1:
            return folded
    return character
