"""The scripts that a study is about, by the form they are about; and what another process needs to read them again."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NoReturn

from ..playing.player import LoadedScript, RunOptions, load_script
from ..playing.select import SelectedScript
from ..playing.subjects import Loaded, Subjects
from ..playing.work import WorkerCrash, per_process_cache
from ..problems import CALL, Place, Problem, Unreadable
from ..records import NamedTuple


class Suite(NamedTuple):
    """Scripts about one form."""

    chosen: tuple[SelectedScript, ...]
    wishes: RunOptions

    def read(self) -> tuple[LoadedScript, ...]:
        """The scripts, read. Raises Unreadable."""
        subjects = Subjects(trust=self.wishes.trust)
        return tuple(load_script(each, self.wishes, subjects) for each in self.chosen)

    def in_process(self) -> tuple[LoadedScript, ...]:
        """Load the suite in a process that runs one task of the study after the other. Raises Unreadable."""
        return per_process_cache("suite", self, self.read)


class FormScripts(NamedTuple):
    """A form, and the scripts about it, as a suite and read."""

    loaded: Loaded
    suite: Suite
    ready: tuple[LoadedScript, ...]


def about_forms(chosen: Iterable[SelectedScript], wishes: RunOptions) -> tuple[list[FormScripts], list[Problem]]:
    """Return the forms that the scripts of *chosen* are about, and the problems."""
    subjects = Subjects(trust=wishes.trust)
    found: dict[str, tuple[Loaded, list[SelectedScript], list[LoadedScript]]] = {}
    problems: list[Problem] = []
    for each in chosen:
        try:
            ready = load_script(each, wishes, subjects)
        except Unreadable as fault:
            problems += fault.problems
            continue
        if ready.loaded is not None:
            _, scripts, those = found.setdefault(ready.loaded.form.file, (ready.loaded, [], []))
            scripts.append(each)
            those.append(ready)
    return [FormScripts(loaded, Suite(tuple(scripts), wishes), tuple(those)) for loaded, scripts, those in found.values()], problems


def unfinished(_: Any, lost: WorkerCrash) -> NoReturn:
    """Raise Unreadable for a task that was abandoned: the study has no result."""
    remedy = "try again; --jobs 1 uses a single process"
    raise Unreadable([Problem(Place("idlefox", 1, 1), f"a part of this study failed: {lost.cause}", remedy, code=CALL)])
