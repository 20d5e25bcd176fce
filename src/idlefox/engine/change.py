"""Changes of values and conditions, and how they spread: the units that read what has changed are judged
again, each once, after everything it reads (`plan.Watch.rank`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ..forms.expressions import UNKNOWN
from ..forms.values import equal, reads_as
from .cells import Box, Leaf, Rows, value_of
from .judge import index_twin, judge, judge_one, set_status
from .plan import CHECK, DERIVE, ENABLED, READONLY, REQUIRED, VISIBLE
from .timing import CHANGE, drop_server, moment, report, set_reported, update_shows

if TYPE_CHECKING:
    from .live import Live


def person_changes(live: Live, cell: Leaf, raw: str, value: Any, bad: bool) -> None:
    """A person's one change of *cell* to *raw*, which stands for *value*, with all that follows from it."""
    if raw == cell.raw and bad is cell.bad and equal(value, cell.value):
        return
    cell.edited = True
    if cell.plan.native is not None and cell.plan.kind in AT_ONCE:
        commit(live, cell)
    assign(live, cell, raw, value, bad, sticky=True)
    if live.heap:
        live.drain()
    if cell.server:
        drop_server(live, cell)
    moment(live, cell, CHANGE)
    if cell.plan.lookups:
        live.lookups.changed(cell)
        live.submission.lookups_moved()
    if live.heap:
        live.drain()


# Controls whose every change is committed at once (HTML, "commit" of an input's value; a select's picking).
AT_ONCE = frozenset({"checkbox", "radio", "select", "file", "range", "color"})


def commit(live: Live, cell: Leaf, committed: bool = True) -> None:
    """Sets the user validity of a page's control (HTML, "user validity")."""
    if cell.committed is not committed:
        live.trace.append((live.step, live.now, cell, "committed", cell.committed, committed))
        cell.committed = committed


def assign(live: Live, cell: Leaf, raw: str, value: Any, bad: bool, *, sticky: bool = False) -> None:
    """Gives *cell* a value; what reads it is queued, not yet judged."""
    trace, step, now = live.trace, live.step, live.now
    if raw != cell.raw:
        trace.append((step, now, cell, "reads", cell.raw, raw))
        cell.raw = raw
    before = cell.value
    same = value == before if type(value) is str else equal(value, before)
    cell.bad = bad
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


def is_changed(live: Live, cell: Leaf) -> bool:
    """Whether *cell* differs from its initial value; with `sticky` only a person's doing counts."""
    if live.sticky:
        return False
    if cell.bad:
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
        if isinstance(box, Rows) and box in live.restructured:
            compare_list(live, box)
        box = box.up


def compare_list(live: Live, rows: Rows) -> None:
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


def _matches(rows: Rows, initial: list[Any]) -> bool:
    witness = rows.witness
    if witness < len(initial) and not equal(value_of(rows.parts[witness]), initial[witness]):
        return False
    for i, (row, value) in enumerate(zip(rows.parts, initial, strict=True)):
        if not equal(value_of(row), value):
            rows.witness = i
            return False
    return True


# units
def run_unit(live: Live, cell: Any, unit: int, check: int) -> None:
    """Judges one unit of *cell* again."""
    if unit == CHECK:
        judge_one(live, cell, check)
    elif unit == DERIVE:
        derive(live, cell)
    elif unit == VISIBLE:
        own = cell.plan.visible(cell, None) is True
        if own is not cell.own_visible:
            cell.own_visible = own
            update_activity(live, cell)
    elif unit == ENABLED:
        own = cell.plan.enabled(cell, None) is True
        if own is not cell.own_enabled:
            cell.own_enabled = own
            update_activity(live, cell)
    elif unit == READONLY:
        own = cell.plan.readonly(cell, None) is True
        if own is not cell.own_readonly:
            cell.own_readonly = own
            update_activity(live, cell)
    elif unit == REQUIRED:
        update_required(live, cell)
    else:
        update_shows(live, cell)


def derive(live: Live, cell: Leaf) -> None:
    """Recomputes a derived value that no person has edited."""
    if cell.edited:
        return
    raw, value, bad = derived(cell)
    if raw == cell.raw and equal(value, cell.value):
        return
    assign(live, cell, raw, value, bad)
    if cell.seen and cell.plan.again <= CHANGE:
        live.followers[cell] = None


def derived(cell: Leaf) -> tuple[str, Any, bool]:
    """What *cell* derives to now: raw text, value, bad input."""
    found = cell.plan.derive(cell, None)  # type: ignore[misc]
    if found is UNKNOWN or found is None:
        found = cell.plan.blank
    kind = cell.plan.kind
    if kind in ("checkbox", "select", "radio"):
        return reads_as(found), found, False
    raw = reads_as(found)
    value, bad = cell.plan.parse(raw)
    return ("", cell.plan.blank, False) if bad else (raw, value, False)


def update_required(live: Live, cell: Any) -> None:
    """Whether *cell* is required now: a `required` rule of it counts."""
    rule = cell.plan.required
    required = cell.active and (rule if isinstance(rule, bool) else rule(cell, None) is True)
    if required is not cell.required:
        live.trace.append((live.step, live.now, cell, "required", cell.required, required))
        cell.required = required
        if cell.plan.watch:
            live.notify(cell, "required")


def update_activity(live: Live, cell: Any) -> None:
    """Brings visible, enabled and read-only of *cell*, and of all in it, in line with their conditions."""
    up = cell.up
    shown = cell.own_visible and (up is None or up.shown)
    usable = cell.own_enabled and (up is None or up.usable)
    fixed = cell.own_readonly or (up is not None and up.fixed)
    hidden = cell.shown and not shown
    appeared = shown and usable and not cell.active
    changed = False
    for name, attribute, value in (("visible", "shown", shown), ("enabled", "usable", usable), ("readonly", "fixed", fixed)):
        if getattr(cell, attribute) is not value:
            live.trace.append((live.step, live.now, cell, name, not value, value))
            setattr(cell, attribute, value)
            changed = True
            if cell.plan.watch:
                live.notify(cell, name)
    if not changed:
        return
    cell.active = shown and usable
    if hidden and cell is live.focus:
        live.set_focus(None)
    if type(cell) is Leaf:
        if hidden and cell.plan.forgets:
            forget(live, cell)
        if cell.plan.unique:
            index_twin(live, cell)
        if not cell.active and cell.plan.lookups:
            live.lookups.stale(cell)
    update_required(live, cell)
    before = cell.mask
    judge(live, cell)
    set_status(live, cell)
    if not cell.active:
        set_reported(live, cell, ())
    elif appeared:
        if cell.plan.first == 0 and not cell.seen:
            cell.seen = True
            live.followers[cell] = None
        elif before != cell.mask:
            live.followers[cell] = None
    update_shows(live, cell)
    if isinstance(cell, Box):
        if hidden and cell.plan.forgets and isinstance(cell, Rows):
            live.forgotten_lists[cell] = None
        for part in cell.parts:
            update_activity(live, part)


def forget(live: Live, cell: Leaf) -> None:
    """Sets *cell* back to initial: value, raw text, touched, reported, and what the server said."""
    cell.edited = False
    cell.seen = False
    commit(live, cell, False)
    set_reported(live, cell, ())
    drop_server(live, cell)
    assign(live, cell, cell.initial_raw, cell.initial, False)
    if cell.dirty:
        set_dirty(live, cell, False)
    if cell.touched:
        live.trace.append((live.step, live.now, cell, "touched", True, False))
        cell.touched = False
        live.count("touched", cell, -1)


def follow(live: Live) -> None:
    """Fields that another field's change has altered report now if `again` follows changes."""
    while live.followers:
        followers, live.followers = live.followers, {}
        for cell in followers:
            if cell.active and cell.seen and cell.plan.again <= CHANGE:
                report(live, cell)
        for cell in followers:
            if type(cell) is Leaf and cell.plan.lookups:
                live.lookups.freed(cell)
