"""Puts a form in play together, and copies one that is ready-made: every scenario starts from it."""

from __future__ import annotations

from functools import partial
from typing import Any

from ..acts.pages import focus_at_load
from ..acts.rows import is_there, restore_rows
from ..acts.submission import Submission
from ..judge.make import open_form
from ..judge.python_rules import broken
from ..plan.plans import Plan
from ..state.cells import Cell, Container, FieldCell, FormCell, ListCell, RowCell
from ..state.live import Live
from ..world.lookups import Lookups


def new_session(plan: Plan, now: int) -> Live:
    """An empty form in play with everything that it needs handed in."""
    live = Live(plan, now)
    live.lookups, live.submission = Lookups(live), Submission(live)
    live.restore_rows = lambda rows: restore_rows(live, rows) if is_there(rows) else None
    live.ask_python = partial(broken, live)
    return live


def start(plan: Plan, now: int) -> Live:
    """The form of *plan* at load, at the virtual time *now*. The first at an instant is built, later ones copied."""
    seed = plan.seeds.get(now)
    if seed is None:
        seed = fresh(plan, now, plan.form.server.record)
        if len(plan.seeds) > 64:
            plan.seeds.clear()
        plan.seeds[now] = seed
    return _Copy(seed).live


def fresh(plan: Plan, now: int, record: Any) -> Live:
    """A form at load with *record* on the server, built from the ground."""
    live = new_session(plan, now)
    live.statics = [None] * len(plan.paths)
    live.submission.record = dict(record) if record is not None else None
    live.root = open_form(live, plan.main, record)
    if plan.form.page is not None and plan.form.page.autofocus >= 0:
        focus_at_load(live, plan.form.page)
    live.trace.clear()
    live.warnings.clear()
    return live


_CELL = tuple(s for s in Cell.__slots__ if s not in ("live", "up", "row"))


_LEAF = (*_CELL, *FieldCell.__slots__)


_BOX = (*_CELL, *(s for s in Container.__slots__ if s not in ("parts", "tally")))


class _Copy:
    """Copies a live form that has just been built, so that a scenario need not build it again."""

    def __init__(self, seed: Live) -> None:
        self.of: dict[Any, Any] = {}
        live = new_session(seed.plan, seed.now)
        self.live = live
        live.statics = [None] * len(seed.statics)
        live.root = self._cell(seed.root, None)
        live.wholes = {"": live.root}
        live.reporting = {self.of[c]: None for c in seed.reporting}
        live.python_said = {(self.of[c], i): text for (c, i), text in seed.python_said.items()}
        live.submission.record = seed.submission.record
        live.focus = self.of[seed.focus] if seed.focus is not None else None
        live.on_button = seed.on_button
        for old, new in self.of.items():
            if type(old) is ListCell:
                new.twins = {key: {self.of[c]: None for c in found} for key, found in old.twins.items()}

    def _cell(self, old: Any, up: Any) -> Any:
        kind: Any = type(old)
        new: Any = object.__new__(kind)
        new.live, new.up = self.live, up
        if kind is FieldCell:
            for name in _LEAF:
                setattr(new, name, getattr(old, name))
            new.row = up.row
        else:
            for name in _BOX:
                setattr(new, name, getattr(old, name))
            new.row = new if kind is RowCell else up.row if up is not None else None
            if kind is RowCell:
                new.id = old.id
            elif kind is ListCell:
                new.next_id, new.witness, new.initial_value = old.next_id, old.witness, old.initial_value
            elif kind is FormCell:
                new.attempts, new.busy, new.open = old.attempts, old.busy, old.open
            new.tally = list(old.tally)
            new.parts = [self._cell(part, new) for part in old.parts]
            if kind is ListCell:
                new.initial_parts = tuple(new.parts)
        self.of[old] = new
        if old.plan.level == 0 and old.plan.kind != "row":
            self.live.statics[old.plan.index] = new
        return new
