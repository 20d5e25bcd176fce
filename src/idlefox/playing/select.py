"""Selects scripts and scenarios: paths, folders, `file.fox:LINE`, tags, words of the title."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from .. import disk
from ..problems import BAD_PATH, KIND, Place, Problem, path_problem
from ..records import NamedTuple
from ..roots import is_below
from ..script.ops import ExpandedScenario
from .kinds import misplaced
from .tags import read_tags

_WITH_ROW = re.compile(r"(.+\.(?:csv|json)):(\d+)(?::\d+)?")
_ODD_LINE = re.compile(r"([^:]+\.(?:fox|yaml|yml|html)):([^:]*)(?::.*)?")
_WITH_LINE = re.compile(r"(.+\.fox):(\d+)(?::\d+)?")


class SelectedScript(NamedTuple):
    """A script file, and the lines asked for in it (empty: all of it).

    *rows* are rows asked for by the file and line of their tables: then only what is played for one of them. *text* is a
    script that stands in no file.
    """

    file: str
    lines: tuple[int, ...] = ()
    rows: tuple[tuple[str, int], ...] = ()
    text: str | None = None


def choose_files(paths: Iterable[str], otherwise: Iterable[str] = ()) -> tuple[list[SelectedScript], list[Problem]]:
    """The script files that *paths* name, folders searched through, in order; and what names none.

    Rows of tables (``cases.csv:3``) are looked for in these scripts; in those of *otherwise* where there are no others.
    """
    found: dict[str, list[int]] = {}
    problems: list[Problem] = []
    given = list(paths)
    paths = [path for path in given if not path_problem(path)]
    problems += [
        Problem(Place(p, 1, 1), f"this is not a path: {path_problem(p)}", "name a file", code=BAD_PATH) for p in given if path_problem(p)
    ]
    if given and not paths:
        return [], problems
    # `os.path` answers where `Path` raises: a folder on the way may not be read.
    rows = [m for path in paths if not os.path.exists(path) and (m := _WITH_ROW.fullmatch(path))]
    scripts = [path for path in paths if os.path.exists(path) or not _WITH_ROW.fullmatch(path)]
    for path in scripts or (otherwise if rows else ()):
        with_line = _WITH_LINE.fullmatch(path) if not os.path.exists(path) else None
        file = Path(with_line[1] if with_line else path)
        if os.path.isdir(file):
            for script in _in_folder(path, problems):
                found.setdefault(script, [])
        elif with_line:
            known = found.get(str(file))
            if known is None:
                found[str(file)] = [int(with_line[2])]
            elif known:
                known.append(int(with_line[2]))
        elif (odd := misplaced(path, "script") or _odd_line(path)) is not None:
            problems.append(odd)
        else:
            found[str(file)] = []
    wanted_rows = tuple((str(Path(m[1]).resolve()), int(m[2])) for m in rows)
    return [SelectedScript(file, tuple(lines), wanted_rows) for file, lines in found.items()], problems


def _in_folder(path: str, problems: list[Problem]) -> list[str]:
    """Return the scripts in the folder *path*, or report that there are none."""
    scripts = sorted(_scripts_in(Path(path)))
    if not os.access(path, os.R_OK | os.X_OK):
        problems.append(Problem(Place(path, 1, 1), "this folder cannot be read", "name another", code=KIND))
    elif not scripts:
        problems.append(Problem(Place(path, 1, 1), "this folder contains no script (*.fox)", "name a script or another folder"))
    return scripts


def _odd_line(path: str) -> Problem | None:
    """Return a problem for an existing file with something other than a line number after a colon."""
    beside = _ODD_LINE.fullmatch(path)
    if beside is None or not os.path.isfile(beside[1]):
        return None
    cause, remedy = f"{beside[1]} has no line {beside[2]!r}", f"name a scenario by one of its lines: {beside[1]}:LINE"
    return misplaced(beside[1], "script") or Problem(Place(path, 1, 1), cause, remedy, code=KIND)


def _scripts_in(folder: Path) -> Iterator[str]:
    """The scripts in *folder* and the folders in it, hidden ones left out, and those that cannot be read."""
    for here, folders, files in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        shown = (Path(here) / each for each in files if each.endswith(".fox") and not each.startswith("."))
        # A link that leads out of the folder is not part of it.
        yield from (str(script) for script in shown if os.path.isfile(script) and is_below(str(script), str(folder)))


def _hidden(path: Path) -> bool:
    return any(part.startswith(".") for part in path.parts)


def at_lines(scenarios: list[ExpandedScenario], lines: tuple[int, ...]) -> tuple[list[ExpandedScenario], list[int]]:
    """The scenarios (or table rows) at *lines*, and the lines at which there is none."""
    chosen: list[ExpandedScenario] = []
    missed: list[int] = []
    for line in lines:
        rows = [s for s in scenarios if s.row_line == line and not s.row_file]
        found = rows or [s for s in scenarios if s.line <= line <= s.last_line]
        chosen += [s for s in found if s not in chosen]
        if not found:
            missed.append(line)
    order = {id(s): i for i, s in enumerate(scenarios)}
    return sorted(chosen, key=lambda s: order[id(s)]), missed


def at_rows(scenarios: list[ExpandedScenario], rows: tuple[tuple[str, int], ...], folder: Path) -> list[ExpandedScenario]:
    """Select the scenarios that run for one of *rows* (a table's file, its line)."""
    return [s for s in scenarios if s.row_file and (disk.real(str(folder / s.row_file)), s.row_line) in rows]


class ScenarioFilter(NamedTuple):
    """Which scenarios are wished: those that fit one of *tags* (expressions; any, if there are none), have *match* in their title, are
    in the part *shard* (K of N), and, unless it is None, are among *only*: (place, title, row's values), or (place,) for all of a script.
    """

    tags: tuple[str, ...] = ()
    match: str = ""
    shard: tuple[int, int] = (1, 1)
    only: frozenset[tuple[str, ...]] | None = None


def wanted(narrowed: ScenarioFilter, place: str) -> Callable[[ExpandedScenario], bool]:
    """A test for the scenarios of the script at *place* (`place_of`) that are wished. Raises TagError."""
    fits = [read_tags(text) for text in narrowed.tags]
    needle, (part, parts), only = narrowed.match.casefold(), narrowed.shard, narrowed.only

    def test(scenario: ExpandedScenario) -> bool:
        """Return whether *scenario* is selected."""
        if fits and not any(fit(scenario.tags) for fit in fits):
            return False
        if needle and needle not in scenario.title.casefold():
            return False
        if only is not None and (place,) not in only and (place, scenario.title, scenario.given) not in only:
            return False
        return parts == 1 or part_of(place, scenario.title, parts) == part

    return test


def part_of(place: str, title: str, parts: int) -> int:
    """In which of *parts* a scenario is, from 1: by its place and title alone, so that a new one moves no other."""
    import hashlib

    return int.from_bytes(hashlib.sha256(f"{place}\0{title}".encode("utf-8", "surrogatepass")).digest()[:8]) % parts + 1


def place_of(file: str, project: str) -> str:
    """The path of a script as it is known from run to run: from the project's folder (else from here), with slashes."""
    return Path(os.path.relpath(file, project or ".")).as_posix()
