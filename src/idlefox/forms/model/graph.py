"""The graph of what each property of each field is judged from: its rings, and an order in which to judge.

What a reference comes to is said here alone (`sources`); the engine turns the same answer round, to who is judged again.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..expressions.tree import Expression, Reference
from ..names.states import FIELD_STATES, FORM_STATES
from .form import Field, Form, Path, Rule, walk

Unit = tuple[Path, str]  # a field (a form: its panel's path) and a property
INHERITED = ("visible", "enabled", "readonly")


def property_of(member: str) -> str:
    """The property a reference's member is judged from: a state's own; whether it is empty or on, from the value; which rows
    there are, where no more of a list is read (`rows`).
    """
    if member == "rows":
        return member
    asked, _ = FIELD_STATES.get(member) or FORM_STATES.get(member) or ("value", True)
    return "value" if asked in ("empty", "on") else asked


class Graph:
    """Which units each unit is judged from. *order* ranks each above all of those (rings broken anywhere)."""

    def __init__(self, form: Form) -> None:
        self.edges: dict[Unit, set[Unit]] = {}
        self.fields: dict[Path, Field] = {}
        self.roots: dict[Path, Form] = {}
        for one in (form, *form.panels):
            base: Path = (one.panel,) if one.panel else ()
            self.roots[base] = one
            for each in one.walk():
                self.fields[each.path] = each
            for each in one.walk():
                self._field(each, base)
            for rule in one.rules:
                for expression in _expressions_of(rule):
                    self._reads((rule.at or base, "validity"), expression)
            self._whole(base, one.fields)
        known = self.edges.keys()
        # Units of which nothing that they are judged from is judged from anything: most of a form is so.
        self._ends = {unit for unit, sources in self.edges.items() if known.isdisjoint(sources)}
        self.order = self._order()

    def sources(self, reference: Reference) -> tuple[Unit, ...]:
        """The units whose change may alter what *reference* comes to; none for a name that is no field's."""
        if reference.target is None:
            return ()
        if reference.base == "index":
            return ((reference.target[:-1], "rows"),)
        return self.signals(reference.target, property_of(reference.member))

    def signals(self, path: Path, asked: str) -> tuple[Unit, ...]:
        """The units that *asked* of what stands at *path* comes from: a container's value from its parts' values and rows."""
        field = self.fields.get(path[:-1] if path[-1:] == ("*",) else path)
        parts = field.fields if field is not None else self.roots[path].fields
        if asked != "value" or (field is not None and field.kind not in ("group", "rows")):
            return ((path, asked),)
        found: list[Unit] = [(path, "rows")] if field is not None and field.kind == "rows" and path == field.path else []
        for each in walk(parts):
            if each.kind != "group":
                found.append((each.path, "rows" if each.kind == "rows" else "value"))
        return tuple(found)

    def _add(self, unit: Unit, source: Unit) -> None:
        self.edges.setdefault(unit, set()).add(source)

    def _reads(self, unit: Unit, expression: Expression | None) -> None:
        for reference in expression.reads if expression is not None else ():
            for source in self.sources(reference):
                self._add(unit, source)

    def _field(self, field: Field, base: Path) -> None:
        path = field.path
        value, validity = (path, "value"), (path, "validity")
        parent = _parent(path, base)
        for name in INHERITED:
            self._reads((path, name), getattr(field, name))
            if parent != base:
                self._add((path, name), (parent, name))
        if field.derive is not None:
            self._reads((path, "value"), field.derive.source)
        if field.forget_when_hidden:
            self._add(value, (path, "visible"))
        self._add((path, "dirty"), value)
        if field.rules or field.kind not in ("text", "group"):
            visible = (path, "visible")
            self.edges.setdefault(validity, set()).update((visible, (path, "enabled"), value))
            self._add((path, "required"), visible)
        for rule in field.rules:
            for expression in _expressions_of(rule):
                self._reads((rule.at or path, "validity"), expression)
        self._add((path, "marked"), validity)
        self._reads((path, "marked"), field.reveal)
        if field.fields:
            self._whole(path, field.fields)
        if field.kind == "rows":
            self._whole((*path, "*"), field.fields)

    def _whole(self, path: Path, fields: tuple[Field, ...]) -> None:
        paths = [each.path for each in walk(fields)]
        for name in ("validity", "dirty", "marked") if paths else ():
            self.edges.setdefault((path, name), set()).update([(each, name) for each in paths])

    def rings(self) -> Iterator[list[Unit]]:
        """Each ring once, as the units on it in order."""
        done = set(self._ends)
        for start in list(self.edges):
            if start in done:
                continue
            trail: list[Unit] = [start]
            places = {start: 0}
            stack = [iter(sorted(self.edges.get(start, ())))]
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
                    stack.append(iter(sorted(self.edges.get(following, ()))))

    def _order(self) -> dict[Unit, int]:
        ranks = dict.fromkeys(self._ends, 2)  # what these are judged from: 1, as whatever is not here
        for start in self.edges:
            if start in self._ends:
                continue
            stack: list[tuple[Unit, bool]] = [(start, False)]
            while stack:
                unit, ready = stack.pop()
                if ready:
                    ranks[unit] = 1 + max((ranks.get(s, 0) for s in self.edges.get(unit, ())), default=0)
                elif unit not in ranks:
                    ranks[unit] = 0
                    stack.append((unit, True))
                    stack.extend((s, False) for s in self.edges.get(unit, ()) if s not in ranks)
        return ranks


def _parent(path: Path, base: Path) -> Path:
    parent = path[:-1]
    while parent and parent[-1] == "*":
        parent = parent[:-1]
    return parent if len(parent) > len(base) else base


def _expressions_of(rule: Rule) -> Iterator[Expression]:
    for kind in rule.kinds:
        if isinstance(kind.parameter, Expression):
            yield kind.parameter
    if rule.when is not None:
        yield rule.when
