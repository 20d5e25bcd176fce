"""The HTML page of a study: a summary, tables, and each finding with its steps, in one self-contained file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from typing import Any

from ..records import NamedTuple
from ..study.compare import LAYERS, Comparison, on_one_line
from ..study.coverage.page_scripts import spans
from ..study.coverage.reaching import ReachingSteps
from ..study.coverage.study import Coverage
from ..study.manners.monitor import MANNERS
from ..study.manners.study import MannersResult
from ..study.probe import ProbeScenario, ProbeScript
from ..study.weaken.study import FaultVerdict, WeakenResult
from .coverage import failed_on_page, file_of, point_text, shade
from .styled import plain
from .weaken import UNDECIDED

_MOST_COLUMNS = 120  # scenarios in a grid
_MARKS = ("", "○", "●")


class Table(NamedTuple):
    """Rows are a name and numbers: the first is a part of the last. *bad*: a part means a problem."""

    title: str
    what: str
    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    bad: bool = False


class StudyEntry(NamedTuple):
    """One finding: its kind in one sentence, its place, and the steps that show it."""

    kind: str
    text: str
    place: str
    lines: tuple[str, ...]


class Section(NamedTuple):
    """Findings under one heading; *quiet* if they are not problems."""

    title: str
    note: str
    entries: tuple[StudyEntry, ...]
    quiet: bool = False


class GridRow(NamedTuple):
    """One rule, and a mark for each scenario."""

    name: str
    cells: tuple[str, ...]


class Grid(NamedTuple):
    """Rules against scenarios."""

    columns: tuple[str, ...]
    rows: tuple[GridRow, ...]


class StudyPage(NamedTuple):
    """A page: *told* is the summary, *fine* is whether nothing is missing, *made* says how the results were found."""

    title: str
    told: str
    fine: bool
    command: str
    made: str
    tables: tuple[Table, ...] = ()
    sections: tuple[Section, ...] = ()
    grid: Grid | None = None


def study_html(page: StudyPage) -> Iterable[str]:
    """*page* as HTML, in pieces."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    loader = PackageLoader("idlefox.report", ".")
    environment = Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters["visible"] = plain
    environment.filters["visible_lines"] = lambda text: "\n".join(map(plain, text.split("\n")))
    return environment.get_template("study.html").generate(page=page, when=datetime.now().astimezone())


def coverage_page(coverage: Coverage, ways: Iterable[ReachingSteps], at_least: float | None) -> StudyPage:
    """Return the page for coverage: what the scenarios reached, and the points they missed."""
    kinds = tuple((kind, tally.reached, tally.checked, tally.of) for kind, tally in coverage.summary().items())
    fields: dict[str, list[bool]] = {}
    for point in coverage.points.all:
        fields.setdefault(point.address or "the form", []).append(point in coverage.by)
    by_field = tuple((name, sum(met), len(met)) for name, met in fields.items())
    missing = tuple(
        StudyEntry(way.point.kind, point_text(way.point).partition(": ")[2], "", _lines(way.steps) or ("no steps found that reach it",))
        for way in ways
    )
    short = at_least is not None and coverage.share < at_least
    bound = f", {'below' if short else 'at least'} {at_least:g} %" if at_least is not None else ""
    told = f"{coverage.share:.0f} % of {len(coverage.points.all)} points are reached{bound}"
    tables = [Table("By kind", "kind", ("reached", "checked", "of"), kinds), Table("By field", "field", ("reached", "of"), by_field)]
    sections = [Section("Unreached", "", missing)] if missing else []
    if coverage.scripts is not None:
        files = coverage.scripts.files
        ran = tuple((file_of(each), len(each.ran), len(each.code)) for each in files)
        tables.append(Table(f"Scripts of the page, in {coverage.scripts.browser}", "file", ("lines run", "of"), ran))
        unrun = tuple(StudyEntry("", file_of(each), "", (", ".join(spans(each.missed)),)) for each in files if each.missed)
        note = failed_on_page(coverage.scripts)
        sections += [Section("Lines that did not run", note, unrun)] if unrun or note else []
    made = f"{len(coverage.scenarios)} scenarios"
    return StudyPage(coverage.form.label, told, not short, "idlefox coverage", made, tuple(tables), tuple(sections), _grid(coverage))


def _grid(coverage: Coverage) -> Grid | None:
    rules = [point for point in coverage.points.all if point.kind == "rule"]
    scenarios = coverage.scenarios[:_MOST_COLUMNS]
    if not rules or not scenarios:
        return None
    rows = tuple(
        GridRow(f"{point.address} {point.name} {point.wanted}", tuple(_MARKS[shade(coverage, point, scenario)] for scenario in scenarios))
        for point in rules
    )
    return Grid(tuple(name.rpartition("/")[2] for name in scenarios), rows)


def weaken_page(found: WeakenResult, at_least: float | None) -> StudyPage:
    """Return the page for `weaken`: which planted faults the scenarios notice."""
    short = at_least is not None and found.score < at_least
    bound = f", {'below' if short else 'at least'} {at_least:g} %" if at_least is not None else ""
    unnoticed = tuple(StudyEntry(each.kind, each.sentence, each.place, each.lines) for each in found.faults if each.verdict == "unnoticed")
    quiet = tuple(StudyEntry(each.kind, each.sentence, each.place, ()) for each in found.faults if each.verdict == "undecided")
    note = "Each is a bug that a user would meet, with a scenario that notices it."
    sections = [Section("Unnoticed", note, unnoticed)] if unnoticed else []
    if quiet:
        sections.append(Section("Undecided", UNDECIDED, quiet, quiet=True))
    tables = (
        Table("By kind", "fault", ("noticed", "of"), _noticed(found, lambda fault: fault.kind)),
        Table("By field", "field", ("noticed", "of"), _noticed(found, lambda fault: fault.address or "the form")),
    )
    told = f"{found.score:.0f} % of the faults are noticed{bound}"
    made = f"{found.scenarios} scenarios, {len(found.faults)} faults: {found.count('noticed')} noticed, {len(unnoticed)} unnoticed"
    return StudyPage(found.form.label, told, not unnoticed and not short, "idlefox weaken", made, tables, tuple(sections))


def _noticed(found: WeakenResult, of: Callable[[FaultVerdict], str]) -> tuple[tuple[Any, ...], ...]:
    groups: dict[str, list[bool]] = {}
    for each in found.faults:
        if each.verdict in ("noticed", "unnoticed"):
            groups.setdefault(of(each), []).append(each.verdict == "noticed")
    return tuple((name, sum(noticed), len(noticed)) for name, noticed in groups.items())


def manners_page(found: MannersResult, title: str, scenarios: Sequence[list[str]]) -> StudyPage:
    """Return the page for `manners`."""
    groups: dict[str, list[StudyEntry]] = {}
    for breach, lines in zip(found.breaches, scenarios, strict=True):
        walks = f"{breach.walks} walk{'' if breach.walks == 1 else 's'}"
        groups.setdefault(breach.manner, []).append(StudyEntry(walks, breach.sentence, "", tuple(lines)))
    sections = [Section(f"{manner}: {MANNERS[manner]}", "", tuple(entries)) for manner, entries in groups.items()]
    if found.left_out:
        absent = tuple(StudyEntry(manner, why, "", ()) for manner, why in found.left_out)
        sections.append(Section("Not checked", "", absent, quiet=True))
    told = f"{len(groups)} of {len(found.kept_to)} manners broken" if groups else f"no finding, {len(found.kept_to)} manners checked"
    made = f"{found.walks:,} walks, {found.steps:,} steps, {found.states:,} states, seed {found.seed}"
    met = {manner: max((each.walks for each in found.breaches if each.manner == manner), default=0) for manner in found.kept_to}
    rows = tuple((manner, walks, found.walks) for manner, walks in met.items())
    tables = (Table("By manner", "manner", ("broken in walks", "of"), rows, bad=True),) if found.walks else ()
    return StudyPage(title, told, not groups, "idlefox manners", made, tables, tuple(sections))


def probe_page(found: ProbeScript, title: str) -> StudyPage:
    """Return the page for `probe`: the behaviour of a form at its boundaries."""
    groups: dict[str, list[ProbeScenario]] = {}
    for each in found.tried:
        groups.setdefault(each.about or "the form", []).append(each)
    rows = tuple((name, sum(bool(each.lines) for each in those), len(those)) for name, those in groups.items())
    entries = {name: tuple(StudyEntry("", each.title, "", each.lines) for each in those if each.lines) for name, those in groups.items()}
    sections = [Section(name, "", those, quiet=True) for name, those in entries.items() if those]
    if found.left_out:
        sections.append(Section("Left out", "", tuple(StudyEntry("", each, "", ()) for each in found.left_out), quiet=True))
    told = f"{found.scenarios} scenarios at its limits"
    tables = (Table("By field", "field", ("scenarios", "of"), rows),) if rows else ()
    return StudyPage(title, told, True, "idlefox probe", f"{len(found.left_out)} left out", tables, tuple(sections))


def compare_page(found: Comparison, title: str, value: Callable[[object], str]) -> StudyPage:
    """Return the page for `compare`: where two forms differ."""
    done = [" / ".join(map(on_one_line, each.steps)) or each.step for each, _ in found.groups]
    entries = tuple(
        StudyEntry(each.layer, f"{each.address} {each.what}".strip(), f"{each.scenario}, after: {after}",
              (f"A  {value(each.first)}", f"B  {value(each.second)}", *((f"and {times - 1} more like this",) if times > 1 else ())))
        for (each, times), after in zip(found.groups, done, strict=True)
    )  # fmt: skip
    sections = [Section("Differences", "", entries)] if entries else []
    if found.left_out:
        absent = tuple(StudyEntry(scenario, why, "", ()) for scenario, why in found.left_out)
        sections.append(Section("Not possible on B", "", absent))
    layers = tuple((layer, count, len(entries)) for layer in LAYERS if (count := sum(each.example.layer == layer for each in found.groups)))
    tables = (Table("By layer", "layer", ("differences", "of"), layers),) if layers else ()
    told = f"{len(found.left_out)} not possible on B" if found.left_out else "no difference"
    told = f"{len(entries)} differences" if len(entries) > 1 else "one difference" if entries else told
    made = f"{found.scenarios} scenarios, {found.walks} walks, {found.states} states"
    return StudyPage(title, told, not sections, "idlefox compare", made, tables, tuple(sections))


def _lines(steps: Iterable[str]) -> tuple[str, ...]:
    return tuple(line for step in steps for line in step.split("\n"))
