"""A cache of valid sheets as data, in a folder of the person's own.

The libraries that parse and validate YAML take longer to load than ten scenarios take to run. An entry is JSON, applies to
exactly one text, and is made again if it is damaged.
"""

from __future__ import annotations

import json
import os
from binascii import crc32

from ...stamp import stamp_of
from .document import Document

_READING = ("check.py", "document.py", "sheet.schema.json", "yaml12.py", "yaml_problems.py")  # the code that reads sheets
_BEFORE = -len(',"12345678"]')  # where the checksum begins
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
    return stamp_of(os.path.join(here, name) for name in _READING)


def known(file: str, text: str) -> Document | None:
    """The sheet *text* as it was read before, if it was; *file* is its name."""
    try:
        path = _file(text)
        if not os.path.isfile(path):  # a pipe would be waited for
            return None
        with open(path, "rb") as handle:
            content = handle.read()
        if _checksum(content[:_BEFORE]) != content[_BEFORE:]:
            return None
        made_by, of, data, lines, _ = json.loads(content)
        if of == text and made_by == _made_by():
            return Document(file, text, (data, lines))
    except (OSError, ValueError, TypeError, RecursionError):
        pass
    return None


def _checksum(content: bytes) -> bytes:
    return b',"%08x"]' % crc32(content)


def written(document: Document) -> str:
    """Return the cache entry of *document*, which is valid: a list in JSON, whose last member is the checksum of all before it."""
    return json.dumps([_made_by(), document.text, document.data, document.lines()], separators=(",", ":"))[:-1]


def keep(text: str, what: str) -> None:
    """Cache *what* for the sheet *text*, if the cache can be written."""
    if len(text) > _LARGEST:
        return
    try:
        file = _file(text)
        part = f"{file}.{os.getpid()}"
        os.makedirs(folder(), mode=0o700, exist_ok=True)
        content = what.encode("utf-8", "surrogatepass")
        with open(part, "wb") as handle:
            handle.write(content + _checksum(content))
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
