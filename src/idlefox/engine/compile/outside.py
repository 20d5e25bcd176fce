"""Compiles the parts outside the form: the stubs of lookups and of the server."""

from __future__ import annotations

from typing import Any

from ...forms.expressions import Closure, Expression, compile_expression
from ...forms.model.form import Field, Form, Path, Rule
from ...forms.model.messages import label_of, message_for
from ...forms.values.values import as_text
from ..judge.rules import test_for
from ..plan.plans import FieldPlan, LookupPlan, ReplyPlan, ServerPlan, ServerRule
from ..world.payload import LookupAccess, PayloadAccess


def compile_lookups(form: Form) -> dict[str, LookupPlan]:
    """The lookups of the sheet by name."""
    access = LookupAccess()
    return {
        name: LookupPlan(lookup, compile_expression(lookup.holds, access) if lookup.holds is not None else None)
        for name, lookup in form.lookups.items()
    }


def compile_server(form: Form) -> ServerPlan:
    """Compile the stub server of *form*."""
    access = PayloadAccess()

    def compiled(expression: Expression) -> Closure:
        """Compile an optional expression."""
        return compile_expression(expression, access)

    texts = dict(form.texts)
    rules = tuple(_rule(form, rule, texts, compiled) for rule in form.server.rules)
    replies = tuple(
        ReplyPlan(
            reply,
            compiled(reply.when) if reply.when is not None else None,
            compiled(reply.record) if isinstance(reply.record, Expression) else None,
        )
        for reply in form.server.replies
    )
    return ServerPlan(rules, replies)


def _rule(form: Form, rule: Rule, texts: Any, compiled: Any) -> ServerRule:
    plan = _payload_plan(form, rule.at or ())
    tests = tuple((kind.name, test_for(kind, plan, compiled), message_for(rule, kind, texts, plan.kind)) for kind in rule.kinds)
    parameters = {
        k.name: as_text(list(k.parameter) if isinstance(k.parameter, tuple) else k.parameter)
        for k in rule.kinds
        if not isinstance(k.parameter, Expression)
    }
    when = compiled(rule.when) if rule.when is not None else None
    return ServerRule(rule.at or (), rule.at_index, plan, when, rule.on_empty, tests, parameters)


def _payload_plan(form: Form, path: Path) -> FieldPlan:
    """The plan of the field that is sent as *path*; of a text where no field is."""
    fields = form.fields
    found: Field | None = None
    for name in path:
        if name == "*":
            continue
        found = next((f for f in fields if (f.send_name or f.name) == name), None)
        if found is None:
            break
        fields = found.fields
    if found is None:
        name = path[-1] if path else ""
        found = Field(name=name, kind="text", path=path, label=label_of(name))
    return FieldPlan(found.kind, found.path, found, None)
