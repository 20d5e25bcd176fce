"""The live parts of a form: a cell for every field, group, row, list and form, with its state.

Cells are plain records; what changes them stands in `change`, `judge`, `timing` and `rows`. A row is known by
its identity (the cell itself), never by its number.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.names.shapes import segment_text
from ..plan.plans import FieldPlan

VALID, UNASKED, PENDING, INVALID = range(4)
VALIDITY = ("valid", "unasked", "pending", "invalid")

# A message taken into *reported*: the check's index and its text; a text with a row's number in it is a tuple
# of parts, filled when shown, for the row may have moved by then.
Said = tuple[int, Any]


class Cell:
    """What fields and containers have in common."""

    __slots__ = (
        "active",
        "broken",
        "dirty",
        "enabled",
        "has_reported",
        "live",
        "own_enabled",
        "own_readonly",
        "own_visible",
        "plan",
        "readonly",
        "reported",
        "required",
        "row",
        "server",
        "shows",
        "status",
        "touched",
        "up",
        "visible",
    )  # fmt: skip

    def __init__(self, plan: FieldPlan, live: Any, up: Any) -> None:
        self.plan = plan
        self.live = live
        self.up: Any = up  # the container
        self.row: Any = up.row if up is not None else None  # the nearest row around (a row: itself)
        self.own_visible = True
        self.own_enabled = True
        self.own_readonly = False
        self.visible = True  # it and all around it are visible
        self.enabled = True
        self.active = True  # shown and usable: rules count
        self.readonly = False  # it or something around it is read-only
        self.broken = 0  # the checks broken now, a bit each
        self.status = VALID  # what it adds by itself to the validity of all around it
        self.has_reported = False  # has reported once
        self.reported: tuple[Said, ...] = ()
        self.server: tuple[str, ...] = ()
        self.shows: tuple[Said, ...] = ()
        self.dirty = False
        self.touched = False
        self.required = False

    def key(self) -> str:
        """The address by identities: ``wheels#3.tag``. Stays the same when rows move."""
        if isinstance(self, RowCell):
            return f"{self.up.key()}#{self.id}"
        if isinstance(self, FormCell):
            return str(self.plan.form.name)
        if self.plan.native is not None:
            return str(self.plan.native.address)
        above: str = self.up.key()
        return above + segment_text(self.plan.field.name, first=not above)

    def address(self) -> str:
        """The address as people write it now: ``wheels[0].tag``."""
        if isinstance(self, RowCell):
            return f"{self.up.address()}[{self.index()}]"
        if isinstance(self, FormCell):
            return str(self.plan.form.name)
        if self.plan.native is not None:
            return str(self.plan.native.address)
        above: str = self.up.address()
        return above + segment_text(self.plan.field.name, first=not above)


class FieldCell(Cell):
    """A field. *raw* is the text in its control, *edited* whether a person has changed it."""

    __slots__ = ("bad_input", "committed", "edited", "initial", "initial_raw", "questions", "raw", "twin", "value")

    def __init__(self, plan: FieldPlan, live: Any, up: Any) -> None:
        super().__init__(plan, live, up)
        self.value: Any = None
        self.raw = ""
        self.initial: Any = None
        self.initial_raw = ""
        self.bad_input = False
        self.edited = False
        self.committed = False  # HTML's user validity: a person's change has been committed, or a submission attempted
        self.twin: Any = None  # the key it stands under in its list's index of values that must be unique
        self.questions: dict[int, Any] | None = None  # lookups by check index


class Container(Cell):
    """A container. Counts what is in it, itself included, so that summing up costs nothing."""

    __slots__ = ("dirty_count", "marked_count", "parts", "tally", "touched_count")

    def __init__(self, plan: FieldPlan, live: Any, up: Any) -> None:
        super().__init__(plan, live, up)
        self.parts: list[Any] = []
        self.tally = [0, 0, 0, 0]  # cells by status
        self.dirty_count = 0
        self.touched_count = 0
        self.marked_count = 0


class RowCell(Container):
    """One row of a list."""

    __slots__ = ("id",)

    def __init__(self, plan: FieldPlan, live: Any, up: ListCell, number: int) -> None:
        super().__init__(plan, live, up)
        self.row = self
        self.id = number

    def index(self) -> int:
        """Its number now, from 0; -1 once it is gone."""
        for i, row in enumerate(self.up.parts):
            if row is self:
                return i
        return -1


class ListCell(Container):
    """A list of rows (its *parts*). *dirty* is its own: rows added, removed or moved."""

    __slots__ = ("initial_parts", "initial_value", "next_id", "twins", "witness")

    def __init__(self, plan: FieldPlan, live: Any, up: Any) -> None:
        super().__init__(plan, live, up)
        self.next_id = 1
        self.initial_parts: tuple[RowCell, ...] = ()
        self.initial_value: list[Any] = []
        self.witness = 0  # a row that differed from the initial one when last compared
        self.twins: dict[Any, dict[FieldCell, None]] = {}


class FormCell(Container):
    """A form or panel: the root of its cells."""

    __slots__ = ("attempts", "busy", "open")

    def __init__(self, plan: FieldPlan, live: Any) -> None:
        super().__init__(plan, live, None)
        self.attempts = 0
        self.busy = False
        self.open = True


def value_of(cell: Any) -> Any:
    """The value of any cell, as JSON."""
    if isinstance(cell, FieldCell):
        return cell.value
    if isinstance(cell, ListCell):
        return [value_of(row) for row in cell.parts]
    if isinstance(cell, FormCell) and cell.plan.form.model.page is not None:
        return _page_values(cell)
    return {part.plan.field.name: value_of(part) for part in cell.parts}


def _page_values(whole: FormCell) -> dict[str, Any]:
    """The values of a page's form by name: a name that repeats has a list."""
    found: dict[str, Any] = {}
    for part in whole.parts:
        native = part.plan.native
        if native.repeats:
            found.setdefault(native.name, []).append(part.value)
        else:
            found[part.plan.field.name] = part.value
    return found


def judged_value(cell: Any) -> Any:
    """The value of a cell as rules and conditions see it: `trim` and `case` count at all times."""
    if isinstance(cell, FieldCell):
        normal = cell.plan.normal
        return normal(cell.value) if normal is not None and isinstance(cell.value, str) else cell.value
    if isinstance(cell, ListCell):
        return [judged_value(row) for row in cell.parts]
    return {part.plan.field.name: judged_value(part) for part in cell.parts}


def validity_of(cell: Any) -> int:
    """A cell's validity, summed up for a container."""
    if isinstance(cell, Container):
        tally = cell.tally
        return INVALID if tally[INVALID] else PENDING if tally[PENDING] else UNASKED if tally[UNASKED] else VALID
    return int(cell.status)


def is_dirty(cell: Any) -> bool:
    return cell.dirty_count > 0 if isinstance(cell, Container) else bool(cell.dirty)


def is_touched(cell: Any) -> bool:
    return cell.touched_count > 0 if isinstance(cell, Container) else bool(cell.touched)


def is_marked(cell: Any) -> bool:
    """Whether *cell* is presented as wrong. A page without a sheet marks by itself: HTML, ":user-invalid"."""
    form = cell.live.plan.form
    if form.page is not None and form.page.bare:
        if isinstance(cell, Container):
            return any(is_marked(part) for part in cell.parts)
        return bool(cell.server) or (cell.committed and cell.broken != 0)
    return cell.marked_count > 0 if isinstance(cell, Container) else bool(cell.shows)


def leaves(cell: Any) -> Iterator[FieldCell]:
    """Every field in *cell*, in form order."""
    if isinstance(cell, FieldCell):
        yield cell
    else:
        for part in cell.parts:
            yield from leaves(part)


def everything(cell: Any) -> Iterator[Any]:
    """*cell* and every cell in it, in form order, containers before their parts."""
    yield cell
    if isinstance(cell, Container):
        for part in cell.parts:
            yield from everything(part)
