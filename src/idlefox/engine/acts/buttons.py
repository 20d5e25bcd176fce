"""Buttons: which one is meant, whether it is on show, and whether it takes a press."""

from __future__ import annotations

from ...refusals import Refusal
from ..plan.plans import ButtonPlan
from ..state.cells import FormCell, leaves
from ..state.form_state import FormState
from .refused import StepRefused
from .sight import is_visible, with_parts

# Controls without a button in the plan: they add, remove and move rows, open panels, and dismiss notices.
OTHER = ButtonPlan("", "another button", press="")


def find_button(form: FormCell, name: str | int) -> ButtonPlan | None:
    """The submit button of *form* that *name* means ("": the default one, or if that is hidden, the first visible
    one; a number: that of a page's elements).
    """
    if isinstance(name, int):
        return form.plan.form.elements.get(name)
    if name:
        return form.plan.form.buttons.get(name)
    submit, elements = form.plan.form.submit, form.plan.form.elements
    if submit is not None and submit.hidden:  # the default button of a page may be there for Enter alone
        return next((button for button in elements.values() if not button.hidden), submit)
    return submit


def button_visible(live: FormState, form: FormCell, button: ButtonPlan | None) -> bool:
    """Return whether a person sees *button*: a field of its form is visible, or for a page, the button itself is."""
    if button is None or button.hidden or live.away or not form.open:
        return False
    if button.always_shown and live.view == "editing" and "editing" not in live.form.views:
        return True
    return any(is_visible(live, field) for field in leaves(form))


def button_enabled(form: FormCell, button: ButtonPlan | None) -> bool:
    """Return whether *button* takes a press, as far as its own condition and a busy form go."""
    return button is not None and _disabled_by(form, button) is None


def _disabled_by(form: FormCell, button: ButtonPlan) -> Refusal | None:
    if button.disabled:
        return Refusal("disabled by markup", facts={"why": button.disabled})
    if form.busy and form.plan.form.model.submit.while_busy == "locked":
        return Refusal("locked")
    if button.enabled is not None and button.enabled(form, None) is not True:
        return Refusal("disabled", facts={"culprit": "", "condition": button.enabled_text})
    return None


def need_button(live: FormState, form: FormCell, button: ButtonPlan | None) -> ButtonPlan:
    """*button*. Raises StepRefused unless a person can press it."""
    if button is None:
        raise StepRefused(Refusal("no submit button"))
    refusal = why_no_press(live, form, button)
    if refusal is not None:
        raise StepRefused(refusal, form if refusal.kind in ("disabled", "locked") else None)
    return button


def why_no_press(live: FormState, form: FormCell, button: ButtonPlan) -> Refusal | None:
    """Return why a person cannot press *button* now; None if they can."""
    refusal = _out_of_sight(live, form, button) or _disabled_by(form, button)
    if refusal is None:
        return None
    explained = with_parts(refusal, form, button.enabled) if refusal.kind == "disabled" else refusal
    return explained._replace(what=button.label, doing="press")


def _out_of_sight(live: FormState, form: FormCell, button: ButtonPlan) -> Refusal | None:
    panel = form.plan.form.name
    if live.away:
        return Refusal("left")
    if panel and not form.open:
        return Refusal("panel closed", facts={"panel": panel})
    if button.hidden:
        return Refusal("hidden by markup", facts={"why": button.hidden})
    if not button_visible(live, form, button):
        return Refusal("nothing of the panel") if panel else Refusal("nothing on show", facts={"view": live.view})
    return None


def need_reset(form: FormCell) -> ButtonPlan:
    """The reset control of *form*. Raises StepRefused unless a person can press it."""
    buttons = form.plan.form.reset_buttons
    if buttons is None:
        return RESET
    if not buttons:
        raise StepRefused(Refusal("no reset button"))
    button = buttons[0]
    why = button.hidden or button.disabled
    if why:
        kind = "hidden by markup" if button.hidden else "disabled by markup"
        raise StepRefused(Refusal(kind, button.label, "press", {"why": why}))
    return button


RESET = ButtonPlan("", "the reset button", press="reset")
