"""Submitting a form: the attempt, the request, the answer, and what comes after (`behaviour.md`, Submission)."""

from __future__ import annotations

from collections import deque
from typing import TYPE_CHECKING, Any

from ...forms.model.form import After, Notice
from ...forms.names.addresses import called, parse_address
from ..judge.breaks import is_lost
from ..judge.change import commit, set_touched
from ..judge.spread import cut, drain
from ..judge.timing import SUBMIT, drop_server, moment, report, say_server
from ..state.cells import INVALID, PENDING, FieldCell, FormCell, ListCell, RowCell, everything, leaves, validity_of
from ..state.live import Live
from ..state.queue import Event
from .keys import focus_first_invalid
from .panels import give
from .reset import blank_form, keep_as_initial, reset_form, set_back
from .sight import whole_of

if TYPE_CHECKING:
    from ..world.encode import Sent
    from ..world.server import Answer

_KINDS = {"accepted": "success", "rejected": "error", "lost": "error"}


class Submission:
    """Outcome, requests, record, notice and location of one live form."""

    def __init__(self, live: Live) -> None:
        self.live = live
        self.outcome = "none"
        self.requests: list[Sent] = []
        self.record: Any = None
        self.location = live.form.page.home if live.form.page is not None else "/"
        self.notice: Notice | None = None
        self.scripted: deque[Answer] = deque()
        self.deciding: tuple[FormCell, Any] | None = None  # waits for lookups
        self.under_way: list[Event] = []
        self.last_press: tuple[int, int] = (-1, -1)  # the instant and the act of the last press that sent a request
        self._notice_ends: Event | None = None

    # small changes of state, all recorded
    def _set(self, name: str, value: Any) -> None:
        before = getattr(self, name)
        if before != value:
            self.live.record(None, name, before, value)
            setattr(self, name, value)

    def _set_busy(self, whole: FormCell, busy: bool) -> None:
        if whole.busy != busy:
            self.live.record(whole, "busy", whole.busy, busy)
            whole.busy = busy
            self.live.notify(whole, "busy")

    def show_notice(self, notice: Notice | None) -> None:
        """Shows *notice* in place of the one on show; None takes that one away."""
        self.live.queue.cancel(self._notice_ends)
        self._notice_ends = None
        self._set("notice", notice)
        if notice is not None and notice.lasts is not None:
            end = self.live.now + notice.lasts
            self._notice_ends = self.live.queue.at(end, lambda: self.show_notice(None), "the notice", waited=False)

    # the attempt
    def is_repeat(self, whole: FormCell) -> bool:
        """Whether a press now is a second one: the form is busy, or was pressed at this instant by the act before."""
        return whole.busy or self.last_press == (self.live.now, self.live.acts - 1)

    def ignore(self, whole: FormCell) -> None:
        """Records a press that is ignored."""
        if not whole.busy:
            self.last_press = (self.live.now, self.live.acts)
        self.live.record(whole, "ignored press", None, None)

    def press(self, whole: FormCell, button: Any) -> None:
        """A button that takes a press is pressed: an attempt to submit, or a second press, which is ignored."""
        if self.is_repeat(whole):
            self.ignore(whole)
        else:
            self.attempt(whole, button)

    def attempt(self, whole: FormCell, button: Any) -> None:
        """A person's attempt to submit: everything is touched and reported, then refused, put off, or sent."""
        live = self.live
        live.record(whole, "submitted", whole.attempts, whole.attempts + 1)
        whole.attempts += 1
        live.notify(whole, "submitted")
        self.show_notice(None)
        self._drop_server(whole)
        for cell in leaves(whole):
            if cell.active and cell.plan.kind != "hidden":
                cut(live, cell)
                set_touched(live, cell)
            if cell.plan.native is not None:
                commit(live, cell)
        drain(live)
        page = whole.plan.form.model.page
        if page is not None and not page.validates(button):
            self.send(whole, button)
            return
        for cell in leaves(whole):
            if cell.plan.lookups:
                live.lookups.begin_attempt(cell)
        for cell in list(everything(whole)):
            if cell.active and cell.plan.checks:
                cell.has_reported = True
                report(live, cell)
            elif cell.active:
                moment(live, cell, SUBMIT)
        for cell in leaves(whole):
            if cell.plan.lookups:
                live.lookups.attempted(cell)
        drain(live)
        self._decide(whole, button)

    def _drop_server(self, whole: FormCell) -> None:
        for cell in list(self.live.server_said):
            if whole_of(cell) is whole:
                drop_server(self.live, cell)

    def _decide(self, whole: FormCell, button: Any) -> None:
        validity = validity_of(whole)
        if validity == INVALID or any(is_lost(cell) for cell in leaves(whole)):
            self._set_busy(whole, False)
            self._set("outcome", "refused")
            focus_first_invalid(self.live, whole)
        elif validity == PENDING:
            self.deciding = (whole, button)
            self._set_busy(whole, True)
            self._set("outcome", "waiting")
        else:
            self._set_busy(whole, False)
            self.send(whole, button)

    def lookups_moved(self) -> None:
        """A lookup has answered: a submission that waited for it may be decided."""
        if self.deciding is None:
            return
        whole, button = self.deciding
        validity = validity_of(whole)
        if validity == PENDING:
            return
        if validity != INVALID:
            for cell in leaves(whole):
                if cell.plan.lookups:
                    self.live.lookups.attempted(cell)
            if validity_of(whole) == PENDING:
                return
        self.deciding = None
        self._decide(whole, button)

    # the request
    def send(self, whole: FormCell, button: Any) -> None:
        """Sends what *whole* holds now and waits for the answer."""
        # Loaded with the first request: most scenarios send none, and starting up is part of every run.
        from ..world.request import request_of
        from ..world.server import answer

        live = self.live
        form = whole.plan.form.model
        sent = request_of(whole, button)
        if sent.method == "DIALOG":
            from .pages import close_dialog

            close_dialog(live, form.page)
            return
        live.record(None, "request", len(self.requests), f"{sent.method} {sent.target} {sent.body}".rstrip())
        self.requests.append(sent)
        self.last_press = (live.now, live.acts)
        self._set_busy(whole, True)
        self._set("outcome", "waiting")
        before = live.view
        if not form.panel and (form.submit.while_busy == "replaced" or "waiting" in form.views):
            live.set_view("waiting")
        rows_as_sent = {cell: tuple(cell.parts) for cell in everything(whole) if isinstance(cell, ListCell)}
        found = self.scripted.popleft() if self.scripted else None
        if found is None:
            found = answer(live, form, sent.values)
        if found.kind == "nothing":
            return
        takes = form.server.takes if found.takes is None else found.takes
        reply = found
        event = live.queue.at(
            live.now + takes, lambda: self._arrive(whole, sent, reply, rows_as_sent, before), f"the answer to {sent.method} {sent.target}"
        )
        self.under_way.append(event)
        drain(live)

    # the answer
    def _arrive(self, whole: FormCell, sent: Sent, reply: Answer, rows: dict[Any, tuple[RowCell, ...]], view: str) -> None:
        live = self.live
        self._set_busy(whole, False)
        if reply.kind == "failure":
            outcome = "lost"
        else:
            outcome = "accepted" if reply.status < 400 else "rejected"
        if whole.plan.form.model.page is not None and outcome != "lost":
            self._set("location", sent.target)
        live.record(None, "answer", f"{sent.method} {sent.target}", outcome if outcome == "lost" else reply.status)
        self._set("outcome", outcome)
        after = whole.plan.form.model.after.get(outcome, After())
        if live.view == "waiting" or not after.view:
            live.set_view(view)
        if outcome == "accepted":
            self._accepted(whole, sent, reply, after)
        elif outcome == "rejected":
            self._values(whole, after)
            self._errors(whole, reply, rows)
        else:
            self._values(whole, after)
        if after.view:
            live.set_view(after.view)
        notice = reply.notice if reply.notice is not None else after.notice
        if notice is not None:
            self.show_notice(notice)
        drain(live)

    def _accepted(self, whole: FormCell, sent: Sent, reply: Answer, after: After) -> None:
        live = self.live
        form = whole.plan.form.model
        if form.panel:
            give(live, whole)
        else:
            self._set("record", reply.record if reply.has_record else sent.values)
        if reply.to:
            self._set("location", reply.to)
        self._values(whole, after)

    def _values(self, whole: FormCell, after: After) -> None:
        live = self.live
        if not whole.open:
            return
        if after.values == "initial":
            reset_form(live, whole)
        elif after.values == "blank":
            blank_form(live, whole)
        elif self.outcome == "accepted":
            keep_as_initial(live, whole)
        for address in after.forget:
            for cell in find_cells(whole, address, {}):
                set_back(live, cell)
        drain(live)

    def _errors(self, whole: FormCell, reply: Answer, rows: dict[Any, tuple[RowCell, ...]]) -> None:
        for address, texts in reply.errors:
            if not texts:
                continue
            found = find_cells(whole, address, rows)
            if found is GONE:
                self.live.record(None, "dropped error", address, texts)
                continue
            for cell in found or [whole]:
                say_server(self.live, cell, texts)


GONE: Any = ("the row is gone",)


def find_cells(whole: FormCell, address: str, rows: dict[Any, tuple[RowCell, ...]]) -> Any:
    """The cells *address* names, rows counted as in *rows* where they stand there; [] where nobody has it.

    `GONE` where the row it means has been removed since.
    """
    if whole.plan.form.model.page is not None and (of_page := called(whole.plan.form.model.shape, address)) is not None:
        return [p for p in whole.parts if p.plan.field.name == of_page]
    segments = parse_address(address) if address else ()
    if segments is None or not segments:
        return []
    name = whole.plan.form.name
    if name and segments[0] == name:
        segments = segments[1:]
    found: list[Any] = [whole]
    for segment in segments:
        following: list[Any] = []
        for cell in found:
            if isinstance(cell, FieldCell):
                return []
            if isinstance(cell, ListCell):
                parts = rows.get(cell, cell.parts)
                if segment == "*":
                    following.extend(cell.parts)
                    continue
                if not isinstance(segment, int) or not -len(parts) <= segment < len(parts):
                    return []
                if parts[segment] not in cell.parts:
                    return GONE
                following.append(parts[segment])
            else:
                following.extend(p for p in cell.parts if p.plan.field.name == segment)
        found = following
    return found


