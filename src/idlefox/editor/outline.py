"""The structure of a file: outline, folding ranges and code lenses."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.model.form import Field, Form
from ..forms.sheet.document import Document
from ..problems import Unreadable
from ..script import tree
from ..script.tree import Block, Body, Script
from .texts import TextLines

# LSP 3.17, "SymbolKind".
_CLASS, _METHOD, _FIELD, _FUNCTION, _OBJECT, _EVENT = 5, 6, 8, 12, 19, 24


def script_symbols(script: Script) -> list[dict[str, Any]]:
    """Routines and scenarios, with tags."""
    lines = TextLines(script.text)
    found = []
    for block in script.blocks:
        name = _title(block)
        detail = ", ".join(block.tags) if block.kind == "scenario" else f"({', '.join(block.parameters)})" if block.parameters else ""
        kind = _METHOD if block.kind == "scenario" else _FUNCTION
        found.append(_symbol(lines, name, kind, block.line, max(block.last_line, block.line), detail))
    return found


def _title(block: Block) -> str:
    title = getattr(block.title, "source", block.title)
    return (str(title) or "(no title)") if block.kind == "scenario" else block.name or block.kind


def _symbol(lines: TextLines, name: str, kind: int, first: int, last: int, detail: str = "") -> dict[str, Any]:
    head = lines.lines[min(first, len(lines.lines)) - 1]
    last = min(last, len(lines.lines))
    return {
        "name": name, "kind": kind, "detail": detail,
        "range": {"start": lines.position(first, 1), "end": lines.position(last, len(lines.lines[last - 1]) + 1)},
        "selectionRange": lines.range(first, len(head) - len(head.lstrip()) + 1, max(len(head.strip()), 0)),
    }  # fmt: skip


def sheet_symbols(text: str, file: str, form: Form) -> list[dict[str, Any]]:
    """The fields as a tree, then panels and lookups."""
    try:
        document = Document(file, text)
    except Unreadable:
        return []
    lines = TextLines(text)
    ends = _ends(lines)

    def at(path: tuple[Any, ...], name: str, kind: int, detail: str = "") -> dict[str, Any]:
        """Return the outline entry of the part at *path*."""
        place = document.place(path, key=True)
        made = _symbol(lines, name, kind, place.line, ends.get(place.line, place.line), detail)
        return {**made, "selectionRange": lines.range(place.line, place.column, place.length)}

    def fields(those: tuple[Field, ...], path: tuple[Any, ...]) -> list[dict[str, Any]]:
        """Yield the outline entries of fields."""
        found = []
        for field in those:
            if field.native is not None:
                continue
            here = (*path, "fields", field.name)
            kind = _OBJECT if field.kind in ("group", "rows") else _FIELD
            found.append({**at(here, field.name, kind, field.label), "children": fields(field.fields, here)})
        return found

    symbols = fields(form.fields, ())
    for panel in form.panels:
        here = ("panels", panel.panel)
        symbols.append({**at(here, panel.panel, _CLASS, panel.label), "children": fields(panel.fields, here)})
    symbols += [at(("lookups", name), name, _EVENT, "a lookup") for name in form.lookups]
    return symbols


def _ends(lines: TextLines) -> dict[int, int]:
    """Return for each line the last line that is indented deeper."""
    ends: dict[int, int] = {}
    open_: list[tuple[int, int]] = []
    last = 0
    for number, line in enumerate(lines.lines, 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        indent = len(line) - len(line.lstrip())
        while open_ and open_[-1][0] >= indent:
            ends[open_.pop()[1]] = last
        open_.append((indent, number))
        last = number
    for _, number in open_:
        ends[number] = last
    return ends


def foldings(text: str, script: Script | None) -> list[dict[str, Any]]:
    """Return folding ranges of blocks, or of indented parts of a sheet (LSP 3.17, "Folding Range")."""
    if script is None:
        pairs: Iterator[tuple[int, int]] = iter((first, last) for first, last in _ends(TextLines(text)).items() if last > first)
    else:
        pairs = _of_script(script)
    return [{"startLine": first - 1, "endLine": last - 1} for first, last in sorted(set(pairs)) if last > first]


def _of_script(script: Script) -> Iterator[tuple[int, int]]:
    ends = _ends(TextLines(script.text))
    for block in script.blocks:
        yield block.line, ends.get(block.line, block.line)
        yield from _of_body(block.body, ends)


def _of_body(body: Body, ends: dict[int, int]) -> Iterator[tuple[int, int]]:
    if body.table is not None:
        yield body.table.line, ends.get(body.table.line, body.table.line)
    for statement in body.statements:
        if statement.line in ends:
            yield statement.line, ends[statement.line]
        if isinstance(statement.act, tree.Inside):
            yield from _of_body(statement.act.body, ends)


def lenses(script: Script, uri: str) -> list[dict[str, Any]]:
    """Return the code lenses run and trace above each scenario (LSP 3.17, "Code Lens")."""
    lines = TextLines(script.text)
    found = []
    for block in script.blocks:
        if block.kind == "scenario":
            where = lines.range(block.line, 1, len("scenario"))
            for title, command in (("play", "idlefox.play"), ("trace", "idlefox.trace")):
                found.append({"range": where, "command": {"title": title, "command": command, "arguments": [uri, block.line]}})
    return found
