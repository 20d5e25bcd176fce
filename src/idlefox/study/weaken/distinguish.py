"""Distinguishes two forms: the fewest steps after which they differ, and a check that only holds on the first.

Both forms run the same steps, and their changes are compared after each.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from random import Random
from typing import Any

from ...forms.model.form import Path
from ...playing.observed import observe, pinning
from ...playing.rehearsal import Rehearsal
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...playing.subjects import Loaded
from ...records import NamedTuple
from ...script.tree import Address
from ...script.writer import called, write_played
from ..actions import ActionGenerator
from ..shrinking import Steps, is_about, minimize

_SEEN = frozenset({
    "value", "reads", "dirty", "touched", "breaks", "shows", "visible", "enabled", "readonly", "required", "status", "outcome", "view",
    "notice", "focus", "location", "request", "row added", "row removed", "row moved", "record", "away", "busy", "open", "given_options",
})  # fmt: skip
_WALKS, _STEPS = 80, 20
_MOST_FOUND = 60  # distinguishing sequences to search for a check


class DistinguishingScenario(NamedTuple):
    """A scenario that holds on the first form and not on the second: the *lines* of its body."""

    lines: tuple[str, ...]


class Distinguisher:
    """Finds what distinguishes *first* from other forms. *sequences* are steps to try, including those of the suite."""

    def __init__(self, first: Loaded, sequences: Sequence[Steps], clock: int) -> None:
        self.first, self.clock = first, clock
        self.sequences = sorted(sequences, key=len)
        self.about = [_mentioned(steps) for steps in self.sequences]
        self.repertoire = ActionGenerator(first.form)

    def way_to(self, second: Loaded, path: Path) -> DistinguishingScenario | None:
        """Return a scenario that distinguishes *second*, which differs at *path*, from the first form; None if none was found."""
        found = 0
        for steps in self._tried(path):
            shown = self._apart(second, steps)
            if shown is None:
                continue
            way = self._checked(second, minimize(shown, partial(self._apart, second)))
            if way is not None:
                return way
            found += 1
            if found >= _MOST_FOUND:
                return None
        return self._by_walking(second)

    def _tried(self, path: Path) -> Iterator[Steps]:
        """The sequences that are about *path* first."""
        near = [steps for steps, about in zip(self.sequences, self.about, strict=True) if is_about(path, about)]
        yield from near
        yield from (steps for steps, about in zip(self.sequences, self.about, strict=True) if not is_about(path, about))

    def _by_walking(self, second: Loaded) -> DistinguishingScenario | None:
        random, found = Random(1), 0
        for _ in range(_WALKS):
            pair = _FormPair(self.first, second, self.clock)
            steps: Steps = ()
            for _ in range(_STEPS):
                step = self.repertoire.choose(random)
                told = pair.take(step)
                if told == "refused":
                    break
                steps = (*steps, step)
                if told == "apart":
                    way = self._checked(second, minimize(steps, partial(self._apart, second)))
                    if way is not None:
                        return way
                    found += 1
                    break
            if found >= _MOST_FOUND:
                return None
        return None

    def _apart(self, second: Loaded, steps: Iterable[Any]) -> Steps | None:
        """Return *steps* up to the first difference; None if there is none."""
        pair = _FormPair(self.first, second, self.clock)
        if pair.differ_at_load():
            return ()
        done: Steps = ()
        for step in steps:
            told = pair.take(step)
            if told == "refused":
                return None
            done = (*done, step)
            if told == "apart":
                return done
        return None

    def _checked(self, second: Loaded, steps: Steps) -> DistinguishingScenario | None:
        """*steps* with a check that the first holds and the second does not."""
        one, other = (Rehearsal(loaded, loaded.form.file, ".", self.clock) for loaded in (self.first, second))
        for step in steps:
            text = write_played(step)
            taken = [rehearsal.take(text, played=True).held for rehearsal in (one, other)]
            if taken == [True, False]:
                offered = one.offer()
                one.back(max(len(offered) - 1, 0))
                return DistinguishingScenario(tuple(one.lines()))
            if taken == [False, True]:
                other.back(1)
                check = f"expect cannot {text}"
                differs = "\n" not in text and one.take(check).held and not other.take(check).held
                return DistinguishingScenario(tuple(one.lines())) if differs else None
            if taken == [False, False]:
                return None
        seen = [observe(rehearsal.subject, rehearsal.form) for rehearsal in (one, other)]
        for check in (*pinning(seen[1], seen[0]), *self._more()):
            if one.take(check).held:
                if not other.take(check).held:
                    return DistinguishingScenario(tuple(one.lines()))
                other.back(1)
                one.back(1)
        return None

    def _more(self) -> Iterator[str]:
        """Checks of what `pinning` has no words for."""
        form = self.first.form
        for field in form.walk():
            if "*" not in field.path and field.kind not in ("group", "hidden"):
                name = called(field.address)
                if field.kind == "rows":
                    yield from (f"expect {name} allows add", f"expect {name} not allows add", f"expect {name} not allows remove")
                else:
                    yield from (f"expect {name} is required", f"expect {name} is optional")
        yield from ("expect submit is enabled", "expect submit is disabled")


class _FormPair:
    """Two forms that run the same steps."""

    def __init__(self, first: Loaded, second: Loaded, clock: int) -> None:
        self.forms = (first.form, second.form)
        self.two = [_begun(loaded, clock) for loaded in (first, second)]
        self.noted = [len(subject.session.live.trace) for subject in self.two]
        self.number = 0

    def differ_at_load(self) -> bool:
        one, other = (observe(subject, form) for subject, form in zip(self.two, self.forms, strict=True))
        return one != other

    def take(self, step: Any) -> str:
        """Do *step* on both: "" if they agree, "apart", or "refused" by both."""
        self.number += 1
        refused = [take_step(subject, step, self.number) is not None for subject in self.two]
        if refused[0] is not refused[1]:
            return "apart"
        if refused[0]:
            return "refused"
        changed = [self._changed(at) for at in (0, 1)]
        return "apart" if changed[0] != changed[1] else ""

    def _changed(self, at: int) -> dict[tuple[str, str], Any]:
        """Return the visible changes of the last step."""
        trace = self.two[at].session.live.trace
        found: dict[tuple[str, str], Any] = {}
        for _, _, cell, name, _, after in trace[self.noted[at] if self.noted[at] <= len(trace) else 0 :]:
            if name in _SEEN:
                found[cell.key if cell is not None else "", name] = _plain(cell, name, after)
        self.noted[at] = len(trace)
        return found


def _begun(loaded: Loaded, clock: int) -> SimulatedForm:
    subject = loaded.begin(".")
    assert isinstance(subject, SimulatedForm)
    subject.load(clock)
    return subject


def _plain(cell: Any, name: str, after: Any) -> Any:
    """Return a value of a trace without what differs from plan to plan."""
    if name == "breaks":
        return [check.name for check in cell.plan.checks if after >> check.index & 1]
    if name == "shows":
        return [text for _, text in after]
    if name == "focus":
        return after.key if after is not None else ""
    return after[:2] if name == "row added" else after


def _mentioned(steps: Steps) -> frozenset[Path]:
    """The schema paths that *steps* name."""
    return frozenset(_schema(a.segments) for step in steps if isinstance(a := getattr(step, "address", None), Address))


def _schema(segments: Iterable[Any]) -> Path:
    return tuple("*" if isinstance(each, int) else str(each) for each in segments)
