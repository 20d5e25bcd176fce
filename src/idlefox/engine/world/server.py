"""The server stand-in: judges a payload by rules of its own, then answers with the first reply that fits.

Knows the payload and the sheet, not the form's live state.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.expressions import UNKNOWN, Closure, Expression, Reference, compile_expression
from ...forms.expressions.closures import Variables
from ...forms.model.form import Field, Form, Notice, Path, Rule
from ...forms.model.messages import label_of, message_for
from ...forms.values.values import as_text, is_empty
from ...records import NamedTuple
from ..judge.rules import test_for
from ..judge.timing import fill_message
from ..plan.plans import FieldPlan
from ..state.cells import FieldCell
from ..state.live import Live


class Answer(NamedTuple):
    """What comes back: *kind* is status, failure or nothing. *errors* are texts by address as it was written."""

    kind: str
    status: int = 200
    errors: tuple[tuple[str, tuple[str, ...]], ...] = ()
    to: str = ""
    notice: Notice | None = None
    record: Any = None
    has_record: bool = False
    takes: int | None = None


class _Probe(FieldCell):
    """A value of the payload, in the place of a cell: what a rule's test is handed."""

    __slots__ = ("payload", "rows_around")
    payload: Any
    rows_around: list[Any]


class _RowNumber:
    def __init__(self, number: int) -> None:
        self.number = number

    def index(self) -> int:
        return self.number


class _PayloadAccess:
    """Expressions of the server read the payload (a probe's, or the payload itself) and the record."""

    def __init__(self, live: Live) -> None:
        self.live = live

    def read(self, reference: Reference) -> Closure:
        base, steps = reference.base, reference.steps
        if base == "self":
            return lambda place, rows: place.value
        if base == "index":
            return lambda place, rows: place.row.index()
        if base == "record":
            return lambda place, rows: _follow(self.live.submission.record, steps)
        if base == "row":
            level = reference.level
            return lambda place, rows: _follow(place.rows_around[level - 1], steps)
        if base == "var":
            name = reference.variable
            return lambda place, rows: _follow(rows[name] if rows else None, steps)
        return lambda place, rows: _follow(place.payload if isinstance(place, _Probe) else place, steps)

    def rows(self, reference: Reference) -> Closure:
        read = self.read(reference)

        def items(place: Any, rows: Variables) -> Any:
            found = read(place, rows)
            return found if isinstance(found, list) else None

        return items

    def now(self, place: Any) -> int:
        return self.live.now

    def mixed(self, place: Any, what: str) -> None:
        self.live.warn(None, f"the server stand-in compared values of different types: {what}")


def _follow(value: Any, steps: tuple[str | int, ...]) -> Any:
    for step in steps:
        if isinstance(value, dict):
            value = value.get(step)
        elif isinstance(value, list) and isinstance(step, int) and -len(value) <= step < len(value):
            value = value[step]
        else:
            return None
    return value


def answer(live: Live, form: Form, payload: Any) -> Answer:
    """What the stand-in of *form* answers to *payload*: its rules first, then its replies, else 200."""
    server = form.server
    if server.fails:
        return Answer("failure")
    errors: dict[str, list[str]] = {}
    for rule in server.rules:
        for address, text in _broken(live, form, rule, payload):
            errors.setdefault(address, []).append(text)
    if errors:
        return Answer("status", 422, tuple((a, tuple(t)) for a, t in errors.items()))
    access = _PayloadAccess(live)
    for reply in server.replies:
        if reply.when is not None and compile_expression(reply.when, access)(payload, None) is not True:
            continue
        record = reply.record
        if isinstance(record, Expression):
            record = compile_expression(record, access)(payload, None)
            record = None if record is UNKNOWN else record
        return Answer("status", reply.status, reply.errors, reply.to, reply.notice, record, reply.has_record, reply.takes)
    return Answer("status")


def _broken(live: Live, form: Form, rule: Rule, payload: Any) -> Iterator[tuple[str, str]]:
    """The address and message of every breach of *rule* by *payload*."""
    access = _PayloadAccess(live)

    def compiled(expression: Expression) -> Closure:
        return compile_expression(expression, access)

    when = compiled(rule.when) if rule.when is not None else None
    for probe, address in _probes(live, form, rule, payload):
        if when is not None and when(probe, None) is not True:
            continue
        empty = is_empty(probe.value)
        for kind in rule.kinds:
            if kind.name == "required":
                broken = empty
            elif (empty and not rule.on_empty and kind.name != "holds") or kind.name == "badInput":
                broken = False
            else:
                broken = _test(kind, probe, compiled)
            if broken:
                text = fill_message(message_for(rule, kind, dict(form.texts), probe.plan.kind), probe, _parameters(rule))
                yield address, "".join(p if isinstance(p, str) else str(probe.row.index() + 1) for p in text)


def _test(kind: Any, probe: _Probe, compiled: Any) -> bool:
    try:
        return bool(test_for(kind, probe.plan, compiled)(probe))
    except (TypeError, AttributeError):
        # The payload may hold a value of another type than the form's field would: no such value passes.
        return True


def _parameters(rule: Rule) -> dict[str, Any]:
    """A rule's parameters by placeholder, for its message."""
    return {
        k.name: as_text(list(k.parameter) if isinstance(k.parameter, tuple) else k.parameter)
        for k in rule.kinds
        if not isinstance(k.parameter, Expression)
    }


def _probes(live: Live, form: Form, rule: Rule, payload: Any) -> Iterator[tuple[_Probe, str]]:
    """The values of the payload that *rule* judges, each with its address."""
    path = rule.at or ()
    fixed = list(rule.at_index)
    found: list[tuple[Any, str, list[Any], int]] = [(payload, "", [], -1)]
    for name in path:
        if name == "*":
            number = fixed.pop(0) if fixed else None
            found = [
                (item, f"{address}[{i}]", [*around, item], i)
                for value, address, around, _ in found
                if isinstance(value, list)
                for i, item in enumerate(value)
                if number is None or i == (number if number >= 0 else len(value) + number)
            ]
        else:
            found = [
                (value.get(name) if isinstance(value, dict) else None, f"{address}.{name}" if address else name, around, i)
                for value, address, around, i in found
            ]
    plan = _payload_plan(form, path)
    for value, address, around, index in found:
        probe = _Probe.__new__(_Probe)
        probe.plan, probe.live, probe.value, probe.raw, probe.bad_input = plan, live, value, "", False
        probe.row = _RowNumber(index) if index >= 0 else None
        probe.payload, probe.rows_around = payload, around
        yield probe, address


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
