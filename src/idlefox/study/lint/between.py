"""Lint across sheets: the same field with different rules."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ...forms.expressions.tree import Expression
from ...forms.model.form import Field, Form, walk
from .findings import Finding
from .sheet_places import SheetPlaces


def unlike_sheets(sheets: Iterable[tuple[Form, SheetPlaces]]) -> Iterator[Finding]:
    """Fields that share their name and label with one of an earlier sheet, are of its type, and have other rules."""
    known: dict[tuple[str, str, str], tuple[Form, Field]] = {}
    for form, at in sheets:
        own: dict[tuple[str, str, str], tuple[Form, Field]] = {}
        for field in walk(form.fields):
            if field.native is not None or field.kind in ("group", "rows"):
                continue
            key = (field.name, field.label, field.kind)
            own.setdefault(key, (form, field))
            if key in known:
                before, other = known[key]
                here, there = _rules(field), _rules(other)
                if here != there:
                    less, besides = sorted(there - here), sorted(here - there)
                    lacks = f"it lacks {' and '.join(less)}" if less else ""
                    more = f"it also has {' and '.join(besides)}" if besides else ""
                    told = ", ".join(part for part in (lacks, more) if part)
                    message = f"{field.address} and {other.address} of {before.file} have different rules: {told}"
                    yield at.path("unlike-sheets", at.place_of(field.path), message, "give both the same rules, or change a label")
        known = {**own, **known}


def _rules(field: Field) -> set[str]:
    """Return the rules of *field* as text, without messages."""
    found = set()
    for rule in field.rules:
        for kind in rule.kinds:
            parameter = kind.parameter.text if isinstance(kind.parameter, Expression) else kind.parameter
            shown = "" if parameter is True else f" {parameter}"
            found.add(f"{kind.name}{shown}{f' when {rule.when.text}' if rule.when is not None else ''}")
    return found
