"""What a person can see and reach now: views, open panels, a form that is locked while busy, buttons.

Distinct from a field's own `visible` and `enabled`, which rules and payload follow (`fine-print.md`, 34).
"""

from __future__ import annotations

from typing import Any

from ...forms.names.addresses import called, parse_address
from ..state.cells import FieldCell, FormCell, leaves
from ..state.live import Live


class Cannot(Exception):
    """A step that a person could not take, and why. *see* is the cell whose state explains it."""

    def __init__(self, reason: str, see: Any = None) -> None:
        super().__init__(reason)
        self.reason = reason
        self.see = see


def whole_of(cell: Any) -> FormCell:
    """The form or panel that *cell* belongs to."""
    while cell.up is not None:
        cell = cell.up
    return cell  # type: ignore[no-any-return]


def view_shows(live: Live, cell: Any) -> bool:
    """Whether the present view has *cell* in it."""
    views = live.form.views
    if live.view not in views:
        return live.view == "editing"
    path = cell.plan.path
    for address in views[live.view]:
        if cell.plan.native is not None:
            if called(live.form.shape, address) == path[0]:
                return True
            continue
        wanted = tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ())
        if path[: len(wanted)] == wanted or wanted[: len(path)] == path:
            return True
    return False


def hidden_by(live: Live, cell: Any) -> str:
    """Why a person cannot see *cell*; "" where they can."""
    if live.away:
        return "the page has been left"
    whole = whole_of(cell)
    name = whole.plan.form.name
    if name and not whole.open:
        return f"the panel {name} is not open"
    each = cell
    culprit = None
    while each is not None:
        if not each.own_visible:
            culprit = each
        each = each.up
    if culprit is not None:
        return f"{_as_named(culprit, cell)} is hidden: its condition `visible: {culprit.plan.field.visible.text}` does not hold"
    if cell.plan.kind == "hidden":
        return "a field of type hidden is never on the page"
    if cell.plan.native is not None and cell.plan.native.hidden:
        return str(cell.plan.native.hidden)
    if not name and not view_shows(live, cell):
        return f"the view {live.view} does not show it"
    return ""


def disabled_by(live: Live, cell: Any) -> str:
    """Why *cell* takes no input; "" where it does."""
    each = cell
    culprit = None
    while each is not None:
        if not each.own_enabled:
            culprit = each
        each = each.up
    if culprit is not None and culprit.plan.native is not None and culprit.plan.native.disabled:
        return str(culprit.plan.native.disabled)
    if culprit is not None:
        return f"{_as_named(culprit, cell)} is disabled: its condition `enabled: {culprit.plan.field.enabled.text}` does not hold"
    if is_locked(cell):
        return "the form is busy, and locked while it is"
    return ""


def readonly_by(cell: Any) -> str:
    """Why *cell* cannot be changed although it is enabled; "" where it can."""
    each = cell
    while each is not None:
        if each.own_readonly and each.plan.native is not None and each.plan.native.fixed:
            return "it has the attribute readonly"
        if each.own_readonly:
            return f"{_as_named(each, cell)} is read-only: its condition `readonly: {each.plan.field.readonly.text}` holds"
        each = each.up
    return ""


def _as_named(culprit: Any, cell: Any) -> str:
    return "it" if culprit is cell else f"{culprit.address()}, around it,"


def is_locked(cell: Any) -> bool:
    """Whether *cell*'s form is busy and locks its controls meanwhile."""
    whole = whole_of(cell)
    return whole.busy and whole.plan.form.model.submit.while_busy == "locked"


def is_visible(live: Live, cell: Any) -> bool:
    """Whether a person sees *cell* now."""
    return not hidden_by(live, cell)


def is_enabled(live: Live, cell: Any) -> bool:
    """Whether *cell* takes input as far as its own conditions and a busy form go."""
    return bool(cell.enabled) and not is_locked(cell)


def need_reach(live: Live, cell: Any, doing: str, *, change: bool = True) -> None:
    """Raises Cannot unless a person can act on *cell* now."""
    reason = hidden_by(live, cell)
    if not reason:
        reason = disabled_by(live, cell)
    if not reason and change:
        reason = readonly_by(cell)
    if reason:
        raise Cannot(f"{doing} {cell.address()} is not possible: {reason}", cell)


def controls_of(live: Live, whole: FormCell) -> list[FieldCell]:
    """The controls a person can reach with Tab, in form order."""
    return [c for c in leaves(whole) if c.plan.kind != "hidden" and is_visible(live, c) and is_enabled(live, c)]
