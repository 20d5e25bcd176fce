"""Warnings for checks with names that no field has, which probably are mistakes.

Payloads and records are not checked against the form, because the server may know more fields, so these are warnings and the
check runs as usual.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from ..forms.model.form import Field, Form
from ..forms.names.addresses import AddressError, called, locate, named, parse_address
from ..forms.names.shapes import write_address
from ..problems import Problem, listed, suggestion
from .ops import Op, lines_of
from .tree import Check


def doubts(ops: Iterable[Op], form: Form) -> list[Problem]:
    """Yield a warning for each unknown name in a check of `payload omits`, `record` or `errors`, once each."""
    checker = _WarningFinder(form)
    found: dict[tuple[Any, str], Problem] = {}
    for op in ops:
        if isinstance(op.act, Check):
            for cause, remedy in checker.of(op.act):
                lines = lines_of(op.source)
                place = lines.place(op.source.file, op.offset + op.act.offset, op.act.length)
                problem = Problem(place, cause, remedy, lines.line(place.line), op.calls, "warning")
                found.setdefault((place, cause), problem)
    return list(found.values())


class _WarningFinder:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.forms = (form, *form.panels)
        self.free = form.server.record is not None or any(reply.has_record for one in self.forms for reply in one.server.replies)

    def of(self, check: Check) -> Iterator[tuple[str, str]]:
        noun = check.noun.kind
        if noun == "payload" and check.predicate == "omits":
            for address in check.arguments:
                yield from self._nobody(address.segments)
        elif noun == "errors":
            for key in check.arguments[0] if check.arguments and isinstance(check.arguments[0], dict) else ():
                yield from self._no_address(key)
        elif noun == "record" and check.arguments and not self.free:
            for segments in _members(check.arguments[0], ()):
                yield from self._nobody(segments)

    def _nobody(self, segments: tuple[Any, ...]) -> Iterator[tuple[str, str]]:
        """A doubt where no form of the subject sends anything under *segments*."""
        missed = [miss for one in self.forms if (miss := self._miss(one, segments)) is not None]
        if len(missed) == len(self.forms):
            name, known = missed[0]
            remedy = suggestion(name, known, f"the payload can contain {listed(known, 'and')}")
            yield f"no field is called {name!r}, so it is never sent", remedy

    def _miss(self, form: Form, segments: tuple[Any, ...]) -> tuple[str, list[str]] | None:
        """Return the first unknown name in *segments* and the known ones; None if all are known."""
        if form.page is not None:
            sent = {e.name for e in form.page.elements if e.name} | {d for e in form.page.elements if (d := getattr(e, "dirname", ""))}
            first = write_address(segments)
            whole = named(form.shape, segments) is not None or called(form.shape, first) is not None or first in sent
            return None if whole or segments[0] in sent else (first, sorted(sent))
        children = {**_sent(form.fields), **{button.name: None for button in form.buttons}}
        for segment in segments:
            if isinstance(segment, int):
                continue
            if segment not in children:
                return str(segment), list(children)
            field = children[segment]
            children = dict(_sent(field.fields)) if field is not None else {}
        return None

    def _no_address(self, key: str) -> Iterator[tuple[str, str]]:
        if key == "" or called(self.form.shape, key) is not None:
            return
        segments = parse_address(key)
        if segments is None or "*" in segments:
            yield f"{key!r} is not an address, so no message is ever there", 'messages of the form itself are under ""'
            return
        try:
            locate(self.form.shape, segments, [p.shape for p in self.form.panels])  # type: ignore[arg-type]
        except AddressError as fault:
            yield f"{fault.cause}, so no message is ever there", fault.remedy


def _sent(fields: tuple[Field, ...]) -> dict[str, Field | None]:
    """Return the fields by the names they are sent by, and by their own; mixing these up is not worth a warning."""
    return {name: field for field in fields for name in (field.send_name or field.name, field.name)}


def _members(value: Any, at: tuple[Any, ...]) -> Iterator[tuple[Any, ...]]:
    """Yield the objects inside a value with their paths."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _members(inner, (*at, key)) if isinstance(inner, dict | list) and inner else iter([(*at, key)])
    elif isinstance(value, list):
        for number, inner in enumerate(value):
            yield from _members(inner, (*at, number))
