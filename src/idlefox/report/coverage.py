"""Coverage for people: sums by kind and by field, what is missing, and a figure of rules against scenarios."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import Any

from ..study.coverage.points import Point
from ..study.coverage.study import Coverage
from ..study.coverage.ways import Way
from .styled import Line, columns, hanging, plain

_BAR = 20


def coverage_lines(coverage: Coverage, width: int) -> list[Line]:
    """Sums by kind, then what of each field is reached."""
    lines: list[Line] = [[(f" {plain(coverage.form.label)}", "strong"), (f"   {len(coverage.scenarios)} scenarios", "dim")], []]
    lines.append([(f" {'':<12}{'reached':>9}{'checked':>9}{'of':>6}", "dim")])
    for kind, tally in coverage.summary().items():
        done = round(_BAR * tally.reached / tally.of)
        bar = [("█" * done, "good"), ("░" * (_BAR - done), "dim")] if width >= 70 else []
        lines.append([(f" {kind:<12}{tally.reached:>9}{tally.checked:>9}{tally.of:>6}   ", ""), *bar])
    lines += [[], [(" by field", "dim")]]
    for address, those in _by_address(coverage.points.all).items():
        reached = sum(point in coverage.by for point in those)
        style = "good" if reached == len(those) else "bad" if not reached else ""
        name = plain(address or "the form")
        lines.append([(f" {name}" + " " * max(34 - columns(name), 1), ""), (f"{reached:>4} of {len(those):<4}", style)])
    return lines


def share_line(coverage: Coverage, at_least: float | None) -> Line:
    told = f" {coverage.share:.0f} % of {len(coverage.points.all)} points"
    if at_least is None:
        return [(told, "strong")]
    short = coverage.share < at_least
    return [(told, "bad" if short else "good"), (f", {'below' if short else 'at least'} {at_least:g} %", "bad" if short else "dim")]


def unreached_lines(ways: Iterable[Way], width: int) -> list[Line]:
    """The points that nobody met, each with steps that meet it."""
    lines: list[Line] = []
    for way in ways:
        lines += [[], *hanging(" ", plain(point_text(way.point)), width, "bad")]
        if not way.steps:
            lines.append([("     no steps found that reach it", "dim")])
        for step in way.steps:
            lines += [[("     " + plain(text), "")] for text in step.split("\n")]
    return lines


def point_text(point: Point) -> str:
    """A point in words."""
    name = point.name
    if point.kind == "message":
        rule, _, text = point.name.partition(": ")
        name = f"{rule} “{text}”"
    return " ".join(part for part in (f"{point.kind}:", point.address or "the form", name, point.wanted) if part)


def _by_address(points: Iterable[Point]) -> dict[str, list[Point]]:
    found: dict[str, list[Point]] = {}
    for point in points:
        found.setdefault(point.address, []).append(point)
    return found


def shade(coverage: Coverage, point: Point, scenario: str) -> int:
    """0 not met, 1 met, 2 met and checked somewhere."""
    return 0 if scenario not in coverage.by.get(point, ()) else 2 if point in coverage.checked else 1


def matrix(coverage: Coverage, kind: str) -> bytes:
    """A figure: which scenario has met which rule. Raises ImportError without the library that draws."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # noqa: F401
    from matplotlib.figure import Figure

    rules = [point for point in coverage.points.all if point.kind == "rule"]
    cells: list[list[Any]] = [[shade(coverage, point, scenario) for scenario in coverage.scenarios] for point in rules]
    figure = Figure(figsize=(max(6.0, 3.4 + 0.24 * len(coverage.scenarios)), max(3.0, 1.4 + 0.2 * len(rules))), layout="constrained")
    axes = figure.add_subplot()
    from matplotlib.colors import ListedColormap

    shades = ListedColormap(["#f2efe9", "#e0a458", "#3c7d5a"])
    axes.imshow(cells or [[0]], cmap=shades, vmin=0, vmax=2, aspect="auto", interpolation="nearest")
    axes.set_yticks(range(len(rules)), [f"{p.address} {p.name} {p.wanted}" for p in rules], fontsize=7)
    axes.set_xticks(range(len(coverage.scenarios)), [s.rpartition("/")[2] for s in coverage.scenarios], fontsize=7, rotation=90)
    axes.set_title(f"{coverage.form.label}: rules and scenarios", fontsize=9, loc="left")
    axes.set_xticks([x - 0.5 for x in range(1, len(coverage.scenarios))], minor=True)
    axes.set_yticks([y - 0.5 for y in range(1, len(rules))], minor=True)
    axes.grid(which="minor", color="white", linewidth=0.8)
    axes.tick_params(which="both", length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    out = io.BytesIO()
    figure.savefig(out, format=kind, dpi=150, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()
