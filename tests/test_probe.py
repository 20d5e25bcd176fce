"""Probe: the script of a form's behaviour at its limits passes as written, and shows when another form differs."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Fox, answers, free_port, waited

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SAMPLES = Path(__file__).parent / "samples"


@pytest.mark.parametrize("sheet", sorted([*DEMO.glob("*.form.yaml"), *SAMPLES.glob("*.form.yaml")]), ids=lambda path: path.name)
def test_a_probe_passes_as_written(fox: Fox, sheet: Path) -> None:
    shutil.copy(sheet, fox.folder / sheet.name)
    done = fox("probe", sheet.name, "--write", "p.fox")
    assert done.returncode == 0, done.stderr
    count = int(done.stdout.split()[0])
    run = fox("run", "p.fox")
    assert f"{count} passed" in run.stdout, run.stdout
    assert fox("format", "--check", "p.fox").returncode == 0


def test_a_page_is_probed_by_its_own_rules(fox: Fox) -> None:
    page = DEMO / "lost-property.html"
    shutil.copy(page, fox.folder / page.name)
    (fox.folder / "other.html").write_text(page.read_text("utf-8").replace("required", "", 1))
    done = fox("probe", "lost-property.html#lost", "--write", "p.fox", "--report", "json=p.json", "--report", "html=p.html", "--figure", "p.svg")
    found = json.loads((fox.folder / "p.json").read_text("utf-8"))
    assert done.stdout.startswith(" 37 scenarios"), done.stderr
    assert len(found["scenarios"]) == 37
    assert all((fox.folder / name).stat().st_size for name in ("p.html", "p.svg"))
    assert "37 passed" in fox("run", "p.fox").stdout
    assert fox("probe", "lost-property.html#lost", "--against", "other.html#lost").returncode == 1


@pytest.mark.parametrize(("sheet", "says"), [
    # A field that only a choice and then a number show, a number beside a literal, and a code that a lookup accepts.
    ("kind: {type: select, options: [a, b], rules: [{required: true}]}\n  n: {type: number, visible: 'kind == \"b\"', rules: [{required: true}]}\n"
     "  deep: {visible: 'n > 41', rules: [{required: true}]}\n", "left out  submission"),
    ("a: {rules: [{required: true}, {lookup: known, start: blur}]}\nlookups: {known: {takes: 1s, accept: [Q-7]}}\n", "left out  a: the rule lookup"),
    ("a: {rules: [{required: true}, {minlength: 5}, {maxlength: 4}]}\n", "submission of the whole form: nothing is accepted: no value of a is valid"),
    ("a: {rules: [{required: true}, {holds: 'len(value) > 40', id: long}]}\n", "submission of the whole form: no values were found that it accepts"),
])  # fmt: skip
def test_a_starter_script_fills_in_the_form_proves_that_nothing_fits_or_gives_up(fox: Fox, sheet: str, says: str) -> None:
    fox.write(f__form__yaml=f"form: f\nfields:\n  {sheet}")
    done = fox("scaffold", "f.form.yaml", COLUMNS="200")
    text = (fox.folder / "f.fox").read_text("utf-8")
    accepted = "expect outcome is accepted" in text
    assert accepted is not ("submission" in says and "deep" not in sheet), done.stdout
    assert (says in done.stdout) is ("deep" not in sheet), done.stdout
    assert ("deep must be filled" in text) is ("deep" in sheet)
    assert "failed" not in fox("run", "f.fox").stdout


@pytest.fixture(scope="module")
def probed(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The probe of the demo's booking."""
    fox = Fox(tmp_path_factory.mktemp("probe"))
    shutil.copy(DEMO / "booking.form.yaml", fox.folder)
    done = fox("probe", "booking.form.yaml")
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.parametrize(("old", "new"), [
    ("minlength: 8, maxlength: 8", "minlength: 7, maxlength: 8"), ("minlength: 8, maxlength: 8", "minlength: 8, maxlength: 9"), ("limit: 12", "limit: 8"), ("max: 120", "max: 119"),
    ("min: 0", "min: 1"), ("{step: 1", "{step: 2"), ("case: upper", "case: lower"), ('"night" and', '"noon" and'), ("most: 6", "most: 5"), ("{max: 3, say", "{max: 4, say"),
    ("visible: vehicle.bringing", "visible: not vehicle.bringing"), ("[A-Z]{2}[0-9]{3,5}", "[A-Z]{2}[0-9]{3,4}"), ("say: Choose a sailing.", "say: Choose one."), ("enabled: form.dirty", "enabled: form.valid"),
    ("takes: 3s, accept: [ISLE1234", "takes: 3s, accept: [ISLE1235"), ("- {unique: true, say: This name is already listed.}", ""), ("messages: one\n", "reveal: attempted\nmessages: one\n"),
])  # fmt: skip
def test_a_probe_detects_a_changed_form(fox: Fox, probed: str, old: str, new: str) -> None:
    text = (DEMO / "booking.form.yaml").read_text("utf-8")
    assert old in text
    fox.write(booking__form__yaml=text, other__form__yaml=text.replace(old, new), p__fox=probed)
    done = fox("run", "p.fox", "--subject", "other.form.yaml")
    if (old, new) in _BETWEEN:
        assert done.returncode == 0  # what lies between the boundaries is not looked at
        return
    assert done.returncode in (1, 2), done.stdout[-300:]  # a field or rule that is missing is told before anything is played
    assert re.search(r" [1-9][0-9]* (failed|errors)[ ,(]", done.stdout)


_BETWEEN = {("[A-Z]{2}[0-9]{3,5}", "[A-Z]{2}[0-9]{3,4}")}


def test_forms_that_cannot_be_probed(fox: Fox) -> None:
    fox.write(p__form__yaml="form: p\npython: r.py\nfields: {b: {rules: [{python: f}]}}\n", r__py="def f(value, form): ...\n")
    done = fox("probe", "p.form.yaml")
    assert (done.returncode, "does not support sheets with Python rules" in done.stderr + done.stdout) == (2, True)
    fox.write(a__form__yaml="form: a\nfields: {b: {}}\n")
    printed = fox("probe", "a.form.yaml")
    assert printed.stdout.startswith("# The behaviour of a at its limits")
    assert "scenario" in printed.stdout
    assert "1 scenarios" not in printed.stdout


ONLY_ON_PAGE = [
    ("boat", "tooShort"), ("boat", "tooLong"), ("crew", "valueMissing"), ("crew", "rangeUnderflow"), ("crew", "rangeOverflow"),
    ("crew", "stepMismatch"), ("plate", "patternMismatch"), ("ok", "valueMissing"),
]  # fmt: skip


def test_rules_that_only_the_page_enforces(fox: Fox) -> None:
    port = free_port()
    url = f"http://127.0.0.1:{port}/docks/north"
    server = subprocess.Popen([sys.executable, str(Path(__file__).parent / "served" / "berth.py"), str(port)])
    try:
        waited(server, lambda: answers(port))
        done = fox("probe", url, "--server", "--write", "accepted.fox", "--report", "json=p.json")
        rules = json.loads((fox.folder / "p.json").read_text("utf-8"))["rules"]
        assert [(each["address"], each["rule"]) for each in rules if each["verdict"] == "accepted"] == ONLY_ON_PAGE, done.stderr
        assert sum(each["verdict"] == "rejected" for each in rules) == 4
        assert (done.returncode, done.stdout.split(" of them")[0]) == (1, f" 13 submissions to 127.0.0.1:{port}, 12")
        assert "8 passed" in fox("run", "accepted.fox").stdout
        assert fox("format", "--check", "accepted.fox").returncode == 0
        assert "a URL needs --server" in fox("probe", url).stderr
        fox.write(in__form__yaml=f"form: in\nfields: {{boat: {{}}}}\nlive: {{page: '{url}'}}\n")
        assert "write requests: real under live" in fox("probe", "in.form.yaml", "--server").stderr
        fox.write(in__form__yaml=f"form: in\nfields: {{boat: {{rules: [required: true]}}}}\nlive: {{page: '{url}', requests: real}}\n")
        assert "the server does not accept what the form accepts" in fox("probe", "in.form.yaml", "--server").stderr
    finally:
        server.kill()
        server.wait()
