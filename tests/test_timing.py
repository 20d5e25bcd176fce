"""Times of reports and messages: a small, slow second implementation, independent of the engine.

It does not work incrementally: after every action it computes everything from the values of the fields.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.look import messages
from idlefox.engine.session.session import Session, SessionFactory
from idlefox.forms.sheet.read import read_sheet_text

MOMENTS = ("load", "change", "blur", "submit")
REVEALS = ("true", "touched", "dirty", "attempted", "touched and dirty", "not focused")
NAMES = ("a", "b", "c")


@dataclass
class Stated:
    """One field as the design has it: what it holds, and what it has reported."""

    first: str
    again: str
    reveal: str
    text: str = ""
    touched: bool = False
    has_reported: bool = False
    reported: list[str] = field(default_factory=list)


class Statement:
    """The whole form: *a* takes two or more characters, *b* must not be *a*, *c* is needed while *a* holds an x."""

    def __init__(self, fields: dict[str, Stated], several: bool) -> None:
        self.fields, self.several = fields, several
        self.submitted = False
        self.focus = ""
        self.at_load()

    def broken(self, name: str) -> list[str]:
        text, a = self.fields[name].text, self.fields["a"].text
        if name == "a":
            return ["a needed"] if not text else ["a short"] if len(text) < 2 else []
        if name == "b":
            return ["b needed"] if not text else ["b is a"] if text == a else []
        return ["c needed"] if not text and "x" in a else []

    def all_broken(self) -> dict[str, list[str]]:
        return {name: self.broken(name) for name in NAMES}

    def at_load(self) -> None:
        for name, each in self.fields.items():
            if each.first == "load":
                each.has_reported, each.reported = True, self.broken(name)

    def moment(self, name: str, now: str) -> None:
        """A moment at *name*: it reports if the moment counts, each including the later ones."""
        each = self.fields[name]
        if MOMENTS.index(now) >= MOMENTS.index(each.again if each.has_reported else each.first):
            each.has_reported, each.reported = True, self.broken(name)

    def change(self, name: str, text: str) -> None:
        """A change of *name*: what it alters in others is reported there, if they have reported and follow changes."""
        if text == self.fields[name].text:
            return
        before = self.all_broken()
        self.fields[name].text = text
        for other, each in self.fields.items():
            follows = each.has_reported and each.again in ("load", "change")
            if other != name and before[other] != self.broken(other) and follows:
                each.reported = self.broken(other)
        self.moment(name, "change")

    def leave(self) -> None:
        if self.focus:
            left, self.focus = self.focus, ""
            self.fields[left].touched = True
            self.moment(left, "blur")

    def go_to(self, name: str) -> None:
        if self.focus != name:
            self.leave()
            self.focus = name

    def attempt(self) -> None:
        self.leave()
        self.submitted = True
        for each in self.fields.values():
            each.touched = True
        for name in NAMES:
            self.moment(name, "submit")
        wrong = next((name for name in NAMES if self.broken(name)), "")
        if wrong:
            self.focus = wrong

    def reset(self) -> None:
        self.leave()
        self.submitted = False
        for each in self.fields.values():
            each.text, each.touched, each.has_reported, each.reported = "", False, False, []
        self.at_load()

    def shows(self, name: str) -> list[str]:
        each = self.fields[name]
        words = {"touched": each.touched, "dirty": each.text != "", "attempted": self.submitted, "focused": self.focus == name}
        if each.reveal != "true" and not eval(each.reveal, {}, words):
            return []
        return each.reported if self.several else each.reported[:1]


SHEET = """
form: f
messages: %(messages)s
fields:
  a: {%(a)s, rules: [{required: true, say: a needed}, {minlength: 2, say: a short}]}
  b: {%(b)s, rules: [{required: true, say: b needed}, {holds: 'value != a', say: b is a}]}
  c: {%(c)s, rules: [{required: true, say: c needed, when: 'contains(a, "x")'}]}
server: {fails: true}
"""
ACTS = st.tuples(st.sampled_from(["key", "key", "key", "erase", "focus", "blur", "attempt", "reset"]), st.sampled_from(NAMES), st.sampled_from("xy"))
TIMINGS = st.tuples(st.sampled_from(MOMENTS), st.sampled_from(MOMENTS), st.sampled_from(REVEALS))


@settings(max_examples=400, deadline=None, suppress_health_check=list(HealthCheck))
@given(timings=st.tuples(TIMINGS, TIMINGS, TIMINGS), several=st.booleans(), acts=st.lists(ACTS, max_size=16))
def test_messages_match_the_second_implementation(timings: Any, several: bool, acts: list[tuple[str, str, str]]) -> None:
    text = {n: f"report: {{first: {t[0]}, again: {t[1]}}}, reveal: {t[2]}" for n, t in zip(NAMES, timings, strict=True)}
    session = Session(SessionFactory(compile_form(read_sheet_text(SHEET % {**text, "messages": "all" if several else "one"}, "f"))))
    session.load(0)
    statement = Statement({n: Stated(*t) for n, t in zip(NAMES, timings, strict=True)}, several)
    for number, (act, name, key) in enumerate([("", "a", ""), *acts]):
        if act == "key":
            session.type((name,), key)
            statement.go_to(name)
            statement.change(name, statement.fields[name].text + key)
        elif act == "erase":
            session.erase((name,), 1)
            statement.go_to(name)
            statement.change(name, statement.fields[name].text[:-1])
        elif act == "focus":
            session.focus((name,))
            statement.go_to(name)
        elif act == "blur":
            session.leave_field(None)
            statement.leave()
        elif act == "attempt":
            session.submit("", "")
            statement.attempt()
            session.advance(0)
        elif act == "reset":
            session.reset()
            statement.reset()
        cells = {cell.plan.field.name: cell for cell in session.live.root.parts}
        assert {n: messages(session.live, c) for n, c in cells.items()} == {n: statement.shows(n) for n in NAMES}, acts[:number]
