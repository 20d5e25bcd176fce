"""A subject outside the engine with a journal: it is looked at after every step, and the differences are the changes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from difflib import SequenceMatcher
from typing import Any

from ..engine.state.journal import Changed, Exchange, Journal, State
from ..forms.model.form import Field, Form
from ..forms.names.addresses import parse_address
from ..refusals import Refusal
from ..script.tree import Address, Noun
from .subject import NotObservable, PageEvent, Subject

_STATES = ("visible", "marked", "asking", "enabled", "readonly", "required", "touched", "dirty")
_OF_PAGE = ("view", "outcome", "location", "notice", "alert")
Segments = tuple[Any, ...]


class RecordedSubject:
    """Runs on *subject*, one step at a time, and records what each step changed on the page.

    Rows have no identity on a page: a row counts as the same one as long as it has the same values.
    """

    def __init__(self, subject: Subject, form: Form) -> None:
        self.subject, self.form = subject, form
        self.abilities = subject.abilities
        self._state: State = {}
        self._rows: dict[str, list[tuple[int, Any]]] = {}  # by the key of the list: the identity and the values of each row
        self._identities = 0
        self._step = 0
        self._start = 0
        self._changes: list[Changed] = []
        self._events: list[tuple[int, PageEvent]] = []

    def load(self, clock: int) -> Refusal | None:
        """A fresh page at the instant *clock*."""
        refusal = self.subject.load(clock)
        self.subject.coming(())
        self._start, self._step, self._identities = clock, 0, 0
        self._rows.clear()
        self._state = self._seen() if refusal is None else {}
        self._changes.clear()
        self._events.clear()
        if refusal is None:
            self.subject.events()  # those of the load
        return refusal

    def coming(self, ops: Sequence[Any]) -> None:
        """Ignore the coming steps: they run one by one, so that each change belongs to one step."""

    def perform(self, step: Any, number: int) -> Refusal | None:
        """Do *step*."""
        return self.subject.perform(step, number)

    def mark_step(self, number: int) -> None:
        """Record the changes so far, and attribute those that follow to the step *number*."""
        if self._step:
            self._record()
        self._step = number
        self.subject.mark_step(number)

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let time pass, from one timer of the page to the next, so that each change has its time."""
        left = milliseconds
        while until is None and (due := self.subject.timer_due()) is not None and 0 < due < left:
            done = self.subject.advance(due)
            if isinstance(done, Refusal):
                return done
            self._record()
            left -= due
        return self.subject.advance(left, until)

    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*."""
        return self.subject.look(noun, asked, word)

    def state(self) -> State:
        """Return the whole state as it is known, from which the journal goes on."""
        return self._state

    def journal(self) -> Journal:
        """Return all that has changed since load."""
        self._record()
        return Journal(self._start, tuple(self._changes), tuple(_exchanges(self._events)))

    def trial(self, *, alone: bool = False) -> Subject:
        """Return a subject to try a step on."""
        return self.subject.trial(alone=alone)

    def written(self, address: str) -> str:
        """Write *address* as `look` does."""
        return self.subject.written(address)

    def timer_due(self) -> int | None:
        """Return in how many milliseconds a timer of the page is due."""
        return self.subject.timer_due()

    def check_delay(self) -> int:
        """Return for how many milliseconds a check that does not hold is tried again."""
        return self.subject.check_delay()

    def elapsed(self) -> int:
        """Return the time since load in milliseconds."""
        return self.subject.elapsed()

    def events(self) -> tuple[PageEvent, ...]:
        """Return nothing: the journal has the events."""
        return ()

    def warnings(self) -> tuple[str, ...]:
        """Return the warnings."""
        return self.subject.warnings()

    def trouble(self) -> Refusal | None:
        """Return the error that ended the scenario, if any."""
        return self.subject.trouble()

    def material(self) -> Any:
        """Return the material for a failure report."""
        return self.subject.material()

    def close(self) -> None:
        """Record the last changes and end the scenario."""
        self._record()
        self.subject.close()

    # changes
    def _record(self) -> None:
        before, rows = self._state, dict(self._rows)
        after, ms = self._seen(), self.subject.elapsed()
        changes = [*self._moved_rows(rows, after), *self._differences(before, after)]
        self._changes += [Changed(self._step, ms, *change) for change in changes]
        for event in self.subject.events():
            self._events.append((self._step, event))
            self._changes.append(Changed(self._step, event.ms, "", event.name, None, event.text))
        self._state = after

    def _moved_rows(self, before: dict[str, list[tuple[int, Any]]], after: State) -> Iterator[tuple[str, str, Any, Any]]:
        """The rows that have gone and come, in the order in which a journal can be replayed."""
        for key, now in self._rows.items():
            was = [identity for identity, _ in before.get(key, [])]
            there = {identity for identity, _ in now}
            for place in reversed(range(len(was))):
                if was[place] not in there:
                    yield key, "row removed", place, was.pop(place)
            for place, (identity, _) in enumerate(now):
                if identity not in was:
                    row = f"{key}#{identity}"
                    yield key, "row added", None, (place, identity, {k: v for k, v in after.items() if k == row or k.startswith(f"{row}.")})

    def _differences(self, before: State, after: State) -> Iterator[tuple[str, str, Any, Any]]:
        for key, properties in after.items():
            for name, value in properties.items():
                if key in before and name != "rows" and before[key].get(name) != value:
                    yield key, name, before[key].get(name), value

    # looking
    def _seen(self) -> State:
        """The state as the page shows it now. What it does not show stays as it was."""
        found: State = {"": self._form()}
        for field in self.form.fields:
            self._field(field, field.path, field.name, found)
        for panel in self.form.panels:
            for field in panel.fields:
                self._field(field, (panel.panel, field.name), f"{panel.panel}.{field.name}", found)
        return found

    def _form(self) -> dict[str, Any]:
        seen = {name: _known(self.look(Noun(name), "value")) for name in _OF_PAGE}
        focus = self.look(Noun("focus"), "value")
        shows = self.look(Noun("form"), "shows")
        return {
            **seen, "busy": self.look(Noun("form"), "is", "busy") is True, "focus": self._focus(focus),
            "shows": [["", text] for text in shows] if isinstance(shows, list) else [],
        }  # fmt: skip

    def _focus(self, found: Any) -> str | None:
        if not isinstance(found, list) or not found:
            return None
        key = ""
        for segment in parse_address(found[0]) or (found[0],):
            if isinstance(segment, int):
                rows = self._rows.get(key, [])
                key += f"#{rows[segment][0]}" if segment < len(rows) else f"[{segment}]"
            else:
                key += f".{segment}" if key else segment
        return key

    def _field(self, field: Field, at: Segments, key: str, found: State) -> None:
        address = Noun("address", Address(at))
        if field.kind == "rows":
            self._list(field, at, key, found)
            return
        found[key] = self._properties(address, key)
        for inner in field.fields:
            self._field(inner, (*at, inner.name), f"{key}.{inner.name}", found)
        if not field.fields:
            value = self.look(address, "value")
            found[key]["value"] = self._state.get(key, {}).get("value") if isinstance(value, NotObservable) else value

    def _list(self, field: Field, at: Segments, key: str, found: State) -> None:
        address = Noun("address", Address(at))
        count = self.look(address, "rows")
        values = [self.look(Noun("address", Address((*at, i))), "value") for i in range(count if isinstance(count, int) else 0)]
        self._rows[key] = self._same_rows(self._rows.get(key, []), [_known(value) for value in values])
        found[key] = {**self._properties(address, key), "rows": [identity for identity, _ in self._rows[key]]}
        for place, (identity, _) in enumerate(self._rows[key]):
            row = f"{key}#{identity}"
            found[row] = self._properties(Noun("address", Address((*at, place))), row)
            for inner in field.fields:
                self._field(inner, (*at, place, inner.name), f"{row}.{inner.name}", found)

    def _same_rows(self, before: list[tuple[int, Any]], values: list[Any]) -> list[tuple[int, Any]]:
        """Return *values* with the identity that each row has: of the one it was before, else a new one."""
        if len(before) == len(values):
            return [(identity, value) for (identity, _), value in zip(before, values, strict=True)]
        same = SequenceMatcher(None, [repr(value) for _, value in before], [repr(value) for value in values], autojunk=False)
        known = {block.b + i: before[block.a + i][0] for block in same.get_matching_blocks() for i in range(block.size)}
        found = []
        for place, value in enumerate(values):
            if place not in known:
                self._identities += 1
            found.append((known.get(place, self._identities), value))
        return found

    def _properties(self, address: Noun, key: str) -> dict[str, Any]:
        before = self._state.get(key, {})
        found: dict[str, Any] = {}
        for name in _STATES:
            seen = self.look(address, "is", name)
            if isinstance(seen, bool):
                found[name] = seen
            elif name in before:
                found[name] = before[name]
        shows = self.look(address, "shows")
        found["shows"] = [["", text] for text in shows] if isinstance(shows, list) else before.get("shows", [])
        return found


def _known(value: Any) -> Any:
    return None if isinstance(value, NotObservable) else value


def _exchanges(events: list[tuple[int, PageEvent]]) -> Iterator[Exchange]:
    """The requests with their answers."""
    answers = {event.request: event for _, event in events if event.name == "answer"}
    for step, event in events:
        if event.name == "request":
            method, target, *_ = event.text.split(" ", 2)
            answer = answers.get(event.request)
            status, answered = (answer.status, answer.ms) if answer is not None else (None, None)
            yield Exchange(step, event.ms, method, target, "", "", None, status, answered)
