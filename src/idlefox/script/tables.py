"""Tables in separate files: RFC 4180 (CSV), whose cells are strings, and arrays of objects (JSON, RFC 8259).

A row is identified by the line at which it starts.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator
from typing import Any

from ..problems import Place, Problem, Unreadable, read_text
from ..records import NamedTuple

_SPACE = re.compile(r"[ \t\r\n]*")


class TableRow(NamedTuple):
    """A row: the values of the parameters, and the line where it starts."""

    cells: dict[str, Any]
    line: int


def read_table(kind: str, path: str) -> list[TableRow]:
    """The rows of the file at *path*, which is of *kind* (csv or json). Raises Unreadable with all that is wrong in it."""
    text = read_text(path)
    problems: list[Problem] = []
    rows = list(_csv(path, text, problems) if kind == "csv" else _json(path, text, problems))
    if problems:
        raise Unreadable(problems)
    return rows


def _csv(path: str, text: str, problems: list[Problem]) -> Iterator[TableRow]:
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    try:
        header = next(reader, [])
        begins = reader.line_num + 1
        for cells in reader:
            line, begins = begins, reader.line_num + 1
            if cells and len(cells) != len(header):
                cause = f"this row has {len(cells)} cells, but the header has {len(header)}"
                problems.append(Problem(Place(path, line, 1), cause, "give one cell for each parameter"))
            elif cells:
                yield TableRow(dict(zip(header, cells, strict=True)), line)
    except csv.Error as fault:
        cause, remedy = f"invalid CSV: {fault}", "CSV is described in RFC 4180"
        if "field limit" in str(fault):
            cause, remedy = f"a cell here has more than {csv.field_size_limit():,} characters", "upload a file, or type a shorter text"
        problems.append(Problem(Place(path, reader.line_num, 1), cause, remedy))


def _json(path: str, text: str, problems: list[Problem]) -> Iterator[TableRow]:
    decoder = json.JSONDecoder(parse_constant=_no_constant)
    at = _skip(text, 0)
    try:
        if text[at : at + 1] != "[":
            raise json.JSONDecodeError("expected an array of objects", text, at)
        at = _skip(text, at + 1)
        names: list[str] | None = None
        while text[at : at + 1] != "]":
            line = text.count("\n", 0, at) + 1
            found, end = decoder.raw_decode(text, at)
            names = _fits(path, line, found, names, problems)
            if isinstance(found, dict):
                yield TableRow(found, line)
            at = _skip(text, end)
            if text[at : at + 1] == ",":
                at = _skip(text, at + 1)
            elif text[at : at + 1] != "]":
                raise json.JSONDecodeError("expected ',' or ']'", text, at)
        if _skip(text, at + 1) != len(text):
            raise json.JSONDecodeError("expected the end of the file", text, at + 1)
    except json.JSONDecodeError as fault:
        place = Place(path, fault.lineno, fault.colno)
        problems.append(Problem(place, f"this is not a table: {fault.msg.lower()}", 'for example [{"name": "Ivo"}]'))


def _fits(path: str, line: int, found: Any, names: list[str] | None, problems: list[Problem]) -> list[str] | None:
    """Report a row that is not an object or has other members than the rows before."""
    if not isinstance(found, dict):
        problems.append(Problem(Place(path, line, 1), "this row is not an object", 'for example {"name": "Ivo"}'))
    elif names is not None and sorted(found) != sorted(names):
        odd = sorted(set(found) ^ set(names))
        cause = f"this row and the first one differ in their members: {', '.join(odd)}"
        problems.append(Problem(Place(path, line, 1), cause, "give every row the same members"))
    return names if names is not None else list(found) if isinstance(found, dict) else None


def _skip(text: str, at: int) -> int:
    found = _SPACE.match(text, at)
    return found.end() if found is not None else at


def _no_constant(name: str) -> Any:
    raise json.JSONDecodeError(f"{name} is not a JSON value", name, 0)
