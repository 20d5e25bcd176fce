"""A form in play: its cells, its clock, its trace, and the queue through which changes spread.

The one place where state is held. What a person does is in `hands` and `rows`, what follows by rule in
`change`, `judge` and `timing`, what takes time in `clock`, `lookups` and `submission`.
"""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappush
from typing import Any

from ..plan.plans import CHECK, REVEAL, Plan, Watch
from .cells import Container, FormCell
from .queue import Queue
from .ways import reach

Change = tuple[int, int, Any, str, Any, Any]  # step, time, cell (None: the whole), property, before, after


class Live:
    """One form in play. *now* is the virtual time in milliseconds since 1970-01-01T00:00Z."""

    def __init__(self, plan: Plan, now: int) -> None:
        self.plan = plan
        self.form = plan.form
        self.sticky = plan.form.dirty == "sticky"
        self.start = now
        self.now = now
        self.step = 0
        self.acts = 0  # what a person has done so far, checks and waiting left out
        self.trace: list[Change] = []
        self.warnings: dict[str, None] = {}
        self.heap: list[tuple[int, int, Any, int, int]] = []
        self.queued: set[tuple[int, int, int]] = set()
        self.order = 0
        self.followers: dict[Any, None] = {}
        self.reporting: dict[Any, None] = {}
        self.server_said: dict[Any, None] = {}
        self.server_on_boxes = 0
        self.restructured: dict[Any, None] = {}
        self.forgotten_lists: dict[Any, None] = {}  # hidden lists that go back to the rows of their start
        self.file_paths: dict[tuple[str, int], str] = {}  # chosen files that are there: name and size -> where
        self.python_said: dict[tuple[Any, int], str] = {}
        self.given_options: dict[tuple[str, ...], list[tuple[Any, str]]] = {}
        self.root: FormCell = None  # type: ignore[assignment]
        self.wholes: dict[str, FormCell] = {}
        self.statics: list[Any] = []
        self.focus: Any = None
        self.left: Any = None  # what had the focus last: Tab goes on from there
        self.on_button: Any = False  # a button has the focus: True, or which one of a page
        self.view = "editing"
        self.away = False
        self.queue = Queue()
        # What is handed in when a session is put together (`session`): what takes time, and what only higher rooms can do.
        self.lookups: Any = None
        self.submission: Any = None
        self.restore_rows: Callable[[Any], None] = lambda rows: None
        self.ask_python: Callable[[str, Any], bool] = lambda name, cell: False
        self.python: dict[str, Callable[..., Any]] = plan.python

    # the trace
    def record(self, cell: Any, name: str, before: Any, after: Any) -> None:
        """Notes a change that has happened."""
        self.trace.append((self.step, self.now, cell, name, before, after))

    def warn(self, cell: Any, text: str) -> None:
        """Notes something that is no failure but that the person should know, once for each place."""
        where = cell.address() if cell is not None else ""
        message = f"{where}: {text}" if where else text
        if message not in self.warnings:
            self.warnings[message] = None
            self.record(cell, "warning", None, text)

    def carry_over(self, old: Live) -> None:
        """Takes over from *old*, the page as it was before it was loaded again, what outlives a page."""
        new, before = self.submission, old.submission
        self.start, self.step, self.acts = old.start, old.step, old.acts
        self.trace = old.trace
        self.warnings = old.warnings
        new.requests, new.location = before.requests, before.location
        new.record, new.scripted = before.record, before.scripted
        self.lookups.scripted, self.lookups.memory = old.lookups.scripted, old.lookups.memory
        self.given_options, self.file_paths = old.given_options, old.file_paths

    def set_focus(self, cell: Any) -> None:
        """Moves the focus; what a blur brings about is the business of `hands`."""
        self.on_button = False
        before = self.focus
        if before is cell:
            return
        self.record(None, "focus", before, cell)
        self.focus = cell
        for each in (before, cell):
            while each is not None:
                if each.plan.watch:
                    self.notify(each, "focused")
                each = each.up

    def set_view(self, view: str) -> None:
        if view != self.view:
            self.record(None, "view", self.view, view)
            self.view = view

    # spreading
    def notify(self, cell: Any, name: str) -> None:
        """Queues every unit that reads the property *name* of *cell*."""
        for watch in cell.plan.watch.get(name, ()):
            self.push(cell, watch)

    def push(self, cell: Any, watch: Watch) -> None:
        """Queues the units that *watch* names, as seen from *cell*."""
        targets: Any
        if watch.unit == REVEAL and watch.common == 0:
            # Only what has something reported can come to show or hide: the rest of a large form is left alone.
            targets = [c for c in self.reporting if c.plan is watch.target]
        else:
            targets = reach(cell, watch.common, watch.chain)
        for target in targets:
            self._enqueue(watch.rank, target, watch.unit, watch.check)

    def enqueue_unit(self, cell: Any, unit: int) -> None:
        """Queues a condition or the derived value of *cell*."""
        self._enqueue(self.plan.ranks.get((cell.plan.path, unit), 1), cell, unit, -1)

    def push_check(self, cell: Any, check: int) -> None:
        """Queues one rule of *cell*."""
        self._enqueue(1, cell, CHECK, check)

    def _enqueue(self, rank: int, cell: Any, unit: int, check: int) -> None:
        mark = (id(cell), unit, check)
        if mark not in self.queued:
            self.queued.add(mark)
            self.order += 1
            heappush(self.heap, (rank, self.order, cell, unit, check))

    def count(self, name: str, cell: Any, by: int) -> None:
        """Adds *by* to the number of dirty or touched fields of everything around *cell* (a container: itself too)."""
        if cell.plan.watch and not isinstance(cell, Container):
            self.notify(cell, name)
        attribute = name + "_count"
        box = cell if isinstance(cell, Container) else cell.up
        while box is not None:
            before = getattr(box, attribute)
            setattr(box, attribute, before + by)
            if box.plan.watch and not (before and before + by):
                self.notify(box, name)
            box = box.up
