"""A snapshot of a page in terms of checks, with reasons for what cannot be observed."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from typing import Any

from ...engine.plan.controls import parser
from ...engine.world.typed import typed_value
from ...forms.model.form import Field, Form
from ...forms.model.live import FieldLocators, LivePage
from ...forms.names.addresses import parse_address
from ...forms.names.shapes import write_address
from ...forms.values.values import is_empty, reads_as
from ...playing.subject import FieldState, NotObservable
from ...refusals import Refusal
from ...script.tree import Noun
from ..messages import target_of
from .message_patterns import parameters_of, pattern_of
from .page_map import key_of, resolved
from .unseen import find_line, is_unread, not_observable, silent, two_controls, unread_value, unseen_message, unsure_mark

_OPPOSITE = {
    "hidden": "visible", "disabled": "enabled", "optional": "required", "clean": "dirty", "filled": "empty",
    "off": "on", "idle": "busy",
}  # fmt: skip
_SEEN = ("visible", "enabled", "readonly", "required", "focused", "marked")
Segments = tuple[Any, ...]


class PageContext:
    """Facts in addition to the snapshot: requests, pending work, and the last step at each address."""

    def __init__(self) -> None:
        self.ms = 0
        self.submissions: list[Any] = []  # `world.Submission`
        self.waiting: list[Any] = []  # those of them whose answer has not come yet
        self.questions: frozenset[tuple[str, str]] = frozenset()  # pending lookups, each with the value asked about
        self.under_way: list[str] = []
        self.last_step: dict[str, int] = {}
        self.record: Any = None


class PageSnapshot:
    """One snapshot of the page of *form*, asked as a subject is asked."""

    def __init__(self, form: Form, snapshot: dict[str, Any], facts: PageContext) -> None:
        self.form, self.snapshot, self.facts = form, snapshot, facts
        self.live: LivePage = form.live or LivePage()
        # Those whose control was found; of the others the snapshot says why it was not.
        self.fields = {address: facts if facts and "value" in facts else None for address, facts in snapshot["fields"].items()}
        self.places = {tuple("*" if isinstance(s, int) else s for s in parse_address(a) or ()): p for a, p in self.live.find.items()}

    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*, as `Subject.look` describes."""
        if noun.kind == "address":
            assert noun.address is not None
            return self._at(noun.address.segments, asked, word)
        if noun.kind == "form":
            return self._form(asked, word)
        if asked == "is":
            return _IS[noun.kind](self, noun, word)
        if asked == "why not":
            return None
        return _VALUES[noun.kind](self)

    # addresses
    def _at(self, segments: Segments, asked: str, word: Any) -> Any:
        found = self._counted(resolved(self.form, segments))
        if isinstance(found, NotObservable):
            return found
        path = tuple("*" if isinstance(s, int) else s for s in found)
        field = self.form.find(path)
        address = key_of(found)
        if field is None:
            return self._panel(address, asked, word)
        if asked == "name":
            return field.address if self.form.page is not None else write_address(found)
        if path[-1] == "*":
            return self._container(address, field, self.snapshot["groups"].get(address, {}), asked, word)
        if field.kind == "rows":
            return self._container(address, field, self.snapshot["rows"].get(address, {}), asked, word)
        if field.kind == "group":
            return self._container(address, field, self.snapshot["groups"].get(address, {}), asked, word)
        return self._field(address, field, self.snapshot["fields"].get(address), asked, word)

    def _counted(self, segments: Segments) -> Segments | NotObservable:
        """*segments* with rows counted from the front; why not, where a row is not there."""
        found: list[Any] = []
        for segment in segments:
            if isinstance(segment, int):
                rows = key_of(found)
                count = self.snapshot["rows"].get(rows, {}).get("count", 0)
                if not -count <= segment < count:
                    refusal = Refusal("no such row", write_address([*found, segment]), facts={"rows": rows, "count": count})
                    return NotObservable(refusal)
                segment = segment % count
            found.append(segment)
        return tuple(found)

    def _field(self, address: str, field: Field, facts: dict[str, Any] | None, asked: str, word: Any) -> Any:
        place = self.places.get(field.path, FieldLocators())
        if asked == "state":
            return self._state(address, field, self.fields.get(address))
        if asked == "is":
            return self._is(address, field, place, facts, word)
        if facts is None or "absent" in facts:
            if asked == "shows" and not self._should_be_there(field, facts):
                return []
            return None if asked == "why not" else _not_there(address)
        if "two" in facts:
            return None if asked == "why not" else two_controls(address, facts["two"])
        if asked == "breaks":
            return self._breaks(address, field, place, facts)
        answer = _FIELD.get(asked)
        return answer(address, field, facts) if answer is not None else None

    def _is(self, address: str, field: Field, place: FieldLocators, facts: dict[str, Any] | None, word: str) -> Any:
        name = _OPPOSITE.get(word, word)
        wanted = name == word
        if facts is None or "absent" in facts:
            if name not in ("visible", "marked", "focused") or (not wanted and self._should_be_there(field, facts)):
                return _not_there(address)
            return not wanted
        if "two" in facts:
            return two_controls(address, facts["two"])
        if name == "marked" and (classes := (facts.get("unseen") or {}).get("marked")):
            return unsure_mark(address, classes)
        if name == "empty" and is_unread(facts):
            return unread_value(address)
        if name in _SEEN:
            return bool(facts[name]) is wanted
        if name in ("empty", "on"):
            return (is_empty(value_of(field, facts)) if name == "empty" else facts["value"] is True) is wanted
        if name in ("dirty", "touched"):
            return silent(address, name) if facts[name] is None else bool(facts[name]) is wanted
        return self._validity(address, field, place, facts, word)

    def should_be_there(self, segments: Segments) -> bool:
        """Return whether the field at *segments* was not found, although the sheet or its label on the page says that it is there."""
        found = self._counted(resolved(self.form, segments))
        if isinstance(found, NotObservable):
            return False
        field = self.form.find(tuple("*" if isinstance(s, int) else s for s in found))
        facts = self.snapshot["fields"].get(key_of(found))
        return field is not None and not field.fields and (facts is None or "absent" in facts) and self._should_be_there(field, facts)

    def _should_be_there(self, field: Field, facts: dict[str, Any] | None) -> bool:
        """A field that nothing hides is on the page while the form is; so is one whose label is on show."""
        if self.form.page is not None or not self.snapshot["formVisible"]:
            return False
        absent = (facts or {}).get("absent", "never")
        if absent != "never":
            return bool(absent == "label")
        ways = [self.form.find(field.path[: i + 1]) for i in range(len(field.path))]
        panel = any(each.panel == field.path[0] for each in self.form.panels)
        return not panel and not self.form.views and all(way is None or way.visible is None for way in ways)

    def _validity(self, address: str, field: Field, place: FieldLocators, facts: dict[str, Any], word: str) -> Any:
        if word == "asking":
            return self._asking(field, facts)
        if word == "unasked":
            return not_observable(address, "a page does not show whether it still has to ask; check `asking` or the message")
        if not self._is_native(place):
            why = "a page that checks by script only shows messages and marks; check those, or set validity: native under live:"
            return not_observable(address, why)
        return not facts["flags"] if word == "valid" else bool(facts["flags"])

    def _is_native(self, place: FieldLocators) -> bool:
        return (place.validity or self.live.validity) == "native"

    def _asking(self, field: Field, facts: dict[str, Any]) -> bool:
        """Return whether the page marks *field* as busy, or a question about its present value is under way."""
        if facts.get("busy"):
            return True
        lookups = {kind.parameter for rule in field.rules for kind in rule.kinds if kind.name == "lookup"}
        return any(name in lookups and typed_value(field, text) == value_of(field, facts) for name, text in self.facts.questions)

    def _breaks(self, address: str, field: Field, place: FieldLocators, facts: dict[str, Any]) -> Any:
        """The rules that it breaks: by the browser's flags, or by the messages of the sheet that are on show."""
        found: list[tuple[str, ...]] = []
        if self._is_native(place):
            found = [(flag,) for flag in facts["flags"] or []]
        said = self._said(field, facts["shows"])
        if not found and not said and not self._is_native(place):
            why = "it shows none of the sheet's messages, and rules broken without one cannot be seen"
            return not_observable(address, why)
        return [*found, *(names for names in said if not any(names[0] == flag for (flag, *_) in found))]

    def _said(self, field: Field, shows: list[str]) -> list[tuple[str, ...]]:
        """The rules that *field* carries whose messages are among those on show."""
        carried = [rule for rule in self.form.rules if rule.at == field.path]
        return [names for rule in (*field.rules, *carried) for names in _said_by(rule, shows)]

    # rows, groups, panels, the form
    def _panel(self, name: str, asked: str, word: Any) -> Any:
        panel = next(each for each in self.form.panels if each.panel == name)
        if asked == "value":
            return self._value(panel.fields, name)
        if asked == "name":
            return name
        as_group = Field(name, "group", (name,), panel.label, fields=panel.fields)
        return self._container(name, as_group, self.snapshot["groups"].get(name, {}), asked, word)

    def _container(self, address: str, field: Field, facts: dict[str, Any], asked: str, word: Any) -> Any:
        inside = [(a, f) for a, f in self.fields.items() if a.startswith((f"{address}.", f"{address}["))]
        if asked == "rows":
            return facts.get("count", 0)
        if asked == "shows":
            return facts.get("shows", [])
        if asked == "allows":
            return self._allows(address, facts, word)
        if asked == "value":
            return self._value(field.fields, address) if field.kind == "group" or address.endswith("]") else self._rows(field, address)
        if asked == "state":
            return self._state(address, field, facts)
        if asked == "is":
            return self._container_is(address, facts, inside, word)
        if asked == "breaks":
            said = self._said(field, facts.get("shows", []))
            return said or not_observable(address, "it shows none of the sheet's messages, and rules broken without one cannot be seen")
        return None

    def _container_is(self, address: str, facts: dict[str, Any], inside: list[tuple[str, Any]], word: str) -> Any:
        name = _OPPOSITE.get(word, word)
        wanted = name == word
        there = [f for _, f in inside if f is not None]
        if name == "visible":
            return (bool(facts.get("visible")) or any(f["visible"] for f in there)) is wanted
        if name == "marked":
            return bool(facts.get("marked"))
        if name == "focused":
            return any(f["focused"] for f in there) is wanted
        if name == "enabled":
            return any(f["enabled"] for f in there) is wanted
        if name in ("dirty", "touched") and there and all(f[name] is not None for f in there):
            return any(f[name] for f in there) is wanted
        if word == "asking":
            return any(f["busy"] for f in there)
        what = "the form" if address == "form" else "a group or list"
        return not_observable(address, f"a page does not tell whether {what} is {word}; check what it shows")

    def _allows(self, address: str, facts: dict[str, Any], doing: str) -> Any:
        if doing == "move":
            return not_observable(address, "a page does not tell whether rows can be moved")
        if doing == "remove" and "remove" not in facts:
            rows = [self.snapshot["groups"].get(f"{address}[{i}]", {}).get("remove") for i in range(facts.get("count", 0))]
            why = "" if "" in rows else rows[0] if rows else "missing"
        else:
            why = facts.get(doing, "missing")
        if why in ("hidden", "disabled"):
            return Refusal(f"button {why}", address, doing)
        return _no_button(address, doing) if why else None

    def _value(self, fields: tuple[Field, ...], around: str) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for field in fields:
            address = f"{around}.{field.name}" if around else field.name
            if field.kind == "rows":
                found[field.name] = self._rows(field, address)
            elif field.kind == "group":
                found[field.name] = self._value(field.fields, address)
            elif (facts := self.fields.get(address)) is not None:
                found[field.name] = value_of(field, facts)
        return found

    def _rows(self, field: Field, address: str) -> list[Any]:
        count = self.snapshot["rows"].get(address, {}).get("count", 0)
        return [self._value(field.fields, f"{address}[{i}]") for i in range(count)]

    def values(self) -> dict[str, Any]:
        """The values of all that is on the page; of a page's own form by the names of its controls, several of one name in a list."""
        if self.form.page is None:
            return self._value(self.form.fields, "")
        found: dict[str, Any] = {}
        for field in self.form.fields:
            facts = self.fields.get(field.name)
            if facts is None or not field.native.name:
                continue
            value = value_of(field, facts)
            if field.native.repeats:
                found.setdefault(field.native.name, []).append(value)
            else:
                found[field.native.name] = value
        return found

    def _form(self, asked: str, word: Any) -> Any:
        if asked == "value":
            return self.values()
        if asked == "shows":
            return self.snapshot["own"]
        if asked == "name":
            return ""
        if asked == "state":
            words = (["busy"] if self._busy() else []) + ([] if self.snapshot["formVisible"] else ["hidden"])
            return FieldState("", "form", None, None, None, tuple(words), (), tuple(self.snapshot["own"]), self.facts.ms, 0)
        if asked == "is":
            return self._form_is(word)
        if asked == "breaks":
            return not_observable("form", "a page does not tell which rules the form breaks; check what it shows")
        return None

    def _form_is(self, word: str) -> Any:
        name = _OPPOSITE.get(word, word)
        if name == "busy":
            return self._busy() is (name == word)
        if name == "visible":
            return bool(self.snapshot["formVisible"]) is (name == word)
        if name == "attempted":
            return self.snapshot["pressed"] > 0 or bool(self.facts.submissions)
        if name in ("valid", "invalid") and self.live.validity == "native":
            return any(f and f["flags"] for f in self.fields.values()) is (word == "invalid")
        return self._container_is("form", {}, list(self.fields.items()), word)

    def _busy(self) -> bool:
        return bool(self.snapshot["busy"]) or bool(self.facts.waiting)

    # the rest
    def errors(self) -> dict[str, list[str]] | NotObservable:
        """Return every visible message by address."""
        found = {"": self.snapshot["own"]}
        unseen = (unseen_message(self._written(key), facts) for key, facts in self.fields.items() if facts)
        if (first := next(filter(None, unseen), None)) is not None:
            return first
        for part in (self.snapshot["groups"], self.snapshot["rows"], self.fields):
            found.update({self._written(key): facts["shows"] for key, facts in part.items() if facts})
        return {address: texts for address, texts in found.items() if texts}

    def _written(self, key: str) -> str:
        """Write the agent's *key* as an address."""
        field = next((f for f in self.form.fields if f.name == key), None) if self.form.page is not None else None
        return field.address if field is not None else key

    def outcome(self) -> str | NotObservable:
        """Return the outcome of the last press or submission."""
        sent = self.facts.submissions
        if self.facts.waiting or (self.facts.questions and self._pressed_last()):
            return "waiting"
        if self._pressed_last():
            return self._unsent()
        if not sent:
            return "none"
        status = int(sent[-1].status)
        if 0 < status < 400 and sent[-1].request.navigates and self._came_back():
            return "rejected"
        return "waiting" if status == 0 else "lost" if status < 0 else "accepted" if status < 400 else "rejected"

    def _unsent(self) -> str | NotObservable:
        """Return what became of a press that sent nothing, as far as the page shows it."""
        snapshot = self.snapshot
        if snapshot["rejected"]:
            return "rejected"
        if snapshot["accepted"] or snapshot["views"].get("done") or self._told() is not None:
            return "accepted"
        if snapshot["refusedByBrowser"] or self._came_back() or snapshot["accepted"] is False or self.live.payload is not None:
            return "refused"
        why = "nothing was sent, and no message or mark came; name what the page shows once it has accepted the form"
        return not_observable("outcome", f"{why}: live: {{accepted: '#done'}}")

    def _came_back(self) -> bool:
        """Return whether the form is there with a message or a mark."""
        if not self.snapshot["formVisible"]:
            return False
        parts = (*self.snapshot["groups"].values(), *self.snapshot["rows"].values(), *(f for f in self.fields.values() if f))
        return bool(self.snapshot["own"] or any(part["shows"] or part.get("marked") for part in parts))

    def _told(self) -> Any:
        """Return what a page that sends nothing shows that it would send; None if it shows nothing."""
        text = self.snapshot["sent"]
        return read_shown(text) if text not in (None, "") else None

    def payload(self) -> Any:
        """Return the body of the last submission, or what the page shows that it would send."""
        last = _last(self)
        return last.payload if last is not None else self._told()

    def _pressed_last(self) -> bool:
        """Return whether the submit button was pressed after all that was sent had been answered."""
        return bool(self.snapshot["pressed"] > max((r["number"] for r in self.snapshot["requests"]), default=0))

    def view(self) -> str | NotObservable:
        """Return the current view."""
        for name, there in self.snapshot["views"].items():
            if there:
                return str(name)
        if self.snapshot["formVisible"]:
            return "editing"
        if self.outcome() == "accepted":
            return "done"
        return not_observable("view", "the form is not visible, and the view that replaces it is unknown; name the views under live.views")

    def location(self) -> str:
        """Return the current location."""
        return target_of(str(self.snapshot["location"]))

    def marked_by_page(self, name: str) -> list[str] | NotObservable:
        """The addresses of the fields that the page marks as dirty or touched."""
        there = {address: facts for address, facts in self.fields.items() if facts is not None}
        unmarked = next((address for address, facts in there.items() if facts[name] is None), None)
        if unmarked is not None:
            return silent(unmarked, name)
        return [self._written(key) for key, facts in there.items() if facts[name]]

    def _state(self, address: str, field: Field, facts: dict[str, Any] | None) -> FieldState:
        kind = "field" if not field.fields else field.kind
        if facts is None:
            return FieldState(address, kind, None, None, None, ("not on the page",), (), (), self.facts.ms, 0)
        words = [word for word in ("focused", "marked", "required", "readonly") if facts.get(word)]
        words += ["hidden"] * (not facts.get("visible", True)) + ["disabled"] * (not facts.get("enabled", True))
        if kind == "field":
            told = (("dirty", "dirty", "clean"), ("touched", "touched", "not touched"))
            words += [yes if facts[name] else no for name, yes, no in told if facts.get(name) is not None]
            words += ["asking"] * self._asking(field, facts)
        value = value_of(field, facts) if kind == "field" else None
        flags = tuple(facts.get("flags") or ()) if self._is_native(self.places.get(field.path, FieldLocators())) else ()
        inside = (f"{address}.", f"{address}[")
        last = max((n for a, n in self.facts.last_step.items() if a == address or a.startswith(inside)), default=0)
        shows, rows = tuple(facts.get("shows", ())), facts.get("count") if field.fields else None
        return FieldState(address, kind, value, None, rows, tuple(words), flags, shows, self.facts.ms, last)


def _not_there(address: str) -> NotObservable:
    remedy = f"if it is there, locate it with live.find.{address}"
    return not_observable(address, f"no control on the page has that name or label; {remedy}")


def _offers(address: str, field: Field, facts: dict[str, Any]) -> Any:
    if facts["options"] is None:
        why = "its list could not be opened, so its options cannot be seen"
        return not_observable(address, f"{why}; name what opens it: {find_line(address, 'open', '.its-button')}")
    return [option_value(field, value) for value, _, _ in facts["options"] if value != "" or has_blank(field)]


def _no_button(address: str, doing: str) -> NotObservable:
    return not_observable(address, f"the button that {doing}s a row was not found; locate it with live.find.{address}.{doing}")


def _reads(address: str, facts: dict[str, Any]) -> Any:
    if facts["kind"] == "number" and "badInput" in (facts["flags"] or ()):
        return not_observable(address, "a browser does not expose the text of a number control that holds no number")
    return reads_as(facts["value"])


def _said_by(rule: Any, shows: list[str]) -> Iterator[tuple[str, ...]]:
    """Return the names of *rule* if one of the visible messages is its own."""
    if rule.say is None:
        return
    for kind in rule.kinds:
        if any(re.fullmatch(pattern_of(rule.say, parameters_of(rule)), text) for text in shows):
            yield (kind.flag, kind.name, rule.id) if rule.id else (kind.flag, kind.name)


def read_shown(shown: Any) -> Any:
    """Read what a page shows as its data: JSON, pairs of a table, or a name and a value on each line; else the text."""
    if not isinstance(shown, str):
        return dict(shown)
    try:
        return json.loads(shown)
    except ValueError:
        pass
    lines = [line.partition(":") if ":" in line else line.partition("=") for line in shown.strip().splitlines()]
    if lines and all(mark for _, mark, _ in lines):
        return {name.strip(): value.strip() for name, _, value in lines}
    return shown


_FIELD: dict[str, Callable[[str, Field, dict[str, Any]], Any]] = {
    "value": lambda address, field, facts: unread_value(address) if is_unread(facts) else value_of(field, facts),
    "shows": lambda address, field, facts: facts["shows"] or unseen_message(address, facts) or [],
    "reads": lambda address, field, facts: _reads(address, facts),
    "offers": lambda address, field, facts: _offers(address, field, facts),
    "labels": lambda address, field, facts: [label for _, label, _ in facts["options"] or ()],
}


# values
def value_of(field: Field, facts: dict[str, Any]) -> Any:
    """The value that the page's control holds, as the sheet's field would."""
    raw = facts["value"]
    if field.kind == "checkbox":
        if field.many:
            return [option_value(field, value) for value in raw] if isinstance(raw, list) else raw
        return raw
    if field.many:
        return [option_value(field, value) for value in raw or []]
    if field.kind in ("select", "radio"):
        return None if raw is None or (raw == "" and not has_blank(field)) else option_value(field, raw)
    if field.kind == "file" or not isinstance(raw, str):
        return raw
    return parser(field)(raw)[0]


def has_blank(field: Field) -> bool:
    """Return whether an option without a value belongs to the field, rather than being the page's placeholder."""
    return isinstance(field.options, tuple) and any(option.value == "" for option in field.options)


def option_value(field: Field, text: Any) -> Any:
    """The value of the sheet's option that the page calls *text*, by its value or its label."""
    offered = field.options if isinstance(field.options, tuple) else ()
    for option in offered:
        if reads_as(option.value) == text:
            return option.value
    return next((option.value for option in offered if option.label == text), text)


# nouns
def _button_is(sight: PageSnapshot, noun: Noun, word: str) -> Any:
    if noun.name:
        button = _named_button(sight, noun.name)
        missing, remedy = f"button {noun.name}", "no button in the form has that text, label or name"
    else:
        button = sight.snapshot["submit"]
        missing, remedy = "submit", "the submit button was not found; locate it with live.submit"
    name = _OPPOSITE.get(word, word)
    if button is None:
        return word == "hidden" if name == "visible" else not_observable(missing, remedy)
    return bool(button[name]) is (name == word)


def _named_button(sight: PageSnapshot, name: str) -> dict[str, Any] | None:
    """Return the page's button that the script calls *name*: by its label in the sheet, its text or its name."""
    label = next((button.label for button in sight.form.buttons if button.name == name), name)
    for text, own, enabled, visible in sight.snapshot["buttons"]:
        if label in (text, own) or name == own:
            return {"enabled": enabled, "visible": visible}
    return None


def _notice_is(sight: PageSnapshot, noun: Noun, word: str) -> Any:
    notices = sight.snapshot["notices"]
    if not notices:
        return False
    if word == "error":
        return notices[0][0] == "alert"
    return not_observable("notice", f"a page does not tell whether a notice is {word}; check its text")


_IS: dict[str, Callable[[PageSnapshot, Noun, str], Any]] = {
    "submit": _button_is,
    "button": _button_is,
    "outcome": lambda sight, noun, word: found if isinstance(found := sight.outcome(), NotObservable) else found == word,
    "notice": _notice_is,
    "view": lambda sight, noun, word: found if isinstance(found := sight.view(), NotObservable) else found == word,
    "under way": lambda sight, noun, word: bool(sight.facts.under_way),
}


def _last(sight: PageSnapshot) -> Any:
    return sight.facts.submissions[-1] if sight.facts.submissions else None


def _status(sight: PageSnapshot) -> int | None:
    waiting = sight.facts.waiting
    return next((s.status for s in reversed(sight.facts.submissions) if s.status > 0 and not any(s is each for each in waiting)), None)


_STORED_ELSEWHERE = not_observable("record", "the page has its own server, and what that has stored cannot be seen from here")
_VALUES: dict[str, Callable[[PageSnapshot], Any]] = {
    "values": PageSnapshot.values,
    "errors": PageSnapshot.errors,
    "requests": lambda sight: len(sight.facts.submissions),
    "request": lambda sight: f"{last.request.method} {last.request.target}" if (last := _last(sight)) else None,
    "payload": PageSnapshot.payload,
    "body": lambda sight: last.request.body.decode("utf-8", "replace") if (last := _last(sight)) else None,
    "location": PageSnapshot.location,
    "record": lambda sight: sight.facts.record if sight.live.requests == "standin" else _STORED_ELSEWHERE,
    "status": _status,
    "notice": lambda sight: sight.snapshot["notices"][0][1] if sight.snapshot["notices"] else None,
    "alert": lambda sight: sight.snapshot["alert"],
    "focus": lambda sight: [sight._written(sight.snapshot["focus"])] if sight.snapshot["focus"] else [],
    "dirty": lambda sight: sight.marked_by_page("dirty"),
    "touched": lambda sight: sight.marked_by_page("touched"),
    "view": PageSnapshot.view,
    "outcome": PageSnapshot.outcome,
    "under way": lambda sight: sight.facts.under_way,
}
