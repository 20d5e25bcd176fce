"""Manners: every classic fault is found and shown by minimal steps; a well-mannered form has no findings."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest
from conftest import Fox

from idlefox.engine.compile.compiler import compile_form
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.playing.subjects import Loaded, Subjects, simulated
from idlefox.study.manners.monitor import MANNERS
from idlefox.study.manners.study import is_shown, manners_of

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
BOOKING = (DEMO / "booking.form.yaml").read_text("utf-8").partition("# The same form as an HTML page")[0]
TIMING = "report: {first: blur, again: change}"
ROWS = "    least: 1\n    most: 6\n    rules:"
# What is planted in the booking form: the manner it is against, what is taken out, what is put in, and in how many steps it can be shown.
PLANTED = [
    ("patience", TIMING, "report: {first: load, again: change}", 0),
    ("patience", TIMING, "report: {first: change, again: change}", 1),
    ("plain-speech", "messages: one\n", "reveal: dirty\n", 2),
    ("forgives", "again: change", "again: submit", 3),
    ("forgives", "submit:\n", "faults: {last_edited: [contact.email_again]}\nsubmit:\n", 4),
    ("forgives", "submit:\n", "faults: {server_stays: true}\nsubmit:\n", 10),
    ("forgives", "submit:\n", "faults: {messages_stay: [voucher]}\nsubmit:\n", 4),
    ("way-out", ROWS, ROWS.replace("1\n", "0\n", 1).replace("rules:", "add: filled(passengers)\n    rules:\n      - {required: true, say: Who?}"), 1),
    ("row-back", ROWS, ROWS.replace("1\n", "0\n", 1).replace("rules:", "add: filled(passengers)\n    rules:"), 1),
    ("no-rush", "submit:\n", "faults: {sends_while_asking: true}\nsubmit:\n", 8),
    ("no-rush", "submit:\n", "buttons: {later: {past_checks: true}}\nsubmit:\n", 4),
    ("no-ghosts", "submit:\n", "faults: {sends_hidden: [vehicle.plate]}\nsubmit:\n", 7),
    ("no-ghosts", "submit:\n", "  - {holds: 'vehicle.plate != \"SK4711\"', id: stolen, say: Stolen., at: sailing}\nsubmit:\n", 3),
    ("keeps", "rejected: {notice", "rejected: {values: blank, notice", 9),
    ("clean-slate", "submit:\n", "faults: {reset_forgets: [voucher]}\nsubmit:\n", 2),
    ("once", "submit:\n", "faults: {second_press: true}\nsubmit:\n", 8),
    ("fresh-answers", "submit:\n", "faults: {stale_answers: true}\nsubmit:\n", 3),
    ("own-row", "submit:\n", "faults: {rows_by_index: true}\nsubmit:\n", 3),
    ("says-so", "say: That day has passed.", "say: ' '", 2),
    ("closes", "submit:\n", "faults: {notice_stays: true}\nsubmit:\n", 8),
]  # fmt: skip

WALKS = {"forgives": 1600, "no-rush": 1600, "no-ghosts": 1600, "fresh-answers": 1000}  # how many it takes to meet them


def form_of(text: str) -> Loaded:
    form = read_sheet_text(text, "booking.form.yaml")
    return simulated(form, compile_form(form))


@pytest.mark.parametrize(("manner", "old", "new", "steps"), PLANTED, ids=lambda each: each if isinstance(each, str) and each in MANNERS else "")
def test_a_planted_fault_is_found_and_shown_in_few_steps(manner: str, old: str, new: str, steps: int) -> None:
    assert BOOKING.count(old) == 1
    found = manners_of(form_of(BOOKING.replace(old, new)), (manner,), walks=WALKS.get(manner, 600))
    assert found.breaches, "nothing was found"
    assert {breach.manner for breach in found.breaches} == {manner}
    assert len(found.breaches[0].steps) <= steps, found.breaches[0].steps


def test_the_broken_form_breaks_them_all_and_no_step_can_be_left_out() -> None:
    loaded = Subjects().load(str(DEMO / "broken.form.yaml"), ".")
    found = manners_of(loaded, (), walks=1000)
    assert {breach.manner for breach in found.breaches} == set(MANNERS)
    for breach in found.breaches:
        assert is_shown(loaded, breach, breach.steps), breach
        for left_out in range(len(breach.steps)):
            assert not is_shown(loaded, breach, (*breach.steps[:left_out], *breach.steps[left_out + 1 :])), (breach, left_out)


@pytest.mark.parametrize("name", ["booking.form.yaml", "crew.form.yaml", "claims.form.yaml", "lost-property.html#lost"])
def test_the_clean_forms_break_none(fox: Fox, name: str) -> None:
    shutil.copytree(DEMO, fox.folder, dirs_exist_ok=True)
    done = fox("manners", name, "--walks", "500", "--seed", "3")
    assert done.returncode == 0, done.stdout
    assert done.stdout.startswith(" no finding, 14 manners checked   500 walks, ")


def test_findings_are_printed_kept_and_repeatable(fox: Fox) -> None:
    shutil.copy(DEMO / "broken.form.yaml", fox.folder / "broken.form.yaml")
    call = ("manners", "broken.form.yaml", "--except", "way-out,closes", "--walks", "700", "--report", "json=-")
    first, second = fox(*call, "--keep", "rude.fox", "--report", "html=rude.html"), fox(*call)
    page = (fox.folder / "rude.html").read_text("utf-8")
    assert "12 of 12 manners broken" in page
    assert not any(mark in page for mark in ("<script", "http://", "https://", "src=")), "the page needs nothing else"
    assert first.returncode == 1
    assert first.stdout == second.stdout
    data = json.loads(first.stdout)
    assert (data["format"], data["seed"], data["walks"]) == (1, 1, 700)
    patience = next(each for each in data["breaches"] if each["manner"] == "patience")
    assert patience["sentence"] == 'ticket shows "That is not a ticket number." before the person has left a field or sent the form'
    assert 'expect ticket shows "That is not a ticket number."' in patience["steps"]
    fox.write(one__fox=patience["script"])
    assert fox("run", "one.fox").returncode == 0
    kept = fox("run", "rude.fox")
    assert kept.returncode == 0, kept.stdout
    assert f"{len(data['breaches'])} passed" in kept.stdout


def test_invalid_options(fox: Fox) -> None:
    fox.write(a__form__yaml="form: a\nfields: {a: {}}\n")
    for call, told in (
        (("--only", "patiance"), "unknown manner 'patiance' → did you mean 'patience'?"), (("--time", "soon"), "'soon' is not a duration"),
        (("--report", "xml=a"), "needs json=FILE or html=FILE"), (("--only", "once", "--except", "once"), "excludes every manner"),
    ):  # fmt: skip
        done = fox("manners", "a.form.yaml", *call)
        assert done.returncode == 2, call
        assert told in " ".join(done.stderr.split()), done.stderr
    assert fox("manners", "none.form.yaml").returncode == 2
    assert "seed 4" in fox("manners", "a.form.yaml", "--time", "200ms", "--seed", "4").stdout


# Small forms and the manners they break: no other is reported.
SMALL = {
    "a button that skips the checks": ("""
fields: {code: {rules: [{lookup: free, say: Taken.}]}, name: {rules: [{required: true, say: Name?}]}}
buttons: {draft: {past_checks: true}}
lookups: {free: {takes: 2s, refuse: [A1]}}
""", {"no-rush"}),
    "what a view does not show": ("fields: {a: {}, b: {rules: [{required: true, say: B?}]}}\nviews: {editing: {shows: [a]}}\n", {"no-ghosts"}),
    "a rule that reads what is disabled": ("""
fields:
  own: {type: checkbox}
  boat: {enabled: own}
  berth: {rules: [{holds: 'boat != "Alken" or value == "B1"', say: Alken lies at B1.}]}
""", {"no-ghosts"}),
    "a rule about what only a choice shows": ("""
fields:
  kind: {type: radio, options: [a, b], initial: a}
  ghost: {visible: 'kind == "b"'}
rules: [{holds: filled(ghost), id: needs, say: Needs it.}]
""", {"no-ghosts"}),
    "a rule about what no choice shows": ("""
fields:
  kind: {type: radio, options: [a, b], initial: a}
  ghost: {visible: 'kind == "z"'}
rules: [{holds: filled(ghost), id: needs, say: Needs it.}]
""", {"way-out"}),
    "a server that answers at once and a second press": ("fields: {a: {}}\nfaults: {second_press: true}\nserver: {takes: 0s}\n", {"once"}),
    "a row that another field lets come back": ("fields: {a: {}, r: {type: rows, start: 1, least: 0, add: filled(a), fields: {n: {}}}}\n", set()),
    "rows in rows that move with their state": ("""
fields: {r: {type: rows, start: 2, fields: {s: {type: rows, start: 1, fields: {n: {rules: [{required: true, say: N?}]}}}}}}
""", set()),
    "no value fits": ("fields: {a: {rules: [{required: true, say: A?}, {minlength: 6, maxlength: 4, say: Six at least.}]}}\n", {"way-out"}),
    "the server takes nothing": ("fields: {a: {}}\nserver: {replies: [{when: 'a == \"x\"', status: 422, errors: {a: No.}}, {status: 500}]}\n", {"way-out"}),
    "locked after an attempt": ("fields: {a: {enabled: not form.attempted}, b: {}}\nrules: [{holds: 'filled(a)', id: first, say: A first.}]\n", {"way-out"}),
    "hard to fill in, but not impossible": ("fields: {a: {rules: [{pattern: '(Q[0-9]Z){3}-[^a-y0-9]{2}z', say: No.}, {required: true, say: A?}, {holds: 'value > \"Q7\"', say: Later.}]}}\n", set()),
    "the server's message about a draft": ("""
fields: {a: {}}
buttons: {draft: {past_checks: true}}
server: {replies: [{when: 'a == "x"', status: 422, errors: {a: No.}}]}
""", set()),
}  # fmt: skip


@pytest.mark.parametrize("name", SMALL)
def test_small_forms_break_the_manners_they_break(name: str) -> None:
    sheet, broken = SMALL[name]
    form = read_sheet_text(f"form: small\n{sheet}", "small.form.yaml")
    found = manners_of(simulated(form, compile_form(form)), (), walks=800)
    assert {breach.manner for breach in found.breaches} == broken, found.breaches
