"""Runs scenarios and records which points they reach, and which of those a check covers."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

from ...engine.session.stub_server import StubServer
from ...forms.expressions.tree import Expression
from ...forms.model.conditions import expressions_of
from ...forms.model.form import Field, Form, Message, walk
from ...forms.names.addresses import parse_address
from ...forms.values.values import is_chosen, is_empty, written
from ...forms.values.whatwg import utf16_length
from ...playing.player import evaluate_check, execute_step
from ...playing.simulated import SimulatedForm
from ...playing.subjects import Loaded
from ...records import NamedTuple
from ...refusals import Refusal
from ...script import tree
from ...script.ops import ExpandedScenario, Op
from ...script.tree import Address, Cannot, Check, Noun
from ..filling import instances
from ..samples import measured
from .checking import CHANGING, is_about_messages, members, tells
from .points import Point, Points, check_name

_ROW = re.compile(r"#\d+")
_CHOOSING = (tree.Pick, tree.FillLine, tree.Press, tree.Toggle, tree.Turn, tree.Set)


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


def _read_by(rule: Any) -> Iterator[tuple[str, ...]]:
    """Yield the paths that *rule* reads."""
    for each in (rule.when, *(kind.parameter for kind in rule.kinds)):
        yield from (read.target for read in each.reads if read.target is not None) if isinstance(each, Expression) else ()


def _related(form: Form) -> Iterator[tuple[Field | None, Any]]:
    """Yield the rules that do not always apply to the value of their own field, each with that field (None: the form)."""
    for one in (form, *form.panels):
        yield from ((None, rule) for rule in one.rules if not one.panel)
        yield from ((f, rule) for f in walk(one.fields) for rule in f.rules if rule.when is not None or rule.at is not None)


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
        self.addresses: dict[str, str] = {}  # by cell, as they are asked for
        self.texts: dict[tuple[str, str], list[str]] = {}  # the messages of rules
        for each in points.all:
            if each.kind == "message" and each.wanted == "shown":
                name, _, text = each.name.partition(": ")
                self.texts.setdefault((each.address, name), []).append(text)
        self.found: dict[Point, bool] = {}
        read = [(owner, each) for owner, expression in expressions_of(self.form) for each in expression.reads]
        pairs = [(owner, each.target) for owner, each in read if each.target is not None and each.member != "attempted"]
        pairs += [(rule.at, each) for rule in self.form.rules if rule.at for each in _read_by(rule)]
        self.reads = [(self._at(owner), self._at(target)) for owner, target in pairs]
        self.related = tuple(_related(self.form))
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
        self._meet([*self._of_load(), *self._now()], self._checks_from(0))
        noted = len(subject.journal().changes)
        for number, op in enumerate(scenario.ops, 1):
            self.part = number
            if isinstance(op.act, Check | Cannot):
                self._check(op.act)
                if evaluate_check(subject, op, scenario.ops):
                    break
                fresh = subject.journal().changes[noted:]  # time may have passed
            else:
                if execute_step(subject, op, scenario.ops, number) is not None:
                    break
                fresh = subject.journal().changes[noted:]
            noted += len(fresh)
            if fresh:
                self._meet([*self._of_changes(fresh, op), *self._now()], self._checks_from(number))
        yield from (ReachedPoint(point, checked, self.first[point]) for point, checked in self.found.items())

    def _meet(self, met: Iterable[Point], checks: list[tuple[Check | Cannot, frozenset[str]]]) -> None:
        keys: dict[str, list[str]] = {}
        for key in self.broken:
            keys.setdefault(self._address(key), []).append(key)
        for point in met:
            if point not in self.all:
                continue
            there = keys.get(point.address, ())
            stands = self._stands(point, there)
            if not stands and (point.kind, point.wanted) == ("rule", "holds"):
                continue  # it held only while the value was being typed
            self.first.setdefault(point, self.part)
            said = self._is_said(point, there)
            notices = stands and any(
                point.address not in since and (said or not is_about_messages(check)) and tells(point, check, self.form)
                for check, since in checks
            )
            self.found[point] = self.found.get(point, False) or notices

    def _is_said(self, point: Point, keys: Sequence[str]) -> bool:
        """Return whether a message of the broken rule of *point* shows: a check of messages looks at no other rule."""
        if point.wanted != "breaks" or point.kind != "rule":
            return True
        texts = self.texts.get((point.address, point.name), ())
        return any(_could_be_text(text, shown) for text in texts for key in keys for shown in self.shown.get(key, ()))

    def _stands(self, point: Point, keys: Sequence[str]) -> bool:
        """Return whether the fact of *point* is true at the end of the step, and not only while a value is typed."""
        test = _STANDING.get(point.kind)
        return test is None or not keys or any(test(self, point, key) for key in keys)

    def _rule_stands(self, point: Point, key: str) -> bool:
        if point.wanted == "breaks":
            return point.name in self.broken[key]
        return point.name not in self.broken[key] and not is_empty(self.values.get(key, True))

    def _bound_stands(self, point: Point, key: str) -> bool:
        field = self._field(key)
        return field is None or key not in self.values or point in self._at_bounds(field, self.values[key])

    def _message_stands(self, point: Point, key: str) -> bool:
        text = point.name.partition(": ")[2]
        return any(_could_be_text(text, each) for each in self.shown.get(key, ())) is (point.wanted == "shown")

    def _choice_stands(self, point: Point, key: str) -> bool:
        value = self.values.get(key)
        return any(written(each) == point.name for each in (value if isinstance(value, list) else [value]))

    def _checks_from(self, number: int) -> list[tuple[Check | Cannot, frozenset[str]]]:
        """Return the checks after the *number*-th part of the scenario, each with the fields about which something has changed since.

        They end at the first step that may change anything ("" is the form, about which any step changes something).
        """
        found: list[tuple[Check | Cannot, frozenset[str]]] = []
        since: frozenset[str] = frozenset()
        for op in self.scenario.ops[number:]:
            act = op.act
            if isinstance(act, Check | Cannot):
                found.append((act, since))
            elif isinstance(act, tree.Blur | tree.Focus):
                since |= {""}
            elif isinstance(act, _OF_ONE_FIELD):
                since |= {"", *self._changing_with(self._called(act.address.segments))}
            elif not isinstance(act, tree.Note | tree.Wait | tree.Settle):
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

    def _check(self, act: Check | Cannot) -> None:
        looked_at: Iterable[str] = ()
        if isinstance(act, Cannot):
            at = getattr(act.step, "address", None)
            looked_at = [self._called(at.segments)] if isinstance(at, Address) else []
        elif act.noun.kind == "address" and act.noun.address is not None:
            looked_at = [self._called(act.noun.address.segments)]
        elif act.noun.kind in ("values", "payload", "record"):
            looked_at = members(act.arguments[0], self.form) if act.arguments else ()
        self._meet([Point("field", each, "", "checked") for each in looked_at], [(act, frozenset())])

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
        for change in _seen_by_a_person(changes):
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
        if change.name == "row removed":
            gone = (f"{change.cell}#{change.after}", f"{change.cell}#{change.after}.")
            for key in [key for key in self.broken if key == gone[0] or key.startswith(gone[1])]:
                del self.broken[key]
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

    def _holding(self) -> Iterator[Point]:
        """Record the rules with a condition or at another address, and those of the form, that hold on filled values now."""
        for owner, rule in self.related:
            path = owner.path if owner is not None else ()
            for at in instances(self.subject, path):
                where = Noun("address", Address(at)) if at else Noun("form")
                if rule.when is not None and self.subject.look(where, "holds", rule.when) is not True:
                    continue
                rows = iter(each for each in at if isinstance(each, int))
                carrier = tuple(next(rows, "*") if each == "*" else each for each in (rule.at if rule.at is not None else path))
                cell = self.subject.session.find(carrier)
                needed = [carrier] if carrier else _read_by(rule)
                if cell is not None and not isinstance(cell, Refusal) and all(self._is_filled(each) for each in needed):
                    broken, address = self.broken.get(cell.key, set()), self._address(cell.key)
                    names = (check_name(rule, kind) for kind in rule.kinds if kind.name != "lookup")
                    yield from (Point("rule", address, name, "holds") for name in names if name not in broken)

    def _is_filled(self, at: Any) -> bool:
        """Return whether the field at *at* is filled. Groups, lists and fields of unknown rows count as filled."""
        field = self.form.find(tuple("*" if isinstance(each, int) else each for each in at))
        if field is None or field.fields or "*" in at:
            return True
        return not is_empty(self.subject.look(Noun("address", Address(tuple(at))), "value"))

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
        return isinstance(act, CHANGING) and (about is None or address == about or address.startswith((f"{about}.", f"{about}[")))

    # current state
    def _now(self) -> Iterator[Point]:
        yield from self._holding()
        yield from self._conditions()
        yield from self._counts()

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
        if key not in self.addresses:
            field = self._field(key)
            self.addresses[key] = field.address if field is not None else _ROW.sub("[*]", key)
        return self.addresses[key]

    def _called(self, segments: tuple[Any, ...]) -> str:
        path = tuple("*" if isinstance(each, int) else str(each) for each in segments)
        field = self.form.find(path)
        return field.address if field is not None else ".".join(path)


def _path_of(address: str) -> Iterator[str]:
    yield from (str(each) for each in parse_address(address) or ())


def _text_of(said: Any) -> str:
    """Return the text of a message in a journal, with a placeholder for the row number."""
    text = said[1] if isinstance(said, list | tuple) and len(said) > 1 else said
    return text if isinstance(text, str) else "".join("{row}" if part is None else part for part in text)


def _could_be(message: Message, text: str) -> bool:
    return _could_be_text(message.text, text)


def _seen_by_a_person(changes: Iterable[Any]) -> list[Any]:
    """Return *changes* without messages that come and go in the same moment."""
    found: list[Any] = []
    places: dict[tuple[str, int], int] = {}
    for change in changes:
        key = (change.cell, change.ms)
        if change.name == "shows" and key in places:
            found[places[key]] = found[places[key]]._replace(after=change.after)
        else:
            if change.name == "shows":
                places[key] = len(found)
            found.append(change)
    return [each for each in found if each.name != "shows" or each.before != each.after]


def _could_be_text(template: str, text: str) -> bool:
    """Return whether *text* is *template* with its placeholders filled."""
    if template == text:
        return True
    pattern = "".join(".*" if part.startswith("{") and part != "{{" else re.escape(part) for part in re.split(r"(\{[^{}]*\})", template))
    return "{" in template and re.fullmatch(pattern, text, re.DOTALL) is not None


_STANDING: dict[str, Callable[[_CoverageObserver, Point, str], bool]] = {
    "rule": _CoverageObserver._rule_stands, "bound": _CoverageObserver._bound_stands,
    "message": _CoverageObserver._message_stands, "choice": _CoverageObserver._choice_stands,
}  # fmt: skip
_HEARS: dict[str, Callable[[_CoverageObserver, Any, Any, str | None], Iterator[Point]]] = {
    "row added": _CoverageObserver._rows_came, "opened": _CoverageObserver._rows_came,
    "row removed": _CoverageObserver._rows_went, "row moved": _CoverageObserver._rows_went,
    "value": _CoverageObserver._value, "reads": _CoverageObserver._reads, "breaks": _CoverageObserver._breaks,
    "shows": _CoverageObserver._shows, "touched": _CoverageObserver._touched,
}  # fmt: skip


def folder_of(file: str) -> str:
    """Return the folder of a script."""
    return str(Path(file).parent)
