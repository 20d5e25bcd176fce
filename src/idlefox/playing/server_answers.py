"""The server's answer for the step `answer submit with …`."""

from __future__ import annotations

from typing import Any

from ..engine.session.stub_server import ServerAnswer
from ..forms.model.form import Notice
from ..forms.values.durations import parse_duration
from ..script import tree


def answer_of(act: tree.Answer) -> ServerAnswer:
    """The answer that the step *act* scripts."""
    if act.kind != "status":
        return ServerAnswer(act.kind, takes=act.after)
    given = act.value if isinstance(act.value, dict) else {}
    errors = tuple((k, tuple(v) if isinstance(v, list) else (v,)) for k, v in given.get("errors", {}).items())
    notice = _notice(given.get("notice"), act.status)
    return ServerAnswer("status", act.status, errors, given.get("to", ""), notice, given.get("record"), "record" in given, act.after)


def _notice(given: Any, status: int) -> Notice | None:
    if given is None:
        return None
    kind = "success" if status < 400 else "error"
    if isinstance(given, dict):
        lasts = parse_duration(str(given["lasts"])) if "lasts" in given else None
        return Notice(given.get("text", ""), given.get("kind", kind), lasts)
    return Notice(str(given), kind, None)
