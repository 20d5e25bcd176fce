"""The state of a field in one line, for failures, traces and prompts."""

from __future__ import annotations

from typing import Any

from ..engine.acts.sight import is_enabled, is_visible
from ..engine.judge.timing import shown_texts
from ..engine.state.cells import VALIDITY, FieldCell, FormCell, ListCell, is_dirty, is_marked, is_touched, validity_of
from ..engine.state.live import Live
from ..forms.values.values import written


def state_lines(live: Live, cell: Any) -> tuple[str, ...]:
    """``voucher   "ISLE1"   dirty  touched  invalid   breaks tooShort``, and what it shows in a line of its own."""
    name = cell.address() or "form"
    words = [
        "dirty" if is_dirty(cell) else "pristine",
        "touched" if is_touched(cell) else "untouched",
        VALIDITY[validity_of(cell)],
    ]
    if not isinstance(cell, FormCell):
        if not is_visible(live, cell):
            words.append("hidden")
        if not is_enabled(live, cell):
            words.append("disabled")
        if cell.readonly:
            words.append("readonly")
    if is_marked(cell):
        words.append("marked")
    if isinstance(cell, FieldCell):
        value = written(cell.value)
        if cell.bad_input:
            value += f" (reads {written(cell.raw)})"
    elif isinstance(cell, ListCell):
        value = f"{len(cell.parts)} row{'s' if len(cell.parts) != 1 else ''}"
    else:
        value = ""
    parts = [name, value, "  ".join(words)]
    broken = [c.id or (c.kind if c.flag == "customError" else c.flag) for c in cell.plan.checks if cell.broken & c.bit]
    if broken:
        parts.append("breaks " + ", ".join(broken))
    line = "   ".join(p for p in parts if p)
    if not cell.shows:
        return (line,)
    return (line, "shows " + ", ".join(written(t) for t in shown_texts(cell)))
