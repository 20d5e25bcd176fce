"""Lint of a form sheet: its fields, conditions, and unused parts."""

from __future__ import annotations

import ast
import os
from collections.abc import Iterator
from pathlib import Path

from ...forms.expressions.tree import Expression
from ...forms.model.conditions import expressions_of
from ...forms.model.form import Field, Form, Rule, walk
from ...problems import Place, Unreadable, read_text
from ...roots import is_outside_roots
from .conditions import can_hold
from .findings import Finding
from .of_fields import field_findings
from .played import played_findings
from .sheet_places import SheetPlaces

# Types of fields with a built-in rule.
_RULED = frozenset({"email", "url", "number", "date", "month", "week", "time", "datetime-local"})


def sheet_findings(form: Form, at: SheetPlaces, opened: frozenset[str] = frozenset()) -> Iterator[Finding]:
    """Yield findings about *form*, with positions from *at*; *opened* are the panels that scripts open."""
    sheet = _Sheet(form, at)
    for each in (form, *form.panels):
        yield from field_findings(form, each, at)
        yield from sheet.hidden_decides(each)
        yield from sheet.always_enabled(each)
    yield from sheet.unseen()
    yield from sheet.replies()
    yield from sheet.unused(opened)
    yield from played_findings(form, at)


class _Sheet:
    def __init__(self, form: Form, at: SheetPlaces) -> None:
        self.form, self.at = form, at
        self.paths = {field.path: field for each in (form, *form.panels) for field in walk(each.fields)}

    def _under(self, one: Form, *path: str) -> tuple[str, ...]:
        """Return the keys that lead to the part at *path* of *one*, the form or a panel."""
        return ("panels", one.panel, *path) if one.panel else path

    # conditions
    def hidden_decides(self, one: Form) -> Iterator[Finding]:
        for rule in one.rules:
            for kind in rule.kinds:
                if isinstance(kind.parameter, Expression):
                    for field in self._unguarded(kind.parameter, rule.when):
                        yield self.at.rule(
                            "hidden-decides", rule, f"a form rule reads {field.address} even while it is hidden", _guard(field)
                        )
        enabled = one.submit.enabled
        for field in self._unguarded(enabled, None) if enabled is not None else ():
            message = f"whether the form can be sent depends on {field.address} even while it is hidden"
            yield self.at.path("hidden-decides", self._under(one, "submit", "enabled"), message, _guard(field))

    def _unguarded(self, expression: Expression, when: Expression | None) -> list[Field]:
        """The fields whose values *expression* reads although they may be hidden then."""
        read = [*expression.reads, *(when.reads if when is not None else ())]
        found: dict[str, Field] = {}
        for reference in read:
            field = self.paths.get(reference.target or ())
            if field is None or reference.member != "value" or field.kind in ("rows", "group") or field.native is not None:
                continue
            around = [field, *(self.paths[field.path[:n]] for n in range(1, len(field.path)) if field.path[:n] in self.paths)]
            hiding = [each for each in around if _may_hide(each)]
            if not hiding or any(each.forget_when_hidden for each in around):
                continue
            asked = {each.path for each in around}
            asked |= {r.target for each in hiding if each.visible is not None for r in each.visible.reads if r.target}
            if not any(r.target in asked and (r.member in ("visible", "hidden") or r.target != field.path) for r in read):
                found.setdefault(field.address, field)
        return list(found.values())

    def always_enabled(self, one: Form) -> Iterator[Finding]:
        fields = list(walk(one.fields))
        ruled = any(field.rules or field.kind in _RULED or field.native is not None for field in fields)
        if one.submit.enabled is None and one.page is None and fields and not one.rules and not ruled:
            message = f"{_called(one)} can always be sent: it has no rule, and its button has no condition"
            path = self._under(one, "submit") if one.submit.to != "/" else self._under(one) or ("form",)
            yield self.at.path(
                "always-enabled",
                path,
                message,
                "require something: rules: [{required: true}], or add a condition: submit: {enabled: …}",
            )

    def unseen(self) -> Iterator[Finding]:
        for one in (self.form, *self.form.panels):
            if one.page is None and not can_hold((one.reveal, True)):
                message = f"no message of {_called(one)} can appear: its reveal is never true"
                yield self.at.path("unseen-message", self._under(one, "reveal"), message, "reveal: touched")

    def replies(self) -> Iterator[Finding]:
        """Replies that are never used: after one that always applies, or with the same condition as an earlier one."""
        for one in (self.form, *self.form.panels):
            conditions: dict[str, int] = {}
            for number, reply in enumerate(one.server.replies, 1):
                path = (*self._under(one, "server", "replies"), number - 1)
                if "" in conditions:
                    message = f"reply {number} is never used: reply {conditions['']} before it always applies"
                    yield self.at.path(
                        "unreachable-reply", path, message, "move it up, or give the earlier one a condition: when: …", key=False
                    )
                    continue
                told = reply.when.text if reply.when is not None else ""
                if told and told in conditions:
                    message = f"reply {number} is never used: reply {conditions[told]} has the same condition"
                    yield self.at.path(
                        "unreachable-reply", path, message, "remove one of them, or change its condition", key=False
                    )
                conditions.setdefault(told, number)

    # unused parts
    def unused(self, opened: frozenset[str]) -> Iterator[Finding]:
        asked = {kind.parameter for rule in self._rules() for kind in rule.kinds if kind.name == "lookup"}
        for name in self.form.lookups:
            if name not in asked:
                remedy = f"remove it, or use it: rules: [{{lookup: {name}}}]"
                yield self.at.path("unused", ("lookups", name), f"no rule uses the lookup {name}", remedy)
        reached = {after.view for after in self.form.after.values()} | {"editing"}
        for name in self.form.views if self.form.page is None else ():
            if name not in reached and not (name == "waiting" and self.form.submit.while_busy == "replaced"):
                remedy = f"remove it, or lead to it: after: {{accepted: {{view: {name}}}}}"
                yield self.at.path("unused", ("views", name), f"nothing leads to the view {name}", remedy)
        yield from self._unused_panels(opened)
        yield from self._unused_texts()
        yield from self._unused_functions()

    def _unused_panels(self, opened: frozenset[str]) -> Iterator[Finding]:
        read = {reference.target[0] for _, each in expressions_of(self.form) for reference in each.reads if reference.target}
        for panel in self.form.panels:
            if panel.gives is None and panel.panel not in opened and panel.panel not in read:
                remedy = f"add gives: {{to: ADDRESS, as: option}}, or use it in a script: open {panel.panel}"
                yield self.at.path(
                    "unused", ("panels", panel.panel), f"the panel {panel.panel} gives nothing, and no script opens it", remedy
                )

    def _unused_texts(self) -> Iterator[Finding]:
        """Texts that no rule uses, including the implicit rules of a type."""
        used = {kind.name for rule in self._rules() if rule.say is None for kind in rule.kinds}
        used |= {"lookup_failed"} if self.form.lookups else set()
        for field in self.paths.values():
            used |= {"badInput"} if field.kind in _RULED - {"email", "url"} else {field.kind} if field.kind in ("email", "url") else set()
            used |= {"among"} if field.options is not None else set()
            used |= {name for name in ("min", "max") if field.kind == "range"}
        said = {kind.name for rule in self._rules() if rule.say is not None for kind in rule.kinds}
        locales = self.at.document.data.get("texts", {}) if isinstance(self.at.document.data, dict) else {}
        for language, texts in locales.items() if self.form.page is None else ():
            for name in texts:
                if name not in used or (name in ("email", "url", "badInput") and name in said and not self._bare(name)):
                    message = f"no rule uses the text for {name}"
                    yield self.at.path(
                        "unused", ("texts", language, name), message, "remove it, or remove the message of a rule that should use it"
                    )

    def _bare(self, name: str) -> bool:
        """Return whether a field has the rule *name* implicitly by its type, without a message."""
        for field in self.paths.values():
            own = field.kind == name or (name == "badInput" and field.kind in _RULED - {"email", "url"})
            if own and not any(rule.say is not None and kind.name == name for rule in field.rules for kind in rule.kinds):
                return True
        return False

    def _unused_functions(self) -> Iterator[Finding]:
        """Functions of the sheet's Python file that no rule of this sheet, no sheet beside it and nothing in the file names."""
        if not self.form.python:
            return
        file = os.path.normpath(Path(self.form.file).parent / self.form.python)
        try:
            if is_outside_roots(file):
                return
            text = read_text(file)
            tree = ast.parse(text)
        except (Unreadable, SyntaxError, ValueError):
            return  # a run reports this
        named = {kind.parameter for rule in self._rules() for kind in rule.kinds if kind.name == "python"}
        named |= {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)} | {
            n.attr for n in ast.walk(tree) if isinstance(n, ast.Attribute)
        }
        for node in tree.body:
            if (
                isinstance(node, ast.FunctionDef)
                and not node.name.startswith("_")
                and node.name not in named
                and not self._named_beside(node.name)
            ):
                line = text.split("\n")[node.lineno - 1]
                place = Place(file, node.lineno, max(line.find(node.name), 0) + 1, len(node.name))
                remedy = f"remove it, or use it: rules: [{{python: {node.name}}}]"
                yield Finding("unused", place, f"no rule uses the function {node.name}", remedy, line)

    def _named_beside(self, name: str) -> bool:
        folder = os.path.dirname(self.form.file) or "."
        for other in sorted(os.listdir(folder)):
            path = os.path.join(folder, other)
            if other.endswith((".form.yaml", ".form.yml")) and os.path.normpath(path) != os.path.normpath(self.form.file):
                try:
                    if name in read_text(path):
                        return True
                except Unreadable:
                    continue
        return False

    def _rules(self) -> Iterator[Rule]:
        for form in (self.form, *self.form.panels):
            yield from form.rules
            yield from form.server.rules
            for field in walk(form.fields):
                yield from field.rules


def _may_hide(field: Field) -> bool:
    return field.visible is not None and can_hold((field.visible, False)) and can_hold((field.visible, True))


def _guard(field: Field) -> str:
    return f"add the condition `and {field.address}.visible`, or set when_hidden: forget"


def _called(one: Form) -> str:
    return f"the panel {one.panel}" if one.panel else "this form"
