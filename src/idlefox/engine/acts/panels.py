"""Panels: separate forms in dialogs, and the values that an accepted panel passes to its form."""

from __future__ import annotations

from ...forms.values.values import as_text, equal
from ...refusals import Refusal
from ..judge.lists import propagate, put_in
from ..judge.make import make_form
from ..judge.questions import cancel_questions
from ..state.cells import FieldCell, FormCell, ListCell, everything, is_inside, value_of
from ..state.form_state import FormState
from ..state.journal import snapshot_of
from .buttons import OTHER
from .enter import enter_object
from .focus import focus_button
from .refused import StepRefused


def step_open(live: FormState, name: str) -> None:
    """Open the panel: a fresh form in a dialog."""
    known = live.roots_by_panel[name]
    if live.away:
        raise StepRefused(Refusal("left", f"the panel {name}", "open"))
    if known.open:
        raise StepRefused(Refusal("panel open", f"the panel {name}", "open", {"panel": name}), known)
    focus_button(live, OTHER)
    for cell in everything(known):
        live.drop(cell)
        if isinstance(cell, FieldCell):
            cancel_questions(live, cell)
    form = make_form(live, live.plan.panels[name], None)
    live.note(form, "opened", None, snapshot_of(form))


def step_close(live: FormState, name: str) -> None:
    """Close the panel and discard its values."""
    form = live.roots_by_panel[name]
    if not form.open:
        raise StepRefused(Refusal("panel closed", f"the panel {name}", "close", {"panel": name}))
    close(live, form)


def close(live: FormState, form: FormCell) -> None:
    """Take the panel off the page."""
    if is_inside(live.focus, form):
        live.set_focus(None)
    live.put_form(form, "open", False)


def give(live: FormState, form: FormCell) -> None:
    """Apply an accepted panel: add an option to a choice or a row to a list, and close the panel."""
    gives = form.plan.form.model.gives
    values = value_of(form)
    close(live, form)
    if gives is None:
        return
    target = live.cells_by_slot[live.plan.paths[gives.to].index]
    if gives.kind == "row" and isinstance(target, ListCell):
        row = put_in(live, target, len(target.parts))
        propagate(live)
        enter_object(live, row, {k: v for k, v in values.items() if any(p.plan.field.name == k for p in row.parts)})
        return
    value, label = values.get(gives.value), as_text(values.get(gives.label))
    known = live.given_options.get(gives.to, ())
    if not any(equal(v, value) for v, _ in known):
        live.put("given_options", {**live.given_options, gives.to: (*known, (value, label))})
