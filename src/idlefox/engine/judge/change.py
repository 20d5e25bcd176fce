"""Changes of single cells: values, dirty, touched. Dependent units are queued here and evaluated in `propagation`."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from ...forms.values.values import equal, same_choice
from ..plan.plans import CHANGE
from ..state.cells import Cell, FieldCell, ListCell, value_of
from ..state.form_state import FormState
from ..state.long_texts import LONG
from .breaks import broken_checks, index_twin, settle
from .questions import end_questions

Changed = tuple[str, Any, bool]  # the raw text of a control, its value, whether it is bad input
Follow = Callable[[FormState, FieldCell], None]


def commit(live: FormState, cell: FieldCell, committed: bool = True) -> None:
    """Set the user validity of a page's control (HTML, "user validity")."""
    if cell.committed is not committed:
        live.trace.append((live.step, live.now, cell, "committed", cell.committed, committed))
        cell.committed = committed


def set_edited(live: FormState, cell: FieldCell, edited: bool) -> None:
    """Note whether a person has changed *cell*: a derived value of it follows no more."""
    if cell.edited is not edited:
        live.trace.append((live.step, live.now, cell, "edited", cell.edited, edited))
        cell.edited = edited


def assign(live: FormState, cell: FieldCell, raw: str, value: Any, bad_input: bool, *, by_person: bool = False) -> None:
    """Set the value of *cell*; dependent units are queued, not yet evaluated."""
    assign_each(live, cell, ((raw, value, bad_input),), by_person=by_person)


def assign_each(  # noqa: C901, PLR0912 - taken apart by meaning, a key would cost a quarter more (`benchmarks/bench.py keystroke`)
    live: FormState, cell: FieldCell, changes: Iterable[Changed], *, by_person: bool = False, follow: Follow | None = None
) -> None:
    """Set the values of *cell* one after the other; *follow* handles the effects of each.

    Every keystroke runs this, so attributes that do not change are read once, before the loop.
    """
    plan = cell.plan
    note, step, now = live.trace.append, live.step, live.now
    checks, lookups, watch, unique, normal = plan.checks, plan.lookups, plan.value_watch, plan.unique, plan.normal
    first, again = plan.first <= CHANGE, plan.again <= CHANGE
    ever, bound, said = live.dirty_is_sticky, bool(lookups or plan.above), plan.said
    for raw, value, bad_input in changes:
        was, before = cell.raw, cell.value
        old, new = before, value  # as they are noted
        if raw != was:
            if len(raw) > LONG or len(was) > LONG:
                old, new = _note_long(live, cell, raw, value)
            else:
                note((step, now, cell, "reads", was, raw))
            cell.raw = raw
        cell.bad_input = bad_input
        text = type(value) is str
        same = value == before and type(before) is str if text else same_choice(value, before)
        if not same:
            note((step, now, cell, "value", old, new))
            cell.value = value
            if lookups:
                end_questions(live, cell)
        if ever:
            dirty = by_person or cell.dirty
        elif text and not bad_input:
            dirty = value != cell.initial
        else:
            dirty = is_changed(live, cell)
        if dirty is not cell.dirty:
            set_dirty(live, cell, dirty)
        if unique:
            index_twin(live, cell)
        if checks:
            if text and cell.active and not bad_input:
                seen = value if normal is None else normal(value)
                broken = 0
                for bit, test in plan.tests_filled if seen else plan.tests_empty:
                    if test(cell, seen):
                        broken |= bit
            else:
                broken = broken_checks(cell)
            if broken != cell.broken or lookups:
                settle(live, cell, broken)
        if watch and not same:
            for each in watch:
                live.schedule(cell, each)
        if live.restructured:
            compare_lists(live, cell)
        # The same messages are already reported. Most keystrokes end here.
        if follow is not None and (
            bound
            or (again and cell.reported is not said.get(cell.broken) if cell.has_reported else first)
            or live.heap or live.followers or cell.server or live.server_on_containers
        ):  # fmt: skip
            follow(live, cell)


def _note_long(live: FormState, cell: FieldCell, raw: str, value: Any) -> tuple[Any, Any]:
    """Record that the text of *cell* becomes *raw*. Return the old and the new *value* in recorded form."""
    reads = live.edits.of(cell, cell.raw, raw)
    live.trace.append((live.step, live.now, cell, "reads", *reads))
    return reads if value == raw and cell.value == cell.raw else (cell.value, value)


def is_changed(live: FormState, cell: FieldCell) -> bool:
    """Return whether *cell* differs from its initial value; with `ever` only a person's doing counts."""
    if live.dirty_is_sticky:
        return False
    if cell.bad_input:
        return cell.raw != cell.initial_raw
    value, initial = cell.value, cell.initial
    return bool(value != initial) if type(value) is str else not equal(value, initial)


def set_dirty(live: FormState, cell: Cell, dirty: bool) -> None:
    """Mark *cell* (a field, or a list's own structure) dirty or clean, and counts it in its containers."""
    live.trace.append((live.step, live.now, cell, "dirty", cell.dirty, dirty))
    cell.dirty = dirty
    live.count("dirty", cell, 1 if dirty else -1)


def set_touched(live: FormState, cell: FieldCell, touched: bool = True) -> None:
    """Mark *cell* touched (or, after a reset, not touched), and counts it in its containers."""
    if cell.touched is not touched:
        live.trace.append((live.step, live.now, cell, "touched", cell.touched, touched))
        cell.touched = touched
        live.count("touched", cell, 1 if touched else -1)


def compare_lists(live: FormState, cell: Cell | None) -> None:
    """The lists around *cell* whose rows were added, removed or moved: set back, they are clean."""
    while cell is not None:
        if isinstance(cell, ListCell) and cell in live.restructured:
            compare_list(live, cell)
        cell = cell.up


def compare_list(live: FormState, rows: ListCell) -> None:
    """Return whether *rows* as a value differs from its initial value. A row known to differ is looked at first."""
    initial, parts = rows.initial_value, rows.parts
    same_rows = len(parts) == len(rows.initial_parts) and all(a is b for a, b in zip(parts, rows.initial_parts, strict=True))
    if same_rows:
        live.restructured.pop(rows, None)
        dirty = False
    elif live.dirty_is_sticky:
        dirty = True
    else:
        live.restructured[rows] = None
        dirty = len(parts) != len(initial) or not _matches(rows, initial)
    if live.dirty_is_sticky and rows.dirty:
        dirty = True
    if dirty is not rows.dirty:
        set_dirty(live, rows, dirty)
    mark_set_back(live, rows, not same_rows and not dirty)


def mark_set_back(live: FormState, rows: ListCell, on: bool) -> None:
    """Say that *rows* has the values of its start again, though its rows are others: all above count nothing in it, or do again."""
    if on is rows.set_back:
        return
    rows.set_back = on
    if not rows.dirty_count:
        return
    by = -rows.dirty_count if on else rows.dirty_count
    if "dirty" in rows.plan.watch:
        live.notify(rows, "dirty")
    if rows.up is not None:
        live.count_above("dirty", rows.up, by)


def _matches(rows: ListCell, initial: list[Any]) -> bool:
    witness = rows.witness
    if witness < len(initial) and not equal(value_of(rows.parts[witness]), initial[witness]):
        return False
    for i, (row, value) in enumerate(zip(rows.parts, initial, strict=True)):
        if not equal(value_of(row), value):
            rows.witness = i
            return False
    return True
