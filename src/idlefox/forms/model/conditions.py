"""Every expression of a form: conditions, parameters of rules, derived values, what replies store."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..expressions.tree import Expression
from .form import Field, Form, Path, walk


def expressions_of(form: Form) -> Iterator[tuple[Path, Expression]]:
    """Every expression of *form* and its panels, with the path of the field (or panel) it belongs to."""
    for one in (form, *form.panels):
        owner: Path = (one.panel,) if one.panel else ()
        found: list[Any] = [one.reveal, one.submit.enabled, *(button.enabled for button in one.buttons)]
        found += [each for reply in one.server.replies for each in (reply.when, reply.record)]
        found += [lookup.holds for lookup in one.lookups.values()]
        for rule in (*one.rules, *one.server.rules):
            found += [rule.when, *(kind.parameter for kind in rule.kinds)]
        yield from ((owner, each) for each in found if isinstance(each, Expression))
        for field in walk(one.fields):
            yield from ((field.path, each) for each in _of_field(field) if isinstance(each, Expression))


def _of_field(field: Field) -> Iterator[Any]:
    yield from (field.visible, field.enabled, field.readonly, field.reveal, field.add, field.remove)
    if field.derive is not None:
        yield field.derive.source
    if isinstance(field.options, tuple):
        yield from (option.enabled for option in field.options)
    for rule in field.rules:
        yield rule.when
        yield from (kind.parameter for kind in rule.kinds)
