"""One scenario, played for its journal: every change with the step that made it."""

from __future__ import annotations

from pathlib import Path

from ..engine.state.journal import Changed, Journal
from ..problems import Place, Problem, Unreadable
from ..records import NamedTuple
from ..script.tree import Cannot, Check
from .player import Wishes, play_scenario, prepare, text_of
from .results import ScenarioResult
from .select import Chosen
from .subjects import Subjects

__all__ = ["Changed", "Step", "Traced", "trace_scenario"]


class Step(NamedTuple):
    """One step of a scenario: its *number*, and where it stands."""

    number: int
    file: str
    line: int
    text: str


class Traced(NamedTuple):
    """A scenario that has been played, step by step."""

    title: str
    steps: tuple[Step, ...]
    result: ScenarioResult
    journal: Journal


def trace_scenario(chosen: Chosen, subject: str, *, trust_python: bool = False) -> Traced:
    """Plays the one scenario that *chosen* names. Raises Unreadable where it names none, or several."""
    ready = prepare(chosen, Wishes(subject=subject), Subjects(trust_python=trust_python))
    if len(ready.scenarios) != 1 or ready.loaded is None:
        place = Place(chosen.file, ready.scenarios[0].line if ready.scenarios else 1, 1)
        example = f"{chosen.file}:{ready.scenarios[0].row_line or ready.scenarios[0].line}" if ready.scenarios else "FILE:LINE"
        raise Unreadable([Problem(place, f"{len(ready.scenarios)} scenarios fit; a trace is of one", f"name its line, as in {example}")])
    scenario = ready.scenarios[0]
    begun = ready.loaded.begin(str(Path(chosen.file).parent))
    result = play_scenario(scenario, begun, ready.clock, chosen.file)
    steps = tuple(
        Step(number, op.source.file, op.line, text_of(op))
        for number, op in enumerate(scenario.ops, 1)
        if not isinstance(op.act, Check | Cannot)
    )
    return Traced(scenario.title, steps, result, begun.journal())
