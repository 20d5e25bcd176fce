"""What playing comes to: verdicts, failures, the results of scenarios and scripts. Plain data, whose words are `report`'s."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..problems import Place, Problem
from ..records import NamedTuple
from ..refusals import Refusal
from .matching import Difference
from .subject import FieldState, Material


class Touched(NamedTuple):
    """The step that changed last what a failure is about: its line and its text."""

    line: int
    text: str


class Failure(NamedTuple):
    """A check that did not hold, a step that could not be taken, or a fault of the form (*kind*: check, step, fault),
    a scenario that holds although it was known not to (known), or a check that cannot be made on this subject (unseen).

    *place* marks what failed in *source*; *text* is the check or step as written. Of a check, *expected* are its
    arguments and *found* what was there, by *noun* and *predicate*; *limit* is ``within`` or ``for`` with its
    milliseconds where the check waited. *refusal* says why a step could not be taken, or a thing not looked at; *because* why
    something is hidden or disabled that should not be.
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
    touched: Touched | None = None
    calls: tuple[str, ...] = ()
    because: Refusal | None = None


class ScenarioResult(NamedTuple):
    """*verdict*: pass, fail, known (did not hold, as was known), aside (not played) or error.

    *steps* and *checks* are how many were taken and made; *why* is what the script says of known and aside.
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
    fault: str = ""  # of a fault of our own, all that is known of it
    material: Material | None = None

    @property
    def fell(self) -> bool:
        """Whether it counts against the run."""
        return self.verdict in ("fail", "error")

    @property
    def at(self) -> int:
        """The line by which it is found: its own, or its table row's."""
        return self.row_line or self.line

    @property
    def address(self) -> str:
        """What plays it again: ``FILE:LINE`` of the scenario or its row."""
        return address_of(self.file, self)


def address_of(file: str, scenario: Any) -> str:
    """What plays *scenario* of the script *file* again (a scenario that was played, or is to be)."""
    row_file = str(Path(file).parent / scenario.row_file) if scenario.row_file else file
    return f"{row_file}:{scenario.row_line or scenario.line}"


class ScriptResult(NamedTuple):
    """A script's scenarios, or why it could not be played."""

    file: str
    scenarios: tuple[ScenarioResult, ...] = ()
    errors: tuple[Problem, ...] = ()
    seconds: float = 0.0
    left_out: int = 0
    warnings: tuple[str, ...] = ()
    fault: str = ""


class Run(NamedTuple):
    """All that one run came to. *problems* belong to no script (a folder that is not there)."""

    scripts: tuple[ScriptResult, ...] = ()
    problems: tuple[Problem, ...] = ()
    seconds: float = 0.0
    stopped: bool = False
    interrupted: bool = False

    def tally(self, verdict: str) -> int:
        """How many scenarios came to *verdict*."""
        return sum(s.verdict == verdict for script in self.scripts for s in script.scenarios)

    @property
    def error_count(self) -> int:
        return len(self.problems) + sum(len(s.errors) for s in self.scripts) + self.tally("error")

    @property
    def faults(self) -> list[str]:
        """All that is known of each fault of our own."""
        scenarios = [scenario.fault for script in self.scripts for scenario in script.scenarios]
        return [fault for fault in (*(script.fault for script in self.scripts), *scenarios) if fault]

    @property
    def exit_code(self) -> int:
        """0 all held; 1 something did not hold; 2 something could not be read or used; 3 an internal fault; 130 interrupted."""
        if self.interrupted:
            return 130
        if self.faults:
            return 3
        if self.error_count:
            return 2
        return 1 if self.tally("fail") else 0
