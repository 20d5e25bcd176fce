"""`idlefox rename` on the demo's files: everything still passes, and nothing changes where it cannot rename."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from conftest import Fox

DEMO = Path(__file__).resolve().parent.parent / "src" / "idlefox" / "demo"
VIEWED = """form: lamp
fields: {wick: {label: Wick}}
lookups: {wick: {takes: 1s}}
after: {accepted: {view: lit}}
views: {lit: {shows: [wick]}}
"""
LIT = 'subject "lamp.form.yaml"\nscenario "it is lit"\n    submit\n    settle\n    expect view is lit\n'


@pytest.fixture
def demo(fox: Fox) -> Fox:
    for each in DEMO.iterdir():
        if each.suffix in (".fox", ".yaml", ".html") and each.name != "aside.fox":  # which shows a failure
            shutil.copy(each, fox.folder / each.name)
    fox.write(lamp__form__yaml=VIEWED, lamp__fox=LIT)
    return fox


def test_every_script_still_passes(demo: Fox) -> None:
    before = {path: path.read_text("utf-8") for path in demo.folder.iterdir() if path.is_file()}
    dry = demo("rename", "voucher", "code", "--dry-run")
    assert "  -    type voucher" in dry.stdout and "  +    type code" in dry.stdout
    assert before == {path: path.read_text("utf-8") for path in demo.folder.iterdir() if path.is_file()}
    for old, new in (("voucher", "code"), ("passengers[*].age", "years"), ("passengers", "people"), ("contact.email", "mail"), ("lit", "burning")):
        done = demo("rename", old, new)
        assert f"{old} renamed to {new}" in done.stdout, done.stderr
    assert "expect view is burning" in (demo.folder / "lamp.fox").read_text("utf-8")
    passed = demo("run", ".")
    assert "158 scenarios: 158 passed" in passed.stdout, passed.stdout


@pytest.mark.parametrize(
    ("given", "says"),
    [
        (("vouchre", "code"), "5 sheets: no field, lookup, panel or view is named 'vouchre'"),
        (("age", "years"), "it could be passengers[*].age"),
        (("voucher", "day", "booking.form.yaml"), "a field or panel named day already exists"),
        (("voucher", "two words"), "'two words' is not a valid name"),
        (("wick", "flame"), "'wick' names a lookup and a field"),
        (("done", "over"), "done is a built-in view"),
        (("lit", "burning", "lamp.form.yaml"), "half.fox:3:5: expected a step or `expect`, found frob"),
        (("lit", "burning", "broken.form.yaml"), "broken.form.yaml:2:1: invalid YAML"),
        (("voucher", "code", "gone.form.yaml"), "gone.form.yaml: no sheet is there"),
    ],
)  # fmt: skip
def test_what_cannot_be_renamed_changes_nothing(demo: Fox, given: tuple[str, ...], says: str) -> None:
    if "lit" in given:
        demo.write(broken__form__yaml="form: [", half__fox='subject "lamp.form.yaml"\nscenario "it"\n    frob wick\n')
    before = {path: path.read_bytes() for path in demo.folder.iterdir() if path.is_file()}
    done = demo("rename", *given)
    assert (done.returncode, says in " ".join(done.stderr.split())) == (2, True), done.stderr
    assert before == {path: path.read_bytes() for path in demo.folder.iterdir() if path.is_file()}
