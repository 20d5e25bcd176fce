"""A stamp of the program's own code: what one build has kept is of no use to another, whatever the version says."""

from __future__ import annotations

import os
from binascii import crc32
from collections.abc import Iterable

_CODE = (".py", ".toml", ".json", ".js")


def stamp_of(files: Iterable[str]) -> list[list[int]]:
    """Return the checksum and the size in bytes of each of *files*. Raises OSError."""
    found = []
    for file in files:
        with open(file, "rb") as handle:
            content = handle.read()
        found.append([crc32(content), len(content)])
    return found


def stamp_of_program() -> list[list[int]]:
    """Return the stamp of all the code of this package. Raises OSError."""
    return stamp_of(
        os.path.join(folder, name)
        for folder, folders, names in sorted(os.walk(os.path.dirname(__file__)))
        for name in sorted(names) if name.endswith(_CODE)
    )  # fmt: skip
