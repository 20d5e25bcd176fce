"""What a person changes in one control, and what follows from it: by keys, or all at once."""

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
    """A person's one change of *cell* to *raw*, which stands for *value*, with all that follows from it. Whether it is one."""
    if raw == cell.raw and bad_input is cell.bad_input and same_choice(value, cell.value):
        return False
    _edited(live, cell)
    assign_each(live, cell, ((raw, value, bad_input),), by_person=True, follow=_follow)
    return True


def types(live: FormState, cell: FieldCell, text: str, over: bool) -> None:
    """The characters of *text* typed one by one at the end of what is there, or the first *over* it all."""
    assign_each(live, cell, _typed(live, cell, text, over), by_person=True, follow=_follow)


def room(cell: FieldCell, raw: str, text: str) -> str:
    """As much of *text* as the control still takes after *raw*, whole code points only."""
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
    """What each key makes of *cell* as it is when it is pressed."""
    parse, commits = cell.plan.parse, cell.plan.commits
    narrow = over or cell.plan.field.limit is not None or "\n" in text or "\r" in text  # else every key lengthens what is there
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
    """What a person's change of *cell* brings about; with lookups, but for what comes of the submission that waits for them."""
    if live.heap:
        propagate(live)
    if cell.server:
        drop_server(live, cell)
    at_moment(live, cell, CHANGE)
    if cell.plan.lookups:
        ask(live, cell, CHANGE)
    elif live.heap or live.followers:
        propagate(live)
