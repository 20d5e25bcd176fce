"""HTML pages as subjects: reading, errors, a sheet for a page, scaffolds. `test_browser.py` compares controls with browsers."""

from __future__ import annotations

import json
from importlib.resources import files
from typing import Any

import pytest
from conftest import Fox
from hypothesis import example, given
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.engine.state.journal import rebuild
from idlefox.forms.html.read import read_page, read_page_text
from idlefox.forms.html.source import start_tags
from idlefox.forms.schema.read import whole_pattern
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.forms.values.patterns import finds, whole_match
from idlefox.forms.values.whatwg import DATE_KINDS, date_number, date_text
from idlefox.live.http.served_map import ServedMap
from idlefox.live.http.served_page import ServedPage
from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.steps import take_step
from idlefox.playing.subjects import Subjects
from idlefox.problems import Unreadable
from idlefox.report.wording import expected_text, found_text, reason_text
from idlefox.script.expand import expand
from idlefox.script.reader import read_script
from idlefox.script.tree import Check
from idlefox.study.samples import matching

PAGE = """<!doctype html><meta charset=utf-8><title>Ropes</title>
<form id=ropes action=/ropes method=post>
  <label>Name <input name=name required minlength=3 maxlength=10></label>
  <input name=contact.email type=email required>
  <input name=line value=one><input name=line>
  <input type=number name=count min=1 max=9>
  <input id=nameless>
  <input name=kept readonly value=k><fieldset disabled><legend>Office</legend><input name=shelf></fieldset><input name=unseen hidden>
  <button name=go value=1>Send</button><button name=go value=2 formnovalidate>Keep</button>
</form>
"""


def play(fox: Fox, body: str, **files: str) -> Any:
    """What comes of one scenario with *body* on the page, or on what its header names."""
    fox.write(page__html=PAGE, **files)
    head, _, body = body.partition("---\n") if "---\n" in body else ('subject "page.html"\n', "", body)
    lines = "\n".join("    " + line for line in body.strip().split("\n"))
    fox.write(a__fox=f'{head}clock 2031-05-02T09:00:00Z\nscenario "it"\n{lines}\n')
    return play_script(SelectedScript(str(fox.folder / "a.fox")), RunOptions(), Subjects())


def holds(fox: Fox, body: str, **files: str) -> None:
    result = play(fox, body, **files)
    assert not result.errors, [(p.place.line, p.cause) for p in result.errors]
    assert not (found := [(f.text, expected_text(f), found_text(f), reason_text(f)) for s in result.scenarios for f in s.failures]), found


@pytest.mark.parametrize("body, cause", [
    ('type nam "x"', "the form has no field 'nam'"),
    ('type line "x"', "the name 'line' repeats in this page"),
    ('submit by "go"', "2 buttons are called 'go'"),
    ('submit by "Sennd"', "unknown button 'Sennd'"),
    ("expect name offers \"x\"", "offers needs a choice"),
])  # fmt: skip
def test_mismatches_with_the_page_are_errors_before_the_run(fox: Fox, body: str, cause: str) -> None:
    (problem,) = play(fox, body).errors
    assert cause in problem.cause


@pytest.mark.parametrize("name, content, says", [
    ("none.html", b"<p>nothing", "none.html:1:1: this page has no form"),
    ("two.html", b"<form id=a></form>\n<form id=b></form><form>", "name two.html#a (line 1) or two.html#b (line 2); to name the form at line 2"),
    ("two.html#c", b"<form id=a></form><p id=c>", "#c is not a form but a p"),
    ("two.html#ropse", b"<form id=ropes></form>", "did you mean 'ropes'?"),
    ("latin.html", b"<form>\n<input name=caf\xe9>", "latin.html:2:16: this is not UTF-8: byte 0xe9"),
    ("picture.html", b"\x89PNG\0\0", "this is not an HTML page: it contains zero bytes"),
    ("empty.html", b"", "this page has no form"),
    ("gone.html", None, "file not found"),
])  # fmt: skip
def test_a_page_that_cannot_be_used(fox: Fox, name: str, content: bytes | None, says: str) -> None:
    if content is not None:
        (fox.folder / name.partition("#")[0]).write_bytes(content)
    done = fox("outline", name)
    assert done.returncode == 2
    assert says in done.stderr


def test_controls_are_called_by_their_names_where_a_server_speaks(fox: Fox) -> None:
    page = '<form method=post><input name="user[mail]" required><input type=checkbox name="tags[]" value=a><input type=checkbox name="tags[]" value=b><button>s</button></form>'
    fox.write(rails__html=page)
    holds(fox, """subject "rails.html"
---
submit
expect errors = {"user[mail]": like /missing/}
type ["user[mail]"] "m"
pick ["tags[]"] "b"
answer submit with 422 {"errors": {"user[mail]": "Taken."}}
submit
expect ["user[mail]"] shows "Taken."
expect payload = {"user[mail]": "m", "tags[]": "b"}
""")


def test_every_state_of_a_page_is_rebuilt_from_its_journal() -> None:
    form = read_page_text(files("idlefox.demo").joinpath("lost-property.html").read_text("utf-8"), "lost-property.html", "lost")
    script = read_script(str(files("idlefox.demo").joinpath("lost-property.fox")))
    stage = SessionFactory(compile_form(form))
    for scenario in expand(script)[0]:
        subject = SimulatedForm(stage, ".")
        subject.load(0)
        before, states = subject.session.state(), []
        steps = [op.act for op in scenario.ops if not isinstance(op.act, Check)]
        for number, act in enumerate(steps, 1):
            take_step(subject, act, number)
            states.append(subject.session.state())
        for number, state in enumerate(states, 1):
            assert rebuild(before, subject.journal().changes, number) == state, (scenario.title, number)


def test_an_old_charset_is_read_and_sent(fox: Fox) -> None:
    page = '<meta charset="iso-8859-1"><form method=post action=/x><input name=a value="é"><button>s</button></form>'
    (fox.folder / "old.html").write_bytes(page.encode("cp1252"))
    holds(fox, 'subject "old.html"\n---\nexpect a = "é"\ntype a "€灯"\nsubmit\nexpect body = "a=%E9%80%26%2328783%3B"\nexpect payload = {"a": "é€&#28783;"}')


def test_a_page_with_a_script_gives_a_warning(fox: Fox) -> None:
    fox.write(p__html="<form oninput=x()><input name=a></form><script>1</script><script type=application/json>{}</script>")
    fox.write(a__fox='subject "p.html"\nscenario "x"\n    expect a = ""\n')
    done = fox("run", "a.fox")
    assert done.returncode == 0
    assert "p.html has 1 script and 1 element with handlers: they do not run" in done.stdout.replace("\n", " ")


SHEET = """
form: over
page: page.html#ropes
report: {first: blur, again: change}
fields:
  name: {label: Who, rules: [{required: true, say: "{label}?"}, {minlength: 3, say: Longer.}, {maxlength: 5, say: Shorter.}]}
  contact.email: {trim: true, rules: [{email: true, say: No address.}]}
  count: {visible: 'filled(contact.email)', rules: [{holds: value != 7, id: no_seven, say: Not seven.}]}
rules: [{holds: 'not (count == 5 and line[0] == "one")', id: odd, at: contact.email, say: Odd.}]
submit: {send: json, enabled: form.dirty}
server: {takes: 1s, rules: [{holds: 'not ends(contact.email, ".invalid")', at: contact.email, say: Comes back.}]}
after: {accepted: {view: done}}
"""


@pytest.mark.parametrize("body", [
    'expect submit is disabled\nfocus name\nblur\nexpect name shows "Who?"\ntype name "Iv"\nexpect name breaks only tooShort\nexpect name shows "Longer."\nretype name "Ivoooo"\nexpect name breaks only tooLong',
    'expect name breaks only valueMissing\nexpect count is hidden\ntype contact.email " a@b "\nblur\nexpect contact.email reads "a@b"\nexpect count is visible\ntype count "7"\nexpect count breaks only no_seven\nretype count "5"\nexpect contact.email breaks odd',
    'type name "Ivo"\ntype contact.email "a@b.invalid"\nsubmit\nexpect form is busy\nsettle\nexpect outcome is rejected\nexpect contact.email shows "Comes back."\nretype contact.email "a@b"\nsubmit\nsettle\nexpect view is done\nexpect request = "POST /ropes"\nexpect payload includes {"name": "Ivo", "line": ["one", ""], "go": "1"}',
])  # fmt: skip
def test_a_sheet_over_a_page(fox: Fox, body: str) -> None:
    holds(fox, f'subject "over.form.yaml"\n---\n{body}', over__form__yaml=SHEET)


def test_views_and_lookups_of_a_sheet_over_a_page(fox: Fox) -> None:
    sheet = """
form: over
page: page.html
fields: {contact.email: {rules: [{lookup: known}]}}
lookups: {known: {fails: true}}
views: {check: {shows: [contact.email, "line[1]"]}, none: {shows: []}}
after: {accepted: {view: check}, rejected: {view: none}}
"""
    holds(fox, """subject "over.form.yaml"
---
type name "Ivo"
type contact.email "i@b"
submit
expect outcome is refused
expect focus = contact.email
expect contact.email is unasked
expect contact.email shows "Contact.email could not be checked."
answer known with accept
submit
expect view is check
expect contact.email is visible
expect line[1] is visible
expect line[0] is hidden
expect name is hidden
expect submit is visible
answer submit with 422
wait 1s
submit by "Keep"
expect view is none
expect submit is hidden
expect contact.email is hidden
""", over__form__yaml=sheet)


@pytest.mark.parametrize("sheet, says", [
    ("fields: {nme: {label: x}}", "the page has no field 'nme'"),
    ("fields: {line: {label: x}}", "the name 'line' repeats in this page"),
    ("fields: {name: {type: select, options: [a]}}", "`type` comes from the page, and here it is a text"),
    ("fields: {name: {type: number}}", "`type` comes from the page, and here it is a text"),
    ("fields: {name: {type: url}}", "`type` comes from the page, and here it is a text"),
    ("rules: [{holds: 'contact.mail == 1'}]", "unknown field 'contact'"),
    ("buttons: {x: {}}", "a page defines its own buttons"),
])  # fmt: skip
def test_a_sheet_that_does_not_fit_its_page(fox: Fox, sheet: str, says: str) -> None:
    fox.write(page__html=PAGE, over__form__yaml=f"form: f\npage: page.html\n{sheet}\n")
    done = fox("outline", "over.form.yaml")
    assert done.returncode == 2
    assert says in done.stderr


SCHEMA = {
    "type": "object", "required": ["name", "rows", "kind"], "properties": {
        "name": {"type": "string", "minLength": 2, "maxLength": 30, "pattern": "^[A-Z]"}, "mail": {"type": "string", "format": "email"},
        "kind": {"enum": ["hemp", "nylon"]}, "amount": {"type": "integer", "minimum": 1, "maximum": 5, "default": 2},
        "rows": {"type": "array", "minItems": 1, "maxItems": 3, "items": {"$ref": "#/$defs/row"}},
        "extras": {"type": "array", "items": {"enum": ["tar", "hooks", "eyes"]}, "minItems": 2}, "ring": {"$ref": "#/$defs/ring"},
        "far": {"type": "number", "minimum": 1e30, "multipleOf": 0.001},
        "tags": {"type": "array", "items": {"type": "number"}}, "either": {"oneOf": [{"type": "string"}]},
    },
    "$defs": {"row": {"type": "object", "required": ["length"], "properties": {"length": {"type": "number", "exclusiveMinimum": 0, "multipleOf": 0.5}}},
              "ring": {"type": "object", "properties": {"ring": {"$ref": "#/$defs/ring"}, "size": {"type": "number"}}}},
}  # fmt: skip


def test_scaffolds_pass_as_written(fox: Fox) -> None:
    fox.write(page__html=PAGE, order__schema__json=json.dumps(SCHEMA))
    made = fox("scaffold", "page.html#ropes", "--into", "first")
    assert made.returncode == 0, made.stderr
    assert " Run it: idlefox run first/ropes.fox\n" in made.stdout
    done = fox("run", "first", "--report", "json=-")
    assert done.returncode == 0, done.stdout
    titles = [s["title"] for s in json.loads(done.stdout)["scripts"][0]["scenarios"]]
    assert {"name must be filled", "name takes 3 or more characters", "count takes 9 or less", "the filled form is accepted"} <= set(titles)
    assert fox("run", "first", "--subject", "page.html").returncode == 0  # the page itself keeps what the sheet over it says
    assert fox("format", "--check", "first").returncode == 0
    assert "are there already" in fox("scaffold", "page.html#ropes", "--into", "first").stderr
    made = fox("scaffold", "order.schema.json")
    assert made.returncode == 0, made.stderr
    for left in ("/properties/tags: no form control", "oneOf has no counterpart", "$ref #/$defs/ring is not followed"):
        assert left in made.stdout
    done = fox("run", "order.fox", "--verbose")
    assert done.returncode == 0, done.stdout
    for title in ("name matches", "rows takes at most 3 rows", "extras takes 2 choices, not fewer", "amount goes in steps of 1"):
        assert title in done.stdout


@pytest.mark.parametrize("text, says", [("{", "invalid JSON"), ("[]", "a schema must be an object"), ('{"type": "string"}', "no object with properties")])
def test_a_schema_that_cannot_be_used(fox: Fox, text: str, says: str) -> None:
    fox.write(x__json=text)
    done = fox("scaffold", "x.json")
    assert done.returncode == 2
    assert says in done.stderr


@pytest.mark.parametrize("markup, forms", [
    ("<form><input></form><input>", [0, 0, -1]),
    ("<FORM a='>'><!-- <input> --><script><input></script ><textarea><input></textarea><select></form>", [0, 0, 0]),
    ("<form><form><input></form><input><form><input>", [0, 0, -1, 1, 1]),
    ("<form><input a ' b=\"'>\" c='\">'></form><input><form a=b'><input>", [0, 0, -1, 1, 1]),
    ("<template><form><input></form></template><input>", [-1]),
    ("<div><form></div><input></form><title><input></title><button>", [0, 0, -1]),
])  # fmt: skip
def test_the_form_that_the_parser_is_at(markup: str, forms: list[int]) -> None:
    assert [tag.form for tag in start_tags(markup)] == forms


@given(st.sampled_from(sorted(DATE_KINDS)), st.integers(-60_000_000_000_000, 250_000_000_000_000))
@example("week", -53488771200001)  # a Thursday of the week before the first of that year
def test_dates_are_written_as_they_are_read(kind: str, number: int) -> None:
    text = date_text(kind, number // 10**9 if kind == "month" else number % 86_400_000 if kind == "time" else number)
    if text:
        found = date_number(kind, text)
        assert found is not None
        assert date_text(kind, found) == text


@given(st.sampled_from(["^a", "b$", "^a$", "a|b", "^a|b$", "^(a|b)$", "[|]", "[a-]|[^(]", "a\\$", "^$"]), st.text("ab|$\n", max_size=4))
def test_patterns_of_schemas_are_unanchored(pattern: str, text: str) -> None:
    assert whole_match(whole_pattern(pattern))(text) is finds(pattern, "u")(text)


@given(st.recursive(st.sampled_from(["a", "[b-d]", "\\d", ".", "\\p{L}", "[^x]"]), lambda inner: st.one_of(
    st.builds("({})".format, inner), st.builds("{}{}".format, inner, inner), st.builds("(?:{}|{})".format, inner, inner),
    st.builds("{}{}".format, inner.filter(lambda p: p[-1:] not in "*+?}"), st.sampled_from(["*", "+", "?", "{2}", "{1,3}", "{2,}"])),
), max_leaves=5))  # fmt: skip
def test_a_text_made_up_for_a_pattern_matches_it(pattern: str) -> None:
    try:
        matches = whole_match(pattern)
    except Exception:
        return  # no pattern at all: a quantifier of a quantifier
    assert all(map(matches, matching(pattern)))
    assert matching(pattern), pattern


@pytest.mark.parametrize(("label", "name"), [
    ("latin1", "windows-1252"), ("x-sjis", "Shift_JIS"), ("x-cp1250", "windows-1250"), ("dos-874", "windows-874"), ("big5", "Big5"),
    ("x-mac-cyrillic", "x-mac-cyrillic"), ("iso-8859-8-i", "ISO-8859-8-I"), ("iso-8859-2", "ISO-8859-2"), ("iso-8859-16", "ISO-8859-16"), ("x-user-defined", "x-user-defined"), ("euc-jp", "EUC-JP"),
    ("rot13", "UTF-8"), ("hex", "UTF-8"), ("latin-1", "UTF-8"), ("cp437", "UTF-8"), ("utf-8-sig", "UTF-8"), ("utf-16", "UTF-8"),
])  # fmt: skip
def test_labels_are_the_encoding_standards(label: str, name: str) -> None:
    page = f"<form accept-charset='{label}'><input type=hidden name=_charset_><button>s</button></form>"
    assert read_page_text(page, "a.html").page.charset == name


def test_a_byte_that_is_no_text_is_placed(fox: Fox) -> None:
    (fox.folder / "a.html").write_bytes("<form>\n<p>é</p>\n<p>ü".encode() + b"\xff</form>")
    with pytest.raises(Unreadable) as caught:
        read_page(str(fox.folder / "a.html"))
    (problem,) = caught.value.problems
    assert (problem.place.line, problem.place.column) == (3, 5)


@pytest.mark.parametrize(("page", "body"), [
    ("<input name=a><details><summary>s<input name=s></summary><input name=b></details><input name=c>",
     "focus a\npress Tab\nexpect focus = s\npress Tab\nexpect focus = c\ntype b \"x\""),
    ("<input name=a><div hidden=until-found><input name=b></div>", "focus a\npress Tab\nexpect focus = b"),
    ("<form method=post action='//'><input name=a><button>s</button></form>", "submit\nexpect requests = 0\nexpect outcome is none"),
    ("<form method=post action='http://[::1'><input name=a><button>s</button></form>", "submit\nexpect requests = 0"),
    ("<form method=post action=/x enctype=multipart/form-data accept-charset=windows-1252><input name=a><button>s</button></form>",
     'type a "😀"\nsubmit\nexpect body contains "&#128512;"'),
    ("<input type=date name=a><input type=time name=t>", "press Enter in a\nexpect requests = 0\npress Enter in t\nexpect requests = 0"),
])  # fmt: skip
def test_reachable_controls_and_payload(fox: Fox, page: str, body: str) -> None:
    fox.write(p__html=page if "<form" in page else f"<form>{page}</form>")
    steps = "".join(f"    {line}\n" for line in body.split("\n"))
    fox.write(a__fox=f'subject "p.html"\nscenario "it"\n{steps}')
    done = fox("run", "a.fox")
    assert done.returncode == 0, done.stdout


def test_a_file_beside_the_script_is_sent_as_it_is(fox: Fox) -> None:
    fox.write(f__form__yaml="form: f\nfields: {f: {type: file}}\nsubmit: {send: multipart}", note__txt="hello", a__fox="""\
subject "f.form.yaml"
scenario "its own size"
    upload f "note.txt" 5 bytes
    submit
    expect body contains "hello"
scenario "another size"
    upload f "note.txt" 7 bytes
""")
    done = fox("run", "a.fox")
    assert "1 passed   1 failed" in done.stdout
    assert "note.txt exists beside the script with 5 bytes, not 7" in done.stdout


@pytest.mark.parametrize(("wanted", "says"), [
    ("zzz", "the page's forms are #first or #second"), ("frist", "did you mean 'first'?"),
])  # fmt: skip
def test_a_form_that_a_page_has_not(wanted: str, says: str) -> None:
    with pytest.raises(Unreadable) as told:
        read_page_text("<form id=first></form><form></form><form id=second></form>", "p.html", wanted)
    assert (told.value.problems[0].cause, told.value.problems[0].remedy) == (f"this page has no form with the id {wanted!r}", says)


@pytest.mark.parametrize(("head", "more", "told"), [
    ("<script>one()</script>", "onclick=two()", ("1 script", "1 element with handlers")), ("<script src=a.js></script><script type=module></script>", "", ("2 scripts",)),
    ("<script type=application/ld+json>{}</script>", "", ()), ("<p onkeydown=y() onkeyup=x()>", "oninput=z()", ("2 elements with handlers",)), ("<p onload=x()>", "", ("1 element with handlers",)),
])  # fmt: skip
def test_scenarios_left_out_are_counted(head: str, more: str, told: tuple[str, ...]) -> None:
    form = read_page_text(f"{head}<form><input name=a {more}></form>", "p.html")
    assert form.page is not None
    assert form.page.scripts == told


@pytest.mark.parametrize("row", ["<li role=group>{}</li>", "<fieldset role=group>{}</fieldset>", "<section><ul><li>{}</li></ul></section>", "<div role=group>{}</div>"])
def test_a_row_on_a_drawn_page_is_one_row(row: str) -> None:
    sheet = read_sheet_text("form: f\nfields: {r: {type: rows, fields: {n: {}}}}\n", "f.form.yaml")
    rows = "".join(row.format(f"<input name='r[{n}].n'>") for n in range(2))
    said = "<output role=alert>Not yet.</output>"
    page = ServedPage(f"<form action=/s>{said}<fieldset id=r><legend>R</legend>{rows}</fieldset><button>s</button></form>", "http://127.0.0.1:1/f")
    assert ServedMap(sheet, page).count(("r",)) == 2
    assert ServedMap(sheet, page).look().own == ["Not yet."]
