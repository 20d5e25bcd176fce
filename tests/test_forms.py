"""The behaviour of forms under a person's actions: controls, timing, rows, conditions, panels, views, drafts."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from importlib import resources
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox

from idlefox.forms.model.graph import Graph
from idlefox.forms.model.live import FieldLocators, Find
from idlefox.forms.schema.read import read_schema
from idlefox.forms.sheet.document import Document
from idlefox.forms.sheet.read import read_sheet, read_sheet_text
from idlefox.forms.sheet.sheet_cache import known
from idlefox.study.starter_files import from_schema

DEMO = Path(str(resources.files("idlefox.demo")))
HEAD = "form: f\nreport: {first: blur, again: change}\nreveal: 'true'\n"


def one(field: str, more: str = "") -> str:
    return f"{HEAD}fields:\n  f: {field}\n{more}"


def test_a_hidden_group_or_list_may_forget_all_that_is_in_it(fox: Any) -> None:
    sheet = (
        "form: f\nfields:\n  k: {type: checkbox}\n  g: {type: group, visible: k, when_hidden: forget, fields: {a: {initial: i}}}\n"
        "  r: {type: rows, visible: k, when_hidden: forget, start: 1, fields: {a: {}, q: {type: rows, fields: {b: {}}}}}\n"
    )
    fox.holds(sheet, 'turn k on\ntype g.a "x"\nadd r with {"a": "y", "q": [{"b": "z"}]}\ntype r[0].a "w"\nturn k off\n'
              'expect values = {"k": false, "g": {"a": "i"}, "r": [{"a": "", "q": []}]}\nexpect form is clean\nexpect touched = k')  # fmt: skip


def test_a_draft_is_dropped_unless_the_sheet_keeps_it(fox: Any) -> None:
    fox.holds(one("{}"), 'type f "x"\nleave\nreturn\nexpect f is empty, clean')


def test_dirty_may_be_sticky(fox: Any) -> None:
    fox.holds("form: f\ndirty: ever\nfields: {a: {}, r: {type: rows, fields: {b: {}}}}",
              'type a "x"\nerase a\nexpect a is dirty\nadd r\nremove r[0]\nexpect dirty = a, r\nreset\nexpect form is clean')  # fmt: skip


def test_python_rules_run_only_where_they_are_trusted(fox: Any) -> None:
    fox.write(rules__py="""
def check(value, form):
    if value == "boom":
        raise ValueError("no")
    return "Say it twice." if form["b"] != value else True
""")
    sheet = "form: f\npython: rules.py\nfields: {a: {rules: [{maxlength: 9, say: Long.}, {python: check, say: Bad., id: own}]}, b: {}}\n"
    body = 'scenario "x"\n    type b "y"\n    type a "y"\n    expect a is valid\n    type b "!"\n    expect a is invalid\n    type a "z"\n    blur\n    expect a shows "Say it twice."\n' \
           '    retype a "boom"\n    expect a breaks own\n    expect a shows "Bad."\n'  # fmt: skip
    result = fox.play(sheet, body, trust=True)
    assert [s.verdict for s in result.scenarios] == ["pass"], result
    assert "ValueError: no" in result.scenarios[0].warnings[0]
    assert "--trust" in fox.play(sheet, body).errors[0].remedy


@pytest.mark.parametrize(("given", "place"), [
    ("'#x'", FieldLocators(Find(css="#x"))), ("{role: textbox}", FieldLocators(Find(role="textbox"))), ("{name: A}", FieldLocators(Find(name="A"))),
    ("{role: textbox, name: A, dirty: .d}", FieldLocators(Find(role="textbox", name="A"), dirty=Find(css=".d"))), ("{at: '#x', touched: .t}", FieldLocators(Find(css="#x"), touched=Find(css=".t"))),
    ("{touched: .t}", FieldLocators(None, touched=Find(css=".t"))),
])  # fmt: skip
def test_where_a_field_is_on_its_page(given: str, place: FieldLocators) -> None:
    form = read_sheet_text(f"form: f\nfields: {{a: {{}}}}\nlive: {{page: f.html, find: {{a: {given}}}}}\n", "f.form.yaml")
    assert form.live is not None
    assert form.live.find == {"a": place}


@pytest.mark.parametrize(("schema", "initial"), [
    ({"enum": ["a", "b"], "default": "b"}, "b"), ({"type": "array", "items": {"enum": ["a", "b"]}, "default": ["b"]}, ["b"]), ({"type": "boolean", "default": True}, True),
    ({"type": "boolean", "default": "yes"}, None), ({"type": "string", "default": 3}, None), ({"type": "integer", "default": 3}, 3), ({"type": "string", "default": None}, None),
])  # fmt: skip
def test_a_valid_default_is_the_initial_value(tmp_path: Path, schema: dict[str, Any], initial: Any) -> None:
    (tmp_path / "s.json").write_text(json.dumps({"properties": {"a": schema}}), encoding="utf-8")
    made = from_schema(read_schema(str(tmp_path / "s.json")), "s", str(tmp_path))
    field = read_sheet_text(made.sheet, "s.form.yaml").fields[0]
    assert field.initial == initial


@pytest.mark.parametrize(("sheet", "place", "cause", "remedy"), [
    ("  a: {rules: [{required: true, say: Choose, please.}]}", (3, 45), "unknown key 'please.'", 'put the text in quotes: a: {rules: [{required: true, say: "Choose, please."}]}'),
    ("  a: {type: select, options: [{value: 1, label: One, two}]}", (3, 54), "unknown key 'two'", 'label: "One, two"}]}'),
    ("  a: {label: Note: first, trim: true}", (3, 14), "it contains a colon", 'write a: {label: "Note: first", trim: true}'),
    ("  a:\n    label: Note: x", (4, 12), "it contains a colon", 'write label: "Note: x"'),
    ('  a: {rules: [{holds: value in ["a", "b"], say: x}]}', (3, 23), "quotes or brackets", "write a: {rules: [{holds: 'value in [\"a\", \"b\"]', say: x}]}"),
    ("  a: {rules: [{pattern: [a-z]+}]}", (3, 25), "it starts with [", 'write a: {rules: [{pattern: "[a-z]+"}]}'),
    ("  a: {label: a # b}", (3, 14), "it contains a #", 'write a: {label: "a # b"}'),
    ("  a:\n    label: @x", (4, 12), "it starts with @", 'write label: "@x"'),
    ("  a:\n    label: \"a\" b's", (4, 12), 'it starts with "', "write label: '\"a\" b''s'"),
    ("  a: {rules: [{required: true}]\n  b: {}", (3, 6), "this { is never closed", "close it with }"),
    ("  a: {rules: [{required: true}}", (3, 14), "this [ is closed by }", "close it with ]"),
    ('  a: {label: "x}\n  b: {}', (3, 14), "this quote is never closed", "end the text with the quote"),
    ('  a: {rules: [{pattern: "[\\d]+"}]}', (3, 27), r"\d is not an escape in double quotes", "single quotes"),
    ("  a:\n    label: x\n   type: text", (5, 4), "indented by 3 spaces, which matches no block around it", "indent it by 2 or 4"),
    ("  a:\n    label: x\n      type: text", (5, 7), "indented by 6 spaces, which matches no block around it", "indent it by 4"),
    ("  a:\n    rules:\n     - {required: true}\n      - {minlength: 3}", (6, 7), "indented by 6", "indent it by 5"),
    ("\ta: {}", (3, 1), "a tab in the indentation", "indent with spaces"),
])  # fmt: skip
def test_yaml_errors_suggest_the_corrected_line(fox: Fox, sheet: str, place: tuple[int, int], cause: str, remedy: str) -> None:
    result = fox.play(f"form: f\nfields:\n{sheet}\n", 'scenario "x"\n    reset\n')
    problem = result.errors[0]
    assert (problem.place.line, problem.place.column) == place
    assert cause in problem.cause
    assert remedy in problem.remedy


def test_the_order_ranks_each_unit_above_all_that_it_is_judged_from() -> None:
    text = (
        'form: f\nfields: {t: {derive: {from: "now()"}}, u: {derive: {from: t}}, v: {derive: {from: "u + t"}, visible: "filled(u)"}, '
        "g: {type: group, visible: v.valid, fields: {a: {rules: [{holds: 'value != t'}]}}}}"
    )
    graph = Graph(read_sheet_text(text, "f"))
    for unit in [(path, name) for path in ((), *graph.fields) for name in ("value", "visible", "enabled", "validity", "marked", "dirty")]:
        assert all(graph.rank(unit) > graph.rank(source) for source in graph.judged_from(unit)), unit
    assert list(graph.rings()) == []


# what is kept of sheets that were read
@pytest.mark.parametrize("sheet", [*sorted(DEMO.glob("*.form.yaml")), *sorted((Path(__file__).parent / "samples").glob("*.form.yaml"))], ids=lambda s: s.name)
def test_a_sheet_read_again_is_the_same(sheet: Path, fox: Fox, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(fox.folder))
    text = sheet.read_text("utf-8")
    assert known("f", text) is None
    read_sheet(str(sheet))
    first, again = Document("f", text), known("f", text)
    assert again is not None
    assert (repr(again.data), again.lines()) == (repr(first.data), first.lines())
    assert first.lines()[0] > 0


def test_the_sheet_cache_changes_nothing(fox: Fox) -> None:
    """Not what is found wrong, where only a file has changed that the sheet names; nor does it matter what became of it."""
    fox.write(p__html='<form><input name="a"></form>', f__form__yaml='form: f\npage: p.html\nfields:\n  a: {rules: [{holds: "a != 2"}, {maxlength: 2.0}]}\n',
              a__fox='subject "f.form.yaml"\nscenario "s"\n    type a "abc"\n    expect a breaks tooLong\n')  # fmt: skip
    cache = {"XDG_CACHE_HOME": str(fox.folder / "cache")}
    assert fox("run", "a.fox", **cache).returncode == 0
    probe = "import idlefox, sys\nassert idlefox.run('a.fox').passed\nassert not {'yaml', 'jsonschema_rs'} & set(sys.modules)"
    subprocess.run([sys.executable, "-c", probe], cwd=fox.folder, env={**os.environ, **cache}, check=True)
    fox.write(p__html='<form><input name="b"></form>')
    done = [fox("run", "a.fox", **each).stdout.partition("0 scenarios")[0] for each in (cache, {"XDG_CACHE_HOME": str(fox.folder / "p.html")})]
    assert "f.form.yaml:4:3" in done[0]
    assert done[0] == done[1]
    kept = next((fox.folder / "cache" / "idlefox" / "sheets").iterdir())
    fox.write(p__html='<form><input name="a"></form>')
    of_another = json.dumps([*json.loads(kept.read_text("utf-8"))[:1], "form: g", {}, [1]])
    for odd in ("", "[", "3", of_another):
        kept.write_text(odd, encoding="utf-8")
        assert fox("run", "a.fox", **cache).returncode == 0
    assert json.loads(kept.read_text("utf-8"))[2]["form"] == "f"


def test_a_group_reports_at_a_change_in_it_that_its_field_does_not_report_at(fox: Fox) -> None:
    sheet = (
        "form: f\nreveal: 'true'\nfields:\n  g:\n    type: group\n    report: {first: change}\n    rules: [{holds: filled(g.b), say: Fill in b.}]\n"
        "    fields: {a: {report: {first: submit}}, b: {report: {first: submit}}}\n"
    )
    fox.holds(sheet, 'expect g shows nothing\ntype g.a "x"\nexpect g shows "Fill in b."\ntype g.b "y"\nexpect g shows nothing\n')
