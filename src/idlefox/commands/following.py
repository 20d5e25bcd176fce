"""`rehearse --follow`: a person uses the page in a browser window, and the prompt writes each action as a step."""

from __future__ import annotations

import queue
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import nullcontext
from time import monotonic
from typing import TYPE_CHECKING, Any

from ..live.page.session import SessionLost
from ..playing.following import TAKE_ALL, FollowedStep, Follower
from ..playing.rehearsal import Rehearsal
from ..report.styled import Line, hanging, plain
from .console import Console

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

_TICK = 0.1  # seconds between two looks at the page


class WindowFollower:
    """Follows the person in the window, between the statements of the prompt."""

    def __init__(self, rehearsal: Rehearsal, console: Console) -> None:
        self.rehearsal, self.console = rehearsal, console
        page: Any = rehearsal.subject  # which notes what the person does
        self.subject = page
        self.follower = Follower(page, rehearsal.form)
        self.offered: tuple[str, ...] = ()
        self.gone = False
        self.lock = threading.RLock()  # completion looks at the page, too
        self._ticked = monotonic()

    def statements(self, lines: Callable[[], Iterator[str]], *, prompt: bool) -> Iterator[str]:
        """Yield the statements of *lines* as they come; in between, follow the person. With a *prompt*, output appears above it."""
        with above_the_prompt() if prompt else nullcontext():
            yield from self._statements(lines)

    def _statements(self, lines: Callable[[], Iterator[str]]) -> Iterator[str]:
        coming: queue.Queue[str | None] = queue.Queue()
        threading.Thread(target=_feed, args=(lines, coming), daemon=True).start()
        while True:
            try:
                text = coming.get(timeout=_TICK)
            except queue.Empty:
                self.tick()
                continue
            self.tick()
            if text is None:
                return
            with self.lock:
                yield text
            self._ticked = monotonic()

    def tick(self) -> None:
        """Take up what the person has done since the last time."""
        now = monotonic()
        ms, self._ticked = round(1000 * (now - self._ticked)), now
        self._guarded(lambda: self.follower.tick(ms))

    def finish(self) -> None:
        """Write what only waited for more to come, before a statement of the prompt runs."""
        self._guarded(self.follower.finish)

    def again(self, *, offers: bool) -> None:
        """Go on from the form as it is now: a statement has changed it. With *offers*, it was a step, whose checks are offered."""
        with self.lock:
            try:
                subject: Any = self.rehearsal.subject
                if subject is not self.subject or offers:
                    self.subject, self.offered = subject, self.rehearsal.pinned() if offers else ()
                    self.console.lines(_numbered(self.offered))
                self.follower.begin(subject)
                self.gone = False
            except SessionLost as fault:
                self._lost(fault)

    def offer(self, rest: str) -> None:
        """List the checks for the last step, or take one of them, or all."""
        if not self.offered:
            self.console.lines([[(" the last step changed nothing that can be checked", "dim")]])
        elif not rest:
            self.console.lines(_numbered(self.offered))
        elif rest == "all":
            self._take(range(len(self.offered)))
        elif rest.isascii() and rest.isdigit() and 0 < int(rest) <= len(self.offered):
            self._take([int(rest) - 1])
        else:
            self.console.lines([[(f"   offer takes a number from 1 to {len(self.offered)}, or all, not {plain(rest)!r}", "bad")]])

    def _take(self, numbers: Any) -> None:
        for number in numbers:
            text = self.offered[number]
            if all(text != entry.text for entry in self.rehearsal.entries[self._last_step() :]) and not self.rehearsal.note(text, None):
                self.console.lines([[("   " + plain(text), "good")]])

    def _last_step(self) -> int:
        entries = self.rehearsal.entries
        return next((n for n in range(len(entries) - 1, -1, -1) if not entries[n].text.startswith("expect ")), 0)

    def _guarded(self, work: Callable[[], list[FollowedStep]]) -> None:
        if self.gone:
            return
        with self.lock:
            try:
                self._write(work())
            except SessionLost as fault:
                self._lost(fault)

    def _lost(self, fault: SessionLost) -> None:
        self.gone = True
        why = str(fault.refusal.facts.get("why", "the page does not settle"))
        remedy = "The steps so far are kept: again opens a new window and replays them."
        self.console.lines([*hanging("   ", plain(f"following has ended: {why}"), self.console.width(), "bad"), [(f"   → {remedy}", "")]])

    def _write(self, steps: list[FollowedStep]) -> None:
        for step in steps:
            if step.told == TAKE_ALL:
                self._take(range(len(self.offered)))
            elif not step.text:
                self.console.lines(hanging("   ", plain(f"({step.told})"), self.console.width(), "dim"))
            elif (problems := self.rehearsal.note(step.text, step.before)):
                told = f"({step.text}: cannot be written: {problems[0].cause})"
                self.console.lines(hanging("   ", plain(told), self.console.width(), "bad"))
            else:
                self.offered = step.offered
                self.console.lines([[(f" {plain(step.text)}", "strong")], *_numbered(step.offered)])


def _numbered(offered: tuple[str, ...]) -> list[Line]:
    return [[(f"{number:>6}  ", "dim"), (plain(line), "good")] for number, line in enumerate(offered, 1)]


def _feed(lines: Callable[[], Iterator[str]], coming: queue.Queue[str | None]) -> None:
    """Put every statement of *lines* into *coming*, then None."""
    try:
        for text in lines():
            coming.put(text)
    finally:
        coming.put(None)


def piped_lines() -> Iterator[str]:
    """Yield the statements of a pipe as they arrive, one per line."""
    for line in sys.stdin:
        if line.strip():
            yield line.rstrip("\n")


def above_the_prompt() -> AbstractContextManager[None]:
    """Return a context in which output appears above the prompt while that waits for input."""
    from prompt_toolkit.patch_stdout import patch_stdout

    return patch_stdout(raw=True)
