"""Propagation of changes: queued units are evaluated once each, after everything they read (`plans.Dependency.rank`)."""

from __future__ import annotations

from collections.abc import Callable
from heapq import heappop
from typing import Any

from ...forms.expressions import UNKNOWN
from ...forms.values.limits import LimitExceeded
from ...forms.values.values import equal, reads_as
from ..plan.plans import CHANGE, CHECK, DERIVE, ENABLED, LOAD, READONLY, REQUIRED, REVEAL, VISIBLE
from ..state.cells import Cell, Container, FieldCell, ListCell
from ..state.form_state import FormState
from ..state.queue import EndlessChain
from .breaks import index_twin, judge, judge_one, set_status
from .change import assign, commit, set_dirty, set_edited, set_touched
from .questions import ask, end_questions
from .timing import drop_server, first_report, report, set_reported, update_shows

# No change of a real form propagates this far: it must be an endless loop.
_MOST_UNITS = 2_000_000


def drain(live: FormState) -> None:
    """Judge all that is queued, then lets fields report that were altered by another's change.

    Lists that are to go back to their first rows are left in `live.forgotten_lists`: see `lists.spread`.
    """
    done = 0
    cell: Any = None
    try:
        while live.heap or live.followers:
            while live.heap:
                _, _, cell, unit, check = heappop(live.heap)
                live.queued.discard((id(cell), unit, check))
                if unit == CHECK:
                    judge_one(live, cell, check)
                else:
                    _JUDGES[unit](live, cell)
                done += 1
                if done > _MOST_UNITS:
                    raise EndlessChain("endless update: rules, conditions or derived values keep changing each other")
            follow(live)
    except LimitExceeded as fault:
        raise LimitExceeded(f"{cell.address() or 'the form'}: {fault}") from None


# units
def judge_visible(live: FormState, cell: Cell) -> None:
    """Evaluate the condition `visible` of *cell*."""
    own = cell.plan.visible(cell, None) is True  # type: ignore[misc]
    if own is not cell.own_visible:
        cell.own_visible = own
        update_activity(live, cell)


def judge_enabled(live: FormState, cell: Cell) -> None:
    """Evaluate the condition `enabled` of *cell*."""
    own = cell.plan.enabled(cell, None) is True  # type: ignore[misc]
    if own is not cell.own_enabled:
        cell.own_enabled = own
        update_activity(live, cell)


def judge_readonly(live: FormState, cell: Cell) -> None:
    """Evaluate the condition `readonly` of *cell*."""
    own = cell.plan.readonly(cell, None) is True  # type: ignore[misc]
    if own is not cell.own_readonly:
        cell.own_readonly = own
        update_activity(live, cell)


def derive(live: FormState, cell: Any) -> None:
    """Recompute a derived value that no person has edited."""
    if cell.edited:
        return
    raw, value, bad_input = derived(cell)
    if raw == cell.raw and equal(value, cell.value):
        return
    assign(live, cell, raw, value, bad_input)
    if cell.has_reported and cell.plan.again <= CHANGE:
        live.followers[cell] = None


def derived(cell: FieldCell) -> tuple[str, Any, bool]:
    """Return the derived raw text, value and bad input of *cell*."""
    found = cell.plan.derive(cell, None)  # type: ignore[misc]
    if found is UNKNOWN or found is None:
        found = cell.plan.blank
    raw = reads_as(found)
    if cell.plan.kind in ("checkbox", "select", "radio"):
        return raw, found, False
    value, bad_input = cell.plan.parse(raw)
    return ("", cell.plan.blank, False) if bad_input else (raw, value, False)


def update_required(live: FormState, cell: Cell) -> None:
    """Return whether *cell* is required now: a `required` rule of it counts."""
    rule = cell.plan.required
    required = cell.active and (rule if isinstance(rule, bool) else rule(cell, None) is True)
    if required is not cell.required:
        live.trace.append((live.step, live.now, cell, "required", cell.required, required))
        cell.required = required
        if cell.plan.watch:
            live.notify(cell, "required")


_JUDGES: dict[int, Callable[[FormState, Any], None]] = {
    DERIVE: derive, VISIBLE: judge_visible, ENABLED: judge_enabled, READONLY: judge_readonly, REQUIRED: update_required,
    REVEAL: update_shows,
}  # fmt: skip


# visible, enabled, read-only
def update_activity(live: FormState, cell: Cell) -> None:
    """Bring visible, enabled and read-only of *cell*, and of all in it, in line with their conditions."""
    was_visible, was_active = cell.visible, cell.active
    if not _take_over(live, cell):
        return
    cell.active = cell.visible and cell.enabled
    hidden = was_visible and not cell.visible
    if hidden and cell is live.focus:
        live.set_focus(None)
    if isinstance(cell, FieldCell):
        _field_moved(live, cell, hidden)
    update_required(live, cell)
    before = cell.broken
    judge(live, cell)
    set_status(live, cell)
    if not cell.active:
        set_reported(live, cell, ())
    elif not was_active:
        _appear(live, cell, before)
    update_shows(live, cell)
    if isinstance(cell, Container):
        if hidden and cell.plan.forgets and isinstance(cell, ListCell):
            live.forgotten_lists[cell] = None
        for part in cell.parts:
            update_activity(live, part)


def _take_over(live: FormState, cell: Cell) -> bool:
    """Sum up the own conditions of *cell* and those around it. Whether that changed anything."""
    up = cell.up
    now = (
        cell.own_visible and (up is None or up.visible),
        cell.own_enabled and (up is None or up.enabled),
        cell.own_readonly or (up is not None and up.readonly),
    )
    before = (cell.visible, cell.enabled, cell.readonly)
    if now == before:
        return False
    cell.visible, cell.enabled, cell.readonly = now
    for name, old, new in zip(("visible", "enabled", "readonly"), before, now, strict=True):
        if old is not new:
            live.trace.append((live.step, live.now, cell, name, old, new))
            if cell.plan.watch:
                live.notify(cell, name)
    return True


def _field_moved(live: FormState, cell: FieldCell, hidden: bool) -> None:
    """Handle a field that appears or disappears: its value, its place among unique values, its lookups."""
    if hidden and cell.plan.forgets:
        forget(live, cell)
    if cell.plan.unique:
        index_twin(live, cell)
    if not cell.active and cell.plan.lookups:
        end_questions(live, cell)


def _appear(live: FormState, cell: Cell, before: int) -> None:
    """Something that was hidden or disabled is there again: it reports as one that has just been loaded or changed."""
    if cell.plan.first == LOAD and not cell.has_reported:
        first_report(live, cell)
        live.followers[cell] = None
    elif before != cell.broken:
        live.followers[cell] = None


def forget(live: FormState, cell: FieldCell) -> None:
    """Reset *cell* to its initial state: value, raw text, touched, reported and server messages."""
    set_edited(live, cell, False)
    first_report(live, cell, False)
    commit(live, cell, False)
    set_reported(live, cell, ())
    drop_server(live, cell)
    assign(live, cell, cell.initial_raw, cell.initial, False)
    if cell.dirty:
        set_dirty(live, cell, False)
    set_touched(live, cell, False)


def follow(live: FormState) -> None:
    """Fields that another field's change has altered report now if `again` follows changes."""
    while live.followers:
        followers, live.followers = live.followers, {}
        for cell in followers:
            if cell.active and cell.has_reported and cell.plan.again <= CHANGE:
                report(live, cell)
        for cell in followers:
            if isinstance(cell, FieldCell) and cell.plan.lookups:
                ask(live, cell, CHANGE)


def cut(live: FormState, cell: FieldCell) -> None:
    """Apply `trim` and `case` to the text of *cell*, as leaving it does."""
    change = cell.plan.cut
    if change is None or not isinstance(cell.value, str):
        return
    text = change(cell.raw)
    if text != cell.raw:
        value, bad_input = cell.plan.parse(text)
        assign(live, cell, text, value, bad_input, by_person=cell.edited)
        drain(live)
