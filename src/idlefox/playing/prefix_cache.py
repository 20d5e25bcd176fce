"""Runs the common beginning of several scenarios once; each continues from a copy.

Most scenarios of a script start alike: a prelude, a routine that fills the form, the rows of a table. Only the engine's forms
can be copied, and only steps that did not fail are shared, so results do not change.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from ..records import NamedTuple
from ..script.ops import ExpandedScenario
from .subject import Subject

_LEAST = 3  # steps and checks: running fewer is as fast as copying a form
_MOST = 64  # forms cached at a time


class Snapshot(NamedTuple):
    """The state of a form after a number of steps, kept only for copies."""

    subject: Subject
    number: int  # of steps and checks
    steps: int
    checks: int


class _SharedPrefix:
    """The first *number* steps and checks of several scenarios, of which *coming* have not run yet."""

    __slots__ = ("begun", "coming", "number", "up")

    def __init__(self, number: int) -> None:
        self.number, self.coming = number, 0
        self.up: _SharedPrefix | None = None  # the nearest shorter beginning
        self.begun: Snapshot | None = None


class ScenarioPrefix:
    """The shared beginning of one scenario: the available snapshot, and what to keep for others."""

    def __init__(self, all_: PrefixCache, chain: list[_SharedPrefix]) -> None:
        self._all = all_
        self.begun: Snapshot | None = None
        self._wanted: list[_SharedPrefix] = []  # the longest first
        for shared in chain:
            shared.coming -= 1
            if shared.begun is not None and self.begun is None:
                self.begun = shared.begun
            elif self.begun is None and shared.coming:
                self._wanted.append(shared)
            if not shared.coming and shared.begun is not None:
                all_.forget(shared)
        self._skip(self.begun.number if self.begun is not None else 0)

    def _skip(self, number: int) -> None:
        while self._wanted and self._wanted[-1].number < number + _LEAST:
            self._wanted.pop()
        self.mark = self._wanted[-1].number if self._wanted else 0  # the next number after which to call `keep`

    def keep(self, subject: Subject, steps: int, checks: int) -> None:
        """Cache the state of *subject* after step or check number `mark`."""
        self._all.keep(self._wanted.pop(), subject, steps, checks)
        self._skip(self.mark)


class PrefixCache:
    """The beginnings shared by *scenarios*, which run in this order. *clock* is that of scenarios without their own."""

    def __init__(self, scenarios: Sequence[ExpandedScenario], clock: int) -> None:
        self.held = 0
        ways = [(clock if s.clock is None else s.clock, *[id(op.act) for op in s.ops]) for s in scenarios]
        self._of: list[_SharedPrefix | None] = [None] * len(ways)
        self._find(ways, sorted((n for n, s in enumerate(scenarios) if s.fate != "aside"), key=ways.__getitem__))

    def _find(self, ways: list[tuple[int, ...]], order: list[int]) -> None:
        """Neighbours in *order* share the most: from that come all beginnings, the shorter around the longer."""
        around: list[tuple[_SharedPrefix, int]] = []  # open prefixes, and their starts in the order
        for at, number in enumerate(order, 1):
            alike = _alike(ways[number], ways[order[at]]) - 1 if at < len(order) else 0
            longest = around[-1][0] if around else None
            first, inner = at - 1, None
            while around and around[-1][0].number > alike:
                shared, first = around.pop()
                shared.coming = at - first
                if inner is not None:
                    inner.up = shared
                inner = shared
            if alike >= _LEAST and not (around and around[-1][0].number == alike):
                around.append((_SharedPrefix(alike), first))
            if inner is not None and around:
                inner.up = around[-1][0]
            self._of[number] = longest if longest is not None and longest.number > alike else around[-1][0] if around else None

    def of(self, number: int) -> ScenarioPrefix | None:
        """Return the shared beginning of scenario *number*, which runs next; None if it shares nothing."""
        shared = self._of[number]
        if shared is None:
            return None
        chain: list[_SharedPrefix] = []
        while shared is not None:
            chain.append(shared)
            shared = shared.up
        return ScenarioPrefix(self, chain)

    def keep(self, shared: _SharedPrefix, subject: Subject, steps: int, checks: int) -> None:
        """Keep a snapshot of *subject* for *shared*."""
        if self.held < _MOST:
            shared.begun = Snapshot(subject.trial(), shared.number, steps, checks)
            self.held += 1

    def forget(self, shared: _SharedPrefix) -> None:
        """Discard the snapshot of *shared*."""
        shared.begun = None
        self.held -= 1


def _alike(a: Iterable[Any], b: Iterable[Any]) -> int:
    """Return the length of the common beginning of two sequences."""
    count = 0
    for one, other in zip(a, b, strict=False):
        if one != other:
            break
        count += 1
    return count
