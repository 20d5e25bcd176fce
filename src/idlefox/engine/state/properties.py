"""The table of properties that make up the state of a form.

Changes, snapshots, rebuilding, JSON and the trace use it: a property has a name, a cell (or the page) keeps it under
*attribute*, and *plain* converts it to plain data.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...records import NamedTuple
from .cells import VALIDITY, Cell, Container, FieldCell, FormCell, ListCell

Plain = Callable[[Any, Any], Any]


class Property(NamedTuple):
    """*of*: which cells have it, None: the page itself."""

    name: str
    of: type[Cell] | None
    attribute: str
    plain: Plain


def _as_it_is(cell: Any, value: Any) -> Any:
    return value


def _check_names(cell: Any, broken: int) -> list[str]:
    return [c.name for c in cell.plan.checks if broken & c.bit]


def _validity(cell: Any, status: int) -> str:
    return VALIDITY[status]


def _said(cell: Any, said: tuple[tuple[int, Any], ...]) -> list[list[Any]]:
    """Rule and text of each message; in a text that holds its row's number that number is null."""
    checks = cell.plan.checks
    return [[checks[index].name if index >= 0 else "", _text(text)] for index, text in said]


def _text(text: Any) -> Any:
    return text if isinstance(text, str) else [part if isinstance(part, str) else None for part in text]


def _list(cell: Any, value: Any) -> list[Any]:
    return list(value)


def _ids(cell: Any, rows: Any) -> list[int]:
    return [row.id for row in rows]


def _key(cell: Any, focus: Any) -> str | None:
    return focus.key if focus is not None else None


def _button(cell: Any, button: Any) -> str | None:
    return button.label if button is not None else None


def _notice(cell: Any, notice: Any) -> dict[str, Any] | None:
    return notice._asdict() if notice is not None else None


def _options(cell: Any, given: Any) -> dict[str, list[list[Any]]]:
    return {".".join(path): [list(option) for option in options] for path, options in given.items()}


TABLE = (
    Property("value", FieldCell, "value", _as_it_is),
    Property("reads", FieldCell, "raw", _as_it_is),
    Property("initial", FieldCell, "initial", _as_it_is),
    Property("edited", FieldCell, "edited", _as_it_is),
    Property("committed", FieldCell, "committed", _as_it_is),
    Property("dirty", Cell, "dirty", _as_it_is),
    Property("touched", Cell, "touched", _as_it_is),
    Property("status", Cell, "status", _validity),
    Property("breaks", Cell, "broken", _check_names),
    Property("has_reported", Cell, "has_reported", _as_it_is),
    Property("reported", Cell, "reported", _said),
    Property("server", Cell, "server", _list),
    Property("shows", Cell, "shows", _said),
    Property("visible", Cell, "visible", _as_it_is),
    Property("enabled", Cell, "enabled", _as_it_is),
    Property("readonly", Cell, "readonly", _as_it_is),
    Property("required", Cell, "required", _as_it_is),
    Property("rows", ListCell, "parts", _ids),
    Property("initial_rows", ListCell, "initial_parts", _ids),
    Property("attempts", FormCell, "attempts", _as_it_is),
    Property("busy", FormCell, "busy", _as_it_is),
    Property("open", FormCell, "open", _as_it_is),
    Property("focus", None, "focus", _key),
    Property("on_button", None, "on_button", _button),
    Property("view", None, "view", _as_it_is),
    Property("away", None, "away", _as_it_is),
    Property("outcome", None, "outcome", _as_it_is),
    Property("location", None, "location", _as_it_is),
    Property("notice", None, "notice", _notice),
    Property("record", None, "record", _as_it_is),
    Property("given_options", None, "given_options", _options),
)
BY_NAME = {each.name: each for each in TABLE}
OF_PAGE = tuple(each for each in TABLE if each.of is None)
_OF_CELLS = {
    kind: tuple(each for each in TABLE if each.of is not None and issubclass(kind, each.of))
    for kind in [FieldCell, Container, ListCell, FormCell, *Container.__subclasses__()]
}

# Events that are not properties: part of the trace, not of a state.
EVENTS = frozenset({
    "asks", "stale answer", "answer", "lost answer", "dropped question", "dropped error", "ignored press", "request",
    "warning", "dialog closed", "console", "document",
})  # fmt: skip
# Events that add or remove cells.
STRUCTURE = frozenset({"row added", "row removed", "row moved", "opened", "loaded"})


def properties_of(cell: Cell) -> tuple[Property, ...]:
    """The properties that *cell* has."""
    return _OF_CELLS[type(cell)]
