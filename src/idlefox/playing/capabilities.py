"""The capabilities that steps and checks require of a subject, checked before anything runs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..problems import Problem
from ..script import tree
from ..script.ops import Op, lines_of
from .subject import CAPABILITIES, lacking

_STEPS: dict[type, str] = {
    tree.Answer: "scripted answers", tree.Open: "panels", tree.Close: "panels", tree.Leave: "pages", tree.Return: "pages",
    tree.Reload: "pages", tree.Go: "pages", tree.Wait: "virtual time", tree.Settle: "virtual time",
}  # fmt: skip
_STATES = {
    **dict.fromkeys(("valid", "invalid", "asking", "unasked"), "own validity"),
    **dict.fromkeys(("clean", "dirty"), "changed fields"),
    "touched": "left fields",
}
_NOUNS = {"dirty": "changed fields", "touched": "left fields", "record": "stored record"}


def needs(act: object) -> Iterator[str]:
    """The abilities that a step or check takes."""
    if isinstance(act, tree.Check):
        yield from _of_check(act)
    elif isinstance(act, tree.Cannot):
        yield "trials"
        yield from needs(act.step)
    elif isinstance(act, tree.Submit) and act.past_checks:
        yield "unchecked requests"
    elif isinstance(act, tree.Type) and act.every is not None:
        yield "virtual time"
    elif type(act) in _STEPS:
        yield _STEPS[type(act)]


def _of_check(check: tree.Check) -> Iterator[str]:
    if check.within is not None or check.lasting is not None:
        yield "virtual time"
    if check.noun.kind in _NOUNS:
        yield _NOUNS[check.noun.kind]
    if check.predicate.startswith("breaks"):
        yield "own validity"
    if check.predicate == "is" and check.noun.kind in ("address", "form"):
        for given in check.arguments:
            word = given.word if isinstance(given, tree.Not) else given
            if word.text in _STATES:
                yield _STATES[word.text]


def unable(ops: Iterable[Op], abilities: frozenset[str]) -> list[Problem]:
    """The steps and checks that a subject with *abilities* cannot take or make, each once."""
    found: dict[tuple[object, str], Problem] = {}
    for op in ops:
        for ability in lacking(needs(op.act), abilities):
            lines = lines_of(op.source)
            place = op.place
            cause = f"this subject cannot {CAPABILITIES[ability]}"
            remedy = "run it against a form sheet, or leave it out here"
            found.setdefault((place, cause), Problem(place, cause, remedy, lines.line(place.line), op.calls))
    return list(found.values())
