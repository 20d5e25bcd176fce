"""Named keys, and the order in which the focus goes: Tab, arrows, Enter, the first control that is wrong."""

from __future__ import annotations

from ...forms.values.values import equal
from ..judge.breaks import is_lost
from ..judge.choices import offered
from ..plan.controls import TYPED
from ..state.cells import FieldCell, FormCell, leaves
from ..state.live import Live
from .hands import blur, focus, label, person_changes, press_key, step_erase, step_set, step_turn
from .pages import first_invalid, tab
from .sight import controls_of, need_reach
from .stepping import stepped


def focus_first_invalid(live: Live, whole: FormCell) -> None:
    """After a refused attempt: the first invalid control in form order gets the focus."""
    if whole.plan.form.model.page is not None:
        first = first_invalid(live, whole)
    else:
        first = next((c for c in leaves(whole) if c.active and (c.broken or is_lost(c))), None)
    if first is not None:
        if live.focus is not first:
            live.set_focus(None)
        focus(live, first)


def step_press(live: Live, key: str, cell: FieldCell | None) -> str:
    """Presses a named key. Returns "submit" where that submits the form, "close" where it closes a panel."""
    if cell is not None:
        need_reach(live, cell, f"pressing {key} in", change=False)
        focus(live, cell)
    here = live.focus
    if key in ("Tab", "Shift+Tab"):
        _tab(live, -1 if key == "Shift+Tab" else 1)
        return ""
    if key == "Escape":
        return "close"
    if here is None:
        return "submit" if live.on_button and key in ("Enter", "Space") else ""
    return _key_in(live, here, key)


def _key_in(live: Live, here: FieldCell, key: str) -> str:
    kind = here.plan.kind
    if key == "Enter":
        # HTML, "Implicit submission": from a control that is not a place to type lines in.
        if kind == "textarea":
            need_reach(live, here, "typing into")
            press_key(live, here, "\n")
            return ""
        return "" if kind in ("select", "file") else "submit"
    if here.readonly:
        return ""
    if key == "Backspace" and kind in TYPED:
        step_erase(live, here, 1)
    elif key == "Space" and kind == "checkbox" and not here.plan.field.many:
        step_turn(live, here, None)
    elif key == "Space" and kind in TYPED:
        press_key(live, here, " ")
    elif key == "Space" and kind == "radio" and here.value is None:
        _arrow(live, here, 1)
    elif key.startswith("Arrow"):
        _arrow(live, here, 1 if key in ("ArrowDown", "ArrowRight") else -1, key)
    return ""


def _arrow(live: Live, here: FieldCell, by: int, key: str = "") -> None:
    """Arrows move through radio buttons (round) and options (to the end), and step numbers and sliders."""
    kind = here.plan.kind
    if kind in ("radio", "select") and not here.plan.field.many:
        options = [o.value for o in offered(here) if o.enabled]
        if not options:
            return
        at = next((i for i, v in enumerate(options) if equal(v, here.value)), None)
        if at is None:
            at = 0 if by > 0 else len(options) - 1
        elif kind == "radio":
            at = (at + by) % len(options)
        else:
            at = min(max(at + by, 0), len(options) - 1)
        person_changes(live, here, label(options[at]), options[at], False)
    elif kind in ("number", "range"):
        if kind == "number" and key in ("ArrowLeft", "ArrowRight"):
            return  # they move the caret
        value = stepped(here, 1 if key in ("ArrowUp", "ArrowRight") else -1)
        if value is not None:
            step_set(live, here, value)


def _tab(live: Live, by: int) -> None:
    """Moves to the next control in form order; behind the last stands the submit button."""
    whole = _whole_with_focus(live)
    if whole.plan.form.model.page is not None:
        tab(live, whole, by)
        return
    controls = controls_of(live, whole)
    here = live.focus
    at = next((i for i, c in enumerate(controls) if c is here), None)
    if at is None:
        following = (0 if not live.on_button else len(controls) + 1) if by > 0 else len(controls) - 1
    else:
        following = at + by
    if 0 <= following < len(controls):
        focus(live, controls[following])
    else:
        blur(live)
        live.on_button = following == len(controls)


def _whole_with_focus(live: Live) -> FormCell:
    each = live.focus
    if each is None:
        opened = [w for name, w in live.wholes.items() if name and w.open]
        return opened[-1] if opened else live.root
    while each.up is not None:
        each = each.up
    return each  # type: ignore[no-any-return]
