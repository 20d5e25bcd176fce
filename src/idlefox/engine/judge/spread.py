"""How a change spreads: queued units are judged, each once, after everything it reads."""

from __future__ import annotations

from heapq import heappop
from typing import Any

from ...forms.expressions import UNKNOWN
from ...forms.values.values import equal, reads_as
from ..plan.plans import CHECK, DERIVE, ENABLED, READONLY, REQUIRED, VISIBLE
from ..state.cells import Container, FieldCell, ListCell
from ..state.live import Live
from ..state.queue import EndlessChain
from .breaks import index_twin, judge, judge_one, set_status
from .change import assign, commit, set_dirty
from .timing import CHANGE, drop_server, report, set_reported, update_shows

# No change of a real form spreads so far: what does keeps itself alive.
_MOST_UNITS = 2_000_000


def drain(live: Live) -> None:
    """Judges all that is queued, then lets fields report that were altered by another's change."""
    done = 0
    while live.heap or live.followers:
        while live.heap:
            _, _, cell, unit, check = heappop(live.heap)
            live.queued.discard((id(cell), unit, check))
            run_unit(live, cell, unit, check)
            done += 1
            if done > _MOST_UNITS:
                raise EndlessChain("a change spreads without end: rules, conditions or derived values keep each other alive")
        follow(live)
        if live.forgotten_lists:
            lists, live.forgotten_lists = live.forgotten_lists, {}
            for rows in lists:
                live.restore_rows(rows)


def clock_moved(live: Live, before: int) -> None:
    """Judges again what reads the clock: `now()` at every stop, `today()` when the day has changed."""
    new_day = before // 86_400_000 != live.now // 86_400_000
    for kind, watch in live.plan.clock_watch:
        if kind == "now" or new_day:
            whole = live.wholes.get(watch.target.form.name)
            if whole is not None:
                live.push(whole, watch)
    if live.heap:
        drain(live)


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


def derive(live: Live, cell: FieldCell) -> None:
    """Recomputes a derived value that no person has edited."""
    if cell.edited:
        return
    raw, value, bad = derived(cell)
    if raw == cell.raw and equal(value, cell.value):
        return
    assign(live, cell, raw, value, bad)
    if cell.has_reported and cell.plan.again <= CHANGE:
        live.followers[cell] = None


def derived(cell: FieldCell) -> tuple[str, Any, bool]:
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
    shown = cell.own_visible and (up is None or up.visible)
    usable = cell.own_enabled and (up is None or up.enabled)
    fixed = cell.own_readonly or (up is not None and up.readonly)
    hidden = cell.visible and not shown
    appeared = shown and usable and not cell.active
    changed = False
    for name, attribute, value in (("visible", "visible", shown), ("enabled", "enabled", usable), ("readonly", "readonly", fixed)):
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
    if type(cell) is FieldCell:
        if hidden and cell.plan.forgets:
            forget(live, cell)
        if cell.plan.unique:
            index_twin(live, cell)
        if not cell.active and cell.plan.lookups:
            live.lookups.stale(cell)
    update_required(live, cell)
    before = cell.broken
    judge(live, cell)
    set_status(live, cell)
    if not cell.active:
        set_reported(live, cell, ())
    elif appeared:
        if cell.plan.first == 0 and not cell.has_reported:
            cell.has_reported = True
            live.followers[cell] = None
        elif before != cell.broken:
            live.followers[cell] = None
    update_shows(live, cell)
    if isinstance(cell, Container):
        if hidden and cell.plan.forgets and isinstance(cell, ListCell):
            live.forgotten_lists[cell] = None
        for part in cell.parts:
            update_activity(live, part)


def forget(live: Live, cell: FieldCell) -> None:
    """Sets *cell* back to initial: value, raw text, touched, reported, and what the server said."""
    cell.edited = False
    cell.has_reported = False
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
            if cell.active and cell.has_reported and cell.plan.again <= CHANGE:
                report(live, cell)
        for cell in followers:
            if type(cell) is FieldCell and cell.plan.lookups:
                live.lookups.freed(cell)


def cut(live: Live, cell: FieldCell) -> None:
    """Applies `trim` and `case` to the text of *cell*, as leaving it does."""
    change = cell.plan.cut
    if change is None or not isinstance(cell.value, str):
        return
    text = change(cell.raw)
    if text != cell.raw:
        value, bad = cell.plan.parse(text)
        assign(live, cell, text, value, bad, sticky=cell.edited)
        drain(live)
