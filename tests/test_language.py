"""The scenario language: errors and their messages, formatting, and how scenarios are put together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.problems import Unreadable
from idlefox.script.reader import read_script_anyway, read_script_text
from idlefox.script.tree import Answer, same
from idlefox.script.writer import write_script


@pytest.mark.parametrize(("line", "column", "says"), [
    ('typ a "x"', 5, "did you mean 'type'?"),
    ('type a', 11, "expected the text to type"),
    ("type a 'x'", 12, "strings need double quotes"),
    ('type a "x', 12, "no closing double quote"),
    ('type a "\\q"', 13, "not a valid JSON string"),
    ('type a "x" y', 16, "expected the end of the line, found y"),
    ('type a.[0] "x"', 11, "this is not an address"),
    ("wait 3", 10, "expected a duration"),
    ("wait 1.0001ms", 10, "whole number of milliseconds"),
    ("press Entr", 11, "did you mean 'Enter'?"),
    ("turn a onn", 12, "expected on or off"),
    ("set a [1, 2", 11, "not closed"),
    ("set a [1, 2,]", 17, "a trailing comma"),
    ("set a 1e999", 11, "too large"),
    ("set a any", 11, "expected a value"),
    ("expect", 11, "the line ends"),
    ("expect a", 13, "expected a predicate"),
    ("expect a == 1", 14, "write = instead"),
    ("expect a iss valid", 14, "did you mean 'is'?"),
    ('expect values shows "x"', 19, "'values' has no predicate 'shows'"),
    ("expect focus = a, b", 23, "only one control can have the focus"),
    ("answer submit with 99", 24, "expected an HTTP status"),
    ("scenario \"x\"", 5, "must not be indented"),
    ("do f(1", 11, "expected ')'"),
])  # fmt: skip
def test_errors_have_a_place_and_a_remedy(line: str, column: int, says: str) -> None:
    with pytest.raises(Unreadable) as fault:
        read_script_text(f'scenario "x"\n    {line}\n    note "the next line is read"\n', "a.fox")
    problem = fault.value.problems[0]
    assert len(fault.value.problems) == 1, fault.value.problems
    assert (problem.place.line, problem.place.column) == (2, column), problem
    assert says in problem.cause + problem.remedy, problem


@pytest.mark.parametrize("before", [
    "expect payload = {", "expect payload not = {", "expect values includes {", "expect r = [", "expect r offers [", "add r with {", "answer submit with 422 {",
])  # fmt: skip
def test_values_fit_on_one_line_up_to_a_hundred_columns(before: str) -> None:
    end = '"}' if before.endswith("{") else '"]'
    for length, lines in ((100, 1), (101, 3)):
        written = f"    {before}" + ('"b": "' if before.endswith("{") else '"')
        text = f'scenario "w"\n{written}{"y" * (length - len(written) - 2)}{end}\n'
        assert len(write_script(read_script_text(text, "w.fox")).rstrip().split("\n")) - 1 == lines


def test_members_fit_on_one_line_up_to_a_hundred_columns() -> None:
    for length, lines in ((100, 5), (101, 7)):
        text = '        "within": {"b": "' + "y" * (length - 28) + '"},'
        assert len(text) == length
        script = f'scenario "w"\n    expect payload = {{\n{text}\n        "c": 1\n    }}\n'
        assert len(write_script(read_script_text(script, "w.fox")).rstrip().split("\n")) == lines


@pytest.mark.parametrize("status", [100, 200, 599])
def test_a_status_is_one_of_http(status: int) -> None:
    script = read_script_text(f'scenario "s"\n    answer submit with {status}\n', "a.fox")
    answer = script.blocks[0].body.statements[0].act
    assert isinstance(answer, Answer)
    assert answer.status == status


def test_a_tab_costs_its_line_alone() -> None:
    with pytest.raises(Unreadable) as fault:
        read_script_text('scenario "s"\n\ttyp a\n\ttyp b\n    typ c\ntyp d\n', "a.fox")
    assert [p.place.line for p in fault.value.problems] == [2, 3, 4, 5]
    script, _ = read_script_anyway("a.fox", 'scenario "s"\n\ttyp a\n    blur\nscenario "t"\n    blur\n')
    assert [block.line for block in script.blocks] == [1, 4]


def test_all_slips_of_a_file_at_once() -> None:
    text = 'subjet "x"\nscenario "a"\n    typ a "x"\n    wait x\n\tblur\nscenario\n  expect b\nroutine f(a, a)\n    note "x"\n'
    with pytest.raises(Unreadable) as fault:
        read_script_text(text, "a.fox")
    assert [p.place.line for p in fault.value.problems] == [1, 3, 4, 5, 6, 8]


@pytest.mark.parametrize("head", ["with a", "with a, a", "do r with", "fill", "inside a", "typ c"])
def test_the_line_behind_a_slip_is_read(head: str) -> None:
    with pytest.raises(Unreadable) as fault:
        read_script_text(f'scenario "s"\n    {head}\n    typ b\nscenario "t"\nscenari "u"\n', "a.fox")
    assert [p.place.line for p in fault.value.problems] == [2, 3, 4, 5]


@pytest.mark.parametrize("text", ['\nscenario "x"\n    typ a', '# it\nscenario "x"\n    typ a', '  \n\nscenario "x"\n    typ a  '])
def test_a_slip_in_the_last_line_is_one_slip(text: str) -> None:
    with pytest.raises(Unreadable) as fault:
        read_script_text(text, "a.fox")
    assert len(fault.value.problems) == 1


def test_a_script_keeps_its_meaning_comments_and_blank_lines_in_the_one_layout() -> None:
    text = """# the top
subject   "f.form.yaml"  # of it
clock 2031-05-02T09:00:00+02:00


prelude
  type a "x"   every 20ms
  # the end of the prelude
# before the routine
routine r(x,y)
    inside list[$x]
        type .name "${y} $$5"  # told

    fill
        # a comment
        a  {"b":1,  # within
           "c":[1,2]}
        ["odd name"] like /^a\\/b$/i
scenario "s $a" [one,two]
    # its own time
    clock 2031-05-02T09:00:00Z
    with a,b
        "x", 1   # first
        # between
        "long", [ ]
    pick c also "x","y"
    expect a not is valid,not dirty within 1500ms
    expect list[-1].q[0] breaks only required, tooShort
    upload f "a.pdf" 20 bytes "application/pdf", "b.txt"
    submit extra by "save" past checks
    answer submit with 422 {"errors": {"": "No."}} after 2s
    expect form shows nothing for 1h
# the end
"""
    script = read_script_text(text, "a.fox")
    laid_out = write_script(script)
    again = read_script_text(laid_out, "a.fox")
    assert same(script, again)
    assert write_script(again) == laid_out
    assert [w for w in text.split() if w.startswith("#")] == [w for w in laid_out.split() if w.startswith("#")]
    assert '        "x",     1  # first\n' in laid_out


WORDS = st.from_regex(r"[a-z_][a-z0-9_-]{0,5}", fullmatch=True)
JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**9), 10**9) | st.floats(allow_nan=False, allow_infinity=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=5), inner, max_size=4), max_leaves=12,
)  # fmt: skip


@st.composite
def statements(draw: st.DrawFn) -> str:
    import json

    def value() -> str:
        return json.dumps(draw(JSON), ensure_ascii=draw(st.booleans())).replace("$", "$$")

    def text() -> str:
        return json.dumps(draw(st.text(max_size=8))).replace("$", "$$")

    def address() -> str:
        found = ("." if draw(st.booleans()) else "") + draw(WORDS)
        for _ in range(draw(st.integers(0, 3))):
            name = json.dumps(draw(st.text(max_size=5)))
            found += draw(st.sampled_from([f".{draw(WORDS)}", f"[{draw(st.integers(-9, 99))}]", f"[{name}]"]))
        return found

    pool: tuple[Callable[[], str], ...] = (
        lambda: f"type {address()} {text()}", lambda: f"set {address()} {value()}", lambda: f"pick {address()} also {value()}, {value()}",
        lambda: f"add {address()} at 3 with {value()}", lambda: f"expect {address()} = {value()}", lambda: f"expect payload includes {value()}",
        lambda: f"expect {address()} is valid, not dirty within 3s", lambda: f"expect {address()} offers {value()}", lambda: f"note {text()}",
        lambda: f"expect dirty = {address()}, {address()}", lambda: f"do {draw(WORDS)}({value()})", lambda: f"move {address()} to -2",
        lambda: f"expect {address()} shows {text()}, {text()}", lambda: f"press Shift+Tab in {address()}", lambda: f"expect payload omits {address()}",
        lambda: f'do {draw(WORDS)} with csv "a.csv"', lambda: f"do {draw(WORDS)} with\n        {value()}", lambda: f"fill\n        {address()} {value()}",
    )  # fmt: skip
    before = draw(st.sampled_from(["", "", "#¤ before\n    "]))
    return before + draw(st.sampled_from(pool))() + draw(st.sampled_from(["", "  #¤ why", "\n\n"]))


@settings(max_examples=200, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate), report_multiple_bugs=False)
@given(st.lists(statements(), min_size=1, max_size=6))
def test_any_script_survives_the_formatter(lines: list[str]) -> None:
    text = 'scenario "x"\n' + "".join(f"    {line}\n" for line in lines)
    script = read_script_text(text, "a.fox")
    laid_out = write_script(script)
    assert laid_out.count("#¤") == text.count("#¤")
    again = read_script_text(laid_out, "a.fox")
    assert same(script, again)
    assert write_script(again) == laid_out


SHEET = "form: f\nfields: {a: {}, n: {type: number}, g: {type: group, fields: {a: {}}}, r: {type: rows, start: 2, fields: {t: {}}}}\n"


def test_routines_tables_use_and_inside_come_together(fox: Any) -> None:
    fox.write(
        steps__fox='routine put(where, text)\n    type $where "$text!"\n    do twice("b")\nroutine twice(x)\n    type a "$x${x}"\n',
        cases__csv='text,row\n"one, two",0\nthree,1\n',
    )
    result = fox.play(SHEET, '''use "steps.fox"

prelude
    type n "4"

scenario "a table from a file: $text"
    with csv "cases.csv"
    inside r[$row]
        do put(".t", $text)
        expect .t = "$text!"
    expect a = "bb"
    expect n = 4

scenario "a whole address and a state as parameters"
    with where, state, ms
        "g.a", "dirty", "3s"
    type $where "x"
    expect $where is $state
    wait $ms
    expect g.a is $state within $ms
''')  # fmt: skip
    assert not result.errors, result.errors
    own = fox.play("form: f\nfields: {d: {type: date, rules: [{min: {expr: today()}}]}}", """scenario "a clock of its own"
    clock 2035-01-01T00:00:00Z
    with what
        like /^2035/
        any
    set d "2035-01-01"
    expect d is valid
    expect d = $what
""")
    assert [s.verdict for s in own.scenarios] == ["pass", "pass"], own
    assert [(s.title, s.verdict) for s in result.scenarios] == [
        ("a table from a file: one, two", "pass"), ("a table from a file: three", "pass"),
        ("a whole address and a state as parameters", "pass"),
    ]  # fmt: skip


def test_comments_keep_their_place_in_every_block() -> None:
    text = """\
# At the head.
subject "f.form.yaml"

routine r
    inside g
        fill
            .a "x"
            # the end of the fill
        # the end of the inside
    # the end of the routine

scenario "x"
    with a, b
        # before a row
        1,  "x"  # behind it
        # the end of the table
    do r
    expect payload = {
        # before a member
        "n": 1  # behind it
        # before the bracket
    }
    # the end of the scenario

# At the end.
"""
    assert write_script(read_script_text(text, "a.fox")) == text


@pytest.mark.parametrize(("script", "place", "cause"), [
    ('scenario "x"\n    with i\n        "one"\n    type r[$i].n "x"\n', (4, 10), "which is not a row number"),
    ('scenario "x"\n    with i\n        true\n    type r[$i].n "x"\n', (4, 10), "which is not a row number"),
    ('scenario "x"\n    erase a 12345678901234567890123\n', (2, 13), "12345678901234567…"),
    ('use "none.fox"\nscenario "x"\n    reset\n', (1, 5), "none.fox"),
    ('scenario "x"\n    inside r[0]\n        type .$where "x"\n', (3, 15), "where"),
    ('scenario "x"\n    inside r[0]\n        clear .$where\n', (3, 16), "where"),
])  # fmt: skip
def test_errors_point_to_the_exact_column(fox: Fox, script: str, place: tuple[int, int], cause: str) -> None:
    result = fox.play("form: f\nfields: {a: {}, r: {type: rows, start: 2, fields: {n: {}}}}", script)
    (problem,) = result.errors
    assert cause in problem.cause
    assert (problem.place.line - 3, problem.place.column) == place


WALKS = """\
subject "f.form.yaml"

routine grows(key, state)
    type a $key
    expect a is $state

scenario "a walk"
    do grows with
        "a",  "invalid"
        "b",  "invalid"  # still
        # the end of the rows
    do grows with state, key
        "valid",  "c"

scenario "$n wants $want"
    with json "cases.json"
    set n $n
    expect n = $want

scenario "typed $t"
    with csv "cases.csv"
    type a $t
    expect a is valid

scenario "a walk of another file"
    do grows with csv "walk.csv"
"""


def test_walks_and_tables_of_other_files(fox: Fox) -> None:
    assert write_script(read_script_text(WALKS, "a.fox")) == WALKS
    fox.write(
        f__form__yaml="form: f\nfields: {a: {rules: [{minlength: 3}]}, n: {type: number}}\n", a__fox=WALKS,
        cases__json='[\n  {"n": 1, "want": 1},\n  {"n": 2,\n   "want": 3},\n  {"n": null, "want": null}\n]\n',
        cases__csv='t\nabc\n"a\nb"\nabcd\nx\n', walk__csv="state,key\ninvalid,a\nvalid,bc\n",
    )  # fmt: skip
    done = fox("run", "a.fox")
    assert "8 passed" not in done.stdout
    assert {line.split()[1] for line in done.stdout.splitlines() if line.startswith(" FAILED")} == {"cases.json:3", "cases.csv:3", "cases.csv:6"}
    # A line of the script is the script's own, whatever line a table elsewhere has.
    for asked, says in (
        ("a.fox:3", "no scenario at line 3"), ("a.fox:8", "1 scenario: 1 passed"), ("cases.csv:2", "1 scenario: 1 passed"),
        ("cases.csv:3", "1 scenario: 0 passed, 1 failed"), ("cases.json:5", "1 scenario: 1 passed"), ("a.fox:16", "3 scenarios: 2 passed, 1 failed"),
        ("cases.csv:4", "no script here uses the row at this line"), ("none.csv:2", "no script here"),
    ):  # fmt: skip
        done = fox("run", asked)
        assert says in done.stdout + done.stderr, (asked, done.stdout, done.stderr)


@pytest.mark.parametrize(("body", "file", "says"), [
    ("do grows with\n        1", "", "the row at line 8 has 1 cells; grows takes 2 (key, state)"),
    ("do grows with key\n        1", "", "the table differs in state"),
    ('do grows with json "t.json"\n        1\n        # 2\n        3', "[]", "the rows of this table come from t.json"),
    ('do grows with json "t.json"', '[{"key": 1}]', "the table differs in state"),
    ('do grows with json "t.json"', '[{"key": 1, "state": 2}, {"key": 1}]', "differ in their members: state"),
    ('do grows with json "t.json"', '{"key": 1}', "expected an array of objects"),
    ('do grows with json "t.json"', '[{"key": 1, "state": NaN}]', "NaN is not a json value"),
    ('do grows with json "t.json"', "[1]", "this row is not an object"),
    ('do grows with json "t.json"', "[{} {}]", "expected ',' or ']'"),
    ('do grows with json "t.json"', "[]", "t.json has no rows"),
    ('do grows with csv "none.csv"', "", "none.csv: file not found"),
])  # fmt: skip
def test_mismatched_tables_are_errors(fox: Fox, body: str, file: str, says: str) -> None:
    fox.write(t__json=file)
    result = fox.play("form: f\nfields: {a: {}}", f'routine grows(key, state)\n    type a $key\nscenario "x"\n    {body}\n    expect a is clean\n')
    assert says.lower() in " ".join(p.cause for p in result.errors).lower(), result.errors


@pytest.mark.parametrize(("text", "where"), [('[{"key" 1}]', "a.fox"), ('[\n{"key" 1}]', "t.json"), ("", "a.fox")])
def test_errors_in_table_files_point_to_the_file(fox: Fox, text: str, where: str) -> None:
    fox.write(t__json=text)
    result = fox.play("form: f\nfields: {a: {}}", 'scenario "x"\n    with json "t.json"\n    type a $key\n')
    assert [Path(p.place.file).name for p in result.errors] == [where], result.errors


@pytest.mark.parametrize(("most", "played"), [(0, 5), (1, 2), (2, 4), (3, 5)])
def test_it_stops_after_so_many_that_fell(fox: Fox, most: int, played: int) -> None:
    scenarios = "".join(f'scenario "{n}"\n    expect a is {"filled" if n % 2 else "empty"}\n' for n in range(5))
    fox.write(form__form__yaml="form: f\nfields: {a: {}}\n", a__fox=f'subject "form.form.yaml"\n{scenarios}')
    result = play_script(SelectedScript(str(fox.folder / "a.fox")), RunOptions(stop_after=most), Subjects())
    assert len(result.scenarios) == played


@pytest.mark.parametrize(("line", "says"), [
    ("click send", "`submit`"), ('enter a "x"', 'type FIELD "text"'), ("check k", "turn FIELD on"), ('select k "x"', "pick FIELD VALUE"),
    ("choose k 1", "pick FIELD VALUE"), ("press submit", "with `submit`"), ("sleep 3s", "wait 3s"), ("assert a", "expect FIELD"),
    ('Click "x"', "`submit`"), ('tpye a "x"', "did you mean 'type'?"), ("answer submit with 600", "a status is between 100 and 599"),
])  # fmt: skip
def test_common_synonyms_suggest_the_keyword(line: str, says: str) -> None:
    with pytest.raises(Unreadable) as caught:
        read_script_text(f'scenario "x"\n    {line}\n', "a.fox")
    assert says in caught.value.problems[0].remedy
