"""A known fault of forms that identify rows by number: values move up, but messages and touched states stay."""

from __future__ import annotations

from typing import Any

from ...records import NamedTuple
from ..judge.change import set_touched
from ..judge.timing import first_report, set_reported, update_shows
from ..state.cells import Container, FieldCell, ListCell, everything
from ..state.form_state import FormState


class _RowState(NamedTuple):
    touched: bool
    has_reported: bool
    reported: tuple[Any, ...]
    server: tuple[str, ...]


def told_by_number(rows: ListCell) -> list[list[_RowState]]:
    """Return the messages and touched states of each row, in order."""
    return [[_RowState(cell.touched, cell.has_reported, cell.reported, cell.server) for cell in everything(row)] for row in rows.parts]


def tell_by_number(live: FormState, rows: ListCell, told: list[list[_RowState]]) -> None:
    """Give each row the state that *told* has for its number."""
    for row, before in zip(rows.parts, told, strict=False):
        for cell, was in zip(everything(row), before, strict=False):
            if isinstance(cell, FieldCell):
                set_touched(live, cell, was.touched)
            first_report(live, cell, was.has_reported)
            set_reported(live, cell, was.reported)
            _say(live, cell, was.server)


def _say(live: FormState, cell: Any, texts: tuple[str, ...]) -> None:
    if texts == cell.server:
        return
    live.trace.append((live.step, live.now, cell, "server", cell.server, texts))
    if isinstance(cell, Container):
        live.server_on_containers += bool(texts) - bool(cell.server)
    cell.server = texts
    if texts:
        live.server_said[cell] = None
    else:
        live.server_said.pop(cell, None)
    update_shows(live, cell)
