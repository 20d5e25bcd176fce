"""Processes of this machine as those who do the work of a run or a study."""

from __future__ import annotations

import os
import signal
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from itertools import islice
from typing import TYPE_CHECKING, Any, TypeVar

from . import collector
from .work import AHEAD, Died, TaskStopped, WorkerCrash, forget, run_task, stop_task

if TYPE_CHECKING:
    from concurrent.futures import Future, ProcessPoolExecutor
    from multiprocessing.process import BaseProcess

T = TypeVar("T")
R = TypeVar("R")
STOP: signal.Signals | None = getattr(signal, "SIGUSR1", None)
_GRACE = 5.0  # seconds for workers to return what they have
_DIED_TWICE = WorkerCrash("its process died twice")


class LocalExecutor:
    """Runs tasks in this process or, with more *width*, in that many others. If a process dies, its task is repeated."""

    def __init__(self, width: int) -> None:
        self.width = width
        self.interrupted = False

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
                except (BrokenProcessPool, TaskStopped) as ended:
                    # The task that crashed is unknown (or one worker alone was stopped): run the first alone, and the others again.
                    if isinstance(ended, BrokenProcessPool):
                        _kill(pool)
                    pool.shutdown(wait=False)
                    result, pool = _by_itself(do, task, died), _pool(self.width)
                    flight.popleft()
                    flight = deque((t, f if _is_whole(f) else _handed(pool, do, t)) for t, f in flight)
                else:
                    flight.popleft()
                yield result
        except KeyboardInterrupt:
            self.interrupted = True
            yield from _stopped(pool, flight)
            _kill(pool)
            raise
        except GeneratorExit:
            _kill(pool)
            raise
        finally:
            if getattr(pool, "_broken", False):
                _kill(pool)
            pool.shutdown(wait=False, cancel_futures=True)


def _pool(width: int) -> ProcessPoolExecutor:
    from concurrent.futures import ProcessPoolExecutor

    return ProcessPoolExecutor(width, initializer=begin_worker)


def _handed(pool: ProcessPoolExecutor, do: Callable[[T], R], task: T) -> Future[R]:
    from concurrent.futures import Future
    from concurrent.futures.process import BrokenProcessPool

    try:
        return pool.submit(run_task, do, task)
    except BrokenProcessPool as fault:
        broken: Future[R] = Future()
        broken.set_exception(fault)
        return broken


def _is_whole(future: Future[Any]) -> bool:
    """Return whether every requested result has arrived, whatever happened to the pool since."""
    from concurrent.futures.process import BrokenProcessPool

    return future.done() and not isinstance(future.exception(), BrokenProcessPool | TaskStopped)


def _by_itself(do: Callable[[T], R], task: T, died: Died[T, R]) -> R:
    from concurrent.futures.process import BrokenProcessPool

    with _pool(1) as alone:
        try:
            return alone.submit(run_task, do, task).result()
        except (BrokenProcessPool, TaskStopped):
            return died(task, _DIED_TWICE)


def _stopped(pool: ProcessPoolExecutor, flight: deque[tuple[T, Future[R]]]) -> Iterator[R]:
    """Tell the workers to stop; yield the results of the tasks in *flight*, in order, up to the first without one."""
    from concurrent.futures import CancelledError
    from concurrent.futures.process import BrokenProcessPool
    from time import monotonic

    for _, future in flight:
        future.cancel()
    for process in _workers_of(pool):
        if STOP is not None and process.pid is not None and process.exitcode is None:
            os.kill(process.pid, STOP)
    end = monotonic() + (_GRACE if STOP is not None else 0)
    for _, future in flight:
        try:
            yield future.result(max(end - monotonic(), 0))
        except (TimeoutError, CancelledError, BrokenProcessPool, TaskStopped):
            return


def _kill(pool: ProcessPoolExecutor) -> None:
    """Kill the workers of *pool*. Workers note SIGTERM, which a broken pool sends and then waits for, and do not end."""
    for process in _workers_of(pool):
        process.kill()


def _workers_of(pool: ProcessPoolExecutor) -> list[BaseProcess]:
    """Return the processes of *pool*, and no others: a library's host may have its own."""
    return list((getattr(pool, "_processes", None) or {}).values())


def begin_worker() -> None:
    """Prepare a process that works for another one.

    An interrupt is for the one who waits for the results; `STOP` ends the task at hand with what it has, and so does SIGTERM,
    which can be sent to all processes of a run at once. The process ends when the other one is gone, however that ended.
    """
    import threading

    collector.own_process()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    stops = {each for each in (signal.SIGTERM, STOP) if each is not None}
    for each in stops:
        signal.signal(each, lambda *_: stop_task())
    # The thread inherits the mask: a signal that it received would not wake a rule that sleeps.
    mask: Callable[..., Any] = getattr(signal, "pthread_sigmask", lambda *_: None)
    mask(signal.SIG_BLOCK, stops)
    threading.Thread(target=_end_with_parent, daemon=True).start()
    mask(signal.SIG_UNBLOCK, stops)


def _end_with_parent() -> None:
    import multiprocessing
    from multiprocessing.connection import wait

    parent = multiprocessing.parent_process()
    if parent is not None:
        wait([parent.sentinel])
        os._exit(1)
