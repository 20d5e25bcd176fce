"""Panels: forms of their own in a dialog, and what an accepted one gives to the form behind it."""

from __future__ import annotations

from typing import Any

from ...forms.values.values import as_text, equal
from ..judge.make import open_form
from ..state.cells import FieldCell, FormCell, ListCell, everything, value_of
from ..state.live import Live
from .enter import enter_object
from .hands import press_button
from .rows import put_in
from .sight import Cannot


def panel_of(live: Live, name: str) -> FormCell:
    """The panel *name*, closed if nobody has opened it yet."""
    whole = live.wholes.get(name)
    if whole is None:
        whole = open_form(live, live.plan.panels[name], None)
        whole.open = False
    return whole


def step_open(live: Live, name: str) -> None:
    """Opens the panel: a fresh form in a dialog."""
    if live.away:
        raise Cannot(f"the panel {name} cannot be opened: the page has been left")
    known = live.wholes.get(name)
    if known is not None and known.open:
        raise Cannot(f"the panel {name} is open already", known)
    press_button(live)
    if known is not None:
        drop_form(live, known)
    whole = open_form(live, live.plan.panels[name], None)
    live.record(whole, "open", False, True)


def step_close(live: Live, name: str) -> None:
    """Closes the panel; what was entered is gone."""
    whole = live.wholes.get(name)
    if whole is None or not whole.open:
        raise Cannot(f"the panel {name} is not open")
    close(live, whole)


def close(live: Live, whole: FormCell) -> None:
    """Takes the panel off the page."""
    each: Any = live.focus
    while each is not None and each is not whole:
        each = each.up
    if each is whole:
        live.set_focus(None)
    live.record(whole, "open", True, False)
    whole.open = False


def drop_form(live: Live, whole: FormCell) -> None:
    """Forgets all that the session still knows of the cells of *whole*."""
    for cell in everything(whole):
        live.reporting.pop(cell, None)
        live.server_said.pop(cell, None)
        live.restructured.pop(cell, None)
        live.followers.pop(cell, None)
        if type(cell) is FieldCell and cell.questions:
            live.lookups.cancel(cell)


def give(live: Live, whole: FormCell) -> None:
    """What an accepted panel gives: an option of a choice, or a row of a list. The panel closes."""
    gives = whole.plan.form.model.gives
    values = value_of(whole)
    close(live, whole)
    if gives is None:
        return
    target = live.statics[live.plan.paths[gives.to].index]
    if gives.kind == "row" and isinstance(target, ListCell):
        row = put_in(live, target, len(target.parts))
        enter_object(live, row, {k: v for k, v in values.items() if any(p.plan.field.name == k for p in row.parts)})
        return
    value, label = values.get(gives.value), as_text(values.get(gives.label))
    known = live.given_options.setdefault(gives.to, [])
    if not any(equal(v, value) for v, _ in known):
        live.record(target, "options", None, value)
        known.append((value, label))
