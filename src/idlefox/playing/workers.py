"""Chooses who runs the tasks of a run or study: this process, several, or a cluster. Results always come in order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import partial
from itertools import islice
from typing import TYPE_CHECKING, TypeVar

from .processes import LocalExecutor
from .work import Died, ExecutionOptions, Workers

if TYPE_CHECKING:
    from .checkpoint import Checkpoint

T = TypeVar("T")
R = TypeVar("R")


@contextmanager
def workers(work: ExecutionOptions) -> Iterator[Workers]:
    """Those whom *work* means. Raises Unreadable where a cluster cannot be reached."""
    if not work.on:
        yield LocalExecutor(work.jobs)
        return
    from .cluster import joined

    with joined(work.on) as cluster:
        yield cluster


def map_tasks(
    do: Callable[[T], R], tasks: Iterable[T], work: ExecutionOptions, died: Died[list[T], list[R]], *, each: int = 8,
    here: Callable[[T], R] | None = None,
) -> Iterator[R]:  # fmt: skip
    """Apply *do* to each of *tasks* on the executor that *work* selects; yield results in order.

    *here* does the same in this process. Tasks with a result in the checkpoint are not repeated. Raises Unreadable if the
    workers cannot be reached.
    """
    notes = _notes(work.notes) if work.notes else None
    known = notes.found() if notes is not None else []
    yield from known
    left = islice(tasks, len(known), None)
    size = 1 if work.is_here else each
    batches = iter(lambda: list(islice(left, size)), [])
    with workers(work) as those:
        for some in those.results(partial(_every, here if work.is_here and here is not None else do), batches, died):
            if notes is not None:
                notes.add(some)
            yield from some
    if notes is not None:
        notes.over()


def _notes(file: str) -> Checkpoint:
    from .checkpoint import Checkpoint  # a run makes none, and is to start at once

    return Checkpoint(file)


def _every(do: Callable[[T], R], tasks: list[T]) -> list[R]:
    return [do(task) for task in tasks]
