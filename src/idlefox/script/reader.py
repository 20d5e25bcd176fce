"""Parses a script's text into its tree, line by line, and collects every error of the file.

A line with an error is skipped, so that one error does not hide the next.
"""

from __future__ import annotations

import re
from typing import Any

from ..forms.values.durations import parse_instant
from ..problems import Problem, Unreadable, read_text, suggestion
from ..words import table
from .checks import read_check
from .lines import LineReader
from .scan import ParseError, Scanner
from .steps import STEPS
from .tree import Act, Block, Body, Cannot, Do, Fill, FillLine, Header, Inside, Row, Script, Statement, With

_BLOCKS = ("prelude", "routine", "scenario")
_HEADERS = ("subject", "use", "clock")
_DEEPEST = 50
_NOBODYS = frozenset({"do", "note", "answer"})  # steps that are not a person's actions
_VERBS = (*STEPS, "expect", "inside", "fill")


def read_script(file: str) -> Script:
    """The tree of the script *file*. Raises Unreadable with every problem found in it."""
    return read_script_text(read_text(file), file)


def read_script_text(text: str, file: str) -> Script:
    """The tree of the script *text*; *file* is its name in messages."""
    script, problems = _read(text, file)
    if problems:
        raise Unreadable(problems)
    return script


def read_script_anyway(file: str, text: str | None = None) -> tuple[Script, list[Problem]]:
    """Parse the script *file* (or *text*) as far as possible; return it with all its errors. Raises Unreadable if the file cannot
    be read.
    """
    return _read(read_text(file) if text is None else text, file)


def _read(text: str, file: str) -> tuple[Script, list[Problem]]:
    reader = _ScriptParser(text, file)
    script = reader.script()
    return script, reader.problems


class _ScriptParser(LineReader):
    def __init__(self, text: str, file: str) -> None:
        super().__init__(text, file)
        self.depth = 0
        # Equal lines are parsed once per script: a parsed line does not contain its position.
        self.known: dict[str, tuple[int, Act, str, bool, int]] = {}
        self.filled: dict[str, tuple[Any, Any, str, bool]] = {}  # the same of the lines of `fill`

    # the file
    def script(self) -> Script:
        headers: list[Header] = []
        blocks: list[Block] = []
        while (indent := self.peek()) >= 0:
            self.begin()
            start = self.s.at
            try:
                if indent > 0:
                    remedy = "start a scenario above it, or remove the indentation"
                    raise ParseError("this line is indented, but no block is open", start, remedy)
                word = self.s.peek_word()
                if word in _HEADERS:
                    header = self.header(word)
                    if blocks:
                        raise ParseError(f"{word!r} must come before the first block", start, "move it to the top of the file", len(word))
                    if word != "use" and any(h.kind == word for h in headers):
                        raise ParseError(f"{word!r} appears twice", start, "keep one of them", len(word))
                    headers.append(header)
                elif word in _BLOCKS:
                    block = self.block(word)
                    if word == "prelude" and any(b.kind == "prelude" for b in blocks):
                        raise ParseError("there is already a prelude", start, "move its steps into the first one", len(word))
                    blocks.append(block)
                else:
                    raise self._no_statement(word, (*_HEADERS, *_BLOCKS), "subject, use, clock, prelude, routine or scenario")
            except ParseError as fault:
                self.slip(fault)
                if self.at <= start:
                    self.skip(0, fault.offset)
        self._same_names(blocks)
        return Script(tuple(headers), tuple(blocks), self.lead(), self.file, self.text)

    def _no_statement(self, word: str, known: tuple[str, ...], wanted: str) -> ParseError:
        remedy = table.said().get(word.lower()) or (suggestion(word, known) if word else "")
        if word in _VERBS and "scenario" in known:
            return ParseError(f"{word!r} is a step and must be inside a scenario", self.s.at, "indent it under a scenario", len(word))
        if word == "clock" and "scenario" not in known:
            remedy = "move it there, or to the top of the file for all scenarios"
            return ParseError("`clock` must come first in a scenario", self.s.at, remedy, len(word))
        if word in (*_BLOCKS, *_HEADERS):
            return ParseError(f"{word!r} must not be indented", self.s.at, "remove the spaces before it", len(word))
        return self.s.expected(wanted, remedy)

    def _same_names(self, blocks: list[Block]) -> None:
        seen: set[str] = set()
        for block in blocks:
            if block.kind == "routine":
                if block.name in seen:
                    self.slip(ParseError(f"the routine {block.name!r} already exists", block.offset, "rename one of them", len("routine")))
                seen.add(block.name)

    def _clock(self, indent: int) -> Header:
        return self.header("clock")

    def header(self, word: str) -> Header:
        s = self.s
        lead, line, start = self.lead(), self.line, s.at
        s.at += len(word)
        ms = 0
        if word == "clock":
            s.space()
            found = re.compile(r"[^\s#]+").match(self.text, s.at)
            text = found[0] if found else ""
            instant = parse_instant(text)
            if instant is None:
                raise s.expected("an RFC 3339 time", "for example 2031-05-02T09:00:00Z")
            s.at += len(text)
            ms = instant
        else:
            text = s.plain_string("a path in double quotes")
        return Header(word, text, lead, self.finish(), ms, line, start)

    def block(self, word: str) -> Block:
        s = self.s
        lead, line, start = self.lead(), self.line, s.at
        s.at += len(word)
        name, parameters, title, tags = "", (), "", ()  # type: str, tuple[str, ...], Any, tuple[str, ...]
        fate, why = "", ""  # type: str, Any
        if word == "routine":
            name = s.name("the routine's name").text
            parameters = self._parameters()
        elif word == "scenario":
            s.space()
            if not s.text.startswith('"', s.at):
                raise s.expected("the scenario's title in double quotes")
            title = s.quoted()
            tags = self._tags()
            fate = s.take_word("known", "aside")
            why = s.string(f"the reason why it is {fate}, in double quotes") if fate else ""
        tail = self.finish()
        body = self.body(0, f"the {word}'s statements", start, word == "scenario")
        return Block(word, body, name, parameters, title, tags, lead, tail, line, self.line - 1 - len(self.trivia), start, fate, why)

    def _parameters(self) -> tuple[str, ...]:
        s = self.s
        found: list[str] = []
        if s.take("(") and not s.take(")"):
            while True:
                word = s.name("a parameter's name")
                if word.text in found:
                    raise ParseError(f"the parameter {word.text!r} appears twice", s.base + word.offset, "", len(word.text))
                found.append(word.text)
                if s.take(")"):
                    break
                s.need(",", "or ')'")
        return tuple(found)

    def _tags(self) -> tuple[str, ...]:
        s = self.s
        found: list[str] = []
        if s.take("[") and not s.take("]"):
            while True:
                found.append(s.name("a tag").text)
                if s.take("]"):
                    break
                s.need(",", "or ']'")
        return tuple(found)

    # bodies
    def body(self, outer: int, what: str, start: int, table: bool = False) -> Body:
        """The statements indented deeper than *outer*."""
        self.depth += 1
        if self.depth > _DEEPEST:
            self.depth -= 1
            raise ParseError(f"nested deeper than {_DEEPEST}", start, "use longer addresses instead")
        told = len(self.problems)
        indent = self.peek()
        statements: list[Statement] = []
        found_table: With | None = None
        clock: Header | None = None
        if indent <= outer:
            if told == len(self.problems):  # otherwise the lines were indented with tabs, which has been reported
                self.slip(ParseError(f"expected {what}, indented", start, "put at least one statement under it"))
        else:
            while (statement := self.again(indent)) is not None or (column := self.peek()) > outer:
                if statement is None:
                    self._at(column, indent)
                    if table and self.word == "clock" and not statements and found_table is None and clock is None:
                        clock = self.guarded(column, self._clock)
                    elif table and not statements and found_table is None and self.word == "with":
                        found_table = self.guarded(column, self.table)
                    else:
                        statement = self.guarded(column, self.statement)
                if statement is not None:
                    statements.append(statement)
        self.depth -= 1
        end = self.left_over(indent) if indent > outer else ()
        return Body(tuple(statements), found_table, end, clock)

    def _at(self, column: int, indent: int) -> None:
        """The next line is indented by *column*, as those around it are by *indent*."""
        if column != indent:
            self.begin()
            cause = f"this line is indented by {column} spaces, the lines around it by {indent}"
            self.slip(ParseError(cause, self.s.at, f"indent it by {indent} spaces"))

    def again(self, indent: int) -> Statement | None:
        """The statement on the next line, where a line that says the same has been read before, indented by *indent*."""
        start = self.at
        end = self.text.find("\n", start)
        end = len(self.text) if end < 0 else end
        known = self.known.get(self.text[start:end])
        if known is None or known[0] != indent:
            return None
        _, act, tail, templated, length = known
        line = self.line
        self.line += 1
        self.at = end + 1
        return Statement(act, self.lead() if self.trivia else (), tail, templated, line, start + indent, length)

    def statement(self, indent: int) -> Statement:
        s = self.s
        lead = tuple([content for _, content in self.trivia]) if self.trivia else ()
        line, start, word = self.line, s.at, self.word
        act: Act
        s.base = start
        s.at += len(word)
        if word == "expect":
            act = self._cannot(s) or read_check(s)
        elif word == "do" and (walk := self._do_with(indent, lead, line, start)) is not None:
            return walk
        elif word in STEPS:
            act = STEPS[word](s)
        elif word == "inside":
            return self._inside(indent, lead, line, start)
        elif word == "fill":
            return self._fill(indent, lead, line, start)
        elif word == "with":
            s.at = start
            raise ParseError("`with` must come first in a scenario", start, "move it up", 4)
        else:
            s.at = start
            raise self._no_statement(s.peek_word(), _VERBS, "a step or `expect`")
        end = s.at
        tail = self.finish()
        self.trivia.clear()
        if self.line == line + 1:
            self.known[self.text[start - indent : self.at - 1]] = (indent, act, tail, s.templated, end - start)
        return Statement(act, lead, tail, s.templated, line, start, end - start)

    def _cannot(self, s: Scanner) -> Act | None:
        """`expect cannot STEP`, where a step a person takes follows; else nothing is read (a field may be called so)."""
        before = s.at
        if s.take_word("cannot"):
            verb = s.peek_word()
            if verb in STEPS and verb not in _NOBODYS:
                s.space()
                start = s.at
                s.at += len(verb)
                return Cannot(STEPS[verb](s), start - s.base, s.at - start)
        s.at = before
        return None

    def _inside(self, indent: int, lead: tuple[str, ...], line: int, start: int) -> Statement:
        s = self.s
        address = s.address()
        templated, end = s.templated, s.at
        tail = self.finish()
        self.trivia.clear()
        body = self.body(indent, "the statements inside", start)
        return Statement(Inside(address, body), lead, tail, templated, line, start, end - start)

    def _fill(self, indent: int, lead: tuple[str, ...], line: int, start: int) -> Statement:
        tail = self.finish()
        self.trivia.clear()
        inner = self.peek()
        lines: list[FillLine] = []
        templated = False
        if inner <= indent:
            self.slip(ParseError("expected indented lines of an address and a value", start, "put at least one under `fill`", 4))
        while (column := self.peek()) > indent:
            found = self.guarded(column, self._fill_line)
            if found is not None:
                lines.append(found)
            templated = templated or self.s.templated
        end = self.left_over(inner) if inner > indent else ()
        return Statement(Fill(tuple(lines), end), lead, tail, templated, line, start, 4)

    def _fill_line(self, indent: int) -> FillLine:
        s = self.s
        lead, line, start = self.lead(), self.line, s.at
        known = self.filled.get(said := self.rest(start))
        if known is not None:
            address, value, tail, s.templated = known
            self.line += 1
            self.at = start + len(said) + 1
            return FillLine(address, value, lead, tail, line, start)
        s.base = start
        address, value = s.address(), s.value(pattern=True)
        tail = self.finish()
        if self.line == line + 1:
            self.filled[said] = (address, value, tail, s.templated)
        return FillLine(address, value, lead, tail, line, start)

    def table(self, indent: int) -> With:
        s = self.s
        lead, line = self.lead(), self.line
        start = s.at
        s.at += len("with")
        return self._with(indent, lead, line, start)

    def _with(self, indent: int, lead: tuple[str, ...], line: int, start: int, *, named: bool = True) -> With:
        """Parse what follows `with`: a file, or names (required if *named*) and rows."""
        s = self.s
        kind = s.take_word("csv", "json")
        if kind:
            path = s.plain_string("a path in double quotes")
            tail = self.finish()
            self.trivia.clear()
            self._no_rows(indent, path)
            return With((), (), kind, path, lead, tail, (), line)
        names: list[str] = []
        while named or not s.at_end():
            word = s.name("a parameter's name")
            if word.text in names:
                raise ParseError(f"the parameter {word.text!r} appears twice", s.base + word.offset, "", len(word.text))
            names.append(word.text)
            if not s.take(","):
                break
        tail = self.finish()
        self.trivia.clear()
        inner = self.peek()
        rows: list[Row] = []
        if inner <= indent:
            self.slip(ParseError("expected indented rows of values", start, "put at least one under `with`", 4))
        while self.peek() > indent:
            row = self.guarded(indent, lambda _: self._row(len(names)))
            if row is not None:
                rows.append(row)
        end = self.left_over(inner) if inner > indent else ()
        return With(tuple(names), tuple(rows), "", "", lead, tail, end, line)

    def _no_rows(self, indent: int, path: str) -> None:
        """Report rows under a table whose rows come from the file *path*."""
        if self.peek() <= indent:
            return
        self.begin()
        remedy = "remove these lines, or name the parameters after `with`"
        self.slip(ParseError(f"the rows of this table come from {path}", self.s.at, remedy))
        while self.peek() > indent:
            self.trivia.clear()
            self.skip_line(self.at)

    def _do_with(self, indent: int, lead: tuple[str, ...], line: int, start: int) -> Statement | None:
        """`do ROUTINE with …`: the routine once for each row; None (and nothing read) for a `do` without a table."""
        s = self.s
        before = s.at
        name = s.name("the name of a routine")
        if not s.take_word("with"):
            s.at = before
            return None
        length = s.at - start
        table = self._with(indent, (), line, start, named=False)
        return Statement(Do(name, (), table), lead, table.tail, s.templated, line, start, length)

    def _row(self, width: int) -> Row:
        s = self.s
        lead, line, start = self.lead(), self.line, s.at
        s.table = True
        try:
            values = [s.cell(pattern=True)]
            while s.take(","):
                values.append(s.cell(pattern=True))
            length = s.at - start
            tail = self.finish()
        finally:
            s.table = False
        if width and len(values) != width:
            cause = f"this row has {len(values)} values, but the table has {width} parameters"
            self.slip(ParseError(cause, start, "give one value for each", length))
        return Row(tuple(values), lead, tail, line)

