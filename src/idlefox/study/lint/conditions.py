"""Decides whether conditions can be true together, from their structure alone.

Each state and comparison counts as independently true or false, except those about the same thing: `touched` and `not touched`
of a field, or a value compared with several literals. More is possible here than in any real form, so what is impossible here
is impossible. (Kleene's unknown changes nothing: what is true while something is unknown is true whatever its value.)
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from itertools import product
from math import prod
from typing import Any

from ...forms.expressions.tree import Binary, BooleanOperation, Call, Choice, Comprehension, Expression, Literal, Reference, Unary
from ...forms.names.states import FIELD_STATES, FORM_STATES

_MOST = 4096  # cases examined; with more, the condition counts as possible
_OTHER = "other than all of these"
_VALIDITY = ("valid", "invalid", "asking", "unasked")
Atom = tuple[Any, ...]
Case = dict[Atom, Any]


def can_hold(*wanted: tuple[Expression | None, bool]) -> bool:
    """Return whether some state of the form gives each expression the given truth value. None means no condition, which is true."""
    if any(expression is None and not value for expression, value in wanted):
        return False
    return _satisfiable([(expression.node, value) for expression, value in wanted if expression is not None])


def can_hold_without_rows(expression: Expression, path: tuple[str, ...]) -> bool:
    """Return whether *expression* can be true while the list at *path* has no rows."""
    return _satisfiable([(_without_rows(expression.node, path), True)])


def _satisfiable(wanted: list[tuple[Any, bool]]) -> bool:
    domains: dict[Atom, list[Any]] = {}
    for node, _ in wanted:
        for atom, value in _atoms(node):
            known = domains.setdefault(atom, [*_VALIDITY] if atom[0] == "validity" else [_OTHER] if atom[0] == "among" else [True, False])
            if value not in known:
                known.append(value)
    if prod(len(values) for values in domains.values()) > _MOST:
        return True
    cases: Iterator[Case] = (dict(zip(domains, values, strict=True)) for values in product(*domains.values()))
    return any(all(_true(node, case) is value for node, value in wanted) for case in cases)


def _atoms(node: Any) -> Iterator[tuple[Atom, Any]]:
    """Return what the truth of *node* depends on, with the literal it is compared with."""
    if isinstance(node, BooleanOperation):
        for part in node.parts:
            yield from _atoms(part)
    elif isinstance(node, Unary) and node.op == "not":
        yield from _atoms(node.operand)
    elif isinstance(node, Choice):
        for part in (node.condition, node.then, node.otherwise):
            yield from _atoms(part)
    elif not isinstance(node, Literal):
        atom, values = _atom(node)
        for value in values:
            yield atom, value


def _true(node: Any, case: Case) -> bool:
    if isinstance(node, BooleanOperation):
        return (all if node.op == "and" else any)(_true(part, case) for part in node.parts)
    if isinstance(node, Unary) and node.op == "not":
        return not _true(node.operand, case)
    if isinstance(node, Choice):
        return _true(node.then if _true(node.condition, case) else node.otherwise, case)
    if isinstance(node, Literal):
        return node.value is True
    atom, values = _atom(node)
    if isinstance(node, Binary) and node.op == "!=":
        return case[atom] not in values
    return case[atom] in values


def _atom(node: Any) -> tuple[Atom, tuple[Any, ...]]:
    """The thing that *node*, no word that joins, speaks of, and the values of it for which it is true."""
    if isinstance(node, Reference):
        return _of_reference(node)
    if isinstance(node, Binary) and node.op in ("==", "!="):
        for side, other in ((node.left, node.right), (node.right, node.left)):
            if isinstance(side, Reference) and side.member == "value" and isinstance(other, Literal):
                return ("among", _whose(side)), (_written(other.value),)
        return ("equal", *sorted((_told(node.left), _told(node.right)))), (True,)
    if (
        isinstance(node, Call)
        and node.function in ("empty", "filled")
        and isinstance(node.arguments[0], Reference)
        and node.arguments[0].member == "value"
    ):
        return ("empty", _whose(node.arguments[0])), (node.function == "empty",)
    return ("else", _told(node)), (True,)


def _of_reference(node: Reference) -> tuple[Atom, tuple[Any, ...]]:
    if node.member == "value":
        return ("on", _whose(node)), (True,)
    asked, value = FIELD_STATES.get(node.member) or FORM_STATES.get(node.member) or (node.member, True)
    return (asked, _whose(node)), (value,)


def _whose(node: Reference) -> str:
    """The cell that *node* speaks of, whichever way it is named from one and the same place."""
    numbers = [step for step in node.steps if isinstance(step, int)]
    return _written([node.target if node.target is not None else [node.base, *node.steps], numbers, node.variable])


def _told(node: Any) -> str:
    """*node* as text, places left out."""
    if isinstance(node, Reference):
        return f"{_whose(node)}.{node.member}"
    if isinstance(node, tuple):
        names = getattr(node, "_fields", None)
        parts: Iterable[Any] = node if names is None else (getattr(node, name) for name in names if name not in ("at", "spans"))
        return f"{type(node).__name__}({', '.join(map(_told, parts))})"
    return _written(node)


def _written(value: Any) -> str:
    return json.dumps(value, sort_keys=True, default=str)


# Without rows
_OF_NONE = {"any": False, "all": True, "count": 0, "sum": 0}
_COMPARED = {
    "==": lambda a, b: a == b, "!=": lambda a, b: a != b, "<": lambda a, b: a < b, "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b, ">=": lambda a, b: a >= b,
}  # fmt: skip


def _without_rows(node: Any, path: tuple[str, ...]) -> Any:
    """Return *node* simplified for an empty list."""
    if isinstance(node, Comprehension):
        known = _is_list(node.source, path) and node.function in _OF_NONE
        return Literal(_OF_NONE[node.function], node.at) if known else node
    if isinstance(node, Call) and len(node.arguments) == 1 and _is_list(node.arguments[0], path):
        found = {"count": 0, "len": 0, "empty": True, "filled": False}.get(node.function)
        return node if found is None else Literal(found, node.at)
    if isinstance(node, Reference):
        found = {"empty": True, "filled": False}.get(node.member) if node.target == path and node.base != "var" else None
        return node if found is None else Literal(found, node.at)
    if isinstance(node, BooleanOperation):
        return node._replace(parts=tuple(_without_rows(part, path) for part in node.parts))
    if isinstance(node, Unary):
        return node._replace(operand=_without_rows(node.operand, path))
    if isinstance(node, Binary):
        left, right = _without_rows(node.left, path), _without_rows(node.right, path)
        numbers = all(isinstance(side, Literal) and isinstance(side.value, int) for side in (left, right))
        return Literal(_COMPARED[node.op](left.value, right.value), node.at) if numbers and node.op in _COMPARED else node
    return node


def _is_list(node: Any, path: tuple[str, ...]) -> bool:
    return isinstance(node, Reference) and node.target == path and node.member == "value" and node.base != "var"
