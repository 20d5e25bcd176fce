"""Compares two subjects with one suite: the first difference of each scenario, and its layer.

The layers in order of cause and effect: state (values, validity), reported, shown, sent, time.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import chain
from pathlib import Path as FilePath
from random import Random
from typing import Any

from ..engine.compile.compiler import compile_form
from ..forms.model.form import Form
from ..forms.names.shapes import write_address
from ..playing.observed import Observed, observe
from ..playing.player import DEFAULT_CLOCK, LoadedScript, evaluate_check
from ..playing.simulated import SimulatedForm
from ..playing.steps import take_step
from ..playing.subject import FieldState
from ..playing.subjects import Loaded, Subjects, simulated
from ..playing.work import HERE, ExecutionOptions, per_process_cache
from ..playing.workers import map_tasks
from ..records import NamedTuple
from ..refusals import Refusal
from ..roots import project_root, reading_below
from ..script.against import check_ops
from ..script.ops import ExpandedScenario, Op
from ..script.tree import Add, Address, Answer, Cannot, Check, Leave, Noun, Paste, Reload, Reset, Return, Retype, Type, Wait
from ..script.writer import write_played
from .actions import ActionGenerator
from .coverage.points import points_of
from .coverage.reaching import read_steps, tries
from .coverage.study import Coverage, address_of
from .scripts import Suite, unfinished
from .sequences import sequences_of
from .shrinking import minimize

UNABLE = "a step that this form cannot take"
_ROW = re.compile(r"#\d+")
LAYERS = ("state", "reported", "shown", "sent", "time")
_SHOWN = frozenset({"hidden", "disabled", "readonly"})
# One of each group is true; a page in a browser may show none of them.
_STATES = (frozenset({"dirty", "clean"}), frozenset({"touched", "not touched"}), frozenset({"valid", "invalid", "asking", "unasked"}))
_STEPS = 20  # of a walk
_SENT = ("outcome", "requests", "request", "payload", "status")
_ON_SHOW = ("view", "notice", "focus")
_KINDS_OF_STEPS = {
    "entering": frozenset({"type", "retype", "paste", "erase", "clear", "set", "pick", "toggle", "turn", "upload", "fill"}),
    "moving": frozenset({"focus", "blur", "press"}), "waiting": frozenset({"wait", "settle"}),
    "rows": frozenset({"add", "remove", "move"}), "coming back": frozenset({"leave", "return", "reload"}),
}  # fmt: skip
Names = dict[tuple[str, ...], tuple[str, ...]]  # how fields of the first form are called in the second


class FormDifference(NamedTuple):
    """A difference in a scenario: after the *step*, in a *layer*, at an *address* ("" the form), in *what*."""

    scenario: str
    step: str
    layer: str
    address: str
    what: str
    first: Any
    second: Any
    steps: tuple[str, ...] = ()  # for a walk: all its steps


class DifferenceGroup(NamedTuple):
    """Differences of one cause: in the same layer, at the same field (of any row), after the same kind of step. *example*: the first of
    the suite, or else the shortest walk.
    """

    example: FormDifference
    times: int


class Comparison(NamedTuple):
    """The differences by cause. *left_out*: scenarios that do not fit the second form, each with the reason. *unable*: kinds of steps
    that the second form cannot take at all.
    """

    groups: tuple[DifferenceGroup, ...]
    scenarios: int
    walks: int
    states: int
    left_out: tuple[tuple[str, str], ...]
    unable: tuple[str, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        return {
            "format": 1, "scenarios": self.scenarios, "walks": self.walks, "states": self.states,
            "differences": [{**group.example._asdict(), "count": group.times} for group in self.groups],
            "left_out": [{"scenario": scenario, "why": reason} for scenario, reason in self.left_out], "unable": list(self.unable),
        }  # fmt: skip


class Item(NamedTuple):
    """A unit of work: a scenario of the suite (the *number*-th of the *script*-th script), or the *lines* of a walk."""

    called: str
    clock: int
    script: int = 0
    number: int = 0
    lines: tuple[str, ...] | None = None


class ComparedForms(NamedTuple):
    """The two subjects by their files, a suite, and how fields of the first are called in the second: what another process needs."""

    first: str
    second: str
    suite: Suite
    names: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...]


class CompareStudy:
    """Two subjects and a suite, ready to run."""

    def __init__(self, first: Loaded, second: Loaded, ready: Sequence[LoadedScript], names: Names) -> None:
        self.first, self.second, self.ready, self.names = first, second, ready, names
        self.unable: dict[str, None] = {}  # kinds of steps that the second form cannot take at all

    def items(self, *, explore: bool, walks: int, seed: int) -> Iterator[Item]:
        """Return all items; with *explore* also steps at the limits of the first form and *walks* random walks."""
        for at, script in enumerate(self.ready):
            for number, scenario in enumerate(script.scenarios):
                if scenario.fate != "aside":
                    yield Item(address_of(scenario), script.clock if scenario.clock is None else scenario.clock, at, number)
        tried = chain(_walks(self.first, self.is_quick()), _random_walks(self.first.form, walks, seed)) if explore else ()
        yield from (Item(f"walk {number}", DEFAULT_CLOCK, lines=lines) for number, lines in enumerate(tried, 1))

    def played(self, item: Item) -> CompareResult:
        """Run *item* on both subjects."""
        if item.lines is None:
            script = self.ready[item.script]
            scenario, folder = script.scenarios[item.number], str(FilePath(script.script.file).parent)
        else:
            read = read_steps(item.lines, self.first.form)
            assert read is not None  # a walk can always be parsed
            scenario, folder = read, "."
        there = [op._replace(act=_named(op.act, self.names)) for op in scenario.ops]
        problems = check_ops(there, self.second.form)
        if problems:
            return CompareResult(why_not=problems[0].cause)
        if any(_kind_of(op.act) in self.unable for op in there):
            return CompareResult(why_not=UNABLE)
        pair = _SubjectPair(self.first, self.second, folder, self.names)
        found = pair.play(scenario, there, item.clock, item.called)
        if pair.unable:
            self.unable[pair.unable] = None
        if found is not None and item.lines is not None:
            found = found._replace(steps=pair.done)
        return CompareResult(found, pair.states)

    def is_quick(self) -> bool:
        """Return whether both subjects run in this process."""
        return all(loaded.make_ready is None for loaded in (self.first, self.second))

    def shortened(self, found: FormDifference) -> FormDifference:
        """Return *found*, the difference of a walk, with only the steps that it needs; unchanged if a page would have to run them."""
        if not self.is_quick():
            return found
        best = found

        def still(steps: tuple[str, ...]) -> tuple[str, ...] | None:
            nonlocal best
            if read_steps(steps, self.first.form) is None:
                return None
            parting = self.played(Item(found.scenario, DEFAULT_CLOCK, lines=steps)).parting
            if parting is None or _cause(parting) != _cause(found):
                return None
            best = parting
            return parting.steps

        minimize(found.steps, still)
        return best


class CompareResult(NamedTuple):
    """The result of an item: its difference, the number of *states* compared, and why it did not run."""

    parting: FormDifference | None = None
    states: int = 0
    why_not: str | None = None


def compare(
    comparing: CompareStudy, sides: ComparedForms, *, explore: bool, walks: int = 0, seed: int = 1, work: ExecutionOptions = HERE,
    told: Callable[[int, int], None] | None = None,
) -> Comparison:  # fmt: skip
    """Run the suite on both forms. *told* gets the progress. Raises Unreadable."""
    items = list(comparing.items(explore=explore, walks=walks, seed=seed))
    every = map_tasks(partial(_played, sides), items, work, unfinished, here=comparing.played)
    partings: list[FormDifference] = []
    left_out: list[tuple[str, str]] = []
    counts, states = [0, 0], 0
    for number, (item, played) in enumerate(zip(items, every, strict=True), 1):
        is_walk = item.lines is not None
        counts[is_walk] += played.why_not is None
        states += played.states
        if played.parting is not None:
            partings.append(played.parting)
        if played.why_not not in (None, UNABLE) and not is_walk:
            left_out.append((item.called, played.why_not))
        if told is not None:
            told(number, len(items))
    return Comparison(tuple(_grouped(partings, comparing)), counts[0], counts[1], states, tuple(left_out), tuple(comparing.unable))


def _grouped(partings: list[FormDifference], comparing: CompareStudy) -> Iterator[DifferenceGroup]:
    """Return *partings* by cause, in the order of layers."""
    groups: dict[tuple[str, str, str], list[FormDifference]] = {}
    for each in partings:
        groups.setdefault(_cause(each), []).append(each)
    for _, those in sorted(groups.items(), key=lambda group: LAYERS.index(group[0][0])):
        example = min(those, key=lambda each: (bool(each.steps), len(each.steps)))
        yield DifferenceGroup(comparing.shortened(example) if example.steps else example, len(those))


def _cause(found: FormDifference) -> tuple[str, str, str]:
    word = found.step.partition(" ")[0]
    kind = next((kind for kind, words in _KINDS_OF_STEPS.items() if word in words), word)
    return found.layer, re.sub(r"\[\d+\]", "[*]", found.address) or found.what, kind


def _played(sides: ComparedForms, item: Item) -> CompareResult:
    with reading_below((project_root(sides.first),)):
        return per_process_cache("compare", sides, partial(_comparing, sides)).played(item)


def _comparing(sides: ComparedForms) -> CompareStudy:
    subjects = Subjects(trust=sides.suite.wishes.trust)
    with reading_below((project_root(sides.first), project_root(sides.second))):
        first, second = subjects.load(sides.first, "."), subjects.load(sides.second, ".")
    return CompareStudy(first, second, sides.suite.read(), dict(sides.names))


def _walks(loaded: Loaded, filled_in: bool) -> Iterator[tuple[str, ...]]:
    """Steps at every boundary of the form of *loaded*; if *filled_in*, also with the form filled in and sent, and with values beside
    those that its expressions name.
    """
    form = loaded.form
    if form.page is not None:
        return
    filled = (tuple(write_played(step) for step in steps) for steps in sequences_of(loaded, DEFAULT_CLOCK)) if filled_in else ()
    for lines in dict.fromkeys((*tries(Coverage(form, points_of(form), {}, frozenset(), ())), *filled)):
        if read_steps(lines, form) is not None:
            yield lines


def _random_walks(form: Form, walks: int, seed: int) -> Iterator[tuple[str, ...]]:
    """Return that many random walks on *form*: steps that are possible, one after the other."""
    if form.page is not None:
        return
    random, repertoire, plain = Random(seed), ActionGenerator(form), form._replace(live=None)
    model = simulated(plain, compile_form(plain))
    for _ in range(walks):
        subject = model.begin(".")
        if subject.load(DEFAULT_CLOCK) is not None:
            return
        lines: list[str] = []
        for _ in range(_STEPS):
            step = repertoire.choose(random)
            if take_step(subject, step, len(lines) + 1) is None:
                lines.append(write_played(step))
        if read_steps(tuple(lines), form) is not None:
            yield tuple(lines)


class _SubjectPair:
    def __init__(self, first: Loaded, second: Loaded, folder: str, names: Names) -> None:
        self.forms = (first.form, second.form)
        self.subjects = (first.begin(folder), second.begin(folder))
        self.back = {written: ".".join(old) for old, new in names.items() if (written := ".".join(new))}
        self.page = not all(isinstance(subject, SimulatedForm) for subject in self.subjects)
        self.states = 0
        self.done: tuple[str, ...] = ()
        self.unable = ""  # the kind of step that the second form cannot take at all
        self.away = False

    def play(self, scenario: ExpandedScenario, there: list[Op], clock: int, called: str) -> FormDifference | None:
        """Run *scenario* on the first subject and *there* on the second; return the first difference, None if there is none."""
        refused = [subject.load(clock) for subject in self.subjects]
        if any(refusal is not None for refusal in refused):
            return None
        found = self._parting(called, "load")
        for number, (op, other) in enumerate(zip(scenario.ops, there, strict=True), 1):
            if found is not None:
                return found
            if isinstance(op.act, Check | Cannot):
                if getattr(op.act, "within", None) is None and getattr(op.act, "lasting", None) is None:
                    continue
                for subject, each in zip(self.subjects, (op, other), strict=True):
                    evaluate_check(subject, each, scenario.ops)
            else:
                found, goes_on = self._step(op, other, number, called)
                if not goes_on:
                    return found
            found = self._parting(called, _text(op)) if not (self.away and self.page) else None
        return found

    def _step(self, op: Op, other: Op, number: int, called: str) -> tuple[FormDifference | None, bool]:
        """Take a step on both subjects; return the difference that it shows at once, and whether the scenario can go on."""
        self.done = (*self.done, write_played(op.act))
        if self.away and self.page and not isinstance(op.act, Return | Reload | Wait | Answer):
            return None, False  # a page that was left has no controls
        one, two = (take_step(subject, each.act, number) for subject, each in zip(self.subjects, (op, other), strict=True))
        if one is None and two is not None and _is_unable(op.act, two):
            self.unable = _kind_of(op.act)
            return None, False
        if (one is None) is not (two is None):
            first, second = ("not possible" if refusal is not None else "possible" for refusal in (one, two))
            return FormDifference(called, _text(op), "state", _about(op), "the step", first, second), False
        self.away = isinstance(op.act, Leave) or (self.away and not isinstance(op.act, Return | Reload))
        return None, one is None and not (self.page and self._is_filtered(op.act))

    def _is_filtered(self, act: Any) -> bool:
        """Return whether a browser has not let the text of *act* into its control: Chromium takes no letters in a number."""
        if not isinstance(act, Type | Retype | Paste):
            return False
        field = Noun("address", act.address)
        one, other = (subject.look(field, "state") for subject in self.subjects)
        states = isinstance(one, FieldState) and isinstance(other, FieldState)
        return states and one.reads is not None and other.reads is None and other.value in (None, "")

    def _parting(self, called: str, step: str) -> FormDifference | None:
        """Compare the two subjects. A page may take up to its sheet's `check_delay` to show the effect of a step."""
        self.states += 1
        found = self._difference(called, step)
        left = self.subjects[1].check_delay() if self.page else 0
        while found is not None and left > 0:
            due = self.subjects[1].timer_due()
            if due is None or due > left:
                break
            self.subjects[1].advance(max(due, 1))
            left -= max(due, 1)
            found = self._difference(called, step)
        return found

    def _difference(self, called: str, step: str) -> FormDifference | None:
        ahead = self.subjects[1].elapsed() - self.subjects[0].elapsed()
        if self.page and ahead > 0:
            self.subjects[0].advance(ahead)  # opening a list takes time on a page
        seen = [observe(subject, form) for subject, form in zip(self.subjects, self.forms, strict=True)]
        second = self._renamed(seen[1])
        # Sums of a group or the form are reported only if no field in it differs.
        whole = {name for name, state in seen[0].fields.items() if state.kind != "field"}
        differences = sorted(self._differences(seen[0], second), key=lambda each: (LAYERS.index(each[0]), each[1] in whole))
        return FormDifference(called, step, *differences[0]) if differences else None

    def _renamed(self, seen: Observed) -> Observed:
        """Return what is observed of the second form under the names of the first."""
        if not self.back:
            return seen
        fields = {}
        for name, state in seen.fields.items():
            for new, old in self.back.items():
                if name == new or name.startswith((f"{new}.", f"{new}[")):
                    name = old + name[len(new) :]
            fields[name] = state
        return seen._replace(fields=fields)

    def _differences(self, first: Observed, second: Observed) -> Iterator[tuple[str, str, str, Any, Any]]:
        inside = self._open_panel(first) if self.page else ""
        for name in dict.fromkeys((*first.fields, *second.fields)):
            one, other = first.fields.get(name), second.fields.get(name)
            if inside and name and not name.startswith(f"{inside}."):
                continue  # a dialog may put the rest of the page out of reach
            if one is None or other is None:
                there = one or other
                if self.page and there is not None and "hidden" in there.words:
                    continue  # nobody sees it
                yield "state", name, "the field", "there" if one else "missing", "there" if other else "missing"
            else:
                yield from _of_field(name, one, other, page=self.page)
        for layer, nouns in (("shown", _ON_SHOW), ("sent", _SENT)):
            for noun in nouns:
                left, right = first.nouns.get(noun), second.nouns.get(noun)
                if left != right and not (self.back and noun in ("focus", "payload")):
                    yield layer, "", noun, left, right
        yield from self._reported()
        times = [subject.elapsed() for subject in self.subjects]
        if times[0] != times[1] and not self.page:
            yield "time", "", "milliseconds since load", times[0], times[1]

    def _open_panel(self, seen: Observed) -> str:
        """Return the panel that is open; empty if none is."""
        def is_open(panel: str) -> bool:
            return any(name.startswith(f"{panel}.") and "hidden" not in state.words for name, state in seen.fields.items())

        return next((panel.panel for panel in self.forms[0].panels if is_open(panel.panel)), "")

    def _reported(self) -> Iterator[tuple[str, str, str, Any, Any]]:
        states = [subject.state() for subject in self.subjects if isinstance(subject, SimulatedForm)]
        if len(states) == 2 and not self.back:
            for key in states[0].keys() & states[1].keys():
                left, right = (_texts(state[key].get("reported", ())) for state in states)
                if left != right:
                    yield "reported", _ROW.sub("[*]", key), "reported rules", left, right


def _kind_of(act: Any) -> str:
    """Return the kind of a step, as far as a form may be unable to take it."""
    word = write_played(act).partition(" ")[0]
    return f"{word} at a place" if isinstance(act, Add) and act.at is not None else word


def _is_unable(act: Any, refusal: Refusal) -> bool:
    """Return whether a form that refuses *act* has nothing at all to do it with."""
    return refusal.kind == "not a step there" or (isinstance(act, Reset) and refusal.kind == "not on page")


def _on_page(state: FieldState) -> FieldState:
    """Return *state* as a person sees it: what is not on the page is hidden."""
    return state._replace(words=("hidden",)) if "not on the page" in state.words else state


def _of_field(name: str, one: FieldState, other: FieldState, *, page: bool) -> Iterator[tuple[str, str, str, Any, Any]]:
    if page:
        one, other = _on_page(one), _on_page(other)
        if "hidden" in one.words and "hidden" in other.words:
            return  # nobody sees the value
    for what in ("value", "rows") if page else ("value", "reads", "rows", "breaks"):
        left, right = getattr(one, what), getattr(other, what)
        if left != right:
            yield "state", name, what, left, right
    groups = [group for group in _STATES if not page or all(group & set(state.words) for state in (one, other))]
    for layer, those in (*(("state", group) for group in groups), ("shown", _SHOWN)):
        left, right = ([w for w in state.words if w in those] for state in (one, other))
        if left != right and (name or not page):  # of a whole page, the view says it
            yield layer, name, "state", left, right
    if one.shows != other.shows:
        yield "shown", name, "messages", list(one.shows), list(other.shows)


def _texts(said: Any) -> list[Any]:
    return [each[1] for each in said]


def _text(op: Op) -> str:
    """Return the step or check *op* on one line."""
    return on_one_line(write_played(op.act))


def on_one_line(step: str) -> str:
    """Return the text of a step on one line."""
    return " ".join(line.strip() for line in step.split("\n"))


def _about(op: Op) -> str:
    address = getattr(op.act, "address", None)
    return write_address(address.segments) if isinstance(address, Address) else ""


def _named(value: Any, names: Names) -> Any:
    """A step or check with its addresses as the second form has them."""
    if not names:
        return value
    if isinstance(value, Address):
        segments = value.segments
        for old, new in names.items():
            if tuple(segments[: len(old)]) == old:
                return value._replace(segments=(*new, *segments[len(old) :]))
        return value
    if isinstance(value, tuple):
        fields = getattr(value, "_fields", None)
        parts = [_named(each, names) for each in value]
        return type(value)(*parts) if fields is not None else tuple(parts)
    return value

