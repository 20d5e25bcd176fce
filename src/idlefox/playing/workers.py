"""Who does the work of a run or a study: this process, several, or the workers of a cluster. Whoever does it, results come in its order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from functools import partial
from itertools import islice
from typing import TypeVar

from .processes import Here
from .work import Died, Work, Workers

T = TypeVar("T")
R = TypeVar("R")


@contextmanager
def workers(work: Work) -> Iterator[Workers]:
    """Those whom *work* means. Raises Unreadable where a cluster cannot be reached."""
    if not work.on:
        yield Here(work.jobs)
        return
    from .cluster import joined

    with joined(work.on) as cluster:
        yield cluster


def done(do: Callable[[T], R], tasks: Iterable[T], work: Work, died: Died[list[T], list[R]], each: int = 8) -> Iterator[R]:
    """What *do* makes of each of *tasks*, in their order, by whom *work* means; so many are handed out at a time.

    Raises Unreadable where they cannot be reached.
    """
    left = iter(tasks)
    batches = iter(lambda: list(islice(left, each)), [])
    with workers(work) as those:
        for some in those.results(partial(_every, do), batches, died):
            yield from some


def _every(do: Callable[[T], R], tasks: list[T]) -> list[R]:
    return [do(task) for task in tasks]
