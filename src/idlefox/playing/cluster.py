"""The workers of a Dask scheduler as executors of a run or study.

They share no folder with this machine: a worker requests the files that a task needs (`disk`), and the task starts again. If a
worker dies, the scheduler repeats its tasks.
"""

from __future__ import annotations

import logging
import os
import pickle
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from importlib.metadata import version
from itertools import chain, islice
from threading import Lock
from time import monotonic
from typing import TYPE_CHECKING, Any, TypeVar
from uuid import uuid4

from ..disk import FileNotSent, Question, RemoteFiles, answers, reading_elsewhere
from ..problems import CALL, Place, Problem, Unreadable
from ..records import NamedTuple
from . import collector
from .work import AHEAD, Died, WorkerCrash, forget

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

T = TypeVar("T")
R = TypeVar("R")
_REACHED = 5.0  # seconds in which a scheduler answers
_COMES = 10.0  # seconds to wait for a first worker
_GONE = 30.0  # seconds without any worker after which none is waited for
_US = "idle-fox"
_TALKING = ("distributed", "distributed.client", "distributed.core", "distributed.comm", "tornado.application")
_LOOK = 1.0  # seconds between two checks of the workers
_MORE = WorkerCrash("")


class _FileRequest(NamedTuple):
    """A worker needs the answer to a question about a file first."""

    question: Question


class _VersionMismatch(NamedTuple):
    """A worker has another version of Idle Fox."""

    version: str


@contextmanager
def joined(address: str) -> Iterator[Cluster]:
    """Connect to the scheduler at *address*. Raises Unreadable if there is none or it has no workers."""
    try:
        from distributed import Client
    except ImportError:
        raise _problem(address, "--on needs further packages", "pip install 'idle-fox[cluster]'") from None
    with _in_quiet():
        try:
            client: Any = Client(address, timeout=_REACHED, set_as_default=False, name="idlefox")  # type: ignore[no-untyped-call]
        except (OSError, ValueError, TypeError):
            remedy = "start one with `dask scheduler` and use the address it prints, for example tcp://127.0.0.1:8786 (docs/scale.md)"
            raise _problem(address, "no scheduler answers there", remedy) from None
        try:
            yield Cluster(client, address)
        finally:
            client.close(timeout=5)


@contextmanager
def _in_quiet() -> Iterator[None]:
    """Silence the client's log about workers that come and go."""
    loggers = [logging.getLogger(name) for name in _TALKING]
    levels = [logger.level for logger in loggers]
    for logger in loggers:
        logger.setLevel(logging.CRITICAL + 1)
    try:
        yield
    finally:
        for logger, level in zip(loggers, levels, strict=True):
            logger.setLevel(level)


class Cluster:
    """The workers of the scheduler that *client* is connected to; *width* of them."""

    def __init__(self, client: Any, address: str) -> None:
        self.client, self.address = client, address
        until = monotonic() + _COMES
        while not self._count() and monotonic() < until:
            try:
                client.wait_for_workers(1, timeout=_LOOK)
            except TimeoutError:
                continue
        self.width = self._count()
        self.interrupted = False
        if not self.width:
            remedy = f"start one where Idle Fox is installed: dask worker {address} (docs/scale.md)"
            raise _problem(address, "this scheduler has no workers", remedy)

    def _count(self) -> int:
        try:
            return len(self.client.nthreads())
        except OSError:
            return 0  # no answer: the client soon knows whether the connection is lost

    def results(self, do: Callable[[T], R], tasks: Iterable[T], died: Died[T, R]) -> Iterator[R]:
        """Return the results of *do* for each of *tasks*, in order. Raises Unreadable if no worker can do a task."""
        hands = _Dispatcher(self.client.get_executor(pure=False), do)
        left = iter(tasks)
        flight: deque[_InFlight] = deque()
        try:
            while True:
                for task in islice(left, self.width * (AHEAD if hands.knows else 1) - len(flight)):
                    flight.append(hands.out(task, {}))
                if not flight:
                    return
                lost = self._waited(flight, hands)
                if lost is _MORE:
                    continue
                if lost is not None:
                    yield from (died(task, lost) for task in chain([flying.task for flying in flight], left))
                    return
                yield self._result(flight.popleft(), died)
        finally:
            for flying in flight:  # no one waits for these
                flying.future.cancel()

    def _waited(self, flight: deque[_InFlight], hands: _Dispatcher) -> WorkerCrash | None:
        """Wait for the first of *flight*, answering file requests; return why it will never finish, None if it has. _MORE if more
        should be sent first.
        """
        from concurrent.futures import FIRST_COMPLETED, wait

        seen = began = monotonic()
        while True:
            for number, flying in enumerate(flight):
                asked = _asked(flying.future)
                if asked is not None:
                    flight[number] = hands.again(flying, asked)
            if not hands.knows and (monotonic() - began >= _LOOK or all(flying.known or flying.future.done() for flying in flight)):
                hands.knows = True
                return _MORE
            first = flight[0].future
            if self.client.status != "running" or first.cancelled():
                return WorkerCrash(f"the scheduler at {self.address} is gone", fault=False)
            if first.done() and _asked(first) is None:  # it may have been done, and ask, just now
                return None
            playing = [flying.future for flying in flight if not flying.future.done()]
            if playing and not first.done():
                wait(playing, _LOOK, FIRST_COMPLETED)
            count = self._count()
            self.width = max(self.width, count)  # later workers count, too
            if count:
                seen = monotonic()
            elif monotonic() - seen > _GONE:
                return WorkerCrash(f"all workers of {self.address} are gone", fault=False)

    def _result(self, flying: _InFlight, died: Died[T, R]) -> R:
        from distributed import KilledWorker

        try:
            found = flying.future.result()
        except KilledWorker:
            return died(flying.task, WorkerCrash("every worker that tried it died"))
        except ImportError as fault:
            if (fault.name or "").partition(".")[0] != "idlefox":
                raise
            raise self._not_there("a worker") from None
        except RuntimeError as fault:
            if "deserialization" not in str(fault):
                raise
            raise self._not_there("the scheduler") from None
        if isinstance(found, _VersionMismatch):
            remedy = "install the same version on all of them"
            raise _problem(self.address, f"a worker has Idle Fox {found.version}, but this machine has {version(_US)}", remedy)
        result: R = pickle.loads(found)
        return result

    def _not_there(self, who: str) -> Unreadable:
        remedy = f"install it there: pip install 'idle-fox[cluster]=={version(_US)}'"
        return _problem(self.address, f"{who} has a different version of Idle Fox, or none", remedy)


class _InFlight(NamedTuple):
    """A submitted *task*; *known* is the file data sent with it."""

    task: Any
    future: Future[Any]
    known: dict[Question, Any]


class _Dispatcher:
    """Submits the tasks of one run with the file data they need."""

    def __init__(self, pool: Executor, do: Callable[[Any], Any]) -> None:
        self.pool, self.do = pool, do
        self.run, self.folder = uuid4().hex, os.getcwd()
        # Sent with every task: the folder, and files that were requested twice.
        places = (self.folder, os.path.join(self.folder, "."))
        self.answers: dict[Question, Any] = {("real", place): os.path.realpath(place) for place in places}
        self.once: set[Question] = set()
        self.knows = False  # most tasks need the same files, so hold back the others until the first has requested them

    def out(self, task: Any, known: dict[Question, Any]) -> _InFlight:
        files = RemoteFiles(self.folder, {**self.answers, **known})
        packed = pickle.dumps((self.do, task, files))  # the scheduler passes it on unchanged
        return _InFlight(task, self.pool.submit(_do_far, packed, self.run, version(_US)), known)

    def again(self, flying: _InFlight, asked: Question) -> _InFlight:
        """Submit the task again with the answer to *asked*."""
        told = {asked: self.answers[asked]} if asked in self.answers else answers(asked, self.folder)
        if asked in self.once:
            self.answers.update(told)
        self.once.add(asked)
        return self.out(flying.task, {**flying.known, **told})


def _asked(future: Future[Any]) -> Question | None:
    if not future.done() or future.cancelled() or future.exception() is not None:
        return None
    found = future.result()
    return found.question if isinstance(found, _FileRequest) else None


def _problem(address: str, cause: str, remedy: str) -> Unreadable:
    return Unreadable([Problem(Place(f"--on {address}", 1, 1), cause, remedy, code=CALL)])


# in a worker
_ONE_AT_A_TIME = Lock()  # a worker may have several threads
_RUN = [""]


def _do_far(packed: bytes, run: str, sender: str) -> bytes | _FileRequest | _VersionMismatch:
    """Run on a worker: *packed* contains the function, the task and the file data. It is part of *run*."""
    here = version(_US)
    if here != sender:
        return _VersionMismatch(here)
    with _ONE_AT_A_TIME:
        if [run] != _RUN:
            forget()
            _RUN[:] = [run]
        do, task, files = pickle.loads(packed)
        try:
            with collector.seldom(), reading_elsewhere(files):
                return pickle.dumps(do(task))
        except FileNotSent as missing:
            return _FileRequest(missing.question)
