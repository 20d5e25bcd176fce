"""Lint: every code by its own examples, silencing, reports, and no false findings."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.forms.model.form import Field, Form
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.playing.player import DEFAULT_CLOCK
from idlefox.playing.subjects import simulated
from idlefox.script.tree import Address, FillLine, Noun, Submit, Type
from idlefox.study.lint.findings import Code, Finding, codes
from idlefox.study.lint.look import look_through
from idlefox.study.lint.of_sheet import sheet_findings
from idlefox.study.lint.sheet_places import SheetPlaces
from idlefox.study.samples import candidates

DOCS = Path(__file__).parent.parent / "docs" / "lint.md"


def found(fox: Fox, sheet: str, script: str, beside: str = "") -> tuple[Finding, ...]:
    fox.write(f__form__yaml=f"form: f\n{sheet.lstrip()}")
    if beside:
        fox.write(e__form__yaml=f"form: e\n{beside.lstrip()}")
    (fox.folder / "a.fox").unlink(missing_ok=True)
    if script:
        fox.write(a__fox=f'subject "f.form.yaml"\n{script}')
    looked = look_through([str(fox.folder)])
    assert looked.problems == ()
    return looked.findings


@pytest.mark.parametrize("code", codes().values(), ids=codes())
def test_the_bad_example_has_the_finding_and_the_good_one_none(fox: Fox, code: Code) -> None:
    bad = found(fox, code.bad_sheet, code.bad, code.beside)
    assert [f.code for f in bad] == [code.code]
    assert bad[0].message.startswith(code.finds)
    assert found(fox, code.good_sheet or code.bad_sheet, code.good) == ()
    page = DOCS.read_text("utf-8")
    assert f"{code.means} {code.why}" in " ".join(page.split())
    for part in (f"## {code.code}", code.beside.strip(), code.bad_sheet.strip(), code.bad.strip(), code.good_sheet.strip(), code.good.strip()):
        assert part in page, part


SHEET = """fields:
  a: {rules: [{minlength: 3}, {maxlength: 2, say: Long.}]}
  b: {rules: [{required: true, say: B.}, {min: 5, max: 4, say: No., when: a == "x"}], type: number}
texts: {en: {pattern: 'Write it as {pattern}.'}}
lookups: {one: {accept: [x]}, two: {accept: [y]}}
views: {done: {shows: []}, lost: {shows: [a]}, editing: {shows: [a, b]}}
after: {accepted: {view: done}}
panels: {p: {fields: {c: {rules: [{lookup: two, say: No.}, {pattern: x}]}}}}
server:
  replies:
    - {when: 'a == "x"', status: 422}
    - {when: 'a == "y"', status: 422}
    - {when: 'a == "x"', status: 409}
"""
SCRIPT = """scenario "a" aside "later"
    submit
routine it(used, idle)
    type a $used
routine never
    reset
routine by_hand
    reset
scenario "rows" [x]
    with n, m
        "1", "2"
        "2", "3"
    do it($n, "x")
    expect a is filled
    note "done"
scenario "called"
    do by_hand
"""


def test_findings_have_exact_places(fox: Fox) -> None:
    told = [(f.code, f.place.line, f.message) for f in found(fox, SHEET, SCRIPT)]
    assert told == [
        ("unused", 4, "the routine it does not use the parameter idle"), ("unused", 6, "the routine never is never used"),
        ("unused", 11, "the scenario does not use the column m"), ("no-check", 17, "this scenario has no check, so it passes whatever the form does"),
        ("silent-rule", 3, "minlength of a has no message"),
        ("contradiction", 3, "no value except empty of a satisfies both minlength 3 and maxlength 2"), ("unused", 6, "no rule uses the lookup one"),
        ("unused", 7, "nothing leads to the view lost"), ("unused", 9, "the panel p gives nothing, and no script opens it"), ("unreachable-reply", 14, "reply 3 is never used: reply 1 has the same condition"),
    ]  # fmt: skip
    fox.write(b__fox='use "a.fox"\nsubject "f.form.yaml"\nscenario "x"\n    do never\n    expect a = ""\n')
    assert "the routine never is never used" not in [f.message for f in look_through([str(fox.folder / "a.fox")]).findings]


@pytest.mark.parametrize(("comment", "left"), [
    ("  # lint: allow silent-rule, it is good", []), ("  # lint: allow silent-rule", ["idle-silence"]), ("  # lint: allow same-message, why", ["idle-silence", "silent-rule"]),
    ("  # lint: allow silnt-rule, why", ["idle-silence", "silent-rule"]), ("\n  # lint: allow silent-rule, below only\n  b: {}", ["idle-silence", "silent-rule"]),
])  # fmt: skip
def test_a_finding_is_silenced_with_a_reason(fox: Fox, comment: str, left: list[str]) -> None:
    assert sorted(f.code for f in found(fox, f"fields:\n  a: {{rules: [{{minlength: 3}}]}}{comment}\n", "")) == left


def test_a_silencing_comment_can_be_above_the_line(fox: Fox) -> None:
    assert found(fox, "fields:\n  # lint: allow silent-rule, it is good\n  # and more\n  a: {rules: [{minlength: 3}]}\n", "") == ()


def test_reports_and_exit_codes(fox: Fox) -> None:
    fox.write(f__form__yaml=f"form: f\n{SHEET}", a__fox=f'subject "f.form.yaml"\n{SCRIPT}', idlefox__toml='lint = {except = ["no-check"]}\n')
    done = fox("lint", "a.fox", "--report", "json=out/l.json", "--report", "sarif=out/l.sarif")
    assert done.returncode == 1
    assert "f.form.yaml:3:16: silent-rule (note): minlength of a has no message\n   3 │   a: {rules: [{minlength: 3}" in done.stdout
    assert done.stdout.endswith(" 9 findings in 2 files\n")
    data = json.loads((fox.folder / "out/l.json").read_text())
    assert data["findings"][0] == {
        "file": "a.fox", "line": 4, "column": 18, "code": "unused", "level": "warning", "message": "the routine it does not use the parameter idle", "help": "remove it",
    }  # fmt: skip
    run = json.loads((fox.folder / "out/l.sarif").read_text())["runs"][0]
    assert {rule["id"] for rule in run["tool"]["driver"]["rules"]} == set(codes())
    result = run["results"][3]
    assert run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == result["ruleId"] == "silent-rule"
    assert result["locations"][0]["physicalLocation"] == {"artifactLocation": {"uri": "f.form.yaml"}, "region": {"startLine": 3, "startColumn": 16, "endColumn": 25}}
    assert fox("lint", "--only", "no-check").returncode == 0
    assert fox("lint", "a.fox", "--only", "same-title").stdout == " no findings in 2 files\n"
    assert fox("lint", "--only", "nix").returncode == 2
    assert "A person cannot tell which" in fox("lint", "--explain", "same-message").stdout
    fox.write(a__fox="frob\n")
    assert fox("lint", "a.fox").returncode == 2


def test_the_demo_is_clean_and_of_the_samples_four_things_are_reported(fox: Fox) -> None:
    here = Path(__file__).parent
    for folder in (here.parent / "src" / "idlefox" / "demo", here / "samples"):
        shutil.copytree(folder, fox.folder / folder.name)
    looked = look_through([str(fox.folder)])
    broken = [f for f in looked.findings if "broken" in f.place.file]
    assert {f.code for f in broken} == {code.code for code in codes().values() if not code.bad}  # every code of sheets
    assert [(f.code, Path(f.place.file).name, f.place.line) for f in looked.findings if f not in broken] == [
        ("nags", "cheese-register.form.yaml", 22), ("unlike-sheets", "museum-loan.form.yaml", 23), ("unlike-sheets", "museum-loan.form.yaml", 37), ("fixed-wait", "museum-loan.fox", 66),
    ]  # fmt: skip


# A sheet that is odd in one way, and how the finding's message begins (the lines of `fields:` are the field's own).
ODD = """
silent-rule | r: {rules: [{pattern: x}]} | pattern of r has no message
contradiction | r: {rules: [{required: true, say: A.}, {among: [x, yy], say: B.}, {minlength: 3, say: C.}]} | no value of r is in its list and satisfies minlength
contradiction | r: {type: number, rules: [{min: 2, max: 1, say: A.}]} | no value except empty of r satisfies both min 2 and max 1
never-breaks | r: {type: select, options: [p, q], rules: [{among: [p, q, s], say: A.}]} | no value that r can have breaks among: all its options satisfy it
never-breaks | r: {type: range, rules: [{min: 3, say: A.}]} | no value that r can have breaks min 3: its slider ends there
unseen-message | r: {type: hidden, rules: [{required: true, say: A.}]} | the message of required of r can never appear: a field of type hidden
unseen-message | r: {visible: 'a == "x" and a == "y"', rules: [{required: true, say: A.}]} | the message of required of r can never appear: r is never visible
unseen-message | r: {reveal: touched and not touched, rules: [{required: true, say: A.}]} | the message of required of r can never appear: its reveal is never true
unseen-message | r: {visible: a.on, reveal: a.off, rules: [{required: true, say: A.}]} | the message of required of r can never appear: reveal is never true while r is visible
unseen-message | g: {type: group, visible: false, fields: {r: {rules: [{required: true, say: A.}]}}} | the message of required of g.r can never appear: g.r is never visible
dead-end | r: {readonly: true, rules: [{required: true, say: A.}]} | r is required but can never be filled: it is always readonly
dead-end | r: {type: radio, options: [{value: 1, enabled: false}], rules: [{required: true, say: A.}]} | r is required but can never be filled: none of its options
dead-end | r: {type: rows, add: 'any(p.n == "x" for p in r)', fields: {n: {}}} | r starts without rows, and then no row can be added
nags | r: {report: {first: load}, reveal: true, rules: [{required: true, say: Fill it.}]} | r shows this message at load: Fill it.
wide-pattern | r: {rules: [{pattern: '.*x.*y', say: A.}]} | this pattern can be very slow: the time grows faster than its length
"""
CLEAN = """
r: {rules: [{required: true, say: A.}, {among: [x, yyy], say: B.}, {minlength: 3, say: C.}]}
r: {type: select, options: [p, q], rules: [{required: true, say: A.}, {among: [p], say: B.}]}
r: {type: range, rules: [{min: 3}]}
r: {limit: 8, initial: much too long, rules: [{maxlength: 8, say: A.}]}
r: {visible: 'b == "x" and a.on', rules: [{required: true, say: A.}]}
r: {visible: a.on, rules: [{required: true, when: a.on and b.filled, say: A.}]}
r: {readonly: a.on, rules: [{required: true, say: A.}]}
r: {type: rows, add: 'all(p.n == "x" for p in r)', fields: {n: {}}}
r: {type: rows, start: 1, add: count(r) > 0, remove: count(r) > 1, fields: {n: {}}}
r: {type: radio, options: [1, {value: 2, enabled: false}], rules: [{required: true, say: A.}]}
r: {rules: [{pattern: '[a-z]+(-[a-z]+)*', say: A.}]}
"""


def odd_sheet(field: str) -> str:
    """A sheet with *field*, and two others for its conditions; nothing else in it is odd."""
    return f"fields:\n  a: {{type: checkbox}}\n  b: {{}}\n  {field}\nsubmit: {{enabled: form.dirty}}\n".replace("a ==", "b ==")


@pytest.mark.parametrize("case", ODD.strip().split("\n"))
def test_findings_in_fields(fox: Fox, case: str) -> None:
    code, field, message = (part.strip() for part in case.split(" | "))
    (finding,) = found(fox, odd_sheet(field), "")
    assert finding.code == code
    assert finding.message.startswith(message)


@pytest.mark.parametrize("field", CLEAN.strip().split("\n"))
def test_similar_but_correct_fields_have_no_findings(fox: Fox, field: str) -> None:
    assert found(fox, odd_sheet(field), "") == ()


def test_unused_functions_are_found(fox: Fox) -> None:
    fox.write(rules__py="def asked(v, f):\n    return helper(v)\n\ndef helper(v):\n    return True\n\ndef idle(v, f):\n    return True\n\ndef other(v, f):\n    return True\n")
    fox.write(g__form__yaml="form: g\npython: rules.py\nfields: {a: {rules: [{python: other, say: No.}]}}\n")
    told = found(fox, "python: rules.py\nfields: {b: {rules: [{python: asked, say: No.}]}}\n", "")
    assert [(f.code, Path(f.place.file).name, f.place.line, f.message) for f in told] == [("unused", "rules.py", 7, "no rule uses the function idle")]


def test_a_page_is_looked_through_with_its_script(fox: Fox) -> None:
    fox.write(p__html='<!doctype html>\n<form>\n<input name=a minlength=9 maxlength=3>\n<input id=b name=b\n pattern="(x+)+"></form>\n')
    fox.write(a__fox='subject "p.html"\nscenario "it"\n    type a "1"\n    expect a = "1"\n    expect a = "1"\n')
    told = [(f.code, Path(f.place.file).name, f.place.line, f.place.column) for f in look_through([str(fox.folder / "a.fox")]).findings]
    assert told == [("no-effect", "a.fox", 5, 5), ("contradiction", "p.html", 3, 27), ("wide-pattern", "p.html", 5, 2)]
    assert fox("lint", "p.html").stdout.endswith(" 2 findings in 1 file\n")


NUMBERS = "fields:\n  n: {type: number}\n  t: {}\n  on: {type: checkbox, initial: true}\n  many: {type: checkbox, options: [p, q]}\n  rows: {type: rows, start: 1, fields: {age: {type: number}}}\nsubmit: {enabled: form.dirty}\n"


@pytest.mark.parametrize(("steps", "told"), [
    ('expect n = "7"', "this can never be true: n is a number, never a string"), ("expect n != true", "this is always true: n is a number, never true or false"),
    ('expect values = {"t": 1}', "this can never be true: t is a string, never a number"), ('expect rows = [{"age": "x"}]', "this can never be true: rows[0].age is a number"),
    ('expect many = "p"', "this can never be true: many is a list, never a string"), ("expect t = null", "this can never be true: t is a string, never null"),
    ('expect requests = "1"', "this can never be true: requests is a number"), ("expect rows[0] = 1", "this can never be true: rows[0] is an object, never a number"),
    ("expect n = null", ""), ('expect n = like /x/', ""), ('expect status = null', ""), ("expect many = []", ""), ("expect .on = true", ""),
    ("turn .on on\nexpect n = 1", "on is on at load; this has no effect"), ("turn .on off\nexpect n = 1", ""),
    ('retype t "x"\nretype t "x"\nexpect n = 1', "t has just been retyped to the same text"), ('retype t "x"\nblur\nretype t "x"\nexpect n = 1', ""),
    ('expect n = null\nexpect t = ""\nexpect n = null', "this repeats an earlier check"), ('expect n = null\ntype n "1"\nexpect n = null', ""),
])  # fmt: skip
def test_findings_in_steps_and_checks(fox: Fox, steps: str, told: str) -> None:
    body = "".join(f"    {line}\n" for line in steps.split("\n"))
    findings = [f.message for f in found(fox, NUMBERS, f'scenario "it"\n{body}')]
    assert [message[: len(told)] for message in findings] == ([told] if told else [])


# Any form that the table's fields make, walked at random: what lint says cannot be is not met.
FIELDS = [f for f in (*(line.split(" | ")[1].strip() for line in ODD.strip().split("\n")), *CLEAN.strip().split("\n")) if "rows" not in f]
SAYS = re.compile(r"message of (?P<unseen>\w+) of (?P<where>[\w.]+)|have breaks (?P<never>\w+)|of (?P<contradiction>\w+) (?:satisfies both|is in its list)|^(?P<dead>\S+) is required but can never")


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_impossible_conditions_never_hold_on_a_walk(data: st.DataObject) -> None:
    picked = data.draw(st.lists(st.sampled_from(FIELDS), min_size=1, max_size=4))
    fields = "".join("  " + re.sub(r"\b([rg])(?=: \{)", rf"\g<1>{n}", field) + "\n" for n, field in enumerate(picked))
    reveal = data.draw(st.sampled_from(["touched or attempted", "true", "attempted and clean and dirty"]))
    text = f"form: f\nreveal: {reveal}\nreport: {{first: {data.draw(st.sampled_from(['load', 'change', 'blur']))}}}\nfields:\n  a: {{type: checkbox}}\n  b: {{}}\n{fields}".replace("a ==", "b ==")
    form = read_sheet_text(text, "f.form.yaml")
    findings = list(sheet_findings(form, SheetPlaces(form, text)))
    subject: Any = simulated(form, compile_form(form)).begin(".")
    subject.load(DEFAULT_CLOCK)
    nagged = {f.message.split(" shows this message at load")[0] for f in findings if " shows this message at load" in f.message}
    assert nagged == {f.address for f in form.walk() if f.kind not in ("group", "rows") and subject.look(noun(f), "shows")}
    leaves = [f for f in form.walk() if f.kind not in ("group", "rows", "hidden") and "*" not in f.path]
    for number in range(data.draw(st.integers(5, 30))):
        field = data.draw(st.sampled_from(leaves))
        value = data.draw(st.sampled_from([*candidates(field), "x", "y", "yy", "yyyy", 1, 2, 9, True, False]))
        keys = [Type(Address(field.path), str(value))] if field.kind in ("text", "number") else []
        subject.perform(data.draw(st.sampled_from([FillLine(Address(field.path), value), Submit(), *keys])), number + 1)
        for finding in findings:
            check_that(finding, form, subject)


def noun(field: Field) -> Noun:
    return Noun("address", Address(field.path))


def check_that(finding: Finding, form: Form, subject: Any) -> None:
    """That what *finding* says cannot be is not so now."""
    says = SAYS.search(finding.message)
    if finding.code == "unseen-message" and "of this form" in finding.message:
        assert not [f for f in form.walk() if f.reveal.text == form.reveal.text and subject.look(noun(f), "shows")]
    if finding.code not in ("unseen-message", "never-breaks", "contradiction", "dead-end") or says is None:
        return
    name = says["where"] or says["contradiction"] or says["dead"] or finding.message.split(" can have")[0].rpartition(" ")[2]
    field = next(f for f in form.walk() if f.address == name)
    if says["unseen"]:
        assert subject.look(noun(field), "shows") == []
    elif says["never"]:
        assert not [names for names in subject.look(noun(field), "breaks") if says["never"] in names]
    elif says["contradiction"]:
        assert subject.look(noun(field), "is", "invalid") or subject.look(noun(field), "is", "empty") or subject.look(noun(field), "is", "hidden")
    elif says["dead"]:
        assert subject.look(noun(field), "is", "invalid")


def test_a_fixed_wait_is_judged_at_the_clock_of_the_script(fox: Fox) -> None:
    fox.write(f__form__yaml="""form: f
fields:
  a: {rules: [{lookup: known, start: blur, say: Unknown.}]}
  day: {type: date, initial: "2035-05-02", rules: [{min: {expr: today()}, say: Over.}]}
lookups: {known: {takes: 1s, accept: [x]}}
""", a__fox="""subject "f.form.yaml"
clock 2040-01-01T09:00:00Z
scenario "late"
    expect day is invalid
    type a "y"
    blur
    wait 2s
    expect a breaks lookup
""")
    assert [(f.code, f.place.line) for f in look_through([str(fox.folder / "a.fox")]).findings] == [("fixed-wait", 7)]
