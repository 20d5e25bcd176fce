"""Going back: reset, forgetting, blank forms, and kept values that become the new initial ones."""

from __future__ import annotations

from typing import Any

from ...forms.values.values import reads_as
from ..judge.change import mark_set_back, set_dirty
from ..judge.lists import propagate, restore_rows, take_out
from ..judge.make import report_at_load
from ..judge.propagation import forget
from ..judge.questions import cancel_questions, end_questions
from ..judge.timing import drop_server, first_report, set_reported
from ..state.cells import Cell, FieldCell, FormCell, ListCell, everything, leaves, value_of
from ..state.form_state import FormState
from ..state.paths import is_there


def press_reset(live: FormState, form: FormCell) -> None:
    """The reset control: everything as at load; what lookups have under way is cancelled."""
    reset_form(live, form)
    if live.deciding is not None and live.deciding[0] is form:
        live.deciding = None
        live.put_form(form, "busy", False)
    live.put("outcome", "none")
    if not form.plan.form.name:
        live.put("view", "editing")
    propagate(live)


def reset_form(live: FormState, form: FormCell) -> None:
    """Values, raw text, dirty, touched, reported, server messages, submission count: as at load."""
    live.put_form(form, "attempts", 0)
    _back(live, form)
    propagate(live)
    for cell in everything(form):
        if not isinstance(cell, FieldCell):  # last, because restored rows change their list
            first_report(live, cell, False)
            set_reported(live, cell, ())
            drop_server(live, cell)
    propagate(live)
    report_at_load(live, list(everything(form)))
    propagate(live)


def _back(live: FormState, cell: Any) -> None:
    if isinstance(cell, FieldCell):
        if cell.plan.path not in live.plan.faults.reset_forgets:
            cancel_questions(live, cell)
            forget(live, cell)
        return
    if isinstance(cell, ListCell):
        restore_rows(live, cell)
        if cell.dirty:
            set_dirty(live, cell, False)
            live.restructured.pop(cell, None)
    for part in cell.parts:
        _back(live, part)


def set_back(live: FormState, cell: Cell) -> None:
    """`forget`: sets one field (or all in a group or list) back to initial."""
    for each in [c for c in everything(cell) if isinstance(c, ListCell)]:
        if is_there(each):  # otherwise its row was removed with an outer list
            restore_rows(live, each)
    for field in list(leaves(cell)):
        end_questions(live, field)
        forget(live, field)
    propagate(live)


def blank_form(live: FormState, form: FormCell) -> None:
    """Empties every field; the empty form is the new initial one."""
    for cell in list(everything(form)):
        if isinstance(cell, ListCell) and is_there(cell):
            while len(cell.parts) > cell.plan.field.least:
                take_out(live, cell, cell.parts[-1])
            _new_initial_rows(live, cell)
    for field in leaves(form):
        if field.plan.kind != "hidden":
            _new_initial(live, field, field.plan.blank)
    reset_form(live, form)
    keep_as_initial(live, form)


def _new_initial(live: FormState, field: FieldCell, value: Any) -> None:
    if field.initial != value or type(field.initial) is not type(value):
        live.note(field, "initial", field.initial, value)
    field.initial, field.initial_raw = value, reads_as(value)


def _new_initial_rows(live: FormState, rows: ListCell) -> None:
    now = tuple(rows.parts)
    if now != rows.initial_parts:
        live.note(rows, "initial_rows", rows.initial_parts, now)
    rows.initial_parts = now
    rows.initial_value = value_of(rows)


def keep_as_initial(live: FormState, form: FormCell) -> None:
    """The values there are become the initial ones: the form is clean again."""
    for cell in everything(form):
        if isinstance(cell, FieldCell):
            if not cell.bad_input:
                _new_initial(live, cell, cell.value)
                cell.initial_raw = cell.raw
        elif isinstance(cell, ListCell):
            _new_initial_rows(live, cell)
            live.restructured.pop(cell, None)
            mark_set_back(live, cell, False)
        if cell.dirty and not (isinstance(cell, FieldCell) and cell.bad_input):
            set_dirty(live, cell, False)
