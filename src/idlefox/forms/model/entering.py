"""How a value is entered in a control of each kind: one table for the model, the page, and the scripts that are written.

`fill`, rows that are added with values, and generated scripts use it, so that a value that one of them takes is taken by all.
"""

from __future__ import annotations

from typing import Any

from ...records import NamedTuple
from ..values.values import equal, reads_as
from ..values.whatwg import DATE_KINDS
from .form import CHOICE_KINDS, TEXT_KINDS, Field

# The ways to enter a value.
TYPE, SET, TURN, CHOOSE, FILES = "type", "set", "turn", "choose", "files"
_WAYS = {
    **dict.fromkeys((*TEXT_KINDS, "number"), TYPE),
    **dict.fromkeys((*DATE_KINDS, "range", "color", "hidden"), SET),
    **dict.fromkeys(CHOICE_KINDS, CHOOSE),
    "checkbox": TURN,
    "file": FILES,
}


class Entry(NamedTuple):
    """One way to enter a value: the *way*, and the value as it is needed there (a text, true or false, or a list)."""

    way: str
    value: Any


class WrongValue(Exception):
    """A control of this kind cannot hold the value; *kind* is the kind of refusal."""

    def __init__(self, kind: str) -> None:
        super().__init__(kind)
        self.kind = kind


def way_of(field: Field) -> str:
    """Return the way in which values are entered in *field*, a field without fields inside."""
    return CHOOSE if field.many else _WAYS.get(field.kind, SET)


def unknown_option(field: Field, values: list[Any]) -> list[Any]:
    """Return those of *values* that a page may take for an option, though *field* has none like it: 7 for the text "7", or "".

    A page knows options as texts, and may have more than the sheet lists.
    """
    if not isinstance(field.options, tuple):
        return []
    texts = {"", *(reads_as(option.value) for option in field.options)}
    return [value for value in values if reads_as(value) in texts and not any(equal(option.value, value) for option in field.options)]


def entry_of(field: Field, value: Any) -> Entry:
    """Return how *value* is entered in *field*. Raises WrongValue."""
    way = way_of(field)
    if way == TURN:
        if not isinstance(value, bool):
            raise WrongValue("needs true or false")
        return Entry(way, value)
    if way == CHOOSE:
        chosen = value if isinstance(value, list) else [value]
        if len(chosen) != 1 and not field.many:
            raise WrongValue("needs an option")
        return Entry(way, chosen)
    if way == FILES:
        return Entry(way, value if isinstance(value, list) else [value])
    return Entry(way, reads_as(value))
