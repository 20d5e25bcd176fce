"""A cache of valid sheets as data, in a folder of the person's own.

The libraries that parse and validate YAML take longer to load than ten scenarios take to run. An entry is JSON, applies to
exactly one text, and is made again if it cannot be read.
"""

from __future__ import annotations

import json
import os
from binascii import crc32

from .document import Document

_MOST = 200  # sheets
_LARGEST = 5_000_000  # characters of one


def folder() -> str:
    """Return the folder of the cache (XDG Base Directory Specification: relative paths are ignored). Raises OSError if it is
    unknown.
    """
    home = os.path.join(os.path.expanduser("~"), ".cache")
    named = os.environ.get("XDG_CACHE_HOME", "")
    found = os.path.join(named if os.path.isabs(named) else home, "idlefox", "sheets")
    if not os.path.isabs(found):
        raise FileNotFoundError(found)
    return found


def _file(text: str) -> str:
    return os.path.join(folder(), f"{crc32(text.encode('utf-8', 'surrogatepass')):08x}.json")


def _made_by() -> list[list[int]]:
    """Return a stamp of the reading code: another version may read the same text differently."""
    here = os.path.dirname(__file__)
    found = [os.stat(os.path.join(here, name)) for name in ("yaml12.py", "check.py", "sheet.schema.json")]
    return [[each.st_mtime_ns, each.st_size] for each in found]


def known(file: str, text: str) -> Document | None:
    """The sheet *text* as it was read before, if it was; *file* is its name."""
    try:
        with open(_file(text), encoding="utf-8") as handle:
            made_by, of, data, lines = json.load(handle)
        if of == text and made_by == _made_by():
            return Document(file, text, (data, lines))
    except (OSError, ValueError, TypeError, RecursionError):
        pass
    return None


def written(document: Document) -> str:
    """Return the cache entry of *document*, which is valid."""
    return json.dumps([_made_by(), document.text, document.data, document.lines()], separators=(",", ":"))


def keep(text: str, what: str) -> None:
    """Cache *what* for the sheet *text*, if the cache can be written."""
    if len(text) > _LARGEST:
        return
    try:
        file = _file(text)
        part = f"{file}.{os.getpid()}"
        os.makedirs(folder(), mode=0o700, exist_ok=True)
        with open(part, "w", encoding="utf-8") as handle:
            handle.write(what)
        os.replace(part, file)
        _make_room()
    except OSError:
        pass


def _make_room() -> None:
    """The oldest half of too many is thrown away."""
    with os.scandir(folder()) as entries:
        found = sorted((entry.stat().st_mtime, entry.path) for entry in entries)
    for _, path in found[: len(found) // 2] if len(found) > _MOST else ():
        os.unlink(path)
