"""Copies of a running form: both can continue without affecting each other.

Attributes are copied one by one in written-out code: forty fields take some tens of microseconds, so a scenario does not have
to build its form again, and undo or exploration costs a copy instead of a replay. Immutable parts (plans, values, requests, the
trace so far) are shared.
"""

from __future__ import annotations

from collections import deque
from typing import Any

from ..state.cells import Cell, Container, FieldCell, FormCell, ListCell, Question, RowCell
from ..state.form_state import FormState
from ..state.long_texts import EditLog
from ..state.queue import Event, Queue


def copied(old: FormState) -> FormState:
    """Return a copy of the form state *old* that is independent from now on."""
    return _Copy(old).live


class _Copy:
    def __init__(self, old: FormState) -> None:
        self.cells: dict[Any, Any] = {}
        self.questions: dict[int, Question] = {}
        self.events: dict[int, Event] = {}
        live = self.live = FormState.__new__(FormState)
        live.__dict__.update(old.__dict__)
        self.cells_by_slot = old.cells_by_slot
        live.cells_by_slot = [None] * len(old.cells_by_slot)
        live.roots_by_panel = {}
        for name, form in old.roots_by_panel.items():
            live.roots_by_panel[name] = self._tree(form, None)
        live.root = live.roots_by_panel[""]
        self._share_nothing(old, live)

    def _share_nothing(self, old: FormState, live: FormState) -> None:
        """Give *live* its own of everything that changes in place."""
        of = self.of
        live.trace = old.trace.copy()
        live.ancestor_traces = (*old.ancestor_traces, (len(old.trace), self.cells)) if old.trace else ()
        live.edits = EditLog()
        live.warnings = old.warnings.copy()
        live.heap = [(rank, order, of(cell), unit, check) for rank, order, cell, unit, check in old.heap]
        live.queued = {(id(of(cell)), unit, check) for _, _, cell, unit, check in old.heap}
        live.followers = {of(c): None for c in old.followers}
        live.reporting = {of(c): None for c in old.reporting}
        live.server_said = {of(c): None for c in old.server_said}
        live.restructured = {of(c): None for c in old.restructured}
        live.forgotten_lists = {of(c): None for c in old.forgotten_lists}
        live.python_said = {(of(c), check): text for (c, check), text in old.python_said.items()}
        live.focus = of(old.focus) if old.focus is not None else None
        live.left = of(old.left) if old.left is not None else None
        live.file_paths = old.file_paths.copy()
        live.queue = self._queue(old.queue)
        live.scripted_lookups = {name: deque(answers) for name, answers in old.scripted_lookups.items()}
        live.remembered = old.remembered.copy()
        live.requests = old.requests.copy()
        live.answers = old.answers.copy()
        live.scripted_replies = old.scripted_replies.copy()
        live.notice_ends = self._event(old.notice_ends) if old.notice_ends is not None else None
        live.deciding = (of(old.deciding[0]), old.deciding[1]) if old.deciding is not None else None

    def of(self, cell: Any) -> Any:
        """The copy of *cell*; of one that is out of the form by now (its row was removed) it is made here."""
        found = self.cells.get(cell)
        if found is None:
            top = cell
            while top.up is not None and top.up not in self.cells:
                top = top.up
            self._tree(top, self.cells[top.up] if top.up is not None else None)
            found = self.cells[cell]
        return found

    # events
    def _queue(self, old: Queue) -> Queue:
        new = Queue()
        new.heap = [(time, order, self._event(event)) for time, order, event in old.heap if not event.done]
        if len(new.heap) != len(old.heap):
            new.heap.sort()  # in order by time and scheduling, hence a heap
        new.order, new.under_way = old.order, old.under_way
        new.links, new.instant = old.links, old.instant
        return new

    def _event(self, old: Event) -> Event:
        new = self.events.get(id(old))
        if new is None:
            cell = self.of(old.cell) if old.cell is not None else None
            new = self.events[id(old)] = Event(old.time, old.kind, old.what, cell, None, old.data, old.waited, old.links)
            new.done = old.done
            new.question = self._question(old.question) if old.question is not None else None
        return new

    def _question(self, old: Question) -> Question:
        new = self.questions.get(id(old))
        if new is None:
            new = self.questions[id(old)] = Question(old.value)
            new.state, new.message, new.failures = old.state, old.message, old.failures
            new.insisted, new.lost = old.insisted, old.lost
            new.event = self._event(old.event) if old.event is not None else None
        return new

    # cells
    def _tree(self, old: Cell, up: Container | None) -> Any:
        new: Any = object.__new__(type(old))
        self.cells[old] = new
        self._common(old, new, up)
        if isinstance(old, FieldCell):
            self._field(old, new)
        else:
            self._container(old, new)  # type: ignore[arg-type]
        index = old.plan.index
        if self.cells_by_slot[index] is old:
            self.live.cells_by_slot[index] = new
        return new

    def _common(self, old: Cell, new: Cell, up: Container | None) -> None:
        new.live, new.up = self.live, up
        new.row = up.row if up is not None else None
        new.plan = old.plan
        new.key = old.key
        new.own_visible, new.own_enabled, new.own_readonly = old.own_visible, old.own_enabled, old.own_readonly
        new.visible, new.enabled, new.readonly, new.active = old.visible, old.enabled, old.readonly, old.active
        new.broken, new.status = old.broken, old.status
        new.has_reported, new.reported, new.server, new.shows = old.has_reported, old.reported, old.server, old.shows
        new.dirty, new.touched, new.required = old.dirty, old.touched, old.required

    def _field(self, old: FieldCell, new: FieldCell) -> None:
        new.value, new.raw, new.initial, new.initial_raw = old.value, old.raw, old.initial, old.initial_raw
        new.bad_input, new.edited, new.committed, new.twin = old.bad_input, old.edited, old.committed, old.twin
        questions = old.questions
        new.questions = {check: self._question(q) for check, q in questions.items()} if questions is not None else None

    def _container(self, old: Container, new: Any) -> None:
        new.tally = old.tally.copy()
        new.dirty_count, new.touched_count, new.marked_count = old.dirty_count, old.touched_count, old.marked_count
        if isinstance(old, RowCell):
            new.row, new.id = new, old.id
        elif isinstance(old, FormCell):
            new.attempts, new.busy, new.open = old.attempts, old.busy, old.open
        tree = self._tree
        new.parts = [tree(part, new) for part in old.parts]
        if isinstance(old, ListCell):
            new.next_id, new.witness, new.set_back, new.initial_value = old.next_id, old.witness, old.set_back, old.initial_value
            new.initial_parts = tuple([self.of(row) for row in old.initial_parts])
            new.twins = {key: {self.of(c): None for c in found} for key, found in old.twins.items()}
