"""Reads the text of an expression into a tree. Knows no form: names are bound elsewhere.

Written by hand for its messages. What is not in the grammar (calls of other names, attributes of values,
assignments) has no production, so a hostile text is a syntax error and nothing more.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from typing import Any

from ...problems import suggestion
from ...records import NamedTuple
from .tree import Binary, BooleanOperation, Call, Choice, Comprehension, ListOf, Literal, Name, ObjectOf, Segment, Unary

FUNCTIONS: dict[str, tuple[int, int]] = {
    "count": (1, 1), "len": (1, 1), "sum": (1, 1), "min": (1, 99), "max": (1, 99), "any": (1, 1), "all": (1, 1),
    "lower": (1, 1), "upper": (1, 1), "trim": (1, 1), "starts": (2, 2), "ends": (2, 2), "contains": (2, 2),
    "matches": (2, 2), "empty": (1, 1), "filled": (1, 1), "today": (0, 0), "now": (0, 0), "days": (2, 2),
    "years": (2, 2),
}  # fmt: skip
OVER_ROWS = ("any", "all", "count", "sum", "min", "max")
_WORDS = frozenset({"and", "or", "not", "in", "if", "else", "for", "true", "false", "null"})
_DEEPEST = 40
_MOST_TERMS = 100
_TOKEN = re.compile(
    r"[ \t\r\n]*(?:(?P<name>[A-Za-z_][A-Za-z0-9_]*(?:-[A-Za-z_][A-Za-z0-9_]*)*)"
    r"|(?P<number>[0-9]+(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?)"
    r'|(?P<string>"(?:[^"\\\x00-\x1f]|\\.)*")'
    r"|(?P<op>==|!=|<=|>=|[-+*/%<>()\[\]{},.:])|(?P<end>$)|(?P<bad>.))",
    re.S,
)


class ExpressionError(Exception):
    """An expression that cannot be understood: *at* is the offset in its text, *length* what to mark."""

    def __init__(self, cause: str, at: int, remedy: str = "", length: int = 1) -> None:
        super().__init__(cause)
        self.cause, self.at, self.remedy, self.length = cause, at, remedy, length


class _Token(NamedTuple):
    kind: str
    text: str
    at: int


def parse(text: str) -> Any:
    """The tree of *text*, names unbound. Raises ExpressionError at the first place that makes no sense."""
    return _Parser(text).whole()


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.depth = 0
        self.tokens: list[_Token] = list(self._tokens())
        self.next = 0

    def _tokens(self) -> Any:
        at = 0
        while True:
            found = _TOKEN.match(self.text, at)
            assert found is not None  # the last branches take anything
            kind = found.lastgroup or "end"
            token = _Token(kind, found[kind], found.start(kind))
            if kind == "bad":
                raise self._bad(token)
            yield token
            if kind == "end":
                return
            at = found.end()

    def _bad(self, token: _Token) -> ExpressionError:
        hints = {
            "'": 'put strings in double quotes: "like this"',
            '"': "end the string with a double quote",
            "=": "to compare, write ==",
            "!": "write `not`, or != to compare",
            "&": "write `and`",
            "|": "write `or`",
            "?": "write X if C else Y",
            "$": "parameters are for scripts, not for sheets",
        }
        return ExpressionError(f"{token.text!r} is not allowed in an expression", token.at, hints.get(token.text, ""))

    # the cursor
    @property
    def here(self) -> _Token:
        return self.tokens[self.next]

    def take(self, *texts: str) -> _Token | None:
        token = self.tokens[self.next]
        if token.text in texts and token.kind in ("op", "name"):
            self.next += 1
            return token
        return None

    def need(self, text: str, why: str) -> _Token:
        token = self.take(text)
        if token is None:
            raise self.unexpected(f"{text!r} {why}")
        return token

    def unexpected(self, wanted: str) -> ExpressionError:
        token = self.here
        found = "the expression ends here" if token.kind == "end" else f"found {token.text!r}"
        return ExpressionError(f"expected {wanted}, {found}", token.at, "", max(1, len(token.text)))

    def whole(self) -> Any:
        if self.here.kind == "end":
            raise ExpressionError("the expression is empty", 0, "write true or false, or a condition")
        node = self.ternary()
        if self.here.kind != "end":
            raise self.unexpected("the end of the expression")
        return node

    # the grammar, loosest first
    def ternary(self) -> Any:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise ExpressionError(f"nested deeper than {_DEEPEST}", self.here.at, "split the rule into several")
        node = self.disjunction()
        token = self.take("if")
        if token:
            condition = self.disjunction()
            self.need("else", "after `X if C`")
            node = Choice(condition, node, self.ternary(), token.at)
        self.depth -= 1
        return node

    def disjunction(self) -> Any:
        return self._chain("or", self.conjunction)

    def conjunction(self) -> Any:
        return self._chain("and", self.negation)

    def _chain(self, word: str, part: Callable[[], Any]) -> Any:
        at = self.here.at
        parts, spans = [part()], [(at, self._end_of_last())]
        while self.take(word):
            start = self.here.at
            parts.append(part())
            spans.append((start, self._end_of_last()))
        return parts[0] if len(parts) == 1 else BooleanOperation(word, tuple(parts), at, tuple(spans))

    def negation(self) -> Any:
        nots = []
        while token := self.take("not"):
            nots.append(token.at)
            if len(nots) > _DEEPEST:
                raise ExpressionError(f"nested deeper than {_DEEPEST}", token.at)
        node = self.comparison()
        for at in reversed(nots):
            node = Unary("not", node, at)
        return node

    def comparison(self) -> Any:
        left = self.sum()
        token = self.take("==", "!=", "<", "<=", ">", ">=", "in")
        if token is None:
            negated = self.here
            if negated.text == "not" and self.tokens[self.next + 1].text == "in":
                self.next += 2
                return Unary("not", Binary("in", left, self.sum(), negated.at), negated.at)
            return left
        node = Binary(token.text, left, self.sum(), token.at)
        again = self.take("==", "!=", "<", "<=", ">", ">=", "in")
        if again:
            raise ExpressionError("comparisons cannot be chained", again.at, "write a < b and b < c", len(again.text))
        return node

    def sum(self) -> Any:
        return self._left(("+", "-"), self.product)

    def product(self) -> Any:
        return self._left(("*", "/", "%"), self.signed)

    def _left(self, ops: tuple[str, ...], part: Callable[[], Any]) -> Any:
        node, terms = part(), 1
        while token := self.take(*ops):
            terms += 1
            if terms > _MOST_TERMS:
                raise ExpressionError(f"more than {_MOST_TERMS} terms in a row", token.at, "compute a part of it with `derive`")
            node = Binary(token.text, node, part(), token.at)
        return node

    def signed(self) -> Any:
        token = self.take("-")
        if token is None:
            return self.primary()
        if self.here.text == "-":
            raise self.unexpected("a value after -")
        return Unary("-", self.primary(), token.at)

    def primary(self) -> Any:
        token = self.here
        self.next += 1
        if token.kind == "number":
            return Literal(self._number(token), token.at)
        if token.kind == "string":
            return Literal(self._string(token), token.at)
        if token.kind == "name":
            return self._word(token)
        if token.text == "(":
            node = self.ternary()
            self.need(")", "to close the bracket")
            return node
        if token.text == "[":
            return self._bracket(token)
        if token.text == "{":
            return self._object(token)
        self.next -= 1
        raise self.unexpected("a value, a name or a bracket")

    def _number(self, token: _Token) -> Any:
        if len(token.text) > 330:
            raise ExpressionError("this number has too many digits", token.at, "", len(token.text))
        value = json.loads(token.text) if token.text[0] != "0" or token.text[:2] in ("0", "0.", "0e", "0E") else None
        if value is None:
            raise ExpressionError("a number cannot start with 0", token.at, "", len(token.text))
        if value in (float("inf"), float("-inf")):
            raise ExpressionError("this number is too large", token.at, "", len(token.text))
        return value

    def _string(self, token: _Token) -> str:
        try:
            return str(json.loads(token.text))
        except ValueError:
            raise ExpressionError("this string has an escape that JSON does not allow", token.at, "", len(token.text)) from None

    def _word(self, token: _Token) -> Any:
        constants = {"true": True, "false": False, "null": None}
        if token.text in constants:
            return Literal(constants[token.text], token.at)
        if token.text in _WORDS:
            self.next -= 1
            raise self.unexpected("a value or a name")
        if self.here.text == "(":
            return self._call(token)
        return self._address(token.text, True, token.at)

    def _call(self, name: _Token) -> Any:
        if name.text not in FUNCTIONS:
            raise ExpressionError(
                f"unknown function {name.text!r}", name.at,
                suggestion(name.text, FUNCTIONS, "the functions are " + ", ".join(FUNCTIONS)), len(name.text),
            )  # fmt: skip
        self.need("(", "")
        arguments: list[Any] = []
        if not self.take(")"):
            arguments.append(self.ternary())
            if self.take("for"):
                return self._over(name, arguments[0])
            while self.take(","):
                arguments.append(self.ternary())
            self.need(")", f"after what {name.text} is given")
        least, most = FUNCTIONS[name.text]
        if not least <= len(arguments) <= most:
            wanted = "nothing" if most == 0 else f"{least} value{'s' if least > 1 else ''}"
            raise ExpressionError(f"{name.text} takes {wanted}, not {len(arguments)}", name.at, "", len(name.text))
        return Call(name.text, tuple(arguments), name.at)

    def _over(self, name: _Token, item: Any) -> Any:
        if name.text not in OVER_ROWS:
            raise ExpressionError(f"{name.text} does not take rows", name.at, f"these do: {', '.join(OVER_ROWS)}", len(name.text))
        variable = self.here
        if variable.kind != "name" or variable.text in _WORDS:
            raise self.unexpected("a name for the row")
        self.next += 1
        self.need("in", "and the address of the rows")
        source = self.sum()
        condition = self.disjunction() if self.take("if") else None
        self.need(")", f"after what {name.text} is given")
        return Comprehension(name.text, item, variable.text, source, condition, name.at)

    def _bracket(self, token: _Token) -> Any:
        if self.here.kind == "string" and self.tokens[self.next + 1].text == "]":
            after = self.tokens[self.next + 2]
            items_in_list = self.tokens[self.next - 2].text in ("in", ",", "(", "==", "!=") if self.next >= 2 else False
            if not items_in_list or (after.text in (".", "[") and after.at == self.tokens[self.next + 1].at + 1):
                name = self._string(self.here)
                self.next += 2
                return self._address(name, False, token.at)
        items: list[Any] = []
        while not self.take("]"):
            if items:
                self.need(",", "between the values of a list")
            items.append(self.ternary())
        return ListOf(tuple(items), token.at)

    def _object(self, token: _Token) -> Any:
        members: list[tuple[str, Any]] = []
        while not self.take("}"):
            if members:
                self.need(",", "between the members of an object")
            if self.here.kind != "string":
                raise self.unexpected("a member's name in double quotes")
            key = self._string(self.here)
            self.next += 1
            self.need(":", "after a member's name")
            members.append((key, self.ternary()))
        return ObjectOf(tuple(members), token.at)

    def _address(self, first: str, dotted: bool, at: int) -> Name:
        segments: list[Segment] = [first]
        dots = [dotted]
        while True:
            if self.take("."):
                token = self.here
                if token.kind != "name":
                    raise self.unexpected("a name after the dot")
                self.next += 1
                segments.append(token.text)
                dots.append(True)
            elif self.here.text == "[" and self.here.at == self._end_of_last():
                self.next += 1
                segments.append(self._index())
                dots.append(False)
                self.need("]", "after the index")
            else:
                return Name(tuple(segments), tuple(dots), at)

    def _end_of_last(self) -> int:
        last = self.tokens[self.next - 1]
        return last.at + len(last.text)

    def _index(self) -> Segment:
        sign = -1 if self.take("-") else 1
        token = self.here
        self.next += 1
        if token.kind == "number" and token.text.isdigit() and len(token.text) < 10:
            return sign * int(token.text)
        if token.kind == "string" and sign == 1:
            return self._string(token)
        self.next -= 1
        raise self.unexpected("a row's number or a name in double quotes")
