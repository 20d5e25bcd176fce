"""A person's changes of one control, key by key or at once, and their effects."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.values import whatwg
from ...forms.values.values import same_choice
from ..plan.controls import SINGLE_LINE
from ..plan.plans import AT_ONCE, CHANGE
from ..state.cells import FieldCell
from ..state.form_state import FormState
from .change import Changed, assign_each, commit, set_edited
from .lists import propagate
from .questions import ask
from .timing import at_moment, drop_server


def changes(live: FormState, cell: FieldCell, raw: str, value: Any, bad_input: bool) -> bool:
    """Change *cell* to *raw*, which has the value *value*, with all effects. Return whether that is a change."""
    if raw == cell.raw and bad_input is cell.bad_input and same_choice(value, cell.value):
        return False
    _edited(live, cell)
    assign_each(live, cell, ((raw, value, bad_input),), by_person=True, follow=_follow)
    return True


def types(live: FormState, cell: FieldCell, text: str, over: bool) -> None:
    """Type the characters of *text* one by one, at the end or *over* the selected text."""
    assign_each(live, cell, _typed(live, cell, text, over), by_person=True, follow=_follow)


def room(cell: FieldCell, raw: str, text: str) -> str:
    """Return the part of *text* that the control still accepts after *raw*, in whole code points."""
    limit = cell.plan.field.limit
    if cell.plan.kind in SINGLE_LINE:
        text = whatwg.strip_newlines(text)
    if limit is None:
        return text
    left = limit - whatwg.utf16_length(raw)
    kept = ""
    for character in text:
        left -= 2 if character > "\uffff" else 1
        if left < 0:
            break
        kept += character
    return kept


def _typed(live: FormState, cell: FieldCell, text: str, over: bool) -> Iterator[Changed]:
    """Yield the raw text after each key."""
    parse, commits = cell.plan.parse, cell.plan.commits
    narrow = over or cell.plan.field.limit is not None or "\n" in text or "\r" in text  # otherwise each key appends
    for character in text:
        before = "" if over else cell.raw
        if narrow:
            character = room(cell, before, character)
            if not character and not over:
                continue
        over = False
        raw = before + character
        value, bad_input = parse(raw)
        if narrow and raw == cell.raw and bad_input is cell.bad_input and same_choice(value, cell.value):
            continue
        if not cell.edited or commits == AT_ONCE:
            _edited(live, cell)
        yield raw, value, bad_input


def _edited(live: FormState, cell: FieldCell) -> None:
    if not cell.edited:
        set_edited(live, cell, True)
    if cell.plan.commits == AT_ONCE:
        commit(live, cell)


def _follow(live: FormState, cell: FieldCell) -> None:
    """Apply the effects of a change of *cell*, except for a submission that waits for its lookups."""
    if live.heap:
        propagate(live)
    if cell.server:
        drop_server(live, cell)
    at_moment(live, cell, CHANGE)
    if cell.plan.lookups:
        ask(live, cell, CHANGE)
    elif live.heap or live.followers:
        propagate(live)
