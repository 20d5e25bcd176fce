"""Runs one scenario for its trace: every change with the step that made it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..engine.state.journal import Changed, Journal, State, rebuild
from ..problems import Place, Problem, Unreadable
from ..records import NamedTuple
from ..roots import reading_below
from ..script.ops import Op
from ..script.tree import Cannot, Check
from ..script.writer import write_step
from .player import RunOptions, load_script, play_scenario, text_of
from .recorded import RecordedSubject
from .results import ScenarioResult
from .select import SelectedScript
from .simulated import SimulatedForm
from .story import WatchedRun, watched_run
from .subjects import Loaded, Subjects

__all__ = ["Changed", "ScenarioTrace", "State", "Step", "rebuild", "trace_scenario"]


class Step(NamedTuple):
    """A step, or a check that let time pass: its *number* and its place.

    *played*: the line with its parameters replaced, "" without parameters; *calls*: the lines that called it.
    """

    number: int
    file: str
    line: int
    text: str
    played: str = ""
    calls: tuple[str, ...] = ()


class ScenarioTrace(NamedTuple):
    """A scenario's steps, and its run with every change."""

    title: str
    steps: tuple[Step, ...]
    watched: WatchedRun
    loaded: Loaded

    @property
    def result(self) -> ScenarioResult:
        """The result of the run."""
        return self.watched.result

    def as_json(self) -> Iterator[dict[str, Any]]:
        """Every change as an object, with the file and line of its step (null for what load itself changed)."""
        steps = {step.number: step for step in self.steps}
        for change in self.watched.journal.changes:
            step = steps.get(change.step)
            where = {"file": step.file if step else None, "line": step.line if step else None}
            yield {**change.as_json(), **where}


def trace_scenario(chosen: SelectedScript, wishes: RunOptions) -> ScenarioTrace:
    """Run the one scenario that *chosen* selects. Raises Unreadable if it selects none or several, or if nothing can run."""
    ready = load_script(chosen, wishes, Subjects(trust=wishes.trust, outside=wishes.outside, served=wishes.served))
    if len(ready.scenarios) != 1 or ready.loaded is None:
        place = Place(chosen.file, ready.scenarios[0].line if ready.scenarios else 1, 1)
        example = f"{chosen.file}:{ready.scenarios[0].row_line or ready.scenarios[0].line}" if ready.scenarios else "FILE:LINE"
        cause = f"{chosen.file} has {len(ready.scenarios)} scenarios; trace shows one"
        raise Unreadable([Problem(place, cause, f"name one by its line, for example {example}")])
    scenario = ready.scenarios[0]
    if ready.loaded.make_ready is not None:
        ready.loaded.make_ready()
    begun = ready.loaded.begin(str(Path(chosen.file).parent))
    subject = begun if isinstance(begun, SimulatedForm) else RecordedSubject(begun, ready.loaded.form)
    with reading_below(wishes.roots_for(chosen.file)):
        found = watched_run(scenario, subject, ready.clock, chosen.file)
        if found is None:  # the result says why
            result = play_scenario(scenario, subject, ready.clock, chosen.file)
            found = WatchedRun(scenario, result, {}, Journal(ready.clock, (), ()), (), False)
    changing = {change.step for change in found.journal.changes}
    run = list(enumerate(scenario.ops[: found.result.steps + found.result.checks], 1))
    steps = [_step(number, op) for number, op in run if number in changing or not isinstance(op.act, Check | Cannot)]
    return ScenarioTrace(scenario.title, tuple(steps), found, ready.loaded)


def _step(number: int, op: Op) -> Step:
    text = text_of(op)
    return Step(number, op.source.file, op.line, text, write_step(op.act) if "$" in text else "", op.calls)
