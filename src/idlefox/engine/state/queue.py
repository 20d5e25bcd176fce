"""What is to come, in order of time, then of scheduling. Knows no form."""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappop, heappush
from typing import Any


class EndlessChain(Exception):
    """A change that never comes to rest."""


# Events may schedule events for the same instant; a chain so long keeps itself alive.
_LONGEST_CHAIN = 10_000


class Event:
    """Something due at *time*. *waited* tells whether `settle` waits for it, *what* names it (with *cell*) for messages."""

    __slots__ = ("act", "cell", "done", "links", "time", "waited", "what")

    def __init__(self, time: int, act: Callable[[], None], what: str, cell: Any, waited: bool, links: int) -> None:
        self.time = time
        self.act = act
        self.what = what
        self.cell = cell
        self.waited = waited
        self.links = links
        self.done = False


class Queue:
    """What is to come. *under_way* counts the events that `settle` waits for."""

    def __init__(self) -> None:
        self.heap: list[tuple[int, int, Event]] = []
        self.order = 0
        self.under_way = 0
        self._links = 0
        self._instant = -1

    def at(self, time: int, act: Callable[[], None], what: str, cell: Any = None, *, waited: bool = True) -> Event:
        """Schedules *act* for *time*; of two at the same time the one scheduled first comes first."""
        links = self._links + 1 if time == self._instant else 0
        event = Event(time, act, what, cell, waited, links)
        self.order += 1
        heappush(self.heap, (time, self.order, event))
        self.under_way += waited
        return event

    def cancel(self, event: Event | None) -> None:
        """Takes *event* back, if it has not happened yet."""
        if event is not None and not event.done:
            event.done = True
            self.under_way -= event.waited

    def next_time(self) -> int | None:
        """When the next event is due, or None."""
        while self.heap and self.heap[0][2].done:
            heappop(self.heap)
        return self.heap[0][0] if self.heap else None

    def waiting_for(self) -> list[str]:
        """What is under way, in order."""
        events = [e for _, _, e in sorted(self.heap, key=lambda item: item[:2]) if e.waited and not e.done]
        return [f"{e.what} of {e.cell.address()}" if e.cell is not None else e.what for e in events]

    def happen(self) -> None:
        """Lets the next event happen. Raises EndlessChain where events keep each other alive at one instant."""
        _, _, event = heappop(self.heap)
        if event.done:
            return
        if event.links > _LONGEST_CHAIN:
            raise EndlessChain(f"{event.what} keeps itself alive: {_LONGEST_CHAIN} times at one instant")
        event.done = True
        self.under_way -= event.waited
        self._links, self._instant = event.links, event.time
        try:
            event.act()
        finally:
            self._links, self._instant = 0, -1
