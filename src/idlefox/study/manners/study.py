"""Explores a form with random walks and reports findings, each with the shortest scenario found.

Walks are chosen by a seed and guided by novelty: a state in which something changed for the first time is kept, and later walks
start from it. Forms are copied, not replayed; a reported scenario has run from load.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from random import Random
from typing import Any

from ...engine.session import introspection as oddities
from ...playing.player import DEFAULT_CLOCK
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...playing.subjects import Loaded, Subjects
from ...playing.work import HERE, ExecutionOptions
from ...playing.workers import map_tasks
from ...records import NamedTuple
from ...roots import project_root, reading_below
from ...script import tree
from ..actions import ActionGenerator
from ..filling import Filling, FillingResult
from ..scripts import unfinished
from ..shrinking import Steps, minimize
from .monitor import MANNERS, MannersMonitor, Observation

WALKS = 2_000
_PARTS = 4  # independent parts of the walks, whatever the number of processes
_STEPS = 24  # steps of a walk from its start
_FROM_LOAD, _FROM_THE_GOOD_WAY = 0.2, 0.3  # of all walks
_MOST_STATES = 200  # states that walks may start from
_MOST_WAYS_OUT = 40  # states from which it is tried to send something
_LONGEST_WALK = 60
_MOST_PATHS = 6  # walks to a breach of which the shortest is sought
# Properties that make a state new.
_TELLING = frozenset({
    "breaks", "shows", "status", "visible", "enabled", "readonly", "touched", "server", "outcome", "view", "notice", "busy", "away", "open",
    "row added", "row removed", "row moved", "answer", "stale answer", "lost answer", "request", "ignored press", "attempts", "dirty",
})  # fmt: skip


Key = tuple[str, str]  # a manner, and the place where it is broken
Told = Callable[[int, int], None]
_MOST_SHORTENED = 4_000  # paths tried to shorten one
_MOST_REPLAYED = 60  # steps of the way that led from load to an accepted form, tried from other states


class MannerFinding(NamedTuple):
    """A finding: the shortest *steps* found to show it, and the number of *walks* that met it. *at* is the address at that time."""

    manner: str
    where: str
    sentence: str
    at: str
    steps: tuple[Any, ...]
    walks: int


class MannersResult(NamedTuple):
    """The result of the study. *kept_to* are the manners that were checked, *left_out* those that could not be, with the reasons."""

    seed: int
    walks: int
    steps: int
    states: int
    breaches: tuple[MannerFinding, ...]
    kept_to: tuple[str, ...]
    left_out: tuple[tuple[str, str], ...] = ()
    undecided: tuple[tuple[Any, ...], ...] = ()  # paths to states from which no way out was found, nor ruled out


class _StartPoint(NamedTuple):
    """A state from which walks start."""

    subject: SimulatedForm
    watch: MannersMonitor
    path: tuple[Any, ...]
    state: int


class WalkResult(NamedTuple):
    """The result of a batch of walks: the shortest *paths* to each finding, and how often it was *met*."""

    paths: dict[Key, list[tuple[Any, ...]]]
    met: dict[Key, int]
    walks: int
    steps: int
    states: int
    undecided: tuple[tuple[Any, ...], ...] = ()


class WalkBatch(NamedTuple):
    """One part of the walks, as another process needs to know it: *source* is the form's file."""

    source: str
    trust: bool
    only: frozenset[str]
    seed: int
    number: int
    walks: int
    seconds: float | None
    clock: int


def manners_of(
    loaded: Loaded, only: tuple[str, ...], *, seed: int = 1, walks: int = WALKS, seconds: float | None = None, clock: int = DEFAULT_CLOCK,
    told: Told | None = None, work: ExecutionOptions = HERE, trust: bool = False,
) -> MannersResult:  # fmt: skip
    """Explore the form of *loaded*. *told* gets the number of walks and findings so far.

    The walks are split into independent parts, so the findings are the same on every executor. With *seconds*, it walks for
    that time, whatever *walks* says, and the findings depend on the machine.
    """
    chosen = frozenset(only or MANNERS)
    share = seconds / _PARTS * min(work.jobs, _PARTS) if seconds is not None else None
    counts = [walks // _PARTS + (number < walks % _PARTS) for number in range(_PARTS)]
    parts = [
        WalkBatch(loaded.form.file, trust, chosen, seed, number, count, share, clock) for number, count in enumerate(counts) if count
    ]
    found: list[WalkResult] = []
    for each in map_tasks(_alone, parts, work, unfinished, each=1, here=lambda part: _Walks(loaded, part).explore(told)):
        found.append(each)
        if told is not None:
            told(sum(part.walks for part in found), len({key for part in found for key in part.paths}))
    return _Walks(loaded, parts[0]).told(found)


def _alone(part: WalkBatch) -> WalkResult:
    """Run a batch of walks in a process."""
    with reading_below((project_root(part.source),)):
        loaded = Subjects(trust=part.trust).load(part.source, ".")
    return _Walks(loaded, part).explore(None)


def is_shown(loaded: Loaded, breach: MannerFinding, steps: tuple[Any, ...], clock: int = DEFAULT_CLOCK) -> bool:
    """Return whether *steps*, run from load, show *breach*."""
    key = (breach.manner, breach.where)
    part = WalkBatch("", False, frozenset({breach.manner}), 1, 0, 0, None, clock)
    return _Walks(loaded, part).shown(key, steps) is not None


class _Walks:
    def __init__(self, loaded: Loaded, part: WalkBatch) -> None:
        self.loaded, self.part, self.only, self.clock = loaded, part, part.only, part.clock
        self.form = loaded.form
        self.repertoire = ActionGenerator(self.form)
        self.every = self.repertoire.every()
        self.random = Random(f"{part.seed} {part.number}")
        self.places: list[_StartPoint] = []
        self.known: set[Any] = set()
        self.states: set[int] = set()
        self.paths: dict[Key, list[tuple[Any, ...]]] = {}
        self.met: dict[Key, int] = {}
        self.steps = 0
        self.ways_out = 0
        self.way: tuple[Any, ...] = ()  # from load to an accepted form
        self.undecided: list[tuple[Any, ...]] = []
        self.good = 1  # places on a path to an accepted form
        self.filling = Filling(self.form)

    def explore(self, told: Told | None) -> WalkResult:
        """Make the walks."""
        begun, made, seconds = self._begun(), 0, self.part.seconds
        if begun is None:
            return WalkResult({}, {}, 0, 0, 0)
        self.states.add(0)
        self._keep(*begun, (), 0)
        self._follow_the_good_way(begun)
        until = time.monotonic() + seconds if seconds is not None else None
        while made < self.part.walks if until is None else time.monotonic() < until:
            self._walk()
            made += 1
            if told is not None and made % 50 == 0:
                told(self.part.number * self.part.walks + made, len(self.paths))
        return WalkResult(self.paths, self.met, made, self.steps, len(self.states), tuple(self.undecided))

    def told(self, found: list[WalkResult]) -> MannersResult:
        """Combine the batches: each finding with its shortest scenario."""
        for part in found:
            for key, paths in part.paths.items():
                self.paths[key] = sorted([*self.paths.get(key, ()), *paths], key=_length)[:_MOST_PATHS]
                self.met[key] = self.met.get(key, 0) + part.met[key]
        breaches = [self._shortest(key) for key in self.paths]
        order = list(MANNERS)
        sure = sorted((b for b in breaches if b is not None), key=lambda b: (order.index(b.manner), len(b.steps), b.where))
        sure = [each for each in sure if not _follows(each, sure)]
        walks, steps, states = (sum(getattr(part, name) for part in found) for name in ("walks", "steps", "states"))
        undecided = () if any(b.manner == "way-out" for b in sure) else tuple(path for part in found for path in part.undecided)
        kept_to = tuple(m for m in MANNERS if m in self.only)
        return MannersResult(self.part.seed, walks, steps, states, tuple(sure), kept_to, undecided=tuple(sorted(undecided, key=_length)))

    def _begun(self) -> tuple[SimulatedForm, MannersMonitor] | None:
        subject = self.loaded.begin(".")
        assert isinstance(subject, SimulatedForm)
        if subject.load(self.clock) is not None:
            return None
        watch = MannersMonitor(subject, self.form, self.only)
        self._hear(watch.found, ())
        return subject, watch

    def _follow_the_good_way(self, begun: tuple[SimulatedForm, MannersMonitor]) -> None:
        """Walk start also from every step of a way that leads to a form which is accepted."""
        way = self.filling.find(begun[0]).steps
        if way is None:
            if "way-out" in self.only and self.part.number == 0:
                self._look_for_a_way_out(begun[0], ())
            self.ways_out = _MOST_WAYS_OUT  # it would be the same in every state
            return
        self.way = way
        self.ways_out = 0 if self.part.number == 0 else _MOST_WAYS_OUT  # only one part examines the common start
        self._follow(self.places[0], way)
        ready = next((n for n, step in enumerate(way) if isinstance(step, tree.Submit)), len(way))
        if ready < len(self.places):
            for answer in self.repertoire.answers:
                if answer.lookup is None:  # without a lookup
                    self._follow(self.places[ready], (answer, way[ready], self.filling.settle))
        self.good, self.ways_out = len(self.places), 0

    def _follow(self, place: _StartPoint, steps: tuple[Any, ...]) -> None:
        """Do *steps* from *place*, and keep the resulting state."""
        subject, watch, path, state = place.subject.trial(), place.watch.copy(), place.path, place.state
        for step in steps:
            noted = len(subject.session.live.trace)
            if not self._take(subject, watch, step, len(path)):
                return
            path = (*path, step)
            self._hear(watch.found, path)
            watch.found = []
            _, state = self._is_new(subject, noted, state)
            self._keep(subject, watch, path, state)

    # one walk
    def _walk(self) -> None:
        random = self.random
        place = self._place()
        subject, watch, path, state = place.subject.trial(), place.watch.copy(), place.path, place.state
        for _ in range(_STEPS):
            step = self.repertoire.choose(random)
            if not oddities.may_reach(subject.session, step):
                continue
            before = len(subject.session.live.trace)
            if not self._take(subject, watch, step, len(path)):
                if len(subject.session.live.trace) != before:
                    return  # the step was not possible, but something changed
                continue
            path = (*path, step)
            self.steps += 1
            if watch.found:
                self._hear(watch.found, path)
                watch.found = []
            new, state = self._is_new(subject, before, state)
            if new and len(path) < _LONGEST_WALK:
                self._keep(subject, watch, path, state)

    def _place(self) -> _StartPoint:
        """Choose where a walk starts: at load, on the way to an answer, or where something new was seen (newer is likelier)."""
        which, where = self.random.random(), self.random.random()
        if which < _FROM_LOAD:
            return self.places[0]
        if which < _FROM_LOAD + _FROM_THE_GOOD_WAY:
            return self.places[int(where * self.good)]
        return self.places[int(where**0.7 * len(self.places))]

    def _take(self, subject: SimulatedForm, watch: MannersMonitor, step: Any, number: int) -> bool:
        watch.before(step, subject)
        if take_step(subject, step, number + 1) is not None:
            return False
        watch.after(step, subject)
        return True

    def _is_new(self, subject: SimulatedForm, noted: int, state: int) -> tuple[bool, int]:
        """Return whether something changed for the first time, and the key of the state: what has changed since load."""
        trace = subject.session.live.trace
        new = False
        for at in range(noted if noted <= len(trace) else 0, len(trace)):
            _, _, cell, name, before, after = trace[at]
            if name in _TELLING:
                short = _in_short(after)
                what = (cell.plan.index if cell is not None else -1, name, short)
                key = cell.key if cell is not None else ""
                state ^= hash((key, name, _in_short(before))) ^ hash((key, name, short))
                if what not in self.known:
                    self.known.add(what)
                    new = True
        self.states.add(state)
        return new, state

    def _keep(self, subject: SimulatedForm, watch: MannersMonitor, path: tuple[Any, ...], state: int) -> None:
        if len(self.places) < _MOST_STATES:
            self.places.append(_StartPoint(subject.trial(), watch.copy(), path, state))
        if "way-out" in self.only and self.ways_out < _MOST_WAYS_OUT:
            self.ways_out += 1
            self._look_for_a_way_out(subject, path)

    def _look_for_a_way_out(self, subject: SimulatedForm, path: tuple[Any, ...]) -> None:
        found = self._way_out(subject)
        if found.proof:
            self._hear([_no_way_out(found.proof)], path)
        elif found.steps is None:
            self.undecided.append(path)

    def _proof(self, subject: SimulatedForm) -> str:
        tried = subject.trial()
        tried.session.drop_scripted()
        return self.filling.proof(tried)

    def _way_out(self, subject: SimulatedForm) -> FillingResult:
        """Return how something acceptable can be sent from a copy of *subject*; no steps if a pending submission is accepted."""
        live = subject.session.live
        if live.outcome == "accepted" or live.away:
            return FillingResult(())
        tried = subject.trial()
        tried.session.drop_scripted()  # scripted by the walk, not by the form
        take_step(tried, self.filling.settle, 1)
        if tried.session.live.outcome == "accepted":
            return FillingResult(())
        again = tried.trial()
        for step in self.way[:_MOST_REPLAYED]:
            take_step(again, step, 1)
        if again.session.live.outcome == "accepted":
            return FillingResult(self.way)
        found = self.filling.find(tried)
        if found.steps is None and self.way and self.filling.find(again).steps is not None:  # after *way*, less may be missing
            return FillingResult(self.way)
        return found

    # breaches
    def _hear(self, found: list[Observation], path: tuple[Any, ...]) -> None:
        for each in dict.fromkeys((f.manner, f.where) for f in found):
            self.met[each] = self.met.get(each, 0) + 1
            paths = self.paths.setdefault(each, [])
            if len(paths) < _MOST_PATHS:
                paths.append(path)
            elif _length(path) < _length(longest := max(paths, key=_length)):
                paths[paths.index(longest)] = path

    def _shortest(self, key: Key) -> MannerFinding | None:
        """The breach *key* with a scenario in which no step can be left out."""
        best: tuple[tuple[Any, ...], Observation] | None = None
        for path in sorted(self.paths[key], key=_length):
            found = self._shrunk(key, path)
            if found is not None and (best is None or _length(found[0]) < _length(best[0])):
                best = found
        if best is not None:
            best = self._simpler(key, self._shorter(key, best))
        return MannerFinding(*key, best[1].sentence, best[1].at, best[0], self.met[key]) if best is not None else None

    def _shrunk(self, key: Key, path: tuple[Any, ...]) -> tuple[tuple[Any, ...], Observation] | None:
        now = self.shown(key, path)
        if now is None:
            return None

        def shown(steps: Steps) -> Steps | None:
            found = self.shown(key, steps)
            return found[0] if found is not None else None

        return self.shown(key, minimize(now[0], shown))

    def _shorter(self, key: Key, now: tuple[tuple[Any, ...], Observation]) -> tuple[tuple[Any, ...], Observation]:
        """Return a shorter path, where one action can stand for all steps, or for two that follow each other."""
        left = _MOST_SHORTENED
        while len(now[0]) > 1:
            steps, better = now[0], None
            tries = [(each,) for each in self.every]
            tries += [(*steps[:at], each, *steps[at + 2 :]) for at in range(len(steps) - 1) for each in self.every if len(steps) > 2]
            for tried in tries[:left]:
                better = self.shown(key, tried)
                if better is not None and len(better[0]) < len(steps):
                    break
                better = None
            left -= len(tries)
            if better is None:
                return now
            now = self._shrunk(key, better[0]) or better
            if left <= 0:
                return now
        return now

    def _simpler(self, key: Key, now: tuple[tuple[Any, ...], Observation]) -> tuple[tuple[Any, ...], Observation]:
        """Yield the path with shorter typed texts."""
        for at, step in enumerate(now[0]):
            if isinstance(step, tree.Retype | tree.FillLine):
                text = step.text if isinstance(step, tree.Retype) else step.value
                if isinstance(text, str) and text:
                    steps = (*now[0][:at], tree.Type(step.address, text[0]), *now[0][at + 1 :])
                    found = self.shown(key, steps)
                    if found is not None and len(found[0]) == len(now[0]):
                        now = found
        return now

    def shown(self, key: Key, path: tuple[Any, ...]) -> tuple[tuple[Any, ...], Observation] | None:
        """Return *path*, cut where it shows the finding, and the sentence; None if it does not, or is not possible."""
        subject = self.loaded.begin(".")
        assert isinstance(subject, SimulatedForm)
        subject.load(self.clock)
        watch = MannersMonitor(subject, self.form, frozenset({key[0]}))
        for number in range(len(path) + 1):
            found = next((f for f in watch.found if (f.manner, f.where) == key), None)
            if found is None and key[0] == "way-out" and number == len(path):
                proof = self._proof(subject)
                found = _no_way_out(proof) if proof else None
            if found is not None:
                return path[:number], found
            if number < len(path) and not self._take(subject, watch, path[number], number):
                return None
        return None


def _follows(found: MannerFinding, every: list[MannerFinding]) -> bool:
    """Return whether *found* repeats another finding: both are about one hidden field that blocks, or one rule about such a field."""
    ways = [re.sub(r"\[\d+\]", "[*]", each.sentence) for each in every if each.manner == "way-out"]
    if found.manner == "no-ghosts":
        rule = found.sentence.partition(", which reads only what is")[0]
        return rule != found.sentence and any(f": {rule}, and nothing a person can do" in way for way in ways)
    ghosts = [each.where for each in every if each.manner == "no-ghosts" and each.where]
    return found.manner == "way-out" and any(f": {where} breaks " in way for where in ghosts for way in ways)


def _no_way_out(proof: str) -> Observation:
    return Observation("way-out", "", f"nothing acceptable can be sent any more without a reset: {proof}")


def _length(path: tuple[Any, ...]) -> tuple[int, int]:
    """Return the length of *path*: in steps, then in typed characters."""
    return len(path), sum(len(str(getattr(step, "text", getattr(step, "value", "")))) for step in path)


def _in_short(after: Any) -> Any:
    if isinstance(after, bool | int | str) or after is None:
        return after
    return len(after) if isinstance(after, tuple | list) else True
