"""Payloads and lookup values as places where expressions and rules are evaluated, instead of a form.

Their expressions and rules are compiled like those of the form.
"""

from __future__ import annotations

from typing import Any

from ...forms.expressions import Closure, Reference
from ...forms.expressions.closures import Variables
from ..plan.plans import FieldPlan
from ..state.access import follow
from ..state.cells import FieldCell
from ..state.form_state import FormState


class ReceivedPayload:
    """A payload as the server received it: the place where replies are evaluated."""

    __slots__ = ("live", "payload")

    def __init__(self, live: FormState, payload: Any) -> None:
        self.live = live
        self.payload = payload


class PayloadValue(FieldCell):
    """A value of the payload in the role of a cell: the argument of a rule's test."""

    __slots__ = ("payload", "rows_around")

    def __init__(self, plan: FieldPlan, live: FormState, value: Any, payload: Any, around: list[Any], index: int) -> None:
        # Reads only what a test or message needs.
        self.plan = plan
        self.live = live
        self.value = value
        self.raw = ""
        self.bad_input = False
        self.row: Any = _Numbered(index) if index >= 0 else None
        self.payload = payload
        self.rows_around = around


class _Numbered:
    """A row of the payload, known by its number."""

    def __init__(self, number: int) -> None:
        self.number = number

    def index(self) -> int:
        return self.number


class PayloadAccess:
    """Expressions of the server read the payload (a probe's, or the payload itself) and the record."""

    def read(self, reference: Reference) -> Closure:
        """Return a closure that reads *reference* from the payload."""
        base, steps = reference.base, reference.steps
        if base in ("self", "lookup"):
            return lambda place, rows: place.value
        if base == "index":
            return lambda place, rows: place.row.index()
        if base == "record":
            return lambda place, rows: follow(place.live.record, steps)
        if base == "row":
            level = reference.level
            return lambda place, rows: follow(place.rows_around[level - 1], steps)
        if base == "var":
            name = reference.variable
            return lambda place, rows: follow(rows[name] if rows else None, steps)
        return lambda place, rows: follow(place.payload, steps)

    def rows(self, reference: Reference) -> Closure:
        """Return a closure that returns the rows of *reference*."""
        read = self.read(reference)

        def items(place: Any, rows: Variables) -> Any:
            found = read(place, rows)
            return found if isinstance(found, list) else None

        return items

    def now(self, place: Any) -> int:
        """Return the virtual time."""
        return int(place.live.now)

    def mixed(self, place: Any, what: str) -> None:
        """Warn about values of different types."""
        place.live.warn(None, f"the stub server compared values of different types: {what}")


class LookupAccess(PayloadAccess):
    """Expressions of a lookup know one name: `value`."""

    def mixed(self, place: Any, what: str) -> None:
        """Warn about values of different types."""
        place.live.warn(None, f"a lookup compared values of different types: {what}")
