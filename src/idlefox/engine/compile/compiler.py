"""Compiles a form's model into a plan: slots, closures, and the dependencies between them.

This happens once per sheet or page, so that a keystroke has nothing left to look up.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from ...forms.expressions import Closure, Expression, Reference, compile_expression, parts_of
from ...forms.model.form import FLAGS, Field, Form, Kind, OptionsFrom, Rule, written_path
from ...forms.model.messages import message_for
from ...forms.names.addresses import parse_address
from ...forms.names.shapes import segment_text
from ...forms.values import whatwg
from ...forms.values.values import as_text
from ..acts.sheet_form import SheetForm
from ..judge.breaks import owner_breaks
from ..judge.choices import none_left
from ..judge.rules import test_for
from ..judge.timing import settled_text
from ..plan import controls
from ..plan.plans import (
    CHECK,
    DERIVE,
    ENABLED,
    MOMENTS,
    READONLY,
    REQUIRED,
    REVEAL,
    VISIBLE,
    ButtonPlan,
    CheckPlan,
    FieldPlan,
    FormPlan,
    Plan,
)  # fmt: skip
from ..state.access import StateAccess
from ..state.paths import chain_between
from .dependencies import DependencyBuilder
from .outside import compile_lookups, compile_server

# A type's own rule, which counts whether or not the sheet lists it.
_OWN_RULES = {"email": "email", "url": "url", "number": "badInput", **dict.fromkeys(whatwg.DATE_KINDS, "badInput")}
_CASES: dict[str, Callable[[str], str]] = {"upper": str.upper, "lower": str.lower}
_SHEET_FORM = SheetForm()


def compile_form(form: Form, python: Mapping[str, Callable[..., Any]] | None = None) -> Plan:
    """The plan of *form* (with its panels); *python* are the functions that its rules name."""
    return _Compiler(form, python or {}).plan


class _Compiler:
    def __init__(self, form: Form, python: Mapping[str, Callable[..., Any]]) -> None:
        self.form = form
        self.texts = dict(form.texts)
        self.plan = plan = Plan(form, python)
        self.access = StateAccess(plan)
        self.watches = DependencyBuilder(plan, form.graph)
        self.count = 0
        plan.lookups = compile_lookups(form)
        plan.main = self._skeleton(form)
        for panel in form.panels:
            plan.panels[panel.panel] = self._skeleton(panel)
        if form.page is not None:
            # Loaded for pages only: a run of sheets does not pay for it.
            from .markup import Markup

            self.markup: Any = Markup(form, self.texts)
            self.markup.form(plan.main, partial(self._reasoned, plan.main))
        for one in (plan.main, *plan.panels.values()):
            self._form(one)
        for one in (plan.main, *plan.panels.values()):
            self._finish(one.root)

    # first pass: a slot for every field
    def _skeleton(self, form: Form) -> FormPlan:
        path = (form.panel,) if form.panel else ()
        root = FieldPlan("form", path, None, None)
        root.label, root.key = form.label, form.panel
        found = FormPlan(form, root)
        found.species = _SHEET_FORM
        root.form = found
        self._enter(root)
        root.parts = tuple(self._slot(field, root, i, form.panel) for i, field in enumerate(form.fields))
        return found

    def _enter(self, plan: FieldPlan) -> None:
        plan.index = self.count
        self.count += 1
        self.plan.paths[plan.path] = plan

    def _slot(self, field: Field, parent: FieldPlan, part: int, above: str) -> FieldPlan:
        """Assign a slot. *above* is the key of the container up to the enclosing row."""
        plan = FieldPlan(field.kind, field.path, field, parent)
        plan.part = part
        if field.native is not None:
            plan.key = field.native.address
        else:
            plan.key = above + segment_text(field.name, first=not above and parent.level == 0)
        self._enter(plan)
        inner, key = plan, plan.key
        if field.kind == "rows":
            inner = FieldPlan("row", (*field.path, "*"), field, plan)
            inner.part, key = 0, ""
            self._enter(inner)
            plan.parts = (inner,)
        if field.fields:
            inner.parts = tuple(self._slot(f, inner, i, key) for i, f in enumerate(field.fields))
        return plan

    # second pass: closures
    def compile(self, expression: Expression) -> Closure:
        return compile_expression(expression, self.access)

    def _condition(self, plan: FieldPlan, unit: int, expression: Expression | None) -> Closure | None:
        if expression is None:
            return None
        self.watches.expression(expression, plan, unit)
        self.plan.ranks[plan.path, unit] = self.watches.rank(plan, unit)
        return self._reasoned(plan.form, expression)

    def _reasoned(self, form: FormPlan, expression: Expression | None) -> Closure | None:
        """The closure of a condition that a person may ask the reason of."""
        if expression is None:
            return None
        closure = self.compile(expression)
        form.conditions[closure] = parts_of(expression, closure, self.access)
        return closure

    def _optional(self, expression: Expression | None) -> Closure | None:
        return self.compile(expression) if expression is not None else None

    def _form(self, form_plan: FormPlan) -> None:
        form, root = form_plan.model, form_plan.root
        root.first, root.again = MOMENTS[form.report.first], MOMENTS[form.report.again]
        root.messages_all = form.messages == "all"
        root.reveal = None if form.reveal.text == "true" else self._condition(root, REVEAL, form.reveal)
        form_plan.server = compile_server(form)
        if form.page is None:
            self._buttons(form_plan)
        elif form.page.bare:
            for field in form.walk():
                self._bare(self.plan.paths[field.path], field)
            return
        for field in form.walk():
            self._field(self.plan.paths[field.path], field)
        self._carried(form, root)

    def _carried(self, form: Form, root: FieldPlan) -> None:
        """Order a field's checks: its own rules, then rules of other fields with `at`, then form rules with `at`."""
        for field in form.walk():
            if field.kind == "hidden":
                continue
            plan = self.plan.paths[field.path]
            for rule in field.rules:
                if rule.at is not None and rule.at != field.path:
                    for kind in rule.kinds:
                        self._check(self.plan.paths[rule.at], rule, kind, plan)
        for rule in form.rules:
            target = self.plan.paths[rule.at] if rule.at is not None else root
            for kind in rule.kinds:
                self._check(target, rule, kind, None)

    def _buttons(self, form_plan: FormPlan) -> None:
        form = form_plan.model
        form_plan.submit = ButtonPlan("", "the submit button")
        self._enabled(form_plan, form_plan.submit, form.submit.enabled)
        for button in form.buttons:
            plan = ButtonPlan(button.name, f"the button {button.name!r}", source=button)
            plan.past_checks = button.past_checks
            self._enabled(form_plan, plan, button.enabled)
            form_plan.buttons[button.name] = plan

    def _enabled(self, form: FormPlan, button: ButtonPlan, enabled: Expression | None) -> None:
        if enabled is not None:
            button.enabled, button.enabled_text = self._reasoned(form, enabled), enabled.text

    def _bare(self, plan: FieldPlan, field: Field) -> None:
        """A field of a page that no sheet says anything of: nothing in it reads anything else."""
        self.markup.bare(plan, field)
        if field.enabled is not None:
            plan.enabled = self.compile(field.enabled)
        if field.readonly is not None:
            plan.readonly = self.compile(field.readonly)
        if field.options:
            self._options(plan, field)

    def _options(self, plan: FieldPlan, field: Field) -> None:
        if isinstance(field.options, tuple) and any(o.enabled is not None for o in field.options):
            plan.options = tuple(self._optional(o.enabled) for o in field.options)

    def _field(self, plan: FieldPlan, field: Field) -> None:
        plan.first, plan.again = MOMENTS[field.report.first], MOMENTS[field.report.again]
        plan.messages_all = field.messages == "all"
        plan.blank = controls.blank(field) if field.kind not in ("group", "rows") else None
        plan.parse = controls.parser(field)
        if field.native is not None:
            self.markup.facts(plan, field)
        around = plan.parent.parent if plan.parent is not None and plan.parent.kind == "row" else plan.parent
        plan.forgets = field.forget_when_hidden or (around is not None and around.forgets)
        _normal(plan, field)
        self._conditions(plan, field)
        if field.kind != "hidden":
            self._rules(plan, field)

    def _conditions(self, plan: FieldPlan, field: Field) -> None:
        if field.native is not None:
            plan.views = self.markup.views(plan)
        else:
            if self.form.views:
                plan.views = frozenset(name for name, shown in self.form.views.items() if any(_shows(a, plan) for a in shown))
        plan.visible = self._condition(plan, VISIBLE, field.visible)
        plan.enabled = self._condition(plan, ENABLED, field.enabled)
        plan.readonly = self._condition(plan, READONLY, field.readonly)
        plan.reveal = None if field.reveal.text == "true" else self._condition(plan, REVEAL, field.reveal)
        plan.add, plan.remove = self._reasoned(plan.form, field.add), self._reasoned(plan.form, field.remove)
        self._options(plan, field)
        if field.derive is not None:
            plan.derive = self.compile(field.derive.source)
            plan.often = field.derive.when == "always"
            if plan.often:
                self.watches.expression(field.derive.source, plan, DERIVE)
                self.plan.ranks[plan.path, DERIVE] = self.watches.rank(plan, DERIVE)

    # checks
    def _rules(self, plan: FieldPlan, field: Field) -> None:
        own = _OWN_RULES.get(field.kind)
        listed = own is not None or field.options is not None
        named = {kind.name for rule in field.rules for kind in rule.kinds} if listed else set()
        if own is not None and field.native is None and own not in named:
            kind = Kind(own, FLAGS[own], True)
            self._check(plan, Rule((kind,)), kind, None)
        for rule in field.rules:
            parameters = self._parameters(rule) if not rule.native else {}
            for kind in rule.kinds:
                if rule.native:
                    self._native_check(plan, rule, kind, field)
                elif rule.at is None or rule.at == field.path:
                    self._check(plan, rule, kind, None, parameters)
        if field.options is not None and field.native is None and "among" not in named:
            self._options_rule(plan, field)

    def _options_rule(self, plan: FieldPlan, field: Field) -> None:
        """A chosen value must be one of the options, even if rows or panels change them."""
        kind = Kind("among", "customError", ())
        check = self._check(plan, Rule((kind,)), kind, None)
        check.test = none_left
        if isinstance(field.options, OptionsFrom):
            path = field.options.path
            self.watches.add(self.plan.paths[path], "rows", plan, CHECK, check.index, 0)
            self.watches.add(self.plan.paths[(*path, "*", field.options.value)], "value", plan, CHECK, check.index, 0)

    def _check(
        self, target: FieldPlan, rule: Rule, kind: Kind, owner: FieldPlan | None, parameters: dict[str, Any] | None = None
    ) -> CheckPlan:
        judged = owner or target
        message = message_for(rule, kind, self.texts, judged.kind)
        check = CheckPlan(len(target.checks), kind.name, kind.flag, rule.id, message, rule.line)
        check.on_empty = rule.on_empty or (owner is None and rule.at is not None and kind.name == "holds")
        check.parameters = self._parameters(rule) if parameters is None else parameters
        if kind.name == "lookup":
            check.lookup, check.start = kind.parameter, MOMENTS[rule.start]
            check.debounce, check.remember = rule.debounce, rule.remember
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
        """Return the check of an attribute of a page's control, in a form with a sheet."""
        check = self.markup.check(plan, rule, kind, field)
        self._guard(check, rule, kind, plan, None)
        self._dependencies(check, rule, kind, plan)

    def _guard(self, check: CheckPlan, rule: Rule, kind: Kind, target: FieldPlan, owner: FieldPlan | None) -> None:
        """Narrow the check's test: `when`, fixed rows of its `at`, a value at another address."""
        test = check.test
        if owner is not None:
            test = self._from_owner(check, target, owner, kind, rule.on_empty)
            check.on_empty = True
        if rule.when is not None:
            when, inner = self.compile(rule.when), test
            check.when = when
            test = lambda cell, value: when(cell, None) is True and inner(cell, value)  # noqa: E731
        fixed = [(level, number) for level, number in enumerate(rule.at_index, 1) if number is not None]
        if fixed:
            inner_test = test
            test = lambda cell, value: _stands_at(cell, fixed) and inner_test(cell, value)  # noqa: E731
            for level, _ in fixed:
                self.watches.place(target, check, level)
        check.test = test

    def _from_owner(self, check: CheckPlan, target: FieldPlan, owner: FieldPlan, kind: Kind, on_empty: bool) -> Any:
        """Compile another field's rule with `at`: it is evaluated at its owner's value."""
        common = _shared_level(target, owner)
        start = owner
        while start.kind != "form" and not (start.kind == "row" and start.level == common):
            assert start.parent is not None
            start = start.parent
        self.watches.owner(owner, target, check, common)
        return partial(owner_breaks, check.test, common, chain_between(start, owner), kind.name == "required", on_empty)

    def _dependencies(self, check: CheckPlan, rule: Rule, kind: Kind, target: FieldPlan) -> None:
        alone = target.path in self.form.faults.last_edited
        for expression in (kind.parameter, rule.when) if not alone else ():
            if isinstance(expression, Expression):
                self.watches.expression(expression, target, CHECK, check.index)
        if kind.name == "python":
            self.watches.everything(target, check)
        if kind.name == "required":
            self._required(rule, target)

    def _required(self, rule: Rule, target: FieldPlan) -> None:
        """A field is required while one of its `required` rules counts."""
        if rule.when is None:
            target.required = True
            return
        if target.required is not True:
            before, closure = target.required, self.compile(rule.when)
            if before is False:
                target.required = closure
            else:
                first = before
                target.required = lambda cell, rows: first(cell, rows) is True or closure(cell, rows) is True
        self.watches.expression(rule.when, target, REQUIRED)

    def _parameters(self, rule: Rule) -> dict[str, Any]:
        """Return the values of a message's placeholders: strings, or closures if they can change."""
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

    # third pass: precompute data for keystrokes
    def _finish(self, plan: FieldPlan) -> None:
        if self.form.page is not None and self.form.page.bare and plan.field is not None:
            return  # shared with its like
        plan.value_watch = plan.watch.get("value", [])
        plan.tests_empty, plan.tests_filled = [], []
        empty = filled = 0
        for check in plan.checks:
            bit, kind = check.bit, check.kind
            if kind == "required" or check.on_empty:
                plan.tests_empty.append((bit, check.test))
                empty |= bit
            if kind not in ("badInput", "lookup") and (kind != "required" or check.on_empty):
                plan.tests_filled.append((bit, check.test))
                filled |= bit
            said = settled_text(check, plan.label)
            if said is not None:
                plan.said[bit] = (said,)
        if plan.kind not in ("form", "group", "rows", "row"):
            plan.only_filled = filled & ~empty
        above: list[int] = []
        steps, container = 1, plan.parent
        while container is not None:
            if container.checks:
                above.append(steps)
            steps, container = steps + 1, container.parent
        plan.above = tuple(above)
        for part in plan.parts:
            self._finish(part)


def _normal(plan: FieldPlan, field: Field) -> None:
    """`trim` and `case`, as rules see the value and as leaving applies them."""
    case = _CASES.get(field.case)
    plan.folded = case
    if field.trim and case is not None:
        change = case
        plan.normal = lambda text: change(text.strip(whatwg.WHITE_SPACE))
    elif field.trim:
        plan.normal = lambda text: text.strip(whatwg.WHITE_SPACE)
    else:
        plan.normal = case
    plan.cut = plan.normal


def _shows(address: str, plan: FieldPlan) -> bool:
    """Return whether a view that lists *address* shows the field of *plan*: it, all in it and all around it."""
    path = plan.path
    wanted = tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ())
    return path[: len(wanted)] == wanted or wanted[: len(path)] == path


def _shared_level(a: FieldPlan, b: FieldPlan) -> int:
    """Return how many rows around *a* are also around *b*."""
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
