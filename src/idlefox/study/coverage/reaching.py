"""Finds steps that reach unreached points, by trying steps on the model: around the limits of every rule, with the form filled in."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice, takewhile

from ...engine.compile.compiler import compile_form
from ...forms.model.form import TEXT_KINDS, Field, Form, walk
from ...forms.values.whatwg import DATE_KINDS
from ...playing.rehearsal import Rehearsal
from ...playing.simulated import SimulatedForm
from ...playing.subjects import Loaded, simulated
from ...problems import Unreadable
from ...records import NamedTuple
from ...script.against import check_ops
from ...script.expand import expand
from ...script.ops import ExpandedScenario
from ...script.reader import read_script_text
from ...script.tree import Cannot, Check, Submit
from ...script.writer import called, quoted, write_played
from ..boundaries import first_script
from ..filling import Filling
from ..samples import candidates, not_matching, parameter, values_for
from ..sequences import sequences_of
from .observer import met_by
from .points import Point
from .study import Coverage

_MOST_SEQUENCES = 2_000  # of a filled form

_MANY = 300
_ADDRESSES = {"email": ("", "@fjordmail.example"), "url": ("https://skerry.example/", "")}


class ReachingSteps(NamedTuple):
    """How to reach *point*: the *steps* of a scenario, which have run; empty if none were found."""

    point: Point
    steps: tuple[str, ...]


def ways_to(coverage: Coverage) -> list[ReachingSteps]:
    """Return the shortest steps found for each unreached point."""
    form = coverage.form
    loaded = simulated(form, compile_form(form))
    wanted = set(coverage.missing())
    best: dict[Point, tuple[str, ...]] = {}
    for lines in _all_tries(coverage, loaded, best):
        scenario = read_steps(lines, form)
        if scenario is None:
            continue
        for met in met_by(scenario, loaded, coverage.points, coverage.clock, "."):
            steps = tuple(write_played(op.act) for op in scenario.ops[: met.part])
            if met.point in wanted and (met.point not in best or len(steps) < len(best[met.point])):
                best[met.point] = steps
    return [ReachingSteps(point, best.get(point, ())) for point in coverage.missing()]


def _all_tries(coverage: Coverage, loaded: Loaded, best: dict[Point, tuple[str, ...]]) -> Iterator[tuple[str, ...]]:
    """Yield steps to try; the many sequences of a filled form only as long as points are missing from *best*."""
    if not coverage.sent:
        coverage = coverage._replace(sent=_filled(loaded, coverage.clock))
    yield from tries(coverage)
    for steps in islice(sequences_of(loaded, coverage.clock), _MOST_SEQUENCES):
        if all(point in best for point in coverage.missing()):
            return
        yield tuple(write_played(step) for step in steps)


def _filled(loaded: Loaded, clock: int) -> tuple[str, ...]:
    """Return steps that fill in the form so that it can be sent; none if none were found."""
    subject = loaded.begin(".")
    assert isinstance(subject, SimulatedForm)
    if subject.load(clock) is not None:
        return ()
    found = Filling(loaded.form).find(subject).steps or ()
    return tuple(write_played(step) for step in takewhile(lambda step: not isinstance(step, Submit), found))


def read_steps(lines: tuple[str, ...], form: Form) -> ExpandedScenario | None:
    """Parse *lines* as steps on *form*."""
    text = 'scenario "way"\n' + "".join(f"    {line}\n" for each in lines for line in each.split("\n"))
    try:
        scenarios, problems = expand(read_script_text(text, "way.fox"))
    except Unreadable:
        return None
    return None if problems or check_ops(scenarios[0].ops, form) else scenarios[0]


def tries(coverage: Coverage) -> Iterator[tuple[str, ...]]:
    """Yield sequences of steps that may reach points: each step alone, and with the fields left before and after."""
    form = coverage.form
    script = read_script_text(first_script(form, form.file).text, "tries.fox")
    scenarios, _ = expand(script)
    plain = [tuple(write_played(op.act) for op in s.ops if not isinstance(op.act, Check | Cannot)) for s in scenarios]
    yield from _simple(form)
    for steps in plain:
        blurred = tuple(each for step in steps for each in (step, "blur"))
        yield steps
        yield blurred
        if steps and steps[0].count(" "):
            yield (f"focus {steps[0].split()[1]}", "blur", *blurred)
    yield from _around(form, coverage.sent)


def _simple(form: Form) -> Iterator[tuple[str, ...]]:
    ahead = tuple(f"turn {called(f.address)} on" for f in walk(form.fields) if f.kind == "checkbox" and not f.many and "*" not in f.path)
    for one in (form, *form.panels):
        opened = (f"open {one.panel}",) if one.panel else ()
        for field in walk(one.fields):
            name = called(field.address.replace("[*]", "[0]"))
            if field.kind == "rows" and "*" not in field.path:
                most = field.most if field.most is not None and field.most < 20 else 3
                yield (*opened, *(f"add {name}" for _ in range(most)))
                yield (*opened, f"add {name}", f"add {name}", f"move {name}[0] to 1", f"remove {name}[0]", f"remove {name}[0]")
            elif field.kind not in ("group", "rows", "hidden"):
                yield (*opened, f"focus {name}", "blur")
                yield (*opened, f"expect {name} is enabled")
                entered = tuple(each for step in _entering(field, name) for each in (step, "blur"))
                yield (*opened, f"focus {name}", "blur", *entered)
                yield (*ahead, *opened, f"focus {name}", "blur", *entered)


def _entering(field: Field, name: str) -> list[str]:
    """Yield steps that enter valid and invalid values of a field."""
    if field.kind in DATE_KINDS:
        dates = ("1990-01-01", "2030-01-15", "2999-12-31") if field.kind == "date" else tuple(values_for(field)[:3])
        return [f"set {name} {quoted(value)}" for value in (*dates, "")]
    if field.kind in TEXT_KINDS or field.kind == "number":
        wrong = not_matching(str(parameter(field, "pattern"))) if parameter(field, "pattern") is not None else None
        texts = ["x", *_too_long(field), *([wrong] if wrong else []), *(str(each) for each in candidates(field)[:2])]
        texts.append("x" * _too_many(field))
        return [*(f"retype {name} {quoted(text)}" for text in texts), f"clear {name}"]
    options = [quoted(option.value) for option in field.options] if isinstance(field.options, tuple) else []
    return [f"pick {name} {option}" for option in options[:4]]


def _too_many(field: Field) -> int:
    """The number of characters of a text that is too long, or may be."""
    most = parameter(field, "maxlength")
    return most + 1 if isinstance(most, int) and most < _MANY else _MANY


def _too_long(field: Field) -> list[str]:
    """An address that is too long and otherwise valid."""
    most, begins, ends = parameter(field, "maxlength"), *_ADDRESSES.get(field.kind, ("", ""))
    return [begins + "a" * max(most + 1 - len(begins + ends), 1) + ends] if isinstance(most, int) and field.kind in _ADDRESSES else []


def _around(form: Form, sent: tuple[str, ...]) -> Iterator[tuple[str, ...]]:
    """Ways to send, and to be asked: after *sent* the form is accepted, as far as a scenario shows it."""
    yield ("submit", "submit")
    yield (*sent, "submit", "submit", "settle")
    for answer in ("answer submit with failure", "answer submit with 422", "answer submit with 201"):
        yield (answer, *sent, "submit", "settle")
    for one in (form, *form.panels):
        for field in walk(one.fields):
            for kind in (kind for rule in field.rules for kind in rule.kinds if kind.name == "lookup"):
                yield from _asked(form, called(field.address.replace("[*]", "[0]")), str(kind.parameter))


def _asked(form: Form, name: str, lookup: str) -> Iterator[tuple[str, ...]]:
    known = form.lookups.get(lookup)
    texts = [str(value) for value in (known.accept or ())][:2] if known is not None else []
    first, second = [f"retype {name} {quoted(text)}" for text in [*texts, "ABCD1234", "EFGH5678"][:2]]
    for kind in ("accept", "refuse", "failure"):
        yield (f"answer {lookup} with {kind}", first, "blur", "settle", second, "blur", "settle")
    yield (f"answer {lookup} with accept after 9s", first, "blur", second, "blur", "settle")


def kept(way: ReachingSteps, loaded: Loaded, clock: int, file: str, text: str | None) -> str | None:
    """Return the text of the script *file* (whose text is *text*) with the scenario of *way* and checks of its last step; None if
    it fails.
    """
    rehearsal = Rehearsal(loaded, loaded.form.file, ".", clock)
    for step in way.steps:
        if not rehearsal.take(step).held:
            return None
    if not way.steps or not rehearsal.offer():
        return None  # no check could hold
    point = way.point
    title = " ".join(part for part in (point.address or "the form", point.name.partition(": ")[0], point.wanted) if part)
    return rehearsal.kept(file, text, title)
