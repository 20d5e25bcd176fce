"""Scripts (`*.fox`) as items of pytest: loaded with the package, silent unless asked by `--fox` or `idlefox = true`.

Nothing of Idle Fox is loaded before the first script is collected.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

_NO_MARK = re.compile(r"[^\w:+.\[\]/\\-]")


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add `--fox` and `--fox-trust`, and the ini key `idlefox`."""
    group = parser.getgroup("idlefox", "Idle Fox")
    group.addoption("--fox", action="store_true", default=False, help="Collect *.fox: one item for each scenario and table row.")
    group.addoption("--fox-trust", action="store_true", default=False, help="Allow sheets to run code: Python rules.")
    parser.addini("idlefox", "Collect *.fox, as with --fox.", type="bool", default=False)


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Collect scripts, each as a file of scenarios."""
    config = parent.config
    if file_path.suffix != ".fox" or not (config.getoption("--fox") or config.getini("idlefox")):
        return None
    file: pytest.Collector = FoxFile.from_parent(parent, path=file_path)
    return file


class ScriptError(Exception):
    """A script that cannot run, with all its errors."""


class FoxFile(pytest.File):
    """A script: its scenarios are the items."""

    def collect(self) -> Iterator[pytest.Item]:
        """Yield a test for each scenario."""
        from .playing.player import RunOptions, load_script
        from .playing.select import SelectedScript
        from .playing.subjects import Subjects
        from .problems import Unreadable

        name = os.path.relpath(self.path)
        trusted = bool(self.config.getoption("--fox-trust"))
        wishes = RunOptions(trust=trusted, project=str(self.config.rootpath), roots=(str(self.config.rootpath),))
        subjects = self.config.stash.setdefault(_SUBJECTS, Subjects(trust=trusted))
        try:
            ready = load_script(SelectedScript(name), wishes, subjects)
        except Unreadable as fault:
            raise ScriptError(fault.problems) from None
        for scenario in ready.scenarios:
            item = FoxItem.from_parent(self, name=scenario.title + (f"[row {scenario.row}]" if scenario.row else ""))
            item.play = (scenario, ready, wishes, name)
            for tag in scenario.tags:
                mark = _NO_MARK.sub("_", tag)
                self.config.addinivalue_line("markers", f"{mark}: a tag of scripts")
                item.add_marker(mark)
            yield item

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """Return the errors of a script; other exceptions as pytest prints them."""
        from .report.styled import unstyled
        from .report.terminal import problem_lines

        if not isinstance(excinfo.value, ScriptError):
            return super().repr_failure(excinfo)
        return unstyled([line for problem in excinfo.value.args[0] for line in (*problem_lines(problem, 100), [])])


_SUBJECTS: pytest.StashKey[Any] = pytest.StashKey()


class ScenarioFailed(Exception):
    """A failed scenario, with its result."""


class FoxItem(pytest.Item):
    """One scenario, or one row of its table."""

    play: tuple[Any, Any, Any, str]

    def runtest(self) -> None:
        """Run the scenario; fail if it fails."""
        from .playing.player import play_scenario
        from .roots import reading_below

        scenario, ready, wishes, name = self.play
        with reading_below(wishes.roots_for(name)):
            result = play_scenario(scenario, ready.loaded.begin(str(Path(name).parent)), ready.clock, name)
        for text in result.warnings:
            self.warn(pytest.PytestWarning(text))
        if result.verdict == "aside":
            raise pytest.skip.Exception(result.why, _use_item_location=True)
        if result.verdict == "known":
            pytest.xfail(result.why)
        if result.fell:
            raise ScenarioFailed(result)

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """Return the failure as `idlefox run` prints it."""
        from .report.styled import unstyled
        from .report.terminal import scenario_failures

        if not isinstance(excinfo.value, ScenarioFailed):
            return super().repr_failure(excinfo, style)
        return unstyled(scenario_failures(excinfo.value.args[0], 100))

    def reportinfo(self) -> tuple[Path, int, str]:
        """Return the place of the scenario."""
        scenario = self.play[0]
        return self.path, (scenario.row_line if scenario.row_line and not scenario.row_file else scenario.line) - 1, self.name
