"""The coverage of a form by scenarios: every point with who met it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ...forms.model.form import Form
from ...playing.player import DEFAULT_CLOCK, Ready
from ...playing.subjects import Loaded
from ...records import NamedTuple
from ...script.ops import Scenario
from ...script.tree import Cannot, Check, Submit
from ...script.writer import write_played
from .points import KINDS, Point, Points, points_of
from .watch import folder_of, met_by

_ACCEPTED = Point("submission", "", "", "accepted")


class Tally(NamedTuple):
    """How many points of a kind are *reached*, and *checked*, *of* all."""

    reached: int
    checked: int
    of: int


class Coverage(NamedTuple):
    """Of one form: *by* tells for each point the addresses of the scenarios that met it; *checked* are those that a check stood behind."""

    form: Form
    points: Points
    by: dict[Point, tuple[str, ...]]
    checked: frozenset[Point]
    scenarios: tuple[str, ...]
    sent: tuple[str, ...] = ()  # steps after which the form is accepted once it is sent, of a scenario that does so
    clock: int = DEFAULT_CLOCK  # when that is so

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
        return [point for point in self.points.all if point not in self.by]

    def as_json(self) -> dict[str, Any]:
        points = [
            {
                "kind": p.kind, "address": p.address, "name": p.name, "wanted": p.wanted, "reached": p in self.by,
                "checked": p in self.checked, "by": list(self.by.get(p, ())),
            }
            for p in self.points.all
        ]  # fmt: skip
        return {"format": 1, "form": self.form.id, "points": points, "summary": {k: t._asdict() for k, t in self.summary().items()}}


def coverage_of(loaded: Loaded, ready: Iterable[Ready]) -> Coverage:
    """What the scenarios of *ready*, scripts about the form of *loaded*, have exercised of it."""
    points = points_of(loaded.form)
    by: dict[Point, list[str]] = {}
    checked: set[Point] = set()
    played: list[str] = []
    sent: tuple[str, ...] = ()
    clock = DEFAULT_CLOCK
    for script in ready:
        folder = folder_of(script.script.file)
        for scenario in script.scenarios:
            address = address_of(scenario)
            played.append(address)
            for met in met_by(scenario, loaded, points, script.clock, folder):
                by.setdefault(met.point, []).append(address)
                if met.point == _ACCEPTED and not sent:
                    sent, clock = _before_sending(scenario), script.clock if scenario.clock is None else scenario.clock
                if met.checked:
                    checked.add(met.point)
    met_by_whom = {point: tuple(dict.fromkeys(who)) for point, who in by.items()}
    return Coverage(loaded.form, points, met_by_whom, frozenset(checked), tuple(played), sent, clock)


def _before_sending(scenario: Scenario) -> tuple[str, ...]:
    """The steps of *scenario* up to its first attempt to submit."""
    steps: list[str] = []
    for op in scenario.ops:
        if isinstance(op.act, Submit):
            break
        if not isinstance(op.act, Check | Cannot):
            steps.append(write_played(op.act))
    return tuple(steps)


def address_of(scenario: Scenario) -> str:
    return f"{scenario.source.file}:{scenario.row_line if scenario.row_line and not scenario.row_file else scenario.line}"
