"""Completes a line of a script: keywords, addresses, options and states, each with its meaning.

Used by the prompt, the editor and the shell. It parses loosely, because an incomplete line is usually invalid.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from ..forms.model.form import CHOICE_KINDS, FLAG_NAMES, TEXT_KINDS, Field, Form
from ..forms.names.addresses import parse_address
from ..forms.names.shapes import write_address
from ..forms.names.states import FIELD_STATES, FORM_STATES
from ..forms.values.values import written
from ..forms.values.whatwg import DATE_KINDS
from ..records import NamedTuple
from ..words.table import words
from .against import rule_names
from .checks import FIELD, NOUNS
from .steps import KEYS

_FRAGMENT = re.compile(r'"(?:[^"\\]|\\.)*$|[\w.\[\]$+-]*$')
_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|\[[^\]]*\]|[^\s,]+|,')
_BUTTON_STATES = ("enabled", "disabled", "visible", "hidden")
_OF_NOUN = {
    "form": tuple(FORM_STATES), "submit": _BUTTON_STATES, "button": _BUTTON_STATES,
    "outcome": ("none", "refused", "waiting", "accepted", "rejected", "lost"), "notice": ("success", "error", "info", "lasting"),
}  # fmt: skip
_TYPED = TEXT_KINDS | DATE_KINDS | {"number"}
# Which fields a step is for.
_FOR: dict[str, Callable[[Field], bool]] = {
    "type": lambda f: f.kind in _TYPED, "retype": lambda f: f.kind in _TYPED, "paste": lambda f: f.kind in _TYPED,
    "erase": lambda f: f.kind in _TYPED, "clear": lambda f: f.kind in _TYPED,
    "set": lambda f: f.kind not in ("select", "radio", "checkbox", "file", "group", "rows", "hidden"),
    "pick": lambda f: f.kind in CHOICE_KINDS or f.many, "turn": lambda f: f.kind == "checkbox" and not f.many,
    "toggle": lambda f: f.kind == "checkbox" and not f.many, "upload": lambda f: f.kind == "file", "add": lambda f: f.kind == "rows",
    "remove": lambda f: f.kind == "rows", "move": lambda f: f.kind == "rows", "inside": lambda f: f.kind in ("group", "rows"),
    "focus": lambda f: f.kind not in ("group", "rows", "hidden"), "blur": lambda f: f.kind not in ("group", "rows", "hidden"),
}  # fmt: skip
_MOST_ROWS = 1  # rows offered in addresses


class Candidate(NamedTuple):
    """One completion: *text* replaces everything from *start* on. *kind*: word, address, value, state, rule or name."""

    text: str
    start: int
    means: str = ""
    kind: str = "word"


class KnownNames(NamedTuple):
    """Further names: routines with their parameters, tags, and the `$parameters` of the line."""

    form: Form | None = None
    routines: tuple[tuple[str, tuple[str, ...]], ...] = ()
    parameters: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    rows: Callable[[Any], int] | None = None  # how many rows a list has now, by its address; None: one


def complete(line: str, known: KnownNames, *, at_top: bool = False, in_fill: bool = False) -> list[Candidate]:
    """Complete *line* up to the cursor. *at_top*: it is outside any block; *in_fill*: it is a line of a `fill`."""
    found = _FRAGMENT.search(line)
    assert found is not None
    fragment, start = found[0], found.start()
    before: list[str] = _TOKEN.findall(line[:start])
    if fragment.startswith("$"):
        return [Candidate(f"${name}", start, "a parameter", "name") for name in known.parameters if f"${name}".startswith(fragment)]
    offered = _Offers(known, fragment).of(before, at_top=at_top, in_fill=in_fill)
    return [Candidate(text, start, means, kind) for text, means, kind in _matching(offered, fragment)]


def _matching(offered: Iterable[tuple[str, str, str]], fragment: str) -> Iterator[tuple[str, str, str]]:
    """Return the candidates that start with *fragment*, then those that contain it."""
    distinct = list(dict.fromkeys(offered))
    small = fragment.lower()
    first = [each for each in distinct if each[0].lower().startswith((small, f'"{small}') if small else "")]
    yield from first
    if fragment:
        yield from (each for each in distinct if each[2] == "address" and small in each[0].lower() and each not in first)


_Offer = tuple[str, str, str]


class _Offers:
    def __init__(self, known: KnownNames, fragment: str) -> None:
        self.known, self.form, self.fragment = known, known.form, fragment

    def of(self, before: list[str], *, at_top: bool, in_fill: bool) -> Iterator[_Offer]:
        if at_top:
            yield from self._top(before)
        elif in_fill:
            yield from self.addresses(lambda f: f.kind != "hidden") if not before else self.values(before[0])
        elif not before:
            yield from self._words("steps")
            yield from ((word, _meaning(word), "word") for word in ("expect", "inside", "fill"))
        elif before[0] == "expect":
            yield from self._check(before[1:])
        else:
            yield from self._step(before)

    def _top(self, before: list[str]) -> Iterator[_Offer]:
        if not before:
            yield from self._words("headers")
            yield from self._words("blocks")
        elif before[0] == "scenario" and len(before) > 1:
            yield from ((tag, "a tag", "name") for tag in self.known.tags)
            yield from ((word, _meaning(word), "word") for word in ("known", "aside"))

    def _words(self, group: str) -> Iterator[_Offer]:
        for word in words():
            if word.group == group and word.word not in ("expect",):
                yield word.word, word.means, "word"

    # steps
    def _step(self, before: list[str]) -> Iterator[_Offer]:
        verb = before[0]
        if verb in _FOR and len(before) == 1:
            yield from self.addresses(_FOR[verb], rows=verb in ("remove", "move"))
        elif verb in _FOR:
            yield from self._behind_address(verb, before)
        elif verb in _VERBS:
            yield from _VERBS[verb](self, before)

    def _press(self, before: list[str]) -> Iterator[_Offer]:
        if len(before) == 1:
            yield from ((key, "a key", "word") for key in KEYS)
        elif before[-1] == "in":
            yield from self.addresses(_FOR["focus"])
        else:
            yield "in", "in which field", "word"

    def _submit(self, before: list[str]) -> Iterator[_Offer]:
        if before[-1] == "by":
            yield from ((f'"{b.name}"', b.label, "name") for b in (self.form.buttons if self.form else ()))
            return
        yield from self._panels(before)
        yield from [("by", "which button", "word"), ("past checks", "without the form's own checks", "word")]

    def _do(self, before: list[str]) -> Iterator[_Offer]:
        for name, parameters in self.known.routines if len(before) == 1 else ():
            yield f"{name}({', '.join(parameters)})" if parameters else name, "a routine", "name"

    def _behind_address(self, verb: str, before: list[str]) -> Iterator[_Offer]:
        if verb == "pick":
            yield from self.values(before[1])
            if len(before) == 2:
                yield from [("also", "in addition to the current choice", "word"), ("except", "remove from the current choice", "word")]
        elif verb == "turn":
            yield from [("on", "", "word"), ("off", "", "word")]
        elif verb == "type" and len(before) > 2:
            yield "every", "time between two keys: every 100ms", "word"
        elif verb == "set":
            yield from self.values(before[1])
        elif verb == "add":
            yield from [("at", "at this row number, from 0", "word"), ("with", 'the values of the row: with {"name": "…"}', "word")]
        elif verb == "move":
            yield "to", "the new row number, from 0", "word"

    def _panels(self, before: list[str]) -> Iterator[_Offer]:
        for panel in self.form.panels if self.form is not None and len(before) == 1 else ():
            yield panel.panel, panel.label or "a panel", "name"

    def _answer(self, before: list[str]) -> Iterator[_Offer]:
        if len(before) == 1:
            yield "submit", "the answer to the next submission", "word"
            yield from ((name, "a lookup", "name") for name in (self.form.lookups if self.form is not None else ()))
        elif before[-1] == "with":
            kinds = ("accept", "refuse", "nothing", "failure") if before[1] != "submit" else ("201", "422", "500", "nothing", "failure")
            yield from ((kind, "", "word") for kind in kinds)
        else:
            yield from ((word, "", "word") for word in ("with", "after"))

    # checks
    def _check(self, before: list[str]) -> Iterator[_Offer]:
        if not before:
            yield from self.addresses(lambda f: True)
            yield from ((noun, _meaning(noun, "nouns"), "word") for noun in NOUNS)
            yield "cannot", _meaning("cannot"), "word"
            return
        if before[0] == "cannot":
            yield from self.of(before[1:], at_top=False, in_fill=False)
            return
        noun, rest = before[0], [word for word in before[1:] if word != "not"]
        if noun == "button" and rest:
            rest = rest[1:]
        if not rest:
            yield from self._predicates(noun)
            yield from [("not", "the opposite", "word")] if before[-1] != "not" else ()
            return
        yield from self._arguments(noun, rest)

    def _predicates(self, noun: str) -> Iterator[_Offer]:
        field = self.field(noun)
        known = NOUNS.get(noun, FIELD)
        for word in known:
            if field is not None and not _fits(field, word):
                continue
            yield word, _meaning(word, "predicates"), "word"

    def _arguments(self, noun: str, rest: list[str]) -> Iterator[_Offer]:
        predicate = rest[0]
        if rest[-1] not in (predicate, ",", "only", "not", "nothing", "like") and predicate != "has":
            yield from [("within", _meaning("within"), "word"), ("for", _meaning("for"), "word")]
            return
        if predicate == "is":
            yield from self._states(noun)
        elif predicate == "breaks":
            yield from self._rules(noun)
        elif predicate == "shows":
            yield from [("nothing", "no message", "word"), ("like", "a pattern: like /…/", "word")] if rest[-1] == predicate else ()
            yield from self._messages(noun)
        elif predicate == "allows":
            yield from ((word, "", "word") for word in ("add", "remove", "move"))
        elif predicate == "has":
            yield from [("rows", "", "word"), ("options", "", "word")] if len(rest) == 2 else ()
        elif predicate in ("=", "!=", "offers", "includes", "contains"):
            if noun in ("dirty", "touched", "focus"):
                yield from self.addresses(lambda f: f.kind not in ("group",))
            else:
                yield from self.values(noun)
                yield from [("like", "a pattern: like /…/", "word")] if predicate in ("=", "!=") else ()
        elif predicate == "omits":
            yield from self.addresses(lambda f: True)

    def _states(self, noun: str) -> Iterator[_Offer]:
        if noun == "view" and self.form is not None:
            views = ["editing", "waiting", "done", *self.form.views, *(a.view for a in self.form.after.values() if a.view)]
            yield from ((view, "a view", "state") for view in dict.fromkeys(views))
            return
        field = self.field(noun)
        for word in _OF_NOUN.get(noun, tuple(FIELD_STATES)):
            if word not in ("on", "off") or field is None or (field.kind == "checkbox" and not field.many):
                yield word, _meaning(word, "states"), "state"

    def _rules(self, noun: str) -> Iterator[_Offer]:
        yield from [("nothing", "no rule is broken", "word"), ("only", "exactly these rules", "word")]
        if self.form is None:
            return
        path = () if noun == "form" else self._path(noun)
        own = rule_names(self.form).get(path or (), set())
        for name in sorted(own, key=lambda name: (name in FLAG_NAMES, name)):
            yield name, "a flag of HTML's ValidityState" if name in FLAG_NAMES else "a rule", "rule"

    def _messages(self, noun: str) -> Iterator[_Offer]:
        field = self.field(noun)
        for rule in (self.form.rules if noun == "form" and self.form is not None else field.rules if field is not None else ()):
            if rule.say is not None and not rule.say.placeholders:
                yield written(rule.say.text), "a message", "value"

    # names and values
    def addresses(self, fits: Callable[[Field], bool], *, rows: bool = False) -> Iterator[_Offer]:
        """The addresses of the fields that *fits* takes; of the rows of lists, where *rows*."""
        if self.form is None:
            return
        for one in (self.form, *self.form.panels):
            for field in one.fields:
                yield from self._addresses(field, (one.panel, field.name) if one.panel else (field.name,), fits, rows)

    def _addresses(self, field: Field, path: tuple[Any, ...], fits: Callable[[Field], bool], rows: bool) -> Iterator[_Offer]:
        name = field.native.address if field.native is not None else write_address(path)
        means = f"{field.label}: {_called(field)}" if field.label else _called(field)
        if fits(field) and not rows:
            yield f".{name}" if name in NOUNS else name, means, "address"
        if field.kind != "rows":
            for each in field.fields:
                yield from self._addresses(each, (*path, each.name), fits, rows)
            return
        count = self.known.rows(path) if self.known.rows is not None else _MOST_ROWS
        for row in range(count):
            if rows:
                yield write_address((*path, row)), f"row {row + 1} of {field.label or field.name}", "address"
            for each in field.fields:
                yield from self._addresses(each, (*path, row, each.name), fits, rows)

    def values(self, address: str) -> Iterator[_Offer]:
        """The values that a choice or a checkbox can have."""
        field = self.field(address)
        if field is None:
            return
        if field.kind == "checkbox" and not field.many:
            yield from [("true", "on", "value"), ("false", "off", "value")]
        for option in field.options if isinstance(field.options, tuple) else ():
            yield written(option.value), option.label if option.label != option.value else "", "value"

    def field(self, address: str) -> Field | None:
        """Return the field that *address* names, None if there is none."""
        path = self._path(address)
        return self.form.find(path) if self.form is not None and path else None

    def _path(self, address: str) -> tuple[str, ...] | None:
        segments = parse_address(address.removeprefix(".")) if address not in NOUNS else None
        return tuple("*" if isinstance(each, int) else str(each) for each in segments) if segments else None


_VERBS: dict[str, Callable[[_Offers, list[str]], Iterator[_Offer]]] = {
    "press": _Offers._press, "submit": _Offers._submit, "do": _Offers._do, "answer": _Offers._answer, "open": _Offers._panels,
    "close": _Offers._panels,
}  # fmt: skip


def all_addresses(form: Form) -> list[tuple[str, str]]:
    """Return every address of *form* with its description."""
    return [(text, means) for text, means, _ in _Offers(KnownNames(form), "").addresses(lambda f: True)]


def _fits(field: Field, predicate: str) -> bool:
    if predicate == "offers":
        return field.kind in CHOICE_KINDS or field.many or field.native is not None
    if predicate == "reads":
        return field.kind in _TYPED
    if predicate == "has":
        return field.kind in ("rows", "checkbox", *CHOICE_KINDS)
    return field.kind == "rows" if predicate == "allows" else True


def _called(field: Field) -> str:
    return {"rows": "a list of rows", "group": "a group"}.get(field.kind, field.kind)


def _meaning(word: str, *groups: str) -> str:
    return next((each.means for each in words() if each.word == word and (not groups or each.group in groups)), "")
