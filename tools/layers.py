"""Draws the imports between packages as a matrix: `python tools/layers.py > docs/layers.svg`.

A dot in a row means that the package of the row imports the package of the column. Packages are sorted so that every dot is
below the diagonal; a dot above it, which would be a cycle, is drawn as a cross. A test compares the drawing with the code.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from html import escape
from pathlib import Path

PACKAGE = Path(__file__).resolve().parent.parent / "src" / "idlefox"
# The packages, lowest layer first, and the task of each.
TASKS = {
    "words": "the table of words",
    "forms.values": "values of controls, patterns",
    "forms.names": "addresses, states, rules",
    "forms.expressions": "conditions",
    "forms.model": "the model of a form",
    "forms.html": "reads HTML pages",
    "forms.schema": "reads JSON Schema",
    "forms.sheet": "reads form sheets",
    "engine.plan": "compiled forms",
    "engine.state": "cells, event queue, trace",
    "engine.judge": "rules, timing, propagation",
    "engine.world": "clock, lookups, requests",
    "engine.acts": "a person's actions",
    "engine.compile": "compiles a form to a plan",
    "engine.session": "starts, copies, ends a form",
    "script": "the scenario language",
    "playing": "runs scripts, gives verdicts",
    "study": "lint, coverage, weaken, probe",
    "live.servers": "our own HTTP servers",
    "live.browser": "browser protocol, processes",
    "live.page": "pages in a browser",
    "live.http": "forms over HTTP",
    "report": "results for people, files",
    "editor": "the language server",
    "commands": "the command line",
}
CELL, LEFT, TOP = 22, 400, 150
INK, QUIET, GRID, DOT, BAD = "#24211c", "#565e67", "#e4ddd0", "#1b6ca8", "#a5380a"
TINTS = {"forms": "#f3eee3", "engine": "#e6eff6", "live": "#f3eee3"}


def package_of(module: tuple[str, ...]) -> str:
    """Return the package of *module* as the drawing names it; "" for the modules that everything may import."""
    names = (".".join(module[:2]), module[0] if module else "")
    return next((name for name in names if name in TASKS), "")


def imports(path: Path) -> Iterator[tuple[str, ...]]:
    """Yield every module of the program that the module at *path* imports, at any place in it."""
    package = list(path.relative_to(PACKAGE).parts[:-1])
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.level:
            base = package[: len(package) - node.level + 1]
            for alias in node.names:
                yield (*base, *(node.module or "").split("."), alias.name) if node.module else (*base, alias.name)


def edges() -> set[tuple[str, str]]:
    """Return the pairs (importing package, imported package)."""
    found: set[tuple[str, str]] = set()
    for path in PACKAGE.rglob("*.py"):
        here = package_of(path.relative_to(PACKAGE).with_suffix("").parts)
        if here:
            found |= {(here, there) for module in imports(path) if (there := package_of(module)) and there != here}
    return found


def _tint(names: list[str]) -> Iterator[str]:
    """Yield a background for the rows and columns of each group of packages."""
    for group, colour in TINTS.items():
        rows = [i for i, name in enumerate(names) if name.startswith(group + ".")]
        start, size = rows[0] * CELL, len(rows) * CELL
        below = len(names) * CELL - start
        yield f'<rect x="10" y="{TOP + start}" width="{LEFT - 10 + start + size}" height="{size}" fill="{colour}"/>'
        yield f'<rect x="{LEFT + start}" y="{TOP + start}" width="{size}" height="{below}" fill="{colour}"/>'


def drawing() -> str:
    """Return the SVG."""
    names = list(TASKS)
    width, height = LEFT + len(names) * CELL + 120, TOP + len(names) * CELL + 60
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" font-family="sans-serif" role="img">',
        "<title>Imports between the packages of Idle Fox: the package of a row imports that of a column</title>",
        f'<rect width="{width}" height="{height}" fill="#fbfaf7"/>',
        *_tint(names),
    ]
    for i, name in enumerate(names):
        x, y = LEFT + i * CELL, TOP + i * CELL
        lines.append(f'<text x="20" y="{y + 16}" font-size="14" font-weight="bold" fill="{INK}">{escape(name)}</text>')
        lines.append(f'<text x="{LEFT - 12}" y="{y + 16}" font-size="13" text-anchor="end" fill="{QUIET}">{escape(TASKS[name])}</text>')
        lines.append(f'<text transform="translate({x + 15} {TOP - 8}) rotate(-60)" font-size="13" fill="{INK}">{escape(name)}</text>')
        lines.append(f'<rect x="{x}" y="{y}" width="{CELL}" height="{CELL}" fill="{INK}" opacity="0.18"/>')
        lines.append(f'<path d="M{LEFT} {y} H{LEFT + len(names) * CELL}" stroke="{GRID}"/>')
        lines.append(f'<path d="M{x} {TOP} V{TOP + len(names) * CELL}" stroke="{GRID}"/>')
    for importer, imported in sorted(edges()):
        row, column = names.index(importer), names.index(imported)
        x, y = LEFT + column * CELL + CELL // 2, TOP + row * CELL + CELL // 2
        if column < row:
            lines.append(f'<circle cx="{x}" cy="{y}" r="5" fill="{DOT}"/>')
        else:
            lines.append(f'<path d="M{x - 5} {y - 5} l10 10 m0 -10 l-10 10" stroke="{BAD}" stroke-width="3"/>')
    y = height - 28
    lines.append(f'<circle cx="26" cy="{y}" r="5" fill="{DOT}"/>')
    says = "the package of the row imports the package of the column. All dots are below the diagonal: there are no cycles."
    lines.append(f'<text x="40" y="{y + 5}" font-size="13" fill="{INK}">{says}</text>')
    return "\n".join([*lines, "</svg>"]) + "\n"


if __name__ == "__main__":
    sys.stdout.write(drawing())
