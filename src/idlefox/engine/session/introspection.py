"""Questions about a running form that only the studies ask.

Nothing here changes the form: anything that must be tried is tried on a copy.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.values.values import is_empty
from ...records import NamedTuple
from ..acts.form_kind import form_kind_of
from ..acts.reset import set_back
from ..acts.sight import is_enabled, is_visible
from ..judge.breaks import broken_checks, refused_bits
from ..state.cells import (
    ASKING,
    UNASKED,
    Cell,
    FieldCell,
    FormCell,
    ListCell,
    everything,
    is_inside,
    judged_value,
    leaves,
    said_text,
    shown_texts,
    validity_of,
)
from ..state.form_state import FormState
from .session import Session


class RowFieldState(NamedTuple):
    """The state of a field in a row that must stay with its row."""

    touched: bool
    broken: int
    value: Any
    server: tuple[str, ...]
    shows: tuple[Any, ...]


def may_reach(session: Session, step: Any) -> bool:
    """Return whether the target of *step* exists, is visible and enabled. A cheap test that most impossible steps fail."""
    address = getattr(step, "address", None)
    if address is None:
        return True
    cell = session.find(address.segments)
    return isinstance(cell, Cell) and cell.visible and cell.enabled


def said_in_vain(live: FormState) -> Iterator[tuple[Cell, str]]:
    """Messages on show whose rule holds by now, at fields that the person is not in."""
    blind = live.plan.faults.last_edited
    for cell in live.reporting:
        broken = cell.broken
        if blind and cell.plan.path in blind:  # the recorded state may be wrong
            broken = broken_checks(cell) | (refused_bits(cell) if isinstance(cell, FieldCell) else 0)
        vain = [(index, text) for index, text in cell.shows if index >= 0 and not broken >> index & 1]
        if not vain or is_inside(live.focus, cell) or not is_visible(live, cell):
            continue
        questions = cell.questions if isinstance(cell, FieldCell) else None
        for index, text in vain:
            if questions is None or index not in questions or not questions[index].lost:
                yield cell, said_text(cell, text)


def server_says(live: FormState) -> Iterator[tuple[Cell, Any]]:
    """Yield the fields and lists that show server messages, each with its value."""
    for cell in live.server_said:
        if not isinstance(cell, FormCell) and cell.shows:
            yield cell, judged_value(cell)


def says_anything(live: FormState) -> bool:
    """Return whether any message is on show."""
    return any(cell.shows and is_visible(live, cell) for form in live.roots_by_panel.values() if form.open for cell in everything(form))


def says_nothing_with(live: FormState) -> Iterator[Cell]:
    """Yield cells that are marked as wrong with an empty message."""
    for form in live.roots_by_panel.values():
        for cell in everything(form) if form.open else ():
            if cell.shows and not any(text.strip() for text in shown_texts(cell)):
                yield cell


def first_wrong(live: FormState, form: FormCell) -> FieldCell | None:
    """The first control of *form* that is wrong, where a person can get at it."""
    found = form_kind_of(form).first_invalid(live, form)
    return found if found is not None and is_visible(live, found) and is_enabled(found) else None


def out_of_reach(live: FormState, form: FormCell) -> Iterator[Cell]:
    """Yield invalid cells of *form* that a person can neither see nor change."""
    for cell in everything(form):
        if cell.broken and not isinstance(cell, FormCell) and not (is_visible(live, cell) and is_enabled(cell)):
            yield cell


def blocked_by_absent(session: Session, form: FormCell) -> Iterator[tuple[Cell, Cell]]:
    """Fields that are hidden or disabled, each with what breaks a rule only because of the value it has kept."""
    there = list(everything(form))
    for number, cell in enumerate(there):
        if not isinstance(cell, FieldCell) or cell.active or cell.plan.kind == "hidden" or is_empty(cell.value) or not cell.dirty:
            continue
        other = session.copy().live
        twin = list(everything(other.roots_by_panel[form.plan.form.name]))[number]
        set_back(other, twin)
        after = everything(other.roots_by_panel[form.plan.form.name])
        mended = next((each for each, now in zip(there, after, strict=False) if each.broken & ~now.broken), None)
        if mended is not None:
            yield cell, mended


def travels(form: FormCell, values: Any) -> Iterator[FieldCell]:
    """The fields that are hidden or disabled and are in *values*, a payload with its types."""
    for cell in leaves(form):
        if not cell.active and cell.plan.kind != "hidden" and _is_in(values, cell):
            yield cell


def _is_in(values: Any, cell: FieldCell) -> bool:
    chain: list[Any] = []
    each: Cell | None = cell
    while each is not None and not isinstance(each, FormCell):
        rows = each.up
        chain.append(rows.parts.index(each) if isinstance(rows, ListCell) else each.plan.field.send_name or each.plan.field.name)
        each = rows
    found = values
    for step in reversed(chain):
        there = step in found if isinstance(found, dict) else isinstance(found, list) and isinstance(step, int) and step < len(found)
        if not there:
            return False
        found = found[step]
    return True


def owes_an_answer(form: FormCell) -> bool:
    """Return whether a lookup of *form* is pending or still to be asked."""
    return any(cell.status in (ASKING, UNASKED) for cell in leaves(form)) if validity_of(form) else False


def told_of_rows(rows: ListCell) -> dict[int, dict[str, RowFieldState]]:
    """Return the state of each field of each row, by the row's identity and the field's key, which names inner rows as well."""
    return {row.id: {cell.key: _told(cell) for cell in leaves(row)} for row in rows.parts}


def _told(cell: FieldCell) -> RowFieldState:
    touched = cell.touched or cell is cell.live.focus  # removing and moving leaves it
    return RowFieldState(touched, cell.broken, judged_value(cell), cell.server, tuple(index for index, _ in cell.shows))


def misplaced(rows: ListCell, before: dict[int, dict[str, RowFieldState]]) -> Iterator[tuple[FieldCell, str]]:
    """Yield the fields in rows whose state changed when rows moved, compared with *before*, and which part of it."""
    for row in rows.parts:
        for cell in leaves(row):
            was = before.get(row.id, {}).get(cell.key)
            if was is None:
                continue
            if was.value != judged_value(cell) and not cell.plan.often:
                yield cell, "value"
            elif was.touched is not cell.touched:
                yield cell, "touched mark"
            elif was.server != cell.server:
                yield cell, "server message"
            elif any(i not in was.shows and not (cell.broken | was.broken) >> i & 1 for i, _ in cell.shows if i >= 0):
                yield cell, "message"


def as_seen(cell: FieldCell, value: Any) -> Any:
    """*value* as rules and lookups would see it in *cell*."""
    normal = cell.plan.normal
    return normal(value) if normal is not None and isinstance(value, str) else value


__all__ = [
    "RowFieldState", "as_seen", "blocked_by_absent", "everything", "first_wrong", "judged_value", "leaves",
    "misplaced", "out_of_reach", "owes_an_answer",
    "said_in_vain", "said_text", "says_anything", "says_nothing_with", "server_says", "shown_texts", "told_of_rows", "travels",
]  # fmt: skip
