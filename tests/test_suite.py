"""Everyday use of a suite: reports for machines, and the options of `run` that a team uses daily."""

from __future__ import annotations

import gc
import json
import re
import subprocess
import sys
import textwrap
import threading
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema_rs
import pytest
from conftest import Fox
from hypothesis import given
from hypothesis import strategies as st
from junitparser import JUnitXml
from tap.parser import Parser

from idlefox.commands.progress import Progress
from idlefox.playing.player import RunOptions, load_script
from idlefox.playing.results import ScenarioResult
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.playing.tags import TagError, read_tags

SHEET = "form: f\nfields: {a: {label: A}}\n"
# Titles and texts that reports have to escape; what is known, aside, a table; what cannot be played.
ODD = r"""subject "f.form.yaml"
scenario "odd # \\ <b>& \u0007" [x] aside "later #1"
    submit
scenario "known" [x, y] known "ticket <12>"
    expect view is done
scenario "row $a" [y]
    with a
        "p"
        "q"
    type a $a
    expect a = "p"
scenario "\u001b[31m"
    type a "\u0000</script>\ud800"
    expect a = "]]>"
    expect form is clean
    wait 2s
"""


@pytest.fixture
def suite(fox: Fox) -> Fox:
    many = "".join(f'scenario "many {i}"\n    type a "{i}"\n    expect a = "{i if i % 40 else "x"}"\n' for i in range(120))
    return fox.write(f__form__yaml=SHEET, odd__fox=ODD, many__fox='subject "f.form.yaml"\n' + many, bad__fox='scenario "x"\n    frob <a>\n')


def data_of(fox: Fox, *args: str) -> Any:
    """The JSON report of a run, without its times."""
    fox("run", *args, "--quiet", "--report", "json=data.json")
    return json.loads(re.sub(r'"seconds": [^,\n]*', '"seconds": 0', (fox.folder / "data.json").read_text()))


def played(data: Any) -> list[tuple[str, str]]:
    return [(script["file"], scenario["title"]) for script in data["scripts"] for scenario in script["scenarios"]]


def test_standard_readers_accept_the_reports(suite: Fox) -> None:
    done = suite("run", "odd.fox", "bad.fox", "--report", "json=out/r.json", "--report", "tap=out/r.tap", "--report", "xml=out/r.xml")
    assert done.returncode == 2
    summary = json.loads((suite.folder / "out/r.json").read_text())["summary"]
    assert summary == {"scenarios": 5, "passed": 1, "failed": 2, "known": 1, "aside": 1, "unsteady": 0, "errors": 1}
    suites = JUnitXml.fromfile(str(suite.folder / "out/r.xml"))
    assert (suites.tests, suites.failures, suites.errors, suites.skipped) == (6, 2, 1, 2)
    first, second = suites
    assert [case.name for case in first] == ["odd # \\ <b>& \\x07", "known", "row p [row 1]", "row q [row 2]", "\\x1b[31m"]
    case = ET.parse(suite.folder / "out/r.xml").getroot()[0][4]
    assert case[0].attrib == {"type": "check", "message": 'expected "]]>", found "\\u0000</script>\\ud800"'}
    assert "odd.fox:14:14\n" in (case[0].text or "")
    assert [(case.name, case.classname, type(case.result[0]).__name__) for case in second] == [("bad.fox", "bad", "Error")]
    text = (suite.folder / "out/r.tap").read_text()
    inner = textwrap.dedent(text[text.index("    1..5") : text.index("\nnot ok 1")])
    for part, points in ((text, [(False, "bad.fox")]), (inner, [(True, "odd"), (False, "known"), (True, "row p"), (False, "row q"), (False, "\\\\x1b")])):
        lines = [line for line in Parser().parse_text(part) if line.category == "test"]
        found = [(line.ok, line.description) for line in lines][-len(points) :]
        assert all(ok is wanted and name.startswith(f"- {says}") for (ok, name), (wanted, says) in zip(found, points, strict=True)), found
    assert "ok 1 - odd \\# \\\\ <b>& \\\\x07 (odd.fox:2) # SKIP later \\#1" in inner
    assert "# TODO ticket <12>" in inner
    assert "# SKIP later \\#1" in inner
    schema = jsonschema_rs.validator_for(json.loads(suite("schema", "--of", "report").stdout))
    assert schema.is_valid(json.loads((suite.folder / "out/r.json").read_text()))
    change = jsonschema_rs.validator_for(json.loads(suite("schema", "--of", "trace").stdout))
    lines = suite("trace", "odd.fox:12", "--json").stdout.splitlines()
    assert lines
    assert all(change.is_valid(json.loads(line)) for line in lines)
    virtual = [s["virtual_ms"] for s in json.loads((suite.folder / "out/r.json").read_text())["scripts"][0]["scenarios"]]
    assert virtual == [0, 0, 0, 0, 0]  # the last one failed before it waited


def test_unwritable_reports_are_errors_and_the_others_are_written(suite: Fox) -> None:
    done = suite("run", "many.fox:2", "--report", "xml=odd.fox/r.xml", "--report", "json=r.json")
    assert done.returncode == 2
    assert "the report cannot be written to odd.fox/r.xml: " in done.stderr
    assert (suite.folder / "r.json").exists()
    assert "1 scenario: 0 passed, 1 failed" in done.stdout
    assert "two reports would be written to" in suite("run", "--report", "xml=a", "--report", "json=./a").stderr
    assert suite("run", "many.fox:3", "--report", "json=-", "--report", "tap=-").returncode == 2


def test_all_that_cannot_be_used_is_counted(suite: Fox) -> None:
    (suite.folder / "empty").mkdir()
    assert " 0 scenarios: 0 passed, 2 errors (" in suite("run", "bad.fox", "empty").stdout
    suite.write(x__fox='subject "f.form.yaml"\nscenario "x"\n    tpye a "x"\n    tpye a "y"\n')
    assert " 0 passed, 4 errors (" in suite("run", "bad.fox", "x.fox", "empty").stdout


def test_shards_are_disjoint_complete_and_stable(suite: Fox) -> None:
    parts = [played(data_of(suite, "many.fox", "odd.fox", "--shard", f"{k}/4")) for k in (1, 2, 3, 4)]
    whole = played(data_of(suite, "many.fox", "odd.fox"))
    assert sorted(each for part in parts for each in part) == sorted(whole)
    assert all(len(part) > 10 for part in parts)
    script = (suite.folder / "many.fox").read_text().replace('scenario "many 7"', 'scenario "new"\n    submit\nscenario "many 7"')
    suite.write(many__fox=script)
    again = played(data_of(suite, "./many.fox", "odd.fox", "--shard", "2/4"))
    assert [title for _, title in again if title != "new"] == [title for _, title in parts[1]]


@pytest.mark.parametrize("more", [(), ("--stop-after", "2"), ("--order", "shuffled", "--seed", "5"), ("--order", "shuffled", "--seed", "5", "--stop-first")])
def test_processes_change_nothing(suite: Fox, more: tuple[str, ...]) -> None:
    script = (suite.folder / "many.fox").read_text()
    suite.write(many__fox=script + "# " + "x" * 100_000 + "\n")  # long enough to be several tasks
    one = data_of(suite, ".", *more)
    assert data_of(suite, ".", *more, "--jobs", "3") == one
    assert len(one["scripts"]) == (3 if "after" not in str(more) and "first" not in str(more) else len(one["scripts"]))


def test_a_shuffled_order_is_printed_and_repeatable(suite: Fox) -> None:
    done = suite("run", "many.fox", "--order", "shuffled")
    seed = re.search(r"--order shuffled --seed (\d+)", done.stdout)
    assert seed is not None
    told = suite("run", "many.fox", "--order", "shuffled", "--seed", seed[1], "--verbose").stdout
    order = re.findall(r"^   (?:passed|FAILED) .*(many \d+)$", told, re.MULTILINE)
    assert order[:3] != ["many 0", "many 1", "many 2"]
    listed = re.findall(r"many \d+", suite("run", "many.fox", "--order", "shuffled", "--seed", seed[1], "--list").stdout)
    assert order == listed
    assert played(data_of(suite, "many.fox", "--order", "shuffled", "--seed", seed[1])) == played(data_of(suite, "many.fox"))


def test_failed_finds_scenarios_whose_line_moved(suite: Fox) -> None:
    assert " no last run in this folder, so every scenario runs" in suite("run", "--failed", "odd.fox").stdout
    assert played(data_of(suite, ".", "--failed"))[-2:] == [("odd.fox", "row q"), ("odd.fox", "\x1b[31m")]
    suite.write(odd__fox=ODD.replace("scenario", "# moved\n\nscenario").replace('expect a = "p"', "expect a is filled"))
    done = suite("run", "--failed")
    assert "2 scenarios: 1 passed, 1 failed" in done.stdout
    suite.write(odd__fox=ODD[: ODD.index('scenario "\\u001b')] + 'scenario "\\u001b[31m"\n    expect a = ""\n')
    assert "1 scenario: 1 passed" in suite("run", "--failed").stdout
    done = suite("run", "--failed")
    assert (done.returncode, done.stdout) == (0, " nothing to do: every scenario of the last run passed\n")
    assert (suite.folder / ".idlefox" / ".gitignore").read_text() == "*\n"
    (suite.folder / ".idlefox" / "last-run.json").write_text('{"fallen": 3')
    assert "no last run in this folder" in suite("run", "--failed", "odd.fox").stdout


def test_watch_runs_the_affected_scenarios(suite: Fox) -> None:
    suite.write(g__form__yaml="form: g\nfields: {a: {}}\n", g__fox='use "shared.fox"\nsubject "g.form.yaml"\nscenario "g"\n    do it\n', shared__fox="routine it\n    expect a = \"\"\n")
    (suite.folder / "bad.fox").unlink()
    program = subprocess.Popen([sys.executable, "-u", "-m", "idlefox", "run", "--watch"], cwd=suite.folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    assert program.stdin is not None
    timer = threading.Timer(60, program.kill)
    timer.start()

    def until_it_watches() -> str:
        text = ""
        for line in program.stdout:  # type: ignore[union-attr]
            text += line
            if " watching " in line:
                break
        return text

    assert "126 scenarios" in until_it_watches()
    for name, text, says in (("shared.fox", 'routine it\n    expect a = "x"\n', "1 scenario: 0 passed, 1 failed"), ("g.form.yaml", "form: g\nfields: {a: {initial: x}}\n", "1 scenario: 1 passed")):
        (suite.folder / name).write_text(text)
        told = until_it_watches()
        assert f"{name} changed" in told
        assert says in told
    for key, says in (("f", "odd.fox "), ("", "126 scenarios")):
        program.stdin.write(key + "\n")
        program.stdin.flush()
        told = until_it_watches()
        assert says in told
        assert ("g.fox" in told) == (key == "")
    program.stdin.write("q\n")
    program.stdin.flush()
    assert program.wait() == 1
    timer.cancel()


def test_interrupted_runs_write_complete_marked_reports(suite: Fox) -> None:
    suite.write(g__form__yaml="form: g\npython: r.py\nfields: {a: {rules: [{python: ends}]}}\n", g__fox='subject "g.form.yaml"\nscenario "g"\n    type a "1"\n',
                r__py="import os, signal, time\n\ndef ends(value, form):\n    os.kill(os.getppid(), signal.SIGTERM)\n    time.sleep(60)\n")  # fmt: skip
    kinds = ("json", "tap", "xml", "html")
    done = suite("run", "odd.fox", "g.fox", "many.fox", "--trust", *(f"--report={kind}=r.{kind}" for kind in kinds))
    assert done.returncode == 130
    texts = {kind: (suite.folder / f"r.{kind}").read_text() for kind in kinds}
    assert json.loads(texts["json"])["interrupted"] is True
    assert texts["tap"].endswith("Bail out! interrupted\n")
    assert ET.fromstring(texts["xml"])[-1][0].attrib["name"] == "interrupted"
    assert "interrupted: not everything ran" in texts["html"]
    assert texts["html"].endswith("</html>")
    assert "5 scenarios" in done.stdout
    assert played(json.loads((suite.folder / "r.json").read_text()))[0][0] == "odd.fox"


def test_the_line_of_progress_says_how_far_it_is() -> None:
    progress = Progress([SelectedScript("a.fox"), SelectedScript("b.fox"), SelectedScript("c.fox")], quiet=False)
    held = ScenarioResult("b.fox", 1, 0, "t", (), "pass")
    progress.script_done([held, held._replace(verdict="fail")])
    progress.begun("b.fox", 4)
    for result in (held, held._replace(verdict="fail")):
        progress.told(result)
    assert progress.line(3.0) == " 4 done   2 failed   1 of 3 scripts   b.fox   about 3 s left"
    progress.script_done([held] * 4)
    assert progress.line(0.5) == " 6 done   2 failed   2 of 3 scripts"
    assert not progress.shown  # nobody would see it here


@pytest.mark.parametrize(("args", "says"), [
    (("--tag", "x and"), "--tag: expected a tag before the end, at column 6"), (("--tag", "(x or y"), "expected `)` before the end, at column 8"),
    (("--tag", "x y"), "expected `and` or `or`, found 'y' at column 3"), (("--shard", "3/2"), "needs K/N"), (("--seed", "1"), "needs --order shuffled"),
    (("--watch", "--report", "json=r.json"), "--watch cannot be combined with --report"), (("--stop-after", "0"), "must be 1 or more"),
])  # fmt: skip
def test_options_that_cannot_be_meant(suite: Fox, args: tuple[str, ...], says: str) -> None:
    done = suite("run", "odd.fox", *args)
    assert done.returncode == 2
    assert says in done.stderr


def test_the_slowest_and_where_a_run_was_stopped(suite: Fox) -> None:
    done = suite("run", "many.fox", "--slowest", "2", "--stop-after", "2")
    assert done.stdout.count(" s  many.fox:") == 2
    assert "41 scenarios: 39 passed, 2 failed" in done.stdout
    assert "stopped after 2 failures" in done.stdout


Expr = tuple[str, Callable[[set[str]], bool]]
_TAG: st.SearchStrategy[Expr] = st.sampled_from(["a", "b", "c-d", "nota"]).map(lambda t: (t, lambda tags: t in tags))
_EXPR: st.SearchStrategy[Expr] = st.recursive(_TAG, lambda inner: st.one_of(
    inner.map(lambda e: (f"not ({e[0]})", lambda tags: not e[1](tags))),
    st.tuples(inner, inner).map(lambda p: (f"({p[0][0]}) or({p[1][0]})", lambda tags: p[0][1](tags) or p[1][1](tags))),
    st.tuples(inner, inner).map(lambda p: (f"({p[0][0]}) and ({p[1][0]})", lambda tags: p[0][1](tags) and p[1][1](tags))),
))  # fmt: skip


@given(_EXPR, st.sets(st.sampled_from(["a", "b", "c-d", "nota", "e"])))
def test_expressions_over_tags_mean_what_they_say(expression: Expr, tags: set[str]) -> None:
    assert read_tags(expression[0])(tags) is expression[1](tags)


@pytest.mark.parametrize(("text", "tags", "fits"), [
    ("a or b and c", {"a"}, True), ("a and b or c", {"c"}, True), ("not a and b", {"b"}, True), ("not a and b", {"a", "b"}, False), ("not not a", {"a"}, True),
])  # fmt: skip
def test_and_binds_closer_than_or_and_not_closest(text: str, tags: set[str], fits: bool) -> None:
    assert read_tags(text)(tags) is fits
    with pytest.raises(TagError):
        read_tags(text + ")")


def test_two_runs_at_once_and_a_folder_that_cannot_be_written(suite: Fox) -> None:
    (suite.folder / ".idlefox").write_text("in the way")
    assert suite("run", "many.fox:3").returncode == 1
    Path(suite.folder / ".idlefox").unlink()
    runs = [subprocess.Popen([sys.executable, "-m", "idlefox", "run", name, "-q"], cwd=suite.folder, stdout=subprocess.DEVNULL) for name in ("odd.fox", "many.fox") * 3]
    assert {run.wait() for run in runs} == {1}
    assert json.loads((suite.folder / ".idlefox" / "last-run.json").read_text())["fallen"]


def test_a_script_that_is_made_ready_leaves_nothing_to_the_collector(fox: Fox) -> None:
    """What would be garbage then stays for ever, since what is there of a large script is taken out of the collector's sight."""
    steps = "".join(f'scenario "{n}"\n    type a "{n}"\n    expect cannot type a "x"\n    expect a breaks tooLong\n' for n in range(200))
    fox.write(f__form__yaml="form: f\nfields: {a: {rules: [{maxlength: 2}]}}\n", a__fox='subject "f.form.yaml"\n' + steps)
    subjects = Subjects()
    for _ in range(2):  # the first time the form is read
        gc.collect()
        gc.disable()
        try:
            load_script(SelectedScript(str(fox.folder / "a.fox")), RunOptions(), subjects)
            left = gc.collect()
        finally:
            gc.enable()
    assert left < 5
