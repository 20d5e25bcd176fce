"""The routines of a script and of the files it uses, and the errors found on the way."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..disk import real
from ..problems import NO_FILE, Problem, Unreadable, near_file, path_problem, suggestion
from .ops import lines_of, path_span
from .reader import read_script
from .tree import Block, Body, Do, Inside, Script


class ProblemCollector:
    """Collects problems in the order in which they are found."""

    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def report(self, script: Script, offset: int, length: int, cause: str, remedy: str = "", calls: tuple[str, ...] = ()) -> None:
        """Report a problem."""
        lines = lines_of(script)
        place = lines.place(script.file, offset, length)
        self.problems.append(Problem(place, cause, remedy, lines.line(place.line), calls))


class Routines:
    """The routines available to *script* by name, each with its script. *played* are those that were called."""

    def __init__(self, script: Script, faults: ProblemCollector) -> None:
        self.script, self.faults = script, faults
        self.known: dict[str, tuple[Block, Script]] = {}
        self.played: set[str] = set()
        self._looked: set[str] = set()
        self._collected: set[str] = set()
        self._collect(script, ())

    def missing(self, name: str) -> tuple[str, str]:
        """Return cause and remedy for a call of an unknown routine."""
        remedy = suggestion(name, self.known, "define it with `routine`, or import it with `use`")
        return f"unknown routine {name!r}", remedy

    def _collect(self, script: Script, trail: tuple[str, ...]) -> None:
        """The routines of *script* and of all it uses."""
        for block in script.blocks:
            if block.kind != "routine":
                continue
            known = self.known.get(block.name)
            if known is not None and (known[1].file, known[0].line) != (script.file, block.line):
                cause = f"the routine {block.name!r} already exists in {known[1].file}:{known[0].line}"
                self.faults.report(script, block.offset, len("routine"), cause, "rename one of them")
            self.known.setdefault(block.name, (block, script))
        for header in script.headers:
            if header.kind == "use":
                self._use(header, script, trail)

    def _use(self, header: Any, script: Script, trail: tuple[str, ...]) -> None:
        """Load the routines of the file that *header* names, unless they are loaded already."""
        path, span = str(Path(script.file).parent / header.text), path_span(script.text, header.offset)
        if odd := path_problem(path):
            self.faults.report(script, *span, f"{header.text!r} is not a path: {odd}", "name a file")
            return
        here = real(str(path))
        if here in trail or here == real(script.file):
            self.faults.report(script, *span, f"{header.text} uses itself through other files", "remove one of the `use` lines")
            return
        if here in self._collected:
            return
        self._collected.add(here)
        try:
            used = read_script(path)
        except Unreadable as fault:
            if any(p.place.line > 1 or p.source for p in fault.problems):
                self.faults.problems.extend(fault.problems)
            else:
                remedy = near_file(path, header.text) if fault.problems[0].code == NO_FILE else fault.problems[0].remedy
                self.faults.report(script, *span, f"{header.text}: {fault.problems[0].cause}", remedy)
            return
        self._collect(used, (*trail, real(script.file)))

    def look_at_unplayed(self) -> None:
        """Check the routines that no scenario calls: a cycle or an unknown routine in them is an error, too."""
        for name, (block, source) in self.known.items():
            if name not in self.played and source is self.script:
                self._look(block.body, source, (name,))

    def _look(self, body: Body, source: Script, trail: tuple[str, ...]) -> None:
        if trail[-1] in self._looked:
            return
        self._look_through(body, source, trail)
        self._looked.add(trail[-1])

    def _look_through(self, body: Body, source: Script, trail: tuple[str, ...]) -> None:
        for statement in body.statements:
            act = statement.act
            if isinstance(act, Inside):
                self._look_through(act.body, source, trail)
            elif isinstance(act, Do):
                name, at = act.routine.text, statement.offset + act.routine.offset
                known = self.known.get(name)
                if known is None:
                    self.faults.report(source, at, len(name), *self.missing(name))
                elif name in trail:
                    cause = f"the routine {name!r} calls itself: {' → '.join((*trail, name))}"
                    self.faults.report(source, at, len(name), cause, "remove one of the calls")
                elif name not in self.played:
                    self._look(known[0].body, known[1], (*trail, name))
