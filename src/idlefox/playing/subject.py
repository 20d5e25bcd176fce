"""The interface of a subject: what a script runs against.

A subject knows nothing of lines, waiting and verdicts; the player knows nothing of cells, browsers and requests. Subjects
return data: values, a `Refusal` of a step, or a reason why something is `NotObservable`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Protocol

from ..forms.model.entering import unknown_option
from ..forms.model.form import Field
from ..records import NamedTuple
from ..refusals import Refusal
from ..script.tree import Noun

# The capabilities of subjects; `needs` lists those of a step or check. They are checked before anything runs.
CAPABILITIES: dict[str, str] = {
    "virtual time": "let virtual time pass",
    "own validity": "tell which values are valid, which rules are broken and which lookups are pending",
    "changed fields": "tell which fields are dirty",
    "left fields": "tell which fields are touched",
    "stored record": "observe the record that the server has stored",
    "scripted answers": "answer for a lookup or a server",
    "unchecked requests": "send past the form's own checks",
    "panels": "open and close panels",
    "pages": "leave the page, come back, and load it again",
    "trials": "tell whether a step is possible without doing it",
}
UNDER_WAY = Noun("under way")  # "is": whether anything is pending; "value": the names


class NotObservable(NamedTuple):
    """The reason why a check cannot observe something: it does not exist (*there* False: the check fails), or this subject does
    not show it (the check is an error).
    """

    refusal: Refusal
    there: bool = False


class FieldState(NamedTuple):
    """The state of a field, row, list or form for a failure report.

    *reads* is its raw text if that is not a valid value; *ms* is the time since load; *last_step* is the number of the step
    that last changed it, 0 for none. *inside* are the invalid parts of a container, each with its broken rules.
    """

    address: str
    kind: str
    value: Any
    reads: str | None
    rows: int | None
    words: tuple[str, ...]
    breaks: tuple[str, ...]
    shows: tuple[str, ...]
    ms: int
    last_step: int
    inside: tuple[tuple[str, tuple[str, ...]], ...] = ()


class Material(NamedTuple):
    """Further material about a failed scenario: a *picture* (PNG), the page's console output, the requests.

    *file* is where the picture has been put, "" while it is nowhere.
    """

    picture: bytes = b""
    console: tuple[str, ...] = ()
    requests: tuple[str, ...] = ()
    file: str = ""


class PageEvent(NamedTuple):
    """Something that happened on a page: a *request*, an *answer*, a line of its *console*, a change of its *document*.

    *ms* is the time since load. *request* tells the requests of a scenario apart; *status* is that of an answer, "lost" if the
    connection broke.
    """

    name: str
    ms: int
    text: str
    request: str = ""
    status: int | str | None = None


class Subject(Protocol):
    """A form on which scenarios run one after the other."""

    abilities: frozenset[str]

    def load(self, clock: int) -> Refusal | None:
        """A fresh form at the instant *clock*, in milliseconds since 1970-01-01T00:00Z."""

    def coming(self, ops: Sequence[Any]) -> None:
        """Announce the steps and checks (`script.ops.Op`) that follow: a subject may do several steps at once, as long as it
        reports each when asked.
        """

    def perform(self, step: Any, number: int) -> Refusal | None:
        """Do *step* (a step of the syntax tree that lets no time pass), the *number*-th of its scenario; return a refusal if it is
        not possible.
        """

    def mark_step(self, number: int) -> None:
        """Attribute what changes from now on to the *number*-th step or check of the scenario."""

    def trial(self, *, alone: bool = False) -> Subject:
        """Another subject that is as this one is now, to try a step on: nothing of it shows here. With *alone*, a press on it is
        never the second one of a double press.
        """

    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*: return what is *asked*, or `NotObservable`.

        Asked: ``value``; ``is`` with a state; ``breaks`` (all names of each rule); ``shows``; ``reads``; ``offers``;
        ``rows``; ``allows`` with add, remove or move (None, or the `Refusal`); ``why not`` with ``visible`` or ``enabled`` (the
        same); ``name`` (its address); ``state`` (`FieldState`).
        """

    def written(self, address: str) -> str:
        """*address* as `look` writes addresses: a page's control may also be called by its own name."""

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let time pass, at most so much; stops early once *until* holds. Whether it held (True without one)."""

    def timer_due(self) -> int | None:
        """Return in how many milliseconds a timer of the page is due, if one is that may change what is seen; else None."""

    def check_delay(self) -> int:
        """Return for how many milliseconds a check that does not hold lets the page's timers run."""

    def elapsed(self) -> int:
        """Return the virtual time since load, in milliseconds."""

    def journal(self) -> Any:
        """Return the trace since load as plain data (`engine.state.journal.Journal`)."""

    def events(self) -> tuple[PageEvent, ...]:
        """Return what has happened since the last call that `look` does not show, for a trace."""

    def warnings(self) -> tuple[str, ...]:
        """Return the warnings for the person."""

    def trouble(self) -> Refusal | None:
        """Return an error that no step or check has reported; called at the end of a scenario, after `warnings`."""

    def material(self) -> Material | None:
        """Return the material for a failure report."""

    def close(self) -> None:
        """End the scenario."""


def lacking(needed: Iterable[str], abilities: frozenset[str]) -> list[str]:
    """Return the capability among *needed* that a subject with *abilities* lacks."""
    return [each for each in needed if each not in abilities]


def why_no_option(field: Field | None, address: str, values: list[Any]) -> Refusal | None:
    """Return the refusal to choose *values* in *field* of a sheet, if one of them is not among its fixed options."""
    odd = unknown_option(field, values) if field is not None else []
    if field is None or not odd or not isinstance(field.options, tuple):
        return None
    offered = [option.value for option in field.options]
    return Refusal("no such option", address, facts={"value": odd[0], "offered": offered})


def verb_of(step: Any) -> str:
    """Return the word for *step* in a script."""
    return {"FillLine": "fill", "Retype": "retype", "Reset": "reset"}.get(type(step).__name__, type(step).__name__.lower())
