"""Plant one fault at a time in a form and run the scenarios that can notice it.

Each fault is noticed, unnoticed, equivalent (proved to change nothing) or undecided.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from ...engine.compile.compiler import compile_form
from ...forms.model.form import Form, Path
from ...playing.player import DEFAULT_CLOCK, LoadedScript, play_scenario
from ...playing.simulated import SimulatedForm
from ...playing.subjects import Loaded, simulated
from ...playing.work import HERE, ExecutionOptions, per_process_cache
from ...playing.workers import map_tasks
from ...records import NamedTuple
from ...roots import reading_below
from ...script import tree
from ...script.ops import ExpandedScenario
from ...script.tree import Address, Cannot, Check
from ..coverage.points import points_of
from ..coverage.reaching import read_steps, tries
from ..coverage.study import Coverage, address_of
from ..scripts import Suite, unfinished
from ..sequences import sequences_of
from ..shrinking import Steps, is_about
from .distinguish import Distinguisher
from .faults import PlantedFault, faults_of
from .same import is_same

VERDICTS = ("noticed", "unnoticed", "equivalent", "undecided")
# Observations of the whole form, which may show any fault.
_OF_ALL = frozenset({
    "form", "submit", "button", "values", "errors", "dirty", "touched", "outcome", "payload", "record", "requests", "focus",
})  # fmt: skip


class FaultVerdict(NamedTuple):
    """The verdict on one fault: *by* is the scenario that noticed it, *lines* the body of a scenario that would."""

    kind: str
    address: str
    rule: str
    place: str
    sentence: str
    verdict: str
    by: str = ""
    lines: tuple[str, ...] = ()


class WeakenResult(NamedTuple):
    """The verdicts on all faults. *fallen* are scenarios that fail on the original form and therefore notice nothing."""

    form: Form
    faults: tuple[FaultVerdict, ...]
    scenarios: int
    fallen: tuple[str, ...]

    def count(self, verdict: str) -> int:
        """Return the number of faults with *verdict*."""
        return sum(each.verdict == verdict for each in self.faults)

    @property
    def score(self) -> float:
        """The percentage of noticed faults among those that are noticed or unnoticed."""
        noticed, unnoticed = self.count("noticed"), self.count("unnoticed")
        return 100 * noticed / max(noticed + unnoticed, 1)

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        faults = [
            {
                "kind": f.kind, "address": f.address, "rule": f.rule, "place": f.place, "sentence": f.sentence, "verdict": f.verdict,
                "by": f.by, "scenario": list(f.lines),
            }
            for f in self.faults
        ]  # fmt: skip
        return {"format": 1, "form": self.form.id, "faults": faults, "score": round(self.score, 1)}


class _CandidateScenario(NamedTuple):
    """A scenario with its clock, and what it can notice: the fields it uses, and whether it looks at the whole form or sends it."""

    scenario: ExpandedScenario
    clock: int
    file: str
    paths: frozenset[Path]
    whole: bool


class WeakenStudy:
    """One form and its scenarios, ready for faults to be planted. Raises Unreadable where the scripts cannot be read."""

    def __init__(self, suite: Suite) -> None:
        self.suite = suite
        self.ready = suite.read()
        loaded = self.ready[0].loaded
        assert loaded is not None
        self.loaded: Loaded = loaded
        self.form = loaded.form
        self.faults = faults_of(self.form)
        self.fallen: list[str] = []
        self.can = [can for script in self.ready for can in self._able(script)]
        self._apart: Distinguisher | None = None

    def _able(self, script: LoadedScript) -> Iterator[_CandidateScenario]:
        folder = str(FilePath(script.script.file).parent)
        for scenario in script.scenarios:
            if scenario.fate:
                continue
            with reading_below(self.suite.wishes.roots_for(script.script.file)):
                subject = self.loaded.begin(folder)
                result = play_scenario(scenario, subject, script.clock, script.script.file)
            if result.fell:
                self.fallen.append(address_of(scenario))
                continue
            assert isinstance(subject, SimulatedForm)
            paths = {_schema(change[2].plan.path) for change in subject.session.live.trace if change[2] is not None}
            acts = [op.act.step if isinstance(op.act, Cannot) else op.act for op in scenario.ops]
            paths |= {_schema(a.segments) for act in acts if isinstance(a := _address(act), Address)}
            whole = any(isinstance(act, tree.Submit | tree.Press) or (isinstance(act, Check) and act.noun.kind in _OF_ALL) for act in acts)
            yield _CandidateScenario(scenario, script.clock, script.script.file, frozenset(paths - {()}), whole)

    # one fault
    def judged(self, number: int) -> FaultVerdict:
        """Return the verdict on the *number*-th fault."""
        fault = self.faults[number]
        place = f"{self.form.file}:{fault.line}" if fault.line else self.form.file
        told = FaultVerdict(fault.kind, fault.address, fault.rule, place, fault.sentence, "equivalent")
        if is_same(fault, self.form):
            return told
        planted = fault.planted(self.form)
        weak = simulated(planted, compile_form(planted, self._python()))
        for can in sorted(self._noticing(fault), key=lambda can: (not is_about(fault.path, can.paths), len(can.scenario.ops))):
            if self._falls(can, weak):
                return told._replace(verdict="noticed", by=address_of(can.scenario))
        way = self._ways().way_to(weak, fault.path)
        return told._replace(verdict="unnoticed", lines=way.lines) if way is not None else told._replace(verdict="undecided")

    def _python(self) -> Any:
        begun = self.loaded.begin(".")
        return begun.session.plan.python if isinstance(begun, SimulatedForm) else {}

    def _noticing(self, fault: PlantedFault) -> Iterator[_CandidateScenario]:
        """Yield the scenarios that can notice *fault*: those that use the field, look at the whole form, or send it."""
        for can in self.can:
            if not fault.path or can.whole or is_about(fault.path, can.paths):
                yield can

    def _falls(self, can: _CandidateScenario, weak: Loaded) -> bool:
        with reading_below(self.suite.wishes.roots_for(can.file)):
            return play_scenario(can.scenario, weak.begin(str(FilePath(can.file).parent)), can.clock, can.file).fell

    def _ways(self) -> Distinguisher:
        if self._apart is None:
            clock = self.can[0].clock if self.can else DEFAULT_CLOCK
            self._apart = Distinguisher(self.loaded, list(self._sequences(clock)), clock)
        return self._apart

    def _sequences(self, clock: int) -> Iterator[Steps]:
        """Return steps that may distinguish forms: those of the suite, those at every limit, and a way to send the form."""
        for can in self.can:
            yield tuple(op.act for op in can.scenario.ops if not isinstance(op.act, Check | Cannot | tree.Note))
        yield from sequences_of(self.loaded, clock)
        for lines in tries(Coverage(self.form, points_of(self.form), {}, frozenset(), (), ())):
            scenario = read_steps(lines, self.form)
            if scenario is not None:
                steps = tuple(op.act for op in scenario.ops if not isinstance(op.act, Check | Cannot))
                yield from (steps, (*steps, tree.Reset()))


def weaken(suite: Suite, work: ExecutionOptions = HERE, told: Callable[[int, int], None] | None = None) -> WeakenResult:
    """Judge every fault of the form that the scripts of *suite* are about. *told* gets the progress.

    Raises Unreadable.
    """
    weakening = WeakenStudy(suite)
    count = len(weakening.faults)
    found: list[FaultVerdict] = []
    for each in map_tasks(partial(_judged, suite), range(count), work, unfinished, here=weakening.judged):
        found.append(each)
        if told is not None:
            told(len(found), count)
    return WeakenResult(weakening.form, tuple(found), len(weakening.can), tuple(weakening.fallen))


def _judged(suite: Suite, number: int) -> FaultVerdict:
    return per_process_cache("weakening", suite, lambda: WeakenStudy(suite)).judged(number)


def _address(act: Any) -> Any:
    return act.noun.address if isinstance(act, Check) else getattr(act, "address", None)


def _schema(segments: Any) -> Path:
    return tuple("*" if isinstance(each, int) else str(each) for each in segments)
