"""What the design settles in small print, each point played: `fine_print.txt` holds sheets and steps."""

from __future__ import annotations

from pathlib import Path

import pytest
from conftest import Fox

from idlefox.report.wording import found_text, reason_text

CASES = [part.split("\n", 1) for part in (Path(__file__).parent / "fine_print.txt").read_text("utf-8").split("=== ")[1:]]


@pytest.mark.parametrize("case", [c[1] for c in CASES], ids=[c[0] for c in CASES])
def test_the_fine_print(fox: Fox, case: str) -> None:
    sheet, _, body = case.partition("---\n")
    if not body.startswith(("scenario", "routine")):
        fox.holds(f"form: f\n{sheet}", body)
        return
    result = fox.play(f"form: f\n{sheet}", body)
    assert not result.errors, [(p.place.line - 3, p.cause) for p in result.errors]
    assert not (found := [(f.place.line - 3, f.text, found_text(f), reason_text(f)) for s in result.scenarios for f in s.failures]), found


@pytest.mark.parametrize("sheet, body, says", [
    ('fields: {f: {type: file, accept: ".pdf"}}', 'upload f "a.png"', "accepts .pdf"),
    ("fields: {a: {rules: [{lookup: l, start: change}]}}\nlookups: {l: {takes: 40s}}", 'type a "x"\nsettle', "there is still under way"),
    ("fields: {a: {}}", 'leave\ntype a "x"', "the page has been left"),
    ("fields: {a: {}}\npanels: {p: {fields: {b: {}}}}", 'type p.b "x"', "the panel p is not open"),
    ("fields: {a: {readonly: true}}", 'type a "x"', "its condition `readonly: true` holds"),
    ("fields: {k: {type: select, options: [x, {value: y, enabled: false}]}}", 'pick k "y"', "is disabled"),
    ("fields: {k: {type: select, options: [x]}}", 'pick k "z"', 'its options are "x"'),
    ("fields: {r: {type: rows, start: 1, most: 1, fields: {n: {}}}}", "add r", "1"),
    ("fields: {r: {type: rows, start: 1, least: 1, fields: {n: {}}}}", "remove r[0]", "1"),
    ("fields: {r: {type: rows, start: 1, fields: {n: {}}}}", 'type r[1].n "x"', "r has 1 row"),
    ("fields: {a: {}}\nserver: {takes: 1s}\nsubmit: {while_busy: locked}", 'submit\nwait 1ms\nsubmit', "the form is busy, and locked while it is"),
    ("fields: {a: {visible: b.dirty}, b: {}}", 'type a "x"', "its condition `visible: b.dirty` does not hold"),
])  # fmt: skip
def test_a_step_that_cannot_be_taken_says_why(fox: Fox, sheet: str, body: str, says: str) -> None:
    lines = "\n".join("    " + line for line in body.split("\n"))
    result = fox.play(f"form: f\n{sheet}", f'scenario "x"\n{lines}\n')
    (scenario,) = result.scenarios
    assert scenario.verdict == "fail"
    assert says in reason_text(scenario.failures[-1])
