"""The virtual clock: it moves from one thing that is due to the next, and never back. Nothing sleeps."""

from __future__ import annotations

from ..judge.lists import propagate
from ..state.form_state import FormState

DAY = 86_400_000


def move(live: FormState, to: int) -> None:
    """Move the clock to *to* and judges what reads it: `now()` at every stop, `today()` when the day has changed."""
    before = live.now
    if to <= before:
        return
    live.now = to
    if not live.plan.clock_watch:
        return
    new_day = before // DAY != to // DAY
    for kind, watch in live.plan.clock_watch:
        if kind == "now" or new_day:
            form = live.roots_by_panel.get(watch.target.form.name)
            if form is not None:
                live.schedule(form, watch)
    propagate(live)
