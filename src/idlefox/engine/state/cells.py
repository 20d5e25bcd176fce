"""The state of a form: a cell for every field, group, row, list and form.

Cells are plain records; `judge` and `acts` change them. A row is identified by its cell (and the number in its key), never by
its position.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Protocol

from ..plan.plans import FieldPlan, Plan
from .queue import Event

VALID, UNASKED, ASKING, INVALID = range(4)
VALIDITY = ("valid", "unasked", "asking", "invalid")

# A message in *reported*: the index of the check and the text; a text that contains a row number is a tuple
# of parts, filled when shown, for the row may have moved by then.
Said = tuple[int, Any]


class CellContext(Protocol):
    """The part of the form state that its cells use."""

    plan: Plan
    now: int
    root: FormCell
    roots_by_panel: dict[str, FormCell]
    cells_by_slot: list[Any]
    focus: FieldCell | None
    given_options: dict[tuple[str, ...], tuple[tuple[Any, str], ...]]
    file_paths: dict[tuple[str, int], str]

    def warn(self, cell: Cell | None, text: str) -> None:
        """Record a warning."""


class Question:
    """One question to a lookup about one value. *state*: unasked, asking, accepted, refused.

    *lost*: an attempt to submit has repeated the lookup and got no answer; its *message* says so.
    """

    __slots__ = ("event", "failures", "insisted", "lost", "message", "state", "value")

    def __init__(self, value: Any) -> None:
        self.value = value
        self.state = "unasked"
        self.message: Any = ""
        self.event: Event | None = None
        self.failures = 0
        self.insisted = False  # repeated by an attempt to submit
        self.lost = False

    @property
    def refused(self) -> bool:
        """Return whether the lookup refused the value."""
        return self.state == "refused"


class Cell:
    """The common attributes of fields and containers. *key* is the address with row identities, ``wheels#3.tag``."""

    __slots__ = (
        "active", "broken", "dirty", "enabled", "has_reported", "key", "live", "own_enabled", "own_readonly",
        "own_visible", "plan", "readonly", "reported", "required", "row", "server", "shows", "status", "touched", "up",
        "visible",
    )  # fmt: skip

    def __init__(self, plan: FieldPlan, live: CellContext, up: Container | None) -> None:
        self.plan = plan
        self.live = live
        self.up = up
        self.row: RowCell | None = up.row if up is not None else None  # the nearest row around (a row: itself)
        self.key: str = plan.key if self.row is None else self.row.key + plan.key
        self.own_visible = True
        self.own_enabled = True
        self.own_readonly = False
        self.visible = True  # it and all around it are
        self.enabled = True
        self.readonly = False  # it or something around it is
        self.active = True  # visible and enabled: rules count
        self.broken = 0  # the checks broken now, a bit each
        self.status = VALID  # its contribution to the validity of its containers
        self.has_reported = False
        self.reported: tuple[Said, ...] = ()
        self.server: tuple[str, ...] = ()
        self.shows: tuple[Said, ...] = ()
        self.dirty = False
        self.touched = False
        self.required = False

    def address(self) -> str:
        """The address as people write it now: ``wheels[0].tag``."""
        if self.row is None:
            return self.plan.key
        return self.row.address() + self.plan.key


class FieldCell(Cell):
    """A field. *raw* is the text in its control, *edited* whether a person has changed it."""

    __slots__ = ("bad_input", "committed", "edited", "initial", "initial_raw", "questions", "raw", "twin", "value")

    up: Container

    def __init__(self, plan: FieldPlan, live: CellContext, up: Container) -> None:
        super().__init__(plan, live, up)
        self.value: Any = None
        self.raw = ""
        self.initial: Any = None
        self.initial_raw = ""
        self.bad_input = False
        self.edited = False
        self.committed = False  # HTML's user validity: a person's change has been committed, or a submission attempted
        self.twin: Any = None  # its key in the list's index of unique values
        self.questions: dict[int, Question] | None = None  # by the lookup's check


class Container(Cell):
    """A group or other container. It counts the states inside, itself included, so that sums cost nothing."""

    __slots__ = ("dirty_count", "marked_count", "parts", "tally", "touched_count")

    def __init__(self, plan: FieldPlan, live: CellContext, up: Container | None) -> None:
        super().__init__(plan, live, up)
        self.parts: list[Any] = []
        self.tally = [0, 0, 0, 0]  # cells by status
        self.dirty_count = 0
        self.touched_count = 0
        self.marked_count = 0


class RowCell(Container):
    """One row of a list."""

    __slots__ = ("id",)

    up: ListCell

    def __init__(self, plan: FieldPlan, live: CellContext, up: ListCell, number: int) -> None:
        super().__init__(plan, live, up)
        self.row = self
        self.id = number
        self.key = f"{up.key}#{number}"

    def index(self) -> int:
        """The current number of the row, from 0; -1 if it was removed."""
        for i, row in enumerate(self.up.parts):
            if row is self:
                return i
        return -1

    def address(self) -> str:
        """The address with the current row number."""
        return f"{self.up.address()}[{self.index()}]"


class ListCell(Container):
    """A list of rows (its *parts*). *dirty* is its own: rows added, removed or moved.

    *set_back*: its rows are others than at load, but have the same values, so nothing around it counts what is dirty inside.
    """

    __slots__ = ("initial_parts", "initial_value", "next_id", "set_back", "twins", "witness")

    up: Container

    def __init__(self, plan: FieldPlan, live: CellContext, up: Container) -> None:
        super().__init__(plan, live, up)
        self.next_id = 1
        self.set_back = False
        self.initial_parts: tuple[RowCell, ...] = ()
        self.initial_value: list[Any] = []
        self.witness = 0  # a row that differed from the initial one when last compared
        self.twins: dict[Any, dict[FieldCell, None]] = {}


class FormCell(Container):
    """A form or panel: the root of its cells."""

    __slots__ = ("attempts", "busy", "open")

    def __init__(self, plan: FieldPlan, live: CellContext) -> None:
        super().__init__(plan, live, None)
        self.attempts = 0
        self.busy = False
        self.open = True


def form_of(cell: Cell) -> FormCell:
    """The form or panel that *cell* belongs to."""
    while cell.up is not None:
        cell = cell.up
    return cell  # type: ignore[return-value]


def is_inside(cell: Cell | None, top: Cell) -> bool:
    """Return whether *cell* is *top* or inside it."""
    while cell is not None and cell is not top:
        cell = cell.up
    return cell is top


def value_of(cell: Cell) -> Any:
    """The value of any cell, as JSON. Of fields that share a name, a page's, there is a list."""
    if isinstance(cell, FieldCell):
        return cell.value
    if isinstance(cell, ListCell):
        return [value_of(row) for row in cell.parts]
    assert isinstance(cell, Container)
    found: dict[str, Any] = {}
    for part in cell.parts:
        facts = part.plan.facts
        if facts.repeats:
            found.setdefault(facts.name, []).append(part.value)
        else:
            found[part.plan.field.name] = value_of(part)
    return found


def judged_value(cell: Cell) -> Any:
    """The value of a cell as rules and conditions see it: `trim` and `case` count at all times."""
    if isinstance(cell, FieldCell):
        normal = cell.plan.normal
        return normal(cell.value) if normal is not None and isinstance(cell.value, str) else cell.value
    if isinstance(cell, ListCell):
        return [judged_value(row) for row in cell.parts]
    assert isinstance(cell, Container)
    return {part.plan.field.name: judged_value(part) for part in cell.parts}


def validity_of(cell: Cell) -> int:
    """A cell's validity, summed up for a container."""
    if isinstance(cell, Container):
        tally = cell.tally
        return INVALID if tally[INVALID] else ASKING if tally[ASKING] else UNASKED if tally[UNASKED] else VALID
    return cell.status


def is_dirty(cell: Cell) -> bool:
    """Return whether a field or anything inside a container is dirty."""
    if isinstance(cell, ListCell) and cell.set_back:
        return False
    return cell.dirty_count > 0 if isinstance(cell, Container) else cell.dirty


def is_touched(cell: Cell) -> bool:
    """Return whether a field or anything inside a container is touched."""
    return cell.touched_count > 0 if isinstance(cell, Container) else cell.touched


def is_marked(cell: Cell) -> bool:
    """Return whether *cell* is presented as wrong: it shows a message or, on a page without a sheet, is ":user-invalid" (HTML)."""
    if cell.plan.form.marks_itself:
        if isinstance(cell, Container):
            return any(is_marked(part) for part in cell.parts)
        return bool(cell.server) or (isinstance(cell, FieldCell) and cell.committed and cell.broken != 0)
    return cell.marked_count > 0 if isinstance(cell, Container) else bool(cell.shows)


def leaves(cell: Cell) -> Iterator[FieldCell]:
    """Every field in *cell*, in form order."""
    ahead = [cell]
    while ahead:
        each = ahead.pop()
        if isinstance(each, FieldCell):
            yield each
        elif isinstance(each, Container):
            ahead += reversed(each.parts)


def everything(cell: Cell) -> Iterator[Any]:
    """*cell* and every cell in it, in form order, containers before their parts."""
    ahead = [cell]
    while ahead:
        each = ahead.pop()
        yield each
        if isinstance(each, Container):
            ahead += reversed(each.parts)


def shown_texts(cell: Cell) -> list[str]:
    """The messages a person sees at *cell*, with the numbers that rows have now."""
    return [said_text(cell, text) for _, text in cell.shows]


def said_text(cell: Cell, text: Any) -> str:
    """One message of *cell*, its row's number filled in."""
    if isinstance(text, str):
        return text
    number = str(cell.row.index() + 1) if cell.row is not None else ""
    return "".join(part if isinstance(part, str) else number for part in text)
