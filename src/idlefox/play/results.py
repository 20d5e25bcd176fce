"""What playing comes to: verdicts, failures, the results of scenarios and scripts. Plain data."""

from __future__ import annotations

from ..problems import Place, Problem
from ..records import NamedTuple


class Failure(NamedTuple):
    """A check that did not hold or a step that could not be taken.

    *place* marks what failed in *source*; *check* is its text. *state* are lines that tell the state of the
    field it is about; *calls* the lines that led there.
    """

    place: Place
    source: str
    before: str
    check: str
    expected: str
    found: str
    reason: str = ""
    state: tuple[str, ...] = ()
    calls: tuple[str, ...] = ()


class ScenarioResult(NamedTuple):
    """*verdict*: pass, fail or error."""

    file: str
    line: int
    row_line: int
    title: str
    tags: tuple[str, ...]
    verdict: str
    failures: tuple[Failure, ...] = ()
    warnings: tuple[str, ...] = ()
    seconds: float = 0.0

    @property
    def at(self) -> int:
        """The line by which it is found: its own, or its table row's."""
        return self.row_line or self.line


class ScriptResult(NamedTuple):
    """A script's scenarios, or why it could not be played."""

    file: str
    scenarios: tuple[ScenarioResult, ...] = ()
    errors: tuple[Problem, ...] = ()
    seconds: float = 0.0
    left_out: int = 0
    warnings: tuple[str, ...] = ()


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
    def exit_code(self) -> int:
        """0 all held; 1 something did not hold; 2 something could not be read or used; 130 interrupted."""
        if self.interrupted:
            return 130
        if self.error_count:
            return 2
        return 1 if self.tally("fail") else 0
