"""Runs many scripts, in one process or several, in the requested order, until the end or a stop condition."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from time import sleep

from ..problems import CALL, Place, Problem, Unreadable, read_text
from ..records import NamedTuple
from ..script.ops import WHOLE, ScenarioRange, part_of_text
from .player import Begun, LoadedScript, Prepares, RunOptions, Teller, Told, load_script, parse_script, play_script
from .results import ScriptResult
from .select import SelectedScript
from .subjects import Subjects
from .work import WorkerCrash, Workers, per_process_cache
from .workers import workers

_TABLE = re.compile(r"^\s*with\s+(?:csv|json)\s+\"([^\"]+)\"", re.MULTILINE)
_OWN_SIGNAL = 0.3  # seconds in which a signal for all processes reaches this one, too
_PARTS_EACH = 4  # parts of the work per process, so that none waits long for the last
_LEAST_PART = 30_000  # bytes of script and tables: smaller parts are not worth reading twice


class Task(NamedTuple):
    """The unit of work of one process. *text*: the text of the part, if it is already known."""

    chosen: SelectedScript
    part: ScenarioRange = WHOLE
    text: str | None = None


def in_order(chosen: list[SelectedScript], wishes: RunOptions) -> list[SelectedScript]:
    """Return the scripts in the order in which they run."""
    if wishes.seed is None:
        return chosen
    import random

    shuffled = list(chosen)
    random.Random(wishes.seed).shuffle(shuffled)
    return shuffled


def play_files(
    chosen: list[SelectedScript], wishes: RunOptions, subjects: Subjects, tell: Told | None = None, begun: Begun | None = None,
    prepared: Prepares | None = None,
) -> Iterator[ScriptResult]:  # fmt: skip
    """Run the scripts, ending early if *wishes* say so. *tell* gets every scenario, *begun* every script and its number of
    scenarios.

    If *stop_after* ends a script, only the scenarios before that point are reported, whatever other processes have run meanwhile.
    Raises Unreadable where a cluster is wished that cannot be reached.
    """
    ordered = in_order(chosen, wishes)
    with workers(wishes.work) as those:
        tasks = [] if wishes.work.is_here else list(_tasks(ordered, wishes, those.width))
        if len(tasks) > 1 or wishes.work.on:
            results = _in_parts(tasks, wishes, those)
        else:
            results = _one_by_one(ordered, wishes, subjects, tell, begun, prepared)
        fallen = 0
        for result in results:
            if wishes.stop_after:
                result = _until(result, wishes.stop_after - fallen)
                fallen += bool(result.errors) + sum(scenario.fell for scenario in result.scenarios)
            yield result
            if wishes.stop_after and fallen >= wishes.stop_after:
                return


def _one_by_one(
    chosen: list[SelectedScript], wishes: RunOptions, subjects: Subjects, tell: Told | None, begun: Begun | None, prepared: Prepares | None
) -> Iterator[ScriptResult]:
    left = wishes
    for each in chosen:
        ready = _loaded(each, wishes, subjects, prepared) if wishes.apart else None
        if ready is not None and ready.loaded is not None and ready.loaded.form.python:
            from .apart import play_apart

            result = play_apart(each, left, tell, teller=_teller(wishes))
        else:
            load = _as_loaded(ready) if ready is not None else prepared
            result = play_script(each, left, subjects, tell, begun=begun, prepared=load, teller=_teller(wishes))
        if wishes.stop_after:
            left = left._replace(stop_after=max(left.stop_after - bool(result.errors) - sum(s.fell for s in result.scenarios), 1))
        yield result


def _loaded(chosen: SelectedScript, wishes: RunOptions, subjects: Subjects, prepared: Prepares | None) -> LoadedScript | None:
    """Return *chosen*, loaded; None if it has errors, which are reported when it runs."""
    try:
        return (prepared or load_script)(chosen, wishes, subjects)
    except Unreadable:
        return None


def _as_loaded(ready: LoadedScript) -> Prepares:
    return lambda chosen, wishes, subjects: ready


def _teller(wishes: RunOptions) -> Teller | None:
    """Return the function that makes stories, if they are wanted."""
    if not wishes.stories:
        return None
    from .story import story_of

    return story_of


def _until(result: ScriptResult, most: int) -> ScriptResult:
    """*result* up to its *most*-th scenario that has fallen."""
    fallen = 0
    for number, scenario in enumerate(result.scenarios, 1):
        fallen += scenario.fell
        if fallen == most:
            return result._replace(scenarios=result.scenarios[:number])
    return result


# in parts
def _tasks(chosen: list[SelectedScript], wishes: RunOptions, width: int) -> Iterator[Task]:
    """The work in tasks of about one size: a long script is several."""
    sizes = [_size(each) for each in chosen]
    share = max(sum(sizes) // (width * _PARTS_EACH), _LEAST_PART)
    for each, size in zip(chosen, sizes, strict=True):
        parts = 1 if each.lines or each.rows else min(max(round(size / share), 1), width * _PARTS_EACH)
        text = _known_text(each) if wishes.work.on and (parts == 1 or wishes.seed is None) else None
        for part in (ScenarioRange(number, parts) for number in range(parts)):
            yield Task(each, part, text if text is None or parts == 1 else part_of_text(text, part))


def _size(chosen: SelectedScript) -> int:
    """Return the size of a script with its tables in bytes; 0 if it cannot be read."""
    try:
        if not os.path.isfile(chosen.file):
            return 0
        size = os.path.getsize(chosen.file)
        text = Path(chosen.file).read_text("utf-8", "replace") if size < 10_000_000 else ""
        tables = (os.path.join(os.path.dirname(chosen.file), name) for name in set(_TABLE.findall(text)))
        return size + sum(os.path.getsize(table) for table in tables if os.path.isfile(table))
    except (OSError, ValueError):
        return 0


def _known_text(chosen: SelectedScript) -> str | None:
    """Return the text of *chosen*; None if it cannot be read, which is reported later."""
    try:
        return _text(chosen)
    except Unreadable:
        return None


def _in_parts(tasks: list[Task], wishes: RunOptions, those: Workers) -> Iterator[ScriptResult]:
    """Run *tasks* and yield results in order, with the parts of a script joined."""
    whole: ScriptResult | None = None
    died = _died if wishes.work.on else partial(_died_here, wishes)
    try:
        # The results come first, so that an interruption after the last of them is raised here.
        for result, task in zip(those.results(partial(_alone, wishes), tasks, died), tasks, strict=False):
            late: KeyboardInterrupt | None = None
            if result.stopped and not those.interrupted:  # told to stop, though this run was not: or its turn comes just now
                try:
                    sleep(_OWN_SIGNAL)
                    result = died(task, WorkerCrash("its process was stopped"))
                except KeyboardInterrupt as fault:
                    late = fault
            whole = result if whole is None else _joined(whole, result)
            if task.part.number == task.part.parts - 1:
                yield whole
                whole = None
            if late is not None:
                raise late
    except KeyboardInterrupt:
        if whole is not None:
            yield whole
        raise
    if whole is not None:
        yield whole


def _joined(before: ScriptResult, after: ScriptResult) -> ScriptResult:
    """Join two parts of a script. If the script has errors, none of it counts as run."""
    errors, fault = before.errors or after.errors, before.fault or after.fault
    scenarios = (*before.scenarios, *after.scenarios) if not errors or fault else ()
    return before._replace(
        scenarios=scenarios, errors=errors, fault=fault, seconds=before.seconds + after.seconds,
        left_out=0 if errors else before.left_out + after.left_out, warnings=tuple(dict.fromkeys((*before.warnings, *after.warnings))),
    )  # fmt: skip


def _died(task: Task, lost: WorkerCrash) -> ScriptResult:
    file = task.chosen.file
    cause, remedy = f"this script could not run: {lost.cause}", f"run it alone: idlefox run {file}"
    problem = Problem(Place(file, 1, 1), cause, remedy, code=CALL)
    return ScriptResult(file, (), (problem,), fault=f"{file}: {lost.cause}" if lost.fault else "")


def _died_here(wishes: RunOptions, task: Task, lost: WorkerCrash) -> ScriptResult:
    """Run a task that has ended two processes again, to find the scenario that did it."""
    from .apart import play_apart

    return play_apart(task.chosen, wishes, prepared=partial(_load_part, task), teller=_teller(wishes))


# of one task
def _alone(wishes: RunOptions, task: Task) -> ScriptResult:
    make = partial(Subjects, trust=wishes.trust, outside=wishes.outside, served=wishes.served)
    subjects = per_process_cache("subjects", wishes, make)
    return play_script(task.chosen, wishes, subjects, prepared=partial(_load_part, task), teller=_teller(wishes))


def _load_part(task: Task, chosen: SelectedScript, wishes: RunOptions, subjects: Subjects) -> LoadedScript:
    """Load a *task*, a part of *chosen*, reading only that part if possible. Errors of the whole script are reported."""
    part = task.part
    if part.parts == 1:
        return load_script(chosen if task.text is None else chosen._replace(text=task.text), wishes, subjects)
    try:
        text = task.text
        if text is None and wishes.seed is None:
            text = part_of_text(_text(chosen), part)
        if text is not None:
            return load_script(chosen._replace(text=text), wishes, subjects)
        return load_script(chosen, wishes, subjects, part, per_process_cache("script", chosen, lambda: parse_script(chosen)))
    except Unreadable:
        load_script(chosen, wishes, subjects)
        raise


def _text(chosen: SelectedScript) -> str:
    return read_text(chosen.file) if chosen.text is None else chosen.text
