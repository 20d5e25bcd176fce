"""Which scripts and scenarios to play: paths, folders, `file.fox:LINE`, tags, words of the title."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from pathlib import Path

from ..problems import KIND, Place, Problem
from ..records import NamedTuple
from ..script.expand import Scenario
from .kinds import misplaced

_WITH_ROW = re.compile(r"(.+\.(?:csv|json)):(\d+)(?::\d+)?")
_ODD_LINE = re.compile(r"([^:]+\.(?:fox|yaml|yml|html)):([^:]*)(?::.*)?")
_WITH_LINE = re.compile(r"(.+\.fox):(\d+)(?::\d+)?")


class Chosen(NamedTuple):
    """A script file, and the lines asked for in it (empty: all of it).

    *rows* are rows asked for by the file and line of their tables: then only what is played for one of them. *text* is a
    script that stands in no file.
    """

    file: str
    lines: tuple[int, ...] = ()
    rows: tuple[tuple[str, int], ...] = ()
    text: str | None = None


def choose_files(paths: Iterable[str], otherwise: Iterable[str] = ()) -> tuple[list[Chosen], list[Problem]]:
    """The script files that *paths* name, folders searched through, in order; and what names none.

    Rows of tables (``cases.csv:3``) are looked for in these scripts; in those of *otherwise* where there are no others.
    """
    found: dict[str, list[int]] = {}
    problems: list[Problem] = []
    paths = list(paths)
    rows = [m for path in paths if not Path(path).exists() and (m := _WITH_ROW.fullmatch(path))]
    scripts = [path for path in paths if Path(path).exists() or not _WITH_ROW.fullmatch(path)]
    for path in scripts or (otherwise if rows else ()):
        with_line = _WITH_LINE.fullmatch(path) if not Path(path).exists() else None
        file = Path(with_line[1] if with_line else path)
        if file.is_dir():
            scripts = sorted(str(p) for p in file.rglob("*.fox") if p.is_file() and not _hidden(p.relative_to(file)))
            if not scripts:
                problems.append(Problem(Place(path, 1, 1), "there is no script (*.fox) in this folder", "name a script or another folder"))
            for script in scripts:
                found.setdefault(script, [])
        elif with_line:
            known = found.get(str(file))
            if known is None:
                found[str(file)] = [int(with_line[2])]
            elif known:
                known.append(int(with_line[2]))
        elif (odd := misplaced(path, "script")) is not None:
            problems.append(odd)
        elif (beside := _ODD_LINE.fullmatch(path)) is not None and Path(beside[1]).is_file():
            cause = f"{beside[2]!r} is no line of {beside[1]}"
            remedy = f"name a scenario by a line of it: {beside[1]}:LINE"
            problems.append(misplaced(beside[1], "script") or Problem(Place(path, 1, 1), cause, remedy, code=KIND))
        else:
            found[str(file)] = []
    wanted_rows = tuple((str(Path(m[1]).resolve()), int(m[2])) for m in rows)
    return [Chosen(file, tuple(lines), wanted_rows) for file, lines in found.items()], problems


def _hidden(path: Path) -> bool:
    return any(part.startswith(".") for part in path.parts)


def at_lines(scenarios: list[Scenario], lines: tuple[int, ...]) -> tuple[list[Scenario], list[int]]:
    """The scenarios (or table rows) at *lines*, and the lines at which there is none."""
    chosen: list[Scenario] = []
    missed: list[int] = []
    for line in lines:
        rows = [s for s in scenarios if s.row_line == line and not s.row_file]
        found = rows or [s for s in scenarios if s.line <= line <= s.last_line]
        chosen += [s for s in found if s not in chosen]
        if not found:
            missed.append(line)
    order = {id(s): i for i, s in enumerate(scenarios)}
    return sorted(chosen, key=lambda s: order[id(s)]), missed


def at_rows(scenarios: list[Scenario], rows: tuple[tuple[str, int], ...], folder: Path) -> list[Scenario]:
    """The scenarios that are played for one of *rows* (a table's file, its line)."""
    return [s for s in scenarios if s.row_file and (str((folder / s.row_file).resolve()), s.row_line) in rows]


def wanted(tags: tuple[str, ...], match: str) -> Callable[[Scenario], bool]:
    """A test for scenarios that have one of *tags* (any, if there are none) and *match* in their title."""
    needle = match.casefold()
    return lambda s: (not tags or any(t in s.tags for t in tags)) and (not needle or needle in s.title.casefold())
