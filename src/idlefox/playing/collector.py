"""Controls Python's cyclic garbage collector.

A script's steps are created at once and by the hundred thousand, without cycles among them: a collection during that time only
costs, and later ones would traverse all of them again. With 2,000 scenarios in one file that is a sixth of the run (`python
benchmarks/suite.py`).
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager

SELDOM = (100_000, 20, 20)  # as `commands/main.py` has it before it loads anything
_LARGE = 50_000  # characters of a text
_MANY = 2_000  # steps: of fewer it is not worth a pass
_OWN: list[bool] = []  # whether the process is Idle Fox's own, and its heap with it


def own_process() -> None:
    """Say that this process is Idle Fox's own. A library must not freeze the heap of another program."""
    _OWN.append(True)


@contextmanager
def at_rest(size: int = 0) -> Iterator[None]:
    """The collector does nothing until this ends. What is garbage before a text of much *size* is read goes now, while little is there."""
    was = gc.isenabled()
    if was and size >= _LARGE:
        gc.collect(1)
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def keep(steps: int, size: int) -> None:
    """After *steps* steps of a text of that *size* in characters, exclude what exists from garbage collection.

    Garbage is collected first; otherwise it would stay. In a process that is not Idle Fox's own, nothing is done.
    """
    if _OWN and steps >= _MANY and gc.isenabled():
        if size < _LARGE:
            gc.collect(1)
        gc.freeze()


@contextmanager
def seldom() -> Iterator[None]:
    """Make the collector run as seldom as in a run of the command line, inside another program's process."""
    was = gc.get_threshold()
    gc.set_threshold(*SELDOM)
    try:
        yield
    finally:
        gc.set_threshold(*was)

