"""The focus, and the effects of leaving a control."""

from __future__ import annotations

from ...forms.values.values import is_empty
from ..judge.change import assign, commit, set_touched
from ..judge.lists import propagate
from ..judge.propagation import cut, derived
from ..judge.questions import ask
from ..judge.timing import at_moment
from ..plan.plans import BLUR, CHANGE, NEVER, ButtonPlan
from ..state.cells import FieldCell, FormCell, form_of
from ..state.form_state import FormState
from .form_kind import form_kind_of
from .sight import need_reach


def focus(live: FormState, cell: FieldCell) -> None:
    """Put the focus on *cell*; what had it is left first."""
    if live.focus is cell:
        return
    blur(live)
    live.set_focus(cell)
    plan = cell.plan
    if plan.derive is not None and not plan.often and is_empty(cell.value) and not cell.bad_input:
        _suggest(live, cell)
    if live.heap:
        propagate(live)


def _suggest(live: FormState, cell: FieldCell) -> None:
    """`derive` on focus fills a field that is empty."""
    raw, value, bad_input = derived(cell)
    if not is_empty(value):
        assign(live, cell, raw, value, bad_input)
        propagate(live)
        at_moment(live, cell, CHANGE)
        propagate(live)


def blur(live: FormState) -> None:
    """Leave the focused element: touched, `trim` and `case`, reports, lookups that start on blur."""
    cell = live.focus
    if cell is None:
        return
    if cell.plan.commits != NEVER and cell.edited:
        commit(live, cell)
    live.set_focus(None)
    live.left = cell
    if not cell.touched:
        set_touched(live, cell)
    if cell.plan.cut is not None:
        cut(live, cell)
    propagate(live)
    at_moment(live, cell, BLUR)
    if cell.plan.lookups:
        ask(live, cell, BLUR)
    propagate(live)


def focus_button(live: FormState, button: ButtonPlan | None) -> None:
    """Move the focus to a button and leave the focused field."""
    blur(live)
    live.set_focus(None, button)


def step_blur(live: FormState, cell: FieldCell | None) -> None:
    """The step `blur`: a control that lacks the focus is focused first."""
    if cell is None:
        if live.focus is None:
            return
    elif live.focus is not cell:
        step_focus(live, cell)
    blur(live)


def step_focus(live: FormState, cell: FieldCell) -> None:
    """Focus *cell*."""
    need_reach(live, cell, "focusing", change=False)
    focus(live, cell)


def focus_first_invalid(live: FormState, form: FormCell) -> None:
    """After a refused attempt: the first invalid control gets the focus."""
    first = form_kind_of(form).first_invalid(live, form)
    if first is not None:
        if live.focus is not first:
            live.set_focus(None)
        focus(live, first)


def tab(live: FormState, by: int) -> None:
    """Move the focus to the next stop; nothing after the last and before the first."""
    form = form_with_focus(live)
    species = form_kind_of(form)
    stops, here = species.stops(live, form), species.starting_point(live)
    at = next((i for i, stop in enumerate(stops) if stop is here), None)
    if at is None and isinstance(here, ButtonPlan):
        at = len(stops) - 1  # a button that cannot get the focus counts as the last stop
    following = (0 if by > 0 else len(stops) - 1) if at is None else at + by
    if not 0 <= following < len(stops):
        focus_button(live, None)
        return
    stop = stops[following]
    if isinstance(stop, ButtonPlan):
        focus_button(live, stop)
    else:
        focus(live, stop)


def form_with_focus(live: FormState) -> FormCell:
    """The form that has the focus; without one the panel opened last, else the main form."""
    if live.focus is not None:
        return form_of(live.focus)
    opened = [f for name, f in live.roots_by_panel.items() if name and f.open]
    return opened[-1] if opened else live.root
