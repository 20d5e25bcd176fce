"""Lint of a form sheet by running it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import Any

from ...engine.compile.compiler import compile_form
from ...engine.session.session import SessionFactory
from ...forms.expressions.tree import TRUE
from ...forms.model.form import Field, Form, Path
from ...forms.values.durations import parse_instant
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...script import tree
from ...script.tree import Address, Noun
from ..filling import Filling
from ..samples import candidates
from .findings import Finding
from .sheet_places import SheetPlaces

# A finding that depends on the date is reported only if it is true on two days far apart.
_DAYS = (parse_instant("2030-01-01T09:00:00Z") or 0, parse_instant("2047-07-15T16:30:00Z") or 0)
_MOST_FILLED = 300  # fields of a form that is filled in
_MOST_COPIED = 100_000  # fields copied in total, to try a first key in each field of a fresh form
_MOST_LOOKUPS = 50
_ENOUGH = 10 * 60_000  # longer than anybody waits, in milliseconds
_FORM, _SUBMIT = Noun("form"), Noun("submit")


def played_findings(form: Form, at: SheetPlaces) -> Iterator[Finding]:
    """Yield findings from running *form*. Sheets with Python rules do not run, because nobody has allowed their code."""
    if form.python or not form.fields:
        return
    played = _Played(form, at)
    yield from played.nags()
    yield from played.sends_while_asking()


class _Played:
    def __init__(self, form: Form, at: SheetPlaces) -> None:
        self.form, self.at = form, at
        self.stage = SessionFactory(compile_form(form))
        self.filling = Filling(form)
        self.opened = [(field, path) for field, path in _addresses(form.fields, ()) if field.kind not in ("group", "rows")]
        self.typed: dict[Path, str] = {}

    def _fresh(self, now: int = _DAYS[0]) -> SimulatedForm | None:
        subject = SimulatedForm(self.stage, ".")
        return subject if subject.load(now) is None else None

    # messages shown too early
    def nags(self) -> Iterator[Finding]:
        early: list[dict[Path, str]] = []
        for now in _DAYS:
            subject = self._fresh(now)
            if subject is None:
                return
            early.append({field.path: said for field, path in self.opened if (said := _says(subject, path))})
            if said := _says(subject, None):
                early[-1][()] = said
        for path, said in early[0].items():
            if path in early[1]:
                yield self._nag(path, f"{self._called(path)} shows this message at load: {said}")
        spent = 0
        for field, path in self.opened:
            if field.path in early[0] or field.report.first not in ("load", "change") or field.native is not None:
                continue
            spent += len(self.opened)
            if spent > _MOST_COPIED:
                return
            found = self._at_first_key(field, path)
            if found:
                yield self._nag(field.path, found)

    def _at_first_key(self, field: Field, path: tuple[Any, ...]) -> str:
        """Yield messages that show after the first key of a valid text."""
        for text in candidates(field)[:4]:
            if isinstance(text, str) and len(text) > 1:
                said = self._said_at_first(path, text, _DAYS[0])
                if said == "":
                    return ""
                if said and self._said_at_first(path, text, _DAYS[1]):
                    return f"{field.address} shows this message at the first key of {text!r}: {said}"
        return ""

    def _said_at_first(self, path: tuple[Any, ...], text: str, now: int) -> str | None:
        """Return the message at the first key of *text*; None if *text* cannot be typed or is invalid as a whole."""
        subject = self._fresh(now)
        if subject is None or subject.perform(tree.Type(Address(path), text[0]), 1) is not None:
            return None
        said = _says(subject, path)
        if not said:
            return ""
        holds = subject.perform(tree.Type(Address(path), text[1:]), 2) is None and not _is(subject, path, "invalid")
        return said if holds else None

    def _called(self, path: Path) -> str:
        field = self.form.find(path) if path else None
        return field.address if field is not None else "the form"

    def _nag(self, path: Path, message: str) -> Finding:
        keys = self.at.place_of(path) if path else ("reveal",)
        return self.at.path(
            "nags", keys, message, "wait until the person leaves the field: report: {first: blur}"
        )

    # sending
    def sends_while_asking(self) -> Iterator[Finding]:
        """Fields whose lookup is pending while the button, whose condition should prevent that, can be pressed."""
        if self.form.submit.enabled is None or self.form.submit.enabled is TRUE or self.form.page is not None:
            return
        asking = [(f, path) for f, path in self.opened if any(kind.name == "lookup" for rule in f.rules for kind in rule.kinds)]
        for field, path in asking[:_MOST_LOOKUPS]:
            for subject in (self._fresh(), self._filled()):
                if subject is not None and self._can_press(subject, field, path):
                    message = f"the submit button is enabled while the lookup of {field.address} is pending"
                    path_ = ("submit", "enabled")
                    yield self.at.path(
                        "sends-while-asking", path_, message, "use enabled: form.valid, which is false while a lookup is pending"
                    )
                    return

    def _can_press(self, subject: SimulatedForm, field: Field, path: tuple[Any, ...]) -> bool:
        for step in islice(self.filling.entering(subject, field, path), 8):
            tried = subject.trial()
            if take_step(tried, step, 1) is not None:
                continue
            for _ in range(3):
                if _is(tried, path, "asking"):
                    return bool(tried.look(_SUBMIT, "is", "enabled"))
                if tried.advance(_ENOUGH, lambda tried=tried: _is(tried, path, "asking")) is not True:  # type: ignore[misc]
                    break
        return False

    def _filled(self) -> SimulatedForm | None:
        """Return a running form in which every field that takes a value has a valid one; None if that was not found."""
        subject = self._fresh()
        steps = self.filling.filled_in(subject) if subject is not None and len(self.opened) <= _MOST_FILLED else None
        if subject is None or steps is None:
            return None
        return subject if all(take_step(subject, step, 1) is None for step in (*steps, self.filling.settle)) else None


def _addresses(fields: tuple[Field, ...], above: tuple[Any, ...]) -> Iterator[tuple[Field, tuple[Any, ...]]]:
    """Every field with its address; of a list with rows at load, those of the first row."""
    for field in fields:
        path = (*above, field.name)
        yield field, path
        if field.kind == "group":
            yield from _addresses(field.fields, path)
        elif field.kind == "rows" and (field.least if field.start is None else field.start):
            yield from _addresses(field.fields, (*path, 0))


def _says(subject: SimulatedForm, path: tuple[Any, ...] | None) -> str:
    found = subject.look(_FORM if path is None else Noun("address", Address(path)), "shows")
    return found[0] if isinstance(found, list | tuple) and found else ""


def _is(subject: SimulatedForm, path: tuple[Any, ...], word: str) -> bool:
    return subject.look(Noun("address", Address(path)), "is", word) is True
