"""Judges rules and keeps the sums: which checks a cell breaks now, and what its containers add up to.

Incremental: a change re-judges the cell it happened in and the units that read it; containers count.
"""

from __future__ import annotations

from typing import Any

from ...forms.values.values import is_empty
from ..plan.plans import CheckPlan
from ..state.cells import ASKING, INVALID, UNASKED, VALID, Cell, Container, FieldCell, ListCell, judged_value, validity_of
from ..state.form_state import FormState
from ..state.paths import reach
from .rules import twin_key


def broken_checks(cell: Cell) -> int:
    """The checks *cell* breaks now, a bit each, from its state alone; a lookup's refusals are added elsewhere."""
    plan = cell.plan
    if not cell.active or not plan.checks:
        return 0
    if type(cell) is FieldCell:
        if cell.bad_input:
            return int(plan.bad_bit)
        value = cell.value
        if type(value) is str:
            if plan.normal is not None:
                value = plan.normal(value)
            tests = plan.tests_filled if value else plan.tests_empty
        else:
            tests = plan.tests_empty if is_empty(value) else plan.tests_filled
    else:
        value = None
        tests = plan.tests_empty if type(cell) is ListCell and not cell.parts else plan.tests_filled
    mask = 0
    for bit, test in tests:
        if test(cell, value):
            mask |= bit
    return mask


def judge(live: FormState, cell: Cell) -> None:
    """Judge all rules of *cell*."""
    settle(live, cell, broken_checks(cell))


def settle(live: FormState, cell: Cell, broken: int) -> None:
    """*cell* breaks the checks *broken* now, and what lookups have refused."""
    mask = broken
    if type(cell) is FieldCell and cell.questions:
        mask |= refused_bits(cell)
    if mask != cell.broken:
        live.trace.append((live.step, live.now, cell, "breaks", cell.broken, mask))
        cell.broken = mask
        set_status(live, cell)
    elif cell.plan.lookups:
        set_status(live, cell)


def judge_one(live: FormState, cell: Cell, index: int) -> None:
    """Judge one rule of *cell* again, because something else that it reads has changed."""
    check = cell.plan.checks[index]
    if check.kind == "lookup":
        set_status(live, cell)
        return
    broken = _breaks_one(cell, check)
    if broken is not bool(cell.broken & check.bit):
        mask = cell.broken ^ check.bit
        live.trace.append((live.step, live.now, cell, "breaks", cell.broken, mask))
        cell.broken = mask
        set_status(live, cell)
        live.followers[cell] = None
    elif cell.broken and cell.broken not in cell.plan.said:
        live.followers[cell] = None  # its message may contain the parameter that has changed


def _breaks_one(cell: Cell, check: CheckPlan) -> bool:
    if not cell.active:
        return False
    if type(cell) is FieldCell:
        if cell.bad_input:
            return bool(check.bit & cell.plan.bad_bit)
        value = judged_value(cell)
        empty = is_empty(value)
    else:
        value = None
        empty = type(cell) is ListCell and not cell.parts
    tests = cell.plan.tests_empty if empty else cell.plan.tests_filled
    return any(bit == check.bit and test(cell, value) for bit, test in tests)


def owner_breaks(test: Any, common: int, up: tuple[int, ...], required: bool, on_empty: bool, cell: Any, value: Any) -> bool:
    """Return whether a rule that belongs to *cell* with `at` is broken, by its owner's value in any of the owner's rows."""
    return any(_breaks_of(test, required, on_empty, owner) for owner in reach(cell, common, up))


def _breaks_of(test: Any, required: bool, on_empty: bool, owner: Any) -> bool:
    if not owner.active:
        return False
    value = None
    if type(owner) is FieldCell:
        if owner.bad_input:
            return False
        value = judged_value(owner)
        if is_empty(value):
            return required or (on_empty and bool(test(owner, value)))
    return not required and bool(test(owner, value))


def refused_bits(cell: FieldCell) -> int:
    """The lookups that have refused the value *cell* has now."""
    mask = 0
    for index, question in (cell.questions or {}).items():
        if question.refused:
            mask |= cell.plan.checks[index].bit
    return mask


def lookup_status(cell: FieldCell) -> int:
    """Return the lookup status of a cell that breaks nothing: pending, still to be asked, or valid."""
    value = judged_value(cell)
    if is_empty(value):
        return VALID
    status = VALID
    for check in cell.plan.lookups:
        if check.when is not None and check.when(cell, None) is not True:
            continue
        question = cell.questions.get(check.index) if cell.questions else None
        if question is None or question.state == "unasked":
            status = max(status, UNASKED)
        elif question.state == "asking":
            return ASKING
    return status


def set_status(live: FormState, cell: Cell) -> None:
    """Bring what *cell* adds to the sums in line with its own state."""
    if cell.broken:
        status = INVALID
    elif cell.active and cell.plan.lookups and isinstance(cell, FieldCell):
        status = lookup_status(cell)
    else:
        status = VALID
    before = cell.status
    if status == before:
        return
    cell.status = status
    live.trace.append((live.step, live.now, cell, "status", before, status))
    container: Container | None = cell.up
    if isinstance(cell, Container):
        container = cell
    elif "validity" in cell.plan.watch:
        live.notify(cell, "validity")
    while container is not None:
        tally, watched = container.tally, "validity" in container.plan.watch
        old = validity_of(container) if watched else status
        tally[before] -= 1
        tally[status] += 1
        if watched and validity_of(container) != old:
            live.notify(container, "validity")
        container = container.up


def index_twin(live: FormState, cell: FieldCell) -> None:
    """Keep the index of values that must differ from row to row, and judges those that it concerns."""
    row = cell.row
    if row is None:
        return
    value = judged_value(cell)
    key = None
    if cell.active and not cell.bad_input and not is_empty(value):
        key = (cell.plan.index, twin_key(value))
    old = cell.twin
    if key == old:
        return
    twins = row.up.twins
    cell.twin = key
    if old is not None:
        left = twins[old]
        del left[cell]
        if not left:
            del twins[old]
        elif len(left) == 1:
            judge_unique(live, next(iter(left)))
    if key is not None:
        found = twins.setdefault(key, {})
        found[cell] = None
        if len(found) == 2:
            judge_unique(live, next(iter(found)))


def judge_unique(live: FormState, cell: FieldCell) -> None:
    """Queue the rules of *cell* that compare it with other rows."""
    for check in cell.plan.checks:
        if check.kind == "unique":
            live.push_check(cell, check.index)


def is_lost(cell: FieldCell) -> bool:
    """Return whether an attempt to submit has repeated a lookup about *cell* and lost its answer again."""
    return cell.active and any(question.lost for question in (cell.questions or {}).values())
