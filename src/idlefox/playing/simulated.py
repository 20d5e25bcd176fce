"""A form in the engine as a subject: steps become steps of a session, looks become looks at it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from ..disk import size_of
from ..engine.acts.buttons import button_enabled, button_visible, find_button, why_no_press
from ..engine.acts.enter import media_type
from ..engine.acts.rows import why_not
from ..engine.acts.sight import disabled_by, explained, hidden_by
from ..engine.judge.questions import LookupAnswer
from ..engine.session import look as sight
from ..engine.session.session import Session, SessionFactory
from ..engine.state.cells import Cell, FieldCell, FormCell, value_of
from ..engine.state.journal import Journal, State
from ..forms.names.addresses import called
from ..forms.names.shapes import write_address
from ..refusals import Refusal
from ..roots import is_outside_roots
from ..script import tree
from ..script.tree import Noun
from .subject import CAPABILITIES, FieldState, Material, NotObservable, PageEvent

OUTCOMES = ("none", "refused", "waiting", "accepted", "rejected", "lost")


class SimulatedForm:
    """Plays on the engine. *folder* is where the script's paths start (files to upload)."""

    abilities = frozenset(CAPABILITIES)

    def __init__(self, stage: SessionFactory, folder: str) -> None:
        self.session = Session(stage)
        self.folder = folder

    def load(self, clock: int) -> Refusal | None:
        """Load the form at the virtual time *clock*."""
        return self.session.load(clock)

    def coming(self, ops: Sequence[Any]) -> None:
        """Accept the coming steps; unused here."""
        return

    def close(self) -> None:
        """Nothing to close."""
        return

    def warnings(self) -> tuple[str, ...]:
        """Return the warnings."""
        return tuple(self.session.live.warnings)

    def trouble(self) -> Refusal | None:
        """Return the error that ended the scenario; none is possible here."""
        return None

    def material(self) -> Material | None:
        """Return the material for a failure report; there is none."""
        return None

    def timer_due(self) -> int | None:
        """Return None: there are no timers of a page."""
        return None

    def check_delay(self) -> int:
        """Return 0: a check is made once."""
        return 0

    def elapsed(self) -> int:
        """Return the virtual time since load in milliseconds."""
        live = self.session.live
        return live.now - live.start if live is not None else 0

    def journal(self) -> Journal:
        """Return the trace."""
        return self.session.journal()

    def events(self) -> tuple[PageEvent, ...]:
        """Return nothing: the journal has everything."""
        return ()

    def state(self) -> State:
        """The whole state now, from which the journal goes on."""
        return self.session.state()

    def perform(self, step: Any, number: int) -> Refusal | None:
        """Do *step*."""
        self.session.live.step = number
        return _STEPS[type(step)](self, step)

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let virtual time pass."""
        return self.session.advance(milliseconds, until)

    def written(self, address: str) -> str:
        """Write *address* with current row numbers."""
        form = self.session.plan.form
        name = called(form.shape, address)
        field = form.find((name,)) if name is not None else None
        return field.address if field is not None else address

    def mark_step(self, number: int) -> None:
        """Attribute what changes from now on to the step or check *number*."""
        self.session.live.step = number

    def trial(self, *, alone: bool = False) -> SimulatedForm:
        """Return a copy to try steps on."""
        other = SimulatedForm(self.session.stage, self.folder)
        other.session = self.session.copy()
        if alone:
            other.session.let_press_end()
        return other

    # steps that need more than one call
    def upload(self, act: tree.Upload) -> Refusal | None:
        """Choose the files of an upload step."""
        files: list[dict[str, Any]] = []
        paths: dict[tuple[str, int], str] = {}
        for file in act.files:
            beside, name = Path(self.folder) / file.name, Path(file.name).name
            if is_outside_roots(str(beside)):
                return Refusal("file outside", write_address(act.address.segments), "upload", {"file": file.name})
            there = size_of(str(beside))
            if there is not None and file.size is not None and file.size != there:
                facts = {"file": file.name, "size": file.size, "there": there}
                return Refusal("other size", write_address(act.address.segments), "upload", facts)
            size = there or 0 if file.size is None else file.size
            if there is not None:
                paths[name, size] = str(beside)
            files.append({"name": name, "size": size, "type": file.type or media_type(file.name)})
        return self.session.upload(act.address.segments, files, paths)

    def add(self, act: tree.Add) -> Refusal | None:
        """Add a row and fill it."""
        if act.filled and not isinstance(act.value, dict):
            return Refusal("needs an object", "a new row", facts={"value": act.value})
        return self.session.add(act.address.segments, act.at, act.value if act.filled else None)

    def answer(self, act: tree.Answer) -> None:
        """Queue a scripted answer."""
        if act.lookup is not None:
            self.session.script_lookup(act.lookup.text, LookupAnswer(act.kind, act.value or "", act.after))
            return
        from .server_answers import answer_of

        self.session.script_reply(answer_of(act))

    # looking
    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*."""
        if noun.kind == "address":
            assert noun.address is not None
            cell = self.session.find(noun.address.segments)
            return NotObservable(cell) if isinstance(cell, Refusal) else self._cell(cell, asked, word)
        if noun.kind == "form":
            return self._cell(self.session.live.root, asked, word)
        if asked == "is":
            return _IS[noun.kind](self.session, noun, word)
        if asked == "why not":
            return _why_no_press(self.session, noun)
        return _VALUES[noun.kind](self.session)

    def _cell(self, cell: Cell, asked: str, word: Any) -> Any:
        live = self.session.live
        if asked == "is":
            return sight.is_in_state(live, cell, word)
        if asked == "holds":
            return sight.holds(live, cell, word)
        if asked == "allows":
            return why_not(live, cell, word)  # type: ignore[arg-type]
        if asked == "shows":
            return sight.messages(live, cell)
        if asked == "state":
            return self._state(cell)
        if asked == "why not":
            return self._why_not(cell, word)
        return _ASKED[asked](cell)

    def _why_not(self, cell: Cell, word: str) -> Refusal | None:
        if isinstance(cell, FormCell):
            return None
        reason = hidden_by(self.session.live, cell) if word == "visible" else disabled_by(cell)
        return explained(reason, cell) if reason is not None else None

    def _state(self, cell: Cell) -> FieldState:
        live = self.session.live
        return FieldState(
            cell.address(),
            "form" if isinstance(cell, FormCell) else "field" if isinstance(cell, FieldCell) else cell.plan.kind,
            value_of(cell) if isinstance(cell, FieldCell) else None,
            cell.raw if isinstance(cell, FieldCell) and cell.bad_input else None,
            sight.count_of(cell),
            tuple(sight.words_of(live, cell)),
            tuple(c.name for c in cell.plan.checks if cell.broken & c.bit),
            tuple(sight.messages(live, cell)),
            live.now - live.start,
            sight.last_touch(live, cell),
            tuple(sight.trouble_inside(cell)) if not isinstance(cell, FieldCell) else (),
        )


_ASKED: dict[str, Callable[[Any], Any]] = {
    "value": value_of,
    "breaks": sight.broken_rules,
    "reads": lambda cell: cell.raw,
    "offers": sight.options,
    "labels": sight.option_labels,
    "rows": sight.count_of,
    "name": lambda cell: cell.address(),
}


def _button(session: Session, noun: Noun, word: str) -> bool:
    live = session.live
    button = find_button(live.root, noun.name or "")
    if word in ("visible", "hidden"):
        return button_visible(live, live.root, button) is (word == "visible")
    return button_enabled(live.root, button) is (word == "enabled")


def _why_no_press(session: Session, noun: Noun) -> Refusal | None:
    button = find_button(session.live.root, noun.name or "") if noun.kind in ("submit", "button") else None
    return why_no_press(session.live, session.live.root, button) if button is not None else None


def _notice_is(session: Session, noun: Noun, word: str) -> bool:
    notice = session.live.notice
    if notice is None:
        return False
    return notice.lasts is None if word == "lasting" else notice.kind == word


_IS: dict[str, Callable[[Session, Noun, str], bool]] = {
    "submit": _button,
    "button": _button,
    "outcome": lambda session, noun, word: session.live.outcome == word,
    "notice": _notice_is,
    "view": lambda session, noun, word: session.live.view == word,
    "under way": lambda session, noun, word: session.live.queue.under_way > 0,
}


def _last(name: str) -> Callable[[Session], Any]:
    def read(session: Session) -> Any:
        requests = session.live.requests
        return getattr(requests[-1], name) if requests else None

    return read


def _request(session: Session) -> str | None:
    requests = session.live.requests
    return f"{requests[-1].method} {requests[-1].target}" if requests else None


def _status(session: Session) -> int | None:
    """The status of the last answer that came; a connection that was lost has none."""
    return next((status for _, _, _, status in reversed(session.live.answers) if isinstance(status, int)), None)


_VALUES: dict[str, Callable[[Session], Any]] = {
    "values": lambda session: value_of(session.live.root),
    "errors": lambda session: sight.errors(session.live),
    "requests": lambda session: len(session.live.requests),
    "request": _request,
    "payload": _last("payload"),
    "body": _last("body"),
    "location": lambda session: session.live.location,
    "record": lambda session: session.live.record,
    "status": _status,
    "notice": lambda session: session.live.notice.text if session.live.notice is not None else None,
    "focus": lambda session: [session.live.focus.address()] if session.live.focus is not None else [],
    "dirty": lambda session: sight.dirty_fields(session.live),
    "touched": lambda session: sight.touched_fields(session.live),
    "alert": lambda session: None,  # no browser opens a box
    "view": lambda session: session.live.view,
    "outcome": lambda session: session.live.outcome,
    "under way": lambda session: session.live.queue.waiting_for(),
}


_STEPS: dict[type, Callable[[SimulatedForm, Any], Refusal | None]] = {
    tree.Type: lambda s, a: s.session.type(a.address.segments, a.text),
    tree.Retype: lambda s, a: s.session.retype(a.address.segments, a.text),
    tree.Paste: lambda s, a: s.session.paste(a.address.segments, a.text),
    tree.Erase: lambda s, a: s.session.erase(a.address.segments, a.times),
    tree.Clear: lambda s, a: s.session.clear(a.address.segments),
    tree.Set: lambda s, a: s.session.set(a.address.segments, a.value),
    tree.Pick: lambda s, a: s.session.pick(a.address.segments, a.mode, list(a.values)),
    tree.Toggle: lambda s, a: s.session.turn(a.address.segments, None),
    tree.Turn: lambda s, a: s.session.turn(a.address.segments, a.on),
    tree.Upload: SimulatedForm.upload,
    tree.Focus: lambda s, a: s.session.focus(a.address.segments),
    tree.Blur: lambda s, a: s.session.leave_field(a.address.segments if a.address is not None else None),
    tree.Press: lambda s, a: s.session.press(a.key, a.address.segments if a.address is not None else None),
    tree.FillLine: lambda s, a: s.session.enter(a.address.segments, a.value),
    tree.Add: SimulatedForm.add,
    tree.Remove: lambda s, a: s.session.remove(a.address.segments),
    tree.Move: lambda s, a: s.session.move(a.address.segments, a.to),
    tree.Open: lambda s, a: s.session.open(a.panel.text),
    tree.Close: lambda s, a: s.session.close(a.panel.text),
    tree.Submit: lambda s, a: s.session.submit(a.panel.text if a.panel is not None else "", a.button or "", past_checks=a.past_checks),
    tree.Reset: lambda s, a: s.session.reset(),
    tree.Dismiss: lambda s, a: s.session.dismiss(),
    tree.Leave: lambda s, a: s.session.leave(),
    tree.Return: lambda s, a: s.session.come_back(),
    tree.Reload: lambda s, a: s.session.reload(),
    tree.Answer: SimulatedForm.answer,
    tree.AnswerBox: lambda s, a: None,  # no browser opens a box
    tree.Go: lambda s, a: None,  # there is no other page
    tree.Note: lambda s, a: None,
}
