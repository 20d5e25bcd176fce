"""Compiles a bound expression to a closure.

A closure takes the place it is evaluated at (a cell, a payload: anything its `ValueAccess` reads) and the rows named by
comprehensions, and returns a JSON value or `UNKNOWN` (Kleene's third value). It can reach only what its `ValueAccess` provides.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Iterable
from typing import Any, Protocol

from ..values import limits, whatwg
from ..values.patterns import whole_match
from ..values.values import equal, is_empty
from .tree import UNKNOWN, Binary, BooleanOperation, Call, Choice, Comprehension, Expression, ListOf, Literal, ObjectOf, Reference, Unary

Variables = dict[str, Any] | None
Closure = Callable[[Any, Variables], Any]
_ORDER: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


class ValueAccess(Protocol):
    """How an expression reads the place it is evaluated at."""

    def read(self, reference: Reference) -> Closure:
        """Return a closure that reads *reference* as a JSON value."""

    def rows(self, reference: Reference) -> Closure:
        """Return a closure that returns the rows or items of *reference*, each usable as a variable."""

    def now(self, place: Any) -> int:
        """The virtual time in milliseconds since 1970-01-01T00:00Z."""

    def mixed(self, place: Any, what: str) -> None:
        """Called when an ordering or arithmetic has operands of incompatible types."""


def compile_expression(expression: Expression, access: ValueAccess) -> Closure:
    """The closure of *expression* over *access*."""
    return _ClosureCompiler(access).node(expression.node)


def rfc3339(milliseconds: int) -> str:
    """An instant as RFC 3339 text in UTC."""
    days, rest = divmod(milliseconds, 86_400_000)
    year, month, day = whatwg.civil_from_days(days)
    seconds, thousandths = divmod(rest, 1000)
    fraction = f".{thousandths:03d}".rstrip("0") if thousandths else ""
    return f"{year:04d}-{month:02d}-{day:02d}T{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{fraction}Z"


def instant(text: Any) -> int | None:
    """A date, local date and time or RFC 3339 text as milliseconds (UTC), or None."""
    if not isinstance(text, str):
        return None
    return whatwg.date_number("datetime-local" if "T" in text or " " in text else "date", text.removesuffix("Z"))


def add(a: Any, b: Any) -> Any:
    """Add numbers or join strings."""
    if isinstance(a, str) and isinstance(b, str):
        if len(a) + len(b) > limits.TEXT:
            raise limits.LimitExceeded(f"an expression builds a string of more than {limits.TEXT:,} characters")
        return a + b
    return _arithmetic(operator.add, a, b)


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _arithmetic(op: Callable[[Any, Any], Any], a: Any, b: Any) -> Any:
    if not (_number(a) and _number(b)):
        return UNKNOWN
    try:
        result = op(a, b)
    except (ZeroDivisionError, OverflowError, ValueError):
        return UNKNOWN
    if isinstance(result, float):
        if not math.isfinite(result):
            return UNKNOWN
        return whatwg.tidy(result)
    return result if abs(result) < 10**308 else UNKNOWN


def _remainder(a: Any, b: Any) -> Any:
    """ECMAScript's remainder: the sign is the dividend's."""
    return math.fmod(a, b)


_ARITHMETIC: dict[str, Callable[[Any, Any], Any]] = {
    "-": operator.sub, "*": operator.mul, "/": operator.truediv, "%": _remainder,
}  # fmt: skip


def _fold(values: Iterable[Any], decisive: bool) -> Any:
    """Kleene's or over *values* (*decisive* True), or his and (False)."""
    result: Any = not decisive
    for value in values:
        if value is decisive:
            return decisive
        if value is not (not decisive):
            result = UNKNOWN
    return result


def _over_rows(values: Iterable[Any], decisive: bool) -> Any:
    """Evaluate `any` (*decisive* True) or `all` (False); rows with an unknown condition are ignored, as in SQL's aggregates.

    Unknown only where nothing is known of any row: an empty row does not excuse the others.
    """
    known = unknown = False
    for value in values:
        if value is decisive:
            return decisive
        if value is (not decisive):
            known = True
        else:
            unknown = True
    return UNKNOWN if unknown and not known else not decisive


class _ClosureCompiler:
    def __init__(self, access: ValueAccess) -> None:
        self.access = access

    def node(self, node: Any) -> Closure:
        if isinstance(node, Reference):
            return self.access.read(node)
        compiler: Callable[[Any], Closure] = getattr(self, "_" + type(node).__name__.lower())
        return compiler(node)

    def _literal(self, node: Literal) -> Closure:
        value = node.value
        return lambda place, rows: value

    def _unary(self, node: Unary) -> Closure:
        inner = self.node(node.operand)
        if node.op == "not":

            def negated(place: Any, rows: Variables) -> Any:
                value = inner(place, rows)
                return (not value) if value is True or value is False else UNKNOWN

            return negated
        return lambda place, rows: _arithmetic(operator.sub, 0, inner(place, rows))

    def _booleanoperation(self, node: BooleanOperation) -> Closure:
        parts = tuple(self.node(p) for p in node.parts)
        decisive = node.op == "or"
        if len(parts) == 2:
            first, second = parts

            def pair(place: Any, rows: Variables) -> Any:
                a = first(place, rows)
                if a is decisive:
                    return decisive
                b = second(place, rows)
                if b is decisive:
                    return decisive
                return b if (a is True or a is False) and (b is True or b is False) else UNKNOWN

            return pair
        return lambda place, rows: _fold((p(place, rows) for p in parts), decisive)

    def _choice(self, node: Choice) -> Closure:
        condition, then, otherwise = self.node(node.condition), self.node(node.then), self.node(node.otherwise)

        def choose(place: Any, rows: Variables) -> Any:
            held = condition(place, rows)
            if held is True:
                return then(place, rows)
            return otherwise(place, rows) if held is False else UNKNOWN

        return choose

    def _listof(self, node: ListOf) -> Closure:
        items = tuple(self.node(i) for i in node.items)
        return lambda place, rows: limits.within_parts([None if (v := i(place, rows)) is UNKNOWN else v for i in items])

    def _objectof(self, node: ObjectOf) -> Closure:
        members = tuple((k, self.node(v)) for k, v in node.members)
        return lambda place, rows: limits.within_parts({k: None if (v := m(place, rows)) is UNKNOWN else v for k, m in members})

    def _binary(self, node: Binary) -> Closure:
        left, right, op = self.node(node.left), self.node(node.right), node.op
        if op in ("==", "!="):
            wanted = op == "=="

            def same(place: Any, rows: Variables) -> Any:
                a, b = left(place, rows), right(place, rows)
                return UNKNOWN if a is UNKNOWN or b is UNKNOWN else equal(a, b) is wanted

            return same
        if op in _ORDER:
            return self._ordering(left, right, _ORDER[op], op, node.dates)
        if op == "in":

            def within(place: Any, rows: Variables) -> Any:
                return _contains(right(place, rows), left(place, rows))

            return within
        mixed = self.access.mixed
        work = _ARITHMETIC.get(op)

        def calculate(place: Any, rows: Variables) -> Any:
            a, b = left(place, rows), right(place, rows)
            result = add(a, b) if work is None else _arithmetic(work, a, b)
            if result is UNKNOWN and _clash(a, b):
                mixed(place, f"{_kind(a)} {op} {_kind(b)}")
            return result

        return calculate

    def _ordering(self, left: Closure, right: Closure, test: Callable[[Any, Any], Any], op: str, dates: bool) -> Closure:
        mixed = self.access.mixed

        def order(place: Any, rows: Variables) -> Any:
            a, b = left(place, rows), right(place, rows)
            if _number(a) and _number(b):
                return test(a, b)
            if isinstance(a, str) and isinstance(b, str):
                if dates:
                    if not a or not b:
                        return UNKNOWN
                    first, second = instant(a), instant(b)
                    if first is not None and second is not None:
                        return test(first, second)
                return test(a, b)
            if _clash(a, b):
                mixed(place, f"{_kind(a)} {op} {_kind(b)}")
            return UNKNOWN

        return order

    def _call(self, node: Call) -> Closure:
        if node.function == "today":
            return lambda place, rows: rfc3339(self.access.now(place)).partition("T")[0]
        if node.function == "now":
            return lambda place, rows: rfc3339(self.access.now(place))
        if node.function == "count" and isinstance(node.arguments[0], Reference):
            items = self.access.rows(node.arguments[0])

            def counted(place: Any, rows: Variables) -> Any:
                found = items(place, rows)
                return UNKNOWN if found is None else len(found)

            return counted
        if node.function == "matches":
            return self._matches(node)
        arguments = tuple(self.node(a) for a in node.arguments)
        function = _FUNCTIONS[node.function]
        if len(arguments) == 1:
            only = arguments[0]
            return lambda place, rows: function(only(place, rows))
        return lambda place, rows: function(*(a(place, rows) for a in arguments))

    def _matches(self, node: Call) -> Closure:
        subject, pattern = self.node(node.arguments[0]), whole_match(node.arguments[1].value)

        def matched(place: Any, rows: Variables) -> Any:
            text = subject(place, rows)
            return pattern(text) if isinstance(text, str) else UNKNOWN

        return matched

    def _comprehension(self, node: Comprehension) -> Closure:
        source = self.access.rows(node.source) if isinstance(node.source, Reference) else self.node(node.source)
        item, variable = self.node(node.item), node.variable
        condition = self.node(node.condition) if node.condition is not None else None
        function = node.function

        def items(place: Any, rows: Variables) -> Any:
            named = dict(rows) if rows else {}
            met = named.setdefault("", [0])  # no variable: how many items have been met, in loops inside loops too
            for row in source(place, rows) or ():
                named[variable] = row
                met[0] += 1
                if met[0] > limits.ITEMS:
                    raise limits.LimitExceeded(f"an expression iterates over more than {limits.ITEMS:,} items")
                if condition is None or condition(place, named) is True:
                    yield item(place, named)

        if function in ("any", "all"):
            return lambda place, rows: _over_rows(items(place, rows), function == "any")
        if function == "count":
            return lambda place, rows: sum(1 for v in items(place, rows) if v is not UNKNOWN and not is_empty(v))
        reduce_values = _FUNCTIONS[function]
        return lambda place, rows: reduce_values(list(items(place, rows)))


def _kind(value: Any) -> str:
    if isinstance(value, bool):
        return "boolean"
    return {int: "number", float: "number", str: "text", list: "list", dict: "object"}.get(type(value), "null")


def _clash(a: Any, b: Any) -> bool:
    """Return whether two values that did not go together were both there (null and unknown are not mixed types)."""
    return a is not None and b is not None and a is not UNKNOWN and b is not UNKNOWN and _kind(a) != _kind(b)


def _contains(whole: Any, part: Any) -> Any:
    if whole is None or whole is UNKNOWN or part is UNKNOWN:
        return UNKNOWN
    if isinstance(whole, str):
        return part in whole if isinstance(part, str) else UNKNOWN
    if isinstance(whole, list | tuple):
        return any(equal(item, part) for item in whole)
    return UNKNOWN


def _on_text(function: Callable[..., Any]) -> Callable[..., Any]:
    def guarded(*texts: Any) -> Any:
        return function(*texts) if all(isinstance(t, str) for t in texts) else UNKNOWN

    return guarded


def _length(value: Any) -> Any:
    if isinstance(value, str):
        return whatwg.utf16_length(value)
    return len(value) if isinstance(value, list | tuple) else UNKNOWN


def _sum(values: Any) -> Any:
    if not isinstance(values, list):
        return UNKNOWN
    total: Any = 0
    for value in values:
        total = _arithmetic(operator.add, total, value)
        if total is UNKNOWN:
            return UNKNOWN
    return total


def _extreme(best: Callable[[Any], Any]) -> Callable[..., Any]:
    def pick(*values: Any) -> Any:
        pool = values[0] if len(values) == 1 and isinstance(values[0], list) else values
        same = all(_number(v) for v in pool) or all(isinstance(v, str) and v for v in pool)
        return best(pool) if pool and same else UNKNOWN

    return pick


def _empty(value: Any) -> Any:
    return UNKNOWN if value is UNKNOWN else is_empty(value)


def _days(a: Any, b: Any) -> Any:
    first, second = instant(a), instant(b)
    return UNKNOWN if first is None or second is None else int((second - first) / 86_400_000)


def _years(a: Any, b: Any) -> Any:
    first, second = instant(a), instant(b)
    if first is None or second is None:
        return UNKNOWN
    sign = 1
    if second < first:
        first, second, sign = second, first, -1
    (y1, m1, d1), (y2, m2, d2) = (whatwg.civil_from_days(n // 86_400_000) for n in (first, second))
    earlier = (m2, d2, second % 86_400_000) < (m1, d1, first % 86_400_000)
    return sign * (y2 - y1 - earlier)


_FUNCTIONS: dict[str, Callable[..., Any]] = {
    "count": lambda v: len(v) if isinstance(v, list | tuple) else UNKNOWN,
    "len": _length,
    "sum": _sum,
    "min": _extreme(min),
    "max": _extreme(max),
    "any": lambda v: _over_rows(v, True) if isinstance(v, list) else UNKNOWN,
    "all": lambda v: _over_rows(v, False) if isinstance(v, list) else UNKNOWN,
    "lower": _on_text(str.lower),
    "upper": _on_text(str.upper),
    "trim": _on_text(lambda t: t.strip(whatwg.WHITE_SPACE)),
    "starts": _on_text(str.startswith),
    "ends": _on_text(str.endswith),
    "contains": _contains,
    "empty": _empty,
    "filled": lambda v: UNKNOWN if v is UNKNOWN else not is_empty(v),
    "days": _days,
    "years": _years,
}
