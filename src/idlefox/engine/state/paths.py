"""Ways through the tree of cells: chains of part numbers that lead from a cell to others, and addresses made into ways."""

from __future__ import annotations

from typing import Any

from ...forms.names.addresses import named
from ..plan.plans import EVERY, FieldPlan, Plan
from .cells import Cell, FormCell, RowCell


def row_at(cell: Cell, level: int) -> Any:
    """The row of *level* (1: the outermost) around *cell*."""
    row = cell.row
    while row is not None and row.plan.level > level:
        row = row.up.row
    return row


def reach(cell: Cell, common: int, chain: tuple[int, ...]) -> list[Any]:
    """The cells that *chain* leads to from the row of level *common* around *cell* (0: the root, -1: itself)."""
    start: Any
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
            found = [container.parts[step] for container in found]
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


def is_there(cell: Cell) -> bool:
    """Return whether *cell* is still on the form: none of its rows was removed."""
    row: RowCell | None = cell.row
    while row is not None:
        if row not in row.up.parts:
            return False
        row = row.up.row
    return True


class CellPath:
    """A resolved address: the *index* of a cell that never moves, or the *steps* from its form.

    A step is a part's number, or a row's (*counted*); *at* is the index of the address's segment, for messages.
    """

    __slots__ = ("index", "panel", "steps")

    def __init__(self, panel: str, index: int, steps: tuple[tuple[bool, int, int], ...]) -> None:
        self.panel = panel
        self.index = index
        self.steps = steps


def way_to(plan: Plan, segments: tuple[Any, ...]) -> CellPath:
    """The way of the address *segments*, which names something in the form (`script.against` has seen to that)."""
    field = plan.main.root
    panel = ""
    if (name := named(plan.form.shape, segments)) is not None:
        return CellPath("", plan.paths[(name,)].index, ())
    rest = segments
    if segments and segments[0] in plan.panels and (segments[0],) not in {p.path for p in field.parts}:
        panel, rest = str(segments[0]), segments[1:]
        field = plan.panels[panel].root
    offset = len(segments) - len(rest)
    steps: list[tuple[bool, int, int]] = []
    counted = False
    for at, segment in enumerate(rest, offset):
        if isinstance(segment, int):
            field = field.parts[0]
            counted = True
            steps.append((True, segment, at))
        else:
            below = field
            found = plan.paths.get((*below.path, segment))
            field = found if found is not None else next(p for p in below.parts if p.path[-1] == segment)
            steps.append((False, field.part, at))
    return CellPath(panel, -1 if counted else field.index, tuple(steps))
