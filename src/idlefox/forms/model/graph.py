"""The dependency graph of a form's properties: cycles, and an evaluation order.

`sources` alone decides what a reference depends on; the engine reverses the same answer to find dependents.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..expressions.tree import Expression, Reference
from ..names.states import FIELD_STATES, FORM_STATES
from .form import Field, Form, Path, Rule, walk

Unit = tuple[Path, str]  # a field (a form: its panel's path) and a property
INHERITED = ("visible", "enabled", "readonly")
_SUMMED = ("validity", "dirty", "marked")  # properties of containers, computed from their contents


def property_of(member: str) -> str:
    """Return the property that a reference's member depends on: a state itself; the value for empty or on; the set of rows if
    nothing more of a list is read.
    """
    if member == "rows":
        return member
    asked, _ = FIELD_STATES.get(member) or FORM_STATES.get(member) or ("value", True)
    return "value" if asked in ("empty", "on") else asked


class Graph:
    """The dependencies of each unit, and an evaluation order (`rank`).

    Only the references of expressions are stored. Dependencies that all fields share (validity on the value, a group's validity
    on its fields) are implicit, so most of a large form costs nothing.
    """

    def __init__(self, form: Form) -> None:
        self.fields: dict[Path, Field] = {}
        self.roots: dict[Path, Form] = {}
        for one in (form, *form.panels):
            self.roots[(one.panel,) if one.panel else ()] = one
            self.fields.update((each.path, each) for each in one.walk())
        self.read: dict[Unit, set[Unit]] = {}
        self._ranks: dict[Unit, int] = {}
        for base, one in self.roots.items():
            for each in one.walk():
                self._field(each)
            self._rules(base, one.rules)

    def judged_from(self, unit: Unit) -> set[Unit]:
        """Return the units that *unit* depends on."""
        path, name = unit
        field = self.fields.get(path)
        found = set(self.read.get(unit, ()))
        if field is not None:
            found.update((path, each) for each in _own(field, name))
            if name in INHERITED and (parent := self._parent(path)) is not None:
                found.add((parent, name))
            parts = field.fields
        else:
            row = self.fields.get(path[:-1]) if path[-1:] == ("*",) else None
            parts = row.fields if row is not None else self.roots[path].fields
        if name in _SUMMED and parts:
            found.update((each.path, name) for each in walk(parts))
        return found

    def rank(self, unit: Unit) -> int:
        """Return a number above the ranks of all dependencies of *unit* (cycles broken anywhere); 1 without dependencies."""
        ranks = self._ranks
        ahead: list[tuple[Unit, set[Unit] | None]] = [(unit, None)] if unit not in ranks else []
        while ahead:
            each, sources = ahead.pop()
            if sources is not None:
                ranks[each] = 1 + max((ranks[s] for s in sources), default=0)
            elif each not in ranks:
                ranks[each] = 0
                sources = self.judged_from(each)
                ahead.append((each, sources))
                ahead.extend((s, None) for s in sources if s not in ranks)
        return ranks[unit]

    def sources(self, reference: Reference) -> tuple[Unit, ...]:
        """Return the units whose change can alter *reference*; none if it does not name a field."""
        if reference.target is None:
            return ()
        if reference.base == "index":
            return ((reference.target[:-1], "rows"),)
        return self.signals(reference.target, property_of(reference.member))

    def signals(self, path: Path, asked: str) -> tuple[Unit, ...]:
        """Return the units that the property *asked* at *path* results from: a container's value from the values and rows of its
        parts.
        """
        field = self.fields.get(path[:-1] if path[-1:] == ("*",) else path)
        parts = field.fields if field is not None else self.roots[path].fields
        if asked != "value" or (field is not None and field.kind not in ("group", "rows")):
            return ((path, asked),)
        found: list[Unit] = [(path, "rows")] if field is not None and field.kind == "rows" and path == field.path else []
        for each in walk(parts):
            if each.kind != "group":
                found.append((each.path, "rows" if each.kind == "rows" else "value"))
        return tuple(found)

    def _parent(self, path: Path) -> Path | None:
        """The field around the one at *path*."""
        parent = path[:-1]
        while parent and parent[-1] == "*":
            parent = parent[:-1]
        return parent if parent in self.fields else None

    def _reads(self, unit: Unit, expression: Expression | None) -> None:
        for reference in expression.reads if expression is not None else ():
            if sources := self.sources(reference):
                self.read.setdefault(unit, set()).update(sources)

    def _field(self, field: Field) -> None:
        path = field.path
        for name, condition in zip(INHERITED, (field.visible, field.enabled, field.readonly), strict=True):
            if condition is not None:
                self._reads((path, name), condition)
        if field.derive is not None:
            self._reads((path, "value"), field.derive.source)
        self._rules(path, field.rules)
        self._reads((path, "marked"), field.reveal)

    def _rules(self, path: Path, rules: tuple[Rule, ...]) -> None:
        for rule in rules:
            for expression in _expressions_of(rule):
                self._reads((rule.at or path, "validity"), expression)

    def rings(self) -> Iterator[list[Unit]]:
        """Each ring once, as the units on it in order. In every ring something is read."""
        done: set[Unit] = set()
        for start in list(self.read):
            if start in done:
                continue
            trail: list[Unit] = [start]
            places = {start: 0}
            stack = [iter(sorted(self.judged_from(start)))]
            while stack:
                following = next(stack[-1], None)
                if following is None:
                    stack.pop()
                    finished = trail.pop()
                    del places[finished]
                    done.add(finished)
                elif following in places:
                    yield trail[places[following] :]
                elif following not in done:
                    places[following] = len(trail)
                    trail.append(following)
                    stack.append(iter(sorted(self.judged_from(following))))


def _own(field: Field, name: str) -> tuple[str, ...]:
    """Return the properties of *field* on which its property *name* always depends."""
    if name == "value":
        return ("visible",) if field.forget_when_hidden else ()
    if name == "dirty":
        return ("value",)
    if name == "marked":
        return ("validity",)
    if name in ("validity", "required") and (field.rules or field.kind not in ("text", "group")):
        return ("visible", "enabled", "value") if name == "validity" else ("visible",)
    return ()


def _expressions_of(rule: Rule) -> Iterator[Expression]:
    for kind in rule.kinds:
        if isinstance(kind.parameter, Expression):
            yield kind.parameter
    if rule.when is not None:
        yield rule.when
