"""Translates steps into actions of the agent, and the agent's refusals into those of steps."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.model.entering import CHOOSE, TURN, TYPE, entry_of
from ...forms.model.form import Field
from ...forms.names.shapes import write_address
from ...forms.values.values import as_text, reads_as
from ...playing.subject import verb_of
from ...refusals import Refusal
from ...script import tree
from .page_map import key_of

Act = dict[str, Any]
# WebDriver, "Keyboard actions": keys without text.
KEYS = {
    "Enter": "\ue007", "Tab": "\ue004", "Escape": "\ue00c", "Space": " ", "Backspace": "\ue003", "Delete": "\ue017", "Home": "\ue011",
    "End": "\ue010", "PageUp": "\ue00e", "PageDown": "\ue00f", "ArrowLeft": "\ue012", "ArrowUp": "\ue013", "ArrowRight": "\ue014",
    "ArrowDown": "\ue015", "Shift": "\ue008", "Control": "\ue009", "Alt": "\ue00a",
}  # fmt: skip
# The agent's word -> the kind of refusal.
_REFUSED = {
    "missing": "not on page", "hidden": "hidden on page", "disabled": "disabled on page", "readonly": "readonly on page",
    "no option": "no such option", "disabled option": "disabled option", "no add button": "no row button",
    "no remove button": "no row button", "no open button": "no panel button", "no close button": "no panel button",
    "no focus": "no focus", "cannot be set": "cannot be set", "not typed": "not typed",
    "unanswered": "unanswered", "two": "two controls", "not opened": "not opened", "only by typing": "not opened",
    "searching": "no such option",
    "not removed": "not removed", "value not reached": "value not reached", "date not entered": "date not entered",
    "covered": "covered", "moved": "moved away", "missed": "press missed",
}  # fmt: skip


def _at(step: Any) -> str:
    return key_of(step.address.segments)


def _set(step: tree.Set) -> Act:
    return {"act": "set", "address": _at(step), "value": reads_as(step.value)}


def _blur(step: tree.Blur) -> Act:
    return {"act": "blur"} if step.address is None else {"act": "blur", "address": _at(step)}


def _submit(step: tree.Submit) -> Act | None:
    if step.past_checks:
        return None
    if step.panel is not None:
        return {"act": "click", "button": {"panel": step.panel.text}}
    return {"act": "click", "button": {"named": step.button} if step.button else {}}


def _add(step: tree.Add) -> Act | None:
    return {"act": "click", "address": _at(step), "part": "add"} if not step.filled and step.at is None else None


_ACTS: dict[type, Callable[[Any], Act | None]] = {
    tree.Type: lambda s: {"act": "type", "address": _at(s), "text": s.text} if s.every is None else None,
    tree.Retype: lambda s: {"act": "type", "address": _at(s), "text": s.text, "over": True},
    tree.Paste: lambda s: {"act": "paste", "address": _at(s), "text": s.text},
    tree.Erase: lambda s: {"act": "erase", "address": _at(s), "times": s.times},
    tree.Clear: lambda s: {"act": "type", "address": _at(s), "text": "", "over": True},
    tree.Set: _set,
    tree.Pick: lambda s: {"act": "choose", "address": _at(s), "mode": s.mode, "values": [as_text(v) for v in s.values]},
    tree.Toggle: lambda s: {"act": "turn", "address": _at(s), "on": None},
    tree.Turn: lambda s: {"act": "turn", "address": _at(s), "on": s.on},
    tree.Focus: lambda s: {"act": "focus", "address": _at(s)},
    tree.Blur: _blur,
    tree.Add: _add,
    tree.Remove: lambda s: {"act": "click", "address": _at(s), "part": "remove"},
    tree.Submit: _submit,
    tree.Open: lambda s: {"act": "click", "address": s.panel.text, "part": "open"},
    tree.Reset: lambda s: {"act": "click", "button": {"kind": "reset"}},
    tree.Dismiss: lambda s: {"act": "click", "button": {"kind": "dismiss"}},
}


def act_of(step: Any) -> Act | None:
    """Return the single action for *step*; None if it needs more than one or is not an action on the page."""
    make = _ACTS.get(type(step))
    return make(step) if make is not None else None


def entering(field: Field, address: str, value: Any) -> list[Act]:
    """The acts that enter *value* in *field*, as the control wants it, and leave it. Raises WrongValue."""
    way, entered = entry_of(field, value)
    act: Act = {"address": address}
    if way == TURN:
        act |= {"act": "turn", "on": entered}
    elif way == CHOOSE:
        act |= {"act": "choose", "mode": "", "values": [as_text(each) for each in entered]}
    elif way == TYPE:
        act |= {"act": "type", "text": entered, "over": True}
    else:
        act |= {"act": "set", "value": entered}
    leaving = {"act": "blur", "address": address}
    return [act, leaving, {"act": "verify", "address": address, "value": act["value"]}] if _is_day(field, act) else [act, leaving]


def _is_day(field: Field, act: Act) -> bool:
    return bool(field.kind == "date" and act["act"] == "set" and act["value"])


def refusal_of(refused: dict[str, Any], step: Any, act: Act | None = None) -> Refusal:
    """Return the refusal of *step* for the agent's answer *refused*."""
    address = getattr(step, "address", None)
    what = (act or {}).get("address") or (write_address(address.segments) if address is not None else "")
    panel = getattr(step, "panel", None)
    if panel is not None and not what:
        what = panel.text
    if not what:
        button = getattr(step, "button", None)
        what = f"button {button!r}" if button else verb_of(step) if isinstance(step, tree.Submit | tree.Reset) else ""
    kind = _REFUSED.get(refused["kind"], "not on page")
    return Refusal(kind, what, verb_of(step), refused.get("facts") or {}, see=what if address is not None else None)
