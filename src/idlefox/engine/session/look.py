"""Queries about a running form. Nothing is computed that is not asked for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.expressions import Expression, compile_expression
from ..acts.buttons import button_visible
from ..acts.sight import is_enabled, is_visible
from ..judge.choices import offered
from ..state.access import StateAccess, property_value, state_test
from ..state.cells import (
    VALID,
    VALIDITY,
    Cell,
    FieldCell,
    FormCell,
    ListCell,
    everything,
    is_dirty,
    is_inside,
    is_marked,
    is_touched,
    leaves,
    shown_texts,
    validity_of,
)
from ..state.form_state import FormState

_TOUCHING = frozenset({"reads", "value", "row added", "row removed", "row moved", "server", "answer"})


def is_in_state(live: FormState, cell: Cell, word: str) -> bool:
    """Return whether *cell* has the state *word*; `visible` and `enabled` as a person finds it, including views."""
    name, wanted = state_test(word, isinstance(cell, FormCell))
    value: Any
    if name == "visible":
        seen = isinstance(cell, FormCell)
        value = button_visible(live, cell, cell.plan.form.submit) if seen else is_visible(live, cell)  # type: ignore[arg-type]
    elif name == "enabled":
        value = is_enabled(cell)
    else:
        value = property_value(cell, name)
    return bool(value == wanted)


def holds(live: FormState, cell: Cell, expression: Expression) -> bool:
    """Return whether *expression*, one of the form's own, is true at *cell*."""
    asked = live.plan.asked
    closure = asked.get(id(expression))  # the form holds it as long as the plan is there
    if closure is None:
        closure = asked[id(expression)] = compile_expression(expression, StateAccess(live.plan))
    return closure(cell, None) is True


def broken_rules(cell: Cell) -> list[tuple[str, ...]]:
    """Return the broken rules of *cell* in order, each with all its names."""
    return [c.names for c in cell.plan.checks if cell.broken & c.bit]


def messages(live: FormState, cell: Cell) -> list[str]:
    """Return the messages that a person sees at *cell*."""
    return shown_texts(cell) if cell.shows and is_visible(live, cell) else []


def options(cell: FieldCell) -> list[Any]:
    """Return the options of the choice *cell* in order."""
    return [o.value for o in offered(cell)]


def option_labels(cell: FieldCell) -> list[str]:
    """Return the labels of the options of the choice *cell* in order."""
    return [o.label for o in offered(cell)]


def _on_page(live: FormState) -> Iterator[Any]:
    for form in live.roots_by_panel.values():
        if form.open:
            yield from everything(form)


def errors(live: FormState) -> dict[str, list[str]]:
    """Every message on show, by address; the form's own under ``""``."""
    return {cell.address(): shown_texts(cell) for cell in _on_page(live) if cell.shows and is_visible(live, cell)}


def dirty_fields(live: FormState) -> list[str]:
    """The addresses of the fields that are dirty, and of the lists whose rows were added, removed or moved."""
    return [cell.address() for cell in _on_page(live) if cell.dirty and not _is_set_back(cell)]


def _is_set_back(cell: Cell) -> bool:
    """Return whether *cell* is in a list that has its initial value again."""
    above: Cell | None = cell.up
    while above is not None:
        if isinstance(above, ListCell) and above.set_back:
            return True
        above = above.up
    return False


def touched_fields(live: FormState) -> list[str]:
    """Return the addresses of the touched fields."""
    return [cell.address() for form in live.roots_by_panel.values() if form.open for cell in leaves(form) if cell.touched]


def words_of(live: FormState, cell: Cell) -> list[str]:
    """Return the most telling states of *cell*, for a failure report."""
    words = [
        "dirty" if is_dirty(cell) else "clean",
        "touched" if is_touched(cell) else "not touched",
        VALIDITY[validity_of(cell)],
    ]
    if not isinstance(cell, FormCell):
        if not is_visible(live, cell):
            words.append("hidden")
        if not is_enabled(cell):
            words.append("disabled")
        if cell.readonly:
            words.append("readonly")
    if is_marked(cell):
        words.append("marked")
    return words


def trouble_inside(top: Cell) -> list[tuple[str, tuple[str, ...]]]:
    """Return what keeps the form or container *top* from being valid: the address of each part with its broken rules.

    Where nothing is broken: with `asking` or `unasked`, if a lookup's answer is still owed.
    """
    wanted = validity_of(top)
    if wanted == VALID:
        return []
    return [
        (cell.address(), tuple(c.name for c in cell.plan.checks if cell.broken & c.bit) or (VALIDITY[cell.status],))
        for cell in everything(top)
        if cell.status == wanted
    ]


def last_touch(live: FormState, cell: Cell) -> int:
    """Return the number of the last step that changed *cell* or something inside it; 0 if none has since load."""
    return next((step for step, _, c, name, _, _ in reversed(live.own_trace()) if name in _TOUCHING and is_inside(c, cell)), 0)


def count_of(cell: Cell) -> int | None:
    """Return the number of rows of a list."""
    return len(cell.parts) if isinstance(cell, ListCell) else None
