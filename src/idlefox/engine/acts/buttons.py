"""The submit button of a form: whether it is on show, and whether it takes a press."""

from __future__ import annotations

from ..state.cells import FormCell, leaves
from ..state.live import Live
from .pages import button_shown, find_button
from .sight import Cannot, is_visible


def button_visible(live: Live, whole: FormCell, name: str = "") -> bool:
    """Whether the submit button of *whole* is on show: where at least one of its fields is; a page's, where it is."""
    if live.away or not whole.open:
        return False
    if whole.plan.form.model.page is not None:
        return button_shown(live, whole, find_button(whole.plan.form.model.page, name))
    return any(is_visible(live, leaf) for leaf in leaves(whole))


def button_enabled(live: Live, whole: FormCell, name: str) -> bool:
    """Whether the submit button (*name* "": the form's own) takes a press."""
    form = whole.plan.form
    if form.model.page is not None:
        button = find_button(form.model.page, name)
        if button is None or button.disabled:
            return False
        name = ""
    condition = form.buttons.get(name) if name else form.enabled
    if condition is not None and condition(whole, None) is not True:
        return False
    return not (whole.busy and form.model.submit.while_busy == "locked")


def need_button(live: Live, whole: FormCell, name: str) -> None:
    """Raises Cannot unless a person can press the button."""
    form = whole.plan.form
    label = f"the button {name!r}" if name else "the submit button"
    if live.away:
        raise Cannot(f"{label} cannot be pressed: the page has been left")
    if form.name and not whole.open:
        raise Cannot(f"{label} cannot be pressed: the panel {form.name} is not open")
    if not button_visible(live, whole):
        where = f"the view {live.view} shows no field of the form" if not form.name else "nothing of the panel is on show"
        raise Cannot(f"{label} cannot be pressed: {where}")
    if not button_enabled(live, whole, name):
        condition = next((b.enabled for b in form.model.buttons if b.name == name), None) if name else form.model.submit.enabled
        if condition is not None and not (whole.busy and form.model.submit.while_busy == "locked"):
            raise Cannot(f"{label} is disabled: its condition `enabled: {condition.text}` does not hold", whole)
        raise Cannot(f"{label} is disabled: the form is busy, and locked while it is", whole)
