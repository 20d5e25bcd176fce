"""Going back: reset, forgetting, blank forms, and kept values that become the new initial ones."""

from __future__ import annotations

from typing import Any

from ...forms.values.values import reads_as
from ..judge.change import set_dirty
from ..judge.spread import drain, forget
from ..judge.timing import drop_server, report, set_reported
from ..state.cells import FieldCell, FormCell, ListCell, everything, leaves, value_of
from ..state.live import Live
from .rows import restore_rows, take_out


def press_reset(live: Live, whole: FormCell) -> None:
    """The reset control: everything as at load; what lookups have under way is cancelled."""
    reset_form(live, whole)
    submission = live.submission
    if submission.deciding is not None and submission.deciding[0] is whole:
        submission.deciding = None
        live.record(whole, "busy", whole.busy, False)
        whole.busy = False
        live.notify(whole, "busy")
    if submission.outcome != "none":
        live.record(None, "outcome", submission.outcome, "none")
        submission.outcome = "none"
    if not whole.plan.form.name:
        live.set_view("editing")
    drain(live)


def reset_form(live: Live, whole: FormCell) -> None:
    """Values, raw text, dirty, touched, reported, server messages, submission count: as at load."""
    if whole.attempts:
        live.record(whole, "submitted", whole.attempts, 0)
        whole.attempts = 0
        live.notify(whole, "submitted")
    _back(live, whole)
    drain(live)
    _report_at_load(live, whole)


def _back(live: Live, cell: Any) -> None:
    if isinstance(cell, FieldCell):
        live.lookups.cancel(cell)
        forget(live, cell)
        return
    cell.has_reported = False
    set_reported(live, cell, ())
    drop_server(live, cell)
    if isinstance(cell, ListCell):
        restore_rows(live, cell)
        if cell.dirty:
            set_dirty(live, cell, False)
            live.restructured.pop(cell, None)
    for part in cell.parts:
        _back(live, part)


def _report_at_load(live: Live, whole: Any) -> None:
    for cell in everything(whole):
        if cell.plan.first == 0 and cell.active and not cell.has_reported:
            cell.has_reported = True
            report(live, cell)
    drain(live)


def set_back(live: Live, cell: Any) -> None:
    """`forget`: sets one field (or all in a group or list) back to initial."""
    for each in [c for c in everything(cell) if isinstance(c, ListCell)]:
        restore_rows(live, each)
    for leaf in list(leaves(cell)):
        live.lookups.stale(leaf)
        forget(live, leaf)
    drain(live)


def blank_form(live: Live, whole: FormCell) -> None:
    """Empties every field; the empty form is the new initial one."""
    for cell in list(everything(whole)):
        if isinstance(cell, ListCell):
            least = cell.plan.field.least
            while len(cell.parts) > least:
                take_out(live, cell, cell.parts[-1])
            _new_initial_rows(live, cell)
    for leaf in leaves(whole):
        if leaf.plan.kind != "hidden":
            _new_initial(live, leaf, leaf.plan.blank)
    reset_form(live, whole)
    keep_as_initial(live, whole)


def _new_initial(live: Live, leaf: FieldCell, value: Any) -> None:
    if leaf.initial != value or type(leaf.initial) is not type(value):
        live.record(leaf, "initial", leaf.initial, value)
    leaf.initial, leaf.initial_raw = value, reads_as(value)


def _new_initial_rows(live: Live, rows: ListCell) -> None:
    live.record(rows, "initial rows", [r.id for r in rows.initial_parts], [r.id for r in rows.parts])
    rows.initial_parts = tuple(rows.parts)
    rows.initial_value = value_of(rows)


def keep_as_initial(live: Live, whole: FormCell) -> None:
    """The values there are become the initial ones: the form is pristine again."""
    for cell in everything(whole):
        if isinstance(cell, FieldCell):
            if not cell.bad_input:
                _new_initial(live, cell, cell.value)
                cell.initial_raw = cell.raw
        elif isinstance(cell, ListCell):
            _new_initial_rows(live, cell)
            live.restructured.pop(cell, None)
        if cell.dirty and not (isinstance(cell, FieldCell) and cell.bad_input):
            set_dirty(live, cell, False)

