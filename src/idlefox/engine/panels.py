"""Panels: forms of their own in a dialog, and what an accepted one gives to the form behind it."""

from __future__ import annotations

from typing import Any

from ..forms.values import as_text, equal
from .build import open_form
from .cells import Leaf, Rows, Whole, everything, value_of
from .enter import enter_object
from .hands import press_button
from .live import Live
from .rows import put_in
from .sight import Cannot


def panel_of(live: Live, name: str) -> Whole:
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


def close(live: Live, whole: Whole) -> None:
    """Takes the panel off the page."""
    each: Any = live.focus
    while each is not None and each is not whole:
        each = each.up
    if each is whole:
        live.set_focus(None)
    live.record(whole, "open", True, False)
    whole.open = False


def drop_form(live: Live, whole: Whole) -> None:
    """Forgets all that the session still knows of the cells of *whole*."""
    for cell in everything(whole):
        live.reporting.pop(cell, None)
        live.server_said.pop(cell, None)
        live.restructured.pop(cell, None)
        live.followers.pop(cell, None)
        if type(cell) is Leaf and cell.asks:
            live.lookups.cancel(cell)


def give(live: Live, whole: Whole) -> None:
    """What an accepted panel gives: an option of a choice, or a row of a list. The panel closes."""
    gives = whole.plan.form.form.gives
    values = value_of(whole)
    close(live, whole)
    if gives is None:
        return
    target = live.statics[live.plan.paths[gives.to].index]
    if gives.kind == "row" and isinstance(target, Rows):
        row = put_in(live, target, len(target.parts))
        enter_object(live, row, {k: v for k, v in values.items() if any(p.plan.field.name == k for p in row.parts)})
        return
    value, label = values.get(gives.value), as_text(values.get(gives.label))
    known = live.given_options.setdefault(gives.to, [])
    if not any(equal(v, value) for v, _ in known):
        live.record(target, "options", None, value)
        known.append((value, label))
