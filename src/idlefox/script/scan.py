"""The lexer: a cursor over a script's text that reads words, strings, numbers, durations, addresses and values.

Each kind of token has one compiled expression, which is tried where the grammar asks for it. Every mismatch raises `ParseError`
with what was expected.
"""

from __future__ import annotations

import json
import re
from json.decoder import scanstring  # type: ignore[attr-defined]
from typing import Any

from ..forms.names.addresses import NAME, SEGMENT
from ..forms.values.durations import DURATION, milliseconds
from ..forms.values.patterns import PatternError, finds
from ..problems import suggestion
from .tree import Address, Anything, Collection, Duration, Like, Member, Not, Nothing, Parameter, Template, WordToken

_SPACE = re.compile(r" *")
_NAME = re.compile(NAME)
# The same after spaces: one match in place of two, on the way of every line.
_SPACED_NAME = re.compile(rf" *({NAME})")
_END = re.compile(r" *(?=[#\n\r]|\Z)")
_STATE = re.compile(rf" *(not +)?(?!not\b)({NAME})")
PREDICATE = re.compile(rf" *(not +)?(?:(!=|=(?!=))|({NAME}))")
_PARAMETER = re.compile(rf"\$({NAME})")
_STRING = r'"(?:[^"\\\n]|\\.)*"'
_ADDRESS = re.compile(
    rf" *(\.?)(?:\$({NAME})(?![.\[])|((?:{NAME}|\[{_STRING}\]|(?<=\.)\[-?[0-9]+\])(?:\.{NAME}|\[-?[0-9]+\]|\[{_STRING}\]|\[\${NAME}\])*))"
)
_ROW_PARAMETER = re.compile(rf"\[\$({NAME})\]")
_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?(?![\w.])")
_LIKE = re.compile(r"/((?:[^/\\\n]|\\.)+)/([a-z]*)")
_GAP = re.compile(r"[ \r\n]*")
_IN_STRING = re.compile(rf"\$(?:\$|({NAME})|\{{({NAME})\}})")
_DEEPEST = 100
_CONSTANTS: dict[str, Any] = {"true": True, "false": False, "null": None}


class ParseError(Exception):
    """Something that the grammar does not allow at *offset*."""

    def __init__(self, cause: str, offset: int, remedy: str = "", length: int = 1) -> None:
        super().__init__(cause)
        self.cause, self.offset, self.remedy, self.length = cause, offset, remedy, length


class Scanner:
    """Reads one text from left to right. *templated* turns true when a parameter is met."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.base = 0  # positions are relative to this offset: that of the statement's first word
        self.templated = False
        self.broken = False  # a value went over the end of its line
        self.table = False  # in a table's cells a dollar sign is itself

    # lookahead
    def space(self) -> None:
        """Skip spaces."""
        if self.text.startswith(" ", self.at):
            self.at = _SPACE.match(self.text, self.at).end()  # type: ignore[union-attr]

    def at_end(self) -> bool:
        """Return whether the statement is over: the line ends or a comment begins."""
        return _END.match(self.text, self.at) is not None

    def expected(self, what: str, remedy: str = "") -> ParseError:
        """Return an error that names what was expected."""
        self.space()
        end = self.text.find("\n", self.at)
        rest = self.text[self.at : end if end >= 0 else len(self.text)].rstrip("\r ")
        if not rest or rest.startswith("#"):
            return ParseError(f"expected {what}, but the line ends", self.at, remedy)
        if rest[0] == "\t":
            return ParseError("a tab", self.at, "use spaces", 1)
        word = re.match(rf"{NAME}|{_STRING}|[0-9.]+\w*|\S", rest)
        found = word[0] if word else rest[0]
        shown = found if len(found) <= 40 else found[:37] + "…"
        return ParseError(f"expected {what}, found {shown}", self.at, remedy, min(len(found), 60))

    def peek_word(self) -> str:
        """Return the next word without consuming it."""
        found = _SPACED_NAME.match(self.text, self.at)
        return found[1] if found else ""

    def take_word(self, *words: str) -> str:
        """The next word if it is one of *words* (and then passes over it), else ""."""
        found = _SPACED_NAME.match(self.text, self.at)
        if found and found[1] in words:
            self.at = found.end()
            return found[1]
        return ""

    def take(self, sign: str) -> bool:
        """Consume *sign* if it is next."""
        if self.text.startswith(" ", self.at):
            self.space()
        if self.text.startswith(sign, self.at):
            self.at += len(sign)
            return True
        return False

    def need(self, sign: str, why: str) -> None:
        """Consume *sign*; it is required."""
        if not self.take(sign):
            raise self.expected(f"{sign!r} {why}")

    def need_word(self, what: str, *words: str) -> str:
        """Consume one of the given words."""
        word = self.take_word(*words)
        if not word:
            raise self.expected(what, suggestion(self.peek_word(), words) if self.peek_word() else "")
        return word

    # words
    def name(self, what: str) -> WordToken:
        """Read a name."""
        found = _SPACED_NAME.match(self.text, self.at)
        if not found:
            raise self.expected(what)
        self.at = found.end()
        return WordToken(found[1], found.start(1) - self.base)

    def word_or_parameter(self, what: str) -> WordToken | Parameter:
        """Read a word or a parameter."""
        self.space()
        if self.text.startswith("$", self.at):
            return self.parameter()
        return self.name(what)

    def state(self) -> WordToken | Parameter | Not:
        """A state's word, perhaps after `not`."""
        found = _STATE.match(self.text, self.at)
        if not found:
            negated = bool(self.take_word("not"))
            word = self.word_or_parameter("a state")
        else:
            self.at = found.end()
            negated = found[1] is not None
            word = WordToken(found[2], found.start(2) - self.base)
        return Not(word) if negated else word

    def parameter(self) -> Parameter:
        """Read a parameter."""
        found = _PARAMETER.match(self.text, self.at)
        if not found:
            raise ParseError("a parameter is a $ followed by a name", self.at, "write $name, or $$ for a dollar sign in a string")
        self.at = found.end()
        self.templated = True
        return Parameter(found[1], found.start() - self.base)

    def address(self, what: str = "the address of a field") -> Address:
        """Read an address."""
        found = _ADDRESS.match(self.text, self.at)
        if not found:
            raise self.expected(what)
        start = found.start(1)
        self.at = end = found.end()
        length, place = end - start, start - self.base
        dot, parameter, body = found.groups()
        if parameter:
            self.templated = True
            return Address((Parameter(parameter, place + len(dot)),), bool(dot), place, length)
        if self.text.startswith(("[", "."), end):
            raise ParseError("this is not an address", end, 'for example contact.email, passengers[0].age or ["odd name"]')
        if "[" not in body:
            return Address(tuple(body.split(".")), bool(dot), place, length)
        return Address(self._segments(body, start), bool(dot), place, length)

    def _segments(self, body: str, start: int) -> tuple[str | int | Parameter, ...]:
        segments: list[str | int | Parameter] = []
        at = 0
        while at < len(body):
            row = _ROW_PARAMETER.match(body, at)
            if row:
                self.templated = True
                segments.append(Parameter(row[1], start - self.base))
                at = row.end()
                continue
            found = SEGMENT.match(body, at)
            if found is None:
                raise ParseError("this name is not a JSON string", start + at, "write control characters as escapes")
            name, index, quoted = found.groups()
            try:
                segments.append(name or (json.loads(quoted) if quoted else int(index)))
            except ValueError:
                raise ParseError("this is neither a row number nor a JSON string", start + at, "", found.end() - at) from None
            at = found.end()
        return tuple(segments)

    def duration(self) -> Duration | Parameter:
        """Read a duration."""
        self.space()
        if self.text.startswith("$", self.at):
            return self.parameter()
        found = DURATION.match(self.text, self.at)
        if not found:
            raise self.expected("a duration", "for example 250ms, 3s, 1.5s, 2m")
        ms = milliseconds(found[1], found[2])
        if ms is None:
            shown = found[0] if len(found[0]) < 30 else found[0][:27] + "…"
            raise ParseError(f"{shown} is not a whole number of milliseconds up to a century", self.at, "", len(found[0]))
        self.at = found.end()
        return Duration(ms, found[0])

    def integer(self, what: str, least: int | None = 0) -> int | Parameter:
        """Read a whole number."""
        self.space()
        if self.text.startswith("$", self.at):
            return self.parameter()
        found = _NUMBER.match(self.text, self.at)
        if not found or not found[0].lstrip("-").isdigit():
            raise self.expected(what)
        if len(found[0]) > 15 or (least is not None and int(found[0]) < least):
            shown = found[0] if len(found[0]) < 20 else found[0][:17] + "…"
            raise ParseError(f"expected {what}, found {shown}", self.at, "", len(found[0]))
        self.at = found.end()
        return int(found[0])

    # values
    def string(self, what: str = "a string in double quotes") -> str | Template | Parameter:
        """A JSON string, a string with parameters, or a parameter."""
        self.space()
        if self.text.startswith('"', self.at):
            return self.quoted()
        if self.text.startswith("$", self.at):
            return self.parameter()
        word = self.peek_word()
        quotes = "strings need double quotes" if self.text.startswith("'", self.at) else ""
        raise self.expected(what, f'put it in double quotes: "{word}"' if word else quotes)

    def plain_string(self, what: str) -> str:
        """A JSON string in which a dollar sign is itself (paths, tags)."""
        self.space()
        if not self.text.startswith('"', self.at):
            raise self.expected(what)
        return self._json_string()

    def _json_string(self) -> str:
        start = self.at
        try:
            value, self.at = scanstring(self.text, start + 1, True)
        except json.JSONDecodeError as fault:
            line_end = self.text.find("\n", start)
            line_end = len(self.text) if line_end < 0 else line_end
            if "Unterminated" in fault.msg or fault.pos >= line_end:
                raise ParseError("this string has no closing double quote", start, 'end it with "', line_end - start) from None
            raise ParseError("this is not a valid JSON string", fault.pos, 'escapes are \\" \\\\ \\/ \\b \\f \\n \\r \\t \\uXXXX') from None
        return str(value)

    def quoted(self) -> str | Template:
        """Read a string without parameters."""
        start = self.at
        value = self._json_string()
        if "$" not in value or self.table:
            return value
        parts: list[str | Parameter] = []
        literal, at = "", 0
        for found in _IN_STRING.finditer(value):
            literal += value[at : found.start()]
            at = found.end()
            name = found[1] or found[2]
            if name is None:
                literal += "$"
                continue
            if literal:
                parts.append(literal)
            parts.append(Parameter(name, start - self.base))
            literal = ""
        literal += value[at:]
        if not parts and literal == value:
            return value
        self.templated = True
        if literal:
            parts.append(literal)
        return Template(tuple(parts), value)

    def like(self) -> Like:
        """The `/…/flags` of a pattern; the word `like` has been read."""
        self.space()
        found = _LIKE.match(self.text, self.at)
        if not found:
            raise self.expected("a pattern between slashes", "for example like /^Sun/")
        try:
            finds(found[1], found[2])
        except PatternError as fault:
            raise ParseError(fault.cause, self.at, fault.remedy, len(found[0])) from None
        self.at = found.end()
        return Like(found[1], found[2], found.start() - self.base)

    def cell(self, *, pattern: bool = False) -> Any:
        """Read a table cell or an argument: a value, or `nothing`."""
        return Nothing() if self.take_word("nothing") else self.value(pattern=pattern)

    def value(self, *, pattern: bool = False, depth: int = 0) -> Any:
        """A JSON value, with parameters; with *pattern* also `any` and `like /…/`."""
        self.space()
        text, at = self.text, self.at
        sign = text[at : at + 1]
        if sign == '"':
            return self.quoted()
        if sign == "$" and not self.table:
            return self.parameter()
        if sign in ("[", "{") and sign:
            return self._many(sign, pattern, depth)
        found = _NUMBER.match(text, at)
        if found:
            return self._number(found)
        word = _NAME.match(text, at)
        if word and word[0] in _CONSTANTS:
            self.at = word.end()
            return _CONSTANTS[word[0]]
        if pattern and word and word[0] in ("any", "like"):
            self.at = word.end()
            return Anything() if word[0] == "any" else self.like()
        remedy = ""
        if word:
            remedy = suggestion(word[0], [*_CONSTANTS, *(("any", "like") if pattern else ())], "strings need double quotes")
        elif sign == "'":
            remedy = "strings need double quotes"
        raise self.expected("a value", remedy)

    def _number(self, found: re.Match[str]) -> int | float:
        shown = found[0] if len(found[0]) <= 40 else f"{found[0][:20]}… ({len(found[0])} characters)"
        if len(found[0]) > 400 or abs(float(found[0])) == float("inf"):
            raise ParseError(f"the number {shown} is too large", self.at, "put it in quotes to type it", 1)
        self.at = found.end()
        return json.loads(found[0])  # type: ignore[no-any-return]

    def _many(self, opening: str, pattern: bool, depth: int) -> Collection:
        if depth > _DEEPEST:
            raise ParseError(f"nested deeper than {_DEEPEST}", self.at, "split it")
        start = self.at
        closing = "]" if opening == "[" else "}"
        self.broken = True
        self.at += 1
        members: list[Member] = []
        comma, after = True, start
        while True:
            lead = self._gap(start)
            if members and not comma and self.take(","):
                comma = True
                lead += self._gap(start)
            if self.text.startswith(closing, self.at):
                if members and comma:
                    raise ParseError("a trailing comma", self.at, "JSON does not allow trailing commas")
                self.at += 1
                return Collection("list" if opening == "[" else "object", tuple(members), lead)
            if not comma:
                if "\n" in self.text[after : self.at]:
                    cause = "this bracket is not closed, and the next line does not continue it"
                    raise ParseError(cause, start, f"close it with {closing}")
                raise self.expected(f"',' or {closing!r}")
            key = None
            if opening == "{":
                if not self.text.startswith('"', self.at):
                    raise self.expected("a member's name in double quotes")
                key = self.quoted()
                lead += self._gap(start)
                self.need(":", "after a member's name")
                lead += self._gap(start)
            value = self.value(pattern=pattern, depth=depth + 1)
            comma, tail = self._tail()
            after = self.at
            members.append(Member(key, value, lead, tail))

    def _tail(self) -> tuple[bool, str]:
        """Skip over what follows a member on its line: whether there was a comma, and the comment if any."""
        self.space()
        comma = self.text.startswith(",", self.at)
        if comma:
            self.at += 1
            self.space()
        if self.text.startswith("#", self.at):
            return comma, self._comment()
        return comma, ""

    def _comment(self) -> str:
        end = self.text.find("\n", self.at)
        end = len(self.text) if end < 0 else end
        comment = self.text[self.at : end].rstrip()
        self.at = end
        return comment

    def _gap(self, start: int) -> tuple[str, ...]:
        """Skip over white space, line breaks and comments inside brackets; the comments, if any."""
        comments: list[str] = []
        while True:
            self.at = _GAP.match(self.text, self.at).end()  # type: ignore[union-attr]
            if self.at >= len(self.text):
                raise ParseError("this bracket is never closed", start, f"close it with {']' if self.text[start] == '[' else '}'}")
            if not self.text.startswith("#", self.at):
                return tuple(comments)
            comments.append(self._comment())
