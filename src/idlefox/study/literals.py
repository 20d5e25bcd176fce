"""The literals that a form's expressions compare fields with: values at which something changes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.expressions.tree import Literal
from ..forms.model.conditions import expressions_of
from ..forms.model.form import Form, Path
from ..forms.values.values import reads_as

NamedTexts = dict[Path, list[str]]
_LONGEST = 24  # characters of a literal that is typed


def named_texts(form: Form) -> NamedTexts:
    """Return the literals compared with each field in expressions, which are likely to have an effect."""
    found: NamedTexts = {}
    for owner, expression in expressions_of(form):
        texts = [reads_as(value) for value in _literals(expression.node) if isinstance(value, str | int) and not isinstance(value, bool)]
        texts = [text for text in texts if 0 < len(text) <= _LONGEST]
        for path in {owner, *(reference.target for reference in expression.reads if reference.target)}:
            found[path] = list(dict.fromkeys((*found.get(path, ()), *texts)))[:4]
    return found


def _literals(node: Any) -> Iterator[Any]:
    if isinstance(node, Literal):
        yield node.value
    elif isinstance(node, tuple):
        for part in node:
            yield from _literals(part)
