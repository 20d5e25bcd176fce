"""Processes of this machine as those who do the work of a run or a study."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from itertools import islice
from typing import TYPE_CHECKING, Any, TypeVar

from .work import AHEAD, Died, WorkerCrash, forget

if TYPE_CHECKING:
    from concurrent.futures import Future, ProcessPoolExecutor

T = TypeVar("T")
R = TypeVar("R")
_DIED_TWICE = WorkerCrash("its process died twice")


class LocalExecutor:
    """Runs tasks in this process or, with more *width*, in that many others. If a process dies, its task is repeated."""

    def __init__(self, width: int) -> None:
        self.width = width

    def results(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        """Return the results of *do* for each of *tasks*, in order."""
        if self.width > 1:
            yield from self._in_processes(do, tasks, died)
            return
        forget()
        try:
            yield from map(do, tasks)
        finally:
            forget()

    def _in_processes(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        from concurrent.futures.process import BrokenProcessPool

        left, pool = iter(tasks), _pool(self.width)
        flight: deque[tuple[T, Future[R]]] = deque()
        try:
            while True:
                flight.extend((task, _handed(pool, do, task)) for task in islice(left, self.width * AHEAD - len(flight)))
                if not flight:
                    return
                task, future = flight[0]
                try:
                    result = future.result()
                except BrokenProcessPool:
                    # The task that crashed is unknown: run the first alone, and the others again.
                    pool.shutdown(wait=False)
                    result, pool = _by_itself(do, task, died), _pool(self.width)
                    flight = deque((t, f if _is_whole(f) else _handed(pool, do, t)) for t, f in flight)
                flight.popleft()
                yield result
        except (KeyboardInterrupt, GeneratorExit):
            # Do not wait for running tasks: the results so far are all.
            _end_processes()
            raise
        finally:
            pool.shutdown(wait=False, cancel_futures=True)


def _pool(width: int) -> ProcessPoolExecutor:
    from concurrent.futures import ProcessPoolExecutor

    return ProcessPoolExecutor(width, initializer=_ignore_interrupts)


def _handed(pool: ProcessPoolExecutor, do: Callable[[T], R], task: T) -> Future[R]:
    from concurrent.futures import Future
    from concurrent.futures.process import BrokenProcessPool

    try:
        return pool.submit(do, task)
    except BrokenProcessPool as fault:
        broken: Future[R] = Future()
        broken.set_exception(fault)
        return broken


def _is_whole(future: Future[Any]) -> bool:
    """Return whether every requested result has arrived, whatever happened to the pool since."""
    from concurrent.futures.process import BrokenProcessPool

    return future.done() and not isinstance(future.exception(), BrokenProcessPool)


def _by_itself(do: Callable[[T], R], task: T, died: Died[T, R]) -> R:
    from concurrent.futures.process import BrokenProcessPool

    with _pool(1) as alone:
        try:
            return alone.submit(do, task).result()
        except BrokenProcessPool:
            return died(task, _DIED_TWICE)


def _end_processes() -> None:
    import multiprocessing

    for process in multiprocessing.active_children():
        process.terminate()


def _ignore_interrupts() -> None:
    """An interrupt is for the one who waits for the results, not for those who work."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
