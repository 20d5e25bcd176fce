"""Lets the page's timers run while a step is not possible yet, as a person waits for a fade or a spinner to end."""

from __future__ import annotations

import asyncio
from typing import Any, Protocol

_MOST_SEARCHES = 50  # in one step: one for each of the values that are chosen
_SETTLED = 20  # ms of timers that belong to the opening and closing of a dialog
_SEARCH = 60_000  # ms that a choice's lookups may take
STEP_WAIT = 1_000  # ms that a step lets the page's timers run before it is refused
_MAY_COME = frozenset({"hidden", "covered", "disabled", "missing", "not opened", "no option", "no open button"})


class TimedPage(Protocol):
    """A page that moves its own time."""

    now: int
    virtual: bool
    state: dict[str, Any]
    waited: int

    async def advance(self, target: int) -> None:
        """Let time go on to *target*."""

    def under_way(self) -> list[str]:
        """Return what is pending."""

    def next_moment(self) -> int | None:
        """Return when something is due next; None if nothing is."""


class StepPatience:
    """Lets the page's timers run while a step is not possible yet, as a person waits for a fade or a spinner to end."""

    def __init__(self, page: TimedPage) -> None:
        self.page = page
        self._step = -1
        self._since = 0
        self._real = 0.0
        self._searches = 0

    async def waits(self, step: int, refused: dict[str, Any]) -> bool:
        """Return whether time has gone on, so that *step* may be tried again: to a timer that was due within a second."""
        page = self.page
        if step != self._step:
            self._step, self._since, self._real = step, page.now, 0.0
        if refused["kind"] == "searching":
            self._searches += 1
            return self._searches <= _MOST_SEARCHES and await self._searched()
        if refused["kind"] not in _MAY_COME:
            return False
        if not page.virtual:
            self._real += 0.05
            await asyncio.sleep(0.05)
            await page.advance(0)
            return self._real * 1000 <= STEP_WAIT and bool(page.state.get("timers"))
        due = page.state.get("next")
        if due is None or due - self._since > STEP_WAIT:
            return False
        await page.advance(max(due, page.now))
        page.waited += max(0, page.now - self._since)
        return True

    async def until_open(self) -> None:
        """Let a dialog come or go: timers of a few milliseconds stand for the transition, which ends at once."""
        page, end = self.page, self.page.now + _SETTLED
        while page.virtual and (due := page.state.get("next")) is not None and due <= end:
            await page.advance(max(due, page.now))

    async def _searched(self) -> bool:
        """Let the lookups of a choice that was typed in finish."""
        page = self.page
        if not page.virtual:
            await asyncio.sleep(0.3)
            await page.advance(0)
        end = page.now + _SEARCH
        while page.virtual and page.under_way() and (moment := page.next_moment()) is not None and moment <= end:
            await page.advance(max(moment, page.now))
        return True
