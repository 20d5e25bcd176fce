"""Questions to lookups: when they are asked, sent and cancelled.

A question belongs to a cell and to the value it was asked about. `world.lookups` handles the answers.
"""

from __future__ import annotations

from typing import Any

from ...forms.values.values import equal, is_empty
from ...records import NamedTuple
from ..plan.plans import SUBMIT, CheckPlan, LookupPlan
from ..state.cells import FieldCell, Question, judged_value
from ..state.form_state import FormState
from .breaks import set_status
from .rules import twin_key


class LookupAnswer(NamedTuple):
    """An answer: *kind* is accept, refuse, failure or nothing. *after* None: as long as the lookup takes."""

    kind: str
    message: str = ""
    after: int | None = None


def ask(live: FormState, cell: FieldCell, moment: int) -> None:
    """Ask the lookups of *cell* that start at *moment*.

    An attempt to submit starts all lookups not yet started, and repeats those that failed before it.
    """
    if not cell.active or cell.broken or cell.bad_input:
        return
    value = judged_value(cell)
    if is_empty(value):
        return
    for check in cell.plan.lookups:
        starts = check.start == moment or moment == SUBMIT
        if starts and (check.when is None or check.when(cell, None) is True):
            _begin(live, cell, check, value, insist=moment == SUBMIT)
    set_status(live, cell)


def _begin(live: FormState, cell: FieldCell, check: CheckPlan, value: Any, insist: bool) -> None:
    if cell.questions is None:
        cell.questions = {}
    question = cell.questions.get(check.index)
    if question is None:
        question = cell.questions[check.index] = Question(value)
    if question.state != "unasked" or question.lost or (question.failures and not insist):
        return
    question.state = "asking"
    question.insisted = insist
    live.note(cell, "asks", "", check.lookup)
    if check.debounce and not insist:
        what = f"the debounce of lookup {check.lookup}"
        question.event = live.queue.at(live.now + check.debounce, "debounce", what, cell, question, check)
    else:
        send(live, cell, check, question)


def send(live: FormState, cell: FieldCell, check: CheckPlan, question: Question) -> None:
    """Send *question*: what will be answered, and when, is settled now."""
    lookup = live.plan.lookups[check.lookup]
    remembered = live.remembered.get((check.lookup, twin_key(question.value))) if check.remember else None
    queued = live.scripted_lookups.get(check.lookup)
    answer: LookupAnswer
    if queued:
        answer = queued.popleft()
    elif remembered is not None:
        answer = remembered._replace(after=0)
    else:
        answer = stand_in_answer(live, lookup, question.value)
    if answer.kind == "nothing":
        question.event = None
        return
    takes = lookup.model.takes if answer.after is None else answer.after
    question.event = live.queue.at(live.now + takes, "lookup", f"lookup {check.lookup}", cell, question, (check, answer))


class LookupContext:
    """The evaluation context of a lookup's expression: the value to check."""

    __slots__ = ("live", "value")

    def __init__(self, live: FormState, value: Any) -> None:
        self.live = live
        self.value = value


def stand_in_answer(live: FormState, lookup: LookupPlan, value: Any) -> LookupAnswer:
    """Return the answer of the sheet's own lookup about *value*."""
    model = lookup.model
    if model.fails:
        return LookupAnswer("failure")
    refused = model.refuse is not None and any(equal(value, r) for r in model.refuse)
    if model.accept is not None:
        refused = refused or not any(equal(value, a) for a in model.accept)
    if lookup.holds is not None and not refused:
        refused = lookup.holds(LookupContext(live, value), None) is False
    return LookupAnswer("refuse" if refused else "accept")


def end_questions(live: FormState, cell: FieldCell) -> None:
    """End the questions about the old value of *cell*: answers become stale and debounced questions are dropped."""
    for question in (cell.questions or {}).values():
        if question.event is not None and question.event.kind == "debounce":
            live.queue.cancel(question.event)
    cell.questions = None


def cancel_questions(live: FormState, cell: FieldCell) -> None:
    """Cancel all questions of *cell* (a reset, or its row was removed): no answer arrives."""
    for question in (cell.questions or {}).values():
        if question.event is not None:
            live.note(cell, "dropped question", question.value, None)
        live.queue.cancel(question.event)
    cell.questions = None
