"""Evaluates one check on a subject. `report.wording` words the result."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..engine.session.session import no_end
from ..forms.names.shapes import write_address
from ..forms.values.limits import NoEnd
from ..forms.values.patterns import finds
from ..forms.values.values import as_text, equal
from ..records import NamedTuple
from ..refusals import Refusal
from ..script.tree import Check, Not, Noun
from .matching import Difference, contains, differences, includes, matches
from .subject import NotObservable, Subject

_ADDRESSES = frozenset({"dirty", "touched", "focus"})
# States that exclude each other: the state that is true if the other is not.
_GROUPS = (
    ("valid", "invalid", "asking", "unasked"), ("clean", "dirty"),
    ("enabled", "disabled"), ("visible", "hidden"), ("required", "optional"), ("empty", "filled"), ("on", "off"),
    ("busy", "idle"), ("success", "error", "info"),
)  # fmt: skip


class CheckResult(NamedTuple):
    """The result of a check. *expected* are the arguments as compared; *unseen* is the reason why nothing could be compared."""

    holds: bool
    expected: Any = None
    found: Any = None
    differences: tuple[Difference, ...] = ()
    refusal: Refusal | None = None
    limit: tuple[str, int] | None = None
    unseen: NotObservable | None = None
    because: Refusal | None = None  # why it is not visible, or not enabled


def judge_check(subject: Subject, check: Check) -> CheckResult:
    """Evaluate *check*, waiting for it or watching it if it says so."""
    try:
        return _judged(subject, check)
    except NoEnd as fault:
        refusal = no_end(fault)
        expected = check.arguments[0] if check.predicate in ("=", "!=") else None
        return CheckResult(False, expected, refusal=refusal, unseen=NotObservable(refusal))


def _judged(subject: Subject, check: Check) -> CheckResult:
    if check.within is not None:
        held = subject.advance(check.within, lambda: _now(subject, check).holds)
        return _limited(_now(subject, check), held, held is True, ("within", check.within))
    if check.lasting is not None:
        first = _now(subject, check)
        if not first.holds:
            return first
        broke = subject.advance(check.lasting, lambda: not _now(subject, check).holds)
        return _limited(_now(subject, check), broke, broke is False, ("for", check.lasting))
    return _now(subject, check)


def _limited(finding: CheckResult, came: bool | Refusal, holds: bool, limit: tuple[str, int]) -> CheckResult:
    """*finding* at the end of a check that let time pass."""
    if isinstance(came, Refusal):
        return CheckResult(False, refusal=came, unseen=NotObservable(came))
    return finding._replace(holds=holds, limit=None if holds else limit)


def _now(subject: Subject, check: Check) -> CheckResult:
    finding = _JUDGES[check.predicate](subject, check)
    if finding.unseen is not None:
        return finding
    return finding._replace(holds=not finding.holds, differences=()) if check.negated else finding


class _NothingToCompare(Exception):
    """There is nothing to compare."""

    def __init__(self, unseen: NotObservable) -> None:
        super().__init__(unseen.refusal.kind)
        self.unseen = unseen


def _look(subject: Subject, noun: Noun, asked: str, word: Any = None) -> Any:
    found = subject.look(noun, asked, word)
    if isinstance(found, NotObservable):
        raise _NothingToCompare(found)
    return found


def _judge(judge: Callable[[Subject, Check], CheckResult]) -> Callable[[Subject, Check], CheckResult]:
    def judged(subject: Subject, check: Check) -> CheckResult:
        try:
            return judge(subject, check)
        except _NothingToCompare as fault:
            return CheckResult(False, refusal=fault.unseen.refusal, unseen=fault.unseen)

    return judged


# the predicates
def _equals(subject: Subject, check: Check) -> CheckResult:
    noun = check.noun
    if noun.kind in _ADDRESSES:
        return _same_addresses(subject, check)
    expected, found = check.arguments[0], _look(subject, noun, "value")
    if noun.kind == "errors":
        expected, found = _message_lists(_by_address(subject, expected)), _message_lists(found)
    same = matches(found, expected)
    if check.predicate == "!=":
        return CheckResult(not same, expected, found)
    return CheckResult(same, expected, found, () if same else tuple(differences(found, expected, loose=False)))


def _by_address(subject: Subject, errors: Any) -> Any:
    """Messages by the addresses that the subject itself writes."""
    return {subject.written(key): value for key, value in errors.items()} if isinstance(errors, dict) else errors


def _message_lists(errors: Any) -> Any:
    """Messages by address, a lone message as a list of one, so that both ways of writing it are equal."""
    return {k: v if isinstance(v, list) else [v] for k, v in errors.items()} if isinstance(errors, dict) else errors


def _same_addresses(subject: Subject, check: Check) -> CheckResult:
    found = sorted(_look(subject, check.noun, "value"))
    wanted = sorted(_look(subject, Noun("address", a), "name") for a in check.arguments)
    return CheckResult((found == wanted) is (check.predicate == "="), wanted, found)


def _includes(subject: Subject, check: Check) -> CheckResult:
    expected, found = check.arguments[0], _look(subject, check.noun, "value")
    if check.noun.kind == "errors":
        expected, found = _message_lists(_by_address(subject, expected)), _message_lists(found)
    holds = includes(found, expected)
    return CheckResult(holds, expected, found, () if holds else tuple(differences(found, expected, loose=True)))


def _contains(subject: Subject, check: Check) -> CheckResult:
    found = _look(subject, check.noun, "value")
    return CheckResult(contains(found, check.arguments[0]), check.arguments[0], found)


def _is(subject: Subject, check: Check) -> CheckResult:
    wanted: list[str] = []
    wrong: list[str] = []
    for given in check.arguments:
        negated = isinstance(given, Not)
        word = given.word.text if isinstance(given, Not) else given.text
        text = f"not {word}" if negated else word
        wanted.append(text)
        if _look(subject, check.noun, "is", word) is negated:
            wrong.append(text)
    told = wrong if not check.negated else wanted
    found = [_instead(subject, check.noun, text) for text in told] if bool(wrong) is not check.negated else []
    because = _why_not(subject, check.noun, found) if wrong and not check.negated else None
    return CheckResult(not wrong, wanted, found, because=because)


def _why_not(subject: Subject, noun: Noun, found: list[str]) -> Refusal | None:
    """Return why something is hidden or disabled, if that was found."""
    word = "visible" if "hidden" in found else "enabled" if "disabled" in found else ""
    reason = subject.look(noun, "why not", word) if word else None
    return reason if isinstance(reason, Refusal) else None


def _instead(subject: Subject, noun: Noun, text: str) -> str:
    """Return the actual state where the state *text* was expected."""
    word = text.removeprefix("not ")
    if noun.kind in ("view", "outcome"):
        return str(_look(subject, noun, "value"))
    if _look(subject, noun, "is", word):
        return word
    for group in _GROUPS:
        if word in group:
            return next((w for w in group if w != word and _can_be(noun, w) and _look(subject, noun, "is", w)), f"not {word}")
    return f"not {word}"


def _can_be(noun: Noun, word: str) -> bool:
    """Return whether *word* is a state of what *noun* is: buttons know four."""
    return noun.kind not in ("submit", "button") or word in ("enabled", "disabled", "visible", "hidden")


def _breaks(subject: Subject, check: Check) -> CheckResult:
    broken: list[tuple[str, ...]] = _look(subject, check.noun, "breaks")
    wanted = [w.text for w in check.arguments]
    holds = all(any(w in names for names in broken) for w in wanted)
    if check.predicate == "breaks only":
        holds = holds and all(any(w in names for w in wanted) for names in broken)
    return CheckResult(holds, wanted, [_rule_name(names, wanted) for names in broken])


def _rule_name(names: tuple[str, ...], wanted: list[str]) -> str:
    """A broken rule by the name that was asked for, else by its id, else by its flag (a customError: its kind)."""
    asked = next((n for n in names if n in wanted), None)
    if asked:
        return asked
    return names[2] if len(names) > 2 else names[1] if names[0] == "customError" else names[0]


def _breaks_nothing(subject: Subject, check: Check) -> CheckResult:
    broken = _look(subject, check.noun, "breaks")
    return CheckResult(not broken, [], [_rule_name(n, []) for n in broken])


def _shows(subject: Subject, check: Check) -> CheckResult:
    found = list(_look(subject, check.noun, "shows"))
    wanted = [as_text(t) for t in check.arguments]
    return CheckResult(found == wanted, wanted, found)


def _shows_like(subject: Subject, check: Check) -> CheckResult:
    found = list(_look(subject, check.noun, "shows"))
    like = check.arguments[0]
    return CheckResult(any(map(finds(like.pattern, like.flags), found)), like, found)


def _reads(subject: Subject, check: Check) -> CheckResult:
    found, wanted = _look(subject, check.noun, "reads"), as_text(check.arguments[0])
    return CheckResult(found == wanted, wanted, found)


def _offers(subject: Subject, check: Check) -> CheckResult:
    found, wanted = list(_look(subject, check.noun, "offers")), check.arguments[0]
    labels = list(_look(subject, check.noun, "labels"))
    if _is_said(wanted, labels) and not _is_said(wanted, found):
        found = labels
    if check.predicate == "offers all":
        return CheckResult(equal(found, wanted), wanted, found)
    return CheckResult(any(equal(f, wanted) for f in found), wanted, found)


def _is_said(wanted: Any, offered: list[Any]) -> bool:
    """Return whether all that is *wanted* is among what is *offered*."""
    return all(any(equal(each, one) for one in offered) for each in (wanted if isinstance(wanted, list | tuple) else [wanted]))


def _has_rows(subject: Subject, check: Check) -> CheckResult:
    found, wanted = _look(subject, check.noun, "rows"), check.arguments[0]
    return CheckResult(found == wanted, wanted, found)


def _has_options(subject: Subject, check: Check) -> CheckResult:
    found, wanted = len(_look(subject, check.noun, "offers")), check.arguments[0]
    return CheckResult(found == wanted, wanted, found)


def _allows(subject: Subject, check: Check) -> CheckResult:
    refusal = _look(subject, check.noun, "allows", check.arguments[0])
    return CheckResult(refusal is None, check.arguments[0], refusal is None, refusal=refusal)


def _like(subject: Subject, check: Check) -> CheckResult:
    found, like = _look(subject, check.noun, "value"), check.arguments[0]
    return CheckResult(matches(found, like), like, found)


def _nothing(subject: Subject, check: Check) -> CheckResult:
    found = _look(subject, check.noun, "value")
    return CheckResult(not found, None, found)


def _omits(subject: Subject, check: Check) -> CheckResult:
    payload = _look(subject, check.noun, "value")
    wanted = [write_address(a.segments) for a in check.arguments]
    there = [write_address(a.segments) for a in check.arguments if _is_in(payload, a.segments)]
    return CheckResult(not there, wanted, {"there": there, "payload": payload})


def _reaches(value: Any, segment: Any) -> bool:
    return isinstance(value, list) and isinstance(segment, int) and -len(value) <= segment < len(value)


def _is_in(value: Any, segments: tuple[Any, ...]) -> bool:
    if isinstance(value, dict) and write_address(segments) in value:
        return True  # the flat payload of an encoding other than JSON
    for segment in segments:
        if (isinstance(value, dict) and segment in value) or _reaches(value, segment):
            value = value[segment]
        else:
            return False
    return True


_JUDGES: dict[str, Callable[[Subject, Check], CheckResult]] = {
    predicate: _judge(judge)
    for predicate, judge in {
        "=": _equals,
        "!=": _equals,
        "includes": _includes,
        "contains": _contains,
        "is": _is,
        "breaks": _breaks,
        "breaks only": _breaks,
        "breaks nothing": _breaks_nothing,
        "shows": _shows,
        "shows nothing": _shows,
        "shows like": _shows_like,
        "reads": _reads,
        "offers": _offers,
        "offers all": _offers,
        "has rows": _has_rows,
        "has options": _has_options,
        "allows": _allows,
        "like": _like,
        "nothing": _nothing,
        "omits": _omits,
    }.items()
}
