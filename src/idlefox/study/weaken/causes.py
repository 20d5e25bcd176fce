"""Planted faults grouped by what the scenarios do not check."""

from __future__ import annotations

from collections.abc import Iterable

from ...records import NamedTuple
from .study import FaultVerdict


class Cause(NamedTuple):
    """A part of the form's behaviour that goes *unchecked*, and the *kinds* of faults that this lets through."""

    unchecked: str
    kinds: tuple[str, ...]


# The ones that cost users most come first; within one, the kinds do.
CAUSES = (
    Cause("second presses", ("second-press",)),
    Cause("what is sent", ("sent-not", "hidden-sent", "sent-as-text", "sent-renamed", "trim-dropped", "case-dropped")),
    Cause("rules", ("rule-dropped", "when-dropped", "last-edited")),
    Cause("limits", ("bound-higher", "bound-lower", "most-lower", "least-higher", "more-rows", "fewer-rows")),
    Cause("patterns", ("pattern-open", "pattern-wide")),
    Cause("entries that get lost", ("values-lost", "rows-by-index")),
    Cause("lookups", (
        "stale-answer", "no-waiting", "lookup-never", "lookup-earlier", "lookup-later", "debounce-dropped", "debounce-halved",
    )),
    Cause("conditions", ("never", "always", "negated")),
    Cause("the server's messages", ("server-lost", "server-stays")),
    Cause("reset", ("reset-forgets",)),
    Cause("messages", ("no-message", "other-message", "at-moved")),
    Cause("messages that stay", ("message-stays",)),
    Cause("when messages appear", ("report-earlier", "report-later", "reveal-earlier", "reveal-later")),
    Cause("validity flags", ("other-flag",)),
)  # fmt: skip


def by_cause(faults: Iterable[FaultVerdict]) -> list[tuple[Cause, list[FaultVerdict]]]:
    """The unnoticed *faults* by cause, the causes in order of weight; in each, the most telling fault first.

    That is one of the first kind, with the shortest scenario.
    """
    groups: list[tuple[Cause, list[FaultVerdict]]] = [(cause, []) for cause in CAUSES]
    for fault in faults:
        if fault.verdict == "unnoticed":
            next(those for cause, those in groups if fault.kind in cause.kinds).append(fault)
    for cause, those in groups:
        those.sort(key=lambda fault: (cause.kinds.index(fault.kind), sum(map(len, fault.lines))))
    return [(cause, those) for cause, those in groups if those]
