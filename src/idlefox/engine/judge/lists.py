"""Changes of lists: rows added, removed, moved, restored. A row keeps its state wherever it is."""

from __future__ import annotations

from ..plan.plans import CHANGE
from ..state.cells import Container, FieldCell, ListCell, RowCell, everything, is_dirty, is_inside, validity_of
from ..state.form_state import FormState
from ..state.journal import snapshot_of
from ..state.paths import is_there
from .breaks import judge, judge_unique
from .change import compare_list, compare_lists
from .make import bring_to_life, make_row, revive
from .propagation import drain
from .questions import cancel_questions
from .timing import at_moment, drop_server


def propagate(live: FormState) -> None:
    """Propagate every pending change, including lists that hiding resets."""
    while live.heap or live.followers or live.forgotten_lists:
        drain(live)
        lists, live.forgotten_lists = live.forgotten_lists, {}
        for rows in lists:
            if is_there(rows):
                restore_rows(live, rows)


def put_in(live: FormState, rows: ListCell, at: int, row: RowCell | None = None) -> RowCell:
    """Insert a new row, or *row* that was removed before, at position *at*."""
    if row is None:
        row = make_row(live, rows, {})
        rows.parts.insert(at, row)
        bring_to_life(live, row)
    else:
        rows.parts.insert(at, row)
        _recount(live, rows, row, 1)
        revive(live, row)
    live.note(rows, "row added", None, (at, row.id, snapshot_of(row)))
    _restructured(live, rows)
    return row


def take_out(live: FormState, rows: ListCell, row: RowCell) -> None:
    """Take *row* out of the list, and with it all that is its own."""
    if live.focus is not None and is_inside(live.focus, row):
        live.set_focus(None)
    propagate(live)  # the queue must not refer to the row after its removal
    if row not in rows.parts:
        return  # propagation has hidden the list, which has already removed the row
    at = rows.parts.index(row)
    del rows.parts[at]
    live.note(rows, "row removed", at, row.id)
    for cell in everything(row):
        live.drop(cell)
        if isinstance(cell, FieldCell):
            cancel_questions(live, cell)
            if cell.twin is not None:
                _forget_twin(live, cell)
    _recount(live, rows, row, -1)
    _restructured(live, rows)


def _forget_twin(live: FormState, cell: FieldCell) -> None:
    assert cell.row is not None
    twins = cell.row.up.twins
    found = twins[cell.twin]
    del found[cell]
    if not found:
        del twins[cell.twin]
    elif len(found) == 1:
        judge_unique(live, next(iter(found)))
    cell.twin = None


def shift(live: FormState, rows: ListCell, before: int, to: int) -> None:
    """Move the row at place *before* to place *to*."""
    rows.parts.insert(to, rows.parts.pop(before))
    live.note(rows, "row moved", before, to)
    _restructured(live, rows)


def restore_rows(live: FormState, rows: ListCell) -> None:
    """Bring back the rows of the start, each as it was then (their fields are set back elsewhere)."""
    wanted = list(rows.initial_parts)
    if rows.parts == wanted:
        return
    for row in reversed(rows.parts[:]):
        if row not in wanted:
            take_out(live, rows, row)
    for at, row in enumerate(wanted):
        if at < len(rows.parts) and rows.parts[at] is row:
            continue
        if row in rows.parts:
            shift(live, rows, rows.parts.index(row), at)
        else:
            put_in(live, rows, at, row)


def _recount(live: FormState, rows: ListCell, row: RowCell, by: int) -> None:
    """Add all that *row* counts to the sums of everything around it, or takes it away."""
    container: Container | None = rows
    dirt = by * row.dirty_count
    while container is not None:
        before = _sums(container)
        for i, number in enumerate(row.tally):
            container.tally[i] += by * number
        container.dirty_count += dirt
        container.touched_count += by * row.touched_count
        container.marked_count += by * row.marked_count
        if container.plan.watch:
            for name, old, new in zip(("validity", "dirty", "touched", "marked"), before, _sums(container), strict=True):
                if old != new:
                    live.notify(container, name)
        if isinstance(container, ListCell) and container.set_back:
            dirt = 0
        container = container.up


def _sums(container: Container) -> tuple[int, bool, bool, bool]:
    return validity_of(container), is_dirty(container), container.touched_count > 0, container.marked_count > 0


def _restructured(live: FormState, rows: ListCell) -> None:
    """Handle a change of the list itself: evaluate its dependents and report."""
    live.notify(rows, "rows")
    compare_list(live, rows)
    if live.restructured:
        compare_lists(live, rows.up)
    judge(live, rows)
    drain(live)
    if rows.server:
        drop_server(live, rows)
    at_moment(live, rows, CHANGE)
    drain(live)
