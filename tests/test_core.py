"""Tables for the core: values as HTML defines them, the expression language, and errors in sheets."""

from __future__ import annotations

import itertools
import re
import textwrap
import typing
from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from idlefox import records
from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.engine.state.long_texts import EditLog, EditReplay
from idlefox.forms.expressions import UNKNOWN, ExpressionError, Scope, bind, compile_expression
from idlefox.forms.expressions.closures import add
from idlefox.forms.expressions.parse import parse
from idlefox.forms.model.form import Kind, Rule
from idlefox.forms.model.live import LookupResponse
from idlefox.forms.sheet.live import told
from idlefox.forms.sheet.over_page import laid_over
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.forms.values import limits, whatwg
from idlefox.forms.values.durations import parse_instant
from idlefox.forms.values.patterns import PatternError, PatternTooSlow, finds, whole_match
from idlefox.forms.values.values import in_order
from idlefox.playing.capabilities import unable
from idlefox.playing.simulated import SimulatedForm
from idlefox.problems import Unreadable
from idlefox.script.expand import expand
from idlefox.script.reader import read_script_text


@pytest.mark.parametrize(("text", "value"), [
    ("0", 0), ("-0", 0), ("1e1", 10), (".5", 0.5), ("1.50", 1.5), ("9" * 400, None), ("1e400", None), ("1e", None),
    ("+1", None), ("1.", None), (" 1", None), ("--3", None), ("0x1", None), ("", None), ("Infinity", None), ("٣", None),
])  # fmt: skip
def test_a_number_is_a_valid_floating_point_number(text: str, value: Any) -> None:
    assert whatwg.parse_number(text) == value


@pytest.mark.parametrize(("text", "fine"), [
    ("a@b", True), ("a.b+c@x-y.example", True), ("a@b.", False), ("a@-b", False), ("a b@c", False), ("a@b@c", False),
    ("@b", False), ("a@" + "x" * 63, True), ("a@" + "x" * 64, False), ("ä@b", False), (".a.@b", True),
])  # fmt: skip
def test_an_email_address_is_the_standards(text: str, fine: bool) -> None:
    assert whatwg.is_email(text) is fine


@pytest.mark.parametrize(("text", "fine"), [
    ("https://skerry.example", True), ("mailto:x", True), ("//x", False), ("x", False), ("http://", False), ("http://a b", False),
])  # fmt: skip
def test_a_url_is_absolute(text: str, fine: bool) -> None:
    assert not whatwg.is_url("http://a.example/\ud800"), "half of an emoji is no character"
    assert whatwg.is_url(text) is fine


@pytest.mark.parametrize(("kind", "text", "number"), [
    ("date", "1970-01-02", 86_400_000), ("date", "2031-02-29", None), ("date", "2032-02-29", 1_961_625_600_000),
    ("date", "31-1-1", None), ("month", "1970-03", 2), ("month", "1970-13", None), ("week", "1970-W01", -259_200_000),
    ("week", "2020-W53", 1_609_113_600_000), ("week", "2021-W53", None), ("time", "00:01", 60_000),
    ("time", "23:59:59.5", 86_399_500), ("time", "24:00", None), ("datetime-local", "1970-01-01T00:01", 60_000),
    ("datetime-local", "1970-01-01 00:01", 60_000), ("datetime-local", "1970-01-01", None), ("date", "0000-01-01", None),
])  # fmt: skip
def test_dates_are_numbers(kind: str, text: str, number: int | None) -> None:
    assert whatwg.date_number(kind, text) == number


@pytest.mark.parametrize(("text", "low", "high", "step", "value"), [
    ("", 0, 100, 1, 50), ("7.5", 0, 10, 1, 8), ("99", 0, 10, 1, 10), ("x", 1, 4, 1, 3), ("5", 10, 0, 1, 10), ("9", 0, 10, 4, 8),
])  # fmt: skip
def test_a_range_clamps_its_value(text: str, low: int, high: int, step: int, value: int) -> None:
    assert whatwg.sanitise_range(text, low, high, step) == value


@given(*(st.integers(-40, 40) for _ in range(3)), st.integers(1, 12), st.integers(-20, 20))
def test_a_range_rounds_to_the_nearest_step(number: int, low: int, high: int, step: int, base: int) -> None:
    clamped = max(low, min(number, high)) if high >= low else low
    steps = [each for each in range(low, high + 1) if (each - base) % step == 0]
    nearest = min(steps, key=lambda each: (abs(each - clamped), -each), default=clamped)
    # Only the steps on either side count; where neither lies within the bounds, the value stays as it is.
    expected = nearest if steps and abs(nearest - clamped) < step else clamped
    assert whatwg.sanitise_range(str(number), low, high, step, base) == expected


FORM = """
form: f
fields:
  a: {initial: "xy"}
  n: {type: number, initial: 3}
  none: {type: number}
  day: {type: date, initial: "2031-05-02"}
  noday: {type: date}
  k: {type: checkbox, initial: true}
  r: {type: rows, initial: [{m: 1, t: "p"}, {m: 5, t: "q"}], fields: {m: {type: number}, t: {}}}
  e: {type: rows, fields: {m: {type: number}}}
  valid: {initial: "mine"}
"""


@pytest.mark.parametrize(("text", "value"), [
    ("1 + 2 * 3", 7), ("(1 + 2) * 3", 9), ("7 % 4", 3), ("0 - 7 % 4", -3), ("1 / 0", UNKNOWN), ('a + "z"', "xyz"), ("a + 1", UNKNOWN),
    ("none > 1", UNKNOWN), ("not (none > 1)", UNKNOWN), ("none > 1 or k", True), ("none > 1 and not k", False), ("none == null", True),
    ("1 == true", False), ("1 == 1.0", True), ('n == "3"', False), ("n in [1, 3]", True), ("n not in [1, 3]", False),
    ("noday < day", UNKNOWN), ('day < "2031-05-03"', True), ("day == today()", True), ("now()", "2031-05-02T09:00:00Z"),
    ('days(day, "2031-06-02")', 31), ('years("2000-05-03", day)', 30), ("days(noday, day)", UNKNOWN),
    ('"b" if n > 5 else "c"', "c"), ('"b" if none > 5 else "c"', UNKNOWN),
    ("any(x.m > 4 for x in r)", True), ("all(x.m > 4 for x in r)", False), ("any(x.m > 4 for x in e)", False),
    ("count(x.m > 0 for x in r)", 2), ("count(r)", 2), ("sum(x.m for x in r if x.m > 1)", 5), ("max(x.m for x in r)", 5),
    ("min(2, n)", 2), ("r[-1].t", "q"), ("r[9].t", None), ('len("😀a")', 3), ("upper(trim(a))", "XY"), ('matches(a, "[x-z]+")', True),
    ('matches(a, "x")', False), ('contains(a, "y")', True), ('starts(none, "x")', UNKNOWN), ("empty(none)", True), ("filled(k)", True),
    ("a.dirty", False), ("form.valid", True), ('["valid"]', "mine"), ("r[0].m.valid", True), ("lower(n)", UNKNOWN),
    ('["valid"] in ["mine"]', True), ('n in ["mine"]', False), ('n == ["valid"]', False), ('["valid"] == "mine"', True), ('valid == ["valid"].dirty', False),
    ('["valid"] + "x"', "minex"),
])  # fmt: skip
def test_expressions_come_to(text: str, value: Any) -> None:
    plan = compile_form(read_sheet_text(FORM, "f"))
    live = SessionFactory(plan).fresh(1_935_478_800_000)
    from idlefox.engine.state.access import StateAccess

    found = compile_expression(bind(text, Scope(plan.form.shape)), StateAccess(plan))(live.root, None)
    assert found is value if value is UNKNOWN or isinstance(value, bool) else found == value


@pytest.mark.parametrize("text", [
    '__import__("os")', "a.__class__", "().__class__", "(1).real", "lambda: 1", "[x for x in r]", "a = 1", "a; n", "open(1)", "a()",
    "r[n]", "form", "exec(a)", "a.upper()", "value", "row.m", "'a'", "1 < n < 5", "`a`", "a if k", "any(r for)", "$a", "n ** 2",
    "a\n\x00", "{1: 2}", "eval", "True", "print(a)", "getattr(a, n)", "(" * 200, "not " * 200 + "k", "f'{a}'", "a[0]", "r.m", "0123",
])  # fmt: skip
def test_invalid_expressions_are_errors(text: str) -> None:
    form = read_sheet_text(FORM, "f")
    with pytest.raises(ExpressionError):
        bind(text, Scope(form.shape))
    try:
        parse(text)
    except ExpressionError as fault:
        assert 0 <= fault.at <= len(text)


@pytest.mark.parametrize(("key", "line", "says"), [
    ("form: 5\nfields: {a: {}}", 1, 'put it in quotes: "5"'),
    ("fields: {a: {}}", 1, "the key 'form' is missing"),
    ("form: f", 1, "the sheet has no fields"),
    ("form: f\nfileds: {a: {}}", 2, "did you mean 'fields'?"),
    ("form: f\nfields: {a: {type: nubmer}}", 2, "did you mean 'number'?"),
    ("form: f\nfields: {a: {}, a: {}}", 2, "appears twice"),
    ("form: f\nfields: {a: {options: [x]}}", 2, "'options' does not apply to type text"),
    ("form: f\nfields: {a: {type: select}}", 2, "a select needs options"),
    ("form: f\nfields: {a: {type: select, options: [x, x]}}", 2, "is listed twice"),
    ("form: f\nfields: {a: {visible: b}}", 2, "unknown field 'b'"),
    ("form: f\nfields: {a: {visible: a}}", 2, "which is neither true nor false"),
    ("form: f\nfields:\n  a: {visible: b.visible}\n  b: {visible: a.visible}", 3, "depend on each other in a circle"),
    ("form: f\nfields: {a: {derive: {from: b}}, b: {derive: {from: a}}}", 2, "depend on each other in a circle"),
    ("form: f\nfields: {a: {type: checkbox, enabled: form.valid, rules: [{required: true}]}}", 2, "depend on each other in a circle"),
    ("form: f\nfields: {a: {rules: [{min: 3}]}}", 2, "min does not apply to a field of type text"),
    ("form: f\nfields: {a: {rules: [{unique: true}]}}", 2, "compares a field of one row with the other rows"),
    ("form: f\nfields: {a: {rules: [{say: Hm.}]}}", 2, "this rule has no kind"),
    ("form: f\nfields: {a: {rules: [{required: true, say: '{vlaue}'}]}}", 2, "did you mean 'value'?"),
    ("form: f\nfields: {a: {rules: [{required: true, say: 'a } b'}]}}", 2, "a stray '}'"),
    ("form: f\nfields: {a: {rules: [{lookup: l}]}}", 2, "unknown lookup 'l'"),
    ("form: f\nfields: {a: {rules: [{python: p}]}}", 2, "has no `python:` file"),
    ("form: f\nfields: {a: {rules: [{repeats: b}]}}", 2, "unknown field 'b'"),
    ("form: f\nfields: {a: {type: rows, start: 1, least: 2, fields: {b: {}}}}", 2, "is outside the limits"),
    ("form: f\nfields: {a: {type: date, rules: [{min: soon}]}}", 2, "min of a date field is a date"),
    ("form: f\nfields: {a: {initial: 5}}", 2, "is a text (in quotes), not 5"),
    ("form: f\nfields: {a: {}}\nserver: {takes: 3}", 3, "a duration, such as 250ms or 3s"),
    ("form: f\nfields: {a: {}}\nlocale: de\ntexts: {en: {required: X}}", 3, "no texts for the locale 'de'"),
    ("form: f\nfields: {a: {}}\nviews: {done: {shows: [b]}}", 3, "the form has no field 'b'"),
    ("form: f\nfields: {a: {type: checkbox, initial: yes}}", 2, "true or false"),
    ("form: f\nfields: {p: {}}\npanels: {p: {fields: {a: {}}}}", 3, "'p' is already the name of a field"),
    ("form: f\nfields: {a: }", 2, "write {} if there is nothing to set"),
    ("form: f\nfields: {a: {rules: [{holds: 'len(value) > '}]}}", 2, "the expression ends here"),
])  # fmt: skip
def test_invalid_sheets_are_errors_with_place_and_remedy(key: str, line: int, says: str) -> None:
    with pytest.raises(Unreadable) as fault:
        read_sheet_text(key, "f.form.yaml")
    found = [p for p in fault.value.problems if says in p.cause + " | " + p.remedy]
    assert found, [(p.place, p.cause, p.remedy) for p in fault.value.problems]
    assert found[0].place.line == line


def test_yaml_is_yaml_1_2(fox: Any) -> None:
    form = read_sheet_text("form: no\nfields:\n  on: {label: 'off', initial: 2031-05-02}\n  n: {type: number, initial: 0o17}\n  x: {type: number, initial: 0x1F}\n", "f")
    assert form.id == "no"
    assert [(f.name, f.initial) for f in form.fields] == [("on", "2031-05-02"), ("n", 15), ("x", 31)]


def test_records_are_as_typing_has_them() -> None:
    """`records.NamedTuple` to the letter: what can be seen of a record is what `typing.NamedTuple` would show."""

    class Ours(records.NamedTuple):
        a: int
        b: str = "x"
        c: tuple[int, ...] = ()

        def double(self) -> int:
            return self.a * 2

    class Theirs(typing.NamedTuple):
        a: int
        b: str = "x"
        c: tuple[int, ...] = ()

        def double(self) -> int:
            return self.a * 2

    def seen(kind: Any) -> list[Any]:
        one = kind(3, c=(1,))
        match one:
            case kind(a, b):
                matched = (a, b)
        return [
            kind._fields, kind._field_defaults, kind.__match_args__, tuple(one), one == (3, "x", (1,)), one.double(), matched,
            one._replace(a=4), one._asdict(), repr(one).partition("(")[2], hash(one), kind._make([1, "y", ()]), sorted([kind(2), kind(1)]),
            kind(1, "z"), one.b, one[2],
        ]  # fmt: skip

    assert seen(Ours) == seen(Theirs)
    kinds: list[Any] = [Ours, Theirs]
    for kind in kinds:
        for values, named in ((), {}), ((1, 2, 3, 4), {}), ((1,), {"a": 2}), ((1,), {"d": 2}):
            with pytest.raises(TypeError):
                kind(*values, **named)
        with pytest.raises((TypeError, ValueError), match="d"):
            kind(1)._replace(d=2)  # type: ignore[attr-defined]
        with pytest.raises(AttributeError):
            kind(1).a = 2  # type: ignore[misc]


class Mute(SimulatedForm):
    """A subject that shows less than the engine does."""

    abilities = frozenset({"virtual time", "panels", "pages", "scripted answers", "unchecked requests"})


@pytest.mark.parametrize(("line", "cannot"), [
    ("expect a is valid", "tell which values are valid, which rules are broken and which lookups are pending"), ("expect a is not unasked", "tell which values are valid, which rules are broken and which lookups are pending"),
    ("expect a breaks nothing", "tell which values are valid, which rules are broken and which lookups are pending"), ("expect form is dirty", "tell which fields are dirty"),
    ("expect touched nothing", "tell which fields are touched"), ("expect record includes {}", "observe the record that the server has stored"),
    ("expect a is visible", ""), ("wait 1s", ""), ("submit past checks", ""), ("reload", ""),
])  # fmt: skip
def test_missing_capabilities_are_errors_before_the_run(line: str, cannot: str) -> None:
    script = read_script_text(f'scenario "x"\n    {line}\n', "a.fox")
    (scenario,), _ = expand(script)
    assert [p.cause for p in unable(scenario.ops, Mute.abilities)] == ([f"this subject cannot {cannot}"] if cannot else [])
    assert not unable(scenario.ops, SimulatedForm.abilities)


@pytest.mark.parametrize(("sheet", "line", "column"), [
    ("form: f\nfields:\n  a: {visible: nome}\n", 3, 16), ("form: f\nfields:\n  a: {visible: 'not nome'}\n", 3, 21),
    ('form: f\nfields:\n  a: {visible: "\\"\\" == nome"}\n', 3, 25), ("form: f\nfields:\n  a: {visible: 'x == ''y'''}\n", 3, 22),
])  # fmt: skip
def test_unknown_names_in_expressions_are_marked(sheet: str, line: int, column: int) -> None:
    with pytest.raises(Unreadable) as caught:
        read_sheet_text(sheet, "f")
    assert (caught.value.problems[0].place.line, caught.value.problems[0].place.column) == (line, column)


@pytest.mark.parametrize(("line", "now"), [
    ("dirty: sticky", "ever"), ("reveal: not pristine", "clean"), ("submit: {enabled: not form.pending}", "asking"),
    ("submit: {enabled: form.pristine}", "clean"),
])  # fmt: skip
def test_a_former_word_is_an_error_that_names_the_word_of_today(line: str, now: str) -> None:
    with pytest.raises(Unreadable) as caught:
        read_sheet_text(f"form: f\nfields: {{a: {{}}}}\n{line}\n", "f")
    assert caught.value.problems[0].remedy == f"did you mean {now!r}?"


@pytest.mark.parametrize(("text", "ms"), [
    ("1970-01-01T00:00:00Z", 0), ("1970-01-01T01:30:00+01:30", 0), ("1969-12-31T22:15:00-01:45", 0), ("1970-01-01T00:00:00.25Z", 250),
    ("2000-02-29T00:00:00Z", 951_782_400_000), ("2100-02-29T00:00:00Z", None), ("2031-02-29T00:00:00Z", None),
    ("2032-02-29T12:00:00Z", 1_961_668_800_000), ("2031-05-02T24:00:00Z", None), ("2031-05-02", None),
    ("2031-05-02T09:00:00+24:00", None), ("2031-05-02T09:00:00+00:60", None), ("2031-05-02T09:00:00-23:59", 1_935_565_140_000),
    ("0001-01-01T00:00:00Z", -62_135_596_800_000), ("2031-05-02T09:00:00", None),
])  # fmt: skip
def test_an_instant_is_rfc_3339(text: str, ms: int | None) -> None:
    assert parse_instant(text) == ms


@given(st.integers(-719_162, 2_932_896))
@example(11_016)  # 2000-02-29, the last day of the calendar's 400 years
@example(157_113)
def test_a_day_is_the_calendars(day: int) -> None:
    written = (date(1970, 1, 1) + timedelta(day)).isoformat()
    assert whatwg.date_text("date", day * 86_400_000) == written
    assert whatwg.date_number("date", written) == day * 86_400_000
    week = date.fromisoformat(written).isocalendar()
    monday = day - date.fromisoformat(written).weekday()
    if monday >= -719_162:
        assert whatwg.date_text("week", monday * 86_400_000) == f"{week.year:04d}-W{week.week:02d}"
        assert whatwg.date_number("week", f"{week.year:04d}-W{week.week:02d}") == monday * 86_400_000
    month = (int(written[:4]) - 1970) * 12 + int(written[5:7]) - 1
    assert (whatwg.date_text("month", month), whatwg.date_number("month", written[:7])) == (written[:7], month)



@pytest.mark.parametrize("text", [
    r"\-", r"\@", r"\_", r"\'", r"\e", r"\A", r"\k", r"\1", r"(.)\2", r"[\1]", r"[\B]", r"\00", r"\c", r"\x4", r"\u004", r"\u{110000}", "(?=a)*",
    r"\b+", "a{3,1}", "(?<n>a)(?<n>b)", r"\k<m>", "(?i-i:a)", "(?a)", "[a-]", "[(]", "[a", "[<<]", "[a&&b--c]", "[ab&&c]", "[a&&&b]", r"[^\q{ab}]",
    r"[^\p{RGI_Emoji}]", r"[^\q{a|bc}]", r"[^\q{}]", r"[^\q{a|}]", "(a", "a)", "}", "*a", r"[\q{a]", "(" * 200 + ")" * 200, "[" * 200 + "]" * 200, "a|" * 6000, "(?:(?:a|b){1000}){1000}",
])  # fmt: skip
def test_invalid_patterns_are_errors(text: str) -> None:
    with pytest.raises(PatternError):
        whole_match(text)


@pytest.mark.parametrize(("text", "fits", "not_"), [
    ("[<>]", "<", "x"), ("[;:]", ":", "x"), (r"(?i:\u212a)", "k", "j"), ("[.*$?+^]", "*", "x"), ("[!#%,=@`~]", "~", "x"), ("[^]", "x", ""),
    (r"[\b]", "\b", "b"), ("[a--b]", "a", "b"), (r"[\w--\d]", "a", "1"), (r"[\w&&\d]", "1", "a"), (r"[\q{ab|c}x]", "ab", "b"), ("[[a-c]x]", "b", "d"),
    (r"(?<n>a|b)\k<n>", "bb", "ab"), (r"(a)\1", "aa", "ab"), ("(?<=a)b|a(?=b)b", "ab", "b"), ("a{2,3}?", "aaa", "a"), (r"\u{1F600}", "😀", "x"),
    (r"\p{Script=Greek}+", "αβ", "a"), ("(?s:.)", "\n", ""), (r"[\x41-\u0043\/]", "B", "D"), (r"\0", "\0", "0"), (r"\cA", "\x01", "A"), ("", "", "a"),
    ("é|[é-ü]x", "öx", "x"), ("[]|a", "a", ""), (r"(?:a|b)*?c", "abc", "ab"), ("(?i:k)", "\u212a", "j"),
    # repetitions inside repetitions
    (r"(?:(?:\w|.)?){3}", "abc", "abcd"), ("(?:(?:b*)*)+", "bbb", "a"), ("(?:(?:a|ab)(?:c|bcd)*)+", "abcdab", "abdc"), ("(a+)+b", "a" * 60 + "b", "a" * 60),
    ("(?:[a-c]+?,?){2,3}?", "ab,c", "d"), (r"(?:a|\b)*", "aa", "b"), (r"(?:[\q{ab|a}]b)+", "abbab", "ba"), (r"(?:[\q{ab|c}])+", "abcab", "abca"),
    (r"(?:.*(?<=[\q{ab|c}]))+", "xab", "aba"),
    # what groups have matched, and look around
    (r"(?:(a)|b)*\1", "ab", "aba"), (r"(a*)*\1", "aaaa", "b"), (r"(?:(?=(a*))\1b)+", "aabab", "aaba"),
    (r"(?:..(?<=\1(\w)))+", "aabb", "aaab"), (r"(?i:(?:(k|é)\1)+)", "Kk\u212akÉé", "kj"), (r"(?<n>(?:a|b)+)-\k<n>", "ab-ab", "ab-ba"),
    (r"(?:a\b.?)+", "a a", "aa"), (r"(?:(?m:^)a(?m:$)\n?)+", "a\na", "aa"), (r"(?i:(?:\b.)+)", "a", "\u017f\u017f"), (r"(?:(?<=[\q{ab}])c|.)+", "abc", ""),
])  # fmt: skip
def test_patterns_follow_the_standard(text: str, fits: str, not_: str) -> None:
    found = whole_match(text)
    assert (found(fits), found(not_)) == (True, False)


@given(st.recursive(st.sampled_from(["a", "[ab]", ".", r"\b", "(?=b)", "(?<!a)"]), lambda inner: st.one_of(
    st.builds("(?:{}|{})".format, inner, inner), st.builds("{}{}".format, inner, inner), st.builds("(?:{}){}".format, inner, st.sampled_from(
        ["*", "+", "?", "*?", "+?", "??", "{2}", "{0,2}", "{1,3}?", "{2,}"])),
), max_leaves=6), st.text("abc", min_size=1, max_size=5))  # fmt: skip
def test_repetitions_inside_repetitions_match_as_in_another_engine(pattern: str, text: str) -> None:
    assert finds(pattern, "v")(text) is (re.search(pattern, text) is not None)


@pytest.mark.parametrize(("pattern", "length"), [(r"(?=(a+)+b)c?b", 192), (r"(a*)*\1b", 52), (r"(?<n>a+)+\k<n>b", 48), (r"(?<=(a+)+)b", 398), (r"(?<=(a+?)+)b", 341)])
def test_a_pattern_that_takes_too_long_is_given_up(pattern: str, length: int) -> None:
    """At the length at which it has always been: what takes more steps, or fewer, is to be known."""
    assert finds(pattern, "v")("a" * (length - 1)) is False
    with pytest.raises(PatternTooSlow, match=f"{length}"):
        finds(pattern, "v")("a" * length)


def test_flag_i_knows_two_letters_more_of_a_word() -> None:
    for letter in "\u017f\u212a":
        assert [finds(rf"a\B{letter}", flags)("a" + letter) for flags in ("iv", "v")] == [True, False]
        assert [finds(rf"a\b{letter}", flags)("a" + letter) for flags in ("iv", "v")] == [False, True]


@pytest.mark.parametrize(("text", "folded"), [("abABc", True), ("ababc", True), ("ab", False)])
def test_back_references_ignore_case_with_flag_i(text: str, folded: bool) -> None:
    found = [finds(r"^(?:(ab+)+)*\1c", flags)(text) for flags in ("iv", "v")]
    assert found == [folded, folded and text.islower()]
    assert finds(r"^(?:(ß)+)*\1c", "iv")("ß\u1e9ec"), "which has no lower letter of one character by full folding"


@pytest.mark.parametrize(("offered", "chosen", "there"), [("abc", "cxa", "acx"), ("aba", "a", "a"), ("aba", "aab", "aba"), ("", "b", "b")])
def test_chosen_values_are_in_the_order_of_the_options(offered: str, chosen: str, there: str) -> None:
    assert in_order([*offered], [*chosen]) == [*there]


@pytest.mark.parametrize(("given", "status", "body"), [
    ({"status": 404}, 404, None), ({"status": 404, "body": 1}, 404, 1), ({"status": 404, "more": 1}, 200, {"status": 404, "more": 1}), ({"status": "x"}, 200, {"status": "x"}),
    ({"body": 1}, 200, {"body": 1}), (None, 200, "else"),
])  # fmt: skip
def test_bodies_of_answers_for_a_page(given: Any, status: int, body: Any) -> None:
    assert told(given, "else") == LookupResponse(status, body)


@pytest.mark.parametrize(("said", "counts"), [(True, 5), (5, 5), (1, 1)])
def test_a_sheets_rule_takes_the_place_of_the_attribute_unless_it_says_the_same(said: Any, counts: int) -> None:
    of_page, of_sheet = (Rule((Kind("maxlength", "tooLong", most),), native=native) for most, native in ((5, True), (said, False)))
    (rule,) = laid_over((of_page,), (of_sheet,))
    assert (rule.kinds[0].parameter, rule.native) == (counts, counts == 5)


@pytest.mark.parametrize(("text", "fits", "not_"), [
    (r"[^\q{a|b}]", "c", "a"), (r"[\q{a|\|}]", "|", "b"), (r"[\q{&|&}]", "&", "x"), (r"[^\q{\-|x}a]", "b", "-"), (r"[[a-c]--\q{a|b}]", "c", "b"),
])  # fmt: skip
def test_strings_of_one_character_are_characters(text: str, fits: str, not_: str) -> None:
    assert (finds(text, "v")(fits), finds(text, "v")(not_)) == (True, False)


@pytest.mark.parametrize(("names", "takes"), [
    ("today now", [0]), ("count len sum any all lower upper trim empty filled", [1]), ("starts ends contains matches days years", [2]), ("min max", [1, 2, 3, 99]),
])  # fmt: skip
def test_a_function_takes_so_many(names: str, takes: list[int]) -> None:
    for name in names.split():
        taken = []
        for count in (0, 1, 2, 3, 99, 100):
            try:
                parse(f"{name}({', '.join(['a'] * count)})")
                taken.append(count)
            except ExpressionError:
                pass
        assert taken == takes, name


@pytest.mark.parametrize(("open_", "close"), [("(", ")"), ("[a", "]"), ("(?:", ")"), ("(?=", ")")])
def test_a_pattern_nests_so_deep_and_no_deeper(open_: str, close: str) -> None:
    finds(open_ * 99 + close * 99, "v")
    with pytest.raises(PatternError, match="nested deeper than 100"):
        finds(open_ * 100 + close * 100, "v")


@pytest.mark.parametrize(("make", "first"), [
    (lambda n: "[" * n + "]" * n, 201), (lambda n: "{a: " * n + "}" * n, 201), (lambda n: "- " * n + "x", 201),
    (lambda n: "\n".join(" " * i + "a:" for i in range(n)), 200),
])  # fmt: skip
def test_a_sheet_nests_so_deep_and_no_deeper(make: Any, first: int) -> None:
    def says(n: int) -> bool:
        with pytest.raises(Unreadable) as fault:
            read_sheet_text("x: \n" + textwrap.indent(make(n), "  "), "f.form.yaml")
        return any("nested deeper than 200" in problem.cause for problem in fault.value.problems)

    assert [n for n in range(196, 203) if says(n)][:1] == [first]


@pytest.mark.parametrize(("text", "fits", "not_"), [("[a-]", "-", "b"), (r"[\-\d(]", "(", "-x"), ("[^]", "x", ""), (r"\/[<<]", "/<", "/x")])
def test_flag_u_has_separate_classes(text: str, fits: str, not_: str) -> None:
    found = finds(text, "u")
    assert (found(fits), found(not_)) == (True, not_ == "-x")
    with pytest.raises(PatternError):
        finds(r"[a-\d]", "u")


@given(st.lists(st.tuples(st.integers(0, 3), st.text("ab", max_size=3))))
def test_long_texts_can_be_rebuilt_after_every_key(keys: list[tuple[int, str]]) -> None:
    edits, texts, noted = EditLog(), ["x" * 1000], []
    for gone, added in keys:
        texts.append(texts[-1][: len(texts[-1]) - gone] if gone else texts[-1] + added)
        noted.append(edits.of("cell" if added != "b" else "other", texts[-2], texts[-1]))
    whole = EditReplay()
    assert [(whole.of(a), whole.of(b)) for a, b in noted] == list(itertools.pairwise(texts))
    assert [EditReplay().of(b) for _, b in noted] == texts[1:]


def test_lists_in_lists_have_a_limit() -> None:
    value: Any = ["x"]
    for _ in range(4):
        value = limits.within_parts([value] * 9)
    with pytest.raises(limits.LimitExceeded, match="more than 100,000 parts"):
        limits.within_parts([value] * 9)


def test_a_text_that_an_expression_makes_has_a_limit() -> None:
    assert len(add("a" * (limits.TEXT - 1), "b")) == limits.TEXT
    with pytest.raises(limits.LimitExceeded, match="more than 1,000,000 characters"):
        add("a" * limits.TEXT, "b")
    assert len(limits.within_parts([0] * limits.PARTS)) == limits.PARTS
    with pytest.raises(limits.LimitExceeded):
        limits.within_parts([0] * (limits.PARTS + 1))


def test_a_rule_knows_its_line() -> None:
    rules = "".join(f"      - {{maxlength: {n}, say: No.}}\n" for n in range(4))
    form = read_sheet_text(f"form: f\nfields:\n  a:\n    rules:\n{rules}", "f.form.yaml")
    assert [rule.line for rule in form.fields[0].rules] == [5, 6, 7, 8]
