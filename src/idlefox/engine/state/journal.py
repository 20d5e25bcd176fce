"""The journal: what each step changed, as plain data that survives a process boundary.

From the initial state and the journal alone, the state after any step can be rebuilt: `rebuild` does it, and the tests
hold the engine to it, also over rows, panels that open, leaving and loading again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from ...records import NamedTuple
from .cells import Cell, everything
from .form_state import FormState
from .long_texts import EditReplay
from .properties import BY_NAME, EVENTS, OF_PAGE, STRUCTURE, properties_of

# Of every cell by its key, and of the page itself under "", the properties by name; rows are known by their identities.
State = dict[str, dict[str, Any]]


class Changed(NamedTuple):
    """One change of the property *name*: *ms* since the scenario's start; *cell* is a key, "" for the main form and the page itself."""

    step: int
    ms: int
    cell: str
    name: str
    before: Any
    after: Any

    @property
    def is_event(self) -> bool:
        """Return whether it is an event rather than part of a state."""
        return self.name in EVENTS

    @property
    def is_structure(self) -> bool:
        """Return whether it brought cells along, or took them away."""
        return self.name in STRUCTURE

    def as_json(self) -> dict[str, Any]:
        """The change as a JSON object, the same bytes in every run. Of what brings cells along, how many."""
        after = _size(self.after) if self.is_structure else self.after
        return {
            "step": self.step, "ms": self.ms, "cell": self.cell, "property": self.name, "before": self.before, "after": after,
        }  # fmt: skip


def _size(after: Any) -> Any:
    if isinstance(after, tuple):
        return {"place": after[0], "row": after[1]}
    return {"cells": len(after)} if isinstance(after, dict) else after


class Exchange(NamedTuple):
    """A request and its answer: *status* is that of the answer, None while pending, "lost" if the connection broke."""

    step: int
    ms: int
    method: str
    target: str
    media_type: str
    body: str
    payload: Any
    status: int | str | None
    answered_ms: int | None


class Journal(NamedTuple):
    """*start* is the virtual time at load in milliseconds since 1970-01-01T00:00Z."""

    start: int
    changes: tuple[Changed, ...]
    exchanges: tuple[Exchange, ...]


def snapshot(live: FormState) -> State:
    """The whole state now."""
    state: State = {}
    for form in live.roots_by_panel.values():
        state.update(snapshot_of(form))
    page = state.setdefault("", {})
    for each in OF_PAGE:
        page[each.name] = each.plain(None, getattr(live, each.attribute))
    return state


def snapshot_of(top: Cell) -> State:
    """The state of *top* and all in it."""
    return {
        cell.key: {each.name: each.plain(cell, getattr(cell, each.attribute)) for each in properties_of(cell)}
        for cell in everything(top)
    }


def journal(live: FormState) -> Journal:
    """All that has happened since load."""
    whole = EditReplay().of
    changes = tuple(_changed(live.start, change, whole) for change in live.own_trace())
    return Journal(live.start, changes, _exchanges(live))


def _changed(start: int, change: tuple[int, int, Any, str, Any, Any], whole: Callable[[Any], Any]) -> Changed:
    step, time, cell, name, before, after = change
    before, after = whole(before), whole(after)
    key = cell.key if cell is not None else ""
    known = BY_NAME.get(name)
    if known is None:
        return Changed(step, time - start, key, name, before, after)
    return Changed(step, time - start, key, name, known.plain(cell, before), known.plain(cell, after))


def _exchanges(live: FormState) -> tuple[Exchange, ...]:
    sent = {number: (step, time) for step, time, _, name, number, _ in live.trace if name == "request"}
    answers = {number: (time, status) for _, time, number, status in live.answers}
    found: list[Exchange] = []
    for number, request in enumerate(live.requests):
        step, time = sent[number]
        answered, status = answers.get(number, (None, None))
        found.append(Exchange(
            step, time - live.start, request.method, request.target, request.media_type, request.body, request.payload, status,
            answered - live.start if answered is not None else None,
        ))  # fmt: skip
    return tuple(found)


def rebuild(initial: State, changes: Iterable[Changed], step: int) -> State:
    """The state after *step*, from the *initial* state and the journal alone."""
    state = _copied(initial)
    for change in changes:
        if change.step > step:
            break
        name = change.name
        if name in EVENTS:
            continue
        if name in STRUCTURE:
            state = _restructured(state, change)
        elif change.cell in state:  # a cell outside the form may still change: a row that a reset restores
            state[change.cell][name] = change.after
    return state


def _copied(state: State) -> State:
    return {
        key: {name: list(value) if name == "rows" else value for name, value in properties.items()}
        for key, properties in state.items()
    }


def _restructured(state: State, change: Changed) -> State:
    name, key = change.name, change.cell
    if name == "loaded":
        return _copied(change.after)
    if name == "opened":
        _take_out(state, key)
        state.update(_copied(change.after))
        return state
    if key not in state:
        return state
    rows = state[key]["rows"]
    if name == "row added":
        at, number, added = change.after
        rows.insert(at, number)
        state.update(_copied(added))
    elif name == "row moved":
        rows.insert(change.after, rows.pop(change.before))
    else:
        _take_out(state, f"{key}#{rows.pop(change.before)}")
    return state


def _take_out(state: State, top: str) -> None:
    for key in [k for k in state if k == top or k.startswith((top + ".", top + "[", top + "#"))]:
        del state[key]
