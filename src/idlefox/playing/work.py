"""Tasks: their executors, their results, and what a process caches between them.

A task is plain data that can be sent to any process, together with a function. Data that a process needs again is in
`per_process_cache`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Protocol, TypeVar

from ..records import NamedTuple

T = TypeVar("T")
R = TypeVar("R")


class WorkerCrash(NamedTuple):
    """A task was abandoned. *fault*: its process died, which may be a fault of Idle Fox."""

    cause: str
    fault: bool = True


Died = Callable[[T, WorkerCrash], R]  # the result of a task that crashed every worker; it may raise
AHEAD = 3  # tasks handed out per worker: enough to keep each busy, few enough to report results soon


class ExecutionOptions(NamedTuple):
    """How tasks run: in that many *jobs* here, or *on* the workers of the scheduler at an address. *notes*: the checkpoint file."""

    jobs: int = 1
    on: str = ""
    notes: str = ""

    @property
    def is_here(self) -> bool:
        """Return whether it is done in this very process."""
        return self.jobs == 1 and not self.on


HERE = ExecutionOptions()


class Workers(Protocol):
    """Those who work; *width* of them at once."""

    width: int

    def results(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        """Return the results of *do* for each of *tasks*, in order. Exceptions of *do* are raised."""
        ...


_KEPT: dict[str, tuple[Any, Any]] = {}


def per_process_cache(what: str, key: Any, make: Callable[[], T]) -> T:
    """Return *make* of *key*, cached for the last key of *what* in this process."""
    known = _KEPT.get(what)
    if known is None or known[0] != key:
        known = _KEPT[what] = (key, make())
    found: T = known[1]
    return found


def forget() -> None:
    """Clear the cache: another run starts."""
    _KEPT.clear()
