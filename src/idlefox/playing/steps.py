"""Takes one step on a subject. What lets time pass is done here, once for all subjects: `wait`, `settle`, `every`."""

from __future__ import annotations

from typing import Any

from ..refusals import Refusal
from ..script import tree
from .subject import UNDER_WAY, Subject

SETTLE = 30_000  # default limit of `settle`, in milliseconds


def take_step(subject: Subject, step: Any, number: int) -> Refusal | None:
    """Do *step*, the *number*-th of its scenario; return a refusal if it is not possible."""
    kind = type(step)
    if kind is tree.Wait:
        return _refused(subject.advance(step.duration))
    if kind is tree.Settle:
        return _settle(subject, SETTLE if step.within is None else step.within)
    if kind is tree.Type and step.every is not None:
        return _type_slowly(subject, step, number)
    return subject.perform(step, number)


def _refused(came: bool | Refusal) -> Refusal | None:
    return came if isinstance(came, Refusal) else None


def _settle(subject: Subject, within: int) -> Refusal | None:
    came = subject.advance(within, lambda: not subject.look(UNDER_WAY, "is"))
    if came is False:
        return Refusal("still under way", facts={"within": within, "names": list(subject.look(UNDER_WAY, "value"))})
    return _refused(came)


def _type_slowly(subject: Subject, step: tree.Type, number: int) -> Refusal | None:
    for i, character in enumerate(step.text):
        refusal = _refused(subject.advance(step.every)) if i else None
        refusal = refusal or subject.perform(step._replace(text=character, every=None), number)
        if refusal is not None:
            return refusal
    return None
