"""Submission, stub server, lookups and outcomes, as a sheet describes them."""

from __future__ import annotations

from typing import Any

from ..expressions.bind import Scope
from ..expressions.tree import Expression
from ..model.form import After, Button, Lookup, Notice, Reply, Rule, Server, SubmitSettings
from ..names.shapes import Shape
from .reading import At, Reading
from .rules import RuleReader

_NOTICE_KINDS = {"accepted": "success", "rejected": "error", "lost": "error"}


def payload_shape(fields: dict[str, Any], shapes: dict[str, Shape], buttons: dict[str, Any]) -> Shape:
    """The shape of the payload: fields under the names they are sent by, named buttons beside them."""

    def renamed(data: dict[str, Any], children: dict[str, Shape], path: tuple[str, ...]) -> dict[str, Shape]:
        """Return the shape of the payload, with fields under the names they are sent as."""
        found: dict[str, Shape] = {}
        for name, shape in children.items():
            sent = data[name].get("send", True)
            key = sent if isinstance(sent, str) else name
            copy = Shape(key, shape.kind, (*path, key), None, shape.many)
            if shape.children is not None:
                inner = (*copy.path, "*") if shape.kind == "rows" else copy.path
                copy.children = renamed(data[name].get("fields", {}), shape.children, inner)
            found[key] = copy
        return found

    top = Shape("", "form", ())
    top.children = renamed(fields, shapes, ())
    for name in buttons:
        top.children.setdefault(name, Shape(name, "select", (name,)))
    return top


class ServerReader:
    """Reads `submit`, `buttons`, `server`, `after` of one form of the sheet, and the sheet's lookups."""

    def __init__(self, reading: Reading, rules: RuleReader, panel: Shape | None) -> None:
        self.reading = reading
        self.rules = rules
        self.panel = panel

    def submit(self, at: At, data: dict[str, Any]) -> SubmitSettings:
        """Read `submit`."""
        given = data.get("submit", {})
        scope = Scope(self.reading.root, self.panel, bare=True)
        return SubmitSettings(
            to=given.get("to", "/"),
            method=given.get("method", "POST"),
            send=given.get("send", "json"),
            enabled=self.reading.condition((*at, "submit"), given, "enabled", scope),
            label=given.get("label", "Submit"),
            while_busy=given.get("while_busy", "open"),
        )

    def buttons(self, at: At, data: dict[str, Any]) -> tuple[Button, ...]:
        """Read `buttons`."""
        scope = Scope(self.reading.root, self.panel, bare=True)
        return tuple(
            Button(
                name,
                each.get("label", name),
                self.reading.condition((*at, "buttons", name), each, "enabled", scope),
                each.get("past_checks", False),
                each.get("value", name),
            )
            for name, each in data.get("buttons", {}).items()
        )

    def server(self, at: At, data: dict[str, Any], payload: Shape) -> Server:
        """Read `server`."""
        given = data.get("server", {})
        at = (*at, "server")
        return Server(
            takes=self.reading.duration(at, given, "takes"),
            rules=self._rules((*at, "rules"), given.get("rules", []), payload),
            replies=tuple(self._reply((*at, "replies", i), r, payload) for i, r in enumerate(given.get("replies", []))),
            record=given.get("record"),
            fails=given.get("fails", False),
        )

    def _rules(self, at: At, data: list[dict[str, Any]], payload: Shape) -> tuple[Rule, ...]:
        own_root = self.reading.root
        self.reading.root = payload
        found: list[Rule] = []
        for i, each in enumerate(data):
            for kind in ("unique", "python", "lookup", "repeats"):
                if kind in each and kind != "repeats":
                    self.reading.report((*at, i, kind), f"the stub server does not support the rule {kind!r}", "use holds", key=True)
            if "at" not in each and "holds" not in each:
                self.reading.report((*at, i), "a server rule needs `at`", "name the address it checks", key=False)
                continue
            rule = self.rules.rule((*at, i), each, payload, None, server=True)
            if rule is not None:
                found.append(rule)
        self.reading.root = own_root
        return tuple(found)

    def _reply(self, at: At, data: dict[str, Any], payload: Shape) -> Reply:
        scope = Scope(payload, payload=True)
        errors = tuple(
            (address, tuple(given) if isinstance(given, list) else (given,))
            for address, given in data.get("errors", {}).items()
        )
        record: Any = data.get("record")
        if isinstance(record, str):
            record = self.reading.expression((*at, "record"), record, scope, condition=False)
        status = data.get("status", 200)
        return Reply(
            when=self.reading.condition(at, data, "when", scope),
            status=status,
            errors=errors,
            to=data.get("to", ""),
            notice=self.reading.notice(at, data, "success" if 200 <= status < 400 else "error"),
            record=record,
            has_record="record" in data,
            takes=self.reading.duration(at, data, "takes") if "takes" in data else None,
            body=data.get("body"),
        )

    def after(self, at: At, data: dict[str, Any], views: dict[str, Any]) -> dict[str, After]:
        """Read `after`."""
        found: dict[str, After] = {}
        for outcome, given in data.get("after", {}).items():
            here = (*at, "after", outcome)
            for i, address in enumerate(given.get("forget", [])):
                self.reading.target((*here, "forget", i), address)
            notice: Notice | None = self.reading.notice(here, given, _NOTICE_KINDS[outcome])
            values = given.get("values", "keep")
            found[outcome] = After(given.get("view", ""), notice, values, tuple(given.get("forget", [])))
        return found

    def lookups(self, data: dict[str, Any]) -> dict[str, Lookup]:
        """Read `lookups`."""
        found: dict[str, Lookup] = {}
        for name, given in data.get("lookups", {}).items():
            at: At = ("lookups", name)
            holds: Expression | None = None
            if "holds" in given:
                holds = self.reading.expression((*at, "holds"), given["holds"], Scope(self.reading.root, lookup=True))
            accept = given.get("accept")
            if "table" in given:
                accept = [*(accept or []), *self._table((*at, "table"), given["table"])]
            found[name] = Lookup(
                name,
                self.reading.duration(at, given, "takes"),
                tuple(accept) if accept is not None else None,
                tuple(given["refuse"]) if "refuse" in given else None,
                holds,
                given.get("fails", False),
                *self._asked(at, given),
            )
        return found

    def _asked(self, at: At, given: dict[str, Any]) -> tuple[Any, ...]:
        """Read the request of a lookup on a live page and its answers."""
        if not {"request", "accepted", "refused"} & given.keys():
            return ()
        from .live import LiveReader, told

        accepted, refused = told(given.get("accepted"), {"accepted": True}), told(given.get("refused"), {"accepted": False})
        return LiveReader(self.reading).request(at, given), accepted, refused

    def _table(self, at: At, name: str) -> list[str]:
        """The first column of a CSV file (RFC 4180) beside the sheet, its header left out."""
        import csv
        import io
        from pathlib import Path

        from ...problems import Unreadable, read_text

        try:
            text = read_text(str(Path(self.reading.document.file).parent / name))
        except Unreadable as fault:
            self.reading.report(at, f"{name}: {fault.problems[0].cause}", fault.problems[0].remedy)
            return []
        try:
            rows = list(csv.reader(io.StringIO(text, newline="")))
        except csv.Error as fault:
            self.reading.report(at, f"{name} is not valid CSV: {fault}", "CSV is described in RFC 4180")
            return []
        return [row[0] for row in rows[1:] if row]
