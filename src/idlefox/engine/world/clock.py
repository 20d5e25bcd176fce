"""The virtual clock: one queue of what is to come, in order of time, then of scheduling. Nothing sleeps."""

from __future__ import annotations

from collections.abc import Callable

from ..judge.spread import clock_moved, drain
from ..state.live import Live


def advance(live: Live, to: int, *, until: Callable[[], bool] | None = None) -> bool:
    """Lets time pass up to *to*, all that is due then included; stops early once *until* holds.

    Returns whether *until* held (True without one).
    """
    queue = live.queue
    if until is not None and until():
        return True
    while True:
        due = queue.next_time()
        if due is None or due > to:
            break
        _move(live, due)
        queue.happen()
        if live.heap or live.followers:
            drain(live)
        if until is not None and until():
            return True
    _move(live, to)
    return until is None or until()


def catch_up(live: Live) -> None:
    """Lets happen what is due at this very instant."""
    if live.queue.heap:
        advance(live, live.now)


def _move(live: Live, to: int) -> None:
    before = live.now
    if to > before:
        live.now = to
        if live.plan.clock_watch:
            clock_moved(live, before)
