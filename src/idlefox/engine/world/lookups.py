"""Lookups: rules that are asked elsewhere and answered later (`behaviour.md`, Time; `fine-print.md`, 10 to 13).

A question belongs to its cell and the value it was asked about. An answer that finds another value there is
stale: recorded, and dropped.
"""

from __future__ import annotations

from collections import deque
from typing import Any

from ...forms.expressions import Closure, Reference, compile_expression
from ...forms.model.form import Lookup
from ...forms.values.values import equal, is_empty
from ...records import NamedTuple
from ..judge.breaks import judge, set_status
from ..judge.rules import twin_key
from ..judge.spread import drain
from ..judge.timing import fill_message, report
from ..plan.plans import CheckPlan
from ..state.cells import FieldCell, judged_value
from ..state.live import Live
from ..state.queue import Event

_DEBOUNCE = "the debounce of lookup"
CHANGE, BLUR, ATTEMPT = "change", "blur", "submit"


class Answered(NamedTuple):
    """An answer: *kind* is accept, refuse, failure or nothing. *after* None: as long as the lookup takes."""

    kind: str
    message: str = ""
    after: int | None = None


class Ask:
    """One question about one value. *state*: unasked, pending, accepted, refused.

    *lost*: an attempt to submit has asked once more and was left without an answer, which its *message* says.
    """

    __slots__ = ("event", "failures", "insisted", "lost", "message", "state", "value")

    def __init__(self, value: Any) -> None:
        self.value = value
        self.state = "unasked"
        self.message: Any = ""
        self.event: Event | None = None
        self.failures = 0
        self.insisted = False  # asked once more by an attempt to submit
        self.lost = False

    @property
    def refused(self) -> bool:
        return self.state == "refused"


class Lookups:
    """The lookups of one live form: scripted answers, remembered answers, questions under way."""

    def __init__(self, live: Live) -> None:
        self.live = live
        self.scripted: dict[str, deque[Answered]] = {}
        self.memory: dict[tuple[str, Any], Answered] = {}

    def script(self, name: str, answer: Answered) -> None:
        """Queues what *name* answers to the next question that is asked."""
        self.scripted.setdefault(name, deque()).append(answer)

    # when questions are asked
    def changed(self, cell: FieldCell) -> None:
        """A person has changed *cell*: lookups that start with a change."""
        self._begin_all(cell, (CHANGE,))

    def blurred(self, cell: FieldCell) -> None:
        self._begin_all(cell, (BLUR,))

    def freed(self, cell: FieldCell) -> None:
        """Another field's change has mended *cell*: what starts with a change may be asked now."""
        self._begin_all(cell, (CHANGE,))

    def attempted(self, cell: FieldCell) -> None:
        """An attempt to submit asks all that is unasked, and once more what has failed before it."""
        self._begin_all(cell, (CHANGE, BLUR, ATTEMPT), insist=True)

    def begin_attempt(self, cell: FieldCell) -> None:
        """A new attempt: what the last one could not find out may be asked again."""
        for ask in (cell.questions or {}).values():
            ask.lost = False

    def _begin_all(self, cell: FieldCell, starts: tuple[str, ...], *, insist: bool = False) -> None:
        if not cell.active or cell.broken or cell.bad_input:
            return
        value = judged_value(cell)
        if is_empty(value):
            return
        for check in cell.plan.lookups:
            if check.start in starts and (check.when is None or check.when(cell, None) is True):
                self._begin(cell, check, value, insist)
        set_status(self.live, cell)

    def _begin(self, cell: FieldCell, check: CheckPlan, value: Any, insist: bool) -> None:
        asks = cell.questions
        if asks is None:
            asks = cell.questions = {}
        ask = asks.get(check.index)
        if ask is None:
            ask = asks[check.index] = Ask(value)
        if ask.state != "unasked" or ask.lost or (ask.failures and not insist):
            return
        ask.state = "pending"
        ask.insisted = insist
        live = self.live
        live.record(cell, "asks", "", check.lookup)
        if check.debounce and not insist:
            ask.event = live.queue.at(
                live.now + check.debounce, lambda: self._send(cell, check, ask), f"{_DEBOUNCE} {check.lookup}", cell
            )
        else:
            self._send(cell, check, ask)

    def _send(self, cell: FieldCell, check: CheckPlan, ask: Ask) -> None:
        live = self.live
        lookup: Lookup = live.form.lookups[check.lookup]
        queued = self.scripted.get(check.lookup)
        if queued:
            answer = queued.popleft()
        elif check.remember and (check.lookup, twin_key(ask.value)) in self.memory:
            answer = self.memory[check.lookup, twin_key(ask.value)]._replace(after=0)
        else:
            answer = self._stand_in(lookup, ask.value)
        if answer.kind == "nothing":
            ask.event = None
            return
        takes = lookup.takes if answer.after is None else answer.after
        ask.event = live.queue.at(live.now + takes, lambda: self._arrive(cell, check, ask, answer), f"lookup {check.lookup}", cell)

    def _stand_in(self, lookup: Lookup, value: Any) -> Answered:
        """What the sheet's own lookup says of *value*."""
        if lookup.fails:
            return Answered("failure")
        refused = lookup.refuse is not None and any(equal(value, r) for r in lookup.refuse)
        if lookup.accept is not None:
            refused = refused or not any(equal(value, a) for a in lookup.accept)
        if lookup.holds is not None and not refused:
            refused = compile_expression(lookup.holds, _ValueAccess(self.live))(value, None) is False
        return Answered("refuse" if refused else "accept")

    # when answers come
    def _arrive(self, cell: FieldCell, check: CheckPlan, ask: Ask, answer: Answered) -> None:
        live = self.live
        if cell.questions is None or cell.questions.get(check.index) is not ask:
            live.record(cell, "stale answer", ask.value, f"{check.lookup}: {answer.kind}")
            return
        ask.event = None
        if answer.kind == "failure":
            self._failed(cell, check, ask)
        else:
            live.record(cell, "answer", ask.value, f"{check.lookup}: {answer.kind}")
            if check.remember:
                self.memory[check.lookup, twin_key(ask.value)] = answer
            ask.state = "accepted" if answer.kind == "accept" else "refused"
            if answer.kind == "refuse":
                ask.message = answer.message
        judge(live, cell)
        set_status(live, cell)
        drain(live)
        if cell.has_reported and cell.active and (cell.broken or cell.reported or ask.lost):
            report(live, cell)
        drain(live)
        live.submission.lookups_moved()

    def _failed(self, cell: FieldCell, check: CheckPlan, ask: Ask) -> None:
        live = self.live
        live.record(cell, "lost answer", ask.value, check.lookup)
        ask.failures += 1
        ask.state = "unasked"
        if ask.insisted:
            ask.lost = True
            from ...forms.model.messages import stock

            ask.message = fill_message(stock("lookup_failed", dict(live.form.texts)), cell, check.parameters)

    # when questions end
    def stale(self, cell: FieldCell) -> None:
        """The value of *cell* is another one: its questions are void, what was only waiting to be asked is not asked."""
        if not cell.questions:
            return
        for check in cell.plan.lookups:
            ask = cell.questions.get(check.index)
            if ask is not None and ask.event is not None and ask.event.what.startswith(_DEBOUNCE):
                self.live.queue.cancel(ask.event)
        cell.questions = None

    def cancel(self, cell: FieldCell) -> None:
        """Takes back all questions of *cell* (a reset, or its row is gone)."""
        for ask in (cell.questions or {}).values():
            if ask.event is not None:
                self.live.record(cell, "dropped question", ask.value, None)
            self.live.queue.cancel(ask.event)
        cell.questions = None


class _ValueAccess:
    """Expressions of a lookup know one name: `value`, which is the place they are judged at."""

    def __init__(self, live: Live) -> None:
        self.live = live

    def read(self, reference: Reference) -> Closure:
        if reference.base == "lookup":
            return lambda place, rows: place
        name = reference.variable
        return lambda place, rows: rows[name] if rows else None

    rows = read

    def now(self, place: Any) -> int:
        return self.live.now

    def mixed(self, place: Any, what: str) -> None:
        self.live.warn(None, f"a lookup compared values of different types: {what}")
