"""Changes of values and conditions, and how they spread: the units that read what has changed are judged
again, each once, after everything it reads (`plan.Watch.rank`).
"""

from __future__ import annotations

from typing import Any

from ...forms.values.values import equal
from ..state.cells import FieldCell, ListCell, value_of
from ..state.live import Live
from .breaks import index_twin, judge


def commit(live: Live, cell: FieldCell, committed: bool = True) -> None:
    """Sets the user validity of a page's control (HTML, "user validity")."""
    if cell.committed is not committed:
        live.trace.append((live.step, live.now, cell, "committed", cell.committed, committed))
        cell.committed = committed


def assign(live: Live, cell: FieldCell, raw: str, value: Any, bad: bool, *, sticky: bool = False) -> None:
    """Gives *cell* a value; what reads it is queued, not yet judged."""
    trace, step, now = live.trace, live.step, live.now
    if raw != cell.raw:
        trace.append((step, now, cell, "reads", cell.raw, raw))
        cell.raw = raw
    before = cell.value
    same = value == before if type(value) is str else equal(value, before)
    cell.bad_input = bad
    plan = cell.plan
    if not same:
        trace.append((step, now, cell, "value", before, value))
        cell.value = value
        if plan.lookups:
            live.lookups.stale(cell)
    dirty = is_changed(live, cell) or (sticky and live.sticky) or (live.sticky and cell.dirty)
    if dirty is not cell.dirty:
        set_dirty(live, cell, dirty)
    if plan.unique:
        index_twin(live, cell)
    if plan.checks:
        judge(live, cell)
    if plan.value_watch and not same:
        live.notify(cell, "value")
    if live.restructured:
        compare_lists(live, cell)


def is_changed(live: Live, cell: FieldCell) -> bool:
    """Whether *cell* differs from its initial value; with `sticky` only a person's doing counts."""
    if live.sticky:
        return False
    if cell.bad_input:
        return cell.raw != cell.initial_raw
    value, initial = cell.value, cell.initial
    return value != initial if type(value) is str else not equal(value, initial)


def set_dirty(live: Live, cell: Any, dirty: bool) -> None:
    """Marks *cell* (a field, or a list's own structure) dirty or pristine, and counts it in its containers."""
    live.trace.append((live.step, live.now, cell, "dirty", cell.dirty, dirty))
    cell.dirty = dirty
    live.count("dirty", cell, 1 if dirty else -1)


def set_touched(live: Live, cell: Any) -> None:
    if not cell.touched:
        live.trace.append((live.step, live.now, cell, "touched", False, True))
        cell.touched = True
        live.count("touched", cell, 1)


def compare_lists(live: Live, cell: Any) -> None:
    """The lists around *cell* whose rows were added, removed or moved: set back, they are pristine."""
    box = cell
    while box is not None:
        if isinstance(box, ListCell) and box in live.restructured:
            compare_list(live, box)
        box = box.up


def compare_list(live: Live, rows: ListCell) -> None:
    """Whether *rows* as a value differs from its initial value. A row known to differ is looked at first."""
    initial, parts = rows.initial_value, rows.parts
    same_rows = len(parts) == len(rows.initial_parts) and all(a is b for a, b in zip(parts, rows.initial_parts, strict=True))
    if same_rows:
        live.restructured.pop(rows, None)
        dirty = False
    elif live.sticky:
        dirty = True
    else:
        live.restructured[rows] = None
        dirty = len(parts) != len(initial) or not _matches(rows, initial)
    if live.sticky and rows.dirty:
        dirty = True
    if dirty is not rows.dirty:
        set_dirty(live, rows, dirty)


def _matches(rows: ListCell, initial: list[Any]) -> bool:
    witness = rows.witness
    if witness < len(initial) and not equal(value_of(rows.parts[witness]), initial[witness]):
        return False
    for i, (row, value) in enumerate(zip(rows.parts, initial, strict=True)):
        if not equal(value_of(row), value):
            rows.witness = i
            return False
    return True


