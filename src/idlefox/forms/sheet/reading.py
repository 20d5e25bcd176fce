"""Shared by the readers of a sheet: the document and the form's shape, and conversion of texts to expressions, messages, addresses
and durations, with positions for errors.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..expressions.bind import Scope, bind
from ..expressions.parse import ExpressionError
from ..expressions.tree import FALSE, TRUE, Expression
from ..model.form import Message, Notice, Report
from ..model.messages import GENERAL, MessageError, read_message
from ..names.addresses import AddressError, Segment, Target, locate, parse_address
from ..names.shapes import Shape
from ..values.durations import parse_duration
from .document import Document

At = tuple[str | int, ...]


class Reading:
    """One sheet being read. Problems are collected, and invalid parts are replaced by harmless ones."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.root = Shape("", "form", ())
        self.panels: list[Shape] = []
        self.texts: dict[str, Message] = {}
        self.python = ""

    def report(self, at: At, cause: str, remedy: str = "", *, key: bool = False) -> None:
        """Report a problem of the part at *at*."""
        self.document.report(at, cause, remedy, key=key)

    def expression(self, at: At, text: Any, scope: Scope, *, condition: bool = True) -> Expression:
        """The expression at *at*; YAML's true and false are expressions too."""
        if isinstance(text, bool):
            return TRUE if text else FALSE
        try:
            return bind(text, scope, condition=condition)
        except ExpressionError as fault:
            place = self.document.inside(at, fault.at, fault.length)
            from ...problems import Problem

            self.document.problems.append(Problem(place, fault.cause, fault.remedy, self.document.line(place.line)))
            return TRUE

    def condition(self, at: At, data: dict[str, Any], key: str, scope: Scope) -> Expression | None:
        """Return the expression under *key* of *data*; None if it is missing or always true."""
        if key not in data or data[key] is True:
            return None
        return self.expression((*at, key), data[key], scope)

    def message(self, at: At, text: str, parameters: Iterable[str]) -> Message:
        """The message at *at*, its placeholders checked against the general ones and *parameters*."""
        try:
            message = read_message(text)
        except MessageError as fault:
            self.report(at, str(fault))
            return Message(text, (text,))
        unknown = message.placeholders.difference(GENERAL, parameters) if message.placeholders else ()
        for name in sorted(unknown) if unknown else ():
            from ...problems import suggestion

            known = sorted(GENERAL.union(parameters))
            remedy = suggestion(name, known, f"the placeholders here are {', '.join('{' + k + '}' for k in known)}")
            self.report(at, f"unknown placeholder {{{name}}}", remedy)
        return message

    def duration(self, at: At, data: dict[str, Any], key: str, default: int = 0) -> int:
        """Return the duration under *key* of *data*."""
        if key not in data:
            return default
        ms = parse_duration(data[key])
        if ms is None:
            self.report((*at, key), f"{data[key]!r} is not a duration of whole milliseconds up to a century", "write 250ms or 3s")
            return default
        return ms

    def target(self, at: At, text: str) -> tuple[Target, tuple[Segment, ...]] | None:
        """Resolve the address *text*; None, with a problem reported, if it does not exist."""
        segments = parse_address(text)
        if segments is None:
            self.report(at, f"{text!r} is not an address", "for example contact.email or passengers[0].age")
            return None
        try:
            return locate(self.root, segments, self.panels), segments
        except AddressError as fault:
            self.report(at, fault.cause, fault.remedy)
            return None

    def report_times(self, data: dict[str, Any], default: Report) -> Report:
        """Read `report`."""
        given = data.get("report")
        return default if given is None else Report(given.get("first", default.first), given.get("again", default.again))

    def notice(self, at: At, data: dict[str, Any], kind: str) -> Notice | None:
        """Read a notice."""
        given = data.get("notice")
        if given is None:
            return None
        if isinstance(given, str):
            return Notice(given, kind, None)
        lasts = self.duration((*at, "notice"), given, "lasts") if "lasts" in given else None
        return Notice(given["text"], given.get("kind", kind), lasts)
