"""The manners on a page in a browser, judged by what is visible before and after each step.

If a sheet describes the page, a form in the engine runs the same steps and knows when a problem is fixed, which a page does not
show.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from typing import Any

from ...forms.model.form import Form
from ...forms.names.addresses import parse_address
from ...forms.values.values import written
from ...playing.observed import Observed, observe
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...playing.subject import FieldState, NotObservable, Subject
from ...script import tree
from ...script.tree import Address, Noun
from .monitor import Observation

# Facts that a page does not show, with the reason.
LEFT_OUT = {"way-out": "a page cannot be set back, so every attempt would have to start from the beginning"}
WITHOUT_A_SHEET = {
    "no-rush": "without a sheet, the page's lookups are unknown",
    "fresh-answers": "without a sheet, the page's lookups are unknown and cannot be answered late",
}
_NOTHING: tuple[Any, ...] = ("", None, [], False)
_PATIENCE = 2 * 60_000  # how long a notice is waited for to go, in milliseconds
_IN_REAL_TIME = 6.0  # seconds
_LEAVING = (tree.FillLine, tree.Blur, tree.Submit, tree.Add, tree.Remove, tree.Press, tree.Leave, tree.Reset, tree.Open)
_PASSING = (tree.Wait, tree.Settle)


class PageMonitor:
    """Monitors a page. *twin*: a form in the engine from the page's sheet, which runs the same steps; None without a sheet."""

    def __init__(self, subject: Subject, form: Form, only: frozenset[str], twin: SimulatedForm | None) -> None:
        self.subject, self.form, self.only, self.twin = subject, form, only, twin
        self.native = form.page is not None and not form.page.novalidate  # the browser reports errors
        self.found: list[Observation] = []
        self.number = 0
        self.left = self.sent = self.accepted = False
        self.owed = False
        self.answers = 0  # lookups started
        self.complained: dict[str, set[str]] = {}  # messages of each field while it was invalid
        self.edited: dict[str, int] = {}
        self.right: dict[tuple[str, str], bool] = {}  # by field and values: no message appeared after leaving it
        self.gone: Observed | None = None
        self.seen = observe(subject, form)
        self.load = self.seen
        self._at_load()

    def _tell(self, manner: str, address: str, sentence: str) -> None:
        if manner in self.only:
            path = tuple("*" if isinstance(s, int) else s for s in parse_address(address) or ())
            field = self.form.find(path) if path else None
            self.found.append(Observation(manner, field.address if field is not None else address, sentence, address))

    def _at_load(self) -> None:
        for name, text in _said(self.seen):
            self._tell("patience", name, f"{name or 'the form'} shows {written(text)} at load")
        self._says_so()

    def take(self, step: Any) -> bool:
        """Do *step* and judge its result; return whether it was possible."""
        self.number += 1
        if self.twin is not None and take_step(self.twin, step, self.number) is not None:
            self.twin = None  # the two differ: from here on, the correct state is unknown
        if take_step(self.subject, step, self.number) is not None:
            return False
        before, self.seen = self.seen, observe(self.subject, self.form)
        was = before.nouns.get("focus")
        self.left = self.left or (bool(was) and was != self.seen.nouns.get("focus"))
        self._patience(step)
        self.left = self.left or isinstance(step, _LEAVING)
        self.sent = self.sent or isinstance(step, tree.Submit | tree.Press)
        self._says_so()
        self._requests(step, before)
        self._outcome(step, before)
        self._forgives(step)
        special = _BEHIND.get(type(step))
        if special is not None:
            special(self, step, before)
        if isinstance(step, tree.FillLine):
            self.edited[_address(step)] = self.number
        return True

    def ended(self) -> None:
        """Judge the end of a walk."""
        notice = self.seen.nouns.get("notice")
        if notice and "closes" in self.only:
            refused = self.subject.trial().perform(tree.Dismiss(), 0) is not None
            if refused:
                self._wait()
                if self.subject.look(Noun("notice"), "value") == notice:
                    self._tell("closes", "", f"the notice {written(notice)} cannot be closed and does not close itself")

    def _wait(self) -> None:
        """Let time pass: as long as a person would wait or, in real time, a little."""
        begun = time.monotonic()
        for _ in range(_PATIENCE // 1000):
            self.subject.advance(1000)
            if time.monotonic() - begun > _IN_REAL_TIME:
                return

    # each step
    def _patience(self, step: Any) -> None:
        if self.left or self.sent or isinstance(step, _LEAVING):
            return
        for name, text in _said(self.seen):
            self._tell("patience", name, f"{name or 'the form'} shows {written(text)} before the person has left a field or sent the form")

    def _says_so(self) -> None:
        for name, state in self.seen.fields.items():
            if state.kind != "field":
                continue
            marked = "marked" in state.words
            if marked and not any(text.strip() for text in state.shows) and not self.native:
                self._tell("says-so", name, f"{name} is marked as wrong without a message")
            elif state.shows and not marked and "hidden" not in state.words:
                self._tell("says-so", name, f"{name} shows {written(state.shows[0])} but is not marked as wrong")

    def _requests(self, step: Any, before: Observed) -> None:
        was, now = (seen.nouns.get("requests") or 0 for seen in (before, self.seen))
        if isinstance(step, tree.Submit) and self.owed and now > was:
            self._tell("once", "", "a second press while the first is pending sends the form again")
        if now > was and isinstance(step, tree.Submit):
            asking = next((name for name, state in before.fields.items() if "asking" in state.words), "")
            if asking:
                self._tell("no-rush", asking, f"the form is sent while a lookup is pending for {asking}")
            self._travels(before)
        self.owed = (self.owed or now > was) and self.seen.nouns.get("outcome") == "waiting"

    def _travels(self, before: Observed) -> None:
        payload = self.seen.nouns.get("payload")
        for name, state in before.fields.items():
            if state.kind == "field" and {"hidden", "disabled"} & set(state.words) and _is_in(payload, name):
                how = "hidden" if "hidden" in state.words else "disabled"
                self._tell("no-ghosts", name, f"{name} is sent although it is {how}")

    def _outcome(self, step: Any, before: Observed) -> None:
        outcome = self.seen.nouns.get("outcome")
        self.accepted = self.accepted or outcome == "accepted"
        if isinstance(step, tree.Submit) and outcome == "refused":
            self._refused()
        elif outcome in ("rejected", "lost") and isinstance(step, _PASSING) and before.nouns.get("outcome") == "waiting":
            after = self.form.after.get(outcome)
            forgets = set(after.forget) if after is not None else set()
            for name, state in before.fields.items():
                now = self.seen.fields.get(name)
                gone = state.value not in _NOTHING and now is not None and now.value in _NOTHING
                if gone and state.kind == "field" and name not in forgets and not self._is_password(name):
                    self._tell("keeps", "", f"{written(state.value)} in {name} is lost when the form is {outcome}")

    def _refused(self) -> None:
        said = [name for name, _ in _said(self.seen)]
        if not said and not self.native:
            self._tell("plain-speech", "", "an attempt to send is refused without any message")
        marked = [name for name, state in self.seen.fields.items() if state.kind == "field" and "marked" in state.words]
        focus = self.seen.nouns.get("focus")
        here = focus[0] if isinstance(focus, list | tuple) and focus else ""
        if marked and here not in marked and not any(here.startswith(f"{name}") for name in said if name):
            self._tell("plain-speech", marked[0], f"an attempt to send is refused, but the focus does not move to {marked[0]}")

    def _forgives(self, step: Any) -> None:
        """Messages of fields that are right by now: by the sheet, or because the same values had none before."""
        if self.native or not isinstance(step, (*_PASSING, tree.FillLine, tree.Blur)) or self._is_busy():
            return
        twin = observe(self.twin, self.form) if self.twin is not None else None
        values = json.dumps({name: state.value for name, state in self.seen.fields.items()}, default=str, sort_keys=True)
        for name, state in self.seen.fields.items():
            truth = twin.fields.get(name) if twin is not None else None
            fine = truth is not None and "valid" in truth.words and not truth.shows
            was_right = self.right.get((name, values))
            for text in state.shows:
                if (fine and text in self.complained.get(name, ())) or was_right:
                    manner = "fresh-answers" if self._has_late_answer(name) else "forgives"
                    self._tell(manner, name, f"{name or 'the form'} still shows {written(text)} after the problem is fixed")
                if truth is not None and not fine:
                    self.complained.setdefault(name, set()).add(text)
            if not state.shows and name in self.edited:
                self.right[name, values] = True

    def _has_late_answer(self, name: str) -> bool:
        field = self.form.find(tuple("*" if isinstance(s, int) else s for s in parse_address(name) or ()))
        asks = field is not None and any(kind.name == "lookup" for rule in field.rules for kind in rule.kinds)
        return asks and self.answers > 0

    def _is_busy(self) -> bool:
        return bool(self.subject.look(Noun("under way"), "is"))

    def _is_password(self, name: str) -> bool:
        field = self.form.find(tuple("*" if isinstance(s, int) else s for s in parse_address(name) or ()))
        return field is not None and field.kind == "password"

    # after steps of one kind
    def _answered(self, step: Any, before: Observed) -> None:
        self.answers += step.lookup is not None

    def _removed(self, step: Any, before: Observed) -> None:
        *rows, number = step.address.segments
        name = _written(rows)
        count = before.fields[name].rows if name in before.fields else None
        for row in range((count or 0) - 1):
            was = row + (row >= number)
            for inner, state in before.fields.items():
                prefix = f"{name}[{was}]."
                if state.kind != "field" or not inner.startswith(prefix):
                    continue
                field = inner[len(prefix) :]
                now = self.seen.fields.get(f"{name}[{row}].{field}")
                what = _lost(state, now)
                if what:
                    cause = f"when a row of {name} is removed, {what} of {field} does not stay with its row"
                    self._tell("own-row", f"{name}[{row}].{field}", cause)
        refusal = self.subject.look(Noun("address", Address(tuple(rows))), "allows", "add")
        if refusal is not None and not isinstance(refusal, NotObservable):
            left = (count or 1) - 1
            self._tell("row-back", name, f"once a row of {name} is removed and {left} left, no row can be added")

    def _reset(self, step: Any, before: Observed) -> None:
        if self.accepted:
            return
        for name, state in self.load.fields.items():
            now = self.seen.fields.get(name)
            if state.kind == "field" and (now is None or now.value != state.value or now.shows != state.shows):
                found = "nothing"
                if now is not None:
                    found = written(now.value) if now.value != state.value else f"the message {written(list(now.shows))}"
                self._tell("clean-slate", name, f"after a reset {name} has {found}, and had {written(state.value)} at load")
        self.left = self.sent = False

    def _went(self, step: Any, before: Observed) -> None:
        self.gone = before

    def _came(self, step: Any, before: Observed) -> None:
        if self.form.draft != "keep" or self.gone is None:
            return
        for name, state in self.gone.fields.items():
            now = self.seen.fields.get(name)
            if state.kind == "field" and now is not None and now.value != state.value:
                self._tell("keeps", "", f"a draft is promised, but {written(state.value)} in {name} is lost when the person comes back")


_BEHIND: dict[type, Callable[[PageMonitor, Any, Observed], None]] = {
    tree.Answer: PageMonitor._answered, tree.Remove: PageMonitor._removed, tree.Reset: PageMonitor._reset, tree.Leave: PageMonitor._went,
    tree.Return: PageMonitor._came,
}  # fmt: skip


def _said(seen: Observed) -> Iterator[tuple[str, str]]:
    for name, state in seen.fields.items():
        yield from ((name, text) for text in state.shows)


def _lost(was: FieldState, now: FieldState | None) -> str:
    """Return what changed about a field in a row."""
    if now is None or now.value != was.value:
        return "the value"
    if ("touched" in was.words) and "not touched" in now.words:
        return "touched mark"
    shown = [_numberless(text) for text in was.shows]
    return "the message" if any(_numberless(text) not in shown for text in now.shows) and "touched" not in was.words else ""


def _numberless(text: str) -> str:
    return "".join(c for c in text if not c.isdigit())


def _address(step: Any) -> str:
    return _written(step.address.segments)


def _written(segments: Any) -> str:
    from ...forms.names.shapes import write_address

    return write_address(tuple(segments))


def _is_in(payload: Any, name: str) -> bool:
    """Return whether a payload, nested or flat, contains the address *name*."""
    if isinstance(payload, dict) and name in payload:
        return True
    found = payload
    for step in parse_address(name) or ("",):
        there = step in found if isinstance(found, dict) else isinstance(found, list) and isinstance(step, int) and step < len(found)
        if not there:
            return False
        found = found[step]
    return True
