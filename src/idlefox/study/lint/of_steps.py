"""Lint of steps and checks against their form: no effect, never true, or waiting longer than necessary."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.model.form import CHOICE_KINDS, Field, Form
from ...forms.names.shapes import write_address
from ...forms.values.values import equal
from ...playing.checks import judge_check
from ...playing.player import DEFAULT_CLOCK, play_scenario
from ...playing.steps import take_step
from ...playing.subject import UNDER_WAY, Subject
from ...playing.subjects import Loaded
from ...problems import Place
from ...records import NamedTuple
from ...script import tree
from ...script.against import check_ops
from ...script.ops import ExpandedScenario, Op, lines_of
from ...script.tree import Cannot, Check, Note, Noun, Script, Wait
from .findings import Finding

_TEXTS = frozenset({"request", "location", "notice"})
_NUMBERS = frozenset({"requests", "status"})
_WORDS = {str: "a string", bool: "true or false", int: "a number", float: "a number", list: "a list", dict: "an object", type(None): "null"}


class _Odd(NamedTuple):
    code: str
    message: str
    help: str


def step_findings(script: Script, scenarios: list[ExpandedScenario], loaded: Loaded) -> Iterator[Finding]:
    """Yield findings about the steps and checks of *scenarios*. A place shared by several scenarios is reported only if it applies
    to all of them.
    """
    ops = [op for scenario in scenarios for op in scenario.ops]
    if check_ops(ops, loaded.form):
        return  # a run reports this
    steps = _Steps(script, loaded)
    met: dict[int, int] = {}
    odd: dict[tuple[int, _Odd], int] = {}
    where: dict[int, Op] = {}
    for scenario in scenarios:
        for op in scenario.ops:
            if op.source is script:
                met[op.offset] = met.get(op.offset, 0) + 1
                where[op.offset] = op
        for op, found in steps.of(scenario):
            if op.source is script:
                odd[op.offset, found] = odd.get((op.offset, found), 0) + 1
    for (offset, found), count in odd.items():
        if count == met[offset]:
            op = where[offset]
            lines = lines_of(script)
            place = lines.place(script.file, op.offset, op.length)
            source = lines.line(place.line)
            yield Finding(
                found.code, Place(place.file, place.line, place.column, min(op.length, len(source))), found.message, found.help, source
            )


class _Steps:
    def __init__(self, script: Script, loaded: Loaded) -> None:
        self.script, self.form, self.loaded = script, loaded.form, loaded
        self.clock = next((h.ms for h in script.headers if h.kind == "clock"), DEFAULT_CLOCK)
        self.at_load: dict[int, Subject] = {}

    def of(self, scenario: ExpandedScenario) -> Iterator[tuple[Op, _Odd]]:
        ops = tuple(op for op in scenario.ops if not isinstance(op.act, Note))
        if scenario.fate == "aside":
            return
        yield from self._first_step(scenario, ops)
        yield from self._again(ops)
        for op in ops:
            if isinstance(op.act, Check):
                yield from ((op, odd) for odd in self._never_true(op.act))
        for number, op in enumerate(ops):
            if isinstance(op.act, Wait):
                yield from ((op, odd) for odd in self._fixed_wait(scenario, ops, number))

    # steps without effect
    def _first_step(self, scenario: ExpandedScenario, ops: tuple[Op, ...]) -> Iterator[tuple[Op, _Odd]]:
        op = next((op for op in ops if not isinstance(op.act, Check | Cannot)), None)
        if op is None or not isinstance(op.act, tree.Turn | tree.Pick):
            return
        there = self._load(scenario).look(Noun("address", op.act.address), "value")
        name = write_address(op.act.address.segments)
        if isinstance(op.act, tree.Turn) and op.act.on is there:
            yield op, _Odd("no-effect", f"{name} is {'on' if there else 'off'} at load; this has no effect", "check it instead: expect …")
        elif isinstance(op.act, tree.Pick) and not op.act.mode:
            values = list(op.act.values)
            if equal(there, values) or (len(values) == 1 and not isinstance(there, list) and equal(there, values[0])):
                yield op, _Odd("no-effect", f"{name} has this value at load, so this changes nothing", "check it instead: expect …")

    def _load(self, scenario: ExpandedScenario) -> Subject:
        clock = self.clock if scenario.clock is None else scenario.clock
        if clock not in self.at_load:
            subject = self.at_load[clock] = self.loaded.begin(".")
            subject.load(clock)
        return self.at_load[clock]

    def _again(self, ops: tuple[Op, ...]) -> Iterator[tuple[Op, _Odd]]:
        """A check twice with no step between, and the same text typed over itself."""
        seen: list[Any] = []
        typed: Any = None
        for op in ops:
            act = op.act
            if isinstance(act, Check | Cannot):
                waits = isinstance(act, Check) and (act.within is not None or act.lasting is not None)
                if any(tree.same(act, each) for each in seen):
                    yield op, _Odd("no-effect", "this repeats an earlier check, with no step in between", "remove one of them")
                seen = [] if waits else [*seen, act]
                typed = None if waits else typed
                continue
            seen = []
            if isinstance(act, tree.Retype) and typed is not None and tree.same(act, typed):
                name = write_address(act.address.segments)
                yield op, _Odd("no-effect", f"{name} has just been retyped to the same text", "remove one of them")
            typed = act if isinstance(act, tree.Retype) else None

    # never true
    def _never_true(self, check: Check) -> Iterator[_Odd]:
        if check.predicate not in ("=", "!=") or check.noun.kind in ("dirty", "touched", "focus"):
            return
        value, noun = check.arguments[0], check.noun
        if noun.kind in _TEXTS | _NUMBERS:
            wrong = _other(noun.kind, value, {str} if noun.kind in _TEXTS else {int}, nothing=noun.kind != "requests")
        elif noun.kind == "values":
            wrong = _of_parts("values", value, self.form.fields)
        elif noun.kind == "address" and noun.address is not None:
            segments = noun.address.segments
            field = self.form.find(tuple("*" if isinstance(each, int) else str(each) for each in segments))
            name = write_address(segments)
            in_row = isinstance(segments[-1], int)
            wrong = "" if field is None else _of_parts(name, value, field.fields) if in_row else _of_field(name, value, field)
        else:
            wrong = ""
        if wrong:
            always = (check.predicate == "!=") is not check.negated
            told = "this is always true" if always else "this can never be true"
            yield _Odd("never-true", f"{told}: {wrong}", "write a value of the field's type")

    # waiting
    def _fixed_wait(self, scenario: ExpandedScenario, ops: tuple[Op, ...], number: int) -> Iterator[_Odd]:
        """A wait that can be replaced by `within` or `settle` with the same result; two consecutive waits measure time."""
        before = next((op.act for op in reversed(ops[:number]) if not isinstance(op.act, Check | Cannot)), None)
        after = next((op.act for op in ops[number + 1 :] if not isinstance(op.act, Check | Cannot)), None)
        if (
            isinstance(before, Wait)
            or isinstance(after, Wait)
            or scenario.fate
            or number + 1 == len(ops)
            or self.loaded.make_ready is not None
        ):
            return
        op, following = ops[number], ops[number + 1]
        subject = self._after(scenario, ops[:number])
        if subject is None:
            return
        waits = following.act.within is not None or following.act.lasting is not None if isinstance(following.act, Check) else True
        if not waits:
            if judge_check(subject.trial(), following.act).holds:
                return
            patient = following._replace(act=following.act._replace(within=op.act.duration))
            if self._holds(scenario, (*ops[:number], patient, *ops[number + 2 :])):
                yield _Odd(
                    "fixed-wait", "the next check can wait for this itself", f"expect … within {_text(op)}"
                )
        elif subject.look(UNDER_WAY, "is") is True and take_step(subject, op.act, 0) is None and not subject.look(UNDER_WAY, "is"):
            settled = op._replace(act=tree.Settle())
            fits = self._holds(scenario, (*ops[:number], settled, *ops[number + 1 :]))
            yield from [_Odd("fixed-wait", "`settle` waits for it, however long it takes", "settle")] if fits else ()

    def _after(self, scenario: ExpandedScenario, ops: tuple[Op, ...]) -> Subject | None:
        subject = self.loaded.begin(".")
        subject.load(self.clock if scenario.clock is None else scenario.clock)
        for number, op in enumerate(ops, 1):
            if isinstance(op.act, Check):
                judge_check(subject, op.act)
            elif not isinstance(op.act, Cannot) and take_step(subject, op.act, number) is not None:
                return None
        return subject

    def _holds(self, scenario: ExpandedScenario, ops: tuple[Op, ...]) -> bool:
        played = [
            play_scenario(scenario._replace(ops=each), self.loaded.begin("."), self.clock, self.script.file) for each in (scenario.ops, ops)
        ]
        return all(result.verdict == "pass" for result in played)


def _text(op: Op) -> str:
    return op.source.text[op.offset : op.offset + op.length].partition("wait")[2].strip()


def _other(name: str, value: Any, types: set[type], *, nothing: bool = False) -> str:
    """Return how the type of *value* differs from that of *name*; "" if it does not."""
    if isinstance(value, tree.Like | tree.Anything) or (value is None and nothing):
        return ""
    kind = int if isinstance(value, float) else type(value)
    if kind in types:
        return ""
    wanted = " or ".join(dict.fromkeys(_WORDS[each] for each in sorted(types, key=str)))
    return f"{name} is {wanted}, never {_WORDS.get(kind, 'that')}"


def _of_field(name: str, value: Any, field: Field) -> str:
    if field.native is not None or isinstance(value, tree.Like | tree.Anything):
        return ""
    if field.kind == "group":
        return _of_parts(name, value, field.fields)
    if field.kind == "rows" or field.kind == "file" or field.many:
        wrong = _other(name, value, {list})
        rows = value if field.kind == "rows" and isinstance(value, list) else ()
        return wrong or next((each for i, row in enumerate(rows) if (each := _of_parts(f"{name}[{i}]", row, field.fields))), "")
    if field.kind == "checkbox":
        return _other(name, value, {bool})
    if field.kind in ("number", "range"):
        return _other(name, value, {int}, nothing=field.kind == "number")
    if field.kind in CHOICE_KINDS:
        return _other(name, value, _of_options(field), nothing=True) if isinstance(field.options, tuple) and field.options else ""
    return "" if field.kind == "hidden" else _other(name, value, {str})


def _of_options(field: Field) -> set[type]:
    values = [option.value for option in field.options] if isinstance(field.options, tuple) else []
    return {int if isinstance(value, float) else type(value) for value in [*values, *([field.initial] if field.has_initial else [])]}


def _of_parts(name: str, value: Any, fields: tuple[Field, ...]) -> str:
    if not isinstance(value, dict):
        return _other(name, value, {dict})
    parts = {field.name: field for field in fields}
    whole = "" if name == "values" else f"{name}."
    found = (_of_field(f"{whole}{key}", each, parts[key]) for key, each in value.items() if key in parts)
    return next((wrong for wrong in found if wrong), "")


def opened_panels(scenarios: list[ExpandedScenario], form: Form) -> set[str]:
    """The panels of *form* that scenarios open, close or send."""
    words = (getattr(op.act, "panel", None) for scenario in scenarios for op in scenario.ops)
    return {word.text for word in words if word is not None} & {panel.panel for panel in form.panels}
