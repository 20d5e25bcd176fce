"""A starter script for a form: its state at load, one scenario at the limit of every rule, a refused attempt, and a complete
submission.

Every scenario runs before it is returned, so the script passes as written. What could not be tried (a rule of an unreachable
field, a pattern without a matching text) is reported.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.html.elements import BLOCKING
from ..forms.model.form import Field, Form, written_path
from ..forms.values.values import written
from ..forms.values.whatwg import DATE_KINDS, EXACT
from ..playing.player import DEFAULT_CLOCK, play_scenario
from ..playing.simulated import SimulatedForm
from ..playing.steps import take_step
from ..records import NamedTuple
from ..script import tree
from ..script.against import check_ops
from ..script.expand import expand
from ..script.reader import read_script_text
from ..script.tree import Address, Noun
from ..script.writer import called, quoted, write_played, write_script
from .entering import step_entering
from .filling import Filling
from .samples import (
    candidates,
    matching,
    measured,
    not_matching,
    options_of,
    parameter,
    parameter_of,
    step_base,
    step_size,
    values_for,
    written_value,
)  # fmt: skip

_UNITS = {"date": 86_400_000, "month": 1, "week": 604_800_000}  # the smallest difference between two values
_LONGEST = 1000  # characters of the longest text that is written out


class StarterScript(NamedTuple):
    """The *text* of a script, its number of scenarios, and what was *left_out* and why."""

    text: str
    scenarios: int
    left_out: tuple[str, ...]


class _Scenario(NamedTuple):
    title: str
    tag: str
    lines: tuple[str, ...]


def first_script(form: Form, subject: str) -> StarterScript:
    """Return a starter script for *form*, whose header names *subject*."""
    return _ScriptBuilder(form).script(subject)


class _ScriptBuilder:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.stage = SessionFactory(compile_form(form))
        self.filling = Filling(form)
        self.left_out: list[str] = []

    def script(self, subject: str) -> StarterScript:
        kept: list[_Scenario] = []
        for each in self._scenarios():
            if self._holds(each):
                kept.append(each)
            else:
                self.left_out.append(f"{each.title}: no values found that behave like this")
        head = f"# A starter script for {self.form.label}. Change it to say what the form should do.\nsubject {written(subject)}\n"
        text = head + "".join("\n" + _written(each) for each in kept)
        text = write_script(read_script_text(text, "first.fox"))
        return StarterScript(text, len(kept), tuple(dict.fromkeys(self.left_out)))

    def _holds(self, scenario: _Scenario) -> bool:
        script = read_script_text(_written(scenario), "first.fox")
        found, problems = expand(script)
        problems += check_ops((op for s in found for op in s.ops), self.form)
        if problems:
            return False
        result = play_scenario(found[0], SimulatedForm(self.stage, "."), DEFAULT_CLOCK, "first.fox")
        return result.verdict == "pass"

    def _fresh(self) -> SimulatedForm:
        subject = SimulatedForm(self.stage, ".")
        subject.load(DEFAULT_CLOCK)
        return subject

    def _scenarios(self) -> Iterable[_Scenario]:
        yield self._at_load()
        for field, address, lead in self._fields(self.form.fields, "", ()):
            lead = self._opened(field, lead)
            for name, tag, lines in self._of_field(field, address):
                yield _Scenario(f"{_titled(address)} {name}", tag, (*lead, *lines))
        for field in self.form.walk():
            if field.kind == "rows" and "*" not in field.path:
                yield from self._of_rows(field)
        yield from self._sending()

    # fields
    def _fields(self, fields: tuple[Field, ...], prefix: str, lead: tuple[str, ...]) -> Iterable[tuple[Field, str, tuple[str, ...]]]:
        """Yield every field with its address; fields of a list in its first row, which *lead* adds if there is none at load."""
        for field in fields:
            address = field.native.address if field.native is not None else _below(prefix, field)
            if field.kind == "group":
                yield from self._fields(field.fields, address, lead)
            elif field.kind == "rows":
                there = field.start if field.start is not None else field.least
                more = () if there else (f"add {address}",)
                yield from self._fields(field.fields, f"{address}[0]", (*lead, *more))
            else:
                yield field, called(address), lead

    def _opened(self, field: Field, lead: tuple[str, ...]) -> tuple[str, ...]:
        """Return *lead* with the steps that bring *field* into reach, if it needs any and some were found."""
        at = tuple(0 if each == "*" else each for each in field.path)
        steps = self.filling.opening(self._play(lead) if lead else self._fresh(), field, at)
        return (*lead, *(line for step in steps or () for line in write_played(step).split("\n")))

    def _of_field(self, field: Field, address: str) -> Iterable[tuple[str, str, tuple[str, ...]]]:
        if field.kind == "hidden":
            return
        if field.native is not None and (field.native.disabled or field.native.hidden or field.native.fixed):
            return
        for rule in field.rules:
            for kind in rule.kinds:
                maker = _MAKERS.get(kind.name)
                if rule.at is not None or maker is None:
                    self.left_out.append(f"{address}: the rule {rule.id or kind.name} needs values that only you know")
                    continue
                found = maker(self, field, address)
                if isinstance(found, str) and not found:
                    continue  # it cannot be broken
                if isinstance(found, str):
                    self.left_out.append(f"{address}: {found}")
                else:
                    yield found

    # how a value is entered
    def enter(self, field: Field, address: str, value: Any) -> list[str]:
        """The step that enters *value*."""
        return [step_entering(field, address, value)]

    def empty(self, field: Field, address: str) -> list[str]:
        """Return the step that empties a field; none if it is empty at load or cannot be emptied."""
        if field.kind == "checkbox" and not field.many:
            return [f"turn {address} off"]
        if field.kind in ("radio", "file", "select", "checkbox"):
            if field.kind == "select" and not field.many and any(o.value == "" for o in options_of(field)):
                return [f'pick {address} ""']
            if field.many and field.initial:
                return [f"pick {address} except {', '.join(quoted(v) for v in field.initial)}"]
            return []
        if field.kind in DATE_KINDS:
            return [f'set {address} ""']
        return [f"clear {address}"]

    # rules
    def required(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        value = next(iter(candidates(field)), None)
        if value is None:
            return "no value was found for it"
        if field.kind in ("select", "radio", "checkbox") and field.initial and not self.empty(field, address):
            return "it is filled at load and cannot be emptied"
        needed = parameter_of(field, "required")
        if isinstance(needed, tuple):
            value = list(needed)
        lines = [*self.empty(field, address), f"expect {address} breaks valueMissing"]
        lines += [*self.enter(field, address, value), f"expect {address} not breaks valueMissing"]
        return "must be filled", "required", tuple(lines)

    def minlength(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        least = parameter(field, "minlength")
        if not isinstance(least, int) or least > _LONGEST:
            return "its minimum length is not a plain number, or very large"
        lines: list[str] = []
        if least > 1:
            lines += [*self.enter(field, address, "a" * (least - 1)), f"expect {address} breaks tooShort"]
        lines += [*self.enter(field, address, "a" * least), f"expect {address} not breaks tooShort"]
        return f"takes {least} or more characters", "boundary", tuple(lines)

    def maxlength(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        most = parameter(field, "maxlength")
        if not isinstance(most, int) or most > _LONGEST:
            return "its maximum length is not a plain number, or very large"
        at = "a" * most
        lines = self.enter(field, address, at + "a")
        if field.limit is not None and field.limit <= most:
            lines.append(f"expect {address} reads {quoted(at[: field.limit])}")
        else:
            lines.append(f"expect {address} breaks tooLong")
        lines += [*self.enter(field, address, at), f"expect {address} not breaks tooLong"]
        return f"takes at most {most} characters", "boundary", tuple(lines)

    def pattern(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        pattern = str(parameter(field, "pattern"))
        wrong = not_matching(pattern)
        right = next(iter(matching(pattern)), None)
        if wrong is None:
            return f"no text was found that {pattern} does not match"
        lines = [*self.enter(field, address, wrong), f"expect {address} breaks patternMismatch"]
        if right is None:
            self.left_out.append(f"{address}: no text was found that {pattern} matches")
        elif right:
            lines += [*self.enter(field, address, right), f"expect {address} not breaks patternMismatch"]
        return f"matches {pattern}", "pattern", tuple(lines)

    def typed(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        right = "mara@fjordmail.example" if field.kind == "email" else "https://skerry.example/"
        what = "an e-mail address" if field.kind == "email" else "a web address"
        lines = [*self.enter(field, address, "not one"), f"expect {address} breaks typeMismatch"]
        lines += [*self.enter(field, address, right), f"expect {address} not breaks typeMismatch"]
        return f"takes {what}", "type", tuple(lines)

    def bad_input(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        if field.kind != "number":
            return ""  # a person cannot type invalid text into a date control
        lines = (f'retype {address} "1e"', f"expect {address} breaks badInput", f"expect {address} = null")
        return "takes numbers", "type", (*lines, f'retype {address} "1"', f"expect {address} not breaks badInput")

    def least(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        return self._bound(field, address, "min", -1, "rangeUnderflow", "or more" if field.kind not in DATE_KINDS else "or later")

    def most(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        return self._bound(field, address, "max", 1, "rangeOverflow", "or less" if field.kind not in DATE_KINDS else "or earlier")

    def _bound(self, field: Field, address: str, name: str, away: int, flag: str, words: str) -> tuple[str, str, tuple[str, ...]] | str:
        given = parameter(field, name)
        if field.many:
            return self._count(field, address, name, given, away, flag)
        limit = measured(field, given) if field.kind == "number" or field.kind in DATE_KINDS else None
        if field.kind == "range":
            return ""  # a slider enforces its bounds
        if limit is None:
            return f"its {name} is not a plain number or date"
        beyond = written_value(field, limit + away * step_size(field))
        at = written_value(field, limit)
        if beyond is None or at is None:
            return f"no value exists beyond its {name}"
        lines = [*self.enter(field, address, beyond), f"expect {address} breaks {flag}"]
        lines += [*self.enter(field, address, at), f"expect {address} not breaks {flag}"]
        return f"takes {at} {words}", "boundary", tuple(lines)

    def _count(self, field: Field, address: str, name: str, count: Any, away: int, flag: str) -> tuple[str, str, tuple[str, ...]] | str:
        """Scenarios for the number of options that may be chosen."""
        options = [o.value for o in options_of(field) if o.enabled is None]
        if not isinstance(count, int) or len(options) < max(count, count + away):
            return f"it has too few options to go beyond its {name}"
        if count + away < 1:
            return ""  # nothing chosen breaks `required` alone
        lines = [*self.enter(field, address, options[: count + away]), f"expect {address} breaks {flag}"]
        lines += [*self.enter(field, address, options[:count]), f"expect {address} not breaks {flag}"]
        return f"takes {count} choices, not {'fewer' if away < 0 else 'more'}", "boundary", tuple(lines)

    def step(self, field: Field, address: str) -> tuple[str, str, tuple[str, ...]] | str:
        base, size = step_base(field), step_size(field)
        if field.kind == "range" or size == _UNITS.get(field.kind):
            return ""  # a slider enforces its steps, and the step of a date is a day
        low, high = measured(field, parameter(field, "min")), measured(field, parameter(field, "max"))
        start = low if low is not None else Decimal(0) if field.kind == "number" else measured(field, next(iter(values_for(field)), ""))
        if start is None:
            start = base
        away = EXACT.remainder(EXACT.subtract(start, base), size)
        on = EXACT.subtract(start, away) + (size if low is not None and away else 0)
        if high is not None and on + size > high >= on - size:
            on -= size
        between = next((n for n in _between(field, on, size) if written_value(field, n) is not None), None)
        texts = written_value(field, on), written_value(field, between) if between is not None else None
        if texts[0] is None or texts[1] is None:
            return "no value exists between its steps"
        lines = [*self.enter(field, address, texts[1]), f"expect {address} breaks stepMismatch"]
        lines += [*self.enter(field, address, texts[0]), f"expect {address} not breaks stepMismatch"]
        return f"goes in steps of {written(parameter(field, 'step'))}", "boundary", tuple(lines)

    # lists of rows
    def _of_rows(self, field: Field) -> Iterable[_Scenario]:
        address = written_path(field.path)
        there = field.start if field.start is not None else field.least
        if field.most is not None and field.most - there <= 20:
            lines = [f"expect {address} allows add"] + [f"add {address}"] * (field.most - there) if field.most > there else []
            yield _Scenario(
                f"{_titled(address)} takes at most {field.most} rows", "rows",
                (*lines, f"expect {address} has {field.most} rows", f"expect {address} not allows add"),
            )  # fmt: skip
        if field.least and there - field.least <= 20:
            lines = [f"remove {address}[-1]"] * (there - field.least)
            yield _Scenario(
                f"{_titled(address)} keeps {field.least} row{'s' if field.least != 1 else ''}", "rows",
                (*lines, f"expect {address} has {field.least} rows", f"expect {address} not allows remove"),
            )  # fmt: skip

    # the whole form
    def _at_load(self) -> _Scenario:
        lines = ["expect form is clean, not touched", "expect errors nothing"]
        subject = self._fresh()
        for field in self.form.fields:
            if field.kind in ("group", "rows"):
                continue
            address = called(field.address)
            value = subject.look(Noun("address", Address(field.path)), "value")
            if not isinstance(value, str) or len(value) <= _LONGEST:
                lines.append(f"expect {address} = {written(value)}")
            states = [w for w, on in (("hidden", field.kind == "hidden" or _said(field, "hidden")),
                                      ("disabled", _said(field, "disabled")), ("readonly", _said(field, "fixed"))) if on]  # fmt: skip
            if states:
                lines.append(f"expect {address} is {', '.join(states)}")
        return _Scenario("the form at load", "load", tuple(lines))

    def _sending(self) -> Iterable[_Scenario]:
        send = self._send()
        if not send:
            self.left_out.append("submission: the form has no submit button, and Enter does not submit it")
            return
        refused = _Scenario(
            "the form at load is refused", "submit", (send, "expect outcome is refused", "expect requests = 0")
        )
        if self._holds(refused):
            first = self._focus_after(send)
            more = (f"expect focus = {first}",) if first else ()
            yield refused._replace(lines=(*refused.lines, *more))
        for filled in self._filled():
            sent = (*filled, send, "settle", "expect outcome is accepted")
            if self._holds(_Scenario("t", "t", sent)):
                yield _Scenario("the filled form is accepted", "submit", (*sent, *self._what_was_sent(sent)))
                return
        proof = self.filling.proof(self._fresh())
        why = f"nothing is accepted: {proof}" if proof else "no values were found that it accepts"
        self.left_out.append(f"submission of the whole form: {why}")

    def _filled(self) -> Iterable[tuple[str, ...]]:
        """Yield the steps that fill in the form, in the order of its fields and as they were found."""
        steps = self.filling.filled_in(self._fresh()) or ()
        found = {each.address.segments: each.value for each in steps if isinstance(each, tree.FillLine)}
        found |= {each.address.segments: each.on for each in steps if isinstance(each, tree.Turn)}
        lines: list[str] = []
        for field, address, _ in self._fields(self.form.fields, "", ()):
            at = tuple(0 if each == "*" else each for each in field.path)
            lines += self.enter(field, address, found[at]) if at in found else []
        yield tuple(lines)
        yield tuple(line for step in steps for line in write_played(step).split("\n"))

    def _play(self, lines: tuple[str, ...]) -> SimulatedForm:
        """The form after *lines*, checks left out."""
        steps = tuple(line for line in lines if not line.startswith("expect"))
        script = read_script_text(_written(_Scenario("t", "t", steps)), "first.fox")
        found, _ = expand(script)
        subject = self._fresh()
        for number, op in enumerate(found[0].ops, 1):
            take_step(subject, op.act, number)
        return subject

    def _focus_after(self, send: str) -> str:
        focus = self._play((send,)).look(Noun("focus"), "value")
        return called(focus[0]) if focus else ""

    def _send(self) -> str:
        """Return the step that sends the form: its button, or Enter if it has none."""
        page = self.form.page
        if page is None or page.default_button is not None:
            return "submit"
        first = next((f for f in self.form.fields if f.kind in BLOCKING and not _said(f, "hidden") and not _said(f, "disabled")), None)
        return f"press Enter in {called(first.address)}" if page.blocking == 1 and first is not None else ""

    def _what_was_sent(self, lines: tuple[str, ...]) -> list[str]:
        exchanges = self._play(lines).journal().exchanges
        if not exchanges:
            return ["expect requests = 0"]
        sent = exchanges[-1]
        target = sent.target.partition("?")[0] if sent.method == "GET" else sent.target
        request = f"expect request = {written(f'{sent.method} {target}')}"
        if sent.method == "GET":
            request = f"expect request like /^GET {_for_pattern(target)}\\?/"
        value = json.dumps(sent.payload, ensure_ascii=False, indent=4).split("\n")
        return [request, f"expect payload = {value[0]}", *value[1:]] if len(value) > 1 else [request, f"expect payload = {value[0]}"]


_MAKERS: dict[str, Any] = {
    "required": _ScriptBuilder.required, "minlength": _ScriptBuilder.minlength, "maxlength": _ScriptBuilder.maxlength,
    "pattern": _ScriptBuilder.pattern,
    "email": _ScriptBuilder.typed, "url": _ScriptBuilder.typed, "badInput": _ScriptBuilder.bad_input, "min": _ScriptBuilder.least,
    "max": _ScriptBuilder.most,
    "step": _ScriptBuilder.step,
}  # fmt: skip


def _said(field: Field, name: str) -> bool:
    return field.native is not None and bool(getattr(field.native, name))


def _between(field: Field, on: Decimal, size: Decimal) -> list[Decimal]:
    if field.kind in DATE_KINDS:
        unit = _UNITS.get(field.kind, 60_000)
        return [on + unit, on + 1000, on + size // 2] if size > unit else [on + size // 2]
    return [on + size / 2]


def _below(prefix: str, field: Field) -> str:
    from ..forms.names.shapes import segment_text

    return prefix + segment_text(field.name, first=not prefix)


def _titled(address: str) -> str:
    return address.replace("$", "$$")


def _for_pattern(text: str) -> str:
    return "".join("\\" + c if c in r"\^$.*+?()[]{}|/" else c for c in text)


def _written(scenario: _Scenario) -> str:
    title = json.dumps(scenario.title, ensure_ascii=False)
    body = "".join(f"    {line}\n" for line in scenario.lines)
    return f"scenario {title} [{scenario.tag}]\n{body}"


