"""The points of a form: what scenarios can exercise of it, each as a fact that is met or not."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ...forms.expressions.tree import TRUE, Expression
from ...forms.model.form import FLAGS, Field, Form, Message, Rule, walk, written_path
from ...forms.model.messages import message_for
from ...forms.names.addresses import parse_address
from ...forms.values.values import written
from ...forms.values.whatwg import DATE_KINDS, utf16_length
from ...records import NamedTuple
from ..samples import measured, step_size

KINDS = ("rule", "bound", "message", "field", "state", "choice", "rows", "lookup", "submission")
_LENGTHS = {"minlength": (0, -1), "maxlength": (0, 1)}  # how far from the bound is just inside, and just outside
_NUMBERS = {"min": (0, -1), "max": (0, 1)}
_CONDITIONS = ("visible", "enabled", "readonly", "add", "remove")


class Point(NamedTuple):
    """A point: its *kind*, its *address* ("" the form), its *name*, and what is *wanted*."""

    kind: str
    address: str
    name: str
    wanted: str


class Bound(NamedTuple):
    """A limit of a value: the point is met by a value (its length, number, count) of just that *size*."""

    point: Point
    of: str  # length, number or count
    size: Decimal


class Condition(NamedTuple):
    """An expression that is evaluated at the field with the schema path *path* (() the form)."""

    path: tuple[str, ...]
    name: str
    address: str
    expression: Expression


class Points(NamedTuple):
    """All points of a form in order; *bounds* by schema path, *conditions* to evaluate, *messages* by address and rule."""

    all: tuple[Point, ...]
    bounds: dict[tuple[str, ...], tuple[Bound, ...]]
    conditions: tuple[Condition, ...]


def points_of(form: Form) -> Points:
    """The points of *form* and its panels."""
    maker = _PointCollector(form)
    for one in (form, *form.panels):
        maker.one(one)
    return Points(tuple(dict.fromkeys(maker.points)), {path: tuple(b) for path, b in maker.bounds.items()}, tuple(maker.conditions))


def check_name(rule: Rule, kind: Any) -> str:
    """Return the name of a broken *kind* of *rule* in a trace: its flag, or its id."""
    return rule.id or (kind.flag if kind.flag != "customError" else kind.name)


def _only(field: Field, kind: Any) -> str:
    """Return the only outcome of a maximum length where the control takes no longer text; "" if the rule can hold and break."""
    if field.limit is None or kind.name != "maxlength" or not isinstance(kind.parameter, int) or field.limit > kind.parameter:
        return ""
    return "holds" if utf16_length(str(field.initial or "")) <= kind.parameter else ""


class _PointCollector:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.points: list[Point] = []
        self.bounds: dict[tuple[str, ...], list[Bound]] = {}
        self.conditions: list[Condition] = []

    def one(self, form: Form) -> None:
        base = (form.panel,) if form.panel else ()
        for field in walk(form.fields):
            self._field(field)
        for rule in form.rules:
            self._rule(rule, None, rule.at if rule.at is not None else base)
        self._condition(base, "reveal", form.reveal)
        self._condition(base, "submit.enabled", form.submit.enabled)
        for button in form.buttons:
            self._condition(base, f"button {button.name}", button.enabled)
        self._server(form)

    def _add(self, kind: str, address: str, name: str, *wanted: str) -> None:
        self.points += [Point(kind, address, name, each) for each in wanted]

    def _address(self, path: tuple[str, ...]) -> str:
        field = self.form.find(path) if path else None
        return field.address if field is not None else written_path(path)

    # fields
    def _field(self, field: Field) -> None:
        address = field.address
        if field.kind not in ("group", "rows", "hidden"):
            self._add("field", address, "", "changed", "left", "checked")
        for rule in field.rules:
            self._rule(rule, field, rule.at if rule.at is not None else field.path)
        if field.native is None:
            self._own_rules(field)
        for name in _CONDITIONS:
            self._condition(field.path, name, getattr(field, name))
        if field.reveal is not TRUE and field.reveal.text != self.form.reveal.text:
            self._condition(field.path, "reveal", field.reveal)
        for option in field.options if isinstance(field.options, tuple) else ():
            self._add("choice", address, written(option.value), "picked")
        if field.kind == "rows":
            self._rows(field)

    def _rows(self, field: Field) -> None:
        self._add("rows", field.address, "", "added", "removed", "moved")
        if field.least:
            self._add("rows", field.address, str(field.least), "at least")
        if field.most is not None:
            self._add("rows", field.address, str(field.most), "at most")

    def _own_rules(self, field: Field) -> None:
        """Add the built-in rules of a type of field."""
        own = field.kind if field.kind in ("email", "url") else "badInput" if field.kind == "number" else ""
        written_out = {kind.name for rule in field.rules for kind in rule.kinds}
        if own and own not in written_out:
            self._add("rule", field.address, FLAGS[own], "holds", "breaks")

    def _rule(self, rule: Rule, field: Field | None, path: tuple[str, ...]) -> None:
        address = self._address(path)
        for kind in rule.kinds:
            if kind.name == "lookup":
                self._add("lookup", address, str(kind.parameter), "accepted", "refused", "lost", "stale")
            if field is not None and field.kind == "range" and kind.name in ("min", "max", "step"):
                continue  # a slider keeps to them
            name = check_name(rule, kind)
            if field is not None and rule.at is None and (one := _only(field, kind)):
                self._add("rule", address, name, one)
                continue
            self._add("rule", address, name, "holds", "breaks")
            self._message(address, name, message_for(rule, kind, dict(self.form.texts), field.kind if field is not None else ""))
            if field is not None and rule.at is None:
                self._bound(field, kind)
        if rule.when is not None:
            self._condition(field.path if field is not None else (), f"when of {check_name(rule, rule.kinds[0])}", rule.when)

    def _message(self, address: str, name: str, message: Message) -> None:
        self._add("message", address, f"{name}: {message.text}", "shown", "cleared")

    def _bound(self, field: Field, kind: Any) -> None:
        parameter = kind.parameter
        if isinstance(parameter, bool | Expression) or parameter is None:
            return
        of = self._measure(field, kind.name, parameter)
        away = {**_LENGTHS, **_NUMBERS}.get(kind.name)
        if of is None or away is None:
            return
        start = measured(field, parameter) if of == "number" else Decimal(str(parameter))
        size = step_size(field) if of == "number" else Decimal(1)
        most = Decimal(field.limit) if of == "length" and field.limit is not None else Decimal(10) ** 9
        for wanted, beyond in zip(("just inside", "just outside"), away, strict=True):
            if start is not None and (of == "number" or 0 < start + beyond <= most):
                self._bounded(field, f"{kind.name} {parameter}", wanted, of, start + beyond * size)

    @staticmethod
    def _measure(field: Field, name: str, parameter: Any) -> str | None:
        """Return the quantity that a bound called *name* measures."""
        if name in _LENGTHS:
            return "length" if isinstance(parameter, int) else None
        if field.many or field.kind == "rows":
            return "count" if isinstance(parameter, int) else None
        return "number" if field.kind in ("number", *DATE_KINDS) else None

    def _bounded(self, field: Field, name: str, wanted: str, of: str, size: Decimal) -> None:
        point = Point("bound", field.address, name, wanted)
        self.points.append(point)
        self.bounds.setdefault(field.path, []).append(Bound(point, of, size))

    def _condition(self, path: tuple[str, ...], name: str, expression: Expression | None) -> None:
        if expression is None or expression.node.__class__.__name__ == "Literal":
            return
        address = self._address(path)
        self._add("state", address, name, "true", "false")
        self.conditions.append(Condition(path, name, address, expression))

    # sending
    def _server(self, form: Form) -> None:
        panel = form.panel
        if panel:
            return  # the end of a panel's submission shows in its results and messages
        self._add("submission", panel, "", "refused", "accepted", "rejected", "lost", "pressed twice")
        for rule in form.server.rules:
            for kind in rule.kinds:
                self._add("submission", panel, f"server rule {check_name(rule, kind)}", "broken")
        for number, reply in enumerate(form.server.replies, 1):
            self._add("submission", panel, f"reply {number} ({reply.status})", "given")
            for address, texts in reply.errors:
                for text in texts:
                    self._add("message", self._told_at(address), f"server: {text}", "shown", "cleared")

    def _told_at(self, address: str) -> str:
        """Return where the server's message for *address* appears: at its field, in any row, or at the form."""
        field = self.form.find(tuple("*" if isinstance(each, int) else str(each) for each in parse_address(address) or ()))
        return field.address if field is not None else ""

