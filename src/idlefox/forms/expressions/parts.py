"""Explains a condition: its parts, compiled separately, and the values that the decisive parts read.

Compiled with the form, used only when a step is refused or a check fails.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ...records import NamedTuple
from .closures import Closure, ValueAccess, compile_expression
from .tree import Binary, BooleanOperation, Comprehension, Expression, Literal, Reference

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*(?:\.[A-Za-z_][A-Za-z0-9_-]*|\[[^\]]*\])*|\[[^\]]*\](?:\.[A-Za-z_][A-Za-z0-9_-]*|\[[^\]]*\])*")
_MOST_READINGS = 3


class ConditionPart(NamedTuple):
    """A condition, or one operand of an `and` or `or` in it. *op* is "" if it cannot be split further."""

    text: str
    closure: Closure
    op: str = ""
    parts: tuple[Any, ...] = ()
    readings: tuple[tuple[str, Closure], ...] = ()  # the references in it, as written


class EvaluatedPart(NamedTuple):
    """A decisive part, its result, and the values it read."""

    text: str
    value: Any
    readings: tuple[tuple[str, Any], ...] = ()


def parts_of(expression: Expression, closure: Closure, access: ValueAccess) -> ConditionPart:
    """The parts of *expression*, whose own closure is *closure*."""
    return _part(expression, expression.node, expression.text.strip(), closure, access)


def _part(whole: Expression, node: Any, text: str, closure: Closure, access: ValueAccess) -> ConditionPart:
    if isinstance(node, BooleanOperation):
        parts = []
        for inner, (start, end) in zip(node.parts, node.spans, strict=True):
            parts.append(_part(whole, inner, whole.text[start:end], _closure(whole, inner, access), access))
        return ConditionPart(text, closure, node.op, tuple(parts))
    return ConditionPart(text, closure, readings=tuple(_readings(whole, node, text, access)))


def _closure(whole: Expression, node: Any, access: ValueAccess) -> Closure:
    return compile_expression(whole._replace(node=node), access)


def _readings(whole: Expression, node: Any, text: str, access: ValueAccess) -> Iterator[tuple[str, Closure]]:
    """The two sides of a comparison; of anything else the names in it."""
    if isinstance(node, Reference):
        return
    if isinstance(node, Binary) and (at := node.at - whole.text.find(text)) > 0 and text[at : at + len(node.op)] == node.op:
        sides = ((node.left, text[:at]), (node.right, text[at + len(node.op) :]))
        yield from ((side.strip(), _closure(whole, inner, access)) for inner, side in sides if not isinstance(inner, Literal))
        return
    seen: set[str] = set()
    for reference in _references(node):
        found = _NAME.match(whole.text, reference.at)
        if found is not None and found[0] not in seen and len(seen) < _MOST_READINGS:
            seen.add(found[0])
            yield found[0], _closure(whole, reference, access)


def _references(node: Any) -> Iterator[Reference]:
    """Yield the names in *node*, except inside a comprehension, where they stand for several rows."""
    if isinstance(node, Reference):
        yield node
    elif isinstance(node, tuple) and not isinstance(node, Comprehension):
        for inner in node:
            yield from _references(inner)


def deciding(part: ConditionPart, place: Any, wanted: bool) -> tuple[EvaluatedPart, ...]:
    """Return the parts that keep the condition from being *wanted* at *place*."""
    if part.op:
        one_is_enough = (part.op == "and") is wanted  # if an `and` must hold, each part that does not hold is a cause
        inner = [p for p in part.parts if not one_is_enough or (p.closure(place, None) is True) is not wanted]
        return tuple(shown for p in inner for shown in deciding(p, place, wanted))
    return (EvaluatedPart(part.text, part.closure(place, None), tuple((text, read(place, None)) for text, read in part.readings)),)
