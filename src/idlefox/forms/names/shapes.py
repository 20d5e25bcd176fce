"""The shape of a form: names, kinds and nesting, which exist before its model does; and how names are written as addresses."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any


class Shape:
    """A name of the form with its kind and nested names. *path* has ``*`` for rows.

    *named* is a page's: addresses as people write them, to the names of its fields.
    """

    __slots__ = ("children", "kind", "many", "name", "named", "path")

    def __init__(
        self, name: str, kind: str, path: tuple[str, ...], children: dict[str, Shape] | None = None, many: bool = False
    ) -> None:
        self.name = name
        self.kind = kind
        self.path = path
        self.children = children
        self.many = many
        self.named: Mapping[str, str] | None = None

    def find(self, path: tuple[str, ...]) -> Shape | None:
        """The shape at the schema path *path*, or None."""
        shape: Shape | None = self
        for segment in path:
            if shape is None or shape.children is None:
                return None
            if segment != "*":
                shape = shape.children.get(segment)
        return shape

    def walk(self) -> Iterator[Shape]:
        """Every shape below this one, in form order."""
        for child in (self.children or {}).values():
            yield child
            yield from child.walk()


def write_address(segments: Iterable[Any]) -> str:
    """Segments as the text of an address."""
    text = ""
    for segment in segments:
        text += f"[{segment}]" if isinstance(segment, int) else segment_text(segment, first=not text)
    return text


def segment_text(name: str, first: bool) -> str:
    """One segment of an address: a plain name after a dot, any other name in brackets."""
    plain = name.replace("-", "_").isidentifier() and name.isascii() and not name.startswith("-")
    if plain:
        return name if first else "." + name
    lone = any("\ud800" <= c <= "\udfff" for c in name)  # half an emoji can only be written as an escape
    return f"[{json.dumps(name, ensure_ascii=lone)}]"
