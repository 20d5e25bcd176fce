"""Submitting a form: the press, the attempt, the decision, the request (HTML, "form submission algorithm").

`arrival` handles the answer.
"""

from __future__ import annotations

from typing import Any

from ...forms.model.form import Notice
from ..judge.breaks import is_lost
from ..judge.change import commit, set_touched
from ..judge.lists import propagate
from ..judge.propagation import cut
from ..judge.questions import ask
from ..judge.timing import at_moment, drop_server, first_report, report
from ..plan.plans import NEVER, SUBMIT, ButtonPlan
from ..state.cells import ASKING, INVALID, FormCell, ListCell, everything, form_of, leaves, validity_of
from ..state.form_state import FormState
from .focus import focus_first_invalid
from .form_kind import form_kind_of


def show_notice(live: FormState, notice: Notice | None) -> None:
    """Show *notice* in place of the one on show; None takes that one away."""
    live.queue.cancel(live.notice_ends)
    live.notice_ends = None
    live.put("notice", notice)
    if notice is not None and notice.lasts is not None and not live.plan.faults.notice_stays:
        live.notice_ends = live.queue.at(live.now + notice.lasts, "notice", "the notice", waited=False)


# the press
def is_repeat(live: FormState, form: FormCell) -> bool:
    """Return whether a press now is a second one: the form is busy, or was pressed at this instant by the act before."""
    return not live.plan.faults.second_press and (form.busy or pressed_just_now(live))


def pressed_just_now(live: FormState) -> bool:
    """Return whether the act before this one, at this very instant, has sent a request."""
    return live.last_press == (live.now, live.acts - 1)


def ignore_press(live: FormState, form: FormCell) -> None:
    """Records a press that is ignored."""
    if not form.busy:
        live.last_press = (live.now, live.acts)
    live.note(form, "ignored press", None, None)


def press(live: FormState, form: FormCell, button: ButtonPlan | None) -> None:
    """A button that takes a press is pressed: an attempt to submit, or a second press, which is ignored."""
    if is_repeat(live, form):
        ignore_press(live, form)
    elif button is not None and button.past_checks:
        send(live, form, button)
    else:
        attempt(live, form, button)


def attempt(live: FormState, form: FormCell, button: ButtonPlan | None) -> None:
    """A person's attempt to submit: everything is touched and reported, then refused, put off, or sent."""
    live.put_form(form, "attempts", form.attempts + 1)
    show_notice(live, None)
    for cell in list(live.server_said):
        if form_of(cell) is form:
            drop_server(live, cell)
    _touch_all(live, form)
    validates = button.validates if button is not None else form.plan.form.validates
    if not validates:
        send(live, form, button)
        return
    fields = [cell for cell in leaves(form) if cell.plan.lookups]
    for cell in fields:
        for question in (cell.questions or {}).values():
            question.lost = False  # repeat the lookups that failed in the last attempt
    _report_all(live, form)
    for cell in fields:
        ask(live, cell, SUBMIT)
    propagate(live)
    _decide(live, form, button)


def _report_all(live: FormState, form: FormCell) -> None:
    for cell in list(everything(form)):
        if cell.active and cell.plan.checks:
            first_report(live, cell)
            report(live, cell)
        elif cell.active:
            at_moment(live, cell, SUBMIT)


def _touch_all(live: FormState, form: FormCell) -> None:
    for cell in leaves(form):
        if cell.active and cell.plan.kind != "hidden":
            cut(live, cell)
            set_touched(live, cell)
        if cell.plan.commits != NEVER:
            commit(live, cell)
    propagate(live)


# the decision
def _decide(live: FormState, form: FormCell, button: ButtonPlan | None) -> None:
    validity = validity_of(form)
    if validity == INVALID or any(is_lost(cell) for cell in leaves(form)):
        live.put_form(form, "busy", False)
        live.put("outcome", "refused")
        focus_first_invalid(live, form)
    elif validity == ASKING and not live.plan.faults.sends_while_asking:
        live.deciding = (form, button)
        live.put_form(form, "busy", True)
        live.put("outcome", "waiting")
    else:
        live.put_form(form, "busy", False)
        send(live, form, button)


def decide_waiting(live: FormState) -> None:
    """Decide a waiting submission if possible, after a lookup has answered or its value has changed."""
    if live.deciding is None:
        return
    form, button = live.deciding
    validity = validity_of(form)
    if validity == ASKING:
        return
    if validity != INVALID:
        for cell in leaves(form):
            if cell.plan.lookups:
                ask(live, cell, SUBMIT)
        if validity_of(form) == ASKING:
            return
    live.deciding = None
    if validity == INVALID:  # including values entered meanwhile
        _touch_all(live, form)
        _report_all(live, form)
        propagate(live)
    _decide(live, form, button)


# the request
def send(live: FormState, form: FormCell, button: ButtonPlan | None) -> None:
    """Send what *form* holds now; when its answer comes is settled now, too."""
    # Loaded with the first request: most scenarios send none, and starting up is part of every run.
    from ..world.server import answer

    model = form.plan.form.model
    sent = form_kind_of(form).request(form, button)
    if sent.method == "DIALOG":
        _close_dialog(live, form)
        return
    if not sent.method:
        live.warn(form, "the action is not a valid URL: nothing is sent")
        return
    live.note(None, "request", len(live.requests), f"{sent.method} {sent.target} {sent.body}".rstrip())
    number = len(live.requests)
    live.requests.append(sent)
    live.last_press = (live.now, live.acts)
    live.put_form(form, "busy", True)
    live.put("outcome", "waiting")
    view = live.view
    if not model.panel and (model.submit.while_busy == "replaced" or "waiting" in model.views):
        live.put("view", "waiting")
    reply = live.scripted_replies.popleft() if live.scripted_replies else answer(live, form.plan.form, sent.values)
    if reply.kind == "nothing":
        return
    takes = model.server.takes if reply.takes is None else reply.takes
    data = (number, reply, rows_now(form), view)
    live.queue.at(live.now + takes, "reply", f"the answer to {sent.method} {sent.target}", None, None, (model.panel, *data))
    propagate(live)


def rows_now(form: FormCell) -> dict[str, tuple[int, ...]]:
    """Which rows each list of *form* has now, all by their keys and identities."""
    return {cell.key: tuple(row.id for row in cell.parts) for cell in everything(form) if isinstance(cell, ListCell)}


def _close_dialog(live: FormState, form: FormCell) -> None:
    """HTML, "Form submission algorithm", method dialog: the dialog closes, and nothing is sent."""
    page: Any = form.plan.form.model.page
    if page.dialog:
        live.note(None, "dialog closed", None, None)
        live.put("view", "done")
