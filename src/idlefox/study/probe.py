"""Writes a script of a form's behaviour at its limits, with the results of the model as checks.

People edit a starter script; a probe script finds differences between two forms.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from ..engine.compile.compiler import compile_form
from ..forms.model.entering import SET, TYPE, way_of
from ..forms.model.form import CHOICE_KINDS, TEXT_KINDS, Field, Form, walk
from ..forms.values.values import written
from ..forms.values.whatwg import DATE_KINDS
from ..playing.observed import Observed, pinning
from ..playing.player import DEFAULT_CLOCK
from ..playing.rehearsal import Rehearsal
from ..playing.simulated import SimulatedForm
from ..playing.subjects import Loaded, read_below, simulated
from ..playing.work import HERE, ExecutionOptions, per_process_cache
from ..playing.workers import map_tasks
from ..records import NamedTuple
from ..script.reader import read_script_text
from ..script.writer import called, quoted, write_played, write_script
from .coverage.points import Point, points_of
from .coverage.reaching import ways_to
from .coverage.study import Coverage
from .entering import step_entering
from .filling import Filling
from .samples import candidates, matching, measured, not_matching, parameter, step_size, values_for, written_value
from .scripts import unfinished

_LONGEST = 2_000  # characters of the longest text that is written out
_ASTRAL = "\U0001f98a"  # two UTF-16 units
_MOST_PAIRED = 12  # choices and toggles combined in pairs
_WAYS = ("state", "rows", "submission", "lookup")  # kinds of points that need their own steps


class ProbeScenario(NamedTuple):
    """A planned scenario: its *title*, the field it is *about* ("" the form), and its *lines*; none if a step is not possible."""

    title: str
    about: str
    lines: tuple[str, ...]


class ProbeScript(NamedTuple):
    """The *text* of a script, the scenarios that were *tried*, and what was *left_out*."""

    form: Form
    text: str
    tried: tuple[ProbeScenario, ...]
    left_out: tuple[str, ...]

    @property
    def scenarios(self) -> int:
        """The number of scenarios in the script."""
        return sum(bool(each.lines) for each in self.tried)

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        scenarios = [{"title": each.title, "field": each.about, "lines": list(each.lines)} for each in self.tried if each.lines]
        return {"format": 1, "form": self.form.id, "scenarios": scenarios, "left_out": list(self.left_out)}


class _ScenarioPlan(NamedTuple):
    """A scenario to be: its *title*, the field it is *about* ("" none), and its steps."""

    title: str
    about: str
    steps: list[str]


class _PinnedScenario(NamedTuple):
    """The result of a plan: the lines of a passing scenario, "" for none, and what was *left_out*."""

    body: str
    left_out: tuple[str, ...]


def probe(form: Form, subject: str, work: ExecutionOptions = HERE, told: Callable[[int, int], None] | None = None) -> ProbeScript:
    """Return the script that probes *form*; *subject* is its name in the header. *told* gets the progress.

    The scenarios of a form from a file run on the executor of *work*. Raises Unreadable.
    """
    maker = _ProbeBuilder(form)
    plans = list(maker.plans())
    pinned = map_tasks(partial(_pinned, form.file), plans, work, unfinished, here=maker.pinned)
    text = f"# The behaviour of {form.label} at its limits.\nsubject {written(subject)}\n"
    left_out, tried = list(maker.left_out), list[ProbeScenario]()
    for number, (plan, made) in enumerate(zip(plans, pinned, strict=True), 1):
        left_out += made.left_out
        tried.append(ProbeScenario(plan.title, plan.about, tuple(line.removeprefix("    ") for line in made.body.splitlines())))
        if made.body:
            text += f"\nscenario {quoted(plan.title)} [probe]\n{made.body}"
        if told is not None:
            told(number, len(plans))
    return ProbeScript(form, write_script(read_script_text(text, "probe.fox")), tuple(tried), tuple(dict.fromkeys(left_out)))


def _pinned(source: str, plan: _ScenarioPlan) -> _PinnedScenario:
    """Run *plan* in a process that reads the form's file *source* itself."""
    return per_process_cache("probe", source, lambda: _ProbeBuilder(read_below(source))).pinned(plan)


class _ProbeBuilder:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.loaded: Loaded = simulated(form, compile_form(form))
        self.filling = Filling(form)
        self.left_out: list[str] = []

    def plans(self) -> Iterator[_ScenarioPlan]:
        """All scenarios that there are to be."""
        for title, about, steps in (*self._fields(), *self._pairs(), *self._ways()):
            yield _ScenarioPlan(title, about, steps)

    def pinned(self, plan: _ScenarioPlan) -> _PinnedScenario:
        """Return the steps of *plan*, each with checks of its changes and of its field; empty if a step is not possible."""
        steps, about = plan.steps, plan.about
        rehearsal = Rehearsal(self.loaded, self.form.file, ".", DEFAULT_CLOCK)
        lines: list[str] = []
        checked = False
        for step, following in zip(steps, [*steps[1:], ""], strict=False):
            before = rehearsal.observed()
            if not rehearsal.take(step).held:
                return _PinnedScenario("", (f"{step}: not possible there",))
            lines += step.split("\n")
            after = rehearsal.observed()
            own = [] if following == "blur" else _state_of(about, after)
            for check in dict.fromkeys([*own, *self._expected(before, after, step, about)]):
                if rehearsal.take(check).held:
                    lines.append(check)
                    checked = True
        return _PinnedScenario("".join(f"    {line}\n" for line in lines) if checked else "", ())

    def _expected(self, before: Observed, after: Observed, step: str, about: str) -> Iterator[str]:
        """Return checks for the changes of a step, except those of every step and those that the field *about* repeats."""
        for check in pinning(before, after):
            quiet = check.startswith(("expect focus", "expect form is")) and not step.startswith("submit")
            touched = check.endswith((" is touched", " is dirty", " is dirty, touched")) and " shows " not in check
            if not quiet and not touched and not (about and check.startswith(f"expect {about} ")):
                yield check

    # fields
    def _fields(self) -> Iterator[tuple[str, str, list[str]]]:
        for field in walk(self.form.fields):
            if not _is_for_people(field):
                continue
            name = called(field.address.replace("[*]", "[0]"))
            ahead = self._opened(field, name, self._ahead(field))
            yield from self._asked(field, name, ahead)
            yield from self._twice(field, name, ahead)
            if field.kind in CHOICE_KINDS or field.kind in DATE_KINDS or field.many:
                ahead = [*ahead, f"focus {name}", "blur"]
            for what, values in limit_values(field):
                yield f"{field.address}: {what}", name, [*ahead, *(step for value in values for step in _entered(field, name, value))]

    def _asked(self, field: Field, name: str, ahead: list[str]) -> Iterator[tuple[str, str, list[str]]]:
        """Scenarios with values that a field's lookups know, and one they do not."""
        for kind in (kind for rule in field.rules for kind in rule.kinds if kind.name == "lookup"):
            known = self.form.lookups[kind.parameter]
            values = [str(value) for value in (*(known.accept or ())[:3], *(known.refuse or ())[:2])]
            steps = [step for value in (*values, *candidates(field)[:2]) for step in (*_entered(field, name, value), "settle")]
            yield f"{field.address}: the lookup {kind.parameter}", name, [*ahead, *steps]

    def _twice(self, field: Field, name: str, ahead: list[str]) -> Iterator[tuple[str, str, list[str]]]:
        """A scenario with the same value in two rows, if that is not allowed."""
        value = next(iter(candidates(field)), None)
        if value is None or not any(kind.name == "unique" for rule in field.rules for kind in rule.kinds) or name.count("[0]") != 1:
            return
        rows, _, rest = name.rpartition("[0]")
        both = [*_entered(field, name, value), *_entered(field, f"{rows}[1]{rest}", value)]
        yield f"{field.address}: the same twice", name, [*ahead, f"add {rows}", *both]

    def _ahead(self, field: Field) -> list[str]:
        """Steps that bring the first row of its list."""
        steps = []
        for size in range(1, len(field.path)):
            each = self.form.find(field.path[:size])
            begins = each is not None and each.kind == "rows" and field.path[size - 1] != "*"
            if each is not None and begins and not (each.least if each.start is None else each.start):
                steps.append(f"add {called(each.address.replace('[*]', '[0]'))}")
        return steps

    def _opened(self, field: Field, name: str, ahead: list[str]) -> list[str]:
        """Return *ahead* with the steps that bring the field *name* into reach, if it needs any and some were found."""
        rehearsal = Rehearsal(self.loaded, self.form.file, ".", DEFAULT_CLOCK)
        subject = rehearsal.subject
        if not all(rehearsal.take(step).held for step in ahead) or not isinstance(subject, SimulatedForm):
            return ahead
        at = tuple(0 if each == "*" else each for each in field.path)
        steps = self.filling.opening(subject, field, at)
        return [*ahead, *(write_played(step) for step in steps or ())]

    # choices against each other
    def _pairs(self) -> Iterator[tuple[str, str, list[str]]]:
        """Every pair of settings of two choices or toggles, in as few scenarios as that takes."""
        from allpairspy import AllPairs

        those = [f for f in walk(self.form.fields) if _is_for_people(f) and "*" not in f.path and _settings(f)][:_MOST_PAIRED]
        if len(those) < 2:
            return
        for number, row in enumerate(AllPairs([_settings(field) for field in those]), 1):
            yield f"combined choices, {number}", "", list(row)

    # sequences of steps
    def _ways(self) -> Iterator[tuple[str, str, list[str]]]:
        nothing = Coverage(self.form, points_of(self.form), {}, frozenset(), ())
        for way in ways_to(nothing):
            if way.point.kind in _WAYS and way.steps:
                yield _titled(way.point), "", list(way.steps)
            elif way.point.kind in ("state", "rows"):
                self.left_out.append(f"{_titled(way.point)}: no steps found")


def _is_for_people(field: Field) -> bool:
    """Return whether a person can enter anything there."""
    page = field.native
    return field.kind not in ("group", "rows", "hidden") and not (page is not None and (page.disabled or page.hidden or page.fixed))


def _state_of(name: str, seen: Observed) -> list[str]:
    """Checks of all that a person meets at the field *name*."""
    state = seen.fields.get(name.removeprefix("."))
    if state is None or state.kind != "field":
        return []
    truth = f"breaks only {', '.join(dict.fromkeys(state.breaks))}" if state.breaks else "breaks nothing"
    said = ", ".join(quoted(text) for text in state.shows) or "nothing"
    value = f"= {quoted(state.value)}" if state.reads is None else f"reads {quoted(state.reads)}"
    return [f"expect {name} {value}", f"expect {name} {truth}", f"expect {name} shows {said}"]


def limit_values(field: Field) -> Iterator[tuple[str, list[object]]]:
    """Return the values to enter, by purpose."""
    if field.kind in TEXT_KINDS:
        yield "empty and white space", ["", "   ", " a", "a "]
        for name in ("minlength", "maxlength"):
            limit = parameter(field, name)
            if isinstance(limit, int) and 0 < limit < _LONGEST:
                astral = "a" * (limit - 2) + _ASTRAL if limit > 1 else _ASTRAL
                yield f"{name} {limit}", ["a" * (limit - 1), "a" * limit, "a" * (limit + 1), astral, "a" * (limit - 1) + _ASTRAL]
        pattern = parameter(field, "pattern")
        if pattern is not None:
            wrong = not_matching(str(pattern))
            yield "its pattern", [*matching(str(pattern))[:2], *([wrong] if wrong else [])]
        if field.kind in ("email", "url"):
            yield f"as {field.kind}", ["x", *candidates(field)[:1]]
    elif field.kind == "number" or field.kind in DATE_KINDS:
        yield from _bounds_of(field)
    elif field.kind in CHOICE_KINDS:
        yield "each option", [option.value for option in field.options] if isinstance(field.options, tuple) else []
    elif field.many and isinstance(field.options, tuple):
        every = [option.value for option in field.options]
        yield "one option after the other, then all", [*([value] for value in every), every]
    elif field.kind == "checkbox":
        yield "on and off", [True, False]


def _bounds_of(field: Field) -> Iterator[tuple[str, list[object]]]:
    for name in ("min", "max"):
        limit = measured(field, parameter(field, name))
        if limit is not None:
            texts = [written_value(field, limit + away * step_size(field)) for away in (-1, 0, 1)]
            yield f"{name} {parameter(field, name)}", [text for text in texts if text is not None]
    if field.kind == "number":
        yield "not a number, and empty", ["1e", "1.5", ""]
    else:
        yield "a date, and empty", [*values_for(field)[:1], ""]


def _entered(field: Field, name: str, value: object) -> list[str]:
    """The steps that enter *value* and leave the field."""
    step = step_entering(field, name, value)
    return [step, "blur"] if way_of(field) in (TYPE, SET) else [step]


def _settings(field: Field) -> list[str]:
    """The steps that set a choice or a toggle, one of each setting."""
    name = called(field.address.replace("[*]", "[0]"))
    if field.kind == "checkbox" and not field.many:
        return [f"turn {name} on", f"turn {name} off"]
    if field.kind in CHOICE_KINDS and not field.many and isinstance(field.options, tuple) and len(field.options) > 1:
        enabled = [option for option in field.options if option.enabled is None]
        return [f"pick {name} {quoted(option.value)}" for option in enabled[:6]]
    return []


def _titled(point: Point) -> str:
    return " ".join(part for part in (point.address or "the form:", point.name, point.wanted) if part)
