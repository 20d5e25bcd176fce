"""Proves that a form can no longer be sent so that it is accepted, whatever a person does short of a reset.

The proof is about what a person may change from here on: the fields in reach, and those that these may bring into reach. What is
wrong somewhere else, or with any value, stays wrong. Without a proof, nothing is known.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from math import prod
from typing import Any

from ..engine.session import introspection
from ..forms.expressions.tree import Expression
from ..forms.model.form import TEXT_KINDS, Field, Form, Path, Rule, walk
from ..forms.names.addresses import parse_address
from ..playing.simulated import SimulatedForm
from ..playing.steps import take_step
from ..script import tree
from ..script.tree import Address, Noun
from .samples import options_of

_STAY = frozenset({"attempted", "touched"})  # states that only a reset takes back
_MOST_CHOICES = 64  # combinations of choices that are tried
_PERSON = frozenset({"python", "lookup"})  # rules whose answer may be another the next time


def why_no_way(subject: SimulatedForm, form: Form) -> str:
    """Return why nothing acceptable can be sent from the state of *subject* without a reset; "" if that is not proved."""
    live = subject.session.live
    if live.away or live.view != "editing" or live.queue.under_way:
        return ""
    server = _server_refuses(form)
    if server:
        return server
    reach = _Reach(subject, form)
    conditions = [form.submit.enabled, *(button.enabled for button in form.buttons)]
    nouns = [Noun("submit"), *(Noun("button", name=button.name) for button in form.buttons)]
    pressable = any(subject.look(noun, "is", "enabled") for noun in nouns)
    if not pressable and not any(each is None or reach.may_change(each) for each in conditions):
        return "the submit button is disabled, and nothing a person can do enables it"
    if any(button.past_checks for button in form.buttons):
        return ""
    for cell in introspection.everything(live.root):
        found = reach.stuck(cell)
        if found:
            return found
    return ""


def _server_refuses(form: Form) -> str:
    """Return that the server rejects whatever is sent; "" if it may accept something."""
    if form.server.fails:
        return "the server never answers"
    for reply in form.server.replies:
        if reply.status < 400:
            return ""
        if reply.when is None:
            return f"the server rejects everything with status {reply.status}"
    return ""


class _Reach:
    """The schema paths of all that a person may change from the state of *subject* on."""

    def __init__(self, subject: SimulatedForm, form: Form) -> None:
        self.subject, self.form = subject, form
        self.cells = list(introspection.everything(subject.session.live.root))
        self.fields = {field.path: field for field in walk(form.fields)}
        self.paths = {panel.gives.to for panel in form.panels if panel.gives is not None}
        for cell in self.cells:
            field = self.fields.get(cell.plan.path)
            if field is None or field.fields or field.kind == "hidden" or field.derive is not None:
                continue
            if cell.visible and cell.enabled and not cell.readonly:
                self.paths.add(field.path)
        for field in self.fields.values():
            if field.kind == "rows" and self._takes_rows(field):
                self.paths |= {field.path, *(inner.path for inner in walk(field.fields))}
        while more := {path for path in self.fields.keys() - self.paths if self._comes(self.fields[path])}:
            self.paths |= more

    def _takes_rows(self, field: Field) -> bool:
        """Return whether a row of the list *field* can be added or removed now; of a list in rows, that is not known."""
        if "*" in field.path:
            return True
        at = Noun("address", Address(field.path))
        return any(self.subject.look(at, "allows", word) is None for word in ("add", "remove"))

    def _comes(self, field: Field) -> bool:
        """Return whether *field* may become reachable, or change without a person."""
        if field.kind == "rows" and any(self.may_change(each) for each in (field.add, field.remove) if each is not None):
            return True
        if field.derive is not None:
            return self.may_change(field.derive.source)
        if field.kind == "hidden":
            return False
        return any(self.may_change(each) for each in self._conditions(field)) and not self._stays_away(field)

    def _stays_away(self, field: Field) -> bool:
        """Return whether a condition that keeps *field* out of reach does so with every choice that it reads."""
        for size in range(1, len(field.path) + 1):
            around = self.fields.get(field.path[:size])
            if around is None or "*" in around.path:
                continue
            conditions = ((around.visible, True), (around.enabled, True), (around.readonly, False))
            if any(each is not None and self._is_never(each, wanted, around.path) for each, wanted in conditions):
                return True
        return False

    def _is_never(self, expression: Expression, wanted: bool, path: Path) -> bool:
        """Return whether *expression*, of the field at *path*, is *wanted* with no combination of the choices that it reads."""
        if expression.clock or not self.may_change(expression):
            return False
        read = {each.target or (): each.member for each in expression.reads}
        choices = [[(at, value) for value in _choices(self.fields.get(at))] for at in read]
        if not all(choices) or prod(map(len, choices)) > _MOST_CHOICES:
            return False
        if any(member != "value" for member in read.values()) or len(read) < len({(r.target, r.member) for r in expression.reads}):
            return False
        noun = Noun("address", Address(path))
        if (self.subject.look(noun, "holds", expression) is True) is wanted:
            return False
        for setting in product(*choices):
            tried = self.subject.trial()
            if any(take_step(tried, tree.FillLine(Address(at), value), 1) is not None for at, value in setting):
                return False
            if (tried.look(noun, "holds", expression) is True) is wanted:
                return False
        return True

    def _conditions(self, field: Field) -> Iterator[Expression]:
        """The conditions under which *field* is in reach: its own and those around it."""
        for size in range(1, len(field.path) + 1):
            around = self.fields.get(field.path[:size])
            if around is not None:
                yield from (each for each in (around.visible, around.enabled, around.readonly) if each is not None)

    def may_change(self, expression: Expression) -> bool:
        """Return whether *expression* may ever have another result than now."""
        if expression.clock:
            return True
        return any(self._read_may_change(each) for each in expression.reads)

    def _read_may_change(self, reference: Any) -> bool:
        target = reference.target
        if target is None:
            return True
        if reference.member in _STAY and self._has(target, reference.member):
            return False
        if reference.member == "attempted":
            return True
        return target in self.paths or any(path[: len(target)] == target for path in self.paths)

    def _has(self, target: Path, state: str) -> bool:
        noun = Noun("address", Address(target)) if target else Noun("form")
        return "*" not in target and self.subject.look(noun, "is", state) is True

    def stuck(self, cell: Any) -> str:
        """Return why *cell* stays invalid, whatever a person does; "" if that is not proved."""
        field = self.fields.get(cell.plan.path)
        path: Path = cell.plan.path
        rules = [*(field.rules if field is not None else self.form.rules if not path else ())]
        rules = [rule for rule in rules if rule.at is None] + [rule for rule in self.form.rules if path and rule.at == path]
        if not cell.active or not rules or (field is not None and any(self.may_change(each) for each in self._conditions(field))):
            return ""
        if any(path[:size] in self.paths for size in range(len(path)) if path[size] == "*"):
            return ""  # its row can be removed
        called = cell.address() or "the form"
        if path not in self.paths:
            for check in (each for each in cell.plan.checks if cell.broken & each.bit and each.kind not in _PERSON):
                rule = next((r for r in rules if r.line == check.line and any(k.name == check.kind for k in r.kinds)), None)
                if rule is not None and not self._rule_may_change(rule, check.kind):
                    return f"{called} breaks {check.name}, and nothing a person can do changes that"
            return ""
        if field is not None and not field.fields and self._no_value_fits(cell, field, rules):
            return f"no value of {called} is valid"
        return ""

    def _rule_may_change(self, rule: Rule, kind: str) -> bool:
        if kind == "unique":
            return True
        parts = (rule.when, *(each.parameter for each in rule.kinds))
        return any(self.may_change(each) for each in parts if isinstance(each, Expression))

    def _no_value_fits(self, cell: Any, field: Field, rules: list[Rule]) -> bool:
        """Return whether every value of *field* breaks one of its *rules* that depend on nothing else."""
        own = [rule for rule in rules if rule.when is None and all(_literal(kind.parameter) for kind in rule.kinds)]
        kinds = {kind.name: kind.parameter for rule in own for kind in rule.kinds}
        if "required" in kinds and kinds["required"] is True and not field.many:
            if _empty_range(kinds, "min", "max") and field.kind in ("number", "range"):
                return True
            longest = min((n for n in (kinds.get("maxlength"), field.limit) if isinstance(n, int)), default=None)
            shortest = kinds.get("minlength")
            if field.kind in TEXT_KINDS and isinstance(shortest, int) and longest is not None and shortest > longest:
                return True
        values: list[Any]
        if field.kind == "checkbox" and not field.many:
            values = [True, False]
        elif field.kind in ("select", "radio") and not field.multiple and options_of(field):
            values = [option.value for option in options_of(field)]
            if any(option.enabled is not None for option in options_of(field)) or kinds.get("required") is not True:
                return False
        else:
            return False
        names = {(kind.name, rule.line) for rule in own for kind in rule.kinds if kind.name not in _PERSON}
        return all(self._breaks_with(cell, value, names) for value in values)

    def _breaks_with(self, cell: Any, value: Any, names: set[tuple[str, int]]) -> bool:
        tried = self.subject.trial()
        at = tuple(parse_address(cell.address()) or ())
        if take_step(tried, tree.FillLine(Address(at), value), 1) is not None:
            return False
        now = tried.session.find(at)
        return any(now.broken & check.bit for check in now.plan.checks if (check.kind, check.line) in names)  # type: ignore[union-attr]


def _choices(field: Field | None) -> list[Any]:
    """Return all values that a person can give *field*, if they are few and known; none if not."""
    if field is None or field.many or "*" in field.path:
        return []
    if field.kind == "checkbox":
        return [True, False]
    options = options_of(field) if field.kind in ("radio", "select") else ()
    return [option.value for option in options] if all(option.enabled is None for option in options) else []


def _literal(parameter: Any) -> bool:
    return not isinstance(parameter, Expression)


def _empty_range(kinds: dict[str, Any], low: str, high: str) -> bool:
    least, most = kinds.get(low), kinds.get(high)
    return isinstance(least, int | float) and isinstance(most, int | float) and least > most
