"""Time, lookups and the server; wire formats; and states that no interleaving may produce."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.judge.questions import LookupAnswer
from idlefox.engine.session.session import Session, SessionFactory
from idlefox.engine.state.cells import ASKING, leaves, shown_texts, validity_of
from idlefox.engine.state.queue import EndlessChain, Queue
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.report.wording import reason_text

LOOKUPS = """
form: f
report: {first: blur, again: change}
fields:
  a: {rules: [{minlength: 2}, {lookup: book, start: blur, say: 'No {value}.', remember: true}]}
  b: {rules: [{lookup: slow, start: change, debounce: 300ms, say: Not b.}]}
  s: {rules: [{lookup: book, start: submit, say: Not s.}]}
  r: {type: rows, start: 1, fields: {v: {rules: [{lookup: slow, start: blur, say: 'Row {row}.'}]}}}
  t: {rules: [{lookup: listed}]}
lookups:
  book: {takes: 2s, accept: [yes, yess]}
  slow: {takes: 1s, refuse: [bad], holds: 'len(value) < 5'}
  listed: {table: codes.csv}
submit: {to: /x}
server: {takes: 1s}
"""


def test_settle_names_pending_events(fox: Any) -> None:
    fox.write(codes__csv="code\nK1\n")
    result = fox.play(LOOKUPS, 'scenario "x"\n    answer book with accept after 40s\n    type a "yes"\n    blur\n    settle\n')
    assert "after 30s this is still under way: lookup book of a" in reason_text(result.scenarios[0].failures[0])


SERVER = """
form: f
reveal: touched or attempted
fields:
  title: {initial: t, rules: [{required: true, say: A title.}]}
  n: {type: number}
  pin: {}
  g: {type: group, fields: {x: {}, y: {visible: 'filled(g.x)'}}}
  r: {type: rows, fields: {v: {}}}
  skip: {send: false}
  as: {send: other, empty: omit}
  none: {empty: null}
  deep: {type: group, fields: {gone: {send: false}}}
submit: {to: /go, while_busy: %s}
server:
  takes: 1s
  record: {n: 5, extra: true}
  rules:
    - {max: 100, at: n, say: 'At most {max}, not {value}.'}
    - {required: true, at: 'r[*].v', say: 'Row {row} is empty.'}
    - {holds: 'not (g.x == "bad")', at: g, say: Bad group.}
  replies:
    - {when: 'title == "moved"', status: 303, to: /there, notice: {text: Moved., lasts: 2s}}
    - {when: 'title == "taken" and n == record.n', status: 409, errors: {title: [Taken., Really.], '': Sorry., 'r[0].v': Not this row.}}
    - {when: 'count(r) > 1', status: 200, record: '{"n": count(r)}', takes: 5s}
    - {when: 'title == "busy"', status: 503, notice: Try later.}
after:
  accepted: {notice: Done., view: done}
  rejected: {forget: [pin], notice: {text: Look again., kind: info}}
  lost: {view: offline, values: initial}
views: {done: {shows: [title]}, offline: {shows: []}}
"""


def test_while_busy_the_form_is_locked_or_replaced(fox: Any) -> None:
    fox.holds(SERVER % "locked", "submit\nexpect title is disabled\nexpect submit is disabled\nexpect title is valid\nsettle\nexpect title is enabled")
    fox.holds(SERVER % "replaced", "submit\nexpect view is waiting\nexpect title is hidden\nexpect submit is hidden\nsettle\nexpect view is done")
    held = fox.play(SERVER % "locked", 'scenario "x"\n    submit\n    type title "x"\n')
    assert "the form is busy, and locked while it is" in reason_text(held.scenarios[0].failures[0])


WIRE = """
form: f
fields:
  "a&b=c": {}
  t: {type: textarea}
  g: {type: group, fields: {n: {type: number}}}
  many: {type: checkbox, options: [x, "y z"]}
  k: {type: checkbox}
  r: {type: rows, start: 1, fields: {v: {}}}
  f: {type: file}
submit: {to: '/w?old=1', send: %s, method: %s}
"""
FILLED = """
fill
    ["a&b=c"] "50% \\"quo'te\\" 😀~*"
    t "one\\ntwo"
    g.n 1.5
    many ["y z", "x"]
    k true
upload f "pi\\"c.png" 3 bytes
submit
"""


@pytest.mark.parametrize(("send", "method", "checks"), [
    ("urlencoded", "POST", 'expect body = "a%26b%3Dc=50%25+%22quo%27te%22+%F0%9F%98%80%7E*&t=one%0D%0Atwo&g.n=1.5&many=x&many=y+z&k=on&r%5B0%5D.v=&f=pi%22c.png"\n'
     'expect payload = {"a&b=c": "50% \\"quo\'te\\" 😀~*", "t": "one\\r\\ntwo", "g.n": "1.5", "many": ["x", "y z"], "k": "on", "r[0].v": "", "f": "pi\\"c.png"}\nexpect payload omits g\nexpect request = "POST /w?old=1"'),
    ("json", "GET", 'expect request like /^GET \\/w\\?a%26b%3Dc=50%25/\nexpect body = ""\nexpect payload includes {"k": "on"}'),
    ("text", "POST", 'expect body contains "t=one\\r\\ntwo\\r\\n"\nexpect body contains "many=y z\\r\\n"'),
    ("multipart", "POST", 'expect body like /name="f"; filename="pi%22c.png"\\r\\nContent-Type: image\\/png\\r\\n\\r\\nxxx\\r\\n/\nexpect body like /name="a&b=c"\\r\\n\\r\\n50%/\n'
     'expect payload includes {"t": "one\\r\\ntwo", "many": ["x", "y z"], "f": "pi\\"c.png"}'),
    ("json", "POST", 'expect payload includes {"g": {"n": 1.5}, "many": ["x", "y z"], "k": true, "f": [{"name": "pi\\"c.png", "size": 3, "type": "image/png"}]}\nexpect body like /^\\{"a&b=c":"50% /'),
])  # fmt: skip
def test_wire_formats(fox: Any, send: str, method: str, checks: str) -> None:
    fox.holds(WIRE % (send, method), FILLED.strip() + "\n" + checks)


def test_a_server_and_a_lookup_that_fail(fox: Any) -> None:
    sheet = "form: f\nfields: {a: {rules: [{lookup: l}]}}\nlookups: {l: {fails: true}}\nserver: {fails: true, takes: 4s}\n"
    fox.holds(sheet, 'submit\nsettle within 4s\nexpect outcome is lost\ntype a "x"\nblur\nexpect a is unasked\nsubmit\nexpect outcome is refused')
    held = fox.play(sheet, 'scenario "x"\n    submit\n    settle within 3999ms\n')
    assert "after 3999ms this is still under way: the answer to POST /" in reason_text(held.scenarios[0].failures[0])


def test_a_chain_that_keeps_itself_alive_is_reported_not_hung(fox: Any) -> None:
    queue = Queue()
    queue.at(5, "wheel", "the wheel")
    with pytest.raises(EndlessChain, match="the wheel triggers itself"):
        while (event := queue.take()) is not None:
            queue.at(event.time, "wheel", "the wheel")


ACTIONS = st.lists(st.tuples(
    st.sampled_from(["type", "retype", "blur", "wait", "accept", "refuse", "failure", "attempt"]), st.sampled_from(["a", "b"]),
    st.sampled_from(["x", "yy", "bad"]), st.integers(0, 1500),
), max_size=14)  # fmt: skip


@settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.reuse, Phase.generate))
@given(ACTIONS)
def test_no_interleaving_shows_a_message_for_a_value_that_is_gone_or_ends_pending(actions: list[tuple[str, str, str, int]]) -> None:
    sheet = """
form: f
report: {first: change, again: change}
fields:
  a: {rules: [{lookup: l, start: change, debounce: 100ms, say: 'Not {value}.'}]}
  b: {rules: [{lookup: l, start: blur, say: 'Not {value}.', remember: true}]}
lookups: {l: {takes: 700ms, refuse: [bad, xbad, yybad]}}
server: {takes: 300ms}
"""
    session = Session(SessionFactory(compile_form(read_sheet_text(sheet, "f"))))
    session.load(0)
    live = session.live
    for verb, name, text, number in actions:
        if verb == "type":
            session.type((name,), text)
        elif verb == "retype":
            session.retype((name,), text)
        elif verb == "blur":
            session.leave_field(None)
        elif verb == "wait":
            session.advance(number)
        elif verb == "attempt":
            session.submit("", "")
        else:
            session.script_lookup("l", LookupAnswer(verb, "", number))
        for each in leaves(live.root):
            stock = f"{each.plan.label} could not be checked."
            assert shown_texts(each) in ([], [f"Not {each.value}."], [stock])
    session.advance(30_000)
    assert live.queue.under_way == 0
    assert validity_of(live.root) != ASKING
    assert not live.root.busy


def test_a_file_beside_the_script_is_sent_with_its_content(fox: Any) -> None:
    (fox.folder / "real.txt").write_bytes(b"hello\r\nworld")
    fox.holds("form: f\nfields: {f: {type: file}}\nsubmit: {send: multipart}\n", """
upload f "real.txt"
expect f = [{"name": "real.txt", "size": 12, "type": "text/plain"}]
submit
expect body like /filename="real\\.txt"\\r\\nContent-Type: text\\/plain\\r\\n\\r\\nhello\\r\\nworld\\r\\n--/
upload f "made.txt" 3 bytes
submit
expect body like /\\r\\n\\r\\nxxx\\r\\n/
""")
