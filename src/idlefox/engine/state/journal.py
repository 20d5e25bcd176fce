"""The trace: what each step changed. From a snapshot of the initial state and the trace alone, the state after
any step can be rebuilt; that is what `rebuild` does, and what the tests hold the engine to.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..judge.timing import said_text
from .cells import VALIDITY, FieldCell, ListCell, RowCell, everything
from .live import Change, Live

# The properties of a cell that the state consists of, and where the cell keeps them.
_COMMON = {
    "breaks": "broken", "status": "status", "dirty": "dirty", "touched": "touched", "reported": "reported",
    "server": "server", "shows": "shows", "visible": "visible", "enabled": "enabled", "readonly": "readonly",
    "required": "required",
}  # fmt: skip
_LEAF = {**_COMMON, "value": "value", "reads": "raw", "initial": "initial", "committed": "committed"}
_WHOLE = ("outcome", "location", "notice", "record")
EVENTS = frozenset({
    "asks", "stale answer", "answer", "lost answer", "dropped question", "dropped error", "ignored press", "request",
    "warning", "options", "born", "dialog closed",
})  # fmt: skip

State = dict[tuple[str, str], Any]


def snapshot(live: Live) -> State:
    """The whole state now: (key of the cell, property) -> value. ListCell are known by their identities."""
    state: State = {}
    for whole in live.wholes.values():
        _add(state, whole)
        state[whole.key(), "submitted"] = whole.attempts
        state[whole.key(), "busy"] = whole.busy
        if whole.plan.form.name:
            state[whole.key(), "open"] = whole.open
    state["", "focus"] = live.focus.key() if live.focus is not None else None
    state["", "view"] = live.view
    for name in _WHOLE:
        state["", name] = getattr(live.submission, name)
    return state


def _add(state: State, top: Any) -> None:
    for cell in everything(top):
        key = cell.key()
        names = _LEAF if isinstance(cell, FieldCell) else _COMMON
        for name, attribute in names.items():
            state[key, name] = getattr(cell, attribute)
        if isinstance(cell, ListCell):
            state[key, "rows"] = [row.id for row in cell.parts]
            state[key, "initial rows"] = [row.id for row in cell.initial_parts]


def snapshot_of(cell: Any) -> tuple[tuple[tuple[str, str], Any], ...]:
    """The state of *cell* and all in it, for the trace: a row that is born, a panel that opens."""
    state: State = {}
    _add(state, cell)
    return tuple(state.items())


def rebuild(initial: State, changes: Iterable[Change], step: int) -> State:
    """The state after *step*, from the *initial* state and the trace alone."""
    state = {key: list(v) if key[1] in ("rows", "initial rows") else v for key, v in initial.items()}
    for at, _, cell, name, _, after in changes:
        if at > step:
            break
        if name == "born":
            for key, value in after:
                state[key] = list(value) if key[1] in ("rows", "initial rows") else value
        elif name == "reload":
            state = {key: list(v) if key[1] in ("rows", "initial rows") else v for key, v in after}
        elif name in EVENTS:
            continue
        elif name == "rows":
            _rows(state, cell, after)
        elif name == "focus":
            state["", "focus"] = after.key() if after is not None else None
        else:
            state[cell.key() if cell is not None else "", name] = list(after) if name == "initial rows" else after
    return state


def _rows(state: State, cell: ListCell, change: tuple[Any, ...]) -> None:
    key = cell.key()
    rows = state[key, "rows"]
    if change[0] == "add":
        rows.insert(change[1], change[2].id)
    elif change[0] == "move":
        rows.insert(change[2], rows.pop(change[1]))
    else:
        gone = rows.pop(change[1])
        prefix = f"{key}#{gone}"
        inside = [k for k in state if k[0] == prefix or k[0].startswith((prefix + ".", prefix + "["))]
        # The row may come back by a reset: what it was is kept with its key, under no list.
        for each in inside:
            state["gone " + each[0], each[1]] = state.pop(each)


def as_json(live: Live, change: Change) -> dict[str, Any]:
    """One change as a JSON object, cells by their keys; the same bytes in every run."""
    step, time, cell, name, before, after = change
    found: dict[str, Any] = {"step": step, "ms": time - live.start, "cell": cell.key() if cell is not None else "", "property": name}
    if name == "rows":
        found["after"] = [p.id if isinstance(p, RowCell) else p for p in after]
    elif name in ("born", "reload"):
        found["after"] = len(after)
    else:
        found["before"], found["after"] = _plain(cell, name, before), _plain(cell, name, after)
    return found


def _plain(cell: Any, name: str, value: Any) -> Any:
    if name == "breaks":
        return [c.id or c.flag for c in cell.plan.checks if value & c.bit]
    if name == "status":
        return VALIDITY[value]
    if name in ("reported", "shows"):
        return [said_text(cell, text) for _, text in value]
    if name == "focus":
        return value.key() if value is not None else None
    if name == "notice" and value is not None:
        return value._asdict()
    return value
