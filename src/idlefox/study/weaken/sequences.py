"""Steps that bring out what faults change: all filled in and sent, pressed twice, rejected, reset; values that only just fit, or do not."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.model.form import TEXT_KINDS, Field, Form, walk
from ...forms.names.shapes import write_address
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...playing.subjects import Loaded
from ...script import tree
from ...script.tree import Address, Noun
from ..filling import Filling, instances
from ..samples import matching, parameter

Steps = tuple[Any, ...]
_SPOILT = ("5", "x", "Q", "é")
_MOST_ROWS = 20  # rows added by a sequence


def sequences_of(loaded: Loaded, clock: int) -> Iterator[Steps]:
    """Sequences of steps on the form of *loaded*, from load."""
    form = loaded.form
    boxes = [field for field in walk(form.fields) if field.kind == "checkbox" and not field.many and "*" not in field.path]
    toggles = tuple(tree.Turn(Address(field.path), True) for field in boxes)
    for ahead in ((), toggles) if toggles else ((),):
        subject = loaded.begin(".")
        assert isinstance(subject, SimulatedForm)
        subject.load(clock)
        taken = tuple(step for step in ahead if take_step(subject, step, 1) is None)
        for filled in _filled(form, subject, ""):
            yield from _sent((*taken, *filled), tree.Submit())
        yield from ((*taken, *steps) for steps in _values(form, form, subject))
    yield from _panels(loaded, clock)
    for field in walk(form.fields):
        if field.kind == "rows" and "*" not in field.path:
            most = field.most if field.most is not None and field.most < _MOST_ROWS else 1
            yield (tree.Add(Address(field.path)),) * (most + 1)
            yield (tree.Add(Address(field.path)), *(tree.Remove(Address((*field.path, 0))),) * (most + 1))


def _panels(loaded: Loaded, clock: int) -> Iterator[Steps]:
    for panel in loaded.form.panels:
        name = tree.WordToken(panel.panel)
        subject = loaded.begin(".")
        assert isinstance(subject, SimulatedForm)
        subject.load(clock)
        if take_step(subject, tree.Open(name), 1) is None:
            for filled in _filled(loaded.form, subject, panel.panel):
                yield from _sent((tree.Open(name), *filled), tree.Submit(name))
            yield from ((tree.Open(name), *steps) for steps in _values(loaded.form, panel, subject))


def _filled(form: Form, subject: SimulatedForm, panel: str) -> Iterator[Steps]:
    """The form (or panel) filled in so that it can be sent; then so with everything in it filled."""
    filling = Filling(form, panel)
    sent = filling.sent_from(subject)
    if sent is None:
        return
    least = tuple(step for step in sent if not isinstance(step, tree.Submit | tree.Settle | tree.Wait))
    yield least
    full = subject.trial()
    steps: list[Any] = []
    for step in least:
        take_step(full, step, 1)
        steps.append(step)
    for field in walk(filling.model.fields):
        for at in instances(full, field.path) if field.kind not in ("group", "rows", "hidden") else ():
            address = Noun("address", Address(at))
            if full.look(address, "value") not in ("", None, [], False):
                continue
            for step in filling.entering(full, field, at):
                tried = full.trial()
                if take_step(tried, step, 1) is None and not any(tried.look(address, "is", word) for word in ("invalid", "empty")):
                    full = tried
                    steps.append(step)
                    break
    yield tuple(steps)


def _sent(filled: Steps, submit: tree.Submit) -> Iterator[Steps]:
    settle = tree.Settle(None)
    yield (*filled, tree.Reset())
    yield (*filled, submit, settle)
    yield (*filled, submit, tree.Wait(10), submit, settle)
    yield (tree.Answer(None, "status", 422), *filled, submit, settle)
    entered = [step for step in filled if isinstance(step, tree.FillLine)]
    for step in entered[:1]:
        complaint = tree.Answer(None, "status", 422, {"errors": {write_address(step.address.segments): "No."}})
        yield (complaint, *filled, submit, settle, tree.Focus(step.address), tree.Blur(None), step, *entered[1:2])
    yield (*filled, tree.Leave(), tree.Return())


def _values(form: Form, one: Form, subject: SimulatedForm) -> Iterator[Steps]:
    """One value after the other in each text field: with white space about it, and as its pattern nearly wants it."""
    filling = Filling(form)
    for field in walk(one.fields):
        if field.kind not in TEXT_KINDS:
            continue
        for at in instances(subject, field.path)[:1]:
            good = next((s.value for s in filling.entering(subject, field, at) if isinstance(s, tree.FillLine) and s.value), None)
            for text in dict.fromkeys(_near(field, good if isinstance(good, str) else "a")):
                yield (tree.FillLine(Address(at), text),)


def _near(field: Field, good: str) -> Iterator[str]:
    yield from (f"{good} ", f" {good}", good.upper(), good.lower())
    pattern = parameter(field, "pattern")
    for text in matching(str(pattern))[:2] if pattern is not None else ():
        yield from (f"{text}x", f"x{text}", f"{text}5")
        yield from (f"{text[:at]}{other}{text[at + 1 :]}" for at in range(min(len(text), 12)) for other in _SPOILT)
