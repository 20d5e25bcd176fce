"""Draws the house from the imports as they are: `python tools/house.py > docs/house.svg`.

Every room of the package, and every floor of the engine and the forms, is a box; an arrow is an import somewhere in it.
Where one box reaches another over a third, the direct arrow is left out: what is drawn is enough to know who may know
whom. A test draws it anew and compares.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from pathlib import Path

PACKAGE = Path(__file__).resolve().parent.parent / "src" / "idlefox"
# Where each box stands: rows from the top, and what it is for.
ROWS: tuple[tuple[str, ...], ...] = (
    ("commands",),
    ("editor", "live"),
    ("report", "study"),
    ("playing",),
    ("engine.session", "script"),
    ("engine.compile", "words"),
    ("engine.acts",),
    ("engine.world",),
    ("engine.judge",),
    ("engine.state",),
    ("engine.plan", "forms.sheet"),
    ("forms.html", "forms.schema"),
    ("forms.model",),
    ("forms.expressions",),
    ("forms.names", "forms.values"),
)
SAYS = {
    "commands": "the command line", "report": "results in words", "study": "lint, first scripts", "editor": "the language server",
    "live": "real pages", "playing": "steps, checks, verdicts",
    "script": "the language", "words": "the table of words",
    "engine.session": "the door: starts, holds, copies", "engine.compile": "a form into a plan",
    "engine.acts": "what a person does", "engine.world": "clock, answers, wire, server",
    "engine.judge": "rules, timing, spread", "engine.state": "cells, queue, journal", "engine.plan": "what is compiled",
    "forms.sheet": "form sheets", "forms.html": "HTML pages", "forms.schema": "JSON Schemas", "forms.model": "what a form is",
    "forms.expressions": "conditions", "forms.names": "addresses, states", "forms.values": "what controls hold",
}  # fmt: skip
WIDE, HIGH, GAP, BETWEEN = 250, 46, 80, 26
MIDDLE = 30 + WIDE + GAP // 2


def box_of(module: tuple[str, ...]) -> str:
    """The box that a module stands in; "" for what all may know."""
    name = ".".join(module[:2]) if module and module[0] in ("engine", "forms") else ".".join(module[:1])
    return name if name in SAYS else ""


def imports(path: Path) -> Iterator[tuple[str, ...]]:
    package = list(path.relative_to(PACKAGE).parts[:-1])
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.level:
            base = package[: len(package) - node.level + 1]
            for alias in node.names:
                yield (*base, *(node.module or "").split("."), alias.name) if node.module else (*base, alias.name)


def arrows() -> set[tuple[str, str]]:
    """Who knows whom, what follows from other arrows left out."""
    knows: dict[str, set[str]] = {name: set() for name in SAYS}
    for path in PACKAGE.rglob("*.py"):
        here = box_of(path.relative_to(PACKAGE).with_suffix("").parts)
        if here:
            knows[here] |= {box for module in imports(path) if (box := box_of(module)) and box != here}

    def reach(start: str) -> set[str]:
        found: set[str] = set()
        open_ = list(knows[start])
        while open_:
            each = open_.pop()
            if each not in found:
                found.add(each)
                open_ += knows[each]
        return found

    return {(a, b) for a in knows for b in knows[a] if not any(b in reach(c) for c in knows[a] if c != b)}


def places() -> dict[str, tuple[int, int]]:
    """The upper left corner of every box."""
    found: dict[str, tuple[int, int]] = {}
    for row, names in enumerate(ROWS):
        for column, name in enumerate(names):
            x = 30 + column * (WIDE + GAP) if len(names) > 1 or name.startswith("engine") else 30 + (WIDE + GAP) // 2
            found[name] = (x, 20 + row * (HIGH + BETWEEN))
    return found


def _edge(sign: str, x: int, y: int, gutter: int, *, below: bool) -> str:
    """Where a way through the gutter leaves a box or comes to one: at its side, or at its foot or head if it stands across."""
    if x < gutter < x + WIDE:
        return f"{sign}{gutter} {y + HIGH if below else y}"
    side, middle = (x + WIDE if x < gutter else x), y + HIGH // 2
    return f"M{side} {middle} L{gutter} {middle}" if below else f"L{gutter} {middle} L{side} {middle}"


def drawing() -> str:
    """The SVG."""
    at = places()
    width, height = 2 * WIDE + GAP + 60, 20 + len(ROWS) * (HIGH + BETWEEN)
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" font-family="sans-serif" role="img">',
        "<title>The rooms of Idle Fox: an arrow leads from a room to one that it knows</title>",
        f'<rect width="{width}" height="{height}" fill="#fbf8f1"/>',
        '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">'
        '<path d="M0 0 L8 4 L0 8 z" fill="#7a6a55"/></marker></defs>',
    ]
    fills = {"engine": "#f3d9b1", "forms": "#d5e3d0"}
    for name, (x, y) in at.items():
        fill = fills.get(name.partition(".")[0], "#ffffff")
        lines.append(f'<rect x="{x}" y="{y}" width="{WIDE}" height="{HIGH}" rx="6" fill="{fill}" stroke="#5b4a36"/>')
        lines.append(f'<text x="{x + 12}" y="{y + 19}" font-size="14" font-weight="bold" fill="#2b2118">{name.replace(".", " / ")}</text>')
        lines.append(f'<text x="{x + 12}" y="{y + 36}" font-size="12" fill="#4a3c2c">{SAYS[name]}</text>')
    lane = 0
    for a, b in sorted(arrows()):
        (ax, ay), (bx, by) = at[a], at[b]
        if by - ay == HIGH + BETWEEN:
            path = f"M{ax + WIDE // 2} {ay + HIGH} L{bx + WIDE // 2} {by}"
        elif ax == bx:  # down the side of a column
            side = ax + WIDE + 4 if ax > MIDDLE else ax + WIDE
            path = f"M{side} {ay + HIGH // 2} C{side + 24} {ay + HIGH // 2}, {side + 24} {by + HIGH // 2}, {side} {by + HIGH // 2}"
        else:  # down the gutter between the columns
            x = MIDDLE + (12, -6, 20)[lane % 3]
            lane += 1
            path = f"{_edge('M', ax, ay, x, below=True)} {_edge('L', bx, by, x, below=False)}"
        lines.append(f'<path d="{path}" fill="none" stroke="#7a6a55" stroke-width="1.4" marker-end="url(#tip)"/>')
    return "\n".join([*lines, "</svg>"]) + "\n"


if __name__ == "__main__":
    sys.stdout.write(drawing())
