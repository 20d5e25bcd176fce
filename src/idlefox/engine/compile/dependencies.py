"""The dependencies of a form, by what they depend on: the form's graph reversed, with the rows around each reader."""

from __future__ import annotations

from ...forms.expressions import Expression, Reference
from ...forms.model.graph import Graph
from ..plan.plans import CHECK, DERIVE, ENABLED, READONLY, REQUIRED, REVEAL, SAME, VISIBLE, CheckPlan, Dependency, FieldPlan, Plan
from ..state.paths import chain_between

UNIT_PROPERTY = {
    DERIVE: "value", VISIBLE: "visible", ENABLED: "enabled", READONLY: "readonly", REQUIRED: "required",
    CHECK: "validity", REVEAL: "marked",
}  # fmt: skip


class DependencyBuilder:
    """Enters the units of one plan with everything they read, by the form's *graph*."""

    def __init__(self, plan: Plan, graph: Graph) -> None:
        self.plan = plan
        self.graph = graph

    def rank(self, target: FieldPlan, unit: int) -> int:
        """The position of a unit in evaluation order, after everything that it reads."""
        return self.graph.rank((target.path, UNIT_PROPERTY[unit]))

    def add(self, source: FieldPlan, name: str, target: FieldPlan, unit: int, check: int, common: int) -> None:
        """A change of the property *name* of *source* judges *unit* of *target*, from the row of level *common* down."""
        chain: tuple[int, ...] = () if common == SAME else self._chain(common, target)
        watch = Dependency(self.rank(target, unit), unit, target, check, common, chain)
        watches = source.watch.setdefault(name, [])
        if watch not in watches:
            watches.append(watch)

    def expression(self, expression: Expression, target: FieldPlan, unit: int, check: int = -1) -> None:
        """Register *unit* of *target* as dependent on everything that *expression* reads."""
        for reference in expression.reads:
            self._reference(reference, target, unit, check)
        if expression.clock:
            chain = chain_between(target.form.root, target)
            self.plan.clock_watch.append((expression.clock, Dependency(self.rank(target, unit), unit, target, check, 0, chain)))

    def _reference(self, reference: Reference, target: FieldPlan, unit: int, check: int) -> None:
        if reference.target is None:
            return
        source = self.plan.paths[reference.target]
        if reference.base == "index":
            assert source.parent is not None
            self.add(source.parent, "rows", target, unit, check, source.parent.level)
            return
        own = reference.base == "self"
        if own and reference.member == "value" and unit == CHECK and target is source and not target.parts:
            return  # a change of the own value judges all rules anyway
        # Readers of the name's own row or variable are in the same row; other readers may be anywhere.
        around = reference.level if reference.base in ("row", "var") else 0
        common = target.level if own and target.parts else around
        for path, name in self.graph.sources(reference):
            plan = self.plan.paths[path]
            alone = own and plan is target and not target.parts
            self.add(plan, name, target, unit, check, SAME if alone else common)
        self._lists(source, target, unit, check, around)

    def _lists(self, source: FieldPlan, target: FieldPlan, unit: int, check: int, common: int) -> None:
        """Values reached through rows also depend on the set of rows."""
        plan: FieldPlan | None = source
        while plan is not None and plan.level > common:
            if plan.kind == "row" and plan.parent is not None and plan.parent.level >= common:
                self.add(plan.parent, "rows", target, unit, check, common)
            plan = plan.parent

    def everything(self, target: FieldPlan, check: CheckPlan) -> None:
        """The dependencies of a Python rule are unknown: evaluate it again on every change."""
        for path, name in self.graph.signals(target.form.root.path, "value"):
            if path != target.path:
                self.add(self.plan.paths[path], name, target, CHECK, check.index, 0)

    def owner(self, owner: FieldPlan, target: FieldPlan, check: CheckPlan, common: int) -> None:
        """A rule that *target* carries for *owner* follows the owner's value, and whether it is there."""
        for name in ("value", "visible", "enabled"):
            self.add(owner, name, target, CHECK, check.index, common)
        self._lists(owner, target, CHECK, check.index, common)

    def place(self, target: FieldPlan, check: CheckPlan, level: int) -> None:
        """A rule fixed to the row of one number at *level* follows which row that is."""
        rows = target
        while rows.kind != "rows" or rows.level != level - 1:
            assert rows.parent is not None
            rows = rows.parent
        self.add(rows, "rows", target, CHECK, check.index, rows.level)

    def _chain(self, common: int, target: FieldPlan) -> tuple[int, ...]:
        """From the row of level *common* (0: the form) around *target* to *target*."""
        start = target
        while start.kind != "form" and not (start.kind == "row" and start.level == common):
            assert start.parent is not None
            start = start.parent
        return chain_between(start, target)
