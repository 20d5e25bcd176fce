"""Coverage for people: totals by kind and by field, the unreached points, and a figure of rules and scenarios."""

from __future__ import annotations

import io
from collections.abc import Iterable
from urllib.parse import urlsplit

from ..study.coverage.page_scripts import PageScripts, ScriptLines, spans
from ..study.coverage.points import Point
from ..study.coverage.reaching import ReachingSteps
from ..study.coverage.study import Coverage
from .palette import DOUBT, FAINT, GOOD, GROUND, SOFT_DOUBT
from .styled import Line, columns, hanging, plain, share_bar


def coverage_lines(coverage: Coverage, width: int) -> list[Line]:
    """The totals by kind, then by field."""
    lines: list[Line] = [[(f" {plain(coverage.form.label)}", "strong"), (f"   {len(coverage.scenarios)} scenarios", "dim")], []]
    lines.append([(f" {'':<12}{'reached':>9}{'checked':>9}{'of':>6}", "dim")])
    for kind, tally in coverage.summary().items():
        bar = share_bar(tally.reached, tally.of) if width >= 70 else []
        lines.append([(f" {kind:<12}{tally.reached:>9}{tally.checked:>9}{tally.of:>6}   ", ""), *bar])
    lines += [[], [(f" {'by field':<25}{'reached':>7}{'of':>6}", "dim")]]
    for address, those in _by_address(coverage.points.all).items():
        reached = sum(point in coverage.by for point in those)
        name = plain(address or "the form")
        bar = share_bar(reached, len(those)) if width >= 70 else []
        lines.append([(f" {name}" + " " * max(25 - columns(name), 1) + f"{reached:>7}{len(those):>6}   ", ""), *bar])
    return lines


def scripts_lines(coverage: Coverage, width: int) -> list[Line]:
    """Return the files of the page's own scripts, with the lines that no scenario ran; nothing if that was not asked for."""
    scripts = coverage.scripts
    if scripts is None:
        return []
    lines: list[Line] = [[], [(f" {'scripts of the page':<25}{'ran':>7}{'of':>6}", "dim"), (f"   lines, in {scripts.browser}", "dim")]]
    if not scripts.files:
        return [*lines, *hanging(" ", "the page loaded no scripts from its own server", width)]
    for file in scripts.files:
        name = plain(file_of(file))
        bar = share_bar(len(file.ran), len(file.code)) if width >= 70 else []
        lines.append([(f" {name}" + " " * max(25 - columns(name), 1) + f"{len(file.ran):>7}{len(file.code):>6}   ", ""), *bar])
        if file.missed:
            lines += hanging("     ", f"not run: {', '.join(spans(file.missed))}", width, "dim")
    if scripts.failed:
        lines += hanging(" ", failed_on_page(scripts), width, "doubt")
    return lines


def failed_on_page(scripts: PageScripts) -> str:
    """Return what to say where scenarios did not pass on the page; empty if all did."""
    told = f"{scripts.failed} of the {scripts.played} scenarios did not pass on the page; idlefox run --live={scripts.browser} shows why."
    return told if scripts.failed else ""


def file_of(lines: ScriptLines) -> str:
    """Return the file of a script, without its server."""
    parts = urlsplit(lines.url)
    return parts.path.lstrip("/") + (f"?{parts.query}" if parts.query else "") or lines.url


def share_line(coverage: Coverage, at_least: float | None) -> Line:
    """Return the line with the total; red if it is below *at_least*."""
    told = f" {coverage.share:.0f} % of {len(coverage.points.all)} points reached"
    if at_least is None:
        return [(told, "strong")]
    short = coverage.share < at_least
    return [(told, "bad" if short else "good"), (f", {'below' if short else 'at least'} {at_least:g} %", "bad" if short else "dim")]


def unreached_lines(ways: Iterable[ReachingSteps], width: int) -> list[Line]:
    """Return the points that no scenario reached, each with steps that reach it."""
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
    """0 not reached, 1 reached, 2 reached and checked somewhere."""
    return 0 if scenario not in coverage.by.get(point, ()) else 2 if point in coverage.checked else 1


def _short(places: Iterable[str]) -> list[str]:
    """Return the scenarios of a figure as line numbers; the file is named where it changes."""
    found, file = [], ""
    for place in places:
        name, _, line = place.rpartition("/")[2].rpartition(":")
        found.append(line if name == file else f"{name}:{line}")
        file = name
    return found


def _reached(cells: list[list[int]]) -> int:
    return sum(any(row) for row in cells)


def matrix(coverage: Coverage, kind: str) -> bytes:
    """A figure of the rules that each scenario reaches. Raises ImportError without Matplotlib."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # noqa: F401
    from matplotlib.colors import ListedColormap
    from matplotlib.figure import Figure
    from matplotlib.patches import Patch, Rectangle

    rules = [point for point in coverage.points.all if point.kind == "rule"]
    cells: list[list[int]] = [[shade(coverage, point, scenario) for scenario in coverage.scenarios] for point in rules]
    size = (max(6.0, 3.4 + 0.24 * len(coverage.scenarios)), max(3.0, 1.6 + 0.2 * len(rules)))
    figure = Figure(figsize=size, layout="constrained", facecolor=GROUND)
    axes = figure.add_subplot()
    axes.imshow(cells or [[0]], cmap=ListedColormap([FAINT, SOFT_DOUBT, GOOD]), vmin=0, vmax=2, aspect="auto", interpolation="nearest")
    for row, shades in enumerate(cells):
        for column, one in enumerate(shades):
            if one == 1:  # hatched, to differ without colour
                axes.add_patch(Rectangle((column - 0.5, row - 0.5), 1, 1, fill=False, hatch="////", edgecolor=DOUBT, linewidth=0))
    samples = [
        Patch(facecolor=GOOD, label="reached and checked"), Patch(facecolor=FAINT, label="not reached"),
        Patch(facecolor=SOFT_DOUBT, edgecolor=DOUBT, hatch="////", label="reached only"),
    ]  # fmt: skip
    figure.legend(handles=samples, loc="outside lower right", ncols=3, fontsize=7, frameon=False)
    axes.set_yticks(range(len(rules)), [f"{p.address} {p.name} {p.wanted}" for p in rules], fontsize=7)
    axes.set_xticks(range(len(coverage.scenarios)), _short(coverage.scenarios), fontsize=7, rotation=90)
    axes.set_title(f"{coverage.form.label}: rules and scenarios, {_reached(cells)} of {len(rules)} points reached", fontsize=9, loc="left")
    axes.set_xticks([x - 0.5 for x in range(1, len(coverage.scenarios))], minor=True)
    axes.set_yticks([y - 0.5 for y in range(1, len(rules))], minor=True)
    axes.grid(which="minor", color="white", linewidth=0.8)
    axes.tick_params(which="both", length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    out = io.BytesIO()
    figure.savefig(out, format=kind, dpi=150, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()
