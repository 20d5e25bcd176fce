"""Scripts from Python and as items of pytest."""

from __future__ import annotations

import os
import subprocess
import sys
import typing
from pathlib import Path

import pytest
from conftest import Fox

import idlefox
from idlefox import Failure, run

SCRIPT = """subject "f.form.yaml"
scenario "holds" [fast]
    type a "x"
    expect a = "x"
scenario "a row of $n" [with-dash, slow]
    with n
        "1"
        "2"
    type a $n
    expect a = "1"
scenario "known" known "ticket 4"
    expect a = "z"
scenario "aside" aside "later"
    reset
scenario "warns"
    reset
"""


@pytest.fixture
def scripts(fox: Fox) -> Fox:
    return fox.write(f__form__yaml="form: f\nfields: {a: {label: A}}\n", a__fox=SCRIPT, bad__fox="frob\n", test_own__py="def test_own(): pass\n")


def items(fox: Fox, *args: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "-p", "no:cov", "-p", "no:xdist", "-p", "no:hypothesispytest", "--rootdir=.", "-rA", *args]
    env = {name: value for name, value in os.environ.items() if name != "PYTEST_ADDOPTS"}  # coverage is measured outside
    return subprocess.run(command, cwd=fox.folder, env=env, capture_output=True, text=True, check=False)


def test_scenarios_are_items_of_pytest(scripts: Fox) -> None:
    done = items(scripts, "--fox", "a.fox")
    for line in (
        "PASSED a.fox::holds", "PASSED a.fox::a row of 1[row 1]", "FAILED a.fox::a row of 2[row 2]", "XFAIL a.fox::known - ",
        "1 failed, 3 passed, 1 skipped, 1 xfailed, 1 warning", 'expected  "1"\n      found     "2"', "a.fox:10:14", "this scenario has no check",
    ):  # fmt: skip
        assert line in done.stdout, done.stdout
    assert "a.fox:13: later" in done.stdout
    assert "PytestUnknownMarkWarning" not in done.stdout


@pytest.mark.parametrize(("args", "outcome"), [
    (("--fox", "-m", "fast"), "1 passed"), (("--fox", "a.fox", "-m", "with-dash and slow", "--strict-markers"), "1 failed, 1 passed"), (("--fox", "a.fox", "-k", "holds"), "1 passed"),
    (("--fox", "-x", "a.fox"), "1 failed, 2 passed"), ((), "1 passed"), (("-o", "idlefox=true", "test_own.py", "a.fox", "-k", "own or holds"), "2 passed"),
])  # fmt: skip
def test_pytest_options_select_items(scripts: Fox, args: tuple[str, ...], outcome: str) -> None:
    (scripts.folder / "bad.fox").unlink()
    assert outcome in items(scripts, *args).stdout.splitlines()[-1]


def test_an_invalid_script_is_a_collection_error(scripts: Fox) -> None:
    done = items(scripts, "--fox", "bad.fox")
    assert "bad.fox:1:1: expected " in done.stdout
    assert "Traceback" not in done.stdout
    assert done.returncode == 2


def test_a_run_is_data(scripts: Fox) -> None:
    result = run(scripts.folder / "a.fox", tags="slow or fast")
    assert [(s.title, s.row, s.line, s.verdict, s.passed) for s in result.scenarios] == [
        ("holds", 0, 2, "pass", True), ("a row of 1", 1, 7, "pass", True), ("a row of 2", 2, 8, "fail", False),
    ]  # fmt: skip
    assert not result.passed
    failure = result.scenarios[2].failures[0]
    assert isinstance(failure, Failure)
    assert (failure.line, failure.column, failure.check, failure.expected, failure.found) == (10, 14, 'expect a = "1"', '"1"', '"2"')
    assert failure.text in result.text
    assert run(str(scripts.folder / "a.fox"), match="HOLDS").passed
    assert run(scripts.folder, tags=["fast"], jobs=2).problems[0].message.startswith("expected ")
    other = scripts.folder / "other"
    other.mkdir()
    (other / "g.form.yaml").write_text("form: g\nfields: {b: {}}\n")
    assert "has no field 'a'" in run(scripts.folder / "a.fox", subject=other / "g.form.yaml").text


@pytest.mark.parametrize(("wishes", "says"), [({"tags": "a and"}, "expected a tag"), ({"jobs": 0}, "jobs must be 1 or more"), ({"jobs": 2, "on": "tcp://127.0.0.1:1"}, "use either jobs or on")])
def test_wishes_that_cannot_be_meant(wishes: typing.Any, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        run("a.fox", **wishes)


def test_missing_files_and_no_matches_do_not_pass(scripts: Fox) -> None:
    assert not run("nowhere.fox").passed
    assert run(scripts.folder / "a.fox", match="nothing like it").problems[0].message == "no scenario matches the tags and the title"
    assert set(idlefox.__all__) == {"Failure", "Problem", "Result", "Scenario", "__version__", "run"}
    assert (Path(idlefox.__file__).parent / "py.typed").exists()
