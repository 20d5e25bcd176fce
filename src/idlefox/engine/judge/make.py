"""Makes the cells of a form, a panel or a row as they are at load."""

from __future__ import annotations

from typing import Any

from ...forms.values.fitting import misfit
from ...forms.values.values import reads_as
from ..plan import controls
from ..plan.plans import DERIVE, ENABLED, LOAD, NO_MARKUP, READONLY, VISIBLE, FieldPlan, FormPlan
from ..state.cells import Cell, Container, FieldCell, FormCell, ListCell, RowCell, everything, value_of
from ..state.form_state import FormState
from .breaks import index_twin, judge, set_status
from .change import set_dirty
from .propagation import drain, update_activity, update_required
from .timing import first_report, report

_NONE: Any = object()


def make_form(live: FormState, form: FormPlan, record: Any, *, is_open: bool = True) -> FormCell:
    """The cells of *form* (the main form, or a panel) as they are at load."""
    root = FormCell(form.root, live)
    root.open = is_open
    live.roots_by_panel[form.name] = root
    if not form.name:
        live.root = root  # conditions evaluated at load may address a row by its number
    live.cells_by_slot[form.root.index] = root
    given = record if isinstance(record, dict) else {}
    root.parts = [_make(live, part, root, _NONE, given.get(part.field.name, _NONE)) for part in form.root.parts]
    bring_to_life(live, root)
    return root


def _make(live: FormState, plan: FieldPlan, up: Container, given: Any, record: Any) -> Cell:
    """Create the cell of *plan* and everything inside. *given* comes from an outer `initial`, *record* from the server."""
    field = plan.field
    cell: Cell
    if given is _NONE and field.has_initial:
        given = field.initial
    if field.kind != "group" and given is _NONE and record is not _NONE and not misfit(field.kind, field.many, record):
        given = record
    if field.kind == "rows":
        cell = _make_list(live, plan, up, given)
    elif field.kind == "group":
        cell = Container(plan, live, up)
        values = given if isinstance(given, dict) else {}
        behind = record if isinstance(record, dict) else {}
        cell.parts = [
            _make(live, p, cell, values.get(p.field.name, _NONE), behind.get(p.field.name, _NONE)) for p in plan.parts
        ]
    else:
        cell = _make_field(live, plan, up, given)
    if plan.level == 0:
        live.cells_by_slot[plan.index] = cell
    return cell


def _make_list(live: FormState, plan: FieldPlan, up: Container, given: Any) -> ListCell:
    field = plan.field
    rows = ListCell(plan, live, up)
    objects = given if isinstance(given, list) else [{}] * (field.start if field.start is not None else field.least)
    rows.parts = [make_row(live, rows, each) for each in objects]
    rows.initial_parts = tuple(rows.parts)
    return rows


def _make_field(live: FormState, plan: FieldPlan, up: Container, given: Any) -> FieldCell:
    cell = FieldCell(plan, live, up)
    if plan.facts is not NO_MARKUP:
        value, raw = plan.field.initial, plan.facts.raw or reads_as(plan.field.initial)
    else:
        fits = given is not _NONE and not misfit(plan.field.kind, plan.field.many, given)
        value = controls.held(plan.field, given) if fits else plan.blank
        raw = reads_as(value)
    cell.value = cell.initial = value
    cell.raw = cell.initial_raw = raw
    return cell


def make_row(live: FormState, rows: ListCell, given: Any) -> RowCell:
    """A new row of *rows* with the values in the object *given*, not yet part of the list."""
    plan = rows.plan.parts[0]
    row = RowCell(plan, live, rows, rows.next_id)
    rows.next_id += 1
    row.visible, row.enabled, row.readonly = rows.visible, rows.enabled, rows.readonly
    row.active = rows.active
    row.parts = [_make(live, part, row, given.get(part.field.name, _NONE), _NONE) for part in plan.parts]
    return row


def revive(live: FormState, row: RowCell) -> None:
    """Judge everything in *row* again, which has been out of the list: the world has changed meanwhile."""
    update_activity(live, row)
    for cell in everything(row):
        _queue_conditions(live, cell)
        update_required(live, cell)
        if cell.plan.unique:
            index_twin(live, cell)
        judge(live, cell)
        set_status(live, cell)
    drain(live)


def _queue_conditions(live: FormState, cell: Cell) -> None:
    plan = cell.plan
    if plan.derive is not None and plan.often:
        live.enqueue_unit(cell, DERIVE)
    if plan.kind != "row":
        for unit, condition in ((VISIBLE, plan.visible), (ENABLED, plan.enabled), (READONLY, plan.readonly)):
            if condition is not None:
                live.enqueue_unit(cell, unit)


def bring_to_life(live: FormState, top: Cell) -> None:
    """Judge everything in *top*, which has just been made: conditions, derived values, rules, reports at load."""
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
        _settle_initial(live, cell)
    report_at_load(live, cells)


def _settle_initial(live: FormState, cell: Cell) -> None:
    """Make derived values initial and compare the list with its current rows."""
    if isinstance(cell, FieldCell) and cell.plan.derive is not None and cell.plan.often:
        cell.initial, cell.initial_raw = cell.value, cell.raw
        if cell.dirty:
            set_dirty(live, cell, False)
    elif isinstance(cell, ListCell):
        cell.initial_value = value_of(cell)


def report_at_load(live: FormState, cells: list[Any]) -> None:
    """Let those of *cells* report that report at load."""
    for cell in cells:
        if cell.plan.first == LOAD and cell.active and not cell.has_reported:
            first_report(live, cell)
            report(live, cell)
    drain(live)
