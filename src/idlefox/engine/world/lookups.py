"""Answers of lookups, as they come. An answer that finds another value in its field is stale: recorded, and dropped."""

from __future__ import annotations

from typing import Any

from ...forms.model.messages import stock
from ...forms.values.values import is_empty
from ..judge.breaks import judge, set_status
from ..judge.lists import propagate
from ..judge.questions import LookupAnswer, send
from ..judge.rules import twin_key
from ..judge.timing import fill_message, report
from ..plan.plans import CheckPlan
from ..state.cells import FieldCell, Question, judged_value
from ..state.form_state import FormState
from ..state.queue import Event


def debounced(live: FormState, event: Event) -> None:
    """A debounce is over: the question is sent."""
    send(live, event.cell, event.data, event.question)


def arrive(live: FormState, event: Event) -> None:
    """An answer comes."""
    cell: FieldCell = event.cell
    question: Question = event.question
    asked_about = question.value
    check, answer = event.data
    if cell.questions is None or cell.questions.get(check.index) is not question:
        if not live.plan.faults.stale_answers or is_empty(judged_value(cell)):
            live.note(cell, "stale answer", question.value, f"{check.lookup}: {answer.kind}")
            return
        question = _of_now(cell, check)
    question.event = None
    if answer.kind == "failure":
        _failed(live, cell, check, question)
    else:
        live.note(cell, "answer", asked_about, f"{check.lookup}: {answer.kind}")
        _answered(live, check, question, answer)
    judge(live, cell)
    set_status(live, cell)
    propagate(live)
    if cell.has_reported and cell.active and (cell.broken or cell.reported or question.lost):
        report(live, cell)
    propagate(live)


def _of_now(cell: FieldCell, check: CheckPlan) -> Question:
    """The question about the value that is there now, whether or not anybody has asked it."""
    if cell.questions is None:
        cell.questions = {}
    return cell.questions.setdefault(check.index, Question(judged_value(cell)))


def _answered(live: FormState, check: CheckPlan, question: Question, answer: LookupAnswer) -> None:
    if check.remember:
        live.remembered[check.lookup, twin_key(question.value)] = answer
    question.state = "accepted" if answer.kind == "accept" else "refused"
    if answer.kind == "refuse":
        question.message = answer.message


def _failed(live: FormState, cell: FieldCell, check: CheckPlan, question: Question) -> None:
    live.note(cell, "lost answer", question.value, check.lookup)
    question.failures += 1
    question.state = "unasked"
    if question.insisted:
        question.lost = True
        texts: dict[str, Any] = dict(live.form.texts)
        question.message = fill_message(stock("lookup_failed", texts), cell, check.parameters)
