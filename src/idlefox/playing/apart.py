"""Runs a script in a separate process that may end at any moment, and keeps the results of its scenarios.

A trusted Python rule can end the process that it runs in (`os._exit`, a signal). The scenario during which that happened is an
error; the others run in the next process.
"""

from __future__ import annotations

import signal
from contextlib import suppress
from functools import partial
from multiprocessing import get_context
from multiprocessing.connection import Connection
from typing import Any

from ..problems import CALL, Place, Problem
from ..refusals import Refusal
from ..script.ops import lines_of
from .player import LoadedScript, Prepares, RunOptions, Teller, Told, load_script, play_script
from .processes import begin_worker
from .results import Failure, ScenarioResult, ScriptResult
from .select import SelectedScript
from .subjects import Subjects
from .work import run_task

_MOST_ENDED = 20  # processes that end on their own, of one script


def play_apart(
    chosen: SelectedScript, wishes: RunOptions, tell: Told | None = None, prepared: Prepares | None = None, teller: Teller | None = None
) -> ScriptResult:
    """Run *chosen* in another process, as `play_script` does in this one."""
    kept: list[ScenarioResult] = []
    for _ in range(_MOST_ENDED):
        coming, whole, how = _once(chosen, wishes, len(kept), kept, tell, prepared, teller)
        if whole is not None:
            return whole if whole.errors else whole._replace(scenarios=tuple(kept))
        if len(kept) >= len(coming):
            break
        ended = coming[len(kept)]
        refusal = Refusal("process ended", facts={"how": how})
        kept.append(ended._replace(failures=tuple(each._replace(refusal=refusal) for each in ended.failures)))
        if tell is not None:
            tell(kept[-1])
    problem = Problem(Place(chosen.file, 1, 1), f"this script could not run to its end: its process ended {how}", code=CALL)
    return ScriptResult(chosen.file, tuple(kept), (problem,))


def _once(
    chosen: SelectedScript, wishes: RunOptions, skipped: int, kept: list[ScenarioResult], tell: Told | None, prepared: Prepares | None,
    teller: Teller | None,
) -> tuple[list[ScenarioResult], ScriptResult | None, str]:  # fmt: skip
    """Run the scenarios after the first *skipped* ones and add their results to *kept*.

    Return the scenarios from the first on, as they would be told if one ended the process, the script's result without its
    scenarios (None if the process ended before), and how the process ended.
    """
    context = get_context()
    here, there = context.Pipe(duplex=False)
    process = context.Process(target=_child, args=(there, chosen, wishes, skipped, prepared, teller), daemon=True)
    process.start()
    there.close()
    coming: list[ScenarioResult] = []
    whole: ScriptResult | None = None

    def receive() -> None:
        nonlocal coming, whole
        while whole is None:
            kind, value = here.recv()
            if kind == "coming":
                coming = value
            elif kind == "result":
                kept.append(value)
                if tell is not None:
                    tell(value)
            else:
                whole = value

    try:
        receive()
    except EOFError:
        pass
    except BaseException:
        process.kill()
        with suppress(Exception):  # of a message that was cut off, anything may come
            receive()  # what it sent before
        raise
    finally:
        here.close()
        process.join()
    if whole is not None and whole.stopped:
        return coming, None, f"by {signal.SIGTERM.name}"
    code = process.exitcode or 0
    return coming, whole, f"by {signal.Signals(-code).name}" if code < 0 else f"with exit code {code}"


def _child(
    connection: Connection, chosen: SelectedScript, wishes: RunOptions, skipped: int, prepared: Prepares | None, teller: Teller | None
) -> None:
    begin_worker()
    subjects = Subjects(trust=wishes.trust, outside=wishes.outside, served=wishes.served)

    def load(chosen: SelectedScript, wishes: RunOptions, subjects: Subjects) -> LoadedScript:
        """Load the script, and send the scenarios as they are if one of them ends the process."""
        ready = (prepared or load_script)(chosen, wishes, subjects)
        connection.send(("coming", [_ended(scenario, chosen.file) for scenario in ready.scenarios]))
        return ready._replace(scenarios=ready.scenarios[skipped:])

    def tell(result: ScenarioResult) -> None:
        """Send a result."""
        connection.send(("result", result))

    play = partial(play_script, prepared=load, teller=teller)
    whole = run_task(lambda _: play(chosen, wishes, subjects, tell), None)
    connection.send(("whole", whole._replace(scenarios=())))


def _ended(scenario: Any, file: str) -> ScenarioResult:
    """Return the result of a scenario that ends the process it runs in."""
    source = scenario.source
    line = lines_of(source).line(scenario.line)
    failure = Failure("fault", Place(source.file, scenario.line, 1, len("scenario")), line, "", line.strip())
    return ScenarioResult(
        file, scenario.line, scenario.row_line, scenario.title, scenario.tags, "error", (failure,), why=scenario.why,
        row_file=scenario.row_file, row=scenario.row, given=scenario.given,
    )  # fmt: skip
