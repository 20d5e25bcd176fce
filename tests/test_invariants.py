"""Random forms and random steps: incremental state equals state computed from scratch after every step, and every state can be
rebuilt from the initial state and the trace.
"""

from __future__ import annotations

import pickle
from collections.abc import Callable
from typing import Any

from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.judge.breaks import broken_checks, lookup_status, refused_bits
from idlefox.engine.session.session import Session, SessionFactory, built
from idlefox.engine.state.cells import INVALID, FieldCell, ListCell, everything, leaves, value_of
from idlefox.engine.state.form_state import FormState
from idlefox.engine.state.journal import rebuild, snapshot
from idlefox.engine.world.server import ServerAnswer
from idlefox.forms.names.addresses import parse_address
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.forms.values.values import equal
from idlefox.problems import Unreadable

CONDITIONS = [
    "k", "not k", 'a == "x"', "filled(b)", "n > 3", "count(r) > 1", "any(p.m >= 2 for p in r)", "g.c.touched", "a.dirty",
    'r[0].t == "x"', "sum(p.m for p in r) > 3", "a.valid", "all(p.v for p in r)", "g.valid",
]  # fmt: skip
IN_ROWS = [*CONDITIONS, "row.v", "row.m > 1", "index == 0", "not row.v", "count(row.q) > 0", "any(x.d > 1 for x in row.q)"]
INNER = [*CONDITIONS, "row.d > 1", "row.parent.v", "index == 1", "count(row.parent.q) > 1"]
REVEALS = ["true", "touched", "touched and dirty", "attempted", "a.touched or dirty", "not focused"]
TIMES = ["load", "change", "blur", "submit"]


@st.composite
def sheets(draw: st.DrawFn) -> str:
    def maybe(key: str, pool: list[str]) -> str:
        return f"{key}: '{draw(st.sampled_from(pool))}', " if draw(st.integers(0, 3)) == 0 else ""

    def rules(pool: list[str], *more: str) -> str:
        chosen = [m for m in more if draw(st.booleans())]
        if draw(st.booleans()):
            chosen.append(f"{{holds: '{draw(st.sampled_from(pool))}', id: h{draw(st.integers(0, 2))}}}")
        return f"rules: [{', '.join(chosen)}]"

    def field(pool: list[str], kind: str, *more: str) -> str:
        own = maybe("visible", pool) + maybe("enabled", pool) + maybe("readonly", pool) + maybe("reveal", REVEALS)
        if draw(st.integers(0, 4)) == 0:
            own += "when_hidden: forget, "
        return f"{{type: {kind}, {own}{rules(pool, *more)}}}"

    required = "{required: true}"
    when = f"{{required: true, when: '{draw(st.sampled_from(CONDITIONS))}'}}"
    text = (required, "{minlength: 2}", "{pattern: 'x+', say: '{value}!'}")
    first, again = draw(st.sampled_from(TIMES)), draw(st.sampled_from(TIMES[:3]))
    derive = draw(st.sampled_from(["a + b", "'z'", "upper(a)"])).replace("'", '"')
    return f"""
form: f
report: {{first: {first}, again: {again}}}
dirty: {draw(st.sampled_from(["compare", "ever"]))}
messages: {draw(st.sampled_from(["one", "all"]))}
fields:
  a: {field(CONDITIONS, "text", *text)}
  b: {field(CONDITIONS, "text", when, "{repeats: a}")}
  n: {field(CONDITIONS, "number", required, "{min: 2, max: 9}")}
  k: {{type: checkbox}}
  d: {{derive: {{from: '{derive}', when: always}}, rules: [{{maxlength: 3}}]}}
  look: {{rules: [{{lookup: l, start: {draw(st.sampled_from(["change", "blur", "submit"]))}, debounce: 50ms}}]}}
  g: {{type: group, {maybe("visible", CONDITIONS)} {rules(CONDITIONS)}, fields: {{c: {field(CONDITIONS, "text", *text)}}}}}
  r:
    type: rows
    {"when_hidden: forget" if draw(st.booleans()) else "least: 0"}
    visible: {draw(st.sampled_from(["k", "true", "not k"]))}
    start: {draw(st.integers(0, 2))}
    most: 5
    {rules(CONDITIONS, "{min: 1, max: 3}")}
    fields:
      t: {field(IN_ROWS, "text", "{unique: true}", required)}
      m: {field(IN_ROWS, "number", "{min: 1}")}
      v: {{type: checkbox}}
      q: {{type: rows, start: 1, {rules(IN_ROWS)}, fields: {{d: {field(INNER, "number", required)}}}}}
rules:
  - {{holds: '{draw(st.sampled_from(CONDITIONS))}', id: whole}}
  - {{holds: '{draw(st.sampled_from(CONDITIONS))}', id: put, at: n}}
  - {{holds: '{draw(st.sampled_from(IN_ROWS))}', id: rowed, at: 'r[*].m'}}
lookups: {{l: {{takes: 100ms, refuse: [xx]}}}}
panels:
  p: {{fields: {{z: {{rules: [{{required: true}}, {{lookup: l, start: change}}]}}}}, gives: {{to: r, as: row}}}}
draft: {draw(st.sampled_from(["keep", "drop"]))}
server: {{takes: 200ms}}
after: {{accepted: {{values: {draw(st.sampled_from(["keep", "initial", "blank"]))}}}, rejected: {{forget: [a, r]}}}}
"""


STEPS = st.tuples(st.sampled_from([
    "type", "type", "type", "erase", "clear", "turn", "turn", "blur", "focus", "add", "add", "remove", "move", "submit", "submit",
    "reset", "wait", "open", "close", "leave", "return", "reload", "reject",
]), st.integers(0, 40), st.sampled_from(["x", "xx", "1", "5", "z", "-"]))  # fmt: skip


def take(session: Session, number: int, step: tuple[str, int, str]) -> None:
    """One random step; what a person could not do is not done."""
    verb, chance, text = step
    live = session.live
    live.step = number
    fields = [c for form in live.roots_by_panel.values() for c in leaves(form)]
    lists = [c for c in everything(live.root) if isinstance(c, ListCell)]
    boxes = [c for c in fields if c.plan.kind == "checkbox"]
    cell, rows, box = fields[chance % len(fields)], lists[chance % len(lists)], boxes[chance % len(boxes)]
    at, row = segments(cell), (*segments(rows), chance % (len(rows.parts) or 1))
    if verb in ("type", "erase", "clear", "focus") and cell.plan.kind == "checkbox":
        return
    steps: dict[str, Callable[[], Any]] = {
        "type": lambda: session.type(at, text),
        "erase": lambda: session.erase(at, 1),
        "clear": lambda: session.clear(at),
        "focus": lambda: session.focus(at),
        "turn": lambda: session.turn(segments(box), None),
        "blur": lambda: session.leave_field(None),
        "add": lambda: session.add(segments(rows), chance % (len(rows.parts) + 1), None),
        "remove": lambda: session.remove(row),
        "move": lambda: session.move(row, chance % (len(rows.parts) or 1)),
        "submit": lambda: session.submit("p" if chance % 3 == 0 else "", ""),
        "reset": session.reset,
        "wait": lambda: session.advance(60 + 40 * chance),
        "open": lambda: session.open("p"),
        "close": lambda: session.close("p"),
        "leave": session.leave,
        "return": session.come_back,
        "reload": session.reload,
        "reject": lambda: session.script_reply(ServerAnswer("status", 422, (("a", ("No.",)), ("r[0].t", ("Nor this.",)), ("", ("At all.",))))),
    }
    steps[verb]()


def segments(cell: Any) -> tuple[Any, ...]:
    return parse_address(cell.address()) or ()


def computed_anew(live: FormState) -> None:
    """Holds every stored sum, condition and verdict against one computed from the values now."""
    assert not live.heap and not live.followers
    for cell in (c for form in live.roots_by_panel.values() for c in everything(form)):
        plan, name = cell.plan, cell.address()
        above = cell.up
        for own, condition in (("own_visible", plan.visible), ("own_enabled", plan.enabled), ("own_readonly", plan.readonly)):
            if condition is not None and plan.kind != "row":
                assert getattr(cell, own) is (condition(cell, None) is True), (name, own)
        assert cell.visible is (cell.own_visible and (above is None or above.visible)), name
        assert cell.enabled is (cell.own_enabled and (above is None or above.enabled)), name
        assert cell.readonly is (cell.own_readonly or (above is not None and above.readonly)), name
        assert cell.active is (cell.visible and cell.enabled), name
        mask = broken_checks(cell) | (refused_bits(cell) if isinstance(cell, FieldCell) and cell.questions else 0)
        assert cell.broken == mask, (name, cell.broken, mask)
        required = plan.required if isinstance(plan.required, bool) else plan.required(cell, None) is True
        assert cell.required is (cell.active and required), name
        status = INVALID if mask else lookup_status(cell) if plan.lookups and cell.active else 0
        assert cell.status == status, (name, cell.status, status)
        shows = cell.reported if cell.active and (plan.reveal is None or plan.reveal(cell, None) is True) else ()
        shows = (*shows, *((-1, text) for text in cell.server)) if cell.visible else ()
        assert cell.shows == (shows if plan.messages_all else shows[:1]), name
        if isinstance(cell, FieldCell):
            if not live.dirty_is_sticky:
                changed = cell.raw != cell.initial_raw if cell.bad_input else not equal(cell.value, cell.initial)
                assert cell.dirty is changed, (name, cell.value, cell.initial)
        else:
            inside = [c for c in everything(cell) if c is not cell or cell.plan.kind != "row"]
            assert cell.dirty_count == sum(c.dirty for c in inside), name
            assert cell.touched_count == sum(c.touched for c in inside), name
            assert cell.marked_count == sum(bool(c.shows) for c in inside), name
            for state in (1, 2, 3):
                assert cell.tally[state] == sum(c.status == state for c in inside), (name, state)
        if isinstance(cell, ListCell) and not live.dirty_is_sticky:
            same = len(cell.parts) == len(cell.initial_parts) and all(map(lambda a, b: a is b, cell.parts, cell.initial_parts))
            assert cell.dirty is (not same and not equal(value_of(cell), cell.initial_value)), name
        if plan.unique:
            others = [c for r in cell.row.up.parts for c in leaves(r) if c.plan is plan and c is not cell and c.active]
            twins = cell.active and cell.value != "" and any(c.value == cell.value for c in others)
            assert any(c.kind == "unique" and cell.broken & c.bit for c in plan.checks) is twins, name


# No shrinking: with forms this large it takes minutes, and the failing sheet and steps are printed anyway.
def thorough(examples: int) -> settings:
    return settings(
        max_examples=examples, deadline=None, suppress_health_check=list(HealthCheck), report_multiple_bugs=False,
        phases=(Phase.explicit, Phase.reuse, Phase.generate),
    )  # fmt: skip


def session_of(sheet: str) -> Session:
    try:
        form = read_sheet_text(sheet, "f.form.yaml")
    except Unreadable as fault:
        assert all("circle" in p.cause for p in fault.problems), fault
        assume(False)
    session = Session(SessionFactory(compile_form(form)))
    session.load(0)
    return session


@thorough(150)
@given(sheet=sheets(), steps=st.lists(STEPS, min_size=1, max_size=14))
def test_incremental_equals_from_scratch_and_the_journal_rebuilds_every_state(sheet: str, steps: list[tuple[str, int, str]]) -> None:
    session = session_of(sheet)
    computed_anew(session.live)
    initial, states = session.state(), []
    for number, step in enumerate(steps, 1):
        take(session, number, step)
        computed_anew(session.live)
        states.append(session.state())
    # What is told crosses a process boundary.
    changes = pickle.loads(pickle.dumps(session.journal())).changes
    for number, state in enumerate(states, 1):
        rebuilt = rebuild(initial, changes, number)
        assert rebuilt.keys() == state.keys()
        assert not {k: (rebuilt[k], state[k]) for k in state if rebuilt[k] != state[k]}, steps[:number]


@thorough(100)
@given(sheet=sheets(), steps=st.lists(STEPS, min_size=2, max_size=14), at=st.integers(0, 13))
def test_copies_are_independent(sheet: str, steps: list[tuple[str, int, str]], at: int) -> None:
    first = session_of(sheet)
    at %= len(steps)
    for number, step in enumerate(steps[:at], 1):
        take(first, number, step)
    second, kept = first.copy(), first.copy()
    state = first.state()
    assert second.state() == state
    for number, step in enumerate(steps[at:], at + 1):
        take(first, number, step)
    assert second.state() == state, "what the one does shows in the other"
    for number, step in enumerate(steps[at:], at + 1):
        take(second, number, step)
    computed_anew(second.live)
    assert second.state() == first.state()
    assert second.journal() == first.journal()
    first.restore(kept)
    assert first.state() == state
    assert first.live.queue.waiting_for() == kept.live.queue.waiting_for()


def test_every_slot_is_copied() -> None:
    """`session.copying` writes attributes out: none may be forgotten."""
    sheet = "form: f\nfields: {a: {}, r: {type: rows, start: 1, fields: {b: {}}}, g: {type: group, fields: {c: {}}}}\npanels: {p: {fields: {d: {}}}}"
    old = session_of(sheet)
    new = old.copy()
    for a, b in zip(everything(old.live.root), everything(new.live.root), strict=True):
        for slot in (s for kind in type(a).__mro__ for s in getattr(kind, "__slots__", ())):
            assert hasattr(b, slot), (type(a), slot)
            if slot not in ("live", "up", "row", "parts", "initial_parts"):
                assert getattr(a, slot) == getattr(b, slot), (type(a), slot)
            elif slot not in ("parts", "initial_parts"):
                assert getattr(a, slot) is None or getattr(a, slot) is not getattr(b, slot), (type(a), slot)


def test_a_copied_form_is_as_one_built_from_the_ground() -> None:
    sheet = "form: f\nfields: {r: {type: rows, start: 2, fields: {a: {rules: [{required: true}]}}}}"
    plan = compile_form(read_sheet_text(sheet, "f"))
    stage = SessionFactory(plan)
    assert snapshot(stage.fresh(5)) == snapshot(built(plan, 5, None)) == snapshot(stage.fresh(5))
