"""Random forms, random steps: what the engine keeps up to date equals what is computed anew, after every step;
and every state can be rebuilt from the initial state and the trace alone.
"""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, Phase, assume, given, settings
from hypothesis import strategies as st

from idlefox.engine.acts import hands, rows
from idlefox.engine.acts.enter import type_text
from idlefox.engine.acts.reset import press_reset
from idlefox.engine.acts.sight import Cannot
from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.judge.breaks import broken_checks, lookup_status, refused_bits
from idlefox.engine.session.session import fresh, start
from idlefox.engine.state.cells import INVALID, Container, FieldCell, ListCell, everything, is_dirty, leaves, validity_of, value_of
from idlefox.engine.state.journal import rebuild, snapshot
from idlefox.engine.state.live import Live
from idlefox.engine.world.clock import advance, catch_up
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.forms.values.values import equal
from idlefox.problems import Unreadable

CONDITIONS = [
    "k", "not k", 'a == "x"', "filled(b)", "n > 3", "count(r) > 1", "any(p.m >= 2 for p in r)", "g.c.touched", "a.dirty",
    'r[0].t == "x"', "sum(p.m for p in r) > 3", "a.valid", "all(p.v for p in r)", "g.valid",
]  # fmt: skip
IN_ROWS = [*CONDITIONS, "row.v", "row.m > 1", "index == 0", "not row.v", "count(row.q) > 0", "any(x.d > 1 for x in row.q)"]
INNER = [*CONDITIONS, "row.d > 1", "row.parent.v", "index == 1", "count(row.parent.q) > 1"]
REVEALS = ["true", "touched", "touched and dirty", "submitted", "a.touched or dirty", "not focused"]
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
dirty: {draw(st.sampled_from(["compare", "sticky"]))}
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
"""


STEPS = st.tuples(st.sampled_from([
    "type", "type", "type", "erase", "clear", "turn", "turn", "blur", "focus", "add", "add", "remove", "move", "attempt",
    "reset", "wait",
]), st.integers(0, 40), st.sampled_from(["x", "xx", "1", "5", "z", "-"]))  # fmt: skip


def take(live: Live, step: tuple[str, int, str]) -> None:
    """One random step; what a person could not do is not done."""
    verb, number, text = step
    fields = list(leaves(live.root))
    lists = [c for c in everything(live.root) if isinstance(c, ListCell)]
    cell: Any = fields[number % len(fields)]
    chosen: Any = lists[number % len(lists)]
    try:
        if verb == "turn":
            boxes = [c for c in fields if c.plan.kind == "checkbox"]
            hands.step_turn(live, boxes[number % len(boxes)], None)
        elif verb in ("type", "erase", "clear", "focus") and cell.plan.kind != "checkbox":
            if verb == "type":
                type_text(live, cell, text)
            elif verb == "erase":
                hands.step_erase(live, cell, 1)
            else:
                (hands.step_clear if verb == "clear" else hands.step_focus)(live, cell)
        elif verb == "blur":
            hands.blur(live)
        elif verb == "add":
            rows.step_add(live, chosen, number % (len(chosen.parts) + 1))
        elif verb == "remove" and chosen.parts:
            rows.step_remove(live, chosen.parts[number % len(chosen.parts)])
        elif verb == "move" and chosen.parts:
            rows.step_move(live, chosen.parts[0], number % len(chosen.parts))
        elif verb == "attempt":
            hands.press_button(live)
            if not live.root.busy:
                live.submission.attempt(live.root, None)
        elif verb == "reset":
            press_reset(live, live.root)
        elif verb == "wait":
            advance(live, live.now + 60)
    except Cannot:
        pass
    catch_up(live)


def computed_anew(live: Live) -> None:
    """Holds every stored sum, condition and verdict against one computed from the values now."""
    assert not live.heap and not live.followers
    for cell in everything(live.root):
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
        assert cell.shows == (shows if plan.messages_all else shows[:1]), name
        if isinstance(cell, FieldCell):
            if not live.sticky:
                changed = cell.raw != cell.initial_raw if cell.bad_input else not equal(cell.value, cell.initial)
                assert cell.dirty is changed, (name, cell.value, cell.initial)
        else:
            inside = [c for c in everything(cell) if c is not cell or cell.plan.kind != "row"]
            assert cell.dirty_count == sum(c.dirty for c in inside), name
            assert cell.touched_count == sum(c.touched for c in inside), name
            assert cell.marked_count == sum(bool(c.shows) for c in inside), name
            for state in (1, 2, 3):
                assert cell.tally[state] == sum(c.status == state for c in inside), (name, state)
        if isinstance(cell, ListCell) and not live.sticky:
            same = len(cell.parts) == len(cell.initial_parts) and all(map(lambda a, b: a is b, cell.parts, cell.initial_parts))
            assert cell.dirty is (not same and not equal(value_of(cell), cell.initial_value)), name
        if plan.unique:
            others = [c for r in cell.row.up.parts for c in leaves(r) if c.plan is plan and c is not cell and c.active]
            twins = cell.active and cell.value != "" and any(c.value == cell.value for c in others)
            assert any(c.kind == "unique" and cell.broken & c.bit for c in plan.checks) is twins, name


# No shrinking: with forms this large it takes minutes, and the failing sheet and steps are printed anyway.
@settings(
    max_examples=150, deadline=None, suppress_health_check=list(HealthCheck), report_multiple_bugs=False,
    phases=(Phase.explicit, Phase.reuse, Phase.generate),
)
@given(sheet=sheets(), steps=st.lists(STEPS, min_size=1, max_size=14))
def test_incremental_equals_from_scratch_and_the_trace_rebuilds_every_state(sheet: str, steps: list[tuple[str, int, str]]) -> None:
    try:
        form = read_sheet_text(sheet, "f.form.yaml")
    except Unreadable as fault:
        assert all("ring" in p.cause for p in fault.problems), fault
        assume(False)
    plan = compile_form(form)
    live = start(plan, 0)
    computed_anew(live)
    initial = snapshot(live)
    for number, step in enumerate(steps, 1):
        live.step = number
        take(live, step)
        computed_anew(live)
        rebuilt = {k: v for k, v in rebuild(initial, live.trace, number).items() if not k[0].startswith("gone ")}
        now = snapshot(live)
        assert rebuilt.keys() == now.keys()
        wrong = {k: (rebuilt[k], now[k]) for k in now if not equal(rebuilt[k], now[k]) and rebuilt[k] != now[k]}
        assert not wrong


def test_a_copied_form_is_as_one_built_from_the_ground(fox: Any) -> None:
    form = read_sheet_text("form: f\nfields: {r: {type: rows, start: 2, fields: {a: {rules: [{required: true}]}}}}", "f")
    plan = compile_form(form)
    assert snapshot(start(plan, 5)) == snapshot(fresh(plan, 5, None)) == snapshot(start(plan, 5))
    first = start(plan, 5)
    type_text(first, next(leaves(first.root)), "x")
    assert is_dirty(first.root)
    assert not is_dirty(start(plan, 5).root)
    assert isinstance(first.root, Container)
    assert validity_of(first.root) == INVALID
