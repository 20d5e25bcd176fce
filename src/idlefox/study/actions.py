"""Generates random actions of a person on a form: everything the model offers, with the likelier ones more often."""

from __future__ import annotations

from collections.abc import Iterator
from random import Random
from typing import Any

from ..forms.model.form import CHOICE_KINDS, TEXT_KINDS, Field, Form, walk
from ..forms.values.whatwg import DATE_KINDS
from ..script import tree
from ..script.tree import Address
from .filling import settling
from .literals import NamedTexts, named_texts
from .samples import candidates, measured, not_matching, options_of, parameter, step_size, written_value

_ROWS = (0, 1)  # the rows of each list in which something is entered
_LONGEST = 24  # characters of a typed text
_HURRIED = 100  # milliseconds
Moves = tuple[Any, ...]


class ActionGenerator:
    """The possible actions on one form, by target. *ends* are actions that send the form or let time pass."""

    def __init__(self, form: Form) -> None:
        self.form = form
        self.fields: list[Moves] = []
        self.rows: list[Moves] = []
        named = named_texts(form)
        for one in (form, *form.panels):
            for field in walk(one.fields):
                for at in _places(field, form):
                    if field.kind == "rows":
                        self.rows.append(tuple(_of_rows(at)))
                    elif field.kind not in ("group", "hidden"):
                        self.fields.append(tuple(_of_field(field, at, form, named)))
        self.ends: Moves = tuple(_sending(form))
        self.answers: Moves = tuple(_answers(form))
        self.pages: Moves = tuple(_pages(form))

    def every(self) -> list[Any]:
        """Return every action once, in a fixed order."""
        groups = (*self.fields, *self.rows, self.ends, self.answers, self.pages)
        return list({repr(each): each for group in groups for each in group}.values())

    def choose(self, random: Random) -> Any:
        """One move."""
        which = random.random()
        if which < 0.52 and self.fields:
            moves = self.fields[int(random.random() * len(self.fields))]
        elif which < 0.64 and self.rows:
            moves = self.rows[int(random.random() * len(self.rows))]
        elif which < 0.86:
            moves = self.ends
        elif which < 0.93:
            moves = self.answers
        else:
            moves = self.pages
        return moves[int(random.random() * len(moves))]


def _places(field: Field, form: Form) -> Iterator[tuple[Any, ...]]:
    """Return the places of *field*: in the first rows of each list around it."""
    found: list[tuple[Any, ...]] = [()]
    for step in field.path:
        found = [(*each, n) for each in found for n in (_ROWS if step == "*" else (step,))]
    yield from found[:4]


def _of_field(field: Field, at: tuple[Any, ...], form: Form, named: NamedTexts) -> Iterator[Any]:
    address = Address(at)
    yield tree.Focus(address)
    yield tree.Blur(None)
    if field.kind == "checkbox" and not field.many:
        yield from (tree.Turn(address, True), tree.Turn(address, False))
    elif field.kind in CHOICE_KINDS or field.many:
        for option in options_of(field)[:5]:
            yield tree.Pick(address, "also" if field.many else "", (option.value,))
        if field.many:
            yield from (tree.Pick(address, "except", (option.value,)) for option in options_of(field)[:2])
    elif field.kind == "file":
        yield from (tree.Upload(address, (tree.UploadFile(str(name), 10, None),)) for name in candidates(field)[:1])
    elif field.kind in DATE_KINDS or field.kind not in (*TEXT_KINDS, "number"):
        for value in (*candidates(field)[:3], *_beside(field), ""):
            yield tree.Set(address, value)
    else:
        for text in dict.fromkeys(_texts(field, form, named)):
            # Replace the text and move to the next field, or keep the cursor where it is.
            yield tree.FillLine(address, text)
            yield tree.Retype(address, text) if text else tree.Clear(address)
        yield tree.Type(address, "x" if field.kind != "number" else "1")
        yield tree.Press("Enter", address)


def _texts(field: Field, form: Form, named: NamedTexts) -> Iterator[str]:
    known = [kind.parameter for rule in field.rules for kind in rule.kinds if kind.name == "lookup"]
    yield from (str(v) for name in known if name in form.lookups for v in (form.lookups[name].accept or ())[:2])
    likely = sorted((text for each in candidates(field)[:4] if len(text := str(each)) <= _LONGEST), key=len)
    yield from likely[: 3 if field.kind == "number" else 2]
    yield from named.get(field.path, ())
    pattern = parameter(field, "pattern")
    wrong = not_matching(str(pattern)) if pattern is not None else None
    yield from (text for text in (wrong, *_beside(field)) if text is not None and len(text) <= _LONGEST)
    least, most = parameter(field, "minlength"), parameter(field, "maxlength")
    if isinstance(least, int) and 1 < least <= _LONGEST:
        yield "a" * (least - 1)
    if isinstance(most, int) and most < _LONGEST:
        yield "a" * (most + 1)
    yield from ("", " ", "x")


def _beside(field: Field) -> list[str]:
    """Numbers and dates just outside of the bounds."""
    found = []
    for name, away in (("min", -1), ("max", 1)):
        limit = measured(field, parameter(field, name)) if field.kind == "number" or field.kind in DATE_KINDS else None
        if limit is not None:
            found.append(written_value(field, limit + away * step_size(field)))
    return [text for text in found if text is not None]


def _of_rows(at: tuple[Any, ...]) -> Iterator[Any]:
    yield from (tree.Add(Address(at)), tree.Add(Address(at)), tree.Add(Address(at), 0))
    yield from (tree.Remove(Address((*at, n))) for n in _ROWS)
    yield tree.Move(Address((*at, 0)), 1)


def _sending(form: Form) -> Iterator[Any]:
    yield from (tree.Submit(), tree.Submit(), settling(form), settling(form), tree.Wait(_HURRIED), tree.Blur(None))
    yield from (tree.Submit(None, button.name) for button in form.buttons)
    times = {lookup.takes for lookup in form.lookups.values()} | {form.server.takes} | {r.debounce for r in _rules(form)}
    yield from (tree.Wait(ms // 2 or 1) for ms in sorted(times) if ms)
    for panel in form.panels:
        name = tree.WordToken(panel.panel)
        yield from (tree.Open(name), tree.Submit(name), tree.Close(name))


def _rules(form: Form) -> Iterator[Any]:
    for field in walk(form.fields):
        yield from field.rules


def _answers(form: Form) -> Iterator[Any]:
    yield tree.Answer(None, "failure")
    yield tree.Answer(None, "status", 422)
    yield tree.Answer(None, "status", 200)
    named = [field.address for field in walk(form.fields) if field.kind not in ("group", "hidden") and "*" not in field.path][:3]
    yield from (tree.Answer(None, "status", 422, {"errors": {name: "No."}}) for name in named)
    for name, lookup in form.lookups.items():
        long = 2 * lookup.takes + 1000
        yield from (tree.Answer(tree.WordToken(name), kind, None, None, long) for kind in ("refuse", "accept"))
        yield tree.Answer(tree.WordToken(name), "failure")


def _pages(form: Form) -> Iterator[Any]:
    yield from (tree.Reset(), tree.Dismiss(), tree.Leave(), tree.Return())
