"""Explores a page in a browser: first short walks through the most common faults, then random ones, each on a fresh page."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from random import Random
from typing import Any

from ...engine.compile.compiler import compile_form
from ...forms.model.form import TEXT_KINDS, Field, walk
from ...playing.player import DEFAULT_CLOCK
from ...playing.simulated import SimulatedForm
from ...playing.steps import take_step
from ...playing.subjects import Loaded, simulated
from ...script import tree
from ...script.tree import Address, Noun
from ..actions import ActionGenerator
from ..filling import Filling
from ..samples import not_matching, parameter
from .monitor import MANNERS
from .page_monitor import LEFT_OUT, WITHOUT_A_SHEET, PageMonitor
from .study import MannerFinding, MannersResult

SECONDS = 60.0
_STEPS = 8  # of a walk at random
_MOST_SENT = 8  # attempts to satisfy a page
_MOST_REPLAYS = 30  # to find out which steps of a breach can be left out
_NOT_THERE = (tree.Move, tree.Reload, tree.Upload, tree.Press)
Steps = tuple[Any, ...]


def page_manners(
    page: Loaded, only: tuple[str, ...], *, seed: int = 1, walks: int | None = None, seconds: float = SECONDS, clock: int = DEFAULT_CLOCK,
    told: Callable[[int, int], None] | None = None,
) -> MannersResult:  # fmt: skip
    """Explore the *page*, a live subject, with that many *walks* or for *seconds*, and return the findings."""
    return _PageWalks(page, frozenset(only or MANNERS), seed, clock).study(walks, seconds, told)


class _PageWalks:
    def __init__(self, page: Loaded, only: frozenset[str], seed: int, clock: int) -> None:
        self.page, self.form, self.clock, self.seed = page, page.form, clock, seed
        plain = self.form._replace(live=None)
        self.model = simulated(plain, compile_form(plain))
        self.sheet = self.form.page is None  # a sheet defines the correct behaviour
        absent = {**LEFT_OUT, **({} if self.sheet else WITHOUT_A_SHEET)}
        self.left_out = tuple((manner, why) for manner, why in absent.items() if manner in only)
        self.only = only - {manner for manner, _ in self.left_out}
        self.random = Random(seed)
        self.paths: dict[tuple[str, str], Steps] = {}
        self.breaches: dict[tuple[str, str], MannerFinding] = {}
        self.met: dict[tuple[str, str], int] = {}
        self.steps = 0
        self.states: set[str] = set()

    def study(self, walks: int | None, seconds: float, told: Callable[[int, int], None] | None) -> MannersResult:
        until, made = time.monotonic() + seconds, 0
        for steps in self._walks():
            if time.monotonic() >= until or (walks is not None and made >= walks):
                break
            self._walk(steps)
            made += 1
            if told is not None:
                told(made, len(self.paths))
        for key in self.paths:
            self._shrink(key)
        order = list(MANNERS)
        found = sorted(self.breaches.values(), key=lambda breach: (order.index(breach.manner), len(breach.steps), breach.where))
        kept_to = tuple(manner for manner in MANNERS if manner in self.only)
        return MannersResult(self.seed, made, self.steps, len(self.states), tuple(found), kept_to, self.left_out)

    # walks
    def _walks(self) -> Iterator[Steps]:
        planned = [steps for steps in self._planned() if not any(self._is_not_there(step) for step in steps)]
        yield from planned
        repertoire = ActionGenerator(self.form)
        good = self._good()
        while True:
            ahead = good[: self.random.randrange(len(good) + 1)] if good and self.random.random() < 0.5 else ()
            steps = [step for step in (repertoire.choose(self.random) for _ in range(_STEPS)) if not self._is_not_there(step)]
            yield (*ahead, *steps)

    def _is_not_there(self, step: Any) -> bool:
        """Return whether *step* is none that a page can be asked for."""
        scripted = isinstance(step, tree.Answer) and not self.sheet
        return isinstance(step, _NOT_THERE) or scripted or (isinstance(step, tree.Add) and step.at is not None)

    def _begun(self) -> SimulatedForm:
        subject = self.model.begin(".")
        assert isinstance(subject, SimulatedForm)
        subject.load(self.clock)
        return subject

    def _good(self) -> Steps:
        """Steps that fill the form in so that it can be sent: by the sheet, or as the page asks for it."""
        if not self.sheet:
            return self._as_the_page_asks()
        found = Filling(self.form).find(self._begun()).steps or ()
        return tuple(step for step in found if isinstance(step, tree.FillLine | tree.Add | tree.Remove | tree.Turn))

    def _as_the_page_asks(self) -> Steps:
        """Submit, fix what is marked, and submit again; return what was filled in once nothing is marked or nothing helps."""
        watch = self._watch(frozenset())
        if watch is None:
            return ()
        filling, model = Filling(self.form), self._begun()
        steps: dict[Steps, Any] = {}
        tries: dict[Steps, int] = {}
        for _ in range(_MOST_SENT):
            if not watch.take(tree.Submit()):
                break
            wrong = [field for field in walk(self.form.fields) if self._is_wrong(watch, field)]
            if not wrong:
                break
            for field in wrong:
                ways = [s for s in filling.entering(model, field, field.path) if isinstance(s, tree.FillLine) and s.value not in ("", [])]
                number = tries[field.path] = tries.get(field.path, -1) + 1
                if number < len(ways) and watch.take(ways[number]):
                    steps[field.path] = ways[number]
        return tuple(steps.values())

    def _is_wrong(self, watch: PageMonitor, field: Field) -> bool:
        state = watch.seen.fields.get(field.address)
        return state is not None and state.kind == "field" and ("marked" in state.words or bool(state.breaks) or bool(state.shows))

    def _planned(self) -> Iterator[Steps]:
        good, settle, submit = self._good(), Filling(self.form).settle, tree.Submit()
        yield (submit,)
        for field, good_value, bad in self._texts():
            at = Address(field)
            yield (tree.Type(at, bad[0]),)
            yield (tree.FillLine(at, good_value), tree.FillLine(at, bad), tree.FillLine(at, good_value))
        yield from self._of_rows()
        yield from self._of_lookups(settle)
        if not good:
            return
        yield (*good, submit, settle)
        yield (*good, submit, submit, settle)
        yield (*good[:3], tree.Reset())
        yield (*good, tree.Leave(), tree.Return())
        for answer in (tree.Answer(None, "status", 422), tree.Answer(None, "failure")):
            yield (answer, *good, submit, settle)
        yield from self._of_hidden(good, submit, settle)
        for path in self._asking():
            accepted = next(iter(self._accepted(path)), None)
            if accepted is not None:
                yield (*good, tree.FillLine(Address(path), accepted), submit, settle)
        for step in good:
            if isinstance(step, tree.FillLine) and isinstance(step.value, str):  # repeated, and then not any more
                yield (*good, tree.FillLine(step.address, f"{step.value}x"), tree.FillLine(step.address, step.value))

    def _texts(self) -> Iterator[tuple[Steps, str, str]]:
        """Addresses of text fields that are there at load, each with a value that fits and one that does not."""
        subject = self._begun()
        filling = Filling(self.form)
        for field in walk(self.form.fields):
            if field.kind not in TEXT_KINDS and field.kind != "number":
                continue
            at = tuple(0 if step == "*" else step for step in field.path)
            fits = _fitting(filling, subject, field, at)
            pattern = parameter(field, "pattern")
            bad = (not_matching(str(pattern)) if pattern is not None else None) or ("x" if field.kind != "number" else "-1")
            if fits is not None:
                yield at, fits, bad

    def _of_rows(self) -> Iterator[Steps]:
        for rows in walk(self.form.fields):
            inner = next((field for field in rows.fields if field.kind in TEXT_KINDS or field.kind == "number"), None)
            if rows.kind != "rows" or "*" in rows.path:
                continue
            add = tree.Add(Address(rows.path))
            if inner is not None:
                said = Address((*rows.path, 1, inner.name))
                first = Address((*rows.path, 0, inner.name))
                yield (add, tree.FillLine(said, "-1"), tree.FillLine(first, "7"), tree.Remove(Address((*rows.path, 0))))
                yield (add, tree.FillLine(first, "-1"), tree.FillLine(said, "7"), tree.Remove(Address((*rows.path, 0))))
            yield (add, add, *(tree.Remove(Address((*rows.path, 0))) for _ in range(2)))
            yield (tree.Remove(Address((*rows.path, 0))),)

    def _asking(self) -> Iterator[Steps]:
        for field in walk(self.form.fields):
            if "*" not in field.path and any(kind.name == "lookup" for rule in field.rules for kind in rule.kinds):
                yield field.path

    def _accepted(self, path: Steps) -> list[str]:
        field = self.form.find(path)
        names = [k.parameter for r in field.rules for k in r.kinds if k.name == "lookup"] if field is not None else []
        return [str(v) for name in names if name in self.form.lookups for v in (self.form.lookups[name].accept or ())]

    def _of_lookups(self, settle: Any) -> Iterator[Steps]:
        """A late answer about one value, while another is there already."""
        for path in self._asking():
            field, accepted = self.form.find(path), self._accepted(path)
            assert field is not None
            name = next(k.parameter for r in field.rules for k in r.kinds if k.name == "lookup")
            after = 2 * self.form.lookups[name].takes + 1000 if name in self.form.lookups else 5000
            if len(accepted) > 1:
                late = tree.Answer(tree.WordToken(name), "refuse", None, None, after)
                yield (late, tree.FillLine(Address(path), accepted[1]), tree.FillLine(Address(path), accepted[0]), settle)

    def _of_hidden(self, good: Steps, submit: Any, settle: Any) -> Iterator[Steps]:
        """Yield fields that were filled in and then hidden, and should not be sent."""
        for box in walk(self.form.fields):
            if box.kind != "checkbox" or box.many or "*" in box.path:
                continue
            on, off = (tree.Turn(Address(box.path), state) for state in (True, False))
            subject = self._begun()
            if take_step(subject, on, 1) is not None:
                continue
            for field in walk(self.form.fields):
                if field.kind not in TEXT_KINDS or field.visible is None or "*" in field.path:
                    continue
                if not subject.look(Noun("address", Address(field.path)), "is", "visible"):
                    continue
                fits = _fitting(Filling(self.form), subject, field, field.path)
                if fits is not None:
                    yield (on, tree.FillLine(Address(field.path), fits), off, *good, submit, settle)

    # one walk
    def _walk(self, steps: Steps) -> None:
        watch = self._watch(self.only)
        if watch is None:
            return
        done: Steps = ()
        self._hear(watch, done)
        for step in steps:
            if not watch.take(step):
                continue
            done = (*done, step)
            self.steps += 1
            self.states.add(repr(sorted((name, state.words, state.shows) for name, state in watch.seen.fields.items())))
            self._hear(watch, done)
        watch.ended()
        self._hear(watch, done)

    def _watch(self, only: frozenset[str]) -> PageMonitor | None:
        subject = self.page.begin(".")
        if subject.load(self.clock) is not None:
            return None
        return PageMonitor(subject, self.form, only, self._begun() if self.sheet else None)

    def _hear(self, watch: PageMonitor, done: Steps) -> None:
        for found in watch.found:
            key = (found.manner, found.where)
            self.met[key] = self.met.get(key, 0) + 1
            if key not in self.paths or len(done) < len(self.paths[key]):
                self.paths[key] = done
                self.breaches[key] = MannerFinding(*key, found.sentence, found.at, done, self.met[key])
        watch.found = []

    # shorter
    def _shrink(self, key: tuple[str, str]) -> None:
        """Shorten the scenario of the finding *key*, step by step, on fresh pages."""
        breach, replays, at = self.breaches[key], 0, 0
        while at < len(breach.steps) and replays < _MOST_REPLAYS:
            steps = (*breach.steps[:at], *breach.steps[at + 1 :])
            replays += 1
            shown = self._shown(key, steps)
            if shown is not None:
                breach = shown
            else:
                at += 1
        self.breaches[key] = breach._replace(walks=self.met[key])

    def _shown(self, key: tuple[str, str], steps: Steps) -> MannerFinding | None:
        watch = self._watch(frozenset({key[0]}))
        if watch is None:
            return None
        for number, step in enumerate((*steps, None)):
            found = next((each for each in watch.found if (each.manner, each.where) == key), None)
            if found is not None:
                return MannerFinding(*key, found.sentence, found.at, steps[:number], 0)
            if step is not None and not watch.take(step):
                return None
        watch.ended()
        found = next((each for each in watch.found if (each.manner, each.where) == key), None)
        return MannerFinding(*key, found.sentence, found.at, steps, 0) if found is not None else None


def _fitting(filling: Filling, subject: SimulatedForm, field: Field, at: Steps) -> str | None:
    """A text that *field* takes."""
    found = filling.fitting(subject, field, at)
    value = getattr(found[1], "value", None) if found is not None else None
    return value if isinstance(value, str) and value else None
