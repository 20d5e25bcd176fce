"""Ways through the tree of cells: from a cell to the cells that a chain of part numbers leads to."""

from __future__ import annotations

from typing import Any

from ..plan.plans import EVERY, FieldPlan
from .cells import FormCell


def row_at(cell: Any, level: int) -> Any:
    """The row of *level* (1: the outermost) around *cell*."""
    row = cell.row
    while row is not None and row.plan.level > level:
        row = row.up.row
    return row


def reach(cell: Any, common: int, chain: tuple[int, ...]) -> list[Any]:
    """The cells that *chain* leads to from the row of level *common* around *cell* (0: the root, -1: itself)."""
    if common < 0:
        start = cell
    elif common == 0:
        start = cell
        while not isinstance(start, FormCell):
            start = start.up
    else:
        start = row_at(cell, common)
    found = [start] if start is not None else []
    for step in chain:
        if step == EVERY:
            found = [row for rows in found for row in rows.parts]
        else:
            found = [box.parts[step] for box in found]
    return found


def chain_between(start: FieldPlan, target: FieldPlan) -> tuple[int, ...]:
    """The part numbers from *start* down to *target*, every row where a list is passed."""
    chain: list[int] = []
    plan = target
    while plan is not start:
        parent = plan.parent
        assert parent is not None, f"{target.path} is not inside {start.path}"
        chain.append(EVERY if plan.kind == "row" else plan.part)
        plan = parent
    return tuple(reversed(chain))
