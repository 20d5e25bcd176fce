"""The coverage of a form by scenarios: every point with who met it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import Any

from ...forms.model.form import Form
from ...playing.player import DEFAULT_CLOCK, LoadedScript
from ...playing.subjects import Loaded
from ...playing.work import ExecutionOptions, per_process_cache
from ...playing.workers import map_tasks
from ...records import NamedTuple
from ...script.ops import ExpandedScenario
from ...script.tree import Cannot, Check, Submit
from ...script.writer import write_played
from ..scripts import FormScripts, Suite, unfinished
from .observer import ReachedPoint, folder_of, met_by
from .page_scripts import PageScripts
from .points import KINDS, Point, Points, points_of

_ACCEPTED = Point("submission", "", "", "accepted")


class Tally(NamedTuple):
    """How many points of a kind are *reached* and *checked*, *of* how many."""

    reached: int
    checked: int
    of: int


class Coverage(NamedTuple):
    """The coverage of one form: *by* has the addresses of the scenarios that reach each point; *checked* the points that a check
    covers; *scripts* what of the page's own scripts ran, if that was asked for.
    """

    form: Form
    points: Points
    by: dict[Point, tuple[str, ...]]
    checked: frozenset[Point]
    scenarios: tuple[str, ...]
    sent: tuple[str, ...] = ()  # the steps of a scenario before its accepted submission
    clock: int = DEFAULT_CLOCK  # the clock of that scenario
    scripts: PageScripts | None = None

    def summary(self) -> dict[str, Tally]:
        """The sums by kind."""
        found = {}
        for kind in KINDS:
            those = [point for point in self.points.all if point.kind == kind]
            if those:
                found[kind] = Tally(sum(p in self.by for p in those), sum(p in self.checked for p in those), len(those))
        return found

    @property
    def share(self) -> float:
        """The share of points that are reached, in percent."""
        return 100 * sum(point in self.by for point in self.points.all) / max(len(self.points.all), 1)

    def missing(self) -> list[Point]:
        """The unreached points."""
        return [point for point in self.points.all if point not in self.by]

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        points = [
            {
                "kind": p.kind, "address": p.address, "name": p.name, "wanted": p.wanted, "reached": p in self.by,
                "checked": p in self.checked, "by": list(self.by.get(p, ())),
            }
            for p in self.points.all
        ]  # fmt: skip
        summary = {kind: tally._asdict() for kind, tally in self.summary().items()}
        scripts = {"scripts": self.scripts.as_json()} if self.scripts is not None else {}
        return {"format": 1, "form": self.form.id, "points": points, "summary": summary, **scripts}


class ScenarioCoverage(NamedTuple):
    """The points of one scenario. *sent*: its steps up to the first submission, if the form is accepted."""

    address: str
    met: tuple[ReachedPoint, ...]
    sent: tuple[str, ...]
    clock: int


def coverage_of(loaded: Loaded, ready: Iterable[LoadedScript]) -> Coverage:
    """Return the coverage of the scripts *ready* about the form of *loaded*."""
    points = points_of(loaded.form)
    return _summed(loaded.form, points, (_seen_of(script, number, points) for script in ready for number in range(len(script.scenarios))))


def coverage_by(work: ExecutionOptions, about: FormScripts, told: Callable[[int, int], None] | None = None) -> Coverage:
    """Return the coverage of the scripts *about* a form, run on the executor of *work*. *told* gets the progress.

    Raises Unreadable.
    """
    form, points = about.loaded.form, points_of(about.loaded.form)
    numbers = [(at, number) for at, script in enumerate(about.ready) for number in range(len(script.scenarios))]
    here: Callable[[tuple[int, int]], ScenarioCoverage] = lambda which: _seen_of(about.ready[which[0]], which[1], points)  # noqa: E731
    every = map_tasks(partial(_seen_alone, about.suite), numbers, work, unfinished, here=here)
    return _summed(form, points, _counted(every, len(numbers), told))


def _counted(every: Iterator[ScenarioCoverage], count: int, told: Callable[[int, int], None] | None) -> Iterator[ScenarioCoverage]:
    for number, seen in enumerate(every, 1):
        yield seen
        if told is not None:
            told(number, count)


def _seen_alone(suite: Suite, numbers: tuple[int, int]) -> ScenarioCoverage:
    """Run one scenario in a process that reads the scripts itself."""
    script = suite.in_process()[numbers[0]]
    assert script.loaded is not None
    form = script.loaded.form
    return _seen_of(script, numbers[1], per_process_cache("points", form.file, lambda: points_of(form)))


def _seen_of(script: LoadedScript, number: int, points: Points) -> ScenarioCoverage:
    scenario = script.scenarios[number]
    assert script.loaded is not None
    met = met_by(scenario, script.loaded, points, script.clock, folder_of(script.script.file))
    accepted = next((each.part for each in met if each.point == _ACCEPTED), 0)
    sent = _before_sending(scenario, accepted)
    return ScenarioCoverage(address_of(scenario), met, sent, script.clock if scenario.clock is None else scenario.clock)


def _summed(form: Form, points: Points, every: Iterable[ScenarioCoverage]) -> Coverage:
    by: dict[Point, list[str]] = {}
    checked: set[Point] = set()
    played: list[str] = []
    sent: tuple[str, ...] = ()
    clock = DEFAULT_CLOCK
    for seen in every:
        played.append(seen.address)
        for met in seen.met:
            by.setdefault(met.point, []).append(seen.address)
            if met.checked:
                checked.add(met.point)
        if seen.sent and not sent:
            sent, clock = seen.sent, seen.clock
    met_by_whom = {point: tuple(dict.fromkeys(who)) for point, who in by.items()}
    return Coverage(form, points, met_by_whom, frozenset(checked), tuple(played), sent, clock)


def _before_sending(scenario: ExpandedScenario, accepted: int) -> tuple[str, ...]:
    """The steps of *scenario* before the submission that is accepted after its step *accepted*; none without one."""
    acts = [op.act for op in scenario.ops[:accepted]]
    presses = [number for number, act in enumerate(acts) if isinstance(act, Submit) and act.panel is None]
    steps = acts[: presses[-1]] if presses else []
    return tuple(write_played(act) for act in steps if not isinstance(act, Check | Cannot))


def address_of(scenario: ExpandedScenario) -> str:
    """Return the address of a scenario."""
    return f"{scenario.source.file}:{scenario.row_line if scenario.row_line and not scenario.row_file else scenario.line}"
