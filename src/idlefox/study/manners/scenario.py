"""A finding as a scenario: its steps, and checks of their result. It runs before anybody sees it."""

from __future__ import annotations

from collections.abc import Iterator

from ...forms.values.values import written
from ...playing.rehearsal import Rehearsal
from ...playing.subjects import Loaded
from ...script.writer import called, quoted, write_played
from .study import MannerFinding

_MOST_CHECKS = 3


def rehearsed(breach: MannerFinding, loaded: Loaded, subject: str, clock: int) -> Rehearsal | None:
    """Run *breach* and return its steps with the checks that hold after them; None if it cannot be repeated."""
    rehearsal = Rehearsal(loaded, subject, ".", clock)
    for step in breach.steps:
        if not rehearsal.take(write_played(step), played=True).held:
            return None
    steps = len(rehearsal.entries)
    for check in _telling(breach, called(breach.at), rehearsal):
        rehearsal.take(check)
    if len(rehearsal.entries) < steps + _MOST_CHECKS:
        ahead = len(rehearsal.entries)
        offered = rehearsal.offer()
        rehearsal.back(len(rehearsal.entries) - ahead)
        about = [text for text in offered if breach.at and text.startswith(f"expect {called(breach.at)} ")]
        taken = [entry.text for entry in rehearsal.entries]
        offered = sorted((text for text in about or offered if text not in taken), key=lambda text: " shows " not in text)
        for text in offered[: steps + _MOST_CHECKS - ahead]:
            rehearsal.take(text)
    return rehearsal


def _telling(breach: MannerFinding, at: str, rehearsal: Rehearsal) -> Iterator[str]:
    """Yield the checks that show the finding, as far as they hold."""
    manner = breach.manner
    state = rehearsal.observed().fields.get(breach.at)
    if manner in ("patience", "forgives", "says-so", "own-row") and state is not None and state.shows:
        yield f"expect {at or 'form'} shows {', '.join(map(quoted, state.shows))}"
    if manner == "plain-speech":
        yield from ("expect outcome is refused", "expect errors nothing")
    elif manner == "forgives":
        yield f"expect {at} is valid"
    elif manner == "row-back":
        yield f"expect {at} not allows add"
    elif manner == "closes":
        yield "expect cannot dismiss"
    elif manner == "no-rush":
        yield f"expect {at} not is valid"
    elif manner == "no-ghosts":
        yield f"expect {at} is hidden"


def titled(breach: MannerFinding) -> str:
    """Return the title of the scenario."""
    return f"{breach.manner}: {breach.sentence}"


def script_of(breach: MannerFinding, rehearsal: Rehearsal, subject: str) -> str:
    """A script with the one scenario."""
    body = "".join(f"    {line}\n" for line in rehearsal.lines())
    return f"subject {written(subject)}\n\nscenario {written(titled(breach)).replace('$', '$$')}\n{body}"
