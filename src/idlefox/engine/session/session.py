"""The entry point of the engine: starts, holds and ends a running form.

Every step that a person can do is a method. It returns None if the step was done, else a `Refusal`. An address is resolved once
(`SessionFactory.way`). Queries are in `look`, for the cells that `find` returns.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Any

from ...forms.names.shapes import write_address
from ...forms.values.limits import NoEnd
from ...forms.values.patterns import PatternTooSlow
from ...refusals import Refusal
from ..acts import enter, hands, keys, panels, rows
from ..acts.attempt import ignore_press, press, pressed_just_now, send, show_notice
from ..acts.buttons import find_button, need_button, need_reset
from ..acts.focus import blur, focus_button, step_blur, step_focus
from ..acts.form_kind import form_kind_of
from ..acts.refused import StepRefused
from ..acts.reset import press_reset
from ..judge.make import make_form
from ..judge.questions import LookupAnswer
from ..plan.plans import Plan
from ..state.cells import Cell
from ..state.form_state import NO_PRESS, FormState
from ..state.journal import Journal, State, journal, snapshot
from ..state.paths import CellPath, way_to
from . import due
from .copying import copied

_MOST_SEEDS = 64


class SessionFactory:
    """A compiled plan that is ready to start sessions: initial states by clock, and resolved addresses.

    The first form at an instant is built, later ones are copied; an address is followed once.
    """

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self._seeds: dict[int, FormState] = {}
        self._ways: dict[tuple[Any, ...], CellPath] = {}

    def fresh(self, now: int) -> FormState:
        """The form at load, at the virtual time *now*."""
        seed = self._seeds.get(now)
        if seed is None:
            if len(self._seeds) >= _MOST_SEEDS:
                self._seeds.clear()
            seed = self._seeds[now] = built(self.plan, now, self.plan.form.server.record)
        return copied(seed)

    def way(self, segments: tuple[Any, ...]) -> CellPath:
        """Resolve the address *segments*, which must exist in the form."""
        known = self._ways.get(segments)
        if known is None:
            known = self._ways[segments] = way_to(self.plan, segments)
        return known


def built(plan: Plan, now: int, record: Any) -> FormState:
    """A form at load with *record* on the server, built from the ground, its panels closed."""
    live = FormState(plan, now)
    live.cells_by_slot = [None] * len(plan.paths)
    live.record = dict(record) if record is not None else None
    live.root = make_form(live, plan.main, record)
    for panel in plan.panels.values():
        make_form(live, panel, None, is_open=False)
    form_kind_of(live.root).focus_at_load(live, live.root)
    live.trace.clear()
    live.warnings.clear()
    return live


def no_end(fault: NoEnd) -> Refusal:
    """Return the refusal for a computation that never finishes."""
    if isinstance(fault, PatternTooSlow):
        return Refusal("slow pattern", facts={"pattern": fault.pattern, "length": fault.length})
    return Refusal("endless", facts={"what": str(fault)})


class Session:
    """A running form."""

    def __init__(self, stage: SessionFactory) -> None:
        self.plan = stage.plan
        self.stage = stage
        self.live: FormState = None  # type: ignore[assignment]

    def load(self, now: int) -> Refusal | None:
        """A fresh form at the virtual time *now*, in milliseconds since 1970-01-01T00:00Z."""
        try:
            self.live = self.stage.fresh(now)
        except NoEnd as fault:
            return no_end(fault)
        return None

    # copies
    def copy(self) -> Session:
        """Another session that is as this one is now, and its own from here on."""
        new = Session.__new__(Session)
        new.plan, new.stage = self.plan, self.stage
        new.live = copied(self.live)
        return new

    def let_press_end(self) -> None:
        """Take the last press as over, so that the next one, though at the same moment, is not the second of a double press."""
        self.live.last_press = NO_PRESS

    def restore(self, other: Session) -> None:
        """Return to the state of *other*, which does not change and can be used again."""
        self.live = copied(other.live)

    # finding
    def find(self, segments: tuple[Any, ...]) -> Cell | Refusal:
        """The cell that an address names now; a refusal where its row is not there."""
        way = self.stage.way(segments)
        if way.index >= 0:
            found: Cell = self.live.cells_by_slot[way.index]
            return found
        cell: Any = self.live.roots_by_panel[way.panel]
        for counted, number, at in way.steps:
            if counted and not -len(cell.parts) <= number < len(cell.parts):
                facts = {"rows": cell.address(), "count": len(cell.parts)}
                return Refusal("no such row", write_address(segments[: at + 1]), facts=facts)
            cell = cell.parts[number]
        return cell  # type: ignore[no-any-return]

    # steps
    def _perform(self, act: Callable[..., object], *given: Any) -> Refusal | None:
        """Do a step, *act* with the arguments *given*, and everything due at this instant."""
        self.live.acts += 1
        try:
            act(*given)
            due.catch_up(self.live)
        except StepRefused as fault:
            return fault.refusal
        except NoEnd as fault:
            return no_end(fault)
        return None

    def _perform_at(self, segments: tuple[Any, ...], act: Callable[..., object], *given: Any) -> Refusal | None:
        """Do a step on the cell that *segments* name: *act* with the form, the cell and the arguments *given*."""
        found = self.find(segments)
        if isinstance(found, Refusal):
            self.live.acts += 1
            return found
        return self._perform(act, self.live, found, *given)

    def type(self, at: tuple[Any, ...], text: str) -> Refusal | None:
        """Type *text* key by key."""
        return self._perform_at(at, enter.type_text, text)

    def retype(self, at: tuple[Any, ...], text: str) -> Refusal | None:
        """Select everything and type *text*."""
        return self._perform_at(at, enter.type_over, text)

    def paste(self, at: tuple[Any, ...], text: str) -> Refusal | None:
        """Paste *text* at the end."""
        return self._perform_at(at, hands.step_paste, text)

    def erase(self, at: tuple[Any, ...], times: int) -> Refusal | None:
        """Press Backspace *times* times."""
        return self._perform_at(at, hands.step_erase, times)

    def clear(self, at: tuple[Any, ...]) -> Refusal | None:
        """Empty the control."""
        return self._perform_at(at, hands.step_clear)

    def set(self, at: tuple[Any, ...], value: Any) -> Refusal | None:
        """Set *value* in one change."""
        return self._perform_at(at, hands.step_set, value)

    def pick(self, at: tuple[Any, ...], mode: str, values: list[Any]) -> Refusal | None:
        """Choose options; *mode* is "", also or except."""
        return self._perform_at(at, hands.step_pick, mode, values)

    def turn(self, at: tuple[Any, ...], on: bool | None) -> Refusal | None:
        """Turn a checkbox on or off; None toggles it."""
        return self._perform_at(at, hands.step_turn, on)

    def upload(self, at: tuple[Any, ...], files: list[dict[str, Any]], paths: dict[tuple[str, int], str]) -> Refusal | None:
        """Choose *files* ({name, size, type}); *paths* lead to those that are there, by name and size."""
        self.live.file_paths.update(paths)
        return self._perform_at(at, hands.step_upload, files)

    def focus(self, at: tuple[Any, ...]) -> Refusal | None:
        """Focus the control."""
        return self._perform_at(at, step_focus)

    def leave_field(self, at: tuple[Any, ...] | None) -> Refusal | None:
        """Leave the field (None: the focused element)."""
        return self._perform_at(at, step_blur) if at is not None else self._perform(step_blur, self.live, None)

    def press(self, key: str, at: tuple[Any, ...] | None) -> Refusal | None:
        """Press a named key, in a field or where the focus is."""
        return self._perform_at(at, keys.step_press, key) if at is not None else self._perform(keys.step_press, self.live, None, key)

    def enter(self, at: tuple[Any, ...], value: Any) -> Refusal | None:
        """Enter a value as the control wants it, then leaves it."""
        return self._perform_at(at, enter.enter_value, value)

    def add(self, at: tuple[Any, ...], place: int | None, values: dict[str, Any] | None) -> Refusal | None:
        """Add a row at *place* and fill it with *values*."""
        def act(live: FormState, cell: Any) -> None:
            row = rows.step_add(live, cell, place)
            if values is not None:
                enter.enter_object(live, row, values)

        return self._perform_at(at, act)

    def remove(self, at: tuple[Any, ...]) -> Refusal | None:
        """Remove a row."""
        return self._perform_at(at, rows.step_remove)

    def move(self, at: tuple[Any, ...], to: int) -> Refusal | None:
        """Move a row to the index *to*."""
        return self._perform_at(at, rows.step_move, to)

    def open(self, panel: str) -> Refusal | None:
        """Open *panel*."""
        return self._perform(panels.step_open, self.live, panel)

    def close(self, panel: str) -> Refusal | None:
        """Close *panel*."""
        return self._perform(panels.step_close, self.live, panel)

    def submit(self, panel: str, button: str | int, *, past_checks: bool = False) -> Refusal | None:
        """Press a submit button (*button* "": the default one; a number: a page's element).

        *past_checks* sends without a press or a check.
        """
        return self._perform(self._submit, panel, button, past_checks)

    def _submit(self, panel: str, name: str | int, past_checks: bool) -> None:
        live = self.live
        form = live.roots_by_panel[panel]
        button = find_button(form, name)
        if past_checks:  # of a page, as a script sends it: without a button's own value or action (HTML, "form.requestSubmit()")
            send(live, form, button if name or not form.plan.form.elements else None)
            return
        focus_button(live, button)
        if pressed_just_now(live) and not live.plan.faults.second_press:
            ignore_press(live, form)
        else:
            press(live, form, need_button(live, form, button))

    def reset(self) -> Refusal | None:
        """Press the reset control."""
        def act() -> None:
            button = need_reset(self.live.root)
            focus_button(self.live, button)
            press_reset(self.live, self.live.root)

        return self._on_page("reset", act)

    def dismiss(self) -> Refusal | None:
        """Close the visible notice."""
        def act() -> None:
            if self.live.notice is None:
                raise StepRefused(Refusal("no notice"))
            if self.plan.faults.notice_stays:
                raise StepRefused(Refusal("notice stays"))
            show_notice(self.live, None)

        return self._on_page("dismiss", act)

    # pages
    def _on_page(self, doing: str, act: Callable[[], None]) -> Refusal | None:
        def there() -> None:
            if self.live.away:
                raise StepRefused(Refusal("left", "", doing))
            act()

        return self._perform(there)

    def leave(self) -> Refusal | None:
        """Navigate away."""

        def act() -> None:
            blur(self.live)
            self.live.put("away", True)

        return self._on_page("leave", act)

    def come_back(self) -> Refusal | None:
        """Come back: to the draft where the form keeps one, else to a fresh page."""

        def act() -> None:
            if not self.live.away:
                raise StepRefused(Refusal("nothing left"))
            if self.live.form.draft == "keep":
                self.live.put("away", False)
            else:
                self._fresh_page()

        return self._perform(act)

    def reload(self) -> Refusal | None:
        """Load the page again."""
        return self._on_page("reload", self._fresh_page)

    def _fresh_page(self) -> None:
        """Load the page again: a fresh form, with initial values from the current record."""
        old = self.live
        if old.record is not None and not isinstance(old.record, dict):
            raise StepRefused(Refusal("record no object", facts={"value": old.record}))
        live = built(self.plan, old.now, old.record)
        live.carry_over(old)
        live.note(live.root, "loaded", None, snapshot(live))
        self.live = live

    # the world
    def script_lookup(self, name: str, answer: LookupAnswer) -> None:
        """Queue the next answer of the lookup *name*."""
        self.live.scripted_lookups.setdefault(name, deque()).append(answer)

    def script_reply(self, reply: Any) -> None:
        """Queue the server's next answer (`world.server.ServerAnswer`)."""
        self.live.scripted_replies.append(reply)

    def drop_scripted(self) -> None:
        """Forget the scripted answers that have not been used."""
        self.live.scripted_lookups.clear()
        self.live.scripted_replies.clear()

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let time pass, at most so much; stops early once *until* holds. Whether it held."""
        try:
            return due.advance(self.live, self.live.now + milliseconds, until=until)
        except NoEnd as fault:
            return no_end(fault)

    # records
    def journal(self) -> Journal:
        """All that has happened since load, as plain data; nothing, where load itself came to no end."""
        return journal(self.live) if self.live is not None else Journal(0, (), ())

    def state(self) -> State:
        """The whole state now, as plain data; empty, where load itself came to no end."""
        return snapshot(self.live) if self.live is not None else {}
