"""Weaken: a fault in anything a suite checks is noticed; for any other there is a scenario; equivalent faults never differ on a
walk.
"""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Fox, waited
from hypothesis import given, settings
from hypothesis import strategies as st

from idlefox.commands.console import Console
from idlefox.commands.work_options import with_notes
from idlefox.engine.compile.compiler import compile_form
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.playing.player import DEFAULT_CLOCK, RunOptions
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import simulated
from idlefox.playing.work import HERE
from idlefox.roots import noting_reads
from idlefox.study.scripts import Suite, about_forms
from idlefox.study.weaken.causes import CAUSES
from idlefox.study.weaken.distinguish import Distinguisher
from idlefox.study.weaken.faults import faults_of
from idlefox.study.weaken.same import is_same
from idlefox.study.weaken.study import FaultVerdict, WeakenStudy

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SHEET = """form: f
reveal: touched or attempted
fields:
  a: {trim: true, rules: [{required: true, say: A.}, {minlength: 3, maxlength: 5, say: 'Three to five.'}, {pattern: '[a-z]+', say: Letters.}]}
  again: {rules: [{repeats: a, say: They differ.}]}
  n: {type: number, rules: [{min: 1, max: 9, say: '{min} to {max}.'}]}
  on: {type: checkbox}
  b: {visible: '["on"]', case: upper, rules: [{required: true, when: 'n > 5', say: B.}]}
  r: {type: rows, least: 1, most: 2, fields: {t: {rules: [{required: true, say: T.}, {lookup: known, start: blur, say: 'No {value}.'}]}}}
lookups: {known: {takes: 1s, accept: [x]}}
rules: [{holds: 'n != 7', id: seven, at: n, say: Not seven.}]
submit: {enabled: form.dirty}
server: {takes: 1s, replies: [{when: 'a == "late"', status: 422, errors: {a: Too late.}}, {status: 201}]}
"""
READY = ('type a "abc"', 'type again "abc"', 'type r[0].t "x"')


def weakening(fox: Fox, *steps: str) -> WeakenStudy:
    """The faults of the form, with a suite of one scenario."""
    fox.write(f__form__yaml=SHEET, a__fox='subject "f.form.yaml"\nscenario "it"\n' + "".join(f"    {step}\n" for step in steps))
    return WeakenStudy(Suite((SelectedScript(str(fox.folder / "a.fox")),), RunOptions()))


def judged(suite: WeakenStudy, names: set[str]) -> dict[str, FaultVerdict]:
    """What becomes of the faults called *names*: by kind, address and rule."""
    called = {" ".join(filter(None, (f.kind, f.address, f.rule))): number for number, f in enumerate(suite.faults)}
    assert names <= set(called), sorted(called)
    return {name: suite.judged(called[name]) for name in names}


@pytest.mark.parametrize(("steps", "caught", "missed"), [
    (('type a "ab"', "expect a breaks only tooShort"), {"rule-dropped a minlength", "other-flag a minlength", "bound-lower a minlength"}, {"rule-dropped a maxlength", "no-message a minlength", "rule-dropped a required"}),
    (('type a "abc"', "expect a is valid"), {"bound-higher a minlength"}, {"bound-lower a minlength", "pattern-open a pattern"}),
    (('type a "ab"', "blur", 'expect a shows "Three to five."'), {"other-message a minlength", "no-message a minlength", "report-later first", "reveal-later"}, {"other-message a required"}),
    (('type a " abc "', "blur", 'expect a = "abc"'), {"trim-dropped a"}, {"case-dropped b"}),
    (('type a "ab"', "reset", 'expect a = ""'), {"reset-forgets a"}, {"reset-forgets n"}),
    (("expect b is hidden", "turn .on on", "expect b is visible"), {"negated b visible", "always b visible", "never b visible"}, {"when-dropped b required"}),
    (('type n "7"', "expect n breaks only seven"), {"rule-dropped n seven", "at-moved n seven"}, {"bound-lower n max"}),
    (('type a "abc"', 'type again "abc"', 'type a "d"', "expect again breaks repeats"), {"last-edited again", "rule-dropped again repeats"}, {"other-message again repeats"}),
    ((*READY, "blur", "settle", "submit", "submit", "settle", "expect requests = 1", 'expect payload = {"a": "abc", "again": "abc", "n": null, "on": false, "r": [{"t": "x"}]}'),
     {"second-press", "sent-not again", "sent-renamed r[*].t", "sent-as-text on", "hidden-sent b"}, {"server-lost", "values-lost"}),
    (("add r", "expect cannot add r", "remove r[0]", "expect cannot remove r[0]"), {"fewer-rows r", "more-rows r", "most-lower r"}, {"sent-not r"}),
    (('type r[0].t "q"', "blur", "expect r[0].t is asking", 'retype r[0].t "x"', "blur", "settle", 'expect r[0].t is valid'), {"lookup-never r[*].t known", "lookup-later r[*].t known"}, {"other-message r[*].t lookup"}),
])  # fmt: skip
def test_faults_in_checked_parts_are_noticed(fox: Fox, steps: tuple[str, ...], caught: set[str], missed: set[str]) -> None:
    found = judged(weakening(fox, *steps), caught | missed)
    assert {name for name in caught if found[name].verdict != "noticed"} == set()
    assert {name for name in missed if found[name].verdict != "unnoticed"} == set()
    assert all(found[name].by.endswith("a.fox:2") for name in caught)


SMALL = "form: s\nfields:\n  a: {rules: [{required: true, say: A.}, {maxlength: 5, say: Five.}]}\n  on: {type: checkbox}\nserver: {takes: 1s}\n"


def test_unnoticed_faults_come_with_a_scenario(fox: Fox) -> None:
    fox.write(s__form__yaml=SMALL, a__fox='subject "s.form.yaml"\nscenario "it"\n    expect a is invalid\n', kept__fox='subject "s.form.yaml"\n')
    before = fox("weaken", "a.fox", "--keep", "kept.fox", "--at-least", "60", "--report", "json=w.json", "--figure", "w.png")
    assert before.returncode == 1, before.stderr
    data = json.loads((fox.folder / "w.json").read_text())
    assert (data["format"], data["form"]) == (1, "s")
    assert {each["verdict"] for each in data["faults"]} <= {"noticed", "unnoticed", "undecided"}
    assert data["score"] < 60
    assert (fox.folder / "w.png").read_bytes().startswith(b"\x89PNG")
    assert fox("run", "kept.fox").returncode == 0, "what is kept holds"
    every = fox("weaken", "a.fox", "--all").stdout
    assert before.stdout.split("\n")[1].startswith(" 4 % of the faults are noticed, below 60 %"), before.stdout
    assert (before.stdout.count("\n unchecked: "), before.stdout.count("   s.form.yaml")) == (9, 9)
    assert every.count("   s.form.yaml") == sum(each["verdict"] == "unnoticed" for each in data["faults"])
    after = fox("weaken", "a.fox", "kept.fox", "--at-least", "95", "--jobs", "2")
    assert after.returncode == 0, after.stdout
    assert " 100 % of the faults are noticed, at least 95 %" in after.stdout


def test_every_kind_of_fault_has_one_cause() -> None:
    told = re.findall(r"`([a-z-]+)`", (Path(__file__).parent.parent / "docs" / "studies.md").read_text("utf-8").split("| faults | what they change |")[1].split("\n\n")[0])
    own = [kind for cause in CAUSES for kind in cause.kinds]
    assert sorted(own) == sorted({*own})
    assert {kind for kind in told if "-" in kind or kind in ("never", "always", "negated")} - {"submit"} <= {*own}


def test_forms_that_cannot_be_weakened(fox: Fox) -> None:
    assert fox("weaken", "nix.fox").returncode == 2
    fox.write(s__form__yaml=SMALL, a__fox='subject "s.form.yaml"\nscenario "it"\n    expect a is valid\n')
    assert "a.fox:2 fails on the original form and was left out" in fox("weaken", "a.fox").stdout
    fox.write(p__html="<form><input name=a></form>", a__fox='subject "p.html"\nscenario "it"\n    expect a = ""\n')
    done = fox("weaken", "a.fox")
    assert done.returncode == 2
    assert "no scenario about a form sheet" in " ".join((done.stdout + done.stderr).split())


BOUNDS = st.sampled_from(["{maxlength: 8, say: L.}", "{minlength: 2, say: L.}", "{pattern: '[a-z]*', say: P.}", "{among: [a, b], say: A.}"])


@settings(max_examples=15, deadline=None)
@given(limit=st.sampled_from(["", "limit: 4, ", "limit: 8, "]), rules=st.lists(BOUNDS, min_size=1, max_size=3, unique=True),
       visible=st.sampled_from(["", "visible: 'box and not box', ", "visible: 'box or not box', ", "visible: 'n > 1', "]))  # fmt: skip
def test_equivalent_faults_never_differ_on_a_walk(limit: str, rules: list[str], visible: str) -> None:
    fields = f"  box: {{type: checkbox}}\n  n: {{type: number}}\n  a: {{{limit}{visible}rules: [{', '.join(rules)}]}}\n"
    text = f"form: f\nfields:\n{fields}  s: {{type: select, options: [a, b], rules: [{{among: [a, b, c], say: A.}}]}}\n"
    form = read_sheet_text(text, "f.form.yaml")
    apart = Distinguisher(simulated(form, compile_form(form)), [], DEFAULT_CLOCK)
    for fault in faults_of(form):
        if is_same(fault, form):
            planted = fault.planted(form)
            way = apart.way_to(simulated(planted, compile_form(planted)), fault.path)
            assert way is None, (fault.sentence, way)


@pytest.mark.parametrize("scripts", [("booking.fox", "messages.fox", "booking-rules.fox"), ("crew.fox", "crew-rules.fox"), ("claims.fox", "claims-rules.fox")], ids=lambda s: s[0])
def test_the_demos_own_suite_leaves_little_out(fox: Fox, scripts: tuple[str, ...]) -> None:
    for name in DEMO.iterdir():
        if name.suffix in (".fox", ".yaml", ".html"):
            fox.write(**{name.name.replace(".", "__"): name.read_text("utf-8")})
    met = fox("coverage", *scripts, "--at-least", "90")
    assert met.returncode == 0, met.stdout[-300:]
    suite = WeakenStudy(Suite(tuple(SelectedScript(str(fox.folder / name)) for name in scripts), RunOptions()))
    some = [suite.judged(number).verdict for number in range(0, len(suite.faults), 5)]  # the whole is told by the command
    assert some.count("noticed") >= 9 * some.count("unnoticed")


def test_an_interrupted_study_continues(fox: Fox, tmp_path: Path) -> None:
    for name in ("crew.form.yaml", "crew.fox"):
        (fox.folder / name).write_text((DEMO / name).read_text("utf-8"), encoding="utf-8")
    state = {"XDG_STATE_HOME": str(tmp_path / "state")}
    whole = fox("weaken", "crew.fox", **state)
    running = subprocess.Popen([sys.executable, "-m", "idlefox", "weaken", "crew.fox"], cwd=fox.folder, env={**os.environ, **state},
                               stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)  # fmt: skip
    notes = tmp_path / "state" / "idlefox" / "studies"
    waited(running, lambda: notes.is_dir() and any(each.stat().st_size > 1000 for each in notes.iterdir()))
    running.send_signal(signal.SIGINT)
    told = running.communicate()[1]
    assert (running.returncode, told.strip()) == (130, "interrupted")
    noted = next(notes.iterdir())
    noted.write_bytes(noted.read_bytes()[:-7])  # the last was not written to its end
    again = fox("weaken", "crew.fox", "--jobs", "2", **state)
    assert again.stdout == " continuing the weaken that was interrupted\n" + whole.stdout
    assert not list(notes.iterdir())


def test_checkpoints_depend_on_uploaded_files(fox: Fox, monkeypatch: pytest.MonkeyPatch) -> None:
    script = 'subject "form.form.yaml"\nscenario "s"\n    upload a "bill.txt"\n'
    fox.write(form__form__yaml="form: f\nfields: {a: {type: file}}\n", s__fox=script, bill__txt="1")
    monkeypatch.setenv("XDG_STATE_HOME", str(fox.folder))

    def notes() -> str:
        files: set[str] = set()
        with noting_reads(files):
            about_forms([SelectedScript(str(fox.folder / "s.fox"))], RunOptions())
        return with_notes(HERE, "weaken", (), files, Console("never")).notes

    before = notes()
    assert notes() == before
    fox.write(bill__txt="2")
    assert notes() != before


FAR = """form: f
fields:
  way: {type: radio, options: [post, boat], rules: [{required: true}]}
  zip: {visible: way == "post", empty: omit, rules: [{pattern: '[0-9]{4}', say: Four digits.}]}
  on: {type: checkbox}
  g: {type: group, visible: on, fields: {n: {type: number, rules: [{min: 1, max: 6, say: '{min} to {max}.'}]}}}
  a: {type: number, rules: [{max: {expr: c}, say: Too much.}, {required: true, when: on, say: A.}]}
  c: {type: number}
  r: {type: rows, start: 2, fields: {t: {rules: [{unique: true, say: Once.}, {lookup: l, start: change, debounce: 400ms, say: No.}]}}}
lookups: {l: {takes: 1s, refuse: [bad]}}
server: {replies: [{when: 'a == 7', status: 422, errors: {a: Not seven.}}, {status: 201}]}
"""


def test_faults_far_from_load_are_told_apart_and_say_what_is_accepted(fox: Fox) -> None:
    fox.write(f__form__yaml=FAR, a__fox='subject "f.form.yaml"\nscenario "it"\n    expect a = null\n')
    done = fox("weaken", "a.fox", "--report", "json=-")
    faults = json.loads(done.stdout)["faults"]
    assert [f["sentence"] for f in faults if f["verdict"] == "undecided"] == []
    sentences = {(f["kind"], f["sentence"]): f["scenario"] for f in faults}
    assert ("bound-higher", "g.n accepts 2 and up, not 1 and up") in sentences
    assert ("bound-lower", "g.n accepts 5 and below, not 6 and below") in sentences
    assert {f["address"] for f in faults if f["kind"] == "hidden-sent"} == {"zip", "g.n"}
    assert {kind for kind, _ in sentences if kind.startswith("debounce")} == {"debounce-dropped", "debounce-halved"}
    conditions = [sentence for _, sentence in sentences if "condition" in sentence]
    assert sorted(conditions) == [
        "required of a applies even if its condition is false", "the condition of required of a is never true", "the condition of required of a is reversed",
    ]  # fmt: skip
