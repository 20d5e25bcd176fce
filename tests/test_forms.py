"""What a form does at a person's hands, played: controls, timing, rows, conditions, panels, views, drafts."""

from __future__ import annotations

from typing import Any

import pytest

from idlefox.report.wording import reason_text

HEAD = "form: f\nreport: {first: blur, again: change}\nreveal: 'true'\n"


def one(field: str, more: str = "") -> str:
    return f"{HEAD}fields:\n  f: {field}\n{more}"


@pytest.mark.parametrize(("field", "body"), [
    # controls
    ("{type: date, rules: [{min: '2031-05-02'}]}", 'type f "2031-05"\nexpect f = ""\nexpect f reads "2031-05"\nexpect f breaks only badInput\n'
     'type f "-01"\nexpect f = "2031-05-01"\nexpect f breaks only rangeUnderflow\nset f "2031-02-30"\nexpect f is empty, pristine'),
    ("{type: week}", 'set f "2031-W18"\nexpect f = "2031-W18"\nset f "2031-W60"\nexpect f = ""'),
    ("{type: time, rules: [{min: '22:00', max: '06:00'}, {step: 900}]}", 'set f "23:30"\nexpect f is valid\nset f "05:45"\nexpect f is valid\n'
     'set f "12:00"\nexpect f breaks only rangeUnderflow, rangeOverflow\nset f "23:01"\nexpect f breaks only stepMismatch'),
    ("{type: datetime-local}", 'set f "2031-05-02 09:30:00.500"\nexpect f = "2031-05-02T09:30:00.5"'),
    ("{type: range, rules: [{min: 0, max: 10}, {step: 5}]}", 'expect f = 5\nset f 8\nexpect f = 10\npress ArrowDown in f\nexpect f = 5\nset f "x"\nexpect f = 5'),
    ("{type: color}", 'expect f = "#000000"\nset f "#1E90FF"\nexpect f = "#1e90ff"\nset f "red"\nexpect f = "#000000"'),
    ("{type: number, rules: [{min: 1, max: 3}]}", 'press ArrowUp in f\nexpect f = 1\npress ArrowUp\npress ArrowUp\npress ArrowUp\nexpect f = 3\n'
     'set f "two"\nexpect f = null\ntype f "1e400"\nexpect f breaks only badInput'),
    ("{limit: 3}", 'type f "a😀b"\nexpect f = "a😀"\npaste f "x"\nexpect f = "a😀"\nretype f "ab😀"\nexpect f = "ab"'),
    ("{}", 'type f "a\\nb"\nexpect f = "ab"\npress Space in f\nexpect f = "ab "\nerase f 9\nexpect f is empty, pristine\nretype f "x"\nretype f ""\nexpect f = ""'),
    ("{type: textarea}", 'type f "a"\npress Enter\ntype f "b"\nexpect f = "a\\nb"\nexpect outcome is none'),
    ("{type: file, multiple: true, accept: '.pdf,image/*', rules: [{max: 2}, {holds: 'all(x.size < 100 for x in value)', id: small}]}",
     'upload f "a.PDF" 5 bytes, "b.png"\nexpect f is valid\nexpect f includes [{"name": "a.PDF", "size": 5}, {"type": "image/png"}]\n'
     'upload f "a.pdf", "b.pdf", "c.pdf" 200 bytes\nexpect f breaks only rangeOverflow, small'),
    ("{type: hidden, initial: token, send: csrf}", 'expect f is hidden, valid\nsubmit past checks\nexpect payload = {"csrf": "token"}'),
    # choices
    ("{type: radio, options: [x, y, z]}", 'expect f = null\npress Space in f\nexpect f = "x"\npress ArrowUp\nexpect f = "z"\npick f "y"\nexpect f reads "y"'),
    ("{type: select, multiple: true, options: [1, 2, true]}", 'pick f true, 1\nexpect f = [1, true]\npick f also 2\nexpect f = [1, 2, true]\npick f except 1\nexpect f contains 2'),
    ("{type: checkbox, rules: [{required: true}]}", 'expect f breaks valueMissing\npress Space in f\nexpect f is on, valid, not empty\nturn f on\nexpect f is focused, dirty for 1s'),
    ("{type: select, options: [a], initial: gone}", "expect f breaks only among\nexpect f offers [\"a\"]\npick f \"a\"\nexpect f is valid"),
    # rules
    ("{rules: [{minlength: 2, maxlength: 3, say: 'm {minlength} {count}'}, {pattern: '[a-z]+', id: small}]}", 'type f "A"\n'
     'expect f breaks only tooShort, small\nblur\nexpect f shows "m 2 1"\nretype f "abcd"\nexpect f breaks only tooLong'),
    ("{type: email, multiple: true}", 'type f "a@b, c@d"\nexpect f is valid\ntype f ","\nexpect f breaks email'),
    ("{type: url}", 'type f "skerry"\nexpect f breaks only typeMismatch\nblur\nexpect f shows "F is not a web address."'),
    ("{rules: [{among: [a, b]}, {holds: 'value != \"b\"', id: nob, when: 'len(value) == 1'}]}", 'type f "c"\nexpect f breaks only among\nretype f "b"\nexpect f breaks only nob'),
    ("{rules: [{required: true, when: 'form.touched'}]}", "expect f is optional, valid\nfocus f\nblur\nexpect f is required, invalid"),
    ("{rules: [{holds: 'false', id: never, on_empty: true}]}", "expect f breaks only never"),
    ("{type: number, rules: [{min: {expr: 'days(\"2031-05-01\", today())'}}]}", "type f \"1\"\nexpect f is valid\nwait 1d\nexpect f breaks rangeUnderflow"),
    ("{trim: true, case: lower, rules: [{required: true}, {maxlength: 2}]}", 'type f "  "\nexpect f breaks only required\ntype f "AB  "\nexpect f is valid\n'
     'expect f reads "  AB  "\nblur\nexpect f reads "ab"'),
    # timing
    ("{report: {first: load, again: change}, rules: [{required: true, say: no}]}", 'expect f shows "no"\ntype f "x"\nexpect f shows nothing'),
    ("{report: {first: change, again: submit}, rules: [{minlength: 3, say: short}]}", 'type f "a"\nexpect f shows "short"\ntype f "bc"\nexpect f is valid, marked\n'
     'blur\nexpect f shows "short"\nsubmit\nexpect f shows nothing'),
    ("{report: {first: submit}, rules: [{required: true, say: no}]}", 'focus f\nblur\nexpect f shows nothing\nsubmit\nexpect f shows "no"\nexpect focus = f'),
    ("{reveal: touched and dirty, rules: [{required: true, say: no}]}", 'focus f\nblur\nexpect f shows nothing\ntype f "x"\nclear f\nexpect f shows nothing'),
    ("{messages: all, rules: [{minlength: 3, say: a}, {pattern: 'x+', say: b}]}", 'type f "y"\nblur\nexpect f shows "a", "b"\nexpect f not shows "a"\nexpect f shows like /^b$/'),
    # first the blur with a good value counts, then `again` is in force
    ("{rules: [{minlength: 2, say: short}]}", 'type f "ab"\nblur\nerase f\nexpect f shows "short"'),
])  # fmt: skip
def test_a_field(fox: Any, field: str, body: str) -> None:
    fox.holds(one(field), body)


FORM = HEAD + """
fields:
  k: {type: checkbox}
  a: {visible: k, when_hidden: forget, rules: [{required: true, say: Give a.}]}
  g:
    type: group
    visible: k
    enabled: not (a == "off")
    fields:
      b: {visible: 'filled(a)', initial: bb}
      c: {readonly: 'a == "ro"'}
  again: {rules: [{repeats: a, say: Not the same.}]}
  carried: {rules: [{holds: 'value != "x"', id: no_x, at: shown, say: Not x.}]}
  shown: {}
  sticky: {type: radio, options: [1, 2], enabled: pristine}
submit: {enabled: 'not (carried == "stop")', to: /go}
buttons:
  draft: {past_checks: true, value: d}
  never: {enabled: false}
"""


@pytest.mark.parametrize("body", [
    'expect a is hidden, valid, optional\nturn k on\nexpect a is visible, required, invalid\ntype a "x"\nblur\nturn k off\nturn k on\nexpect a is empty, untouched, pristine',
    'turn k on\nexpect g.b is hidden\ntype a "x"\nexpect g.b is visible\nexpect g.b = "bb"\nturn k off\nexpect g.b is hidden\nexpect values includes {"g": {"b": "bb"}}',
    'turn k on\nretype a "off"\nexpect g is disabled\nexpect g.b is disabled\nsubmit past checks\nexpect payload omits g',
    'turn k on\nretype a "ro"\nexpect g.c is readonly, enabled',
    'type again "y"\nexpect again breaks only repeats\nturn k on\ntype a "y"\nexpect again is valid\ntype a "z"\nblur again\nexpect again shows "Not the same."\nerase a\nexpect again shows nothing',
    'type carried "x"\nexpect shown breaks no_x\nexpect carried breaks nothing\nblur\nexpect carried is not marked\nblur shown\nexpect shown shows "Not x."',
    'pick sticky 2\nexpect sticky is disabled\nexpect values includes {"sticky": 2}\nreset\nexpect sticky is enabled, pristine',
    'submit by "draft"\nexpect request = "POST /go"\nexpect payload includes {"draft": "d"}\nexpect button "never" is disabled, visible',
    'type carried "stop"\nexpect submit is disabled\npress Enter in carried\nexpect outcome is none',
    'focus k\npress Tab\nexpect focus = again\npress Shift+Tab\nexpect focus = k\npress Tab\npress Tab\npress Tab\npress Tab\npress Tab\nexpect focus nothing\n'
    "press Enter\nexpect outcome is accepted",
    'fill\n    k true\n    a "x"\n    g {"b": "y"}\n    sticky 1\nexpect values includes {"k": true, "a": "x", "g": {"b": "y"}, "sticky": 1}\nexpect focus nothing\nexpect touched = k, a, g.b, sticky',
])  # fmt: skip
def test_conditions_cross_field_and_focus(fox: Any, body: str) -> None:
    fox.holds(FORM, body)


@pytest.mark.parametrize(("body", "says"), [
    ('type a "x"', "it is hidden: its condition `visible: k` does not hold"),
    ("turn k on\nfocus g.b", "its condition `visible: filled(a)` does not hold"),
    ('turn k on\ntype a "off"\ntype g.c "x"', "g, around it, is disabled: its condition `enabled: not (a == \"off\")` does not hold"),
    ('turn k on\ntype a "ro"\ntype g.c "x"', "it is read-only: its condition `readonly: a == \"ro\"` holds"),
    ("pick sticky 3", "has no option 3; its options are 1, 2"),
    ('type carried "stop"\nsubmit', "the submit button is disabled: its condition"),
    ('submit by "never"', "the button 'never' is disabled"),
    ("leave\nturn k on", "the page has been left"),
    ("dismiss", "there is no notice on show"),
    ("return", "the page has not been left"),
])  # fmt: skip
def test_a_step_a_person_could_not_take_says_why(fox: Any, body: str, says: str) -> None:
    lines = "\n".join("    " + line for line in body.split("\n"))
    result = fox.play(FORM, f'scenario "it"\n{lines}\n    expect k is dirty\n')
    (failure,) = result.scenarios[0].failures
    assert says in reason_text(failure)


ROWS = HEAD + """
dirty: compare
fields:
  r:
    type: rows
    start: 2
    least: 1
    most: 3
    remove: 'count(r) > 1 and not locked'
    rules: [{holds: 'sum(x.n for x in r) < 10', id: total, say: Too much.}]
    fields:
      n: {type: number, rules: [{required: true, say: 'Row {row}, please.'}]}
      more: {type: checkbox}
      why: {visible: row.more, rules: [{required: true, say: 'Why {row}?'}]}
      q: {type: rows, fields: {d: {rules: [{unique: true}, {holds: 'value != "p" or row.parent.more', id: p_more}]}}}
  locked: {type: checkbox}
rules:
  - {holds: 'r[0].n != 7', id: no_seven, at: 'r[0].n', say: Not seven.}
  - {holds: 'not (index == 1 and value == 8)', id: no_eight, at: 'r[*].n', say: Not eight.}
"""


@pytest.mark.parametrize("body", [
    'type r[0].n "4"\ntype r[1].n "6"\nexpect r breaks only total\nerase r[1].n\nexpect r breaks nothing\nadd r with {"n": 9}\nexpect r is invalid\nremove r[2]\nexpect r breaks nothing',
    "add r\nexpect r is dirty\nexpect dirty = r\nremove r[2]\nexpect r is pristine\nmove r[0] to 1\nexpect r is pristine",
    'type r[0].n "1"\nmove r[0] to -1\nexpect r[1].n = 1\nexpect dirty = r, r[1].n\nmove r[1] to 0\nexpect dirty = r[0].n',
    'blur r[1].n\nexpect r[1].n shows "Row 2, please."\nremove r[0]\nexpect r[0].n shows "Row 1, please."\nexpect errors = {"r[0].n": "Row 1, please."}\nexpect r not allows remove\nexpect r not allows move',
    "turn locked on\nexpect r not allows remove\nadd r at 0\nexpect r not allows add\nexpect r has 3 rows",
    'turn r[1].more on\nblur r[1].why\nexpect r[1].why shows "Why 2?"\nadd r at 0\nexpect r[2].why shows "Why 3?"\nexpect r[1].why is hidden',
    'add r[1].q\nadd r[1].q with {"d": "p"}\nexpect r[1].q[1].d breaks only p_more\nturn r[1].more on\nexpect r[1].q[1].d is valid\ntype r[1].q[0].d "p"\n'
    "expect r[1].q[0].d breaks unique\nremove r[1].q[0]\nexpect r[1].q[0].d is valid\nreset\nexpect r[1].q has 0 rows\nexpect form is pristine",
    'type r[0].n "7"\nexpect r[0].n breaks no_seven\nmove r[0] to 1\nexpect r[1].n breaks nothing\nremove r[0]\nexpect r[0].n breaks no_seven',
    'type r[0].n "8"\nexpect r[0].n is valid\nadd r at 0\nexpect r[1].n breaks only no_eight',
    'type r[1].n "3"\nfocus r[1].n\nmove r[0] to 1\nexpect r[0].n = 3\nexpect focus nothing\nexpect r[0].n is touched',
    'fill\n    r [{"n": 1}, {"n": 2, "more": true, "why": "so"}, {"n": 3, "q": [{"d": "x"}]}]\nexpect r has 3 rows\nexpect r[2].q[0].d = "x"\nfill\n    r [{"n": 5}]\nexpect r has 1 row\n'
    'expect values = {"r": [{"n": 5, "more": false, "why": "", "q": []}], "locked": false}',
    'type r[0].n "1"\ntype r[1].n "2"\nsubmit\nexpect outcome is accepted\nexpect payload = {"r": [{"n": 1, "more": false, "q": []}, {"n": 2, "more": false, "q": []}], "locked": false}\nexpect form is pristine\n'
    "remove r[0]\nreset\nexpect r has 2 rows\nexpect r[0].n = 1",
])  # fmt: skip
def test_rows(fox: Any, body: str) -> None:
    fox.holds(ROWS, body)


@pytest.mark.parametrize(("body", "says"), [
    ('type r[5].n "1"', "r[5] is not there: r has 2 rows"),
    ("remove r[0]\nremove r[0]", "r does not allow remove: it has 1 row, and 1 at least"),
    ("add r\nadd r", "it has 3 rows already, and 3 at most"),
    ("turn locked on\nremove r[0]", "its condition `remove: count(r) > 1 and not locked` does not hold"),
    ("move r[0] to 4", "there is no place 4"),
    ('add r with {"m": 1}', "has no field 'm'; it has n, more, why, q"),
])  # fmt: skip
def test_a_row_that_cannot_be_says_why(fox: Any, body: str, says: str) -> None:
    lines = "\n".join("    " + line for line in body.split("\n"))
    (failure,) = fox.play(ROWS, f'scenario "it"\n{lines}\n').scenarios[0].failures
    assert says in reason_text(failure)


PANELS = HEAD + """
draft: keep
fields:
  a: {rules: [{required: true}]}
  who: {type: select, options: [x]}
  list: {type: rows, fields: {n: {}, m: {type: number}}}
  day: {type: date, derive: {from: today(), when: focus}}
  twice: {type: number, derive: {from: 'm * 2'}}
  m: {type: number}
panels:
  person:
    fields: {value: {rules: [{required: true}, {minlength: 2}]}, label: {derive: {from: 'upper(value)'}}}
    submit: {enabled: form.valid, to: /p}
    gives: {to: who, as: option}
  line: {fields: {n: {}, m: {type: number}}, gives: {to: list, as: row}}
views: {second: {shows: [list, m]}}
after: {accepted: {view: second, values: keep}}
"""


@pytest.mark.parametrize("body", [
    'open person\nexpect submit is enabled\nexpect person is visible, invalid\ntype person.value "ab"\nexpect person.label = "AB"\nexpect person is valid, dirty\nsubmit person\nexpect outcome is accepted\n'
    'expect request = "POST /p"\nexpect person is hidden\nexpect who offers ["x", "ab"]\npick who "ab"\nexpect values includes {"who": "ab"}',
    'open line\nfill\n    line.n "z"\n    line.m 4\nsubmit line\nexpect list = [{"n": "z", "m": 4}]\nexpect list is dirty',
    "open line\npress Escape\nexpect line is hidden\nopen line\nclose line\nexpect list has 0 rows",
    'type a "x"\nblur\nleave\nreturn\nexpect a = "x"\nexpect a is dirty, touched\nexpect focus nothing\nreload\nexpect a = ""\nexpect a is pristine, untouched',
    'focus day\nexpect day = "2031-05-02"\ntype m "4"\nexpect twice = 8\nexpect twice is dirty, untouched\nretype twice "5"\ntype m "0"\nexpect twice = 5\nreset\ntype m "1"\nexpect twice = 2',
    'type a "x"\nsubmit\nexpect view is second\nexpect a is hidden\nexpect m is visible\nexpect a is not empty\nreset\nexpect view is editing',
])  # fmt: skip
def test_panels_drafts_views_and_derived_values(fox: Any, body: str) -> None:
    fox.holds(PANELS, body)


def test_a_hidden_group_or_list_may_forget_all_that_is_in_it(fox: Any) -> None:
    sheet = (
        "form: f\nfields:\n  k: {type: checkbox}\n  g: {type: group, visible: k, when_hidden: forget, fields: {a: {initial: i}}}\n"
        "  r: {type: rows, visible: k, when_hidden: forget, start: 1, fields: {a: {}, q: {type: rows, fields: {b: {}}}}}\n"
    )
    fox.holds(sheet, 'turn k on\ntype g.a "x"\nadd r with {"a": "y", "q": [{"b": "z"}]}\ntype r[0].a "w"\nturn k off\n'
              'expect values = {"k": false, "g": {"a": "i"}, "r": [{"a": "", "q": []}]}\nexpect form is pristine\nexpect touched = k')  # fmt: skip


def test_a_draft_is_dropped_unless_the_sheet_keeps_it(fox: Any) -> None:
    fox.holds(one("{}"), 'type f "x"\nleave\nreturn\nexpect f is empty, pristine')


def test_dirty_may_be_sticky(fox: Any) -> None:
    fox.holds("form: f\ndirty: sticky\nfields: {a: {}, r: {type: rows, fields: {b: {}}}}",
              'type a "x"\nerase a\nexpect a is dirty\nadd r\nremove r[0]\nexpect dirty = a, r\nreset\nexpect form is pristine')  # fmt: skip


def test_python_rules_run_only_where_they_are_trusted(fox: Any) -> None:
    fox.write(rules__py="""
def check(value, form):
    if value == "boom":
        raise ValueError("no")
    return "Say it twice." if form["b"] != value else True
""")
    sheet = "form: f\npython: rules.py\nfields: {a: {rules: [{python: check, say: Bad., id: own}]}, b: {}}\n"
    body = 'scenario "x"\n    type b "y"\n    type a "y"\n    expect a is valid\n    type b "!"\n    expect a is invalid\n    type a "z"\n    blur\n    expect a shows "Say it twice."\n' \
           '    retype a "boom"\n    expect a breaks own\n    expect a shows "Bad."\n'  # fmt: skip
    result = fox.play(sheet, body, trust_python=True)
    assert [s.verdict for s in result.scenarios] == ["pass"], result
    assert "ValueError: no" in result.scenarios[0].warnings[0]
    assert "--trust-python" in fox.play(sheet, body).errors[0].remedy
