"""The elements that a person can see and reach now: views, open panels, a form locked while busy.

This is separate from a field's own `visible` and `enabled`, which rules and payload follow.
"""

from __future__ import annotations

from ...forms.expressions import Closure, deciding
from ...refusals import Refusal
from ..state.cells import Cell, FieldCell, FormCell, form_of, leaves
from ..state.form_state import FormState
from .refused import StepRefused


def view_shows(live: FormState, cell: Cell) -> bool:
    """Return whether the present view has *cell* in it."""
    if live.view not in live.form.views:
        return live.view == "editing"
    return live.view in cell.plan.views


def hidden_by(live: FormState, cell: Cell) -> Refusal | None:
    """Return why a person cannot see *cell*; None if they can."""
    if live.away:
        return Refusal("left")
    form = form_of(cell)
    panel = form.plan.form.name
    if panel and not form.open:
        return Refusal("panel closed", facts={"panel": panel})
    if not cell.visible and (culprit := _outermost(cell, "own_visible", False)) is not None:
        return _condition("hidden", culprit, cell, culprit.plan.field.visible.text)
    if cell.plan.kind == "hidden":
        return Refusal("hidden type")
    if cell.plan.facts.hidden:
        return Refusal("hidden by markup", facts={"why": cell.plan.facts.hidden})
    if not panel and not view_shows(live, cell):
        return Refusal("other view", facts={"view": live.view})
    return None


def disabled_by(cell: Cell) -> Refusal | None:
    """Return why *cell* is disabled; None if it is not."""
    culprit = _outermost(cell, "own_enabled", False) if not cell.enabled else None
    if culprit is not None:
        if culprit.plan.facts.disabled:
            return Refusal("disabled by markup", facts={"why": culprit.plan.facts.disabled})
        return _condition("disabled", culprit, cell, culprit.plan.field.enabled.text)
    return Refusal("locked") if is_locked(cell) else None


def readonly_by(cell: Cell) -> Refusal | None:
    """Return why *cell* is read-only although it is enabled; None if it is not."""
    if not cell.readonly:
        return None
    each = _innermost_fixed(cell)
    if each is None:
        return None
    if each.plan.facts.fixed:
        return Refusal("readonly by markup", facts={"why": "the attribute readonly"})
    return _condition("readonly", each, cell, each.plan.field.readonly.text)


def explained(refusal: Refusal, cell: Cell) -> Refusal:
    """*refusal* of *cell* with the parts of the condition that decided, where a condition did."""
    if refusal.kind not in _JUDGED:
        return refusal
    own, name, value = _JUDGED[refusal.kind]
    culprit = _outermost(cell, own, value) if refusal.kind != "readonly" else _innermost_fixed(cell)
    closure = getattr(culprit.plan, name) if culprit is not None else None
    return with_parts(refusal, culprit, closure, not value) if culprit is not None else refusal


def with_parts(refusal: Refusal, cell: Cell, condition: Closure | None, wanted: bool = True) -> Refusal:
    """Add to *refusal* the parts of *condition*, evaluated at *cell*, that keep it from being *wanted*."""
    part = cell.plan.form.conditions.get(condition) if condition is not None else None
    return refusal if part is None else refusal._replace(facts={**refusal.facts, "parts": deciding(part, cell, wanted)})


# Kind of refusal -> the attribute of the cell, the condition, and the value of the attribute.
_JUDGED = {
    "hidden": ("own_visible", "visible", False), "disabled": ("own_enabled", "enabled", False),
    "readonly": ("own_readonly", "readonly", True),
}  # fmt: skip


def _innermost_fixed(cell: Cell) -> Cell | None:
    each: Cell | None = cell
    while each is not None and not each.own_readonly:
        each = each.up
    return each


def _outermost(cell: Cell, attribute: str, value: bool) -> Cell | None:
    """The cell furthest out, of *cell* and all around it, whose own *attribute* is *value*."""
    found: Cell | None = None
    each: Cell | None = cell
    while each is not None:
        if getattr(each, attribute) is value:
            found = each
        each = each.up
    return found


def _condition(kind: str, culprit: Cell, cell: Cell, condition: str) -> Refusal:
    """*culprit* is "" where the condition is the cell's own."""
    return Refusal(kind, facts={"culprit": "" if culprit is cell else culprit.address(), "condition": condition})


def is_locked(cell: Cell) -> bool:
    """Return whether *cell*'s form is busy and locks its controls meanwhile."""
    form = form_of(cell)
    return form.busy and form.plan.form.model.submit.while_busy == "locked"


def is_visible(live: FormState, cell: Cell) -> bool:
    """Return whether a person sees *cell* now."""
    return hidden_by(live, cell) is None


def is_enabled(cell: Cell) -> bool:
    """Return whether *cell* takes input as far as its own conditions and a busy form go."""
    return cell.enabled and not is_locked(cell)


def need_reach(live: FormState, cell: Cell, doing: str, *, change: bool = True) -> None:
    """Raise StepRefused unless a person can act on *cell* now."""
    reason = hidden_by(live, cell) or disabled_by(cell)
    if reason is None and change:
        reason = readonly_by(cell)
    if reason is not None:
        raise StepRefused(explained(reason, cell)._replace(what=cell.address(), doing=doing), cell)


def controls_of(live: FormState, form: FormCell) -> list[FieldCell]:
    """The controls a person can reach with Tab, in form order."""
    return [c for c in leaves(form) if c.plan.kind != "hidden" and is_visible(live, c) and is_enabled(c)]
