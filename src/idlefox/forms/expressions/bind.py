"""Gives every name of an expression its meaning in one form, or says which name has none.

Knows the form by its *shape* only (names, kinds, nesting), which exists before the form's model does. Finds
the static type of each part, so that a condition that can never be one is refused when the sheet is read.
"""

from __future__ import annotations

import typing
from typing import Any

from ...problems import suggestion
from ..names.shapes import Shape, write_address
from ..names.states import FIELD_STATES, FORM_ONLY, FORM_STATES
from ..values.whatwg import DATE_KINDS
from .parse import ExpressionError, parse
from .tree import (
    Binary,
    BooleanOperation,
    Call,
    Choice,
    Comprehension,
    Expression,
    ListOf,
    Literal,
    Name,
    ObjectOf,
    Reference,
    Segment,
    Unary,
)

_RESULTS = {
    "count": "number", "len": "number", "sum": "number", "days": "number", "years": "number", "min": "any",
    "max": "any", "any": "boolean", "all": "boolean", "lower": "text", "upper": "text", "trim": "text",
    "starts": "boolean", "ends": "boolean", "contains": "boolean", "matches": "boolean", "empty": "boolean",
    "filled": "boolean", "today": "date", "now": "date",
}  # fmt: skip
NEVER_TRUTH = {"text": "a text", "number": "a number", "date": "a date", "list": "a list", "rows": "a list", "object": "a group"}


class Scope(typing.NamedTuple):
    """The place of an expression: the names it may use, and their meaning."""

    root: Shape
    panel: Shape | None = None
    own: Shape | None = None  # the field it belongs to: `value`, `row`, bare states
    bare: bool = False  # may bare state words be used
    value: bool = False  # may `value` be used
    payload: bool = False  # names are the payload's
    lookup: bool = False  # only `value`


def static_type(shape: Shape) -> str:
    """The type of a value that a field of this shape holds."""
    if shape.kind in ("number", "range"):
        return "number"
    if shape.kind in DATE_KINDS:
        return "date"
    if shape.kind == "checkbox":
        return "list" if shape.many else "boolean"
    if shape.kind in ("select", "radio"):
        return "list" if shape.many else "any"
    return {"file": "list", "rows": "rows", "group": "object", "form": "object", "hidden": "any"}.get(shape.kind, "text")


def bind(text: str, scope: Scope, *, condition: bool = False) -> Expression:
    """The expression *text* bound in *scope*; a *condition* must be able to be true or false.

    Raises ExpressionError for what cannot be read, a name the form lacks, or a condition that is none.
    """
    binder = _Binder(scope)
    node, kind = binder.node(parse(text))
    if condition and kind in NEVER_TRUTH:
        raise ExpressionError(
            f"this is {NEVER_TRUTH[kind]}, which is neither true nor false", 0,
            f"compare it, or write filled({text.strip()})" if kind in ("text", "date", "list", "rows") else "compare it",
            len(text),
        )  # fmt: skip
    return Expression(text, node, tuple(binder.reads), binder.clock, kind)


class _Binder:
    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.reads: list[Reference] = []
        self.clock = ""
        self.variables: dict[str, Reference] = {}

    def node(self, node: Any) -> tuple[Any, str]:
        """Return *node* with its names bound, and the kind of its value."""
        found: tuple[Any, str] = _NODES.get(type(node), _Binder.call)(self, node)
        return found

    def literal(self, node: Literal) -> tuple[Any, str]:
        kinds = {bool: "boolean", int: "number", float: "number", str: "text", type(None): "any"}
        return node, kinds[type(node.value)]

    def reference(self, node: Name) -> tuple[Any, str]:
        reference = self.name(node)
        self.reads.append(reference)
        return reference, reference.kind

    def logic(self, node: BooleanOperation) -> tuple[Any, str]:
        return node._replace(parts=tuple(self.truth(p) for p in node.parts)), "boolean"

    def unary(self, node: Unary) -> tuple[Any, str]:
        if node.op == "not":
            return node._replace(operand=self.truth(node.operand)), "boolean"
        return node._replace(operand=self.node(node.operand)[0]), "number"

    def choice(self, node: Choice) -> tuple[Any, str]:
        then, kind = self.node(node.then)
        otherwise, other = self.node(node.otherwise)
        return Choice(self.truth(node.condition), then, otherwise, node.at), kind if kind == other else "any"

    def list_of(self, node: ListOf) -> tuple[Any, str]:
        return node._replace(items=tuple(self.node(i)[0] for i in node.items)), "list"

    def object_of(self, node: ObjectOf) -> tuple[Any, str]:
        return node._replace(members=tuple((k, self.node(v)[0]) for k, v in node.members)), "object"

    def truth(self, node: Any) -> Any:
        bound, kind = self.node(node)
        if kind in NEVER_TRUTH:
            raise ExpressionError(
                f"this is {NEVER_TRUTH[kind]}, which is neither true nor false", _start(node), "compare it, or write filled(…)"
            )
        return bound

    def binary(self, node: Binary) -> tuple[Any, str]:
        left, kind = self.node(node.left)
        right, other = self.node(node.right)
        result = "boolean"
        if node.op in ("+", "-", "*", "/", "%"):
            result = "text" if node.op == "+" and "text" in (kind, other) else "number"
            if node.op == "+" and kind == "any" and other == "any":
                result = "any"
        return node._replace(left=left, right=right, dates="date" in (kind, other)), result

    def call(self, node: Call) -> tuple[Any, str]:
        if node.function in ("today", "now"):
            self.clock = "now" if "now" in (self.clock, node.function) else "today"
        arguments = tuple(self.node(a)[0] for a in node.arguments)
        first = arguments[0] if node.function in ("count", "len") else None
        if isinstance(first, Reference) and first.kind == "rows" and first.target is not None:
            self._reads_rows(first)
        if node.function == "matches":
            pattern = node.arguments[1]
            if not isinstance(pattern, Literal) or not isinstance(pattern.value, str):
                raise ExpressionError("the pattern of matches must be a string", _start(pattern), 'write matches(x, "[a-z]+")')
            from ..values.patterns import PatternError, whole_match

            try:
                whole_match(pattern.value)
            except PatternError as fault:
                raise ExpressionError(fault.cause, pattern.at, fault.remedy, len(pattern.value) + 2) from None
        return node._replace(arguments=arguments), _RESULTS[node.function]

    def over(self, node: Comprehension) -> tuple[Any, str]:
        source, kind = self.node(node.source)
        if kind not in ("rows", "list", "any"):
            raise ExpressionError("this is not a list", _start(node.source), "name a list of rows")
        if node.variable in self.variables or node.variable in ("value", "row", "index", "form", "record"):
            raise ExpressionError(f"the name {node.variable!r} already means something else", node.at, "choose another name for the row")
        many_rows = isinstance(source, Reference) and kind == "rows" and source.target is not None
        if many_rows:
            self._reads_rows(source)
        target = (*source.target, "*") if many_rows else None
        level = source.level if isinstance(source, Reference) else 0
        base = source.base if isinstance(source, Reference) else "var"
        self.variables[node.variable] = Reference(base, (), target, "value", "any", node.at, level, node.variable)
        item = self.truth(node.item) if node.function in ("any", "all") else self.node(node.item)[0]
        condition = self.truth(node.condition) if node.condition is not None else None
        del self.variables[node.variable]
        bound = node._replace(item=item, source=source, condition=condition)
        return bound, _RESULTS[node.function]

    def _reads_rows(self, source: Reference) -> None:
        """Record that a loop or count over a list reads its set of rows, and each row only where it is used."""
        at = max(i for i, each in enumerate(self.reads) if each is source)
        self.reads[at] = source._replace(member="rows")

    # names
    def name(self, name: Name) -> Reference:
        first = name.segments[0]
        assert isinstance(first, str)
        own = self.own_word(name, first) if name.dotted[0] else None
        if own is not None:
            return own
        scope = self.scope
        if scope.lookup:
            raise self.nothing(name, first, ["value"], "a lookup's expression can only use `value`")
        if scope.payload:
            return self.in_payload(name)
        if name.dotted[0]:
            if first == "form":
                return self.whole_form(name)
            if scope.bare and len(name.segments) == 1 and (state := self.bare_state(name, first)) is not None:
                return state
        if scope.panel is not None and first in (scope.panel.children or {}):
            return self.path(name, scope.panel, 0, self.base_of_root(scope.panel))
        return self.path(name, scope.root, 0, "root")

    def own_word(self, name: Name, first: str) -> Reference | None:
        """Bind a word that has a meaning before any field: a comprehension's variable, `value`, `row` or `index`."""
        if first in self.variables:
            return self.from_variable(name, self.variables[first])
        if first == "value" and (self.scope.value or self.scope.lookup):
            return self.own_value(name)
        if first in ("row", "index") and not self.scope.lookup and self.levels():
            return self.from_row(name)
        return None

    def whole_form(self, name: Name) -> Reference:
        scope = self.scope
        if len(name.segments) == 1:
            raise ExpressionError("form is not a value", name.at, "use one of its states, for example form.valid", 4)
        return self.path(name, scope.panel or scope.root, 1, self.base_of_root(scope.panel))

    def bare_state(self, name: Name, first: str) -> Reference | None:
        """Bind a bare state word as a state of the owner, or of the form."""
        scope, owner = self.scope, self.scope.own
        if first in FORM_ONLY or (owner is None and first in FORM_STATES):
            return Reference(self.base_of_root(scope.panel), (), scope.panel.path if scope.panel else (), first, "boolean", name.at)
        if owner is not None and first in FIELD_STATES:
            self.can_be_asked(name, first, owner)
            return Reference("self", (), owner.path, first, "boolean", name.at)
        return None

    def can_be_asked(self, name: Name, state: str, shape: Shape, *, row: bool = False) -> None:
        """`on` and `off` are states of one checkbox; all other states every field and container has."""
        if state in ("on", "off") and (row or shape.kind != "checkbox" or shape.many):
            what = "a row" if row else f"{shape.name!r} ({shape.kind}{', several' if shape.many else ''})"
            remedy = f'for the field of that name, write ["{state}"]' if state in (self.scope.root.children or {}) else ""
            raise ExpressionError(f"{state!r} is a state of one checkbox, not of {what}", name.at, remedy, _width(name))

    def base_of_root(self, panel: Shape | None) -> str:
        return "root" if panel is None else f"panel:{panel.name}"

    def levels(self) -> list[tuple[str, ...]]:
        """The schema paths of the rows around the owner, the outermost first."""
        own = self.scope.own
        path = own.path if own is not None else ()
        return [path[: i + 1] for i, segment in enumerate(path) if segment == "*"]

    def own_value(self, name: Name) -> Reference:
        own = self.scope.own
        if len(name.segments) > 1:
            raise ExpressionError("value has no members", name.at, "address the field itself", 5)
        kind = static_type(own) if own is not None else "any"
        return Reference("lookup" if self.scope.lookup else "self", (), own.path if own else None, "value", kind, name.at)

    def from_row(self, name: Name) -> Reference:
        levels = self.levels()
        level = len(levels)
        if name.segments[0] == "index":
            return Reference("index", (), levels[-1], "value", "number", name.at, level)
        start = 1
        while start < len(name.segments) and name.segments[start] == "parent" and name.dotted[start]:
            start, level = start + 1, level - 1
        if level < 1:
            raise ExpressionError("this row is not inside another row", name.at, "", 10)
        shape = self.scope.root.find(levels[level - 1])
        if shape is None and self.scope.panel is not None:
            shape = self.scope.panel.find(levels[level - 1][1:])
        assert shape is not None
        found = self.path(name, shape, start, "row", levels[level - 1])
        return found._replace(level=level)

    def from_variable(self, name: Name, variable: Reference) -> Reference:
        if variable.target is None:
            steps = name.segments[1:]
            return Reference("var", steps, None, "value", "any", name.at, 0, str(name.segments[0]))
        root = self.scope.root
        shape = root.find(variable.target[:-1])
        if shape is None and self.scope.panel is not None:
            shape = self.scope.panel.find(variable.target[1:-1])
        assert shape is not None
        found = self.path(name, shape, 1, "var", variable.target)
        base = "var" if found.base == "var" else found.base
        return found._replace(base=base, variable=str(name.segments[0]), level=variable.level)

    def in_payload(self, name: Name) -> Reference:
        if name.segments[0] == "payload" and name.dotted[0] and "payload" not in (self.scope.root.children or {}):
            return Reference("payload", name.segments[1:], None, "value", "any", name.at)
        if name.segments[0] == "record" and name.dotted[0] and "record" not in (self.scope.root.children or {}):
            return Reference("record", name.segments[1:], None, "value", "any", name.at)
        return self.path(name, self.scope.root, 0, "payload", states=False)

    def path(
        self, name: Name, shape: Shape, start: int, base: str, target: tuple[str, ...] = (), *, states: bool = True
    ) -> Reference:
        """Follow *name* from its segment *start* through *shape*; a state word at the end asks for a state."""
        steps: list[Segment] = []
        path = target or shape.path
        inside_row = bool(target)
        if shape.named is not None:
            start, shape, path = self._on_page(name, shape, start)
            steps += path
        for i in range(start, len(name.segments)):
            segment = name.segments[i]
            last = i == len(name.segments) - 1
            if isinstance(segment, int):
                if shape.kind != "rows" or inside_row:
                    raise ExpressionError(f"{shape.name or 'the form'} has no rows to count", name.at, "", _width(name))
                steps.append(segment)
                path, inside_row = (*path, "*"), True
                continue
            known = FORM_STATES if shape.kind == "form" else FIELD_STATES
            if states and last and name.dotted[i] and i > 0 and segment in known:
                if shape.kind != "form":
                    self.can_be_asked(name, segment, shape, row=inside_row)
                return Reference(base, tuple(steps), path, segment, "boolean", name.at)
            children = shape.children or {}
            if shape.kind == "rows" and not inside_row:
                raise ExpressionError(
                    f"{shape.name} is a list of rows; name the row of {segment}", name.at,
                    f"write {shape.name}[0].{segment}, or any(r.{segment} … for r in {shape.name})", _width(name),
                )  # fmt: skip
            if segment not in children:
                states_here = known if states and i > 0 and last else (*FIELD_STATES, *FORM_ONLY) if self.scope.bare and i == 0 else ()
                raise self.nothing(name, segment, [*children, *states_here], "")
            shape = children[segment]
            inside_row = False
            steps.append(segment)
            path = (*path, segment)
        kind = "object" if inside_row else static_type(shape)
        return Reference(base, tuple(steps), path, "value", kind, name.at)

    def _on_page(self, name: Name, root: Shape, start: int) -> tuple[int, Shape, tuple[str, ...]]:
        """On a page a field's name may hold dots and brackets: the longest beginning of *name* that is one."""
        for end in range(len(name.segments), start, -1):
            found = (root.named or {}).get(write_address(name.segments[start:end]))
            if found is not None:
                return end, (root.children or {})[found], (found,)
        return start, root, ()

    def nothing(self, name: Name, segment: str, known: list[str], otherwise: str) -> ExpressionError:
        if "-" in segment:
            return ExpressionError(f"unknown field {segment!r}", name.at, "for a minus sign, put spaces around it", _width(name))
        if segment in FIELD_STATES and self.scope.payload:
            otherwise = "a payload has values but no states"
        elif segment in FIELD_STATES and not otherwise:
            otherwise = f"to use a state, name the field: FIELD.{segment}"
        specials = [] if otherwise else ["value", "form"] if self.scope.value else ["form"]
        if name.segments[0] == "form" and not otherwise:
            otherwise = "after `form.` write a state, for example form.valid, or a field; `idlefox outline` lists them"
        remedy = suggestion(segment, [*known, *self.variables, *specials], otherwise or "`idlefox outline` lists the form's fields")
        return ExpressionError(f"unknown field {segment!r}", name.at, remedy, _width(name))


def _width(name: Name) -> int:
    return sum(len(str(s)) + (1 if d else 2) for s, d in zip(name.segments, name.dotted, strict=True)) - (1 if name.dotted[0] else 0)


def _start(node: Any) -> int:
    """Return the offset where the text of *node* starts: an operator is to the right of its left operand."""
    if isinstance(node, Binary):
        return _start(node.left)
    if isinstance(node, Choice):
        return _start(node.then)
    return int(node.at)


_NODES: dict[type, Any] = {
    Literal: _Binder.literal, Name: _Binder.reference, BooleanOperation: _Binder.logic, Unary: _Binder.unary, Binary: _Binder.binary,
    Choice: _Binder.choice, ListOf: _Binder.list_of, ObjectOf: _Binder.object_of, Comprehension: _Binder.over,
}  # fmt: skip
