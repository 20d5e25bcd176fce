"""How expressions read a running form: bound references become closures over cells.

A closure gets the cell it is evaluated at and walks from there: up to the enclosing row or the form's root, then down by part
numbers fixed when the plan was made.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.expressions import Closure, Reference
from ...forms.expressions.closures import Variables
from ...forms.names.states import FIELD_STATES, FORM_ONLY, FORM_STATES
from ...forms.values.values import is_empty
from ..plan.plans import Plan
from .cells import VALIDITY, Cell, FieldCell, is_dirty, is_inside, is_marked, is_touched, judged_value, validity_of
from .paths import row_at

Finder = Callable[[Any, Variables], Any]


def is_focused(cell: Cell) -> bool:
    """Return whether the focus is on *cell* or in it."""
    return is_inside(cell.live.focus, cell)


def _is_empty(cell: Any) -> bool:
    return is_empty(judged_value(cell)) and not (isinstance(cell, FieldCell) and cell.bad_input)


# Functions that read each property of a cell, by the names in `names.states`.
_PROPERTIES: dict[str, Callable[[Any], Any]] = {
    "validity": lambda cell: VALIDITY[validity_of(cell)],
    "dirty": is_dirty,
    "touched": is_touched,
    "focused": is_focused,
    "visible": lambda cell: cell.visible,
    "enabled": lambda cell: cell.enabled,
    "readonly": lambda cell: cell.readonly,
    "required": lambda cell: cell.required,
    "marked": is_marked,
    "empty": _is_empty,
    "on": lambda cell: cell.value is True,
    "busy": lambda cell: cell.busy,
    "attempted": lambda cell: cell.attempts > 0,
}


def property_value(cell: Cell, name: str) -> Any:
    """A property of *cell*, by the names that `names.states` uses."""
    return _PROPERTIES[name](cell)


def state_test(word: str, whole: bool) -> tuple[str, object]:
    """The property and value that the state *word* asks about, of a field or of a whole form."""
    table = {**FORM_STATES, **FORM_ONLY} if whole else FIELD_STATES
    return table[word]


def follow(value: Any, steps: tuple[str | int, ...]) -> Any:
    """Follow *steps* in plain data; None if they lead nowhere."""
    for step in steps:
        if isinstance(value, dict):
            value = value.get(step)
        elif isinstance(value, list) and isinstance(step, int) and -len(value) <= step < len(value):
            value = value[step]
        else:
            return None
    return value


class StateAccess:
    """Reads references from cells. One for a plan."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan

    def now(self, place: Any) -> int:
        """Return the virtual time."""
        return int(place.live.now)

    def mixed(self, place: Any, what: str) -> None:
        """Warn about values of different types."""
        place.live.warn(place, f"an expression compared values of different types: {what}")

    def read(self, reference: Reference) -> Closure:
        """Return a closure that reads *reference*."""
        if reference.base == "index":
            level = reference.level
            return lambda cell, rows: row_at(cell, level).index()
        find = self.finder(reference)
        if reference.member != "value":
            return self._state(find, reference)
        if reference.base == "self":
            return lambda cell, rows: judged_value(cell)

        def value(cell: Any, rows: Variables) -> Any:
            found = find(cell, rows)
            if type(found) is FieldCell:
                normal = found.plan.normal
                return found.value if normal is None else judged_value(found)
            return judged_value(found) if found is not None else None

        if reference.base == "var" and reference.target is None:
            return self._item(reference)
        return value

    def _state(self, find: Finder, reference: Reference) -> Closure:
        target = self.plan.paths.get(reference.target or ())
        name, wanted = state_test(reference.member, target is None or target.kind == "form")

        def state(cell: Any, rows: Variables) -> Any:
            found = find(cell, rows)
            return None if found is None else property_value(found, name) == wanted

        return state

    def _item(self, reference: Reference) -> Closure:
        """A part of a list's item that is plain data (a chosen file's size)."""
        name, steps = reference.variable, reference.steps
        return lambda cell, rows: follow(rows[name] if rows else None, steps)

    def rows(self, reference: Reference) -> Closure:
        """Return a closure that returns the rows of *reference*."""
        find = self.finder(reference)
        target = self.plan.paths.get(reference.target or ())
        if reference.member != "value" or target is None or target.kind != "rows":
            return self.read(reference)

        def parts(cell: Any, rows: Variables) -> Any:
            found = find(cell, rows)
            return found.parts if found is not None else None

        return parts

    # finding cells
    def finder(self, reference: Reference) -> Finder:
        """Return a function from a place to the cell that *reference* names."""
        base = reference.base
        if base == "self":
            return lambda cell, rows: cell
        if base == "var":
            name = reference.variable
            return self._descend(lambda cell, rows: rows[name] if rows else None, reference)
        if base == "row":
            level = reference.level
            return self._descend(lambda cell, rows: row_at(cell, level), reference)
        panel = base.partition(":")[2]
        if "*" not in (reference.target or ()) and reference.target in self.plan.paths:
            index = self.plan.paths[reference.target].index
            return lambda cell, rows: cell.live.cells_by_slot[index]
        start: Finder = (lambda cell, rows: cell.live.roots_by_panel[panel]) if panel else (lambda cell, rows: cell.live.root)
        return self._descend(start, reference)

    def _steps(self, reference: Reference) -> list[tuple[bool, int]]:
        """The way down from where *reference* starts: part numbers, and numbers of rows (True)."""
        steps: list[tuple[bool, int]] = []
        target = reference.target or ()
        path: tuple[str, ...] = target[: len(target) - len(reference.steps)]
        for step in reference.steps:
            if isinstance(step, int):
                path = (*path, "*")
                steps.append((True, step))
            else:
                path = (*path, step)
                if path in self.plan.paths:
                    steps.append((False, self.plan.paths[path].part))
        return steps

    def _descend(self, start: Finder, reference: Reference) -> Finder:
        steps = self._steps(reference)
        if not steps:
            return start
        if len(steps) == 1 and not steps[0][0]:
            part = steps[0][1]

            def one(cell: Any, rows: Variables) -> Any:
                found = start(cell, rows)
                return found.parts[part] if found is not None else None

            return one

        def walk(cell: Any, rows: Variables) -> Any:
            found = start(cell, rows)
            for counted, number in steps:
                if found is None or (counted and not -len(found.parts) <= number < len(found.parts)):
                    return None
                found = found.parts[number]
            return found

        return walk
