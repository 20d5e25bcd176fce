"""Runs scenarios and records which points they reach, and which of those a check covers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from ...engine.session.stub_server import StubServer
from ...forms.expressions.tree import Expression
from ...forms.model.conditions import expressions_of
from ...forms.model.form import Field, Form, Message
from ...forms.values.values import is_chosen, is_empty, written
from ...forms.values.whatwg import utf16_length
from ...playing.player import evaluate_check, execute_step
from ...playing.simulated import SimulatedForm
from ...playing.subjects import Loaded
from ...records import NamedTuple
from ...script import tree
from ...script.ops import ExpandedScenario, Op
from ...script.tree import Address, Cannot, Check, Noun
from ..filling import instances
from ..samples import measured
from .points import Point, Points, check_name

_ROW = re.compile(r"#\d+")
# Steps in which a person changes the element at their address.
_CHANGING = (
    tree.Type, tree.Retype, tree.Paste, tree.Erase, tree.Clear, tree.Set, tree.Pick, tree.Toggle, tree.Turn, tree.Upload, tree.FillLine,
    tree.Press, tree.Add,
)  # fmt: skip
_CHOOSING = (tree.Pick, tree.FillLine, tree.Press, tree.Toggle, tree.Turn, tree.Set)
_STATES = {
    "visible": {"visible", "hidden"}, "enabled": {"enabled", "disabled"}, "readonly": {"readonly"},
    "when": {"valid", "invalid", "required", "optional"}, "reveal": {"marked"},
}  # fmt: skip
_OF_SENDING = frozenset({
    "outcome", "requests", "status", "view", "notice", "payload", "errors", "location", "record", "request", "body",
})  # fmt: skip


class ReachedPoint(NamedTuple):
    """A point that a scenario reached, first after its *part*-th step or check (0: load); *checked*: a check before the next step
    would have noticed.
    """

    point: Point
    checked: bool
    part: int


_OF_ONE_FIELD = (
    tree.Type, tree.Retype, tree.Clear, tree.Erase, tree.Paste, tree.Set, tree.Pick, tree.Turn, tree.Toggle, tree.FillLine,
)  # fmt: skip


def _read_by(rule: Any) -> Iterator[Any]:
    for each in (rule.when, *(kind.parameter for kind in rule.kinds)):
        yield from each.reads if isinstance(each, Expression) else ()


def met_by(scenario: ExpandedScenario, loaded: Loaded, points: Points, clock: int, folder: str) -> tuple[ReachedPoint, ...]:
    """The points that *scenario* meets, each once."""
    if scenario.fate == "aside":
        return ()
    return tuple(_CoverageObserver(scenario, loaded, points, folder).play(clock))


class _CoverageObserver:
    def __init__(self, scenario: ExpandedScenario, loaded: Loaded, points: Points, folder: str) -> None:
        self.scenario, self.points, self.form = scenario, points, loaded.form
        self.all = frozenset(points.all)
        begun = loaded.begin(folder)
        assert isinstance(begun, SimulatedForm)
        self.subject = begun
        self.stand_in = StubServer(begun.session.stage)
        self.scripted = any(isinstance(op.act, tree.Answer) and op.act.lookup is None for op in scenario.ops)
        self.values: dict[str, Any] = {}  # by cell
        self.broken: dict[str, set[str]] = {}
        self.shown: dict[str, set[str]] = {}
        self.exchanges = 0
        self.found: dict[Point, bool] = {}
        read = [(owner, each) for owner, expression in expressions_of(self.form) for each in expression.reads]
        read += [(rule.at, each) for rule in self.form.rules if rule.at for each in _read_by(rule)]
        self.reads = [(self._at(owner), self._at(each.target)) for owner, each in read if each.target is not None]
        self.changing: dict[str, frozenset[str]] = {}
        self.first: dict[Point, int] = {}
        self.part = 0

    def play(self, clock: int) -> Iterator[ReachedPoint]:
        scenario, subject = self.scenario, self.subject
        now = clock if scenario.clock is None else scenario.clock
        if subject.load(now) is not None:
            return
        self.stand_in.start(now)
        for key, properties in subject.state().items():
            self._take(key, properties)
        self._meet([*self._of_load(), *self._conditions(), *self._counts()], self._checks_from(0))
        noted = len(subject.journal().changes)
        for number, op in enumerate(scenario.ops, 1):
            self.part = number
            if isinstance(op.act, Check | Cannot):
                self._check(op)
                if evaluate_check(subject, op, scenario.ops):
                    break
                fresh = subject.journal().changes[noted:]  # time may have passed
            else:
                if execute_step(subject, op, scenario.ops, number) is not None:
                    break
                fresh = subject.journal().changes[noted:]
            noted += len(fresh)
            if fresh:
                self._meet([*self._of_changes(fresh, op), *self._conditions(), *self._counts()], self._checks_from(number))
        yield from (ReachedPoint(point, checked, self.first[point]) for point, checked in self.found.items())

    def _meet(self, met: Iterable[Point], checks: list[tuple[Op, frozenset[str]]]) -> None:
        for point in met:
            if point in self.all:
                self.first.setdefault(point, self.part)
                notices = any(point.address not in since and _shows(point, op.act, self.form) for op, since in checks)
                self.found[point] = self.found.get(point, False) or notices

    def _checks_from(self, number: int) -> list[tuple[Op, frozenset[str]]]:
        """Return the checks after the *number*-th part of the scenario, each with the fields about which something has changed since.

        They end at the first step that may change anything ("" is the form, about which any step changes something).
        """
        found: list[tuple[Op, frozenset[str]]] = []
        since: frozenset[str] = frozenset()
        for op in self.scenario.ops[number:]:
            act = op.act
            if isinstance(act, Check):
                found.append((op, since))
            elif isinstance(act, tree.Blur | tree.Focus):
                since |= {""}
            elif isinstance(act, _OF_ONE_FIELD):
                since |= {"", *self._changing_with(self._called(act.address.segments))}
            elif not isinstance(act, Cannot | tree.Note | tree.Wait | tree.Settle):
                break
        return found

    def _changing_with(self, address: str) -> frozenset[str]:
        """Return the field at *address* and all fields with an expression that reads it, directly or not."""
        if address not in self.changing:
            found = {address}
            while more := {own for own, read in self.reads if own not in found and read in found}:
                found |= more
            self.changing[address] = frozenset(found)
        return self.changing[address]

    def _at(self, path: Any) -> str:
        field = self.form.find(path) if path else None
        return field.address if field is not None else ""

    def _check(self, op: Op) -> None:
        address = op.act.noun.address if isinstance(op.act, Check) and op.act.noun.kind == "address" else None
        if address is not None:
            self._meet([Point("field", self._called(address.segments), "", "checked")], [(op, frozenset())])
        elif isinstance(op.act, Check) and op.act.noun.kind in ("values", "payload", "record") and isinstance(op.act.arguments[0], dict):
            self._meet([Point("field", each, "", "checked") for each in self._members(op.act.arguments[0], ())], [(op, frozenset())])

    def _members(self, value: Any, path: tuple[str, ...]) -> Iterator[str]:
        """The addresses of the fields that an object names."""
        for key, inner in value.items():
            field = self.form.find((*path, key))
            if field is None:
                continue
            if isinstance(inner, dict):
                yield from self._members(inner, (*path, key))
            elif isinstance(inner, list) and field.kind == "rows":
                for row in inner:
                    yield from self._members(row, (*path, key, "*")) if isinstance(row, dict) else ()
            else:
                yield field.address

    # changes
    def _take(self, key: str, properties: dict[str, Any]) -> None:
        if "value" in properties:
            self.values[key] = properties["value"]
        self.broken[key] = set(properties.get("breaks", ()))
        self.shown[key] = {_text_of(each) for each in properties.get("shows", ())}

    def _of_load(self) -> Iterator[Point]:
        for key in list(self.broken):
            yield from self._judged(key)
            yield from self._said(key, set(), self.shown.get(key, set()))

    def _of_changes(self, changes: Iterable[Any], op: Op) -> Iterator[Point]:
        act = op.act
        about = self._called(act.address.segments) if isinstance(getattr(act, "address", None), Address) else None
        for change in changes:
            hears = _HEARS.get(change.name, _CoverageObserver._of_world)
            yield from hears(self, change, act, about)

    def _rows_came(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        added = change.after[2] if change.name == "row added" else change.after
        for each, properties in added.items() if isinstance(added, dict) else ():
            self._take(each, properties)
            yield from self._judged(each)
        if change.name == "row added":
            yield Point("rows", self._address(change.cell), "", "added")

    def _rows_went(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        yield Point("rows", self._address(change.cell), "", change.name.removeprefix("row "))

    def _value(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        self.values[change.cell] = change.after
        yield from self._entered(change.cell, act, about)
        yield from self._judged(change.cell)

    def _reads(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        if self._is_changed(change.cell, act, about):
            yield Point("field", self._address(change.cell), "", "changed")

    def _breaks(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        key, address = change.cell, self._address(change.cell)
        self.broken[key] = set(change.after)
        yield from (Point("rule", address, each, "breaks") for each in change.after)
        left = [each for each in change.before if each not in change.after]
        yield from (Point("rule", address, each, "holds") for each in left if not is_empty(self.values.get(key, True)))

    def _shows(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        before, after = ({_text_of(each) for each in side} for side in (change.before, change.after))
        self.shown[change.cell] = after
        yield from self._said(change.cell, before, after)

    def _touched(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        if change.after and not isinstance(act, tree.Submit):
            yield Point("field", self._address(change.cell), "", "left")

    def _of_world(self, change: Any, act: Any, about: str | None) -> Iterator[Point]:
        key, name = change.cell, change.name
        panel = key if any(each.panel == key for each in self.form.panels) else ""
        if name == "outcome" and change.after in ("refused", "accepted", "rejected", "lost"):
            yield Point("submission", panel, "", change.after)
        elif name == "ignored press":
            yield Point("submission", panel, "", "pressed twice")
        elif name in ("answer", "stale answer", "lost answer"):
            lookup, _, kind = str(change.after).partition(": ")
            wanted = "stale" if name == "stale answer" else {"accept": "accepted", "refuse": "refused"}.get(kind, "lost")
            yield Point("lookup", self._address(key), lookup, wanted)
            field = self._field(key)
            for rule in field.rules if field is not None and wanted == "accepted" else ():
                if any(kind.name == "lookup" and kind.parameter == lookup for kind in rule.kinds):
                    yield Point("rule", self._address(key), rule.id or "lookup", "holds")
        elif name == "request":
            yield from self._replied()

    def _replied(self) -> Iterator[Point]:
        """Record the server's answers to new requests: which reply was used, which rules were broken."""
        journal = self.subject.journal()
        for exchange in journal.exchanges[self.exchanges :]:
            if self.scripted:
                continue
            said = self.stand_in.reply(
                exchange.payload, journal.start + exchange.ms, flat=not exchange.media_type.startswith("application/json")
            )
            for number, reply in enumerate(self.form.server.replies, 1):
                same = (reply.status, reply.errors, reply.to, reply.notice) == (said.status, said.errors, said.to, said.notice)
                if said.kind == "status" and same:
                    yield Point("submission", "", f"reply {number} ({reply.status})", "given")
                    break
            texts = [text for _, each in said.errors for text in each]
            for rule in self.form.server.rules:
                for kind in rule.kinds:
                    if rule.say is not None and any(_could_be(rule.say, text) for text in texts):
                        yield Point("submission", "", f"server rule {check_name(rule, kind)}", "broken")
        self.exchanges = len(journal.exchanges)

    def _entered(self, key: str, act: Any, about: str | None) -> Iterator[Point]:
        address, field, value = self._address(key), self._field(key), self.values[key]
        if self._is_changed(key, act, about):
            yield Point("field", address, "", "changed")
        if field is None:
            return
        if isinstance(act, _CHOOSING):
            for option in field.options if isinstance(field.options, tuple) else ():
                if is_chosen(option.value, value if isinstance(value, list) else [value]):
                    yield Point("choice", address, written(option.value), "picked")
        yield from self._at_bounds(field, value)

    def _at_bounds(self, field: Field, value: Any) -> Iterator[Point]:
        for bound in self.points.bounds.get(field.path, ()):
            size: Decimal | None
            if bound.of == "length":
                size = Decimal(utf16_length(value)) if isinstance(value, str) else None
            elif bound.of == "count":
                size = Decimal(len(value)) if isinstance(value, list) else None
            else:
                size = measured(field, value)
            if size == bound.size:
                yield bound.point

    def _judged(self, key: str) -> Iterator[Point]:
        """Record the rules that hold on filled values now, and those that are broken."""
        address, broken = self._address(key), self.broken.get(key, set())
        yield from (Point("rule", address, each, "breaks") for each in broken)
        field = self._field(key)
        if field is None or is_empty(self.values.get(key)):
            return
        for rule in field.rules:
            if rule.when is None and rule.at is None:
                names = (check_name(rule, kind) for kind in rule.kinds if kind.name != "lookup")
                yield from (Point("rule", address, name, "holds") for name in names if name not in broken)
        yield from (Point("rule", address, name, "holds") for name in ("typeMismatch", "badInput") if name not in broken)

    def _said(self, key: str, before: set[str], after: set[str]) -> Iterator[Point]:
        address = self._address(key)
        for point in self.points.all:
            if point.kind == "message" and point.address == address:
                text = point.name.partition(": ")[2]
                for texts, others, wanted in ((after, before, "shown"), (before, after, "cleared")):
                    if point.wanted == wanted and any(_could_be_text(text, each) for each in texts - others):
                        yield point

    def _is_changed(self, key: str, act: Any, about: str | None) -> bool:
        address = self._address(key)
        return isinstance(act, _CHANGING) and (about is None or address == about or address.startswith((f"{about}.", f"{about}[")))

    # current state
    def _conditions(self) -> Iterator[Point]:
        for condition in self.points.conditions:
            for path in instances(self.subject, condition.path):
                held = self.subject.look(Noun("address", Address(path)) if path else Noun("form"), "holds", condition.expression)
                yield Point("state", condition.address, condition.name, "true" if held is True else "false")

    def _counts(self) -> Iterator[Point]:
        for point in self.points.all:
            if point.kind == "rows" and point.wanted in ("at least", "at most") and "*" not in point.address:
                path = next(field.path for field in self.form.walk() if field.address == point.address)
                for each in instances(self.subject, path):
                    if self.subject.look(Noun("address", Address(each)), "rows") == int(point.name):
                        yield point
        for path, bounds in self.points.bounds.items():
            field = self.form.find(path)
            if field is not None and field.kind == "rows":
                for each in instances(self.subject, path):
                    count = self.subject.look(Noun("address", Address(each)), "rows")
                    yield from (bound.point for bound in bounds if isinstance(count, int) and Decimal(count) == bound.size)

    # names
    def _path(self, key: str) -> tuple[str, ...]:
        return tuple(_path_of(_ROW.sub("[*]", key)))

    def _field(self, key: str) -> Field | None:
        return self.form.find(self._path(key)) if key else None

    def _address(self, key: str) -> str:
        field = self._field(key)
        return field.address if field is not None else _ROW.sub("[*]", key)

    def _called(self, segments: tuple[Any, ...]) -> str:
        path = tuple("*" if isinstance(each, int) else str(each) for each in segments)
        field = self.form.find(path)
        return field.address if field is not None else ".".join(path)


def _path_of(address: str) -> Iterator[str]:
    from ...forms.names.addresses import parse_address

    yield from (str(each) for each in parse_address(address) or ())


def _text_of(said: Any) -> str:
    """Return the text of a message in a journal, with a placeholder for the row number."""
    text = said[1] if isinstance(said, list | tuple) and len(said) > 1 else said
    return text if isinstance(text, str) else "".join("{row}" if part is None else part for part in text)


def _could_be(message: Message, text: str) -> bool:
    return _could_be_text(message.text, text)


def _could_be_text(template: str, text: str) -> bool:
    """Return whether *text* is *template* with its placeholders filled."""
    if template == text:
        return True
    pattern = "".join(".*" if part.startswith("{") and part != "{{" else re.escape(part) for part in re.split(r"(\{[^{}]*\})", template))
    return "{" in template and re.fullmatch(pattern, text, re.DOTALL) is not None


_HEARS: dict[str, Callable[[_CoverageObserver, Any, Any, str | None], Iterator[Point]]] = {
    "row added": _CoverageObserver._rows_came, "opened": _CoverageObserver._rows_came,
    "row removed": _CoverageObserver._rows_went, "row moved": _CoverageObserver._rows_went,
    "value": _CoverageObserver._value, "reads": _CoverageObserver._reads, "breaks": _CoverageObserver._breaks,
    "shows": _CoverageObserver._shows, "touched": _CoverageObserver._touched,
}  # fmt: skip


# Effects of checks
def _shows(point: Point, check: Check, form: Form) -> bool:
    """Return whether *check*, which held, would have failed had the point's fact been otherwise."""
    test = _TESTS[point.kind]
    return test(point, check, form)


def _about(check: Check, address: str, form: Form) -> bool:
    """Return whether the check looks at *address*, or at all of the form."""
    noun = check.noun
    if noun.kind != "address" or noun.address is None:
        return False
    path = tuple("*" if isinstance(each, int) else str(each) for each in noun.address.segments)
    field = form.find(path)
    return field is not None and field.address == address


def _words(check: Check) -> set[str]:
    return {given.word.text if isinstance(given, tree.Not) else getattr(given, "text", "") for given in check.arguments}


def _tells_validity(point: Point, check: Check, form: Form) -> bool:
    of_form = check.noun.kind == "form"
    if check.noun.kind == "errors" or (of_form and point.address == "" and check.predicate.startswith(("breaks", "shows"))):
        return True
    if not _about(check, point.address, form):
        holding = point.wanted in ("holds", "just inside")
        return of_form and check.predicate == "is" and "valid" in _words(check) and holding
    if check.predicate == "is":
        return bool(_words(check) & {"valid", "invalid", "asking", "unasked", "marked"})
    return check.predicate.startswith(("breaks", "shows"))


def _tells_message(point: Point, check: Check, form: Form) -> bool:
    if check.noun.kind == "errors":
        return True
    at_form = point.address == "" and check.noun.kind == "form"
    return (at_form or _about(check, point.address, form)) and (check.predicate.startswith("shows") or "marked" in _words(check))


def _tells_value(point: Point, check: Check, form: Form) -> bool:
    if point.wanted == "left":
        if check.noun.kind in ("touched", "errors"):
            return True
        seen = check.predicate.startswith("shows") or bool(_words(check) & {"touched", "marked"})
        return seen and _about(check, point.address, form)
    if check.noun.kind in ("values", "payload", "record", "body"):
        return True
    return _about(check, point.address, form)


def _tells_state(point: Point, check: Check, form: Form) -> bool:
    word, _, rest = point.name.partition(" ")
    if word == "submit.enabled":
        return check.noun.kind == "submit"
    if word == "button":
        return check.noun.kind == "button" and check.noun.name == rest
    if word == "reveal":
        return check.noun.kind == "errors" or check.predicate.startswith("shows") or "marked" in _words(check)
    if not _about(check, point.address, form):
        return False
    if word in ("add", "remove"):
        return check.predicate == "allows" and word in check.arguments
    return bool(_words(check) & _STATES.get(word, set())) or (word == "when" and check.predicate.startswith("breaks"))


def _tells_rows(point: Point, check: Check, form: Form) -> bool:
    if check.noun.kind in ("values", "payload", "record"):
        return True
    noun = check.noun.address
    return noun is not None and str(noun.segments[0]) == re.split(r"[.\[]", point.address)[0]


def _tells_submission(point: Point, check: Check, form: Form) -> bool:
    at_field = check.noun.kind == "address" and check.predicate.startswith("shows") and point.name != ""
    return at_field or check.noun.kind in _OF_SENDING


_TESTS: dict[str, Callable[[Point, Check, Form], bool]] = {
    "rule": _tells_validity, "bound": _tells_validity, "message": _tells_message, "field": _tells_value, "state": _tells_state,
    "choice": _tells_value, "rows": _tells_rows, "lookup": _tells_validity, "submission": _tells_submission,
}  # fmt: skip


def folder_of(file: str) -> str:
    """Return the folder of a script."""
    return str(Path(file).parent)
