"""A sheet as plain data, with the position of every part.

The data may come from the cache (`sheet_cache`); the YAML is then parsed only when a position is needed.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ...problems import Place, Problem, line_of

if TYPE_CHECKING:
    from .yaml12 import Nodes

Path = tuple[str | int, ...]


class Document:
    """The sheet *text*: its *data*, and `place` for positions. Raises Unreadable for invalid YAML.

    *known*: its data, and the line of each mapping in it, in their order.
    """

    def __init__(self, file: str, text: str, known: tuple[Any, list[int]] | None = None) -> None:
        self.file = file
        self.text = text
        self.problems: list[Problem] = []
        self._lines: dict[int, int] = {}
        self._nodes: Nodes | None = None
        if known is None:
            self.data: Any = self.nodes.data
            self._lines = self.nodes.lines
            self.problems += self.nodes.problems
        else:
            self.data = known[0]
            self._lines = dict(zip(map(id, mappings(self.data)), known[1], strict=True))

    @property
    def nodes(self) -> Nodes:
        """The nodes of the YAML."""
        if self._nodes is None:
            from .yaml12 import Nodes

            self._nodes = Nodes(self.file, self.text)
        return self._nodes

    def line(self, number: int) -> str:
        """The text of the line *number* (from 1)."""
        return line_of(self.text, number)

    def report(self, path: Path, cause: str, remedy: str = "", *, key: bool = False) -> None:
        """Note a problem with the part at *path* (with its key, where *key*)."""
        place = self.place(path, key=key)
        self.problems.append(Problem(place, cause, remedy, self.line(place.line)))

    def line_of(self, data: dict[str, Any]) -> int:
        """Return the line where the mapping *data* of this document starts; 0 if it was replaced."""
        return self._lines.get(id(data), 0)

    def lines(self) -> list[int]:
        """The lines of all mappings of the data, in their order."""
        return [self.line_of(each) for each in mappings(self.data)]

    def place(self, path: Path, *, key: bool = False) -> Place:
        """Return the position of the part at *path*, or with *key*, of its key."""
        return self.nodes.place(path, key=key)

    def inside(self, path: Path, offset: int, length: int) -> Place:
        """The place of character *offset* in the text of the scalar at *path*, as far as its style lets it be known."""
        return self.nodes.inside(path, offset, length)

    def parted(self, path: Path) -> str:
        """Return the line with the text that a comma has split put in quotes, if the key at *path* (without a value) is the rest
        of it.
        """
        return self.nodes.parted(path)


def mappings(data: Any) -> list[dict[str, Any]]:
    """Every mapping in *data*, outer ones before those in them."""
    found: list[dict[str, Any]] = []
    ahead = [data]
    while ahead:
        each = ahead.pop()
        if isinstance(each, dict):
            found.append(each)
            ahead += reversed(each.values())
        elif isinstance(each, list):
            ahead += reversed(each)
    return found
