"""Writes the steps of a script while a person uses a page. Actions become steps; waiting becomes `settle` or `wait`.

The page reports actions in small parts (a key, an edit, a press). Keys in one field run together. A press that opens a list belongs to
the choice that follows. A focus change is written only if no other step implies it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from ..forms.model.entering import CHOOSE, FILES, SET, TURN, TYPE, way_of
from ..forms.model.form import Field, Form, walk
from ..forms.names.addresses import parse_address
from ..forms.values.durations import write_duration
from ..records import NamedTuple
from ..script.writer import called, quoted
from .observed import Observed, observe, pinning
from .subject import Subject

_ROUND = 100  # a wait is written in steps of that many milliseconds
_IDLE = 1500  # after that long without a key, what was typed is written
_MOST_LOOKS = 20  # in one tick, while the person goes on
_MOVED = 700  # after that long, leaving a field was no part of a press
TAKE_ALL = "take all"  # told when the person presses F2
Doing = dict[str, Any]


class FollowedSubject(Subject, Protocol):
    """A subject that notes what a person does with it."""

    def doings(self) -> list[Doing]:
        """Return what the person has done since the last call."""

    def has_doings(self) -> bool:
        """Return whether the person has done more since the last call of `doings`."""

    def is_under_way(self) -> bool:
        """Return whether an answer or a one-time timer is still to come."""


class FollowedStep(NamedTuple):
    """A step that a person took: its *text*, checks for what it changed, and the state *before*. Without a text, *told* describes an
    action that is not a step.
    """

    text: str
    offered: tuple[str, ...] = ()
    told: str = ""
    before: Observed | None = None


class _Edits:
    """Keys in one field that run together."""

    def __init__(self, address: str, since: int) -> None:
        self.address, self.last = address, since
        self.parts: list[tuple[str, Any]] = []
        self.seen = False  # whether the form has been observed since the last key

    def add(self, edit: Doing, now: int) -> None:
        self.last, self.seen = now, False
        kind, value = _kind_of(edit)
        last = self.parts[-1] if self.parts else ("", "")
        if (kind == "type" and last[0] in ("type", "retype")) or (kind == "erase" and last[0] == "erase"):
            self.parts[-1] = (last[0], last[1] + value)
        elif kind == "whole" and last[0] == "whole":
            self.parts[-1] = (kind, value)
        else:
            self.parts.append((kind, value))

    def texts(self, name: str) -> list[str]:
        """Return the steps, each as a line of a script."""
        found = []
        for kind, value in self.parts:
            if kind == "erase":
                found.append(f"erase {name}" + (f" {value}" if value > 1 else ""))
            else:
                found.append(f"clear {name}" if kind == "clear" else f"{'retype' if kind == 'whole' else kind} {name} {quoted(value)}")
        return found


def _kind_of(edit: Doing) -> tuple[str, Any]:
    """Return what an edit is as a step: type, retype, paste, erase, clear, or the whole value where it was made amid the text."""
    data, was, value = edit["data"], edit["was"], edit["value"]
    appended = edit["end"] or value == was + (data or "")
    if edit["type"] in ("insertText", "insertLineBreak", "insertParagraph", "insertCompositionText") and data:
        if edit["all"] or (was and value == data):
            return "retype", data
        return ("type", data) if appended or not was else ("whole", value)
    if edit["type"] == "insertFromPaste" and value.startswith(was) and value != was:
        return "paste", value[len(was) :]
    if edit["type"] == "deleteContentBackward" and value == was[:-1] and not edit["all"]:
        return "erase", 1
    return ("clear", "") if value == "" else ("whole", value)


class Follower:
    """Follows a person on *subject*, a form of *form*. Call `tick` a few times a second."""

    def __init__(self, subject: FollowedSubject, form: Form) -> None:
        self.subject, self.form = subject, form
        self.begin(subject)

    def begin(self, subject: FollowedSubject) -> None:
        """Go on from the state that *subject* is in; what has been done until now does not count."""
        self.subject = subject
        subject.doings()
        subject.events()
        self.before = self.now = observe(subject, self.form)
        self._edits: _Edits | None = None
        self._focus = ""  # where the focus has gone, if no step says so yet
        self._at = ""  # the field of the last step
        self._left: int | None = None  # when a field was left for no other
        self._by_key = False  # whether the focus was moved by a key
        self._opened = ""  # the widget that was pressed
        self._loose = ""  # what was pressed, if not a field or a button
        self._keys: list[tuple[str, str]] = []
        self._tabbed = False
        self._changed: list[str] = []  # fields that say they have changed
        self._since = subject.elapsed()  # when the last step was taken
        self._waited = self._answered = self._acted = False
        self._told = ""  # the last report of an action that is not a step
        self._out: list[FollowedStep] = []

    def tick(self, ms: int) -> list[FollowedStep]:
        """Take up what the person has done, then let *ms* pass. Return the steps that are complete."""
        self._out = []
        doings = self.subject.doings()
        self._answered |= self._has_answered()
        if doings:
            self._end_wait()
            self._acted = False
        for _ in range(_MOST_LOOKS):
            if not doings:
                break
            for doing in doings:
                _DOINGS[doing["do"]](self, doing)
            now = observe(self.subject, self.form)
            if not self.subject.has_doings():
                self._look(now)
                break
            doings = self.subject.doings()  # what was seen may be part of what comes
        self._time(ms)
        return self._out

    def finish(self) -> list[FollowedStep]:
        """Return the steps that only waited for more to come."""
        self._out = []
        self._finished()
        return self._out

    def _finished(self) -> None:
        self._end_wait()
        self._flush()
        self._leave()

    # what the person does
    def _edit(self, doing: Doing) -> None:
        address = doing["address"]
        if address is None:
            self._tell("typed into something that is not a field of the form")
            return
        if self._is_set(address):
            self._changed.append(address)  # its value shows the result
            return
        if self._edits is not None and self._edits.address != address:
            self._flush()
        self._arrive(address)
        if self._edits is None:
            self._edits = _Edits(address, self.subject.elapsed())
        self._edits.add(doing, self.subject.elapsed())

    def _focused(self, doing: Doing) -> None:
        address, self._by_key = doing["address"] or "", doing["by"] == "key"
        if address and address in (self._at, self._focus, self._opened, self._edits.address if self._edits else ""):
            self._left = None
            return
        self._flush()
        if address:
            self._leave()
        self._focus, self._at = address, ""
        self._left = None if address else self.subject.elapsed()

    def _blurred(self, doing: Doing) -> None:
        self._flush()
        self._by_key = doing["by"] == "key"
        if self._focus or self._at:
            self._left = self.subject.elapsed()

    def _press(self, doing: Doing) -> None:
        button, address = doing["button"], doing["address"]
        if self._edits is not None and not (address == self._edits.address and self._is_choice(address)):
            self._flush()
        if button is None and address is not None:
            self._opened = address if self._is_entered_whole(address) else ""
            if address != self._at:
                self._focus, self._left = address, None
            return
        text = _button(button or {}, self._name)
        if text is None:
            self._loose = doing["what"]
            return
        self._left = None
        self._leave()
        self._at = self._opened = ""
        self._act(text)

    def _key(self, doing: Doing) -> None:
        if doing["key"] == "F2":
            self._finished()
            self._tell(TAKE_ALL)
            return
        if doing["key"].endswith("Tab"):
            self._tabbed = True
            return
        if self._edits is not None and not self._is_entered_whole(self._edits.address):
            self._flush()
        self._keys.append((doing["key"], doing.get("address") or ""))

    def _change(self, doing: Doing) -> None:
        if doing["address"]:
            self._changed.append(doing["address"])

    def _files(self, doing: Doing) -> None:
        address = doing["address"]
        if not address:
            return
        self._arrive(address)
        files = ", ".join(f"{quoted(f['name'])} {f['size']} bytes" + (f" {quoted(f['type'])}" if f["type"] else "") for f in doing["files"])
        self._act(f"upload {self._name(address)} {files}" if files else f"clear {self._name(address)}")

    def _load(self, doing: Doing) -> None:
        self._flush()
        self._act("reload")

    # results
    def _look(self, now: Observed) -> None:
        """Write the steps that the form as it is *now* shows."""
        self._values(now)
        moved = any(not line.startswith("expect focus") for line in pinning(self.before if self._opened else self.now, now))
        for key, address in self._keys:
            inside = self._edits is not None and self._edits.address == address and self._is_entered_whole(address)
            if moved and not self._acted and not inside:  # inside: the key belongs to what is being entered
                self._flush()
                self._leave(but=address)
                self._say(f"press {key}" + (f" in {self._name(address)}" if address and address != self._at else ""))
                self._at = address or self._at
        if self._loose and not (self._opened or self._focus or self._keys or self._acted):
            self._tell(f"pressed “{self._loose}”: not a field or a button of the form")
        if moved and self._tabbed and not (self._edits or self._acted or self._by_key):  # to another part of the same field
            self._leave()
            self._say("blur")
            self._at = ""
        elif moved and self._edits is None and not self._acted and (self._by_key or (self._focus and self._focus != self._opened)):
            self._leave()
        self._keys, self._changed, self._loose, self._tabbed, self._by_key = [], [], "", False, False
        self.now = now
        if self._edits is not None:
            self._edits.seen = True
        if self._acted or not (self._edits or self._focus or self._left is not None):
            self._pin()

    def _values(self, now: Observed) -> None:
        """Write the steps that gave fields the values that they have *now*."""
        near = {self._opened, self._focus, self._at, *self._changed, *(address for _, address in self._keys)}
        typed = {self.subject.written(address) for address in self._changed}
        for name, state in now.fields.items():
            field, was = self._field(name), self.now.fields.get(name)
            read_anew = was is not None and state.reads is not None and state.reads != was.reads
            if field is not None and field.kind == "date" and read_anew and name not in typed:  # not while it is being typed
                self._tell(f"{name} reads {state.reads}, which cannot be read as a date: add `format` to its `find` in the sheet")
            if field is None or was is None or state.kind != "field" or was.value == state.value or field.kind in ("rows", "group"):
                continue
            here = any(self.subject.written(each) == name for each in near if each)
            popped = bool(self._loose or self._opened) and way_of(field) in (SET, CHOOSE)
            text = self._step_of(field, name, was.value, state.value) if here or popped else None
            if text is not None and way_of(field) == SET and not self._loose:
                self._run_together(name, state.value)
            elif text is not None:
                if self._edits is not None and self.subject.written(self._edits.address) == name:
                    self._edits = None  # what was typed searched for the option
                self._arrive(name)
                self._flush()
                self._act(text)
                self._opened, self._loose, self._keys = "", "", []

    def _run_together(self, name: str, value: Any) -> None:
        """A date is typed digit by digit: only the last value counts."""
        if self._edits is None or self.subject.written(self._edits.address) != name:
            self._flush()
            self._arrive(name)
            self._edits = _Edits(name, self.subject.elapsed())
        self._edits.parts, self._keys, self._edits.seen = [("set", value)], [], False

    def _step_of(self, field: Field, name: str, was: Any, value: Any) -> str | None:
        """Return the step that gives *field* its *value*; None where typing is what a person does."""
        way, at = way_of(field), called(name)
        if way == TURN and not field.many:
            return f"turn {at} {'on' if value else 'off'}"
        if way == CHOOSE or field.many:
            return _pick(at, was, value)
        if way == FILES or (way == TYPE and self._edits is not None):
            return None
        arrow = next((key for key, _ in self._keys if key.startswith("Arrow")), None)
        if arrow is not None:
            return f"press {arrow}" + ("" if self.subject.written(self._at) == name and self._at else f" in {at}")
        return f"set {at} {quoted(value)}" if way in (SET, TYPE) and value is not None else None

    def _time(self, ms: int) -> None:
        """Let *ms* pass; changes without an action become a wait, once nothing is pending."""
        self.subject.advance(ms)
        self._answered |= self._has_answered()
        now = observe(self.subject, self.form)
        if self.subject.has_doings():
            return  # what has changed may be the person's doing
        if self._opened and not self._edits:  # its list may hide the page, and close later
            self._acted = False
            self._values(now)
            self.now = now
            if self._acted:
                self._pin()
            return
        if self._answered or any(True for _ in pinning(self.now, now)):
            self._flush()
            self._leave()
            self._waited = True
        if self._waited:
            self.now = now
        if self._waited and not self.subject.is_under_way():
            self._end_wait()
        elapsed = self.subject.elapsed()
        if self._edits is not None and elapsed - self._edits.last >= _IDLE and not self._is_entered_whole(self._edits.address):
            self._flush()
        if self._left is not None and elapsed - self._left >= _MOVED:
            self._leave()

    def _end_wait(self) -> None:
        if not self._waited:
            return
        if self._answered and not self.subject.is_under_way():
            self._say("settle")
        else:
            waited = max(self.subject.elapsed() - self._since, 1)
            self._say(f"wait {write_duration(-(-waited // _ROUND) * _ROUND)}")
        self._waited = self._answered = False
        self._pin()

    def _has_answered(self) -> bool:
        return any(event.name == "answer" for event in self.subject.events())

    # writing
    def _arrive(self, address: str) -> None:
        """Note that the next step is on *address*, which implies that the focus is there."""
        if self._focus and self._focus != address:
            self._leave()
        if self._opened != address:
            self._opened = ""
        self._focus, self._left, self._at = "", None, address

    def _leave(self, *, but: str = "") -> None:
        """Write where the focus has gone, unless the next step, on *but*, implies it."""
        if self._focus and self._focus != but:
            self._say(f"focus {self._name(self._focus)}")
            self._at, self._focus = self._focus, ""
        elif self._left is not None:
            self._say("blur")
            self._left, self._at = None, ""
        self._pin()

    def _flush(self) -> None:
        """Write what was typed."""
        edits, self._edits = self._edits, None
        if edits is None:
            return
        for text in edits.texts(self._name(edits.address)):
            self._say(text)
        if edits.seen:
            self._pin()

    def _say(self, text: str) -> None:
        self._told = ""
        self._out.append(FollowedStep(text, before=self.before))
        self._since = self.subject.elapsed()

    def _act(self, text: str) -> None:
        """Write a step that explains what has changed."""
        self._acted = True
        self._say(text)

    def _tell(self, text: str) -> None:
        """Report an action that is not a step; once, if the person goes on with it."""
        if text != self._told or text == TAKE_ALL:
            self._out.append(FollowedStep("", told=text))
        self._told = text

    def _pin(self) -> None:
        """Offer the checks for all that has changed, to the last step."""
        if not self._out or not self._out[-1].text or self.now is self.before:
            return
        step = self._out[-1]
        lines = [line for line in pinning(self.before, self.now) if self._tells(line, step.text)]
        self._out[-1] = step._replace(offered=(*step.offered, *lines))
        self.before = self.now

    def _tells(self, line: str, text: str) -> bool:
        """Return whether a check is worth an offer: where the focus is says something only if the page has moved it."""
        if not line.startswith("expect focus"):
            return not line.endswith(" = null")  # of a control that is not there any more
        name = line.removeprefix("expect focus = ")
        return not line.endswith(" nothing") and name not in text.split(" ")

    def _name(self, address: str) -> str:
        return called(self.subject.written(address))

    def _field(self, name: str) -> Field | None:
        path = parse_address(name)
        found = self.form.find(tuple("*" if isinstance(step, int) else step for step in path)) if path else None
        return found or next((field for field in walk(self.form.fields) if field.address == name), None)

    def _is_set(self, address: str) -> bool:
        field = self._field(self.subject.written(address))
        return field is not None and way_of(field) == SET

    def _is_entered_whole(self, address: str) -> bool:
        """Return whether the field has no value that one key after the other makes: only the last one counts."""
        return self._is_choice(address) or self._is_set(address)

    def _is_choice(self, address: str) -> bool:
        field = self._field(self.subject.written(address))
        return field is not None and (way_of(field) == CHOOSE or field.many)


def _pick(at: str, was: Any, value: Any) -> str | None:
    if not isinstance(value, list):
        return f"pick {at} {quoted(value)}" if value is not None else None
    before = was if isinstance(was, list) else []
    come, gone = [each for each in value if each not in before], [each for each in before if each not in value]
    if come and not gone:
        return f"pick {at} also {', '.join(map(quoted, come))}" if before else f"pick {at} {', '.join(map(quoted, come))}"
    if gone and not come:
        return f"pick {at} except {', '.join(map(quoted, gone))}"
    return f"pick {at} {', '.join(map(quoted, value))}"


def _button(button: Doing, name: Callable[[str], str]) -> str | None:
    """Return the step that presses *button*; None if there is none."""
    for word in ("add", "remove", "open", "close"):
        if word in button:
            return f"{word} {name(button[word])}"
    if "panel" in button:
        return f"submit {name(button['panel'])}"
    plain = next((word for word in ("submit", "reset", "dismiss") if button.get(word)), None)
    if plain is not None:
        return plain
    return f"submit by {quoted(button['named'])}" if button.get("sends") else None


_DOINGS: dict[str, Callable[[Follower, Doing], None]] = {
    "edit": Follower._edit, "focus": Follower._focused, "blur": Follower._blurred, "press": Follower._press, "key": Follower._key,
    "change": Follower._change, "files": Follower._files, "load": Follower._load,
}  # fmt: skip
