"""Coverage: which points scenarios meet, which of them a check stood behind, and steps to those that nobody met."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest
from conftest import Fox

from idlefox.playing.player import Wishes, prepare
from idlefox.playing.select import Chosen
from idlefox.playing.subjects import Subjects
from idlefox.script.expand import expand
from idlefox.script.reader import read_script_text
from idlefox.study.coverage.study import Coverage, coverage_of
from idlefox.study.coverage.watch import met_by
from idlefox.study.coverage.ways import ways_to

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SHEET = """form: f
reveal: touched or submitted
fields:
  a: {rules: [{required: true, say: A.}, {minlength: 3, maxlength: 5, say: 'Three to five.'}]}
  n: {type: number, rules: [{min: 1, max: 9, say: '{min} to {max}.'}]}
  on: {type: checkbox}
  b: {visible: '["on"]', rules: [{pattern: '[a-z]+', say: Letters.}]}
  pick: {type: radio, options: [p, q]}
  r: {type: rows, most: 2, fields: {t: {rules: [{lookup: known, start: blur, say: 'No {value}.'}]}}}
lookups: {known: {takes: 1s, accept: [x]}}
submit: {enabled: form.dirty}
server:
  takes: 1s
  replies: [{when: 'a == "late"', status: 422, errors: {a: Too late.}}, {status: 201}]
"""


def covered(fox: Fox, *steps: str) -> Coverage:
    fox.write(f__form__yaml=SHEET, a__fox='subject "f.form.yaml"\nscenario "it"\n' + "".join(f"    {step}\n" for step in steps))
    ready = prepare(Chosen(str(fox.folder / "a.fox")), Wishes(), Subjects())
    assert ready.loaded is not None
    return coverage_of(ready.loaded, [ready])


def told(coverage: Coverage) -> set[str]:
    return {" ".join(part for part in (*point, "+" if point in coverage.checked else "") if part) for point in coverage.by}


@pytest.mark.parametrize(("steps", "met", "not_met"), [
    (('type a "ab"', "blur"), {"field a changed", "field a left", "rule a tooShort breaks", "bound a minlength 3 just outside", "message a tooShort: Three to five. shown", "rule a tooLong holds"},
     {"bound a minlength 3 just inside", "rule a tooLong breaks"}),
    (('type a "abc"', "blur", "expect a is valid"), {"bound a minlength 3 just inside", "rule a tooShort holds", "field a left", "field a checked +"}, {"message a tooShort: Three to five. shown"}),
    (('type a "ab"', "expect a breaks tooShort"), {"rule a tooShort breaks +", "bound a minlength 3 just outside +"}, set()),
    (('type a "ab"', "blur", "expect a is touched"), {"rule a tooShort breaks", "message a tooShort: Three to five. shown"}, {"rule a tooShort breaks +"}),
    (('type a "ab"', "blur", 'type a "c"'), {"message a tooShort: Three to five. left"}, set()),
    (('type n "10"', "expect n breaks rangeOverflow"), {"bound n max 9 just outside +", "rule n rangeOverflow breaks +", "rule n rangeUnderflow holds +"}, {"bound n max 9 just inside"}),
    (("turn .on on", "expect b is visible"), {"state b visible true +", "state b visible false", "field on changed"}, {"state b visible false +"}),
    (("expect submit is disabled", 'pick pick "q"'), {"state submit.enabled false +", "state submit.enabled true", 'choice pick "q" picked'}, {'choice pick "p" picked'}),
    (("add r", "add r", "move r[0] to 1", "remove r[0]", "expect r has 1 row"), {"rows r added", "rows r moved", "rows r removed +", "rows r 2 at most"}, set()),
    (("add r", 'type r[0].t "y"', "blur", "settle", "expect r[0].t breaks lookup"), {"lookup r[*].t known refused +", "rule r[*].t lookup breaks +", "message r[*].t lookup: No {value}. shown"}, {"lookup r[*].t known accepted"}),
    (('type a "late"', "submit", "settle", "expect outcome is rejected"), {"submission reply 1 (422) given +", "submission rejected +", "message a server: Too late. shown"}, {"submission reply 2 (201) given"}),
    (('type a "abc"', "submit", "submit", "settle", 'type a "d"'), {"submission reply 2 (201) given", "submission accepted", "submission pressed twice"}, {"submission refused"}),
])  # fmt: skip
def test_what_a_scenario_meets(fox: Fox, steps: tuple[str, ...], met: set[str], not_met: set[str]) -> None:
    found = told(covered(fox, *steps))
    assert met <= found, met - found
    assert not not_met & found, not_met & found


@pytest.mark.parametrize("script", ["booking", "claims", "crew"])
def test_steps_to_what_is_missing_meet_it(script: str) -> None:
    ready = prepare(Chosen(str(DEMO / f"{script}.fox")), Wishes(), Subjects())
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
    done = fox("coverage", "booking.fox", "--missing", "--under", "100", "--report", "json=out/c.json", "--matrix", "m.png", "--keep", "ways.fox")
    assert done.returncode == 1, done.stderr
    assert " Book a crossing   23 scenarios\n" in done.stdout
    assert " rows: passengers moved\n     add passengers\n     add passengers\n     move passengers[0] to 1\n" in done.stdout
    assert "under 100 %" in done.stdout
    data = json.loads((fox.folder / "out/c.json").read_text())
    assert (data["format"], data["form"]) == (1, "skerry-booking")
    assert {"kind", "address", "name", "wanted", "reached", "checked", "by"} == set(data["points"][0])
    for kind, tally in data["summary"].items():
        those = [point for point in data["points"] if point["kind"] == kind]
        assert tally == {"reached": sum(p["reached"] for p in those), "checked": sum(p["checked"] for p in those), "of": len(those)}
    assert (fox.folder / "m.png").read_bytes().startswith(b"\x89PNG")
    assert fox("run", "ways.fox").returncode == 0
    assert fox("coverage", "booking.fox", "--under", "50").returncode == 0
    assert "--keep goes with scripts about one form" in fox("coverage", "--keep", "x.fox").stderr
    assert fox("coverage", "nix.fox").returncode == 2
