"""The manners, and a monitor that judges the changes of every step."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ...engine.session import introspection as oddities
from ...forms.model.form import Field, Form
from ...forms.values.durations import write_duration
from ...forms.values.values import is_empty, written
from ...playing.simulated import SimulatedForm
from ...records import NamedTuple
from ...script import tree
from ...script.tree import Address, Noun
from ..filling import instances
from ..samples import candidates

# The manners.
MANNERS: dict[str, str] = {
    "patience": "shows no message before the person has left or sent anything",
    "plain-speech": "a refused attempt shows at least one message, and takes the focus to the first wrong control",
    "forgives": "every message goes away once the problem is fixed",
    "way-out": "from every state reached, something acceptable can still be sent",
    "row-back": "rows that were removed can come back",
    "no-rush": "cannot be sent while a lookup is pending or still has to be asked",
    "no-ghosts": "nothing hidden or disabled blocks sending or is sent",
    "keeps": "no value is lost on refusal, rejection, a lost connection or, where a draft is promised, on return",
    "clean-slate": "reset brings back exactly the state at load",
    "once": "a double press sends once",
    "fresh-answers": "a late answer never wins over a newer value",
    "own-row": "messages and state stay with their row when rows move or go",
    "says-so": "what is marked wrong has a message; what has a message is marked",
    "closes": "every notice can be closed or closes itself",
}
_PATIENCE = 10 * 60_000  # how long somebody waits for a notice to go, in milliseconds
_DAY = 86_400_000
_PASSING = (tree.Wait, tree.Settle)
_NOT_OF_LOAD = frozenset({"busy", "focus", "on_button", "record", "given_options", "notice", "location", "edited", "committed"})


class Observation(NamedTuple):
    """A breach as it was met: the *manner*, *where* (a schema address, "" the form), and in one *sentence* what happened."""

    manner: str
    where: str
    sentence: str
    at: str = ""  # its address at that time


class MannersMonitor:
    """Monitors a running form. Its own state can be copied with the form's."""

    def __init__(self, subject: SimulatedForm, form: Form, only: frozenset[str]) -> None:
        self.form, self.only = form, only
        self.bare = form.page is not None and form.page.bare  # the browser speaks, not the form
        self.found: list[Observation] = []
        self.number = self.at = 0
        self.left = self.sent = self.accepted = False
        self.edited: dict[str, int] = {}  # address -> the step of the last change by a person
        self.owed = False  # a request has not been answered
        self.asked_at, self.sent_at = -9, -1  # the step and the instant at which the last request was sent
        self.server: dict[str, Any] = {}  # the fields with errors of the server, and their values at that time
        self.gone_from: Any = None  # the values when the page was left
        self.lost: list[tuple[Any, Any, Any]] = []
        self.outcome = ""
        self.hidden = self.spoke = False  # whether a field was hidden or disabled, and a message shown
        self.request: Any = None
        self.rows: Any = None
        self.load_state = self._state(subject) if "clean-slate" in only else {}
        self.loaded_at = subject.session.live.now
        self._at_load(subject)
        self.noted = len(subject.session.live.trace)

    def copy(self) -> MannersMonitor:
        """Return a copy."""
        new = MannersMonitor.__new__(MannersMonitor)
        new.__dict__.update(self.__dict__)
        new.found = []
        new.edited, new.server = self.edited.copy(), self.server.copy()
        return new

    def _tell(self, manner: str, cell: Any, sentence: str) -> None:
        if manner in self.only:
            path = cell.plan.path if cell is not None else ()
            field = self.form.find(path) if path and path[-1] != "*" else None
            where = field.address if field is not None else ".".join(path)
            self.found.append(Observation(manner, where, sentence, cell.address() if cell is not None else ""))

    # before and after a step
    def before(self, step: Any, subject: SimulatedForm) -> None:
        """Prepare for *step*."""
        self.rows = None
        if isinstance(step, tree.Remove | tree.Move):
            rows = subject.session.find(step.address.segments[:-1])
            self.rows = (rows, oddities.told_of_rows(rows)) if hasattr(rows, "parts") else None  # type: ignore[arg-type]

    def after(self, step: Any, subject: SimulatedForm) -> None:
        """Judge the changes of *step*."""
        self.number += 1
        live = subject.session.live
        trace = live.trace
        if self.noted > len(trace):
            self.noted = 0
        self.lost, self.outcome, self.request, self.hidden, self.spoke = [], "", None, False, False
        for at in range(self.noted, len(trace)):
            self.at, change = at, trace[at]
            hears = _HEARS.get(change[3])
            if hears is not None:
                hears(self, change, step)
        self.noted = len(trace)
        if self.request is not None:
            self._sending(subject, step)
        if self.outcome:
            self._came(subject, step)
        if live.reporting or live.server_said:
            self._said_still(live)
        if self.hidden:
            self._hidden(subject)
        special = _BEHIND.get(type(step))
        if special is not None:
            special(self, step, subject)

    def _at_load(self, subject: SimulatedForm) -> None:
        live = subject.session.live
        for form in live.roots_by_panel.values():
            for cell in oddities.everything(form) if form.open else ():
                if cell.shows:
                    text = oddities.shown_texts(cell)[0]
                    self._tell("patience", cell, f"{_called(cell)} shows {written(text)} at load")
        for cell in oddities.says_nothing_with(live):
            self._tell("says-so", cell, f"{_called(cell)} is marked as wrong with an empty message")

    # changes
    def _shows(self, change: Any, step: Any) -> None:
        cell, after = change[2], change[5]
        if not after:
            return
        self.spoke = True
        if not (self.left or self.sent):
            text = oddities.said_text(cell, after[0][1])
            self._tell("patience", cell, f"{_called(cell)} shows {written(text)} before the person has left a field or sent the form")
        if not any(oddities.said_text(cell, text).strip() for _, text in after):
            self._tell("says-so", cell, f"{_called(cell)} is marked as wrong with an empty message")

    def _touched(self, change: Any, step: Any) -> None:
        self.left = self.left or bool(change[5])

    def _attempts(self, change: Any, step: Any) -> None:
        self.sent = self.sent or change[5] > 0

    def _outcome(self, change: Any, step: Any) -> None:
        self.outcome = change[5]
        self.accepted = self.accepted or self.outcome == "accepted"

    def _visible(self, change: Any, step: Any) -> None:
        self.hidden = self.hidden or not change[5]

    def _view(self, change: Any, step: Any) -> None:
        self.hidden = True

    def _loaded(self, change: Any, step: Any) -> None:
        """The page has been loaded again, so the monitor starts afresh."""
        self.left = self.sent = self.owed = False
        self.server.clear()
        self.edited.clear()

    def _value(self, change: Any, step: Any) -> None:
        cell = change[2]
        if isinstance(step, (*_PASSING, tree.Submit, tree.Press, tree.Return)):
            self.lost.append((cell, change[4], change[5]))
        else:
            self.edited[cell.key] = self.number

    def _request(self, change: Any, step: Any) -> None:
        self.sent = True
        number, now = change[4], change[1]
        at_once = now == self.sent_at and self.number == self.asked_at + 1
        if self.owed or at_once:
            why = "while the first is pending" if self.owed else "at the same instant"
            self._tell("once", None, f"a second press {why} sends the form again")
        self.owed, self.asked_at = True, self.number
        self.request, self.sent_at = number, now

    def _answer(self, change: Any, step: Any) -> None:
        cell, about = change[2], change[4]
        if cell is None:
            return
        # The value at that time: it may have changed after the answer in this step.
        later = (each[4] for each in cell.live.trace[self.at + 1 :] if each[2] is cell and each[3] == "value")
        now = oddities.as_seen(cell, next(later, cell.value))
        if now != about:
            cause = f"a late answer about {written(about)} is used for {written(now)} in {_called(cell)}"
            self._tell("fresh-answers", cell, cause)

    def _said(self, change: Any, step: Any) -> None:
        cell = change[2]
        if change[5]:
            self.server[cell.key] = oddities.judged_value(cell)

    def _notice(self, change: Any, step: Any) -> None:
        self.outcome = self.outcome or "notice"

    # conclusions
    def _sending(self, subject: SimulatedForm, step: Any) -> None:
        live = subject.session.live
        form = live.roots_by_panel[_panel_of(step, live.roots_by_panel)]
        if isinstance(step, tree.Submit | tree.Press) and oddities.owes_an_answer(form):
            owing = next(c for c in oddities.leaves(form) if c.status)
            self._tell("no-rush", owing, f"the form is sent while a lookup is pending for {_called(owing)}")
        for cell in oddities.travels(form, live.requests[self.request].values):
            self._tell("no-ghosts", cell, f"{_called(cell)} is sent although it is {'hidden' if not cell.visible else 'disabled'}")

    def _came(self, subject: SimulatedForm, step: Any) -> None:
        live = subject.session.live
        if self.outcome == "refused" and not live.away:
            self._refused(subject, step)
        elif self.outcome in ("accepted", "rejected", "lost"):
            self._answered(live)
        if live.notice is not None and not live.away and "closes" in self.only:
            self._closes(subject)

    def _refused(self, subject: SimulatedForm, step: Any) -> None:
        live = subject.session.live
        if not self.spoke and not oddities.says_anything(live) and not self.bare:
            self._tell("plain-speech", None, "an attempt to send is refused without any message")
        for form in live.roots_by_panel.values():
            if not form.open or form.attempts == 0:
                continue
            wrong = oddities.first_wrong(live, form)
            stayed = isinstance(step, (*_PASSING, tree.Submit))  # otherwise the person has moved on in the same step
            if wrong is not None and stayed and live.focus is None and live.roots_by_panel[""] is form:
                self._tell("plain-speech", wrong, f"an attempt to send is refused, but the focus does not move to {_called(wrong)}")
            for cell in oddities.out_of_reach(live, form):
                self._tell("no-ghosts", cell, f"{_called(cell)} blocks the form, but a person cannot fix it")
            for cell, name in self._about_absent(form):
                self._tell("no-ghosts", cell, f"{_called(cell)} breaks {name}, which reads only what is hidden or disabled")

    def _about_absent(self, form: Any) -> Iterator[tuple[Any, str]]:
        """Yield the cells in reach that break a rule whose every read is of a field that is hidden or disabled."""
        away = {cell.plan.path for cell in oddities.everything(form) if not (cell.visible and cell.enabled)}
        here = {cell.plan.path for cell in oddities.everything(form) if cell.visible and cell.enabled}
        rules = [*self.form.rules, *(rule for field in self.form.walk() for rule in field.rules if rule.at is not None)]
        for cell in oddities.everything(form) if away else ():
            for check in (each for each in cell.plan.checks if cell.broken & each.bit and each.kind == "holds" and cell.active):
                rule = next((each for each in rules if each.line == check.line), None)
                read = {each.target for kind in rule.kinds for each in getattr(kind.parameter, "reads", ())} if rule is not None else set()
                if read and read <= away and not read & here:
                    yield cell, check.name

    def _answered(self, live: Any) -> None:
        after = self.form.after.get(self.outcome)
        forgets = set(after.forget) if after is not None else set()
        self.owed = False
        for cell, was, now in self.lost:
            gone = not is_empty(was) and was != now and (is_empty(now) or now == cell.initial)
            if not gone or cell.plan.derive is not None or _is_forgotten(cell, forgets):
                continue
            if self.edited.get(cell.key, -1) > self.asked_at and self.outcome != "accepted":
                cause = f"what was entered in {_called(cell)} while the form was pending is lost when the answer arrives"
                self._tell("fresh-answers", None, cause)
            if self.outcome in ("rejected", "lost"):
                self._tell("keeps", None, f"{written(was)} in {_called(cell)} is lost when the form is {self.outcome}")

    def _closes(self, subject: SimulatedForm) -> None:
        notice = subject.session.live.notice
        if notice is None:
            return
        tried = subject.session.copy()
        if tried.dismiss() is None and tried.live.notice is None:
            return
        tried.advance(_PATIENCE)
        if tried.live.notice is not None:
            cause = f"the notice {written(notice.text)} cannot be closed and is still there after {write_duration(_PATIENCE)}"
            self._tell("closes", None, cause)

    def _hidden(self, subject: SimulatedForm) -> None:
        session = subject.session
        for cell, blocked in oddities.blocked_by_absent(session, session.live.root) if "no-ghosts" in self.only else ():
            how = "hidden" if not cell.visible else "disabled"
            self._tell("no-ghosts", cell, f"{_called(cell)} is {how}, and its value makes {_called(blocked)} invalid")

    def _said_still(self, live: Any) -> None:
        if not self.bare and not live.queue.under_way:
            for cell, text in oddities.said_in_vain(live):
                self._tell("forgives", cell, f"{_called(cell)} still shows {written(text)} after the problem is fixed")
        for cell, value in oddities.server_says(live):
            if cell.key in self.server and self.server[cell.key] != value:
                text = cell.server[0] if cell.server else ""
                self._tell("forgives", cell, f"{_called(cell)} still says {written(text)}, although its value has changed")

    # after steps of one kind
    def _row_moved(self, step: Any, subject: SimulatedForm) -> None:
        if self.rows is None:
            return
        rows, told = self.rows
        for cell, what in oddities.misplaced(rows, told):
            how = "removed" if isinstance(step, tree.Remove) else "moved"
            name = cell.plan.key.lstrip(".")
            self._tell("own-row", cell, f"when a row of {rows.address()} is {how}, the {what} of {name} does not stay with its row")
        if isinstance(step, tree.Remove) and "row-back" in self.only:
            self._comes_back(subject, Address(step.address.segments[:-1]), rows)

    def _read_by_adding(self, subject: SimulatedForm, rows: Any) -> Iterator[tuple[Field, Any]]:
        """Yield the fields that the condition for adding a row reads, with their addresses now."""
        condition = rows.plan.field.add
        for target in {each.target: None for each in (condition.reads if condition is not None else ()) if each.target}:
            field = self.form.find(target)
            if field is not None and field.kind not in ("group", "rows", "hidden"):
                yield from ((field, at) for at in instances(subject, target))

    def _comes_back(self, subject: SimulatedForm, at: Address, rows: Any) -> None:
        refusal = subject.look(Noun("address", at), "allows", "add")
        if refusal is None or refusal.kind != "not offered":
            return
        tried = subject.trial()
        for number in range(len(rows.parts)):
            for field in rows.plan.field.fields:
                for value in candidates(field)[:2] if field.kind not in ("group", "rows", "hidden") else ():
                    tried.perform(tree.FillLine(Address((*at.segments, number, field.name)), value), 1)
        for field, where in self._read_by_adding(tried, rows):
            for value in candidates(field)[:4]:
                if tried.look(Noun("address", at), "allows", "add") is None:
                    return
                tried.perform(tree.FillLine(Address(where), value), 1)
        if tried.look(Noun("address", at), "allows", "add") is not None:
            many = {0: "no row", 1: "one row"}.get(len(rows.parts), f"{len(rows.parts)} rows")
            self._tell("row-back", rows, f"once a row of {rows.address()} is removed and {many} left, no row can be added")

    def _reset(self, step: Any, subject: SimulatedForm) -> None:
        live = subject.session.live
        if self.accepted or "clean-slate" not in self.only or live.now // _DAY != self.loaded_at // _DAY:
            return
        now = self._state(subject)
        for key, properties in self.load_state.items():
            for name, value in properties.items():
                if name not in _NOT_OF_LOAD and now.get(key, {}).get(name, value) != value:
                    cell = next((c for form in live.roots_by_panel.values() for c in oddities.everything(form) if c.key == key), None)
                    found = now[key][name]
                    cause = f"after a reset, {_differs(key or 'the form', name, found, value)}"
                    self._tell("clean-slate", cell if cell is not live.root else None, cause)
        self.sent = self.left = False

    def _state(self, subject: SimulatedForm) -> dict[str, dict[str, Any]]:
        """The state of the form without its panels."""
        own = {cell.key for cell in oddities.everything(subject.session.live.root)}
        return {key: properties for key, properties in subject.state().items() if key in own}

    def _left(self, step: Any, subject: SimulatedForm) -> None:
        self.gone_from = subject.look(_VALUES, "value") if self.form.draft == "keep" else None

    def _returned(self, step: Any, subject: SimulatedForm) -> None:
        if self.gone_from is None:
            return
        now = subject.look(_VALUES, "value")
        if now != self.gone_from:
            self._tell("keeps", None, "a draft is promised, but values are lost when the person comes back")
        self.gone_from = None


_VALUES = Noun("values")
_HEARS: dict[str, Callable[[MannersMonitor, Any, Any], None]] = {
    "shows": MannersMonitor._shows, "touched": MannersMonitor._touched, "attempts": MannersMonitor._attempts,
    "outcome": MannersMonitor._outcome, "value": MannersMonitor._value,
    "request": MannersMonitor._request, "answer": MannersMonitor._answer, "server": MannersMonitor._said, "notice": MannersMonitor._notice,
    "visible": MannersMonitor._visible, "enabled": MannersMonitor._visible, "view": MannersMonitor._view, "loaded": MannersMonitor._loaded,
}  # fmt: skip
_BEHIND: dict[type, Callable[[MannersMonitor, Any, SimulatedForm], None]] = {
    tree.Remove: MannersMonitor._row_moved, tree.Move: MannersMonitor._row_moved, tree.Reset: MannersMonitor._reset,
    tree.Leave: MannersMonitor._left, tree.Return: MannersMonitor._returned,
}  # fmt: skip


def _panel_of(step: Any, roots_by_panel: Any) -> str:
    """The panel that a press of a button, or of a key in a field, is about; "" the form."""
    if isinstance(step, tree.Submit):
        return step.panel.text if step.panel is not None else ""
    address = getattr(step, "address", None)
    return str(address.segments[0]) if address is not None and address.segments[0] in roots_by_panel else ""


def _differs(whose: str, name: str, found: Any, value: Any) -> str:
    """Describe how the property *name* after a reset differs from that at load."""
    if isinstance(found, bool) and isinstance(value, bool):
        return f"{whose} is {'' if found else 'not '}{name}; at load it was{'' if value else ' not'}"
    return f"the {name} of {whose} is {_plain(found)}; at load it was {_plain(value)}"


def _called(cell: Any) -> str:
    return cell.address() or "the form"


def _plain(value: Any) -> str:
    return written(value) if value not in ([], None) else "nothing"


def _is_forgotten(cell: Any, forgets: set[str]) -> bool:
    """Return whether the sheet says that what *cell* holds is to be forgotten: it, or something around it."""
    if cell.plan.kind == "password":
        return True
    each = cell
    while each is not None and each.up is not None:
        address = each.address()
        if address in forgets or (each.plan.field is not None and each.plan.field.address in forgets):
            return True
        each = each.up
    return False

