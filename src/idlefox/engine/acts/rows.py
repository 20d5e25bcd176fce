"""ListCell added, removed, moved. A row keeps all that is its own wherever it stands."""

from __future__ import annotations

from typing import Any

from ...forms.expressions import Closure, compile_expression
from ..judge.breaks import judge, judge_unique
from ..judge.change import compare_list, compare_lists
from ..judge.make import bring_to_life, make_row, revive
from ..judge.spread import drain
from ..judge.timing import CHANGE, drop_server, moment
from ..state.access import LiveAccess
from ..state.cells import FieldCell, ListCell, RowCell, everything, validity_of
from ..state.journal import snapshot_of
from ..state.live import Live
from .hands import press_button
from .sight import Cannot, disabled_by, hidden_by, need_reach, readonly_by


def why_not(live: Live, rows: ListCell, doing: str) -> str:
    """Why the control that would *doing* (add, remove, move) a row is not offered; "" where it is."""
    reason = hidden_by(live, rows) or disabled_by(live, rows) or readonly_by(rows)
    if reason:
        return reason
    field, count = rows.plan.field, len(rows.parts)
    if doing == "add":
        if field.most is not None and count >= field.most:
            return f"it has {count} rows already, and {field.most} at most"
    elif doing == "remove":
        if count <= field.least:
            return f"it has {count} row{'s' if count != 1 else ''}, and {field.least} at least"
    elif count < 2:
        return f"it has {count} row{'s' if count != 1 else ''}: there is nothing to change places with"
    condition = getattr(field, doing, None)
    if condition is not None and _closure(live, condition)(rows, None) is not True:
        return f"its condition `{doing}: {condition.text}` does not hold"
    return ""


def _closure(live: Live, condition: Any) -> Closure:
    return compile_expression(condition, LiveAccess(live.plan))


def _need(live: Live, rows: ListCell, doing: str) -> None:
    reason = why_not(live, rows, doing)
    if reason:
        raise Cannot(f"{rows.address()} does not allow {doing}: {reason}", rows)


def step_add(live: Live, rows: ListCell, at: int | None) -> RowCell:
    """Presses the add control: a new row at the end, or as number *at*."""
    need_reach(live, rows, "adding to")
    press_button(live)
    _need(live, rows, "add")
    count = len(rows.parts)
    if at is not None and at > count:
        raise Cannot(f"{rows.address()} has {count} rows: there is no place {at} to add one at", rows)
    return put_in(live, rows, count if at is None else at)


def put_in(live: Live, rows: ListCell, at: int, row: RowCell | None = None) -> RowCell:
    """Puts a new row (or *row*, which had been taken out) at place *at*."""
    if row is None:
        row = make_row(live, rows, {})
        rows.parts.insert(at, row)
        bring_to_life(live, row)
    else:
        rows.parts.insert(at, row)
        _recount(live, rows, row, 1)
        revive(live, row)
    live.record(rows, "rows", None, ("add", at, row))
    live.record(row, "born", None, snapshot_of(row))
    _restructured(live, rows)
    return row


def step_remove(live: Live, row: RowCell) -> None:
    """Presses the row's remove control."""
    rows: ListCell = row.up
    need_reach(live, rows, "removing from")
    press_button(live)
    _need(live, rows, "remove")
    take_out(live, rows, row)


def take_out(live: Live, rows: ListCell, row: RowCell) -> None:
    """Takes *row* out of the list, and with it all that is its own."""
    if live.focus is not None and _is_in(live.focus, row):
        live.set_focus(None)
    drain(live)  # nothing of the row may still be waiting to be judged once it is gone
    if row not in rows.parts:
        return  # judging what was waiting has hidden the list, and it has forgotten the row already
    at = rows.parts.index(row)
    del rows.parts[at]
    live.record(rows, "rows", None, ("remove", at, row))
    for cell in everything(row):
        live.reporting.pop(cell, None)
        live.server_said.pop(cell, None)
        live.restructured.pop(cell, None)
        live.followers.pop(cell, None)
        if type(cell) is FieldCell:
            if cell.questions:
                live.lookups.cancel(cell)
            if cell.twin is not None:
                _forget_twin(live, cell)
    _recount(live, rows, row, -1)
    _restructured(live, rows)


def _forget_twin(live: Live, cell: FieldCell) -> None:
    twins = cell.row.up.twins
    found = twins[cell.twin]
    del found[cell]
    if not found:
        del twins[cell.twin]
    elif len(found) == 1:
        judge_unique(live, next(iter(found)))
    cell.twin = None


def step_move(live: Live, row: RowCell, to: int) -> None:
    """Moves *row*; it ends at place *to* (counted from the end where negative)."""
    rows: ListCell = row.up
    need_reach(live, rows, "moving in")
    press_button(live)
    _need(live, rows, "move")
    count = len(rows.parts)
    if not -count <= to < count:
        raise Cannot(f"{rows.address()} has {count} rows: there is no place {to}", rows)
    before = rows.parts.index(row)
    to = to % count
    if before == to:
        return
    rows.parts.insert(to, rows.parts.pop(before))
    live.record(rows, "rows", None, ("move", before, to))
    _restructured(live, rows)


def restore_rows(live: Live, rows: ListCell) -> None:
    """Brings back the rows of the start, each as it was then (their fields are set back elsewhere)."""
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
            before = rows.parts.index(row)
            rows.parts.insert(at, rows.parts.pop(before))
            live.record(rows, "rows", None, ("move", before, at))
            _restructured(live, rows)
        else:
            put_in(live, rows, at, row)


def is_there(cell: Any) -> bool:
    """Whether *cell* is still on the form: none of the rows around it is gone."""
    row = cell.row
    while row is not None:
        if row not in row.up.parts:
            return False
        row = row.up.row
    return True


def _is_in(cell: Any, row: RowCell) -> bool:
    while cell is not None and cell is not row:
        cell = cell.up
    return cell is row


def _recount(live: Live, rows: ListCell, row: RowCell, by: int) -> None:
    """Adds all that *row* counts to the sums of everything around it, or takes it away."""
    box: Any = rows
    while box is not None:
        before = (validity_of(box), box.dirty_count > 0, box.touched_count > 0, box.marked_count > 0)
        for i, number in enumerate(row.tally):
            box.tally[i] += by * number
        box.dirty_count += by * row.dirty_count
        box.touched_count += by * row.touched_count
        box.marked_count += by * row.marked_count
        if box.plan.watch:
            after = (validity_of(box), box.dirty_count > 0, box.touched_count > 0, box.marked_count > 0)
            for name, old, new in zip(("validity", "dirty", "touched", "marked"), before, after, strict=True):
                if old != new:
                    live.notify(box, name)
        box = box.up


def _restructured(live: Live, rows: ListCell) -> None:
    """A change of the list itself: what reads it is judged, and it reports."""
    live.notify(rows, "rows")
    compare_list(live, rows)
    if live.restructured:
        compare_lists(live, rows.up)
    judge(live, rows)
    drain(live)
    if rows.server:
        drop_server(live, rows)
    moment(live, rows, CHANGE)
    drain(live)

