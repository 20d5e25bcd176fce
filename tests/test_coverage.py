"""Coverage: which points scenarios reach, which of them are checked, and steps to the unreached ones."""

from __future__ import annotations

import json
import re
import shutil
from itertools import pairwise
from pathlib import Path
from typing import Any, NamedTuple

import pytest
from conftest import Fox
from hypothesis import given, settings
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.forms.model.form import FLAGS
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.live.browser.launch import PROGRAMS, found_on_path
from idlefox.playing.player import DEFAULT_CLOCK, RunOptions, load_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.steps import take_step
from idlefox.playing.subjects import Subjects, simulated
from idlefox.script.expand import expand
from idlefox.script.ops import Op
from idlefox.script.reader import read_script_text
from idlefox.study.coverage.observer import met_by
from idlefox.study.coverage.page_scripts import lines_run, spans
from idlefox.study.coverage.points import Point, Points, points_of
from idlefox.study.coverage.reaching import read_steps, ways_to
from idlefox.study.coverage.study import Coverage, coverage_of

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SAMPLES = Path(__file__).parent / "samples"
SHEET = """form: f
reveal: touched or attempted
fields:
  a: {rules: [{required: true, say: A.}, {minlength: 3, maxlength: 5, say: 'Three to five.'}]}
  n: {type: number, rules: [{min: 1, max: 9, say: '{min} to {max}.'}]}
  on: {type: checkbox}
  b: {visible: '["on"]', rules: [{pattern: '[a-z]+', say: Letters.}]}
  pick: {type: radio, options: [p, q]}
  lim: {limit: 4, rules: [{maxlength: 4}, {minlength: 2}]}
  ro: {readonly: '["on"]', rules: [{holds: 'value != "no"', id: not_no, when: 'a != ""'}]}
  r: {type: rows, most: 2, fields: {t: {rules: [{lookup: known, start: blur, say: 'No {value}.'}]}}}
rules:
  - {id: order, at: n, holds: 'n < 5 or a != "abc"', say: Less.}
lookups: {known: {takes: 1s, accept: [x]}}
submit: {enabled: form.dirty}
server:
  takes: 1s
  replies: [{when: 'a == "late"', status: 422, errors: {a: Too late.}}, {status: 201}]
"""


def covered(fox: Fox, *steps: str) -> Coverage:
    fox.write(f__form__yaml=SHEET, a__fox='subject "f.form.yaml"\nscenario "it"\n' + "".join(f"    {step}\n" for step in steps))
    ready = load_script(SelectedScript(str(fox.folder / "a.fox")), RunOptions(), Subjects())
    assert ready.loaded is not None
    return coverage_of(ready.loaded, [ready])


def told(coverage: Coverage) -> set[str]:
    return {" ".join(part for part in (*point, "+" if point in coverage.checked else "") if part) for point in coverage.by}


@pytest.mark.parametrize(("steps", "met", "not_met"), [
    (('type a "ab"', "blur"), {"field a changed", "field a left", "rule a tooShort breaks", "bound a minlength 3 just outside", "message a tooShort: Three to five. shown", "rule a tooLong holds"},
     {"bound a minlength 3 just inside", "rule a tooLong breaks"}),
    (('type a "abc"', "blur", "expect a is valid"), {"bound a minlength 3 just inside +", "rule a tooShort holds +", "field a left", "field a checked +"}, {"message a tooShort: Three to five. shown"}),
    (('type a "ab"', "blur", 'retype n "1"', "focus n", "expect a breaks tooShort"), {"bound a minlength 3 just outside +"}, set()),  # nothing about a has changed since
    (('type a "ab"', 'type a "x"', "expect a is valid"), {"bound a minlength 3 just outside"}, {"bound a minlength 3 just outside +"}),
    (('type a "ab"', "submit", "expect a breaks tooShort"), {"bound a minlength 3 just outside"}, {"bound a minlength 3 just outside +"}),
    (('type a "ab"', "expect a breaks tooShort"), {"rule a tooShort breaks +", "bound a minlength 3 just outside +"}, set()),
    (('type a "ab"', "blur", "expect a is touched"), {"rule a tooShort breaks", "message a tooShort: Three to five. shown"}, {"rule a tooShort breaks +"}),
    (('type a "ab"', "blur", 'type a "c"'), {"message a tooShort: Three to five. cleared"}, set()),
    (('type n "10"', "expect n breaks rangeOverflow"), {"bound n max 9 just outside +", "rule n rangeOverflow breaks +", "rule n rangeUnderflow holds +"}, {"bound n max 9 just inside"}),
    (("turn .on on", "expect b is visible"), {"state b visible true +", "state b visible false", "field on changed"}, {"state b visible false +"}),
    (("expect submit is disabled", 'pick pick "q"'), {"state submit.enabled false +", "state submit.enabled true", 'choice pick "q" picked'}, {'choice pick "p" picked'}),
    (("add r", "add r", "move r[0] to 1", "remove r[0]", "expect r has 1 row"), {"rows r added", "rows r moved", "rows r removed +", "rows r 2 at most"}, set()),
    (("add r", 'type r[0].t "y"', "blur", "settle", "expect r[0].t breaks lookup"), {"lookup r[*].t known refused +", "rule r[*].t lookup breaks +", "message r[*].t lookup: No {value}. shown"}, {"lookup r[*].t known accepted"}),
    (('type a "late"', "submit", "settle", "expect outcome is rejected"), {"submission reply 1 (422) given +", "submission rejected +", "message a server: Too late. shown"}, {"submission reply 2 (201) given"}),
    # On the way to a value: seen, but no check of the value at the end would notice.
    (('type a "abc"', "expect a is valid"), {"rule a tooShort breaks", "rule a tooShort holds +"}, {"rule a tooShort breaks +"}),
    (('type a "abcdef"', "blur", "expect a breaks tooLong"), {"rule a tooLong breaks +", "bound a maxlength 5 just inside"}, {"bound a maxlength 5 just inside +"}),
    (('type a "ab1"', "erase a 3", "blur", 'expect errors = {"a": "A."}'), {"message a valueMissing: A. shown +"}, set()),
    (('retype n "12"', "expect n breaks rangeOverflow"), {"rule n rangeUnderflow holds +"}, {"rule n rangeOverflow holds"}),
    (('type a "ab"', "blur", 'type n "10"', "blur", 'expect errors includes {"n": "1 to 9."}'), {"message n rangeOverflow: {min} to {max}. shown +"}, {"rule a tooShort breaks +"}),
    (('type a "ab"', 'expect values includes {"n": null}'), {"field n checked +", "field a changed"}, {"field a changed +"}),
    (('type a "ab"', 'type n "4"', "expect n is valid"), {"rule n order holds +"}, {"rule n order breaks"}),
    (('type a "abc"', 'type ro "x"', "expect ro is valid"), {"rule ro not_no holds +"}, set()),
    (("turn .on on", 'expect cannot type ro "x"'), {"state ro readonly true +", "field ro checked +"}, {"state b visible true +"}),
    (("expect cannot submit",), {"state submit.enabled false +"}, set()),
    (('type lim "abcde"', "expect lim is valid"), {"rule lim tooLong holds +", "bound lim minlength 2 just inside"}, {"rule lim tooLong breaks"}),
    (('type a "abc"', "submit", "submit", "settle", 'type a "d"'), {"submission reply 2 (201) given", "submission accepted", "submission pressed twice"}, {"submission refused"}),
])  # fmt: skip
def test_points_that_a_scenario_reaches(fox: Fox, steps: tuple[str, ...], met: set[str], not_met: set[str]) -> None:
    found = told(covered(fox, *steps))
    assert met <= found, met - found
    assert not not_met & found, not_met & found


def test_nothing_sent_by_the_suite_is_needed_to_reach_what_follows_a_submission(fox: Fox) -> None:
    coverage = covered(fox, "note \"nothing\"")
    missing = {" ".join(filter(None, way.point)) for way in ways_to(coverage) if not way.steps}
    assert not {each for each in missing if each.startswith("submission")}, missing
    assert not any("lim tooLong breaks" in " ".join(point) for point in coverage.points.all)


@pytest.mark.parametrize("script", ["booking", "claims", "crew"])
def test_steps_to_unreached_points_reach_them(script: str) -> None:
    ready = load_script(SelectedScript(str(DEMO / f"{script}.fox")), RunOptions(), Subjects())
    assert ready.loaded is not None
    coverage = coverage_of(ready.loaded, [ready])
    ways = ways_to(coverage)
    assert [way.point for way in ways] == coverage.missing()
    found = [way for way in ways if way.steps]
    assert len(found) > 0.6 * len(ways)
    for way in found:
        text = 'scenario "way"\n' + "".join(f"    {line}\n" for step in way.steps for line in step.split("\n"))
        scenarios, problems = expand(read_script_text(text, "way.fox"))
        assert not problems
        assert way.point in {met.point for met in met_by(scenarios[0], ready.loaded, coverage.points, coverage.clock, ".")}, way


def test_coverage_is_printed_bounded_drawn_and_kept(fox: Fox) -> None:
    for name in ("booking.fox", "booking.form.yaml", "crew.fox", "crew.form.yaml"):
        shutil.copy(DEMO / name, fox.folder / name)
    done = fox("coverage", "booking.fox", "--unreached", "--at-least", "100", "--report", "json=out/c.json", "--matrix", "m.png", "--keep", "ways.fox")
    assert done.returncode == 1, done.stderr
    assert " Book a crossing   23 scenarios\n" in done.stdout
    assert " rows: passengers moved\n     add passengers\n     add passengers\n     move passengers[0] to 1\n" in done.stdout
    assert "below 100 %" in done.stdout
    data = json.loads((fox.folder / "out/c.json").read_text())
    assert (data["format"], data["form"]) == (1, "skerry-booking")
    assert {"kind", "address", "name", "wanted", "reached", "checked", "by"} == set(data["points"][0])
    for kind, tally in data["summary"].items():
        those = [point for point in data["points"] if point["kind"] == kind]
        assert tally == {"reached": sum(p["reached"] for p in those), "checked": sum(p["checked"] for p in those), "of": len(those)}
    assert (fox.folder / "m.png").read_bytes().startswith(b"\x89PNG")
    assert fox("run", "ways.fox").returncode == 0
    assert fox("coverage", "booking.fox", "--at-least", "50").returncode == 0
    assert "--keep needs scripts that are all about one form" in fox("coverage", "--keep", "x.fox").stderr
    assert fox("coverage", "nix.fox").returncode == 2


STEP = st.sampled_from([
    'type a "a"', 'type a "1"', "erase a", 'type n "1"', "erase n", "turn .on on", "turn .on off", 'type b "x"', 'type b "1"', "erase b",
    'pick pick "p"', 'pick pick "q"', "add r", "remove r[0]", 'type r[0].t "x"', "erase r[0].t", "blur", "focus a", "submit", "settle",
])  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(least=st.integers(1, 2), most=st.integers(2, 3), high=st.integers(1, 12), steps=st.lists(STEP, max_size=25))
def test_points_match_an_independent_count(least: int, most: int, high: int, steps: list[str]) -> None:
    """After each step the whole state is looked at: what is broken, shown, held and how much of it."""
    text = SHEET.replace("minlength: 3, maxlength: 5", f"minlength: {least}, maxlength: {most}").replace("max: 9", f"max: {high}")
    form = read_sheet_text(text, "f.form.yaml")
    loaded = simulated(form, compile_form(form))
    points = points_of(form)
    ops: list[Op] = []
    subject = loaded.begin(".")
    assert isinstance(subject, SimulatedForm)
    subject.load(DEFAULT_CLOCK)
    states = [subject.state()]
    for step in steps:
        read = read_steps((step,), form)
        assert read is not None
        if take_step(subject, read.ops[0].act, len(ops) + 1) is None:
            ops += read.ops
            states.append(subject.state())
        elif subject.state() != states[-1]:
            break  # a refused press moves the focus, and the scenario would end here
    scenario = read_steps(("note \"n\"",), form)
    assert scenario is not None
    met = {each.point for each in met_by(scenario._replace(ops=tuple(ops)), loaded, points, DEFAULT_CLOCK, ".")}
    by_hand = {point for point in points.all if _is_met(point, states, points)}
    counted = {point for point in points.all if _counts(point, points)}
    assert {point for point in met if point in counted} == by_hand
    assert by_hand, "what is required is broken at load"


def _counts(point: Point, points: Points) -> bool:
    """Whether the count by hand knows the point."""
    sized = any(bound.point == point for bounds in points.bounds.values() for bound in bounds)
    told = (point.kind, point.wanted) in {("rule", "breaks"), ("message", "shown"), ("message", "cleared")} and "server" not in point.name
    return told or (sized and point.address in ("a", "n")) or (point.kind == "rows" and point.wanted in ("at least", "at most"))


def _is_met(point: Point, states: list[dict[str, dict[str, Any]]], points: Points) -> bool:
    if not _counts(point, points):
        return False
    each = [{key: cell for key, cell in state.items() if re.sub(r"#\d+", "[*]", key) == point.address} for state in states]
    if point.kind == "rule":
        return any(point.name in cell["breaks"] for cells in each for cell in cells.values())
    if point.kind == "rows":
        return any(len(cell["rows"]) == int(point.name) for cells in each for cell in cells.values())
    if point.kind == "message":
        _, _, text = point.name.partition(": ")
        return any(_came_and_went(before, after, text, point.wanted) for before, after in zip([{}, *each], each, strict=False))
    bound = next(bound for bounds in points.bounds.values() for bound in bounds if bound.point == point)
    values = [cell["value"] for cells in each for cell in cells.values()]
    changed = [now for before, now in pairwise(values) if before != now]
    return any((len(value) if bound.of == "length" else value) == bound.size for value in changed if value is not None)


def _came_and_went(before: dict[str, Any], after: dict[str, Any], text: str, wanted: str) -> bool:
    for key in {*before, *after}:
        was, now = ({said for _, said in cells.get(key, {}).get("shows", ())} for cells in (before, after))
        come = now - was if wanted == "shown" else (was - now if key in after else set())
        if any(_fits(text, said) for said in come):
            return True
    return False


def _fits(template: str, text: Any) -> bool:
    said = text if isinstance(text, str) else "".join(part or "" for part in text)
    return re.fullmatch(re.sub(r"\\\{\w+\\\}", ".*", re.escape(template)), said) is not None


@pytest.mark.parametrize("suite", [DEMO / "booking.fox", *sorted(SAMPLES.glob("*.fox"))], ids=lambda path: path.stem)
def test_a_rule_that_is_checked_is_noticed_when_it_is_dropped(fox: Fox, suite: Path) -> None:
    for each in (suite, suite.with_suffix(".form.yaml")):
        shutil.copy(each, fox.folder / each.name)
    fox("coverage", suite.name, "--report", "json=c.json")
    fox("weaken", suite.name, "--report", "json=w.json")
    points, faults = (json.loads((fox.folder / name).read_text())[key] for name, key in (("c.json", "points"), ("w.json", "faults")))
    checked = {(each["address"], each["name"]) for each in points if each["kind"] == "rule" and each["wanted"] == "breaks" and each["checked"]}
    dropped: dict[tuple[str, str], list[str]] = {}
    for each in (each for each in faults if each["kind"] == "rule-dropped"):
        flag = FLAGS.get(each["rule"], "customError")
        dropped.setdefault((each["address"], each["rule"] if flag == "customError" else flag), []).append(each["verdict"])
    both = checked & dropped.keys()
    assert len(both) > 3 or suite.stem == "museum-loan"  # whose suite is about the server
    assert not {each for each in both if "noticed" not in dropped[each]}  # two rules may have one id


class Script(NamedTuple):
    url: str
    line: int
    source: str
    ran: bytes


def test_a_line_of_a_script_counts_by_its_own_code() -> None:
    lines = ["const mark = '\U0001d4d0'; go(); never();", "", "  // only comment", "/* of", "   two */ late()", "});", "if (x) { y() }"]
    source = "\n".join(lines)
    ran = bytearray(b"\1" * (len(source.encode("utf-16-le")) // 2))
    for text in ("never()", "late()"):
        start = len(source[: source.index(text)].encode("utf-16-le")) // 2
        ran[start : start + len(text)] = bytes(len(text))
    (found,) = lines_run([Script("http://a.example/a.js", 10, source, bytes(ran))])
    assert (sorted(found.code), found.missed, spans([1, 2, 3, 5, 8, 9])) == ([11, 15, 17], [15], ["1–3", "5", "8–9"])


PAGE = """<form id="f"><label>Name <input id="n" name="n"></label><button>Go</button></form><p role="status"></p>
<script>
document.forms[0].addEventListener("submit", (event) => {
  event.preventDefault();
  document.querySelector("[role=status]").textContent = "sent";
});
document.forms[0].elements.n.addEventListener("input", () => {
  document.title = "changed";
});
</script>"""


@pytest.mark.skipif(not found_on_path(PROGRAMS["chromium"]), reason="chromium is not here")
def test_the_lines_of_a_page_that_ran(fox: Fox) -> None:
    (fox.folder / "f.html").write_text(PAGE)
    scenarios = 'scenario "sent"\n  submit\n  expect notice = "sent"\nscenario "again"\n  reload\n  expect n = ""\n'
    (fox.folder / "f.fox").write_text(f'subject "f.html"\n{scenarios}')
    done = fox("coverage", "f.fox", "--live=chromium", "--scripts", "--report", "json=c.json")
    (file,) = json.loads((fox.folder / "c.json").read_text())["scripts"]["files"]
    assert (file["missed"], file["lines"]) == ([8], 5)
    assert "not run: 8" in done.stdout
