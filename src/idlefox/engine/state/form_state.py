"""The state of a running form: its cells, clock and trace, and the queue for propagating changes.

All state is held here, and no decisions are made here. `judge` handles the effects of changes, `world` time and answers, `acts`
the person's actions; `session` is the entry point.
"""

from __future__ import annotations

from collections import deque
from heapq import heappush
from typing import Any

from ...forms.model.form import Notice
from ..plan.plans import CHECK, REVEAL, Dependency, Plan
from .cells import Cell, Container, FieldCell, FormCell, ListCell
from .long_texts import EditLog
from .paths import reach
from .queue import Event, Queue

Change = tuple[int, int, Any, str, Any, Any]  # step, time, cell (None: the page itself), property, before, after

NO_PRESS = (-1, -1)
_COUNTS = {"dirty": "dirty_count", "touched": "touched_count"}


class FormState:
    """The state of one form. *now* is the virtual time in milliseconds since 1970-01-01T00:00Z."""

    def __init__(self, plan: Plan, now: int) -> None:
        self.plan = plan
        self.form = plan.form
        self.dirty_is_sticky = plan.form.dirty == "ever"  # dirty once a person has changed it
        self.start = now
        self.now = now
        self.step = 0
        self.acts = 0  # steps so far, without checks and waiting
        self.trace: list[Change] = []
        self.ancestor_traces: tuple[tuple[int, dict[Any, Any]], ...] = ()  # see `own_trace`
        self.edits = EditLog()
        self.warnings: dict[str, None] = {}
        # The queue for propagation, and its results.
        self.heap: list[tuple[int, int, Any, int, int]] = []
        self.queued: set[tuple[int, int, int]] = set()
        self.order = 0
        self.followers: dict[Cell, None] = {}
        self.reporting: dict[Cell, None] = {}
        self.server_said: dict[Cell, None] = {}
        self.server_on_containers = 0
        self.restructured: dict[ListCell, None] = {}
        self.forgotten_lists: dict[ListCell, None] = {}  # hidden lists to restore to their initial rows
        self.python_said: dict[tuple[Cell, int], str] = {}
        # The page.
        self.root: FormCell = None  # type: ignore[assignment]
        self.roots_by_panel: dict[str, FormCell] = {}
        self.cells_by_slot: list[Any] = []
        self.focus: FieldCell | None = None
        self.left: FieldCell | None = None  # the last field with the focus; Tab continues from there
        self.on_button: Any = None  # the button with the focus
        self.view = "editing"
        self.away = False
        self.given_options: dict[tuple[str, ...], tuple[tuple[Any, str], ...]] = {}
        self.file_paths: dict[tuple[str, int], str] = {}  # chosen files that exist: name and size -> path
        # Events.
        self.queue = Queue()
        self.scripted_lookups: dict[str, deque[Any]] = {}
        self.remembered: dict[tuple[str, Any], Any] = {}
        # Submissions.
        self.outcome = "none"
        self.requests: list[Any] = []
        self.answers: list[tuple[int, int, int, Any]] = []  # step, time, number of the request, status or `lost`
        self.record: Any = None
        self.location = plan.main.home
        self.notice: Notice | None = None
        self.notice_ends: Event | None = None
        self.scripted_replies: deque[Any] = deque()
        self.deciding: tuple[FormCell, Any] | None = None  # a submission that waits for lookups
        self.last_press = NO_PRESS  # the instant and the act of the last press that sent a request

    # changes
    def note(self, cell: Cell | None, name: str, before: Any, after: Any) -> None:
        """Note a change that has happened."""
        self.trace.append((self.step, self.now, cell, name, before, after))

    def put(self, name: str, value: Any) -> None:
        """Give the page's own property *name* (outcome, view, notice, …) a value."""
        before = getattr(self, name)
        if before != value:
            self.trace.append((self.step, self.now, None, name, before, value))
            setattr(self, name, value)

    def put_form(self, form: FormCell, name: str, value: Any) -> None:
        """Give a property of *form* as a whole (busy, attempts, open) a value, and queues what reads it."""
        before = getattr(form, name)
        if before != value:
            self.trace.append((self.step, self.now, form, name, before, value))
            setattr(form, name, value)
            self.notify(form, "attempted" if name == "attempts" else name)

    def own_trace(self) -> list[Change]:
        """Return the trace with this form's own cells. The trace of a copy starts with that of the original; *ancestor_traces* map
        its cells.
        """
        for count, cells in self.ancestor_traces:
            for at in range(count):
                step, time, cell, name, before, after = self.trace[at]
                if name == "focus":
                    before, after = cells.get(before, before), cells.get(after, after)
                self.trace[at] = (step, time, cells.get(cell, cell), name, before, after)
        self.ancestor_traces = ()
        return self.trace

    def warn(self, cell: Cell | None, text: str) -> None:
        """Record a warning for the person, once per place."""
        where = cell.address() if cell is not None else ""
        message = f"{where}: {text}" if where else text
        if message not in self.warnings:
            self.warnings[message] = None
            self.note(cell, "warning", None, text)

    def carry_over(self, old: FormState) -> None:
        """Take over from *old*, the page as it was before it was loaded again, what outlives a page."""
        self.start, self.step, self.acts = old.start, old.step, old.acts
        self.trace, self.ancestor_traces, self.warnings = old.trace, old.ancestor_traces, old.warnings
        self.requests, self.answers, self.location = old.requests, old.answers, old.location
        self.record, self.scripted_replies = old.record, old.scripted_replies
        self.scripted_lookups, self.remembered = old.scripted_lookups, old.remembered
        self.given_options, self.file_paths = old.given_options, old.file_paths

    def set_focus(self, cell: FieldCell | None, button: Any = None) -> None:
        """Move the focus to a field, a button or nowhere. `acts` handles the effects of leaving."""
        if button is not self.on_button:
            self.trace.append((self.step, self.now, None, "on_button", self.on_button, button))
            self.on_button = button
        before = self.focus
        if before is cell:
            return
        self.trace.append((self.step, self.now, None, "focus", before, cell))
        self.focus = cell
        for each in (before, cell):
            reader: Cell | None = each
            while reader is not None:
                if "focused" in reader.plan.watch:
                    self.notify(reader, "focused")
                reader = reader.up

    # spreading
    def notify(self, cell: Cell, name: str) -> None:
        """Queue every unit that reads the property *name* of *cell*."""
        if name in cell.plan.watch:
            for watch in cell.plan.watch[name]:
                self.schedule(cell, watch)

    def schedule(self, cell: Cell, watch: Dependency) -> None:
        """Queue the units that *watch* names, as seen from *cell*."""
        rank, unit, target, check, common, chain = watch
        targets: Any
        if unit == REVEAL and common == 0:
            # Only cells with something reported can show or hide a message; skip the rest of a large form.
            targets = [c for c in self.reporting if c.plan is target]
        elif target.form is not cell.plan.form:
            form = self.roots_by_panel[target.form.name]  # a panel that reads its main form, or the reverse
            targets = reach(form, 0, chain) if form.open else ()
        elif common == 0 and (only := self.cells_by_slot[target.index]) is not None:
            targets = (only,)
        else:
            targets = reach(cell, common, chain)
        if unit == CHECK and target.only_filled >> check & 1:
            targets = [t for t in targets if t.active and t.value != ""]  # others break nothing before or after
        elif unit == REVEAL:
            targets = [t for t in targets if t.reported]  # others have nothing to show or hide
        for each in targets:
            self._enqueue(rank, each, unit, check)

    def enqueue_unit(self, cell: Cell, unit: int) -> None:
        """Queue a condition or the derived value of *cell*."""
        self._enqueue(self.plan.ranks.get((cell.plan.path, unit), 1), cell, unit, -1)

    def push_check(self, cell: Cell, check: int) -> None:
        """Queue one rule of *cell*."""
        self._enqueue(1, cell, CHECK, check)

    def _enqueue(self, rank: int, cell: Cell, unit: int, check: int) -> None:
        mark = (id(cell), unit, check)
        if mark not in self.queued:
            self.queued.add(mark)
            self.order += 1
            heappush(self.heap, (rank, self.order, cell, unit, check))

    def count(self, name: str, cell: Cell, by: int) -> None:
        """Add *by* to the number of dirty or touched fields of everything around *cell* (a container: itself too)."""
        container = cell if isinstance(cell, Container) else cell.up
        if container is not cell and name in cell.plan.watch:
            self.notify(cell, name)
        self.count_above(name, container, by)

    def count_above(self, name: str, container: Container | None, by: int) -> None:
        """Add *by* to the number of dirty or touched fields of *container* and of everything around it."""
        attribute, dirt = _COUNTS[name], name == "dirty"
        while container is not None:
            before = getattr(container, attribute)
            setattr(container, attribute, before + by)
            if name in container.plan.watch and not (before and before + by):
                self.notify(container, name)
            if dirt and isinstance(container, ListCell) and container.set_back:
                return
            container = container.up

    def drop(self, cell: Cell) -> None:
        """Forget everything about *cell*, whose row was removed or whose panel was opened again."""
        self.reporting.pop(cell, None)
        self.server_said.pop(cell, None)
        self.followers.pop(cell, None)
        if isinstance(cell, ListCell):
            self.restructured.pop(cell, None)
