"""Named keys: what Tab, Enter, Escape, Space, Backspace and the arrows do where the focus is."""

from __future__ import annotations

from ...forms.values.values import same_choice
from ...forms.values.whatwg import DATE_KINDS
from ..judge.choices import offered
from ..plan.controls import TYPED
from ..plan.plans import ButtonPlan
from ..state.cells import FieldCell, FormCell, form_of
from ..state.form_state import FormState
from .attempt import press
from .buttons import button_enabled, button_visible
from .focus import focus, tab
from .form_kind import form_kind_of
from .hands import chosen_text, person_changes, press_keys, step_erase, step_set, step_turn
from .panels import close
from .reset import press_reset
from .sight import need_reach
from .stepping import stepped

# Where Enter opens or confirms a picker: in browsers these submit no form.
_NO_ENTER = {"select", "file", "color"}


def step_press(live: FormState, cell: FieldCell | None, key: str) -> None:
    """Press a named key, in *cell* or where the focus is."""
    if cell is not None:
        need_reach(live, cell, f"pressing {key} in", change=False)
        focus(live, cell)
    if key in ("Tab", "Shift+Tab"):
        tab(live, -1 if key == "Shift+Tab" else 1)
    elif key == "Escape":
        opened = [form for name, form in live.roots_by_panel.items() if name and form.open]
        if opened:
            close(live, opened[-1])
    elif live.focus is not None:
        _key_in(live, live.focus, key)
    elif key in ("Enter", "Space"):
        _press_focused_button(live)


def _press_focused_button(live: FormState) -> None:
    """Enter and Space on the button that has the focus."""
    button = live.on_button
    if button is None:
        return
    if button.press == "reset":
        press_reset(live, live.root)
    elif button.press == "submit":
        form = next((f for f in live.roots_by_panel.values() if _has(f, button)), live.root)
        if button_visible(live, form, button) and button_enabled(form, button):
            press(live, form, button)


def _has(form: FormCell, button: ButtonPlan) -> bool:
    return form.plan.form.submit is button or button in form.plan.form.buttons.values()


def _enter(live: FormState, here: FieldCell) -> None:
    """HTML, "Implicit submission": by the default button."""
    form = form_of(here)
    if form_kind_of(form).enters(live, form, here):
        press(live, form, form.plan.form.submit)


def _key_in(live: FormState, here: FieldCell, key: str) -> None:
    kind = here.plan.kind
    if key == "Enter":
        # HTML, "Implicit submission": only from single-line controls.
        if kind == "textarea":
            need_reach(live, here, "typing into")
            press_keys(live, here, "\n")
        elif kind not in _NO_ENTER:
            _enter(live, here)
    elif here.readonly:
        return
    elif key == "Backspace" and kind in TYPED:
        step_erase(live, here, 1)
    elif key == "Space":
        _space(live, here, kind)
    elif key.startswith("Arrow"):
        _arrow(live, here, 1 if key in ("ArrowDown", "ArrowRight") else -1, key)


def _space(live: FormState, here: FieldCell, kind: str) -> None:
    if kind == "checkbox" and not here.plan.field.many:
        step_turn(live, here, None)
    elif kind in TYPED and kind not in DATE_KINDS:
        press_keys(live, here, " ")
    elif kind == "radio" and here.value is None:
        first = next((o.value for o in offered(here) if o.enabled), None)
        if first is not None:
            person_changes(live, here, chosen_text(first), first, False)


def _arrow(live: FormState, here: FieldCell, by: int, key: str) -> None:
    """Arrows move through choices, and step numbers and sliders."""
    kind = here.plan.kind
    if kind in ("radio", "select") and not here.plan.field.many:
        _next_choice(live, here, by)
    elif kind in ("number", "range"):
        if kind == "number" and key in ("ArrowLeft", "ArrowRight"):
            return  # they move the caret
        value = stepped(here, 1 if key in ("ArrowUp", "ArrowRight") else -1)
        if value is not None and value != here.value:
            step_set(live, here, value)


def _next_choice(live: FormState, here: FieldCell, by: int) -> None:
    """Through radio buttons round, through the options of a select to the end."""
    options = [o.value for o in offered(here) if o.enabled]
    if not options:
        return
    at = next((i for i, v in enumerate(options) if same_choice(v, here.value)), None)
    if at is None and here.plan.kind == "radio":
        at = min(1, len(options) - 1) if by > 0 else len(options) - 1  # as browsers have it: the focus was on the first one
    elif at is None:
        at = 0 if by > 0 else len(options) - 1
    elif here.plan.kind == "radio":
        at = (at + by) % len(options)
    else:
        at = min(max(at + by, 0), len(options) - 1)
    person_changes(live, here, chosen_text(options[at]), options[at], False)
