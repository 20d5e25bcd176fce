"""The scripts that a study is about, by the form they are about; and what another process needs to read them again."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NoReturn

from ..playing.player import Ready, Wishes, prepare
from ..playing.select import Chosen
from ..playing.subjects import Loaded, Subjects
from ..playing.work import Lost, kept
from ..problems import CALL, Place, Problem, Unreadable
from ..records import NamedTuple


class Suite(NamedTuple):
    """Scripts about one form."""

    chosen: tuple[Chosen, ...]
    wishes: Wishes

    def read(self) -> tuple[Ready, ...]:
        """The scripts, read. Raises Unreadable."""
        subjects = Subjects(trust=self.wishes.trust)
        return tuple(prepare(each, self.wishes, subjects) for each in self.chosen)

    def in_process(self) -> tuple[Ready, ...]:
        """The same, for a process that has one task of the study after the other. Raises Unreadable."""
        return kept("suite", self, self.read)


class About(NamedTuple):
    """A form, and the scripts about it, as a suite and read."""

    loaded: Loaded
    suite: Suite
    ready: tuple[Ready, ...]


def about_forms(chosen: Iterable[Chosen], wishes: Wishes) -> tuple[list[About], list[Problem]]:
    """The forms that the scripts of *chosen* are about, and what could not be read."""
    subjects = Subjects(trust=wishes.trust)
    found: dict[str, tuple[Loaded, list[Chosen], list[Ready]]] = {}
    problems: list[Problem] = []
    for each in chosen:
        try:
            ready = prepare(each, wishes, subjects)
        except Unreadable as fault:
            problems += fault.problems
            continue
        if ready.loaded is not None:
            _, scripts, those = found.setdefault(ready.loaded.form.file, (ready.loaded, [], []))
            scripts.append(each)
            those.append(ready)
    return [About(loaded, Suite(tuple(scripts), wishes), tuple(those)) for loaded, scripts, those in found.values()], problems


def unfinished(_: Any, lost: Lost) -> NoReturn:
    """What comes of a task of a study that nobody could end: the study has no result. Raises Unreadable."""
    remedy = "try again; --jobs 1 uses a single process"
    raise Unreadable([Problem(Place("idlefox", 1, 1), f"a part of this study failed: {lost.cause}", remedy, code=CALL)])
