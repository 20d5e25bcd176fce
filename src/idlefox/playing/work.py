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
    """Those who work; *width* of them at once. *interrupted*: they stop and return the results so far."""

    width: int
    interrupted: bool

    def results(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        """Return the results of *do* for each of *tasks*, in order. Exceptions of *do* are raised."""
        ...


class TaskStopped(KeyboardInterrupt):
    """The task is to end with what it has: the run was interrupted. Whatever lets an interrupt through lets this through."""


class _Worker:
    """The state of this process as a worker."""

    in_task = False
    stopped = False


def run_task(do: Callable[[T], R], task: T) -> R:
    """Return *do* of *task* in a worker. Raises TaskStopped if the worker has been stopped."""
    if _Worker.stopped:
        raise TaskStopped
    _Worker.in_task = True
    try:
        return do(task)
    finally:
        _Worker.in_task = False


def stop_task() -> None:
    """Stop this worker: the task at hand ends with what it has, and no other begins. Raises TaskStopped."""
    if _Worker.in_task and not _Worker.stopped:
        _Worker.stopped = True
        raise TaskStopped
    _Worker.stopped = True


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
