"""Makes the cells of a form, a panel or a row as they are at load."""

from __future__ import annotations

from typing import Any

from ...forms.values.fitting import misfit
from ...forms.values.values import reads_as
from ..plan import controls
from ..plan.plans import DERIVE, ENABLED, READONLY, VISIBLE, FieldPlan, FormPlan
from ..state.cells import Container, FieldCell, FormCell, ListCell, RowCell, everything, leaves, value_of
from ..state.live import Live
from .breaks import index_twin, judge, set_status
from .change import set_dirty
from .spread import drain, update_activity, update_required
from .timing import report

_NONE: Any = object()


def open_form(live: Live, form: FormPlan, record: Any) -> FormCell:
    """The cells of *form* (the main form, or a panel that opens) as they are at load."""
    whole = FormCell(form.root, live)
    live.wholes[form.name] = whole
    live.statics[form.root.index] = whole
    given = record if isinstance(record, dict) else {}
    whole.parts = [_make(live, part, whole, _NONE, given.get(part.field.name, _NONE)) for part in form.root.parts]
    bring_to_life(live, whole)
    return whole


def _make(live: Live, plan: FieldPlan, up: Any, given: Any, record: Any) -> Any:
    """The cell of *plan* and all in it. *given* is what an outer `initial` says of it, *record* what the server has."""
    field = plan.field
    cell: Any
    if field.native is not None:
        return _make_native(live, plan, up)
    if given is _NONE and field.has_initial:
        given = field.initial
    if field.kind != "group" and given is _NONE and record is not _NONE and not misfit(field.kind, field.many, record):
        given = record
    if field.kind == "rows":
        cell = ListCell(plan, live, up)
        objects = given if isinstance(given, list) else [{}] * (field.start if field.start is not None else field.least)
        cell.parts = [make_row(live, cell, each) for each in objects]
        cell.initial_parts = tuple(cell.parts)
    elif field.kind == "group":
        cell = Container(plan, live, up)
        values = given if isinstance(given, dict) else {}
        behind = record if isinstance(record, dict) else {}
        cell.parts = [
            _make(live, p, cell, values.get(p.field.name, _NONE), behind.get(p.field.name, _NONE)) for p in plan.parts
        ]
    else:
        cell = FieldCell(plan, live, up)
        if given is not _NONE and misfit(field.kind, field.many, given):
            given = _NONE
        value = controls.held(field, given) if given is not _NONE else plan.blank
        cell.value = cell.initial = value
        cell.raw = cell.initial_raw = reads_as(value)
    if plan.level == 0:
        live.statics[plan.index] = cell
    return cell


def _make_native(live: Live, plan: FieldPlan, up: Any) -> FieldCell:
    """A control of a page: the markup says what it holds at load."""
    field = plan.field
    cell = FieldCell(plan, live, up)
    cell.value = cell.initial = field.initial
    cell.raw = cell.initial_raw = field.native.raw or reads_as(field.initial)
    live.statics[plan.index] = cell
    return cell


def make_row(live: Live, rows: ListCell, given: Any) -> RowCell:
    """A new row of *rows* with the values in the object *given*, not yet part of the list."""
    plan = rows.plan.parts[0]
    row = RowCell(plan, live, rows, rows.next_id)
    rows.next_id += 1
    row.visible, row.enabled, row.readonly = rows.visible, rows.enabled, rows.readonly
    row.active = rows.active
    row.parts = [_make(live, part, row, given.get(part.field.name, _NONE), _NONE) for part in plan.parts]
    return row


def revive(live: Live, row: RowCell) -> None:
    """Judges everything in *row* again, which has been out of the list: the world has changed meanwhile."""
    update_activity(live, row)
    for cell in everything(row):
        _queue_conditions(live, cell)
        update_required(live, cell)
        if cell.plan.unique:
            index_twin(live, cell)
        judge(live, cell)
        set_status(live, cell)
    drain(live)


def _queue_conditions(live: Live, cell: Any) -> None:
    plan: FieldPlan = cell.plan
    if plan.derive is not None and plan.often:
        live.enqueue_unit(cell, DERIVE)
    if plan.kind != "row":
        for unit, condition in ((VISIBLE, plan.visible), (ENABLED, plan.enabled), (READONLY, plan.readonly)):
            if condition is not None:
                live.enqueue_unit(cell, unit)


def bring_to_life(live: Live, top: Any) -> None:
    """Judges everything in *top*, which has just been made: conditions, derived values, rules, reports at load."""
    cells = list(everything(top))
    for cell in cells:
        up = cell.up
        if up is not None:
            cell.visible, cell.enabled, cell.readonly, cell.active = up.visible, up.enabled, up.readonly, up.active
        _queue_conditions(live, cell)
        update_required(live, cell)
        if cell.plan.unique:
            index_twin(live, cell)
    for cell in cells:
        judge(live, cell)
        set_status(live, cell)
    drain(live)
    for cell in cells:
        if type(cell) is FieldCell and cell.plan.derive is not None and cell.plan.often:
            cell.initial, cell.initial_raw = cell.value, cell.raw
            if cell.dirty:
                set_dirty(live, cell, False)
        elif type(cell) is ListCell:
            cell.initial_value = value_of(cell)
    for cell in cells:
        if cell.plan.first == 0 and cell.active and not cell.has_reported:
            cell.has_reported = True
            report(live, cell)
    drain(live)


def dirty_fields(live: Live) -> list[Any]:
    """The fields that are dirty, and the lists whose rows were added, removed or moved, in form order."""
    return [c for w in live.wholes.values() if w.open for c in everything(w) if c.dirty]


def touched_fields(live: Live) -> list[Any]:
    """The fields that are touched, in form order."""
    return [c for w in live.wholes.values() if w.open for c in leaves(w) if c.touched]
