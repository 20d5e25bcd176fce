"""The controls of a list: a person adds, removes and moves rows."""

from __future__ import annotations

from ...refusals import Refusal
from ..judge.lists import propagate, put_in, shift, take_out
from ..state.cells import ListCell, RowCell
from ..state.form_state import FormState
from .buttons import OTHER
from .by_index import tell_by_number, told_by_number
from .focus import focus_button
from .refused import StepRefused, cannot
from .sight import disabled_by, explained, hidden_by, need_reach, readonly_by, with_parts


def why_not(live: FormState, rows: ListCell, doing: str) -> Refusal | None:
    """Return why the control for *doing* (add, remove, move) is not offered; None if it is."""
    reason = hidden_by(live, rows) or disabled_by(rows) or readonly_by(rows)
    if reason is not None:
        return explained(reason, rows)
    field, count = rows.plan.field, len(rows.parts)
    if doing == "add" and field.most is not None and count >= field.most:
        return Refusal("most rows", facts={"count": count, "most": field.most})
    if doing == "remove" and count <= field.least:
        return Refusal("least rows", facts={"count": count, "least": field.least})
    if doing == "move" and count < 2:
        return Refusal("too few rows", facts={"count": count})
    closure = {"add": rows.plan.add, "remove": rows.plan.remove}.get(doing)
    if closure is not None and closure(rows, None) is not True:
        return with_parts(Refusal("not offered", facts={"condition": getattr(field, doing).text}), rows, closure)
    return None


def _need(live: FormState, rows: ListCell, doing: str) -> None:
    reason = why_not(live, rows, doing)
    if reason is not None:
        raise StepRefused(reason._replace(what=rows.address(), doing=doing), rows)


def step_add(live: FormState, rows: ListCell, at: int | None) -> RowCell:
    """Press the add control: a new row at the end, or as number *at*."""
    need_reach(live, rows, "adding to")
    focus_button(live, OTHER)
    _need(live, rows, "add")
    count = len(rows.parts)
    if at is not None and at > count:
        raise cannot("no such place", rows, doing="add", count=count, place=at)
    row = put_in(live, rows, count if at is None else at)
    propagate(live)
    return row


def step_remove(live: FormState, row: RowCell) -> None:
    """Press the row's remove control."""
    need_reach(live, row.up, "removing from")
    focus_button(live, OTHER)
    _need(live, row.up, "remove")
    told = told_by_number(row.up) if live.plan.faults.rows_by_index else None
    take_out(live, row.up, row)
    propagate(live)
    if told is not None:
        tell_by_number(live, row.up, told)
        propagate(live)


def step_move(live: FormState, row: RowCell, to: int) -> None:
    """Move *row*; it ends at place *to* (counted from the end where negative)."""
    rows = row.up
    need_reach(live, rows, "moving in")
    focus_button(live, OTHER)
    _need(live, rows, "move")
    count = len(rows.parts)
    if not -count <= to < count:
        raise cannot("no such place", rows, doing="move", count=count, place=to)
    before, to = rows.parts.index(row), to % count
    if before != to:
        told = told_by_number(rows) if live.plan.faults.rows_by_index else None
        shift(live, rows, before, to)
        propagate(live)
        if told is not None:
            tell_by_number(live, rows, told)
            propagate(live)
