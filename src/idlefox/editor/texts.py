"""The files as the editor sees them, including unsaved text; positions of the Language Server Protocol (UTF-16, from 0)."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import accumulate
from typing import Any
from urllib.parse import unquote, urlsplit

from ..problems import Unreadable, read_text
from ..roots import overlay_files

_NOT_SEARCHED = frozenset({"node_modules", "__pycache__"})
_MOST_FILES = 20_000


class Texts:
    """The texts of a workspace: *folders* are its roots, as paths."""

    def __init__(self, folders: tuple[str, ...] = ()) -> None:
        self.folders = tuple(os.path.realpath(folder) for folder in folders)
        self._open: dict[str, str] = {}
        self._held: dict[str, bytes] = {}

    def put(self, path: str, text: str) -> None:
        """Set the unsaved *text* of the file at *path*."""
        self._open[path] = text
        self._held[path] = text.encode("utf-8", "replace")

    def drop(self, path: str) -> None:
        """Forget the unsaved text of the file at *path*."""
        self._open.pop(path, None)
        self._held.pop(path, None)

    def text(self, path: str) -> str | None:
        """Return the text of the file at *path*, None if it cannot be read."""
        known = self._open.get(path)
        if known is not None:
            return known
        try:
            return read_text(path)
        except Unreadable:
            return None

    @contextmanager
    def reading(self) -> Iterator[None]:
        """Until this ends files that are open read as they are in the editor."""
        with overlay_files(self._held):
            yield

    def files(self, near: str, *suffixes: str) -> Iterator[str]:
        """Return the files of the workspace that end in one of *suffixes*; of the folder of *near* if that is outside the
        workspace.
        """
        inside = [folder for folder in self.folders if near.startswith(folder.rstrip(os.sep) + os.sep)]
        count = 0
        for folder in inside or [os.path.dirname(near)]:
            for here, folders, names in os.walk(folder):
                folders[:] = sorted(each for each in folders if not each.startswith(".") and each not in _NOT_SEARCHED)
                for name in sorted(names):
                    if name.endswith(suffixes):
                        yield os.path.join(here, name)
                count += len(names)
                if count > _MOST_FILES:
                    return


def path_of(uri: str) -> str:
    """The real path that a file URI (RFC 8089) names; the URI itself for any other."""
    try:
        parts = urlsplit(uri)
        return os.path.realpath(unquote(parts.path)) if parts.scheme in ("file", "") else uri
    except ValueError:  # no path: it contains a NUL, for example
        return uri


def uri_of(path: str) -> str:
    """Return the file URI of *path*."""
    from pathlib import Path

    return Path(path).as_uri()


class TextLines:
    """The lines of a text, and the way between offsets, places (from 1, in characters) and positions (from 0, in UTF-16 units)."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.lines = text.split("\n")
        self.starts = [0, *accumulate(len(line) + 1 for line in self.lines)]

    def position(self, line: int, column: int) -> dict[str, int]:
        """Convert a line and column (from 1) to a position."""
        line = min(max(line, 1), len(self.lines))
        return {"line": line - 1, "character": _units(self.lines[line - 1][: max(column - 1, 0)])}

    def range(self, line: int, column: int, length: int) -> dict[str, Any]:
        """Return the range of *length* characters at a line and column (from 1)."""
        return {"start": self.position(line, column), "end": self.position(line, column + length)}

    def at(self, offset: int) -> dict[str, int]:
        """Return the position of an offset."""
        from bisect import bisect_right

        line = min(bisect_right(self.starts, offset), len(self.lines))
        return self.position(line, offset - self.starts[line - 1] + 1)

    def between(self, start: int, end: int) -> dict[str, Any]:
        """Return the range between two offsets."""
        return {"start": self.at(start), "end": self.at(end)}

    def offset(self, position: dict[str, int]) -> int:
        """Convert a position to an offset. Beyond the end of a line it is the end of the line."""
        number = min(max(position["line"], 0), len(self.lines) - 1)
        line, left, column = self.lines[number], position["character"], 0
        while left > 0 and column < len(line):
            left -= 2 if line[column] > "\uffff" else 1
            column += 1
        return self.starts[number] + column

    def before(self, position: dict[str, int]) -> str:
        """The line of *position* up to it."""
        offset: int = self.offset(position)
        number = min(max(position["line"], 0), len(self.lines) - 1)
        return self.text[self.starts[number] : offset]


def _units(text: str) -> int:
    return len(text) if text.isascii() else len(text.encode("utf-16-le", "surrogatepass")) // 2
