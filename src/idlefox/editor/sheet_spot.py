"""The cursor's position in a sheet: the path of keys to it, read from the text before it, however incomplete.

Also the keys and values that the sheet's JSON Schema allows there.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any

from ..forms.sheet.check import schema_text
from ..records import NamedTuple

_LINE = re.compile(
    r"""(?P<indent>[ ]*)(?P<dashes>(?:-[ ]+|-$)*)"""
    r"""(?:(?P<key>"[^"]*"|'[^']*'|[^\s#:{}\[\],&*!|>'"%@`-][^:#{}\[\]]*?)[ ]*:(?:[ ]+|$))?(?P<rest>.*)"""
)
_FLOW = re.compile(r"""'[^']*'?|"(?:[^"\\]|\\.)*"?|[{}\[\],]|:(?=\s|$)|[^\s{}\[\],:'"][^{}\[\],:]*|:""")
_COMMENT = re.compile(r"(?:^|\s)#.*$")


class CursorSpot(NamedTuple):
    """*path* leads to the mapping or list at the cursor. *key* is the key whose value is being written, "" while a key is being
    written. *fragment* is the text so far.
    """

    path: tuple[str | int, ...]
    key: str
    fragment: str


def spot(before: str) -> CursorSpot:
    """The spot at the end of *before*, the text of a sheet up to the cursor."""
    return _SpotReader().spot(before.split("\n"))


class _SpotReader:
    def __init__(self) -> None:
        self.blocks: list[tuple[int, str | int]] = []
        self.flow: list[list[str]] = []  # for each open bracket: its character, and the key whose value is being written
        self.fragment = ""

    def spot(self, lines: list[str]) -> CursorSpot:
        for line in lines[:-1]:
            self._line(_COMMENT.sub("", line), last=False)
        return self._line(lines[-1], last=True) or CursorSpot((), "", "")

    def _line(self, line: str, *, last: bool) -> CursorSpot | None:
        if self.flow:
            return self._in_flow(line, last=last)
        found = _LINE.match(line)
        if found is None or (not last and not line.strip()):
            return None
        indent = len(found["indent"])
        while self.blocks and self.blocks[-1][0] >= indent:
            if found["dashes"] and self.blocks[-1][0] == indent and self.blocks[-1][1] != 0:
                break  # a list may have the indentation of its key
            self.blocks.pop()
        for _ in range(found["dashes"].count("-")):
            self.blocks.append((indent, 0))
            indent += 2
        key = found["key"]
        if key is None:
            return self._value(found["rest"], "", last=last)
        key = key.strip("\"'")
        if last and not re.search(r"[{\[]", found["rest"]):
            return CursorSpot(self._path(), key, found["rest"].strip())
        self.blocks.append((indent, key))
        return self._value(found["rest"], key, last=last)

    def _value(self, rest: str, key: str, *, last: bool) -> CursorSpot | None:
        if rest[:1] in ("{", "["):
            return self._in_flow(rest, last=last)
        return CursorSpot(self._path(), "", rest.strip()) if last else None

    def _in_flow(self, text: str, *, last: bool) -> CursorSpot | None:
        self.fragment = ""
        for token in _FLOW.findall(text):
            self._token(token)
        if not last:
            return None
        if not self.flow:
            return CursorSpot(self._path(), "", self.fragment)
        sign, key = self.flow[-1]
        inside: list[str | int] = []
        for each, name in self.flow[:-1]:
            inside.append(name if each == "{" else 0)
        path = (*self._path(), *inside)
        return CursorSpot((*path, 0) if sign == "[" else path, key, self.fragment.strip())

    def _token(self, token: str) -> None:
        written, self.fragment = self.fragment, ""
        if token in ("{", "["):
            self.flow.append([token, ""])
        elif token in ("}", "]"):
            del self.flow[-1:]
        elif token == "," and self.flow:
            self.flow[-1][1] = ""
        elif token == ":" and self.flow and self.flow[-1][0] == "{":
            self.flow[-1][1] = written.strip().strip("\"'")
        else:
            self.fragment = written + token

    def _path(self) -> tuple[str | int, ...]:
        return tuple(key for _, key in self.blocks)


@lru_cache(maxsize=1)
def _schema() -> dict[str, Any]:
    found: dict[str, Any] = json.loads(schema_text())
    return found


def _resolved(part: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in part:
        name = part["$ref"].rpartition("/")[2]
        part = {**_schema()["$defs"][name], **{key: value for key, value in part.items() if key != "$ref"}, "of": name}
    return part


def _alternatives(part: dict[str, Any]) -> Iterator[dict[str, Any]]:
    part = _resolved(part)
    yield part
    for word in ("anyOf", "oneOf", "allOf"):
        for each in part.get(word, ()):
            yield from _alternatives(each)


def schemas_at(path: tuple[str | int, ...]) -> list[dict[str, Any]]:
    """Return the schemas that apply at *path*, each alternative separately."""
    found = list(_alternatives(_schema()))
    for step in path:
        following: list[dict[str, Any]] = []
        for part in found:
            inner = part.get("items") if isinstance(step, int) else part.get("properties", {}).get(step, part.get("additionalProperties"))
            if isinstance(inner, dict):
                following += _alternatives(inner)
        found = following
    return found


def keys_at(path: tuple[str | int, ...]) -> dict[str, str]:
    """Return the keys allowed in the mapping at *path*, with their meaning."""
    return {key: value.get("description", "") for part in schemas_at(path) for key, value in part.get("properties", {}).items()}
