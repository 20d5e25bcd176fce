"""Lint: every code by its own examples, silences, reports; and nothing that is not true."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox

from idlefox.playing.results import ScriptResult
from idlefox.study.lint.findings import Code, Finding, codes
from idlefox.study.lint.look import look_through

DOCS = Path(__file__).parent.parent / "docs" / "lint.md"


def found(fox: Fox, sheet: str, script: str) -> tuple[Finding, ...]:
    fox.write(f__form__yaml=f"form: f\n{sheet.lstrip()}")
    (fox.folder / "a.fox").unlink(missing_ok=True)
    if script:
        fox.write(a__fox=f'subject "f.form.yaml"\n{script}')
    looked = look_through([str(fox.folder)])
    assert looked.problems == ()
    return looked.findings


@pytest.mark.parametrize("code", codes().values(), ids=codes())
def test_the_bad_example_has_the_finding_and_the_good_one_none(fox: Fox, code: Code) -> None:
    bad = found(fox, code.bad_sheet, code.bad)
    assert [f.code for f in bad] == [code.code]
    assert bad[0].message.startswith(code.finds)
    assert found(fox, code.good_sheet or code.bad_sheet, code.good) == ()
    page = DOCS.read_text("utf-8")
    for part in (f"## {code.code}", code.means, code.why, code.bad_sheet.strip(), code.bad.strip(), code.good_sheet.strip(), code.good.strip()):
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


def test_what_is_odd_is_told_where_it_stands_and_nothing_else(fox: Fox) -> None:
    told = [(f.code, f.place.line, f.message) for f in found(fox, SHEET, SCRIPT)]
    assert told == [
        ("unused", 4, "nothing in the routine it uses the parameter idle"), ("unused", 6, "nothing plays the routine never"),
        ("unused", 11, "nothing in the scenario uses the column m"), ("no-check", 17, "this scenario checks nothing: it holds whatever the form does"),
        ("silent-rule", 3, "minlength of a has no message of its own"), ("unused", 6, "no rule asks the lookup one"),
        ("unused", 7, "nothing leads to the view lost"), ("unreachable-reply", 14, "reply 3 is never given: reply 1 has the same condition"),
    ]  # fmt: skip
    fox.write(b__fox='use "a.fox"\nsubject "f.form.yaml"\nscenario "x"\n    do never\n    expect a = ""\n')
    assert "nothing plays the routine never" not in [f.message for f in look_through([str(fox.folder / "a.fox")]).findings]


@pytest.mark.parametrize(("comment", "left"), [
    ("  # lint: allow silent-rule, it is good", []), ("  # lint: allow silent-rule", ["idle-silence"]), ("  # lint: allow same-message, why", ["idle-silence", "silent-rule"]),
    ("  # lint: allow silnt-rule, why", ["idle-silence", "silent-rule"]), ("\n  # lint: allow silent-rule, below only\n  b: {}", ["idle-silence", "silent-rule"]),
])  # fmt: skip
def test_a_finding_is_silenced_with_a_reason(fox: Fox, comment: str, left: list[str]) -> None:
    assert sorted(f.code for f in found(fox, f"fields:\n  a: {{rules: [{{minlength: 3}}]}}{comment}\n", "")) == left


def test_a_silence_stands_alone_above_the_line(fox: Fox) -> None:
    assert found(fox, "fields:\n  # lint: allow silent-rule, it is good\n  # and more\n  a: {rules: [{minlength: 3}]}\n", "") == ()


def test_reports_and_exit_codes(fox: Fox) -> None:
    fox.write(f__form__yaml=f"form: f\n{SHEET}", a__fox=f'subject "f.form.yaml"\n{SCRIPT}', idlefox__toml='lint = {except = ["no-check"]}\n')
    done = fox("lint", "a.fox", "--report", "json=out/l.json", "--report", "sarif=out/l.sarif")
    assert done.returncode == 1
    assert "f.form.yaml:3:16: silent-rule: minlength of a has no message of its own\n   3 │   a: {rules: [{minlength: 3}" in done.stdout
    assert done.stdout.endswith(" 7 findings in 2 files\n")
    data = json.loads((fox.folder / "out/l.json").read_text())
    assert data["findings"][0] == {
        "file": "a.fox", "line": 4, "column": 18, "code": "unused", "level": "warning", "message": "nothing in the routine it uses the parameter idle", "help": "take it out",
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


def test_the_demo_is_clean_and_the_samples_too(fox: Fox) -> None:
    here = Path(__file__).parent
    for folder in (here.parent / "src" / "idlefox" / "demo", here / "samples"):
        shutil.copytree(folder, fox.folder / folder.name)
    looked = look_through([str(fox.folder)])
    assert [(f.code, f.place.file, f.place.line) for f in looked.findings] == []


def test_what_can_be_said_of_no_value_is_so(fox: Fox) -> None:
    """A contradiction is proved by playing: nothing of any length is taken."""
    sheet = next(code for code in codes().values() if code.code == "contradiction").bad_sheet
    steps = "".join(f'    retype code "{"x" * n}"\n    expect code is invalid\n' for n in range(1, 20))
    result: Any = fox.play(f"form: f\n{sheet.lstrip()}", f'scenario "any length"\n{steps}')
    assert isinstance(result, ScriptResult)
    assert [s.verdict for s in result.scenarios] == ["pass"]
