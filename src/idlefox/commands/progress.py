"""A progress line on a terminal, which is redrawn, and erased before anything else is printed."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from time import monotonic

from ..playing.results import ScenarioResult
from ..playing.select import SelectedScript
from ..report.styled import columns, plain

_APART = 0.1  # seconds between two drawings


class Progress:
    """Counts the finished scenarios of *chosen* (in *order*) and draws the line if standard error is a terminal."""

    def __init__(self, chosen: Sequence[SelectedScript], *, quiet: bool) -> None:
        self.shown = not quiet and sys.stdout.isatty() and sys.stderr.isatty() and os.environ.get("TERM") != "dumb"
        self._scripts = len(chosen)
        self._script, self._in_script, self._of_script, self._done_scripts = "", 0, 0, 0
        self._played = self._fallen = 0
        self._began = self._drawn = monotonic()
        self._is_drawn = False

    def begun(self, file: str, scenarios: int) -> None:
        """Start the script *file* with this number of scenarios."""
        self._script, self._of_script, self._in_script = file, scenarios, 0
        self._draw()

    def told(self, result: ScenarioResult) -> None:
        """Count one finished scenario."""
        self._played += 1
        self._in_script += 1
        self._fallen += result.fell
        self._draw()

    def script_done(self, scenarios: Sequence[ScenarioResult]) -> None:
        """Finish a script; counts those of its *scenarios* that were not reported one by one."""
        self._played += len(scenarios) - self._in_script
        if not self._in_script:
            self._fallen += sum(scenario.fell for scenario in scenarios)
        self._done_scripts += 1
        self._script, self._in_script, self._of_script = "", 0, 0
        self._draw()

    def _draw(self) -> None:
        now = monotonic()
        if not self.shown or now - self._drawn < _APART:
            return
        self._drawn, self._is_drawn = now, True
        text = self.line(now - self._began)
        width = os.get_terminal_size(sys.stderr.fileno()).columns
        while columns(text) >= width:
            text = text[:-1]
        sys.stderr.write(f"\r{text}\x1b[K")
        sys.stderr.flush()

    def line(self, seconds: float) -> str:
        """Return the progress text after *seconds*."""
        done = self._done_scripts + (self._in_script / self._of_script if self._of_script else 0.0)
        several = self._scripts > 1
        parts = [f" {self._played} done" if several else f" {self._in_script} of {self._of_script} done"]
        if self._fallen:
            parts.append(f"{self._fallen} failed")
        if several:
            parts.append(f"{self._done_scripts} of {self._scripts} scripts")
        if self._script:
            parts.append(plain(self._script))
        if 0 < done < self._scripts and seconds > 1:
            parts.append(f"about {max(round(seconds * (self._scripts - done) / done), 1)} s left")
        return "   ".join(parts)

    def away(self) -> None:
        """Take the line away, so that something can be printed."""
        if self._is_drawn:
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()
            self._is_drawn = False


class Ticker:
    """A progress line whose text the caller provides."""

    def __init__(self, *, quiet: bool) -> None:
        self.shown = not quiet and sys.stdout.isatty() and sys.stderr.isatty() and os.environ.get("TERM") != "dumb"
        self._drawn = monotonic()
        self._is_drawn = False

    def __enter__(self) -> Ticker:
        return self

    def __exit__(self, *_: object) -> None:
        if self._is_drawn:
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()

    def tell(self, text: str) -> None:
        """Show *text* as the progress line."""
        now = monotonic()
        if self.shown and now - self._drawn >= _APART:
            self._drawn, self._is_drawn = now, True
            width = os.get_terminal_size(sys.stderr.fileno()).columns
            sys.stderr.write(f"\r {plain(text)[: width - 2]}\x1b[K")
            sys.stderr.flush()
