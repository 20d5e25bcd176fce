"""Proves that a fault changes nothing: the form with the fault behaves exactly like the one without."""

from __future__ import annotations

from ...forms.model.form import Field, Form, Rule, walk
from ..lint.conditions import can_hold
from ..lint.of_fields import why_never
from .faults import PlantedFault

# Faults of these kinds have an effect only if the rule is broken.
_OF_BREAKING = frozenset({"rule-dropped", "other-flag", "other-message", "no-message"})


def is_same(fault: PlantedFault, form: Form) -> bool:
    """Return whether *fault* is proved to change nothing of *form*."""
    if fault.condition is not None and fault.kind == "never":
        return not can_hold((fault.condition, True))  # unknown counts as false
    if fault.kind in _OF_BREAKING and fault.at_rule is not None:
        return _never_breaks(form, *fault.at_rule)
    return False


def _never_breaks(form: Form, line: int, name: str) -> bool:
    """Return whether nothing that its control can hold breaks the kind *name* of the rule at *line*."""
    found = [(field, rule) for one in (form, *form.panels) for field in walk(one.fields) for rule in field.rules if rule.line == line]
    return len(found) == 1 and _no_value_breaks(form, *found[0], name)


def _no_value_breaks(form: Form, field: Field, rule: Rule, name: str) -> bool:
    if field.derive is not None or form.server.record is not None or rule.at is not None or rule.on_empty or name == "required":
        return False
    given = {each.gives.to for each in form.panels if each.gives is not None}
    kind = next((each for each in rule.kinds if each.name == name), None)
    return kind is not None and field.path not in given and bool(why_never(field, rule, kind))
