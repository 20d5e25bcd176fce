"""The steps of a script that enter a value in a field, by the table of `forms.model.entering`."""

from __future__ import annotations

from typing import Any

from ..forms.model.entering import CHOOSE, FILES, SET, TURN, way_of
from ..forms.model.form import Field
from ..script.writer import quoted


def step_entering(field: Field, address: str, value: Any) -> str:
    """Return the step that enters *value* in *field*, which a script calls *address*."""
    way = way_of(field)
    if way == TURN:
        return f"turn {address} {'on' if value else 'off'}"
    if way == CHOOSE:
        return f"pick {address} {', '.join(quoted(each) for each in (value if isinstance(value, list) else [value]))}"
    if way == FILES:
        return f'upload {address} "{value}"'
    if way == SET:
        return f"set {address} {quoted(value)}"
    return f"retype {address} {quoted(value)}" if value else f"clear {address}"
