"""Steps that bring out what faults change: all filled in and sent, pressed twice, rejected, reset; values that only just fit, or do not."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..forms.expressions.tree import Expression
from ..forms.model.form import TEXT_KINDS, Field, Form, walk
from ..forms.names.shapes import write_address
from ..forms.values.whatwg import STEPS
from ..playing.simulated import SimulatedForm
from ..playing.steps import take_step
from ..playing.subjects import Loaded
from ..script import tree
from ..script.tree import Address
from .filling import Filling, beside, instances
from .literals import named_texts
from .samples import candidates, matching, measured, options_of, parameter, step_size, written_value

Steps = tuple[Any, ...]
_SPOILT = ("5", "x", "Q", "é")
_MOST_SETUPS = 8
_MOST_MORE_ROWS = 4  # rows added to a form that is filled in
_MOST_ROWS = 20  # rows added by a sequence


def sequences_of(loaded: Loaded, clock: int) -> Iterator[Steps]:
    """Sequences of steps on the form of *loaded*, from load."""
    form = loaded.form
    for ahead in _setups(form):
        subject = loaded.begin(".")
        assert isinstance(subject, SimulatedForm)
        subject.load(clock)
        taken = tuple(step for step in ahead if take_step(subject, step, 1) is None)
        for filled in _filled(form, subject, ""):
            yield from _sent((*taken, *filled), tree.Submit())
            yield from _switched(form, (*taken, *filled))
            yield from _with_literals(form, subject, (*taken, *filled))
            yield from _with_rows(form, subject, (*taken, *filled))
        yield from ((*taken, *steps) for steps in _values(form, form, subject))
    yield from _panels(loaded, clock)
    yield from _related(form)
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
    sent = filling.find(subject).steps
    if sent is None:
        return
    least = tuple(step for step in sent if not isinstance(step, tree.Submit | tree.Settle | tree.Wait))
    yield least
    full = subject.trial()
    for step in least:
        take_step(full, step, 1)
    yield (*least, *filling.completing(full))


def _sent(filled: Steps, submit: tree.Submit) -> Iterator[Steps]:
    settle = tree.Settle(None)
    yield (*filled, tree.Reset())
    yield (*filled, submit, settle)
    yield (*filled, submit, tree.Wait(10), submit, settle)
    yield (tree.Answer(None, "status", 422), *filled, submit, settle)
    entered = [step for step in filled if isinstance(step, tree.FillLine)]
    yield from ((*filled, tree.Clear(step.address), submit) for step in entered if isinstance(step.value, str))
    for step in entered[:1]:
        complaint = tree.Answer(None, "status", 422, {"errors": {write_address(step.address.segments): "No."}})
        yield (complaint, *filled, submit, settle, tree.Focus(step.address), tree.Blur(None), step, *entered[1:2])
    yield (*filled, tree.Leave(), tree.Return())


def _setups(form: Form) -> Iterator[Steps]:
    """Steps before all others: none; every box ticked; and so with each option of the choices that conditions read."""
    yield ()
    boxes = [field for field in walk(form.fields) if field.kind == "checkbox" and not field.many and "*" not in field.path]
    toggles = tuple(tree.Turn(Address(field.path), True) for field in boxes)
    if toggles:
        yield toggles
    read = _read_by_conditions(form)
    choices = [field for field in walk(form.fields) if field.path in read and options_of(field) and "*" not in field.path]
    setups = [(*toggles, _picked(field, option.value)) for field in choices for option in options_of(field)[:6]]
    yield from setups[:_MOST_SETUPS]


def _picked(field: Field, value: Any) -> Any:
    return tree.FillLine(Address(field.path), [value] if field.many else value)


def _read_by_conditions(form: Form) -> set[tuple[str, ...]]:
    return {r.target for field in walk(form.fields) for e in (field.visible, field.enabled) if e is not None for r in e.reads if r.target}


def _with_rows(form: Form, subject: SimulatedForm, filled: Steps) -> Iterator[Steps]:
    """All filled in, with more rows of each list, and sent."""
    for field in walk(form.fields):
        if field.kind != "rows" or "*" in field.path:
            continue
        filling, steps, full = Filling(form), [*filled], subject.trial()
        for step in filled:
            take_step(full, step, 1)
        for _ in range(_MOST_MORE_ROWS):
            add = tree.Add(Address(field.path))
            more = filling.filled_in(full) if take_step(full, add, 1) is None else None
            if more is None:
                break
            for step in more:
                take_step(full, step, 1)
            steps += [add, *more]
            yield (*steps, tree.Submit(), tree.Settle(None))


def _with_literals(form: Form, subject: SimulatedForm, filled: Steps) -> Iterator[Steps]:
    """All filled in, with each text that an expression compares a field with, and sent; then something else in that field."""
    filling, full = Filling(form), subject.trial()
    for step in filled:
        take_step(full, step, 1)
    for path, texts in named_texts(form).items():
        field = form.find(path) if path else None
        if field is None or field.fields or "*" in path or options_of(field) or field.kind == "checkbox":
            continue
        for text in (*texts, *beside(field, texts)):
            step, tried = tree.FillLine(Address(path), text), full.trial()
            more = filling.filled_in(tried) if take_step(tried, step, 1) is None else None  # it may have shown more fields
            for after in ((), more) if more else ((),):
                sent = (*filled, step, *after, tree.Submit(), tree.Settle(None))
                yield sent
                yield (*sent, tree.Retype(Address(path), f"{text}1"), tree.Blur(None))


def _related(form: Form) -> Iterator[Steps]:
    """Fields whose rules read others, with values of both in each order; and twice the same in a list where each may be once."""
    for field in walk(form.fields):
        kinds = {kind.name for rule in field.rules for kind in rule.kinds}
        if "unique" in kinds and field.path.count("*") == 1:
            one, two = (tuple(n if s == "*" else s for s in field.path) for n in (0, 1))
            rows = Address(field.path[: field.path.index("*")])
            value, other = ([*_some(field), "x"])[:2] if len(_some(field)) > 1 else ("x", "y")
            same = (tree.Add(rows), tree.Add(rows), tree.FillLine(Address(one), value), tree.FillLine(Address(two), value))
            yield same[2:]
            yield (*same[2:], tree.FillLine(Address(two), other))
            yield same
            yield (*same, tree.FillLine(Address(two), other))
        if "*" in field.path:
            continue
        parts = [e for rule in field.rules for e in (rule.when, *(kind.parameter for kind in rule.kinds)) if isinstance(e, Expression)]
        read = {reference.target for each in parts for reference in each.reads}
        for target in sorted(each for each in read if each and each != field.path and "*" not in each):
            found = form.find(target)
            if found is None or found.fields:
                continue
            for value in _some(field):
                for first in _some(found):
                    for then in (each for each in _some(found) if each != first):
                        to, at = Address(target), Address(field.path)
                        yield (tree.FillLine(to, first), tree.FillLine(at, value), tree.FillLine(to, then))


def _some(field: Field) -> list[Any]:
    """A few values of *field* that differ."""
    if field.kind == "checkbox" and not field.many:
        return [True, False]
    if options_of(field):
        return [[option.value] if field.many else option.value for option in options_of(field)[:3]]
    if field.kind in ("number", "range"):
        return ["1", "5", "9"]
    return list(dict.fromkeys([*(str(each) for each in candidates(field)[:2]), *(("x",) if field.kind in TEXT_KINDS else ())]))


def _switched(form: Form, filled: Steps) -> Iterator[Steps]:
    """All filled in, then one of the fields that conditions read is changed, and the form is sent."""
    read = _read_by_conditions(form)
    for field in walk(form.fields):
        if field.path not in read or "*" in field.path:
            continue
        at = Address(field.path)
        changes: list[Any] = []
        if field.kind == "checkbox" and not field.many:
            changes = [tree.Turn(at, on) for on in (False, True)]
        elif options_of(field):
            changes = [_picked(field, option.value) for option in options_of(field)[:6]]
        else:
            changes = [tree.FillLine(at, "")]
        for change in changes:
            yield (*filled, change, tree.Submit(), tree.Settle(None))


def _asking(form: Form, field: Field, at: Any) -> Iterator[Steps]:
    """A wait after which a lookup has answered only if it starts sooner than its debounce says; an answer that comes too late."""
    for rule in field.rules:
        for kind in (each for each in rule.kinds if each.name == "lookup" and each.parameter in form.lookups):
            takes, where = form.lookups[kind.parameter].takes, Address(at)
            if rule.debounce:
                yield (tree.Type(where, "x"), tree.Wait(takes + rule.debounce // 4))
                yield (tree.Type(where, "x"), tree.Wait(takes + rule.debounce * 3 // 4))
            name = tree.WordToken(kind.parameter)
            late = tree.Answer(name, "refuse", None, None, takes + rule.debounce + 10_000)
            entered = [(tree.Retype(where, text), tree.Blur(None), tree.Wait(rule.debounce + 1)) for text in ("x", "y")]
            yield (late, *entered[0], tree.Answer(name, "accept", None, None, takes), *entered[1], tree.Settle(None))


def _values(form: Form, one: Form, subject: SimulatedForm) -> Iterator[Steps]:
    """One value after the other in each text field: with white space about it, and as its pattern nearly wants it."""
    filling = Filling(form)
    for field in walk(one.fields):
        for at in instances(subject, field.path)[:1] if not field.fields and field.kind != "hidden" else ():
            yield from ((tree.FillLine(Address(at), value),) for value in _sides(field))
        if field.kind not in TEXT_KINDS:
            continue
        for at in instances(subject, field.path)[:1]:
            good = next((s.value for s in filling.entering(subject, field, at) if isinstance(s, tree.FillLine) and s.value), None)
            yield from _asking(form, field, at)
            for text in dict.fromkeys(_near(field, good if isinstance(good, str) else "a")):
                yield (tree.FillLine(Address(at), text),)


def _sides(field: Field) -> Iterator[Any]:
    """Both sides of every bound of *field*, and what is no number."""
    for kind in (kind for rule in field.rules for kind in rule.kinds):
        if kind.name in ("min", "max") and field.kind in STEPS:
            number = measured(field, kind.parameter)
            for by in (-1, 0, 1):
                text = written_value(field, number + by * step_size(field)) if number is not None else None
                yield from (text,) if text is not None else ()
        elif kind.name in ("minlength", "maxlength") and isinstance(kind.parameter, int):
            yield from ("a" * (kind.parameter + by) for by in (-1, 0, 1) if kind.parameter + by > 0)
    if field.kind == "number":
        yield from ("1e", "0.5")


def _near(field: Field, good: str) -> Iterator[str]:
    yield from (f"{good} ", f" {good}", good.upper(), good.lower())
    pattern = parameter(field, "pattern")
    for text in matching(str(pattern))[:2] if pattern is not None else ():
        yield from (f"{text}x", f"x{text}", f"{text}5")
        yield from (f"{text[:at]}{other}{text[at + 1 :]}" for at in range(min(len(text), 12)) for other in _SPOILT)
