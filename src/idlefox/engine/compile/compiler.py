"""Compiles a form's model into a plan: slots, closures, and who must be judged again when what changes.

Done once for a sheet. Everything that a keystroke would otherwise have to find out is found out here.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from ...collector import paused
from ...forms.expressions import Closure, Expression, Reference, compile_expression
from ...forms.model.form import FLAGS, Field, Form, Kind, Rule, written_path
from ...forms.model.graph import Graph, property_of
from ...forms.model.messages import message_for
from ...forms.values import whatwg
from ...forms.values.values import as_text
from ..judge.rules import test_for
from ..plan import controls
from ..plan.plans import (
    CHECK,
    DERIVE,
    ENABLED,
    MOMENTS,
    READONLY,
    REQUIRED,
    REVEAL,
    SAME,
    VISIBLE,
    CheckPlan,
    FieldPlan,
    FormPlan,
    Plan,
    Watch,
)  # fmt: skip
from ..state.access import LiveAccess
from ..state.ways import chain_between

_UNIT_PROPERTY = {
    DERIVE: "value", VISIBLE: "visible", ENABLED: "enabled", READONLY: "readonly", REQUIRED: "required",
    CHECK: "validity", REVEAL: "marked",
}  # fmt: skip
# A type's own rule, which counts whether or not the sheet lists it.
_OWN_RULES = {"email": "email", "url": "url", "number": "badInput", **dict.fromkeys(whatwg.DATE_KINDS, "badInput")}


def compile_form(form: Form) -> Plan:
    """The plan of *form* (with its panels)."""
    with paused():
        return _Compiler(form).plan


class _Compiler:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.plan = Plan(form)
        self.access = LiveAccess(self.plan)
        # A page without a sheet has no expressions: nothing in it reads anything else.
        self.bare = form.page is not None and form.page.bare
        if form.page is not None:
            from ..judge.native import NativePlans

            self.natives = NativePlans(dict(form.texts))
        self.ranks = {} if self.bare else Graph(form).order()
        units = {name: unit for unit, name in _UNIT_PROPERTY.items()}
        self.plan.ranks = {(path, units[name]): rank for (path, name), rank in self.ranks.items() if name in units}
        self.count = 0
        self.plan.main = self._skeleton(form)
        for panel in form.panels:
            self.plan.panels[panel.panel] = self._skeleton(panel)
        for one in (self.plan.main, *self.plan.panels.values()):
            self._whole(one)
        for one in (self.plan.main, *self.plan.panels.values()):
            self._finish(one.root)

    # first pass: a slot for every field
    def _skeleton(self, form: Form) -> FormPlan:
        path = (form.panel,) if form.panel else ()
        root = FieldPlan("form", path, None, None)
        root.label = form.label
        found = FormPlan(form, root)
        root.form = found
        self._enter(root)
        root.parts = tuple(self._slot(field, root, i) for i, field in enumerate(form.fields))
        return found

    def _enter(self, plan: FieldPlan) -> None:
        plan.index = self.count
        self.count += 1
        self.plan.paths[plan.path] = plan

    def _slot(self, field: Field, parent: FieldPlan, part: int) -> FieldPlan:
        plan = FieldPlan(field.kind, field.path, field, parent)
        plan.part = part
        self._enter(plan)
        inner = plan
        if field.kind == "rows":
            inner = FieldPlan("row", (*field.path, "*"), field, plan)
            inner.part = 0
            self._enter(inner)
            plan.parts = (inner,)
        if field.fields:
            inner.parts = tuple(self._slot(f, inner, i) for i, f in enumerate(field.fields))
        return plan

    # second pass: closures
    def compile(self, expression: Expression) -> Closure:
        return compile_expression(expression, self.access)

    def _condition(self, plan: FieldPlan, unit: int, expression: Expression | None) -> Closure | None:
        if expression is None:
            return None
        self._watch(expression, plan, unit)
        return self.compile(expression)

    def _whole(self, form_plan: FormPlan) -> None:
        form, root = form_plan.model, form_plan.root
        root.first, root.again = MOMENTS[form.report.first], MOMENTS[form.report.again]
        root.messages_all = form.messages == "all"
        root.reveal = None if form.reveal.text == "true" else self._condition(root, REVEAL, form.reveal)
        form_plan.enabled = self.compile(form.submit.enabled) if form.submit.enabled is not None else None
        form_plan.buttons = {b.name: self.compile(b.enabled) if b.enabled is not None else None for b in form.buttons}
        for field in form.walk():
            if self.bare:
                self._native(self.plan.paths[field.path], field)
            else:
                self._field(self.plan.paths[field.path], field)
        # What a field carries for another comes after its own rules.
        for field in form.walk() if not self.bare else ():
            if field.kind == "hidden":
                continue
            plan = self.plan.paths[field.path]
            for rule in field.rules:
                if rule.at is not None and rule.at != field.path:
                    for kind in rule.kinds:
                        self._check(self.plan.paths[rule.at], rule, kind, plan)
        for rule in form.rules:
            for kind in rule.kinds:
                target = self.plan.paths[rule.at] if rule.at is not None else root
                self._check(target, rule, kind, None)

    def _native(self, plan: FieldPlan, field: Field) -> None:
        """A field of a page that no sheet says anything of."""
        self.natives.fill(plan, field)
        if field.enabled is not None:
            plan.enabled = self.compile(field.enabled)
        if field.readonly is not None:
            plan.readonly = self.compile(field.readonly)
        if isinstance(field.options, tuple) and any(o.enabled is not None for o in field.options):
            self._option_conditions(field)

    def _option_conditions(self, field: Field) -> None:
        self.plan.option_conditions[field.path] = tuple(
            self.compile(o.enabled) if o.enabled is not None else None for o in field.options or ()  # type: ignore[union-attr]
        )

    def _field(self, plan: FieldPlan, field: Field) -> None:
        plan.first, plan.again = MOMENTS[field.report.first], MOMENTS[field.report.again]
        plan.messages_all = field.messages == "all"
        plan.blank = controls.blank(field) if field.kind not in ("group", "rows") else None
        plan.parse = controls.parser(field)
        around = plan.parent.parent if plan.parent is not None and plan.parent.kind == "row" else plan.parent
        plan.forgets = field.forget_when_hidden or (around is not None and around.forgets)
        self._normal(plan, field)
        plan.visible = self._condition(plan, VISIBLE, field.visible)
        plan.enabled = self._condition(plan, ENABLED, field.enabled)
        plan.readonly = self._condition(plan, READONLY, field.readonly)
        plan.reveal = None if field.reveal.text == "true" else self._condition(plan, REVEAL, field.reveal)
        if field.derive is not None:
            plan.derive = self.compile(field.derive.source)
            plan.often = field.derive.when == "always"
            if plan.often:
                self._watch(field.derive.source, plan, DERIVE)
        if field.kind == "hidden":
            return
        if isinstance(field.options, tuple):
            self._option_conditions(field)
        self._own_rule(plan, field)
        for rule in field.rules:
            for kind in rule.kinds:
                if rule.native:
                    self._native_check(plan, rule, kind, field)
                    continue
                if rule.at is None or rule.at == field.path:
                    self._check(plan, rule, kind, None)
        if field.options is not None and field.native is None and not any(k.name == "among" for r in field.rules for k in r.kinds):
            self._options_rule(plan, field)

    def _normal(self, plan: FieldPlan, field: Field) -> None:
        case: Callable[[str], str] | None = {"upper": str.upper, "lower": str.lower}.get(field.case)
        plan.folded = case
        if field.trim and case is not None:
            change = case
            plan.normal = lambda text: change(text.strip(whatwg.WHITE_SPACE))
        elif field.trim:
            plan.normal = lambda text: text.strip(whatwg.WHITE_SPACE)
        else:
            plan.normal = case
        plan.cut = plan.normal

    def _own_rule(self, plan: FieldPlan, field: Field) -> None:
        own = _OWN_RULES.get(field.kind)
        if own is None or field.native is not None or any(k.name == own for r in field.rules for k in r.kinds):
            return
        kind = Kind(own, FLAGS[own], True)
        self._check(plan, Rule((kind,)), kind, None)

    def _options_rule(self, plan: FieldPlan, field: Field) -> None:
        from ..judge.choices import none_left

        kind = Kind("among", "customError", ())
        check = self._check(plan, Rule((kind,)), kind, None)
        check.test = none_left
        options = field.options
        if options is not None and not isinstance(options, tuple):
            rows = self.plan.paths[options.path]
            rank = self.ranks.get((plan.path, "validity"), 1)
            watch = Watch(rank, CHECK, plan, check.index, 0, chain_between(plan.form.root, plan))
            rows.watch.setdefault("rows", []).append(watch)
            self.plan.paths[(*options.path, "*", options.value)].watch.setdefault("value", []).append(watch)

    # checks
    def _check(self, target: FieldPlan, rule: Rule, kind: Kind, owner: FieldPlan | None) -> CheckPlan:
        judged = owner or target
        message = message_for(rule, kind, dict(self.form.texts), judged.kind)
        check = CheckPlan(len(target.checks), kind.name, kind.flag, rule.id, message)
        check.on_empty = rule.on_empty or (owner is None and rule.at is not None and kind.name == "holds")
        check.parameters = self._parameters(rule, kind, target)
        settled = {"label", *(name for name, text in check.parameters.items() if isinstance(text, str))}
        check.late = kind.name in ("python", "lookup") or bool(message.placeholders - settled)
        if kind.name == "lookup":
            check.lookup, check.start, check.debounce, check.remember = kind.parameter, rule.start, rule.debounce, rule.remember
            target.lookups.append(check)
        check.test = test_for(kind, judged, self.compile)
        target.checks.append(check)
        if kind.name == "unique":
            judged.unique = True
        if kind.name == "badInput" and owner is None:
            target.bad_bit |= check.bit
        self._guard(check, rule, kind, target, owner)
        self._dependencies(check, rule, kind, target)
        return check

    def _native_check(self, plan: FieldPlan, rule: Rule, kind: Kind, field: Field) -> None:
        """An attribute of a page's control, in a form that a sheet lies over."""
        from ..judge.native import bad_bits, native_check

        check = native_check(len(plan.checks), rule, kind, field, self.natives.texts)
        plan.checks.append(check)
        plan.bad_bit |= bad_bits([check])
        self._guard(check, rule, kind, plan, None)
        self._dependencies(check, rule, kind, plan)

    def _guard(self, check: CheckPlan, rule: Rule, kind: Kind, target: FieldPlan, owner: FieldPlan | None) -> None:
        """Narrows the check's test: `when`, fixed rows of its `at`, a value that stands elsewhere."""
        test = check.test
        if owner is not None:
            test = self._from_owner(test, target, owner, kind, rule.on_empty)
            check.on_empty = True
        if rule.when is not None:
            when, inner = self.compile(rule.when), test
            check.when = when
            test = lambda cell: when(cell, None) is True and inner(cell)  # noqa: E731
        fixed = [(level, number) for level, number in enumerate(rule.at_index, 1) if number is not None]
        if fixed:
            inner_test = test
            test = lambda cell: _stands_at(cell, fixed) and inner_test(cell)  # noqa: E731
            for level, _ in fixed:
                rows = target
                while rows.kind != "rows" or rows.level != level - 1:
                    rows = rows.parent  # type: ignore[assignment]
                rank = self.ranks.get((target.path, "validity"), 1)
                watch = Watch(rank, CHECK, target, check.index, rows.level, self._chain(rows, rows.level, target))
                rows.watch.setdefault("rows", []).append(watch)
        check.test = test

    def _from_owner(self, test: Any, target: FieldPlan, owner: FieldPlan, kind: Kind, on_empty: bool) -> Any:
        """A field's rule carried by another field: judged where the owner's value is."""
        common = _shared_level(target, owner)
        up = self._chain(target, common, owner)
        down = self._chain(owner, common, target)
        rank = self.ranks.get((target.path, "validity"), 1)
        index = len(target.checks) - 1
        for name in ("value", "visible", "enabled"):
            owner.watch.setdefault(name, []).append(Watch(rank, CHECK, target, index, common, down))
        from ..judge.breaks import owner_breaks

        return partial(owner_breaks, test, common, up, kind.name == "required", on_empty)

    def _dependencies(self, check: CheckPlan, rule: Rule, kind: Kind, target: FieldPlan) -> None:
        for expression in (kind.parameter, rule.when):
            if isinstance(expression, Expression):
                self._watch(expression, target, CHECK, check.index)
        if kind.name == "python":
            self._watch_everything(target, check.index)
        if kind.name != "required":
            return
        if rule.when is None:
            target.required = True
        elif target.required is not True:
            before, closure = target.required, self.compile(rule.when)
            if before is False:
                target.required = closure
            else:
                first = before
                target.required = lambda cell, rows: first(cell, rows) is True or closure(cell, rows) is True
            self._watch(rule.when, target, REQUIRED)

    def _parameters(self, rule: Rule, kind: Kind, target: FieldPlan) -> dict[str, Any]:
        """What the message's placeholders stand for: texts, or closures where they change."""
        found: dict[str, Any] = {}
        for each in rule.kinds:
            if each.name == "repeats":
                node = each.parameter.node
                other = self.plan.paths.get(node.target or ()) if isinstance(node, Reference) else None
                found[each.name] = other.label if other is not None else written_path(node.target or ())
            elif isinstance(each.parameter, Expression):
                found[each.name] = self.compile(each.parameter)
            elif isinstance(each.parameter, tuple):
                found[each.name] = ", ".join(as_text(v) for v in each.parameter)
            else:
                found[each.name] = as_text(each.parameter)
        return found

    def _watch_everything(self, target: FieldPlan, check: int) -> None:
        """What a Python function reads of the form nobody knows: any change of a value judges it again."""
        rank = self.ranks.get((target.path, "validity"), 1)
        watch = Watch(rank, CHECK, target, check, 0, chain_between(target.form.root, target))
        for plan, name in self._signals(target.form.root, "value"):
            if plan is not target:
                plan.watch.setdefault(name, []).append(watch)

    # dependencies
    def _watch(self, expression: Expression, target: FieldPlan, unit: int, check: int = -1) -> None:
        """Makes a change of anything *expression* reads judge *unit* of *target* again."""
        rank = self.ranks.get((target.path, _UNIT_PROPERTY[unit]), 1)
        for reference in expression.reads:
            self._watch_reference(reference, target, rank, unit, check)
        if expression.clock:
            chain = chain_between(target.form.root, target)
            self.plan.clock_watch.append((expression.clock, Watch(rank, unit, target, check, 0, chain)))

    def _watch_reference(self, reference: Reference, target: FieldPlan, rank: int, unit: int, check: int) -> None:
        if reference.target is None:
            return
        source = self.plan.paths[reference.target]
        if reference.base == "index":
            rows = source.parent
            assert rows is not None
            watch = Watch(rank, unit, target, check, rows.level, self._chain(rows, rows.level, target))
            rows.watch.setdefault("rows", []).append(watch)
            return
        if reference.base == "self":
            if reference.member == "value" and unit == CHECK and target is source and not target.parts:
                return  # a change of the own value judges all rules anyway
            common = target.level if target.parts else SAME
        else:
            common = reference.level if reference.base in ("row", "var") else 0
        asked = property_of(reference.member)
        asked = "value" if asked in ("empty", "on") else asked
        for plan, name in self._signals(source, asked):
            chain = () if common == SAME and plan is target else self._chain(plan, max(common, 0), target)
            level = SAME if common == SAME and plan is target else max(common, 0)
            watches = plan.watch.setdefault(name, [])
            watch = Watch(rank, unit, target, check, level, chain)
            if watch not in watches:
                watches.append(watch)
        self._watch_lists(reference, source, target, rank, unit, check)

    def _watch_lists(
        self, reference: Reference, source: FieldPlan, target: FieldPlan, rank: int, unit: int, check: int
    ) -> None:
        """What is reached through rows depends on which rows there are."""
        common = reference.level if reference.base in ("row", "var") else 0
        plan: FieldPlan | None = source
        while plan is not None and plan.level > common:
            if plan.kind == "row" and plan.parent is not None and plan.parent.level >= common:
                rows = plan.parent
                watch = Watch(rank, unit, target, check, common, self._chain(rows, common, target))
                if watch not in rows.watch.setdefault("rows", []):
                    rows.watch["rows"].append(watch)
            plan = plan.parent

    def _signals(self, source: FieldPlan, asked: str) -> list[tuple[FieldPlan, str]]:
        """The properties whose change may alter what *asked* of *source* comes to."""
        if asked != "value" or not source.parts:
            return [(source, asked)]
        found: list[tuple[FieldPlan, str]] = []
        stack = [source]
        while stack:
            plan = stack.pop()
            if plan.kind == "rows":
                found.append((plan, "rows"))
            if plan.parts:
                stack.extend(plan.parts)
            else:
                found.append((plan, "value"))
        return found

    def _chain(self, source: FieldPlan, common: int, target: FieldPlan) -> tuple[int, ...]:
        """From the row of level *common* (0: the form) around *source*, which is around *target* too, to *target*."""
        start = target
        while start.kind != "form" and not (start.kind == "row" and start.level == common):
            assert start.parent is not None
            start = start.parent
        if start.kind == "form":
            start = target.form.root
        return chain_between(start, target)

    # third pass: what a keystroke needs, at hand
    def _finish(self, plan: FieldPlan) -> None:
        if self.bare and plan.native is not None:
            return  # shared with its like
        plan.value_watch = plan.watch.get("value", [])
        empty = [c for c in plan.checks if c.kind == "required" or c.on_empty]
        plan.tests_empty = [(c.bit, c.test) for c in empty]
        plan.tests_filled = [
            (c.bit, c.test) for c in plan.checks if c.kind not in ("badInput", "lookup") and (c.kind != "required" or c.on_empty)
        ]  # fmt: skip
        above: list[int] = []
        steps, container = 1, plan.parent
        while container is not None:
            if container.checks:
                above.append(steps)
            steps, container = steps + 1, container.parent
        plan.above = tuple(above)
        for part in plan.parts:
            self._finish(part)


def _shared_level(a: FieldPlan, b: FieldPlan) -> int:
    """How many of the rows around *a* are around *b* too."""
    level = 0
    for i, (x, y) in enumerate(zip(a.path, b.path, strict=False)):
        if x != y:
            break
        level += a.path[i] == "*"
    return level


def _stands_at(cell: Any, fixed: list[tuple[int, int]]) -> bool:
    row = cell.row
    for level, number in reversed(fixed):
        while row is not None and row.plan.level > level:
            row = row.up.row
        if row is None or not -len(row.up.parts) <= number < len(row.up.parts) or row.up.parts[number] is not row:
            return False
    return True
