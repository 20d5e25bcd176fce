"""Entering a value in the way of its control: retyping, setting, picking, turning; groups and rows part by part.

`fill` and `add … with` use this for each line, whatever the type of the field.
"""

from __future__ import annotations

import mimetypes
from typing import Any

from ...forms.model.entering import CHOOSE, FILES, TURN, TYPE, WrongValue, entry_of
from ..state.cells import Cell, Container, FieldCell, ListCell
from ..state.form_state import FormState
from . import hands
from .focus import blur, focus
from .refused import cannot
from .rows import step_add, step_remove
from .sight import need_reach


def type_text(live: FormState, cell: FieldCell, text: str, *, over: bool = False) -> None:
    """Type *text* key by key, at the end or *over* the selected text."""
    need_reach(live, cell, "typing into")
    focus(live, cell)
    if over and not text:
        hands.step_clear(live, cell)
    hands.press_keys(live, cell, text, over=over)


def type_over(live: FormState, cell: FieldCell, text: str) -> None:
    """Type *text* over the selected text (`retype`)."""
    type_text(live, cell, text, over=True)


def enter_value(live: FormState, cell: Cell, value: Any) -> None:
    """Enter *value* into a field, a group or a list, then leaves it."""
    if isinstance(cell, ListCell):
        _enter_rows(live, cell, value)
    elif isinstance(cell, Container):
        if not isinstance(value, dict):
            raise cannot("needs an object", cell, value=value)
        enter_object(live, cell, value)
    else:
        assert isinstance(cell, FieldCell)
        _enter_field(live, cell, value)
        blur(live)


def enter_object(live: FormState, container: Container, values: dict[str, Any]) -> None:
    """Enter the members of *values* into the fields of a group or row, in form order."""
    parts = {part.plan.field.name: part for part in container.parts}
    for name in values:
        if name not in parts:
            raise cannot("no such field", container, field=name, fields=list(parts))
    for name, part in parts.items():
        if name in values:
            enter_value(live, part, values[name])


def _enter_rows(live: FormState, rows: ListCell, values: Any) -> None:
    if not isinstance(values, list) or not all(isinstance(v, dict) for v in values):
        raise cannot("needs objects", rows, value=values)
    while len(rows.parts) > len(values):
        step_remove(live, rows.parts[-1])
    for i, value in enumerate(values):
        if i >= len(rows.parts):
            step_add(live, rows, None)
        enter_object(live, rows.parts[i], value)


def _enter_field(live: FormState, cell: FieldCell, value: Any) -> None:
    try:
        way, entered = entry_of(cell.plan.field, value)
    except WrongValue as fault:
        raise cannot(fault.kind, cell, value=value) from None
    if way == FILES:
        hands.step_upload(live, cell, _files(cell, entered))
    elif way == TURN:
        hands.step_turn(live, cell, entered)
    elif way == CHOOSE:
        hands.step_pick(live, cell, "", entered)
    elif way == TYPE:
        type_text(live, cell, entered, over=True)
    else:
        hands.step_set(live, cell, entered)


def _files(cell: FieldCell, value: Any) -> list[dict[str, Any]]:
    """The files that *value* names: a name, or an object with name, size and type, or several."""
    found = []
    for each in value if isinstance(value, list) else [value]:
        file = {"name": each} if isinstance(each, str) else each
        name, size = (file.get("name"), file.get("size", 0)) if isinstance(file, dict) else (None, 0)
        if not isinstance(name, str) or not isinstance(size, int) or isinstance(size, bool) or size < 0:
            raise cannot("needs files", cell, value=value)
        found.append({"name": name, "size": size, "type": str(file.get("type", media_type(name)))})
    return found


def media_type(name: str) -> str:
    """Return the media type of a file's suffix."""
    return mimetypes.guess_type(name)[0] or "application/octet-stream"
