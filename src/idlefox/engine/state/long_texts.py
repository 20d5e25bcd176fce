"""Long texts in the trace: each key is recorded by its change, not by the whole text."""

from __future__ import annotations

from typing import Any

LONG = 1_000  # characters


class EditedText:
    """A text that is the first *kept* characters of *base*, and *added*."""

    __slots__ = ("added", "base", "kept")

    def __init__(self, base: str | EditedText, kept: int, added: str) -> None:
        self.base = base
        self.kept = kept
        self.added = added


class EditLog:
    """The texts of one cell, one after the other, as they are typed."""

    __slots__ = ("cell", "noted", "text")

    def __init__(self) -> None:
        self.cell: Any = None
        self.text = ""
        self.noted: str | EditedText = ""

    def of(self, cell: Any, before: str, after: str) -> tuple[str | EditedText, str | EditedText]:
        """Return the record of a change from *before* to *after* in *cell*."""
        first = self.noted if self.cell is cell and self.text is before else before
        if after.startswith(before):
            last: str | EditedText = EditedText(first, len(before), after[len(before) :])
        elif before.startswith(after):
            last = EditedText(first, len(after), "")
        else:
            last = after
        self.cell, self.text, self.noted = cell, after, last
        return first, last


class EditReplay:
    """Restores whole texts; fast when they are requested in order."""

    def __init__(self) -> None:
        self.last: tuple[Any, str] = (None, "")

    def of(self, noted: Any) -> Any:
        """Return the whole text of *noted*."""
        if not isinstance(noted, EditedText):
            return noted
        edits: list[EditedText] = []
        text: Any = noted
        while isinstance(text, EditedText) and text is not self.last[0]:
            edits.append(text)
            text = text.base
        whole: str = self.last[1] if isinstance(text, EditedText) else text
        for each in reversed(edits):
            whole = whole[: each.kept] + each.added
        self.last = (noted, whole)
        return whole
