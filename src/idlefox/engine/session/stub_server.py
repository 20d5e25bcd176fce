"""The world of a form without the form: what its lookups and its server answer to whoever asks. For pages that ask by themselves."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from typing import Any

from ...forms.expressions import Expression, compile_expression
from ..judge.questions import LookupAnswer, stand_in_answer
from ..plan.plans import Plan
from ..state.form_state import FormState
from ..world.payload import PayloadAccess, ReceivedPayload
from ..world.server import ServerAnswer, answer
from ..world.typed import typed_payload
from .session import SessionFactory


class StubServer:
    """Answers requests instead of the lookups and the server of a sheet; scripted answers come first."""

    def __init__(self, stage: SessionFactory, conditions: Sequence[Expression | None] = ()) -> None:
        self._stage = stage
        self._conditions = [compile_expression(c, PayloadAccess()) if c is not None else None for c in conditions]
        self._lookups: dict[str, deque[LookupAnswer]] = {}
        self._replies: deque[ServerAnswer] = deque()
        self._live: FormState = stage.fresh(0)

    @property
    def plan(self) -> Plan:
        """The compiled form."""
        return self._stage.plan

    def start(self, now: int) -> None:
        """Start afresh at the virtual time *now* (milliseconds since 1970-01-01T00:00Z)."""
        self._live = self._stage.fresh(now)
        self._lookups.clear()
        self._replies.clear()

    @property
    def record(self) -> Any:
        """Return the stored record."""
        return self._live.record

    def script_lookup(self, name: str, given: LookupAnswer) -> None:
        """Queue the next answer of the lookup *name*."""
        self._lookups.setdefault(name, deque()).append(given)

    def script_reply(self, given: ServerAnswer) -> None:
        """Queue the server's next answer."""
        self._replies.append(given)

    def lookup(self, name: str, value: Any) -> LookupAnswer:
        """Return the answer of the lookup *name* for *value*; `after` is its duration in milliseconds."""
        plan = self.plan.lookups[name]
        queued = self._lookups.get(name)
        found = queued.popleft() if queued else stand_in_answer(self._live, plan, value)
        return found if found.after is not None else found._replace(after=plan.model.takes)

    def reply(self, payload: Any, now: int, *, flat: bool = False, panel: str = "") -> ServerAnswer:
        """Return the server's answer to *payload* of the form, or of a *panel*, at *now*.

        *flat*: names are addresses and values are texts, as forms send them. An accepted payload is stored. `takes` is the
        duration of the answer in milliseconds.
        """
        self._live.now = now
        form = self.plan.panels[panel] if panel else self.plan.main
        if flat:
            payload = typed_payload(form.model, payload)
        found = self._replies.popleft() if self._replies else answer(self._live, form, payload)
        if found.kind == "status" and found.status < 400 and not panel:
            self._live.record = found.record if found.has_record else payload
        return found if found.takes is not None else found._replace(takes=form.model.server.takes)

    def fits(self, number: int, query: dict[str, Any], body: Any) -> bool:
        """Return whether the *number*-th condition holds of a request."""
        condition = self._conditions[number]
        return condition is None or condition(ReceivedPayload(self._live, {"query": query, "body": body}), None) is True


__all__ = ["LookupAnswer", "ServerAnswer", "StubServer"]
