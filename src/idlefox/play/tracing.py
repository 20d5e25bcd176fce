"""One scenario, played for its trace: every change with the step that made it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..engine.state.journal import as_json
from ..problems import Place, Problem, Unreadable
from ..records import NamedTuple
from ..script.tree import Check
from .player import Wishes, play_scenario, prepare, text_of
from .results import ScenarioResult
from .select import Chosen
from .simulated import SimulatedForm
from .subjects import Subjects


class Traced(NamedTuple):
    """*steps* are number, line and text of each step; *changes* are as `engine.trace.as_json` gives them, in order."""

    title: str
    steps: tuple[tuple[int, int, str], ...]
    result: ScenarioResult
    changes: tuple[dict[str, Any], ...]


class _Kept(SimulatedForm):
    """Keeps its live form when the scenario ends."""

    def close(self) -> None:
        return


def trace_scenario(chosen: Chosen, subject: str, *, trust_python: bool = False) -> Traced:
    """Plays the one scenario that *chosen* names. Raises Unreadable where it names none, or several."""
    ready = prepare(chosen, Wishes(subject=subject), Subjects(trust_python=trust_python))
    if len(ready.scenarios) != 1:
        place = Place(chosen.file, ready.scenarios[0].line if ready.scenarios else 1, 1)
        example = f"{chosen.file}:{ready.scenarios[0].row_line or ready.scenarios[0].line}" if ready.scenarios else "FILE:LINE"
        raise Unreadable([Problem(place, f"{len(ready.scenarios)} scenarios fit; a trace is of one", f"name its line, as in {example}")])
    scenario = ready.scenarios[0]
    folder = str(Path(chosen.file).parent)
    begun = ready.loaded.begin(folder)
    assert isinstance(begun, SimulatedForm)
    kept = _Kept(begun.plan, folder)
    result = play_scenario(scenario, kept, ready.clock, chosen.file)
    steps = tuple((n, op.line, text_of(op)) for n, op in enumerate(scenario.ops, 1) if not isinstance(op.act, Check))
    return Traced(scenario.title, steps, result, tuple(as_json(kept.live, change) for change in kept.live.trace))
