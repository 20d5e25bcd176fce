"""The meaning of each name in a script or sheet, wherever it is defined.

A field is identified by its sheet and schema path, a routine by its file, a parameter by its block.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator
from typing import Any

from ..forms.expressions.tree import Expression, Reference
from ..forms.model.conditions import expressions_of
from ..forms.model.form import Form, OptionsFrom, Path
from ..forms.names.addresses import NAME, SEGMENT, parse_address
from ..forms.names.states import FIELD_STATES, FORM_STATES
from ..forms.sheet.document import Document
from ..problems import Unreadable
from ..records import NamedTuple
from ..script import tree
from ..script.routines import ProblemCollector, Routines
from ..script.tree import Address, Block, Body, Check, Script, WordToken
from .texts import TextLines


class Key(NamedTuple):
    """The meaning of a name. *kind*: field, panel, lookup, view, routine, parameter or file; *where* is the defining file."""

    kind: str
    where: str
    name: Any


class NameUse(NamedTuple):
    """A name at offsets *start* to *end* of *file*. *defines*: the name is defined here."""

    key: Key
    file: str
    start: int
    end: int
    defines: bool = False


BUILT_IN_VIEWS = frozenset({"editing", "waiting", "done"})


def views_of(form: Form) -> set[str]:
    """Return the names of the views that *form* defines, without the built-in ones."""
    named = [*form.views, *(after.view for after in form.after.values())]
    return {name for name in named if name} - BUILT_IN_VIEWS


# Scripts
_PARAMETER = re.compile(r"(?<!\$)(?:\$\$)*\$\{?([A-Za-z_][A-Za-z0-9_-]*)")
_WRITTEN = re.compile(r'\[\$[\w-]+\]|' + SEGMENT.pattern)
_JSON = re.compile(r'"(?:[^"\\]|\\.)*"|[{}\[\]:,]|#[^\n]*')
_STRING = re.compile(r'[^"\n]*"((?:[^"\\\n]|\\.)*)"')


def names_in_script(script: Script, forms: Iterable[tuple[str, Form]]) -> Iterator[NameUse]:
    """Yield the names in *script*, which runs on *forms* (with their files)."""
    reader = _ScriptNames(script, list(forms))
    for header in script.headers:
        found = _STRING.match(script.text, header.offset) if header.kind in ("subject", "use") else None
        if found is not None and "://" not in header.text:
            path = os.path.normpath(os.path.join(os.path.dirname(script.file), header.text.partition("#")[0]))
            yield NameUse(Key("file", path, ""), script.file, found.start(1), found.end(1))
    for block in script.blocks:
        yield from reader.block(block)


class _ScriptNames:
    def __init__(self, script: Script, forms: list[tuple[str, Form]]) -> None:
        self.script, self.text, self.file, self.forms = script, script.text, script.file, forms
        self.lines = TextLines(script.text)
        self.routines = Routines(script, ProblemCollector()).known

    def _found(self, key: Key, start: int, length: int, *, defines: bool = False) -> NameUse:
        return NameUse(key, self.file, start, start + length, defines)

    def block(self, block: Block) -> Iterator[NameUse]:
        start, end = self.lines.starts[block.line - 1], self.lines.starts[min(block.last_line, len(self.lines.lines))]
        head = self.lines.lines[block.line - 1]
        if block.kind == "routine" and (at := head.find(block.name, len("routine"))) >= 0:
            yield self._found(Key("routine", self.file, block.name), start + at, len(block.name), defines=True)
        table = block.body.table
        heads = [(block.line, "(", name) for name in block.parameters]
        heads += [(table.line, "with", name) for name in table.names] if table is not None else []
        for number, mark, name in heads:
            line = self.lines.lines[number - 1]
            found = re.search(rf"(?<![\w-]){re.escape(name)}(?![\w-])", line.partition(mark)[2])
            if found is not None:
                offset = self.lines.starts[number - 1] + len(line) - len(found.string) + found.start()
                yield self._found(Key("parameter", self.file, (block.line, name)), offset, len(name), defines=True)
        names = {name for _, _, name in heads}
        for used in _PARAMETER.finditer(self.text, start, end):
            if used[1] in names:
                yield self._found(Key("parameter", self.file, (block.line, used[1])), used.start(1), len(used[1]))
        if table is not None:
            yield from self.cells(table, _addressed(block.body))
        yield from self.body(block.body, ())

    def cells(self, table: tree.With, addressed: set[str]) -> Iterator[NameUse]:
        """Yield the table cells that are used as addresses."""
        columns = {number for number, name in enumerate(table.names) if name in addressed}
        for row in table.rows if columns else ():
            depth = column = 0
            for token in _JSON.finditer(self.text, self.lines.starts[row.line - 1], self.lines.starts[row.line]):
                sign = token[0]
                depth += (sign in "[{") - (sign in "]}")
                column += sign == "," and depth == 0
                if sign[0] == '"' and depth == 0 and column in columns:
                    yield from self.segments(token.start() + 1, sign[1:-1], ())

    def body(self, body: Body, prefix: tuple[Any, ...]) -> Iterator[NameUse]:
        for statement in body.statements:
            act = statement.act
            span = (statement.offset, statement.offset + statement.length)
            if isinstance(act, tree.Inside):
                yield from self.address(act.address, span[0], prefix)
                yield from self.body(act.body, (*prefix, *act.address.segments) if act.address.relative else act.address.segments)
            elif isinstance(act, tree.Fill):
                for line in act.lines:
                    yield from self.address(line.address, line.offset, prefix)
                    yield from self.json((line.offset, self._end_of(act, line)), self.path(line.address, prefix), "value")
            else:
                yield from self.act(act, span, prefix)

    def _end_of(self, fill: tree.Fill, line: tree.FillLine) -> int:
        """Return the latest possible end of a value in a line of `fill`."""
        behind = next((each.offset for each in fill.lines if each.offset > line.offset), 0)
        end = self.text.find("\n", line.offset)
        return behind or (end if end >= 0 else len(self.text))

    def act(self, act: Any, span: tuple[int, int], prefix: tuple[Any, ...]) -> Iterator[NameUse]:
        if isinstance(act, tree.Cannot):
            yield from self.act(act.step, span, prefix)
            return
        if isinstance(act, tree.Do):
            known = self.routines.get(act.routine.text)
            if known is not None:
                yield self._found(Key("routine", known[1].file, act.routine.text), span[0] + act.routine.offset, len(act.routine.text))
        for kind, word in (("lookup", getattr(act, "lookup", None)), ("panel", getattr(act, "panel", None))):
            if isinstance(word, WordToken):
                for sheet, _ in self.forms:
                    yield self._found(Key(kind, sheet, word.text), span[0] + word.offset, len(word.text))
        if isinstance(act, Check):
            yield from self.check(act, span, prefix)
        elif isinstance(address := getattr(act, "address", None), Address):
            yield from self.address(address, span[0], prefix)
            yield from self.json(span, (*self.path(address, prefix), *(("*",) if isinstance(act, tree.Add) else ())), "value")
        elif isinstance(act, tree.Answer):
            yield from self.json(span, ("errors",), "reply")

    def check(self, check: Check, span: tuple[int, int], prefix: tuple[Any, ...]) -> Iterator[NameUse]:
        noun = check.noun
        base: tuple[Any, ...] = ()
        if noun.kind == "address" and noun.address is not None:
            yield from self.address(noun.address, span[0], prefix)
            base = self.path(noun.address, prefix)
        for each in check.arguments:
            if isinstance(each, Address):
                yield from self.address(each, span[0], prefix)
            elif noun.kind == "view" and isinstance(each, WordToken):
                for sheet, form in self.forms:
                    if each.text in views_of(form):
                        yield self._found(Key("view", sheet, each.text), span[0] + each.offset, len(each.text))
        if noun.kind in ("address", "values", "payload", "record"):
            yield from self.json(span, base, "value" if noun.kind in ("address", "values") else "sent")
        elif noun.kind == "errors":
            yield from self.json(span, (), "errors")

    @staticmethod
    def path(address: Address, prefix: tuple[Any, ...]) -> tuple[Any, ...]:
        segments = (*prefix, *address.segments) if address.relative else address.segments
        return tuple(each if isinstance(each, str) else "*" for each in segments)

    def address(self, address: Address, base: int, prefix: tuple[Any, ...]) -> Iterator[NameUse]:
        """Yield each name of an address in the statement at *base*, with everything before it."""
        above = self.path(address, prefix)[: -len(address.segments)] if address.relative else ()
        start = base + address.offset
        yield from self.segments(start, self.text[start : start + address.length], above)

    def segments(self, offset: int, text: str, above: Path) -> Iterator[NameUse]:
        for sheet, form in self.forms:
            yield from (self._found(key, offset + start, end - start) for key, start, end in keys_in_address(text, above, sheet, form))

    def json(self, span: tuple[int, int], base: Path, kind: str) -> Iterator[NameUse]:
        """The members of an object that are fields. *kind*: ``value``; ``sent``, by the names they are sent by; ``errors``, keys that are
        addresses; ``reply``, of which `errors` has such.
        """
        if "{" not in self.text[span[0] : span[1]]:
            return
        members = list(_members(self.text, *span))
        flat = kind == "sent" and any("[" in key or "." in key for _, _, key in members)  # as other encodings than JSON send it
        for path, offset, key in members:
            if kind in ("errors", "reply") or flat:
                if len(path) == (2 if kind == "reply" else 1) and (kind != "reply" or path[0] == "errors"):
                    yield from self.segments(offset + 1, key, ())
                continue
            for sheet, form in self.forms:
                above = _sender(form, members) if kind == "sent" and not base else base
                field = form.find((*above, *path))
                if field is not None and field.native is None and path[-1] == key and not (kind == "sent" and field.send_name):
                    yield self._found(Key("field", sheet, field.path), offset + 1, len(key))


def _addressed(body: Body) -> set[str]:
    """Return the parameters that are used as whole addresses in *body*."""
    found: set[str] = set()
    parts: list[Any] = [body]
    while parts:
        part = parts.pop()
        if isinstance(part, Address) and len(part.segments) == 1 and isinstance(part.segments[0], tree.Parameter):
            found.add(part.segments[0].name)
        elif isinstance(part, tuple):
            parts.extend(part)
    return found


def _sender(form: Form, members: list[tuple[tuple[str, ...], int, str]]) -> Path:
    """Whose payload it is that has these *members*: the form's, or that of the panel whose fields they are rather."""
    names = {path[0] for path, _, _ in members}
    fitting: dict[Path, int] = {(): sum(form.find((name,)) is not None for name in names)}
    fitting |= {(panel.panel,): sum(form.find((panel.panel, name)) is not None for name in names) for panel in form.panels}
    return max(fitting, key=lambda each: fitting[each])


def _members(text: str, start: int, end: int) -> Iterator[tuple[tuple[str, ...], int, str]]:
    """The members of objects in *text*: the path of each (rows as ``*``), where its key begins, and the key."""
    around: list[list[str]] = []  # for each open bracket: its character, and the current key or row
    before: re.Match[str] | None = None
    for token in _JSON.finditer(text, start, end):
        sign = token[0]
        if sign == ":" and before is not None and around and around[-1][0] == "{":
            around[-1][1] = before[0][1:-1]
            yield tuple(key for _, key in around), before.start(), before[0][1:-1]
        elif sign in "{[":
            around.append([sign, "*"])
        elif sign in "}]" and around:
            around.pop()
        before = token if sign[0] == '"' else None


def keys_in_address(text: str, above: Path, sheet: str, form: Form) -> Iterator[tuple[Key, int, int]]:
    """Yield each name in the text of an address with its meaning and its offsets."""
    path = tuple(above)
    panels = {panel.panel for panel in form.panels}
    at = 1 if text.startswith(".") else 0
    while at < len(text):
        found = _WRITTEN.match(text, at)
        if found is None:
            return
        name = found[1] or (found[3][1:-1] if found[3] else "")
        at = found.end()
        if not name:
            path = (*path, "*")
            continue
        path = (*path, name)
        start = found.start(1) if found[1] else found.start(3) + 1
        if len(path) == 1 and name in panels:
            yield Key("panel", sheet, name), start, start + len(name)
            continue
        field = form.find(path)
        if field is None or field.native is not None:
            return
        yield Key("field", sheet, field.path), start, start + len(name)


# Sheets
_ADDRESSED = frozenset({"at", "repeats", "to", "from"})
_LISTED = frozenset({"shows", "forget"})
_EXPRESSED = re.compile(rf"(?:{NAME}|\[[^\]]*\])(?:\.{NAME}|\[[^\]]*\])*")


def names_in_sheet(text: str, file: str, form: Form) -> Iterator[NameUse]:
    """The names in the sheet *text*, which reads as *form*."""
    try:
        document = Document(file, text)
    except Unreadable:
        return
    if isinstance(document.data, dict):
        yield from _SheetNames(document, file, form).names()


class _SheetNames:
    def __init__(self, document: Document, file: str, form: Form) -> None:
        self.document, self.file, self.form = document, file, form
        self.lines = TextLines(document.text)
        self.known: dict[tuple[Path, str], Expression] = {}
        self.anywhere: dict[str, Expression] = {}
        for owner, expression in expressions_of(form):
            self.known.setdefault((owner, expression.text), expression)
            self.anywhere.setdefault(expression.text, expression)

    def names(self) -> Iterator[NameUse]:
        yield from self.part(self.document.data, (), ())

    def _found(self, key: Key, place: Any, name: str, *, defines: bool = False) -> NameUse:
        start = self.lines.starts[place.line - 1] + place.column - 1
        if self.document.text[start : start + 1] in ("'", '"'):
            start += 1
        return NameUse(key, self.file, start, start + len(name), defines)

    def part(self, data: Any, path: tuple[Any, ...], owner: Path) -> Iterator[NameUse]:
        if isinstance(data, dict):
            for key, value in data.items():
                if isinstance(key, str):
                    yield from self.member(key, value, (*path, key), owner)
        elif isinstance(data, list):
            for number, value in enumerate(data):
                yield from self.part(value, (*path, number), owner)
                if isinstance(value, str) and path and path[-1] in _LISTED:
                    yield from self.address(value, (*path, number), 0)

    def member(self, key: str, value: Any, path: tuple[Any, ...], owner: Path) -> Iterator[NameUse]:
        around = path[-2] if len(path) > 1 else ""
        if around == "fields" and self._is_fields(path):
            rows = self.form.find(owner)
            inner = (*owner, *(("*",) if rows is not None and rows.kind == "rows" and owner and owner[-1] != "*" else ()), key)
            field = self.form.find(inner)
            if field is not None and field.native is None:
                yield self._found(Key("field", self.file, field.path), self.document.place(path, key=True), key, defines=True)
            yield from self.part(value, path, inner)
            return
        if around in ("panels", "lookups") and len(path) == 2:
            yield self._found(Key(around[:-1], self.file, key), self.document.place(path, key=True), key, defines=True)
            yield from self.part(value, path, (key,) if around == "panels" else ())
            return
        if path[:-1] in (("views",), ("live", "views")) and key in views_of(self.form):
            yield self._found(Key("view", self.file, key), self.document.place(path, key=True), key, defines=len(path) == 2)
        inside = self._values(path, owner)
        field = self.form.find(inside) if inside else None
        if field is not None and field.native is None and field.path[-1] == key:
            yield self._found(Key("field", self.file, field.path), self.document.place(path, key=True), key)
        if around in ("errors", "find") and parse_address(key):
            yield from self.address(key, path, 0, key=True)
        if isinstance(value, str):
            yield from self.text(key, value, path, owner)
        else:
            yield from self.part(value, path, owner)

    @staticmethod
    def _values(path: tuple[Any, ...], owner: Path) -> Path:
        """Yield the fields named by keys of initial values, of a field or the server's record."""
        inside: tuple[Any, ...] = path[2:] if path[:2] == ("server", "record") else ()
        if "initial" in path[:-1] and owner:
            inside = (*owner, *path[path.index("initial") + 1 :])
        return tuple("*" if isinstance(each, int) else each for each in inside)

    def _is_fields(self, path: tuple[Any, ...]) -> bool:
        """Return whether the last key of *path* is a field's name, and no field is called `fields`."""
        names = path[2:] if path[0] == "panels" else path
        return all(name == "fields" for name in names[::2])

    def text(self, key: str, value: str, path: tuple[Any, ...], owner: Path) -> Iterator[NameUse]:
        if key == "lookup" and value in self.form.lookups:
            yield self._found(Key("lookup", self.file, value), self.document.place(path), value)
        elif key == "view" and value in views_of(self.form):
            yield self._found(Key("view", self.file, value), self.document.place(path), value)
        elif key in ("page", "python", "table"):
            there = os.path.normpath(os.path.join(os.path.dirname(self.file), value.partition("#")[0]))
            yield self._found(Key("file", there, ""), self.document.place(path), value)
        named = self._named(key, path, owner)
        field = self.form.find((*named, value)) if named else None
        if field is not None:
            yield self._found(Key("field", self.file, field.path), self.document.place(path), value)
            return
        expression = self.known.get((owner, value)) or self.anywhere.get(value)
        if expression is not None:
            for reference in expression.reads:
                yield from self.reference(reference, value, path)
        elif key in _ADDRESSED and parse_address(value):
            yield from self.address(value, path, 0)

    def _named(self, key: str, path: tuple[Any, ...], owner: Path) -> Path:
        """Return the field that `value` or `label` names: in the rows of the options, or in the panel."""
        around = path[-2] if len(path) > 1 else ""
        if key not in ("value", "label") or around not in ("options", "gives"):
            return ()
        field = self.form.find(owner) if around == "options" else None
        if field is not None and isinstance(field.options, OptionsFrom):
            return (*field.options.path, "*")
        return (str(path[1]),) if path[0] == "panels" and around == "gives" else ()

    def reference(self, reference: Reference, text: str, path: tuple[Any, ...]) -> Iterator[NameUse]:
        """Yield the field names in a dotted name of an expression."""
        written = _EXPRESSED.match(text, reference.at)
        if written is None or reference.target is None:
            return
        names = [(found.start(1), found[1]) for found in SEGMENT.finditer(written[0]) if found[1]]
        if reference.member != "value" and names and names[-1][1] in {*FIELD_STATES, *FORM_STATES}:
            names.pop()
        target = reference.target
        while names and target:
            if target[-1] == "*":
                target = target[:-1]
                continue
            start, name = names.pop()
            if name != target[-1]:
                return
            place = self.document.inside(path, reference.at + start, len(name))
            kind = "panel" if len(target) == 1 and any(panel.panel == name for panel in self.form.panels) else "field"
            yield self._at(Key(kind, self.file, name if kind == "panel" else target), place, name)
            target = target[:-1]

    def _at(self, key: Key, place: Any, name: str) -> NameUse:
        start = self.lines.starts[place.line - 1] + place.column - 1
        return NameUse(key, self.file, start, start + len(name))

    def address(self, text: str, path: tuple[Any, ...], shift: int, *, key: bool = False) -> Iterator[NameUse]:
        for name, start, end in keys_in_address(text, (), self.file, self.form):
            if key:
                place = self.document.place(path, key=True)
                quoted = self.document.text[self.lines.starts[place.line - 1] + place.column - 1] in ("'", '"')
                place = place._replace(column=place.column + start + quoted)
            else:
                place = self.document.inside(path, start + shift, end - start)
            yield self._at(name, place, text[start:end])
