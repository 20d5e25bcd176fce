"""The scheduler: future events in order of time, then of scheduling. It knows no form; events are data, not code."""

from __future__ import annotations

from heapq import heappop, heappush
from typing import Any

from ...forms.values.limits import NoEnd


class EndlessChain(NoEnd):
    """A change triggers itself without end."""


# Events may schedule events for the same instant; a chain so long keeps itself alive.
_LONGEST_CHAIN = 10_000


class Event:
    """An event due at *time*: the end of a debounce, an answer, the end of a notice (*kind*).

    *waited*: `settle` waits for it. *what* names it (with *cell*) in messages. *question* and *data* are for the handler
    (`session.due`).
    """

    __slots__ = ("cell", "data", "done", "kind", "links", "question", "time", "waited", "what")

    def __init__(self, time: int, kind: str, what: str, cell: Any, question: Any, data: Any, waited: bool, links: int) -> None:
        self.time = time
        self.kind = kind
        self.what = what
        self.cell = cell
        self.question = question
        self.data = data
        self.waited = waited
        self.links = links
        self.done = False


class Queue:
    """Future events. *under_way* counts those that `settle` waits for."""

    __slots__ = ("heap", "instant", "links", "order", "under_way")

    def __init__(self) -> None:
        self.heap: list[tuple[int, int, Event]] = []
        self.order = 0
        self.under_way = 0
        self.links = 0
        self.instant = -1

    def at(
        self, time: int, kind: str, what: str, cell: Any = None, question: Any = None, data: Any = None, *, waited: bool = True
    ) -> Event:
        """Schedule an event for *time*; of two at the same time the one scheduled first comes first."""
        links = self.links + 1 if time == self.instant else 0
        event = Event(time, kind, what, cell, question, data, waited, links)
        self.order += 1
        heappush(self.heap, (time, self.order, event))
        self.under_way += waited
        return event

    def cancel(self, event: Event | None) -> None:
        """Take *event* back, if it has not happened yet."""
        if event is not None and not event.done:
            event.done = True
            self.under_way -= event.waited

    def next_time(self) -> int | None:
        """When the next event is due, or None."""
        while self.heap and self.heap[0][2].done:
            heappop(self.heap)
        return self.heap[0][0] if self.heap else None

    def waiting_for(self) -> tuple[str, ...]:
        """Return the pending events in order."""
        events = [e for _, _, e in sorted(self.heap, key=lambda item: item[:2]) if e.waited and not e.done]
        return tuple(f"{e.what} of {e.cell.address()}" if e.cell is not None else e.what for e in events)

    def take(self) -> Event | None:
        """Return the next event, which happens now; None if it was cancelled.

        Raises EndlessChain where events keep each other alive at one instant. `rest` ends what this begins.
        """
        _, _, event = heappop(self.heap)
        if event.done:
            return None
        if event.links > _LONGEST_CHAIN:
            raise EndlessChain(f"{event.what} triggers itself: {_LONGEST_CHAIN} times at one instant")
        event.done = True
        self.under_way -= event.waited
        self.links, self.instant = event.links, event.time
        return event

    def rest(self) -> None:
        """Note that the last event has finished: later events do not belong to its chain."""
        self.links, self.instant = 0, -1
