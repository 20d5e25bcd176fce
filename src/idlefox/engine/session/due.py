"""Time passes: due events happen in order of time, then of scheduling."""

from __future__ import annotations

from collections.abc import Callable

from ..acts.arrival import arrive as reply_arrives
from ..acts.attempt import decide_waiting, show_notice
from ..judge.lists import propagate
from ..state.form_state import FormState
from ..state.queue import Event
from ..world import lookups
from ..world.clock import DAY, move


def _lookup_answers(live: FormState, event: Event) -> None:
    lookups.arrive(live, event)
    decide_waiting(live)


def _notice_ends(live: FormState, event: Event) -> None:
    show_notice(live, None)


_HAPPENS: dict[str, Callable[[FormState, Event], None]] = {
    "debounce": lookups.debounced, "lookup": _lookup_answers, "reply": reply_arrives, "notice": _notice_ends,
}  # fmt: skip


def advance(live: FormState, to: int, *, until: Callable[[], bool] | None = None) -> bool:
    """Let time pass up to *to*, all that is due then included; stops early once *until* holds.

    Returns whether *until* held (True without one). Raises EndlessChain where events keep each other alive.
    """
    queue = live.queue
    if until is not None and until():
        return True
    while (stop := next_stop(live, to)) is not None:
        move(live, stop)
        if queue.next_time() == stop:
            _happen(live)
        if live.heap or live.followers:
            propagate(live)
        if until is not None and until():
            return True
    move(live, to)
    return until is None or until()


def next_stop(live: FormState, to: int) -> int | None:
    """Return the next instant up to *to* at which something is due, or the next midnight if the form reads the date."""
    due = live.queue.next_time()
    if any(kind == "today" for kind, _ in live.plan.clock_watch):
        midnight = live.now - live.now % DAY + DAY
        due = midnight if due is None else min(due, midnight)
    return due if due is not None and due <= to else None


def _happen(live: FormState) -> None:
    event = live.queue.take()
    if event is None:
        return
    try:
        _HAPPENS[event.kind](live, event)
    finally:
        live.queue.rest()


def catch_up(live: FormState) -> None:
    """Run everything that is due at this instant."""
    if live.queue.heap:
        advance(live, live.now)
