"""Work in tasks: who does it, what comes of it, and what is kept from one task to the next.

A task is plain data that any process can be handed with the function that does one. What a process makes to do its tasks, and needs
again for the next, it keeps with `kept`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Protocol, TypeVar

from ..records import NamedTuple

T = TypeVar("T")
R = TypeVar("R")


class WorkerCrash(NamedTuple):
    """Why nobody could end a task. *fault*: whoever was at it has died of it, which may well be a fault of ours."""

    cause: str
    fault: bool = True


Died = Callable[[T, WorkerCrash], R]  # what comes of a task that nobody could end; it may raise
AHEAD = 3  # so many tasks for each worker are handed out: enough that none waits, and what has come in is soon told


class ExecutionOptions(NamedTuple):
    """How much is done at once: in so many *jobs* here, or *on* the workers of the scheduler at an address. *notes*: the file in which
    is noted what is done, for the case that it is interrupted.
    """

    jobs: int = 1
    on: str = ""
    notes: str = ""

    @property
    def is_here(self) -> bool:
        """Whether it is done in this very process."""
        return self.jobs == 1 and not self.on


HERE = ExecutionOptions()


class Workers(Protocol):
    """Those who work; *width* of them at once."""

    width: int

    def results(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        """What *do* makes of each of *tasks*, in their order. What it raises is raised."""
        ...


_KEPT: dict[str, tuple[Any, Any]] = {}


def per_process_cache(what: str, key: Any, make: Callable[[], T]) -> T:
    """What *make* made of *key* in this process, if that was the last that was made under the name *what*; else it is made now."""
    known = _KEPT.get(what)
    if known is None or known[0] != key:
        known = _KEPT[what] = (key, make())
    found: T = known[1]
    return found


def forget() -> None:
    """Nothing is kept any more: another run begins."""
    _KEPT.clear()
