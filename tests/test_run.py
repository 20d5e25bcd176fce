"""`idlefox run` from a person's point of view: exit codes, reports, selection, and invalid files."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from conftest import Fox, waited

from idlefox.commands.files import write_whole
from idlefox.commands.run import command
from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.results import Results, Run
from idlefox.playing.select import SelectedScript
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.subjects import Subjects

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SHEET = """
form: small
fields:
  code: {label: Code, rules: [{required: true, say: A code, id: needed}, {minlength: 3, say: Too short.}]}
""".replace("A code,", "'A code, please.',")
SCRIPT = """subject "f.form.yaml"

scenario "holds" [good]
    type code "abc"
    expect code is valid

scenario "fails" [bad, slow]
    type code "ab"
    blur
    expect code shows "Too long."
    expect code is valid
    type code "x"
    expect code is invalid

scenario "the length of $text" [table]
    with text, verdict
        "ab", "invalid"
        "abc", "valid"
        "", "valid"
    type code $text
    expect code is $verdict
"""


@pytest.fixture
def small(fox: Any) -> Any:
    return fox.write(f__form__yaml=SHEET, a__fox=SCRIPT)


def test_a_failure_names_the_last_step_that_changed_the_field_also_where_it_is_the_last_step(fox: Fox) -> None:
    fox.write(f__form__yaml="form: f\nfields: {a: {}, b: {}}\n", a__fox='subject "f.form.yaml"\nscenario "s"\n    type a "x"\n    type b "y"\n    expect b = ""\n    expect a = ""\n')
    told = fox("run", "a.fox").stdout
    assert 'last changed by line 4: type b "y"' in told
    assert 'last changed by line 3: type a "x"' in told


def test_a_run_prints_totals_and_every_failure(small: Any) -> None:
    done = small("run", "a.fox")
    assert done.returncode == 1
    assert done.stderr == ""
    assert "3 passed   2 failed" in done.stdout
    assert "FAILED  a.fox:7  fails" in done.stdout
    assert 'expected  "Too long."\n      found     "Too short."' in done.stdout
    assert 'last changed by line 8: type code "ab"' in done.stdout
    assert "expect code is invalid" not in done.stdout  # the scenario ended before the step in front of it
    assert "row at line 19" in done.stdout
    assert "5 scenarios: 3 passed, 2 failed" in done.stdout


def test_the_json_report_is_the_same_but_for_the_seconds(small: Any) -> None:
    def report() -> Any:
        data = json.loads(small("run", "--report", "json=-", "a.fox").stdout)

        def strip(part: Any) -> Any:
            if isinstance(part, dict):
                return {k: strip(v) for k, v in part.items() if k != "seconds"}
            return [strip(v) for v in part] if isinstance(part, list) else part

        return strip(data)

    data = report()
    assert data == report()
    assert data["format"] == 1
    assert data["summary"] == {"scenarios": 5, "passed": 3, "failed": 2, "known": 0, "aside": 0, "unsteady": 0, "errors": 0}
    scenario = data["scripts"][0]["scenarios"][1]
    assert (scenario["line"], scenario["row_line"], scenario["title"], scenario["tags"]) == (7, None, "fails", ["bad", "slow"])
    failure = scenario["failures"][0]
    assert (failure["line"], failure["expected"], failure["found"]) == (10, '"Too long."', '"Too short."')
    assert [s["row_line"] for s in data["scripts"][0]["scenarios"][2:]] == [17, 18, 19]


@pytest.mark.parametrize(("args", "count"), [
    (["a.fox:8"], 1), (["a.fox:18"], 1), (["a.fox:21"], 3), (["a.fox", "--tag", "good"], 1),
    (["a.fox", "--tag", "good", "--tag", "table"], 4), (["a.fox", "--match", "LENGTH OF AB"], 2),
    ([".", "--stop-first"], 2), ([], 5), (["a.fox", "b.fox", "--jobs", "2"], 10),
])  # fmt: skip
def test_scenarios_are_chosen_by_line_tag_and_title(small: Any, args: list[str], count: int) -> None:
    if "b.fox" in args:
        small.write(b__fox=SCRIPT)
    done = small("run", "--report", "json=r.json", *args)
    assert json.loads((small.folder / "r.json").read_text())["summary"]["scenarios"] == count, done.stdout


@pytest.mark.parametrize(("args", "says"), [
    (["a.fox:2"], "no scenario at line 2"),
    (["nowhere.fox"], "file not found"),
    (["a.fox", "--tag", "god"], "no scenario matches --tag god"),
    (["a.fox", "--subject", "g.form.yaml"], "file not found"),
    (["a.fox", "--report", "pdf=x"], "unknown kind of report 'pdf'"),
    (["a.fox", "--report", "json=a.fox/r.json"], "cannot be written"),
    (["a.fox", "--subjcet", "x"], "unknown option"),
])  # fmt: skip
def test_unusable_input_exits_with_2(small: Any, args: list[str], says: str) -> None:
    done = small("run", *args)
    assert done.returncode == 2
    assert says in done.stderr + done.stdout
    assert "Traceback" not in done.stderr


NESTED = b"".join(b" " * i + b"inside code\n" for i in range(4, 4000, 4))
DEEP = "[" * 1000 + "]" * 1000


@pytest.mark.parametrize(("name", "content", "says"), [
    ("bad.fox", b"scenario \"x\"\n    note \"\xff\"\n", "bad.fox:2:11: this is not UTF-8"),
    ("bad.fox", b"", "no scenario in bad.fox"),
    ("bad.fox", b"# only a comment\n", "no scenario in bad.fox"),
    ("bad.fox", b'subject "f.form.yaml"\nscenario "x"\n    set code ' + DEEP.encode(), "nested deeper than"),
    ("bad.fox", b'subject "f.form.yaml"\nscenario "x"\n    set code ' + b"9" * 400, "is too large"),
    ("bad.fox", b'subject "f.form.yaml"\nscenario "x"\n    expect code shows like /(/\n', "not an ECMAScript pattern"),
    ("bad.fox", b'subject "f.form.yaml"\nscenario "' + b"x" * 10_000_000, "no closing double quote"),
    ("bad.fox", b'subject "f.form.yaml"\n' + b'scenario "x"\n' + NESTED, "nested deeper"),
    ("f.form.yaml", b"a: " + DEEP.encode(), "nested deeper than"),
    ("f.form.yaml", b"a: " + b"[" * 200_000, "nested deeper than"),
    ("f.form.yaml", b"a:\n  " + b"- " * 200_000, "nested deeper than"),
    ("f.form.yaml", b"form: f\nfields: {a: [}\xc2\x85]}\n", "invalid YAML"),
    ("f.form.yaml", "\n".join(" " * i + "a:" for i in range(1000)).encode(), "nested deeper than"),
    ("f.form.yaml", b"form: f\nfields: {code: {type: number, initial: " + b"9" * 400 + b"}}", "is too large"),
    ("f.form.yaml", b"form: f\nfields: {code: {rules: [{pattern: '('}]}}", "not an ECMAScript pattern"),
    ("f.form.yaml", b"", "the sheet is empty"),
    ("f.form.yaml", b"form: \xfe", "not UTF-8"),
    ("f.form.yaml", b"- a", "a sheet must be a mapping"),
    ("f.form.yaml", b"form: f\nfields:\n\tcode: {}", "indent with spaces"),
    ("f.form.yaml", b"a: &a [*a]\nform: f", "contains itself"),
    ("f.form.yaml", b"x" * 10_000_000, "a sheet must be a mapping"),
])  # fmt: skip
def test_a_bad_file_is_a_located_error_and_the_others_run(small: Any, name: str, content: bytes, says: str) -> None:
    small.write(good__form__yaml=SHEET, good__fox='subject "good.form.yaml"\nscenario "fine"\n    expect code is invalid\n')
    (small.folder / "a.fox").unlink()
    if name.endswith(".yaml"):
        small.write(bad__fox='subject "f.form.yaml"\nscenario "x"\n    expect code is valid\n')
    (small.folder / name).write_bytes(content)
    done = small("run", ".")
    assert done.returncode == 2
    assert says in done.stdout
    assert "Traceback" not in done.stdout + done.stderr
    assert len(done.stdout) < 20_000
    assert "good.fox" in done.stdout
    assert "1 passed" in done.stdout


def test_a_folder_named_like_a_script_and_a_folder_without_any(small: Any) -> None:
    (small.folder / "dir.fox").mkdir()
    assert "this folder contains no script (*.fox)" in small("run", "dir.fox").stderr


def test_a_closed_pipe_is_no_traceback(small: Any) -> None:
    command = f"{sys.executable} -m idlefox run -v a.fox a.fox | head -n 1"
    done = subprocess.run(command, shell=True, cwd=small.folder, capture_output=True, text=True, timeout=60, check=False)
    assert done.stderr == ""


def test_colours_only_where_they_are_wanted(small: Any) -> None:
    assert "\x1b[" not in small("run", "a.fox").stdout
    assert "\x1b[" in small("run", "--color", "always", "a.fox").stdout


@pytest.mark.parametrize("width", [40, 80, 120])
def test_lines_fit_the_terminal(small: Any, width: int) -> None:
    done = small("run", "a.fox", COLUMNS=str(width))
    assert max(map(len, done.stdout.split("\n"))) <= width


def test_the_configuration_is_found_upwards_and_the_command_line_wins(small: Any) -> None:
    small.write(
        idlefox__toml='scripts = ["b.fox"]\nsubject = "f.form.yaml"\nreport = "json=r.json"\n',
        b__fox='scenario "no subject of its own"\n    expect code is invalid\n',
    )
    below = small.folder / "below"
    below.mkdir()
    done = subprocess.run([sys.executable, "-m", "idlefox", "run"], cwd=below, capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 0, done.stderr
    assert (below / "r.json").exists()
    assert small("run", "a.fox").returncode == 1
    small.write(idlefox__toml='scirpts = ["b.fox"]\n')
    assert "did you mean 'scripts'?" in small("run").stderr
    small.write(idlefox__toml="scripts = [\n")
    assert "invalid TOML" in small("run").stderr
    (small.folder / "idlefox.toml").unlink()
    small.write(pyproject__toml='[tool.idlefox]\nscripts = "b.fox"\nsubject = "f.form.yaml"\n')
    assert small("run").returncode == 0


def test_other_commands(small: Any) -> None:
    assert json.loads(small("schema").stdout)["$schema"].endswith("2020-12/schema")
    outline = small("outline", "f.form.yaml")
    assert outline.returncode == 0
    assert "Too short." in outline.stdout
    assert small("outline", "no.form.yaml").returncode == 2
    lines = [json.loads(line) for line in small("trace", "a.fox:8", "--json").stdout.splitlines()]
    assert {"step": 1, "ms": 0, "cell": "code", "property": "reads", "before": "a", "after": "ab", "file": "a.fox", "line": 8} in lines
    assert small("trace", "a.fox:3", "--json").stdout == small("trace", "a.fox:3", "--json", PYTHONHASHSEED="77").stdout
    assert "a.fox has 3 scenarios" in small("trace", "a.fox:15").stderr
    assert small("format", "--check", "a.fox").returncode == 1
    assert small("format", "a.fox").returncode == 0
    assert small("format", "--check", "a.fox").returncode == 0
    assert "did you mean 'run'?" in small("rnu").stderr


def test_the_demo_passes_and_its_aside_scenario_fails(fox: Any) -> None:
    done = fox("demo", "skerry")
    assert done.returncode == 0, done.stdout
    assert (fox.folder / "skerry" / "booking.fox").exists()
    assert fox("run", "skerry").returncode == 0
    assert fox("demo", "--with-failure").returncode == 1
    (fox.folder / "skerry" / "booking.fox").write_text("changed", encoding="utf-8")
    assert "booking.fox" in fox("demo", "skerry").stdout
    assert (fox.folder / "skerry" / "booking.fox").read_text(encoding="utf-8") == "changed"


def test_the_samples_hold(fox: Any) -> None:
    from pathlib import Path

    done = fox("run", str(Path(__file__).parent / "samples"))
    assert done.returncode == 0, done.stdout
    assert "92 passed" in done.stdout


def test_all_errors_of_a_sheet_are_reported_at_once(fox: Any) -> None:
    fox.write(f__form__yaml="""form: f
reveal: touchd
fields:
  a: {rules: [{requird: true, say: "{valu}"}, {minlength: two}]}
  k: {type: selct, options: [x]}
  bad: 5
  g: {type: group, fields: {q: {visible: nope}, z: {limit: many}}}
rules: [{holds: 'a = 1'}, 7]
""")
    told = [line for line in fox("outline", "f.form.yaml").stderr.split("\n") if line.startswith("f.form.yaml:")]
    assert [int(line.split(":")[1]) for line in told] == [2, 4, 4, 4, 5, 6, 7, 7, 8, 8]


def test_known_and_aside_count_apart(fox: Any) -> None:
    fox.write(f__form__yaml="form: f\nfields: {a: {}}\n", a__fox="""\
subject "f.form.yaml"

scenario "is known" [x] known "ticket 12"
    with state
        "dirty"
        "touched"
    expect a is $state

scenario "not yet" aside "waits"
    type a "x"
    expect a is dirty
""")
    done = fox("run", "-v", "a.fox")
    assert done.returncode == 0, done.stdout
    assert "3 scenarios: 0 passed, 2 known, 1 aside" in done.stdout
    assert "is known: ticket 12" in done.stdout
    assert "FAILED" not in done.stdout
    report = json.loads(fox("run", "a.fox", "--report", "json=-").stdout)
    assert (report["summary"]["known"], report["summary"]["aside"], report["summary"]["failed"]) == (2, 1, 0)
    assert [(s["verdict"], s["why"], len(s["failures"])) for s in report["scripts"][0]["scenarios"]] == [
        ("known", "ticket 12", 1), ("known", "ticket 12", 1), ("aside", "waits", 0),
    ]  # fmt: skip
    fox.write(a__fox='subject "f.form.yaml"\nscenario "mended" known "ticket 12"\n    expect a is clean\nscenario "n" aside "x"\n    turn a on\n')
    assert "turn needs a checkbox" in fox("run", "a.fox").stdout
    fox.write(a__fox='subject "f.form.yaml"\nscenario "mended" known "ticket 12"\n    expect a is clean\n')
    done = fox("run", "a.fox")
    assert done.returncode == 1
    assert "it passes now" in done.stdout


def test_scripts_from_a_pipe_and_a_first_script_for_a_sheet_of_ones_own(small: Any) -> None:
    script = 'scenario "x"\n  expect code is clean  # so\n'
    done = small("run", "-", "--subject", "f.form.yaml", piped=script)
    assert (done.returncode, "1 scenario: 1 passed" in done.stdout) == (0, True), done.stderr
    done = small("run", "-", piped='subject "f.form.yaml"\nscenario "x"\n  expect code is cleen\n')
    assert (done.returncode, "-:3:18: 'cleen'" in done.stdout) == (2, True)
    assert small("format", "-", piped=script).stdout == 'scenario "x"\n    expect code is clean  # so\n'
    assert small("format", "-", "--check", piped=script).returncode == 1
    assert "-:1:1" in small("format", "-", piped="scenaro").stderr
    before = (small.folder / "f.form.yaml").read_text()
    done = small("scaffold", "f.form.yaml", "--into", "first")
    assert done.returncode == 0, done.stderr
    assert [p.name for p in (small.folder / "first").iterdir()] == ["f.fox"]
    assert small("run", "first", "--root", ".").returncode == 0
    assert (small.folder / "f.form.yaml").read_text() == before



def test_failures_list_every_difference_and_are_repeated_at_the_end(fox: Any) -> None:
    many = ", ".join(f'"f{n}": "x"' for n in range(14))
    fields = ", ".join(f"f{n}: {{}}" for n in range(14))
    fox.write(
        f__form__yaml=f"form: f\nfields: {{{fields}}}\n",
        a__fox='subject "f.form.yaml"\nroutine r(v)\n    expect f0 = $v\nscenario "one"\n    expect values = {' + many + '}\nscenario "two"\n'
        '    do r("x")\nscenario "three"\n    expect f0 is dirty\n',
    )  # fmt: skip
    done = fox("run", "a.fox")
    assert '      where     f0 is "", not "x"\n                f1 is "", not "x"\n' in done.stdout
    assert "                and 4 more\n" in done.stdout
    assert "   a.fox:3:15\n" in done.stdout
    assert " a.fox:4  one\n a.fox:6  two\n a.fox:8  three\n\n 3 scenarios" in done.stdout
    report = json.loads(fox("run", "a.fox", "--report", "json=-").stdout)
    failure = report["scripts"][0]["scenarios"][1]["failures"][0]
    assert (failure["line"], failure["column"], failure["kind"], failure["calls"]) == (3, 15, "check", ["called from line 7"])
    assert report["scripts"][0]["scenarios"][0]["failures"][0]["reason"].count("; ") == 10
    assert "a.fox:4  one\n" not in fox("run", "a.fox:4").stdout.replace(" FAILED  a.fox:4  one\n", "")


def test_a_form_that_is_not_valid_says_which_fields_keep_it_so(fox: Any) -> None:
    fields = ", ".join(f"f{n}: {{rules: [{{required: true}}]}}" for n in range(5))
    fox.write(
        f__form__yaml=f"form: f\nfields: {{{fields}, l: {{rules: [{{lookup: b}}]}}}}\nlookups: {{b: {{takes: 1s}}}}\n",
        a__fox='subject "f.form.yaml"\nscenario "one"\n    submit\n    expect outcome is accepted\nscenario "two"\n    fill\n'
        + "".join(f'        f{n} "x"\n' for n in range(5)) + '    type l "x"\n    expect form is valid\n    blur\n    expect form is valid\n',
    )  # fmt: skip
    told = fox("run", "a.fox").stdout
    assert "      f0 breaks valueMissing\n      f1 breaks valueMissing\n      f2 breaks valueMissing\n      and 2 more\n" in told
    assert "      l is unasked\n" in told


@pytest.mark.parametrize(("line", "nearest"), [(6, 3), (8, 11), (9, 11), (99, 11), (1, 3)])
def test_a_line_without_a_scenario_names_the_nearest(fox: Any, line: int, nearest: int) -> None:
    fox.write(f__form__yaml="form: f\nfields: {a: {}}\n", a__fox="""\
subject "f.form.yaml"

scenario "one"
    expect a is clean

routine r
    blur
    blur
    blur

scenario "two"
    do r
    expect a is clean
""")
    done = fox("run", f"a.fox:{line}")
    assert f"a.fox:{line}:1: no scenario at line {line}\n→ the nearest starts at line {nearest}\n" in done.stdout


def test_missing_headers_are_errors(fox: Any) -> None:
    fox.write(a__fox='\n\nscenario "x"\n    blur\n', b__fox='subject "none.form.yaml"\nscenario "x"\n    blur\n', c__fox="# nothing\n")
    assert "a.fox:1:1: the script does not name a subject" in fox("run", "a.fox").stdout
    assert "b.fox:1:9: file not found beside the script: 'none.form.yaml'\n   1 │ subject" in fox("run", "b.fox").stdout
    done = fox("run", "c.fox")
    assert (done.returncode, "c.fox:1:1: no scenario in c.fox" in done.stdout) == (2, True)
    assert "a.fox:1:1" in fox("run", "a.fox", "c.fox", "--jobs", "2").stdout


@pytest.mark.parametrize(("command", "says"), [
    ("run bokoing.fox", "bokoing.fox: file not found\n→ did you mean 'booking.fox'?"),
    ("run nope.fox", "nope.fox: file not found\n→ that folder contains booking.fox"),
    ("run x/a.fox", "→ folder not found: 'x'"),
    ("run booking.form.yaml", "this is a form sheet, but a script is needed here\n→ idlefox outline booking.form.yaml shows it"),
    ("trace booking.form.yaml:3", "this is a form sheet, but a script is needed here"),
    ("format booking.form.yaml", "this is a form sheet, but a script is needed here"),
    ("run booking.fox:x", "booking.fox has no line 'x'\n→ name a scenario by one of its lines: booking.fox:LINE"),
    ("outline booking.fox", "this is a script, but a form sheet or an HTML page is needed here\n→ run it with: idlefox run booking.fox"),
    ("scaffold booking.fox", "this is a script"),
    ("run booking.fox --subject booking.fox", "this is a script"),
    ("run booking.fox --subject bokoing.form.yaml", "did you mean 'booking.form.yaml'?"),
    ("run booking.fox --match zzz", "idlefox run: no scenario matches --match 'zzz'\n→ list the titles and tags with --list"),
    ("run booking.fox --jobs many", "--jobs: must be a number from 1 to 256 or auto, not 'many'"),
])  # fmt: skip
def test_a_file_that_is_missing_or_of_another_kind_says_what_to_do(fox: Fox, command: str, says: str) -> None:
    for file in ("booking.fox", "booking.form.yaml"):
        shutil.copy(DEMO / file, fox.folder)
    done = fox(*command.split(), COLUMNS="200")
    assert done.returncode == 2
    assert says in done.stdout + done.stderr


def test_errors_from_the_configuration_name_it(fox: Fox) -> None:
    fox.write(idlefox__toml='subject = "a.form.yaml"\njobs = "many"\n')
    assert "idlefox.toml:2:1: jobs: must be a number from 1 to 256" in fox("run").stderr


def test_a_slip_in_a_path_is_marked_under_the_path(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\nfields: {x: {}}", b__fox='subject "aa.form.yaml"\nuse "cc.fox"\nscenario "x"\n    with csv "no/t.csv"\n    blur\n')
    told = fox("run", "b.fox").stdout
    assert "1 │ subject \"aa.form.yaml\"\n               ──────────────\n→ did you mean 'a.form.yaml'?" in told
    assert "b.fox:2:5: cc.fox: file not found" in told
    assert "b.fox:4:14: no/t.csv: file not found" in told


def test_unknown_names_are_warnings(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\nfields: {name: {send: n}, g: {type: group, fields: {h: {}}}}\nbuttons: {keep: {}}", b__fox="""subject "a.form.yaml"
scenario "x"
    submit past checks
    expect payload omits nmae, n.x, keep, g.i
    expect payload omits g.h
    expect errors != {"nam": "x"}
    expect record includes {"g": {"h": ""}}
    expect record != {"g": {"hh": ""}}
""")
    done = fox("run", "b.fox", "--report", "json=r.json", COLUMNS="200")
    warnings = json.loads((fox.folder / "r.json").read_text())["scripts"][0]["warnings"]
    assert [(w.split(": ")[0], w.split("'")[1]) for w in warnings] == [
        ("b.fox:4:20", "nmae"), ("b.fox:4:20", "x"), ("b.fox:4:20", "i"), ("b.fox:6:19", "nam"), ("b.fox:8:19", "hh"),
    ]  # fmt: skip
    assert done.returncode == 1  # g.h is sent: the check fails as ever
    assert " warning  b.fox:4:20: no field is called 'nmae', so it is never sent; did you mean 'name'?" in done.stdout


def test_list_prints_the_selected_scenarios(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\nfields: {x: {}}", c__csv="t\n1\n2\n", b__fox="""subject "a.form.yaml"
scenario "one" [quick, slow]
    expect x is clean
scenario "$t"
    with csv "c.csv"
    type x $t
""")
    assert fox("run", "b.fox", "--list").stdout == "b.fox:2  one  [quick, slow]\nc.csv:2  1\nc.csv:3  2\n"
    assert fox("run", "b.fox", "--list", "--tag", "slow").stdout == "b.fox:2  one  [quick, slow]\n"


def test_a_trace_names_expanded_lines_and_calls(fox: Fox) -> None:
    fox.write(a__form__yaml="""form: a
fields:
  crew: {type: rows, start: 2, fields: {name: {rules: [{required: true, say: "Row {row} needs a name."}]}}}
""", b__fox="""subject "a.form.yaml"
routine leave_it(i)
    blur crew[$i].name
scenario "x"
    do leave_it(1)
    remove crew[0]
    submit by "none"
    reset
""".replace('    submit by "none"\n', "    remove crew[5]\n"))
    told = fox("trace", "b.fox:4", COLUMNS="200").stdout
    assert "3 │ blur crew[1].name   0.000 s\n        blur crew[$i].name\n        called from line 5\n" in told
    assert 'shown     crew[0].name shows                 ["Row 2 needs a name."] → ["Row 1 needs a name."]' in told
    assert 'state     crew row removed                   "crew[0]"' in told
    assert "reset" not in told  # the step before it failed
    last = json.loads(fox("trace", "b.fox:4", "--json").stdout.splitlines()[-1])
    assert (last["file"], last["line"]) == ("b.fox", 6)


def test_a_fault_of_our_own_costs_its_scenario_and_nothing_else(fox: Fox, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(subject: SimulatedForm, cell: object, word: str) -> None:
        raise ZeroDivisionError("ours")

    monkeypatch.setattr(SimulatedForm, "_why_not", breaks)
    fox.write(a__form__yaml="form: a\nfields: {x: {enabled: 'false'}}", b__fox="""\
subject "a.form.yaml"
scenario "one"
    expect x is clean
scenario "two"
    expect x is enabled
scenario "three"
    expect x is disabled
""")
    result = play_script(SelectedScript(str(fox.folder / "b.fox")), RunOptions(), Subjects())
    assert [s.verdict for s in result.scenarios] == ["pass", "error", "pass"]
    assert "ZeroDivisionError: ours" in result.scenarios[1].fault
    assert Run(Results([result])).exit_code == 3
    monkeypatch.chdir(fox.folder)
    done = CliRunner().invoke(command, ["b.fox", "--report", "json=r.json"])
    assert done.exit_code == 3
    assert "an internal fault (ZeroDivisionError): this is a bug in Idle Fox" in done.output
    assert "3 scenarios: 2 passed, 1 error" in done.output
    assert json.loads((fox.folder / "r.json").read_text())["scripts"][0]["scenarios"][1]["verdict"] == "error"


@pytest.mark.parametrize(("body", "code", "says"), [
    ("import os, signal\n    os.kill(os.getpid(), signal.SIGKILL)", 2, "its process ended by SIGKILL while it ran; a Python rule may have ended it"),
    ("import os, signal\n    os.kill(os.getpid(), signal.SIGTERM)", 2, "its process ended by SIGTERM while it ran"),
    ("import os\n    os._exit(7)", 2, "its process ended with exit code 7 while it ran; a Python rule may have ended it"),
    ("import sys\n    sys.exit(0)", 1, "the Python rule bad raised SystemExit: 0"),
    ("class Mute(Exception):\n        def __str__(self): return 1 / 0\n    raise Mute()", 1, "the Python rule bad raised Mute"),
])  # fmt: skip
def test_a_crashing_trusted_rule_ends_no_other_script(fox: Fox, body: str, code: int, says: str) -> None:
    fox.write(a__form__yaml="form: a\npython: r.py\nfields: {x: {rules: [{python: bad}]}}", r__py=f"def bad(value, form):\n    {body}\n",
              a__fox='subject "a.form.yaml"\nscenario "a"\n    type x "1"\n    expect x is valid\n',
              b__form__yaml="form: b\nfields: {x: {}}", b__fox='subject "b.form.yaml"\nscenario "b"\n    expect x is clean\n',
              c__fox='subject "b.form.yaml"\nscenario "c"\n    expect x is clean\n')  # fmt: skip
    for jobs in ("1", "2"):
        done = fox("run", "--jobs", jobs, "--trust", COLUMNS="200")
        assert says in done.stdout
        assert done.returncode == code, done.stderr
        assert "2 passed" in done.stdout.splitlines()[-1]


# The rule of the scenario in the middle sleeps for good once number 5 has begun, or ends its process.
SLEEPER = {
    "f.form.yaml": "form: f\npython: r.py\nfields: {a: {rules: [{python: check}]}}\n",
    "r.py": "import os, time\ndef check(value, form):\n    if value == 'begun': open('begun', 'w').close()\n"
            "    while value == 'sleep' and not os.path.exists('begun'): time.sleep(0.01)\n"
            "    if value == 'sleep': open('asleep', 'w').close(); time.sleep(10**6)\n    if value == 'die': os._exit(7)\n",
}


def sleeper(folder: Path, word: str) -> None:
    for name, text in SLEEPER.items():
        (folder / name).write_text(text)
    scenario = 'scenario "number {}"\n    type a "{}"\n    expect a is valid\n    note "' + "x" * 200 + '"\n'
    text = "".join(scenario.format(n, {300: word, 5: "begun"}.get(n, "v")) for n in range(600))
    (folder / "long.fox").write_text('subject "f.form.yaml"\n' + text.replace('    note "', "    # "))


def test_one_scenario_that_ends_its_process_costs_no_other(fox: Fox) -> None:
    sleeper(fox.folder, "die")
    done = fox("run", "--jobs", "2", "--trust")
    assert "600 scenarios: 599 passed, 1 error" in done.stdout, done.stdout[-500:]
    assert 'ERROR  long.fox:1202  number 300' in done.stdout


@pytest.mark.parametrize(("jobs", "how"), [("1", "one"), ("2", "one"), ("2", "all"), ("2", "kill")])
def test_an_interrupted_run_reports_what_it_has_and_leaves_no_process(fox: Fox, jobs: str, how: str) -> None:
    """SIGTERM for the program alone or for all its processes; and SIGKILL, after which nothing is reported."""
    sleeper(fox.folder, "sleep")
    call = [sys.executable, "-m", "idlefox", "run", "--jobs", jobs, "--trust", "--report", "json=r.json"]
    program = subprocess.Popen(call, cwd=fox.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
    waited(program, lambda: (fox.folder / "asleep").exists())
    if how == "all":
        os.killpg(program.pid, signal.SIGTERM)
    else:
        program.send_signal(signal.SIGTERM if how == "one" else signal.SIGKILL)
    assert program.wait(60) == (130 if how != "kill" else -9)
    for _ in range(10_000):
        if subprocess.run(["pgrep", "-g", str(program.pid)], capture_output=True, check=False).returncode:
            break
    else:
        pytest.fail("a process is left")
    if how != "kill":
        report = json.loads((fox.folder / "r.json").read_text())
        played = [scenario["title"] for script in report["scripts"] for scenario in script["scenarios"]]
        assert report["interrupted"]
        numbers = [int(title.removeprefix("number ")) for title in played]
        assert numbers == sorted(set(numbers) - {300})
        assert numbers[:5] == [0, 1, 2, 3, 4]
        assert jobs == "2" or numbers == list(range(300))


def test_sigterm_is_an_interrupt(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\nfields: {x: {}}", a__fox='subject "a.form.yaml"\nscenario "a"\n    expect x is clean\n',
              b__fox='subject "b.form.yaml"\nscenario "b"\n    type x "1"\n',
              b__form__yaml="form: b\npython: r.py\nfields: {x: {rules: [{python: ends}]}}",
              r__py="import os, signal, time\n\ndef ends(value, form):\n    os.kill(os.getppid(), signal.SIGTERM)\n    time.sleep(60)\n")  # fmt: skip
    done = fox("run", "--trust", "--report", "json=r.json")
    assert done.returncode == 130
    assert "1 scenario: 1 passed" in done.stdout
    assert json.loads((fox.folder / "r.json").read_text())["summary"]["passed"] == 1


@pytest.mark.parametrize(("files", "command", "says"), [
    ({"a.fox": 'subject "f\\u0000.form.yaml"\nscenario "x"\n    reset\n'}, "run a.fox", "this is not a path: it contains a NUL character"),
    ({"a.fox": 'use "a\\u0000.fox"\nscenario "x"\n    reset\n'}, "run a.fox", "is not a path: it contains a NUL character"),
    ({"a.fox": 'use "\\ud800.fox"\nscenario "x"\n    reset\n'}, "run a.fox", "half of a surrogate pair"),
    ({"f.form.yaml": 'form: f\npage: "a\\0.html"\n'}, "outline f.form.yaml", "it contains a NUL character"),
    ({"f.form.yaml": 'form: f\nfields: {a: {rules: [{lookup: l}]}}\nlookups: {l: {table: "a\\0"}}\n'}, "outline f.form.yaml", "it contains a NUL character"),
    ({}, "run " + "x" * 300 + ".fox", "longer than 255 bytes"),
    ({}, "outline " + "x" * 300 + ".form.yaml", "longer than 255 bytes"),
    ({}, "run /dev/zero", "a device or a pipe"),
    ({}, "outline /dev/zero", "a device or a pipe"),
    ({"f.form.yaml": "form: f\nfields: {n: {}, t: {derive: {from: '" + " + ".join("n" * 900) + "'}}}"}, "outline f.form.yaml", "more than 100 terms in a row"),
    ({"s.json": '{"properties": {"a": {"properties": 5}}}'}, "scaffold s.json", "at /properties/a/properties"),
    ({"pyproject.toml": "[tool]\nidlefox = 3\n"}, "run", "start it with [tool.idlefox]"),
    ({"pyproject.toml": 'tool = "idlefox"\n'}, "run", "this folder contains no script"),
    ({"s.json": '{"properties": {"a": {"title": "\\ud800"}}}'}, "scaffold s.json", "this contains half of a surrogate pair"),
    ({"idlefox.toml": "x = " + "[" * 100_000 + "]" * 100_000}, "run", "idlefox.toml: the file is nested too deeply"),
    ({}, "run --jobs ²", "must be a number from 1 to 256"),
    ({"f.form.yaml": "form: f\npython: r.txt\nfields: {a: {rules: [{python: x}]}}", "r.txt": "", "a.fox": 'subject "f.form.yaml"\nscenario "x"\n    reset\n'},
     "run --trust", "r.txt is not a Python file"),
])  # fmt: skip
def test_misuse_is_answered_with_an_error(fox: Fox, files: dict[str, str], command: str, says: str) -> None:
    for name, text in files.items():
        (fox.folder / name).write_text(text, "utf-8")
    done = fox(*command.split(), COLUMNS="200")
    assert done.returncode == 2, done.stderr
    assert says in done.stdout + done.stderr


def test_the_name_of_a_control_may_read_like_one_of_several(fox: Fox) -> None:
    fox.write(p__html="<form><input name=mark><input name=mark><input name='mark[0]'><button>x</button></form>", a__fox="""\
subject "p.html"
scenario "x"
    type mark[0] "x"
    type mark[-1] "y"
    type ["mark[0]"] "z"
    submit
    expect request = "GET /p.html?mark=x&mark=y&mark%5B0%5D=z"
""")
    assert fox("run", "a.fox").returncode == 0


@pytest.mark.parametrize(("command", "code"), [("run a.fox --report json=deep/er/r.json", 2), ("schema", 2), ("outline f.form.yaml", 2), ("--help", 2)])
def test_a_full_disk_is_reported_and_not_an_internal_error(small: Any, command: str, code: int) -> None:
    with open("/dev/full", "wb") as full:
        done = subprocess.run([sys.executable, "-m", "idlefox", *command.split()], cwd=small.folder, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (done.returncode, done.stderr) == (code, "idlefox: some output could not be written: no space left on device\n")
    assert (small.folder / "deep/er/r.json").exists() is command.startswith("run")


def test_a_closed_pipe_changes_neither_verdict_nor_report(small: Any) -> None:
    line = f"{sys.executable} -m idlefox run a.fox --verbose --report json=r.json | true; exit ${{PIPESTATUS[0]}}"
    done = subprocess.run(["bash", "-c", line], cwd=small.folder, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (1, "")
    assert json.loads((small.folder / "r.json").read_text())["summary"]["failed"]


def test_files_are_written_completely_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    target = tmp_path / "a.fox"
    target.write_text("before")
    target.chmod(0o640)
    (tmp_path / "link.fox").symlink_to(target)
    write_whole(str(tmp_path / "link.fox"), "after é")
    assert (target.read_text("utf-8"), target.stat().st_mode & 0o777, (tmp_path / "link.fox").is_symlink()) == ("after é", 0o640, True)

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(OSError, match="No space"):
        write_whole(str(target), "half")
    assert target.read_text("utf-8") == "after é"
    assert sorted(each.name for each in tmp_path.iterdir()) == ["a.fox", "link.fox"]


def test_a_project_cannot_grant_trust_to_itself(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\npython: r.py\nfields: {x: {rules: [{python: odd}]}}", r__py="def odd(value, form):\n    return len(value) % 2 == 1\n",
              a__fox='subject "a.form.yaml"\nscenario "a"\n    type x "12"\n    expect x breaks python\n', idlefox__toml="trust = true\n")  # fmt: skip
    own = fox.folder / "own" / "idlefox"
    own.mkdir(parents=True)
    env = {"XDG_CONFIG_HOME": str(fox.folder / "own"), "COLUMNS": "200"}
    done = fox("run", "a.fox", **env)
    assert (done.returncode, "this sheet runs Python code" in done.stdout) == (2, True)
    assert "idlefox.toml cannot grant itself trust: use --trust, or list" in done.stderr
    (own / "config.toml").write_text(f'trusted = ["{fox.folder}"]\n')
    done = fox("run", "a.fox", **env)
    assert (done.returncode, "trusts this project" in done.stdout) == (0, True), done.stdout
    assert fox("run", "a.fox", "--no-trust", **env).returncode == 2
    assert fox("trace", "a.fox:2", **env).returncode == 0
    (own / "config.toml").write_text("trusted = 3\n")
    assert "trusted must be a list of folders" in fox("run", "a.fox", **env).stderr


@pytest.mark.parametrize("fuzzer", ["fuzz.py", "fuzz_structure.py"])
def test_malformed_files_are_reported_and_end_nothing(fuzzer: str) -> None:
    plain = {name: value for name, value in os.environ.items() if not name.startswith("COV")}  # its limits are not made for being measured
    call = [sys.executable, str(Path(__file__).parent.parent / "tools" / fuzzer), "--inputs", "1500", "--seed", "1"]
    done = subprocess.run(call, env=plain, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout[-3000:]


def test_files_outside_the_project_are_not_read(fox: Fox) -> None:
    project, out = fox.folder / "project", fox.folder / "out"
    (project / "sub").mkdir(parents=True)
    out.mkdir()
    for name, text in {"s.form.yaml": "form: f\nfields: {secret: {}}\n", "c.csv": "secret\n1\n", "x.fox": "secret\n", "p.py": "raise ValueError\n", "p.html": "secret"}.items():
        (out / name).write_text(text)
    (project / "f.form.yaml").write_text("form: f\nfields: {a: {}, u: {type: file}}\n")
    (project / "page.form.yaml").write_text("form: f\npage: ../out/p.html\n")
    (project / "python.form.yaml").write_text("form: f\npython: ../out/p.py\nfields: {a: {rules: [{python: f}]}}\n")
    (project / "list.form.yaml").write_text("form: f\nfields: {a: {rules: [{lookup: l}]}}\nlookups: {l: {takes: 1s, table: ../out/c.csv}}\n")
    (project / "link.form.yaml").symlink_to(out / "s.form.yaml")
    (project / "away.fox").symlink_to(out / "x.fox")
    body = '\n\nscenario "it"\n    upload u "../out/c.csv"\n'
    for name, head in {
        "a": 'subject "../out/s.form.yaml"', "b": 'subject "link.form.yaml"', "c": 'subject "page.form.yaml"', "d": 'subject "python.form.yaml"',
        "e": 'subject "f.form.yaml"\nuse "../out/x.fox"', "f": 'subject "f.form.yaml"', "sub/g": 'subject "../f.form.yaml"',
        "h": 'subject "list.form.yaml"',
    }.items():  # fmt: skip
        (project / f"{name}.fox").write_text(head + (body if name != "sub/g" else body.replace("upload u", "note")))
    (project / "package.json").write_text("{}")
    done = fox("run", "project", "--trust", "--verbose")
    told = done.stdout + done.stderr
    assert done.returncode == 2
    assert "secret" not in told
    assert "ValueError" not in told
    assert told.count("outside the project") == 7, told
    (project / "package.json").unlink()
    assert fox("run", "project/f.fox").returncode == 0  # without a mark, what lies below the working directory


def test_a_damaged_record_of_the_last_run_is_none(fox: Fox) -> None:
    (fox.folder / ".idlefox").mkdir()
    fox.write(f__form__yaml="form: f\nfields: {a: {}}\n", a__fox='subject "f.form.yaml"\nscenario "x"\n    expect a = ""\n')
    for text in ('{"format": 1, "fallen": [[]]}', '{"fallen": 3}', '{"fallen": [["a.fox", "x"]]}', "[" * 100_000, "\udc80"):
        (fox.folder / ".idlefox" / "last-run.json").write_text(text, "utf-8", "surrogatepass")
        assert "1 passed" in fox("run", "--failed").stdout


@pytest.mark.parametrize(("mark", "cwd", "code"), [(".git", "sub", 0), ("package.json", "sub", 0), ("pyproject.toml", ".", 0), ("", ".", 0), ("", "sub", 2), ("sub/idlefox.toml", ".", 2)])
def test_a_script_next_to_above_or_below_its_sheet_is_in_its_project(fox: Fox, mark: str, cwd: str, code: int) -> None:
    (fox.folder / "sub").mkdir()
    if mark:
        (fox.folder / mark).write_text("")
    body = '\nscenario "it"\n    type a "x"\n    expect a = "x"\n'
    for folder in (".", "sub"):
        (fox.folder / folder / "f.form.yaml").write_text("form: f\nfields: {a: {}}\n")
    for name, sheet in {"sub/up": "../f", "down": "sub/f", "beside": "f"}.items():
        (fox.folder / f"{name}.fox").write_text(f'subject "{sheet}.form.yaml"\n{body}')
    away, there = "" if cwd == "." else "../", Fox(fox.folder / cwd)
    assert there("run", f"{away}sub/up.fox").returncode == code
    assert there("lint", f"{away}sub/up.fox").returncode == (code or 1)  # a form with nothing to refuse
    assert there("run", f"{away}beside.fox").returncode == 0
    assert there("run", f"{away}down.fox").returncode == 0


def test_the_trace_and_the_timeline_have_each_change_at_the_step_during_which_it_came(fox: Fox) -> None:
    fox.write(f__form__yaml="form: f\nfields:\n  v: {rules: [{lookup: l, start: change}]}\n  r: {type: rows, start: 2, fields: {n: {}}}\nlookups: {l: {takes: 2s}}\n")
    fox.write(a__fox='''subject "f.form.yaml"
scenario "it"
    type v "x"
    blur
    wait 1s
    wait 5s
    retype v "y"
    expect v is valid within 9s
    type r[1].n "Mara"
    remove r[0]
    expect r[-1].n = "Mara"
''')  # fmt: skip
    changes = [json.loads(line) for line in fox("trace", "a.fox:2", "--json").stdout.splitlines()]
    assert [(each["line"], each["ms"]) for each in changes if each["property"] == "answer"] == [(6, 2000), (8, 8000)]
    told = fox("trace", "a.fox:2", "--figure", "t.svg").stdout
    assert told == " t.svg\n"
    drawn = re.findall(r"<!-- (.+) -->", (fox.folder / "t.svg").read_text("utf-8"))
    assert "r[1→0].n" in drawn
    assert "asked, answered" not in drawn
    story = fox("trace", "a.fox:2").stdout
    assert story.index("wait 5s   2.000 s") < story.index("v answer") < story.index('retype v "y"')
