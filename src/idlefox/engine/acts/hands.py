"""A person's hands on controls: keys, pasting, toggling, choosing.

Each `step_` function is one step on one live form; it raises `Cannot` where a person could not take it.
"""

from __future__ import annotations

from typing import Any

from ...forms.model.form import TEXT_KINDS
from ...forms.values import whatwg
from ...forms.values.values import equal, in_order, is_chosen, reads_as
from ..judge import person
from ..judge.choices import OptionState, offered
from ..judge.lists import propagate
from ..judge.person import room
from ..state.cells import FieldCell
from ..state.form_state import FormState
from .attempt import decide_waiting
from .focus import focus
from .refused import cannot
from .sight import need_reach

_LARGEST_FILE = 100_000_000  # bytes; the content becomes part of the request as text


# text
def person_changes(live: FormState, cell: FieldCell, raw: str, value: Any, bad_input: bool) -> None:
    """Change *cell* to *raw*, which has the value *value*, as one change by a person, with all its effects."""
    if person.changes(live, cell, raw, value, bad_input) and cell.plan.lookups:
        _decide(live)


def press_keys(live: FormState, cell: FieldCell, text: str, *, over: bool = False) -> None:
    """Type the characters of *text* one by one, at the end or *over* the selected text."""
    if not cell.plan.lookups:
        person.types(live, cell, text, over)
        return
    for character in text:
        person.types(live, cell, character, over)
        _decide(live)
        over = False


def _decide(live: FormState) -> None:
    """Decide a submission that waits for lookups, after a change of a value being looked up."""
    decide_waiting(live)
    if live.heap or live.followers:
        propagate(live)


def _change(live: FormState, cell: FieldCell, raw: str) -> None:
    value, bad_input = cell.plan.parse(raw)
    person_changes(live, cell, raw, value, bad_input)


def step_paste(live: FormState, cell: FieldCell, text: str) -> None:
    """Paste *text* at the end."""
    need_reach(live, cell, "pasting into")
    focus(live, cell)
    _change(live, cell, cell.raw + room(cell, cell.raw, text))


def step_erase(live: FormState, cell: FieldCell, count: int) -> None:
    """Press Backspace *count* times."""
    need_reach(live, cell, "erasing in")
    focus(live, cell)
    for _ in range(min(count, len(cell.raw))):
        _change(live, cell, cell.raw[:-1])


def step_clear(live: FormState, cell: FieldCell) -> None:
    """Empty the control."""
    need_reach(live, cell, "clearing")
    focus(live, cell)
    _change(live, cell, "")


def step_set(live: FormState, cell: FieldCell, value: Any) -> None:
    """One change to *value*, as a date picker or slider makes it, through the control's own sanitisation."""
    need_reach(live, cell, "setting")
    focus(live, cell)
    kind = cell.plan.kind
    text = reads_as(value)
    if kind in whatwg.DATE_KINDS:
        text = whatwg.sanitise_date(kind, text)
    elif kind == "number":
        text = text if whatwg.parse_number(text) is not None else ""
    elif kind in ("range", "color"):
        value, _ = cell.plan.parse(text)
        person_changes(live, cell, reads_as(value), value, False)
        return
    elif kind in TEXT_KINDS:
        text = room(cell, "", text)
    _change(live, cell, text)


# choices
def step_pick(live: FormState, cell: FieldCell, mode: str, values: list[Any]) -> None:
    """Choose options. *mode*: "" replaces, `also` adds to, `except` takes from a multiple choice."""
    need_reach(live, cell, "choosing in")
    focus(live, cell)
    found = offered(cell)
    values = [_meant(found, value) for value in values]
    for value in values:
        _need_option(cell, found, value, mode)
    if not cell.plan.field.many:
        value = _taken(found, values, [])[0]
        person_changes(live, cell, chosen_text(value), value, False)
        return
    if mode == "except":
        chosen = [c for c in cell.value if not any(equal(c, v) for v in values)]
    else:
        chosen = _taken(found, values, cell.value if mode == "also" else [])
    chosen = in_order([o.value for o in found], chosen)
    person_changes(live, cell, chosen_text(chosen), chosen, False)


def _meant(found: list[OptionState], value: Any) -> Any:
    """The value of the option that is called *value*: by its value, else by its label."""
    if any(equal(option.value, value) for option in found):
        return value
    return next((option.value for option in found if option.label == value), value)


def _taken(found: list[OptionState], values: list[Any], chosen: list[Any]) -> list[Any]:
    """Return *chosen* plus, for each of *values*, the first matching option that can be picked and is not chosen yet."""
    chosen = list(chosen)
    for value in values:
        able = (o.value for o in found if o.enabled and equal(o.value, value))
        chosen += [*(v for v in able if not is_chosen(v, chosen))][:1]
    return chosen


def chosen_text(value: Any) -> str:
    """The raw text of a choice that holds *value*."""
    return reads_as(value)


def _need_option(cell: FieldCell, found: list[OptionState], value: Any, mode: str) -> None:
    options = [o for o in found if equal(o.value, value)]
    if mode == "except" and any(equal(c, value) for c in cell.value):
        return
    if not options:
        raise cannot("no such option", cell, value=value, offered=[o.value for o in found])
    if not any(o.enabled for o in options):
        raise cannot("disabled option", cell, value=value)


def step_turn(live: FormState, cell: FieldCell, on: bool | None) -> None:
    """Turn a checkbox on or off; None toggles it. Turning it to its current state is no change."""
    need_reach(live, cell, "toggling" if on is None else "turning")
    focus(live, cell)
    value = (not cell.value) if on is None else on
    person_changes(live, cell, "true" if value else "false", value, False)


def step_upload(live: FormState, cell: FieldCell, files: list[dict[str, Any]]) -> None:
    """Choose *files* ({name, size, type}). A file that `accept` excludes cannot be chosen."""
    need_reach(live, cell, "choosing files for")
    field = cell.plan.field
    if len(files) > 1 and not field.multiple:
        raise cannot("one file", cell, count=len(files))
    for file in files:
        if file["size"] > _LARGEST_FILE:
            raise cannot("file too large", cell, file=file["name"], size=file["size"], most=_LARGEST_FILE)
        if field.accept and not any(_accepts(pattern, file) for pattern in field.accept):
            raise cannot("file not accepted", cell, file=file["name"], type=file["type"], accept=list(field.accept))
    focus(live, cell)
    person_changes(live, cell, ", ".join(f["name"] for f in files), files, False)


def _accepts(pattern: str, file: dict[str, Any]) -> bool:
    """HTML, "The accept attribute": a suffix, a media type, or one of the three wildcards."""
    if pattern.startswith("."):
        return str(file["name"]).lower().endswith(pattern.lower())
    if pattern.endswith("/*"):
        return str(file["type"]).lower().startswith(pattern[:-1].lower())
    return str(file["type"]).lower() == pattern.lower()
