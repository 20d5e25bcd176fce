"""Runs the scenario of `sign_in` once, and keeps its cookies and storage for the start of every scenario."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from ..forms.model.live import LivePage
from ..playing.player import RunOptions, load_script, play_scenario
from ..playing.select import choose_files
from ..playing.subjects import Subjects
from ..problems import OUTSIDE, Place, Problem, Unreadable
from ..roots import is_outside_roots
from .messages import StoredData


def sign_in(live: LivePage, outside: Any, kept_by: Callable[[Any], StoredData], *, trust: bool) -> StoredData:
    """Run the scenario that *live* names, on subjects that *outside* makes; return what *kept_by* says of its subject.

    Raises Unreadable if there is not exactly one such scenario, or if it fails.
    """
    place = Place(live.file, max(live.line, 1), 1)
    path = os.path.join(os.path.dirname(live.file), live.sign_in)
    if is_outside_roots(path.rpartition(":")[0] or path):
        cause = f"sign_in: {live.sign_in} is outside the project"
        raise Unreadable([Problem(place, cause, "--root DIR allows another folder", code=OUTSIDE)])
    chosen, problems = choose_files((path,))
    if problems:
        raise Unreadable(problems)
    ready = load_script(chosen[0], RunOptions(trust=trust), Subjects(trust=trust, outside=outside))
    if len(ready.scenarios) != 1 or ready.loaded is None:
        cause = f"sign_in: {live.sign_in} has {len(ready.scenarios)} scenarios"
        raise Unreadable([Problem(place, cause, "name the one that signs in by its line, for example sign-in.fox:12")])
    own = ready.loaded.form.live
    if own is not None and own.sign_in:
        raise Unreadable([Problem(place, f"sign_in: the sheet of {live.sign_in} has sign_in itself", "remove it there")])
    if ready.loaded.make_ready is not None:
        ready.loaded.make_ready()
    subject = ready.loaded.begin(os.path.dirname(chosen[0].file) or ".")
    found: list[StoredData] = []

    def at_end(number: int, held: bool) -> None:
        """Keep what is stored after the last step or check."""
        if number == len(ready.scenarios[0].ops) and held:
            found.append(kept_by(subject))

    result = play_scenario(ready.scenarios[0], subject, ready.clock, chosen[0].file, at_end)
    if result.fell or not found:
        at = f"line {result.failures[0].place.line}: {result.failures[0].text}" if result.failures else "it has no step"
        remedy = f"run it by itself: idlefox run {live.sign_in} --live"
        raise Unreadable([Problem(place, f"sign_in: the scenario {result.title!r} fails at {at}", remedy)])
    return found[-1]
