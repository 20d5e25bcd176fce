"""The results of runs as plain data: verdicts, failures, scenarios and scripts. `report` words them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from ..problems import Place, Problem
from ..records import NamedTuple
from ..refusals import Refusal
from .matching import Difference
from .subject import FieldState, Material


class LastChange(NamedTuple):
    """The step that last changed the field of a failure: its line and text."""

    line: int
    text: str


class Failure(NamedTuple):
    """A failure. *kind*: check (did not hold), step (was not possible), fault (the form's computation does not finish), known
    (passes although known to fail) or unseen (this subject cannot show it).

    *place* marks what failed in *source*; *text* is the check or step as written. Of a check, *expected* are its
    arguments and *found* what was there, by *noun* and *predicate*; *limit* is ``within`` or ``for`` with its
    milliseconds where the check waited. *refusal* says why a step could not be taken, or a thing not looked at; *because* why
    something is hidden or disabled that should not be. *timer*: in how many milliseconds a timer of the page is due.
    """

    kind: str
    place: Place
    source: str
    before: str
    text: str
    noun: str = ""
    predicate: str = ""
    negated: bool = False
    expected: Any = None
    found: Any = None
    differences: tuple[Difference, ...] = ()
    limit: tuple[str, int] | None = None
    refusal: Refusal | None = None
    state: FieldState | None = None
    touched: LastChange | None = None
    calls: tuple[str, ...] = ()
    because: Refusal | None = None
    timer: int | None = None


class ScenarioResult(NamedTuple):
    """The result of a scenario. *verdict*: pass, fail, known (failed as expected), aside (did not run), unsteady (passed only on a
    retry) or error.

    *steps* and *checks* are how many were taken and made, *virtual_ms* is the virtual time that has passed;
    *why* is the reason that the script gives for known and aside.
    """

    file: str
    line: int
    row_line: int
    title: str
    tags: tuple[str, ...]
    verdict: str
    failures: tuple[Failure, ...] = ()
    warnings: tuple[str, ...] = ()
    seconds: float = 0.0
    steps: int = 0
    checks: int = 0
    why: str = ""
    row_file: str = ""
    fault: str = ""  # the details of an internal error
    material: Material | None = None
    virtual_ms: int = 0
    row: int = 0  # which row of its table, from 1; 0 without one
    given: str = ""  # the values of the row, as JSON
    story: Any = None  # `story.Story`, if requested

    @property
    def fell(self) -> bool:
        """Return whether it counts against the run."""
        return self.verdict in ("fail", "error")

    @property
    def at(self) -> int:
        """The line by which it is found: its own, or its table row's."""
        return self.row_line or self.line

    @property
    def address(self) -> str:
        """The address to rerun it: ``FILE:LINE`` of the scenario or its row."""
        return address_of(self.file, self)


def address_of(file: str, scenario: Any) -> str:
    """Return the address to rerun *scenario* of the script *file*."""
    row_file = str(Path(file).parent / scenario.row_file) if scenario.row_file else file
    return f"{row_file}:{scenario.row_line or scenario.line}"


class ScriptResult(NamedTuple):
    """The scenarios of a script, or why it could not run."""

    file: str
    scenarios: tuple[ScenarioResult, ...] = ()
    errors: tuple[Problem, ...] = ()
    seconds: float = 0.0
    left_out: int = 0
    warnings: tuple[str, ...] = ()
    fault: str = ""
    stopped: bool = False  # its process was stopped, so scenarios are missing


_MOST_KEPT = 10_000  # scenarios whose results are kept in memory; further ones go to a file of their own


class Results:
    """The results of scripts as they come in, counted; of long runs the most part is kept in a file, so that memory stays flat."""

    def __init__(self, results: Iterable[ScriptResult] = ()) -> None:
        self.verdicts: Counter[str] = Counter()
        self.left_out = self.unplayed = 0
        self.faults: list[str] = []
        self.fallen: list[tuple[str, str]] = []  # addresses and titles
        self._kept: list[ScriptResult | int] = []  # or its offset in the file
        self._files: list[str] = []  # the scripts, in order of arrival
        self._file: Any = None
        self._order: list[int] = []
        for each in results:
            self.add(each)

    def add(self, result: ScriptResult) -> None:
        """Add the result of a script."""
        self.verdicts.update(scenario.verdict for scenario in result.scenarios)
        self.left_out += result.left_out
        self.unplayed += len(result.errors)
        self.faults += [fault for fault in (result.fault, *(scenario.fault for scenario in result.scenarios)) if fault]
        self.fallen += [(scenario.address, scenario.title) for scenario in result.scenarios if scenario.fell]
        self._order.append(len(self._kept))
        self._files.append(result.file)
        self._kept.append(result if self.total <= _MOST_KEPT else self._put(result))

    def _put(self, result: ScriptResult) -> int:
        import os
        import pickle
        import tempfile

        if self._file is None:
            self._file = tempfile.TemporaryFile(prefix="idlefox-")  # noqa: SIM115 (closed with what it belongs to)
        at: int = self._file.seek(0, os.SEEK_END)
        pickle.dump(result, self._file, pickle.HIGHEST_PROTOCOL)
        return at

    @property
    def total(self) -> int:
        """The number of scenarios so far."""
        return sum(self.verdicts.values())

    def in_file_order(self, files: Iterable[str]) -> None:
        """Sort the scripts as in *files*, and their scenarios as in the scripts."""
        places = {file: number for number, file in enumerate(files)}
        self._order.sort(key=lambda number: places.get(self._files[number], len(places)))

    def _at(self, number: int) -> ScriptResult:
        kept = self._kept[number]
        if not isinstance(kept, int):
            return kept
        import pickle

        self._file.seek(kept)
        found: ScriptResult = pickle.load(self._file)
        return found

    def __iter__(self) -> Iterator[ScriptResult]:
        for number in self._order:
            result = self._at(number)
            yield result._replace(scenarios=tuple(sorted(result.scenarios, key=lambda s: (s.line, s.row))))

    def __len__(self) -> int:
        return len(self._kept)


class Run(NamedTuple):
    """The results of a run. *problems* belong to no script (a missing folder). *unsteady_fails*: unsteady scenarios count as
    failed.
    """

    scripts: Results
    problems: tuple[Problem, ...] = ()
    seconds: float = 0.0
    stopped: bool = False
    interrupted: bool = False
    unsteady_fails: bool = False
    seed: int | None = None

    def tally(self, verdict: str) -> int:
        """Return the number of scenarios with *verdict*."""
        return self.scripts.verdicts[verdict]

    @property
    def error_count(self) -> int:
        """The number of errors."""
        return len(self.problems) + self.scripts.unplayed + self.tally("error")

    @property
    def faults(self) -> list[str]:
        """All that is known of each fault of our own."""
        return self.scripts.faults

    @property
    def exit_code(self) -> int:
        """0 all held; 1 something did not hold; 2 something could not be read or used; 3 an internal fault; 130 interrupted."""
        if self.interrupted:
            return 130
        if self.faults:
            return 3
        if self.error_count:
            return 2
        return 1 if self.tally("fail") or (self.unsteady_fails and self.tally("unsteady")) else 0
