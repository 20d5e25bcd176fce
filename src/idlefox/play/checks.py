"""Judges one check on a subject: whether it holds, what was expected, what was found."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..forms.names.shapes import write_address
from ..forms.values.patterns import finds
from ..forms.values.values import as_text, equal, written
from ..records import NamedTuple
from ..script.tree import Check, Like, Not, Noun, Word
from .matching import contains, difference, includes, matches, shown
from .subject import Missing, Subject


class Finding(NamedTuple):
    """*expected* and *found* are texts for the report; *reason* says more where there is more to say."""

    holds: bool
    expected: str
    found: str
    reason: str = ""


def judge_check(subject: Subject, check: Check) -> Finding:
    """Whether *check* holds, waiting for it or watching it where it says so."""
    if check.within is not None:
        held = subject.advance(check.within, lambda: _now(subject, check).holds)
        finding = _now(subject, check)
        if not held:
            return finding._replace(holds=False, reason=f"it did not hold within {_span(check.within)}")
        return finding
    if check.lasting is not None:
        first = _now(subject, check)
        if not first.holds:
            return first
        broke = subject.advance(check.lasting, lambda: not _now(subject, check).holds)
        finding = _now(subject, check)
        return finding._replace(holds=False, reason=f"it did not hold for all of {_span(check.lasting)}") if broke else finding
    return _now(subject, check)


def _span(ms: int) -> str:
    from ..forms.values.durations import write_duration

    return write_duration(ms)


def _now(subject: Subject, check: Check) -> Finding:
    try:
        finding = _READERS[check.predicate](subject, check)
    except Missing as fault:
        return Finding(False, _wanted(check), str(fault))
    if check.negated:
        return Finding(not finding.holds, f"not {finding.expected}", finding.found, "")
    return finding


def _wanted(check: Check) -> str:
    return " ".join(["not"] * check.negated + [check.predicate])


# the predicates
def _value(subject: Subject, noun: Noun) -> Any:
    return subject.observe(noun, "value")


def _equals(subject: Subject, check: Check) -> Finding:
    if check.noun.kind in ("dirty", "touched", "focus"):
        return _addresses(subject, check)
    expected = check.arguments[0]
    found = _value(subject, check.noun)
    if check.noun.kind == "errors":
        expected, found = _message_lists(_by_address(subject, expected)), _message_lists(found)
    holds = matches(found, expected)
    if check.predicate == "!=":
        return Finding(not holds, f"anything but {shown(expected)}", _shown_found(check.noun, found))
    return Finding(holds, shown(expected), _shown_found(check.noun, found), "" if holds else difference(found, expected, loose=False))


def _by_address(subject: Subject, errors: Any) -> Any:
    """Messages by the addresses that the subject itself writes."""
    return {subject.written(key): value for key, value in errors.items()} if isinstance(errors, dict) else errors


def _message_lists(errors: Any) -> Any:
    """Messages by address, a lone message as a list of one, so that both ways of writing it are equal."""
    return {k: v if isinstance(v, list) else [v] for k, v in errors.items()} if isinstance(errors, dict) else errors


def _shown_found(noun: Noun, found: Any) -> str:
    if noun.kind == "errors" and isinstance(found, dict):
        return shown({k: v[0] if len(v) == 1 else v for k, v in found.items()})
    if found is None and noun.kind in ("payload", "body", "request", "notice"):
        return {"notice": "no notice"}.get(noun.kind, "nothing has been sent")
    return shown(found)


def _addresses(subject: Subject, check: Check) -> Finding:
    found = sorted(_value(subject, check.noun))
    wanted = sorted(subject.observe(Noun("address", a), "name") for a in check.arguments)
    holds = (found == wanted) is (check.predicate == "=")
    expected = ", ".join(wanted)
    return Finding(holds, expected if check.predicate == "=" else f"anything but {expected}", ", ".join(found) or "nothing")


def _includes(subject: Subject, check: Check) -> Finding:
    expected, found = check.arguments[0], _value(subject, check.noun)
    if check.noun.kind == "errors":
        expected, found = _message_lists(_by_address(subject, expected)), _message_lists(found)
    holds = includes(found, expected)
    reason = "" if holds else difference(found, expected, loose=True)
    return Finding(holds, f"at least {shown(expected)}", _shown_found(check.noun, found), reason)


def _contains(subject: Subject, check: Check) -> Finding:
    found = _value(subject, check.noun)
    return Finding(contains(found, check.arguments[0]), f"something with {shown(check.arguments[0])}", _shown_found(check.noun, found))


def _is(subject: Subject, check: Check) -> Finding:
    states: dict[str, bool] = subject.observe(check.noun, "states")
    wrong: list[str] = []
    wanted: list[str] = []
    for given in check.arguments:
        negated = isinstance(given, Not)
        word: Word = given.word if isinstance(given, Not) else given
        text = f"not {word.text}" if negated else word.text
        wanted.append(text)
        if states[word.text] is negated:
            wrong.append(text)
    found = ", ".join(_opposite(w, states) for w in (wrong if not check.negated else wanted))
    return Finding(not wrong, ", ".join(wanted), found)


def _opposite(text: str, states: dict[str, bool]) -> str:
    """What is the case where the state *text* was expected and is not."""
    word = text.removeprefix("not ")
    if states[word]:
        return word
    for group in _GROUPS:
        if word in group:
            return next((w for w in group if states.get(w)), f"not {word}")
    return f"not {word}"


_GROUPS = (
    ("valid", "invalid", "pending", "unasked"), ("pristine", "dirty"), ("touched", "untouched"),
    ("enabled", "disabled"), ("visible", "hidden"), ("required", "optional"), ("empty", "filled"), ("on", "off"),
    ("busy", "idle"), ("none", "refused", "waiting", "accepted", "rejected", "lost"), ("success", "error", "info"),
)  # fmt: skip


def _breaks(subject: Subject, check: Check) -> Finding:
    broken: list[tuple[str, ...]] = subject.observe(check.noun, "breaks")
    wanted = [w.text for w in check.arguments]
    found = ", ".join(_rule_name(names, wanted) for names in broken) or "nothing"
    holds = all(any(w in names for names in broken) for w in wanted)
    if check.predicate == "breaks only":
        holds = holds and all(any(w in names for w in wanted) for names in broken)
        return Finding(holds, f"only {', '.join(wanted)}", found)
    return Finding(holds, ", ".join(wanted), found)


def _rule_name(names: tuple[str, ...], wanted: list[str]) -> str:
    """A broken rule by the name that was asked for, else by its id, else by its flag (a customError: its kind)."""
    asked = next((n for n in names if n in wanted), None)
    if asked:
        return asked
    return names[2] if len(names) > 2 else names[1] if names[0] == "customError" else names[0]


def _breaks_nothing(subject: Subject, check: Check) -> Finding:
    broken = subject.observe(check.noun, "breaks")
    return Finding(not broken, "breaks nothing", ", ".join(_rule_name(n, []) for n in broken) or "nothing")


def _shows(subject: Subject, check: Check) -> Finding:
    found = subject.observe(check.noun, "shows")
    wanted = [as_text(t) for t in check.arguments]
    return Finding(found == wanted, ", ".join(map(written, wanted)), ", ".join(map(written, found)) or "nothing")


def _shows_nothing(subject: Subject, check: Check) -> Finding:
    found = subject.observe(check.noun, "shows")
    return Finding(not found, "no message", ", ".join(map(written, found)) or "nothing")


def _shows_like(subject: Subject, check: Check) -> Finding:
    found = subject.observe(check.noun, "shows")
    like: Like = check.arguments[0]
    find = finds(like.pattern, like.flags)
    return Finding(any(map(find, found)), f"a message {shown(like)}", ", ".join(map(written, found)) or "nothing")


def _reads(subject: Subject, check: Check) -> Finding:
    found, wanted = subject.observe(check.noun, "reads"), as_text(check.arguments[0])
    return Finding(found == wanted, written(wanted), written(found))


def _offers(subject: Subject, check: Check) -> Finding:
    found = subject.observe(check.noun, "offers")
    wanted = check.arguments[0]
    if check.predicate == "offers all":
        return Finding(equal(found, wanted), shown(wanted), shown(found))
    return Finding(any(equal(f, wanted) for f in found), f"the option {shown(wanted)}", shown(found))


def _has(aspect: str) -> Callable[[Subject, Check], Finding]:
    def judge(subject: Subject, check: Check) -> Finding:
        found, wanted = subject.observe(check.noun, aspect), check.arguments[0]
        return Finding(found == wanted, f"{wanted} {aspect}", f"{found} {aspect}")

    return judge


def _allows(subject: Subject, check: Check) -> Finding:
    doing = check.arguments[0]
    reason = subject.observe(check.noun, f"allows {doing}")
    return Finding(not reason, f"{doing} is allowed", f"{doing} is not allowed" if reason else f"{doing} is allowed", reason)


def _like(subject: Subject, check: Check) -> Finding:
    found, like = _value(subject, check.noun), check.arguments[0]
    return Finding(matches(found, like), shown(like), _shown_found(check.noun, found))


def _nothing(subject: Subject, check: Check) -> Finding:
    found = _value(subject, check.noun)
    if check.noun.kind in ("dirty", "touched", "focus"):
        return Finding(not found, "nothing", ", ".join(sorted(found)) or "nothing")
    return Finding(not found, "nothing", _shown_found(check.noun, found) if found else "nothing")


def _omits(subject: Subject, check: Check) -> Finding:
    payload = _value(subject, check.noun)
    there = [write_address(a.segments) for a in check.arguments if _is_in(payload, a.segments)]
    wanted = ", ".join(write_address(a.segments) for a in check.arguments)
    return Finding(not there, f"without {wanted}", f"{', '.join(there)} is in it: {shown(payload)}" if there else shown(payload))


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


_READERS: dict[str, Callable[[Subject, Check], Finding]] = {
    "=": _equals,
    "!=": _equals,
    "includes": _includes,
    "contains": _contains,
    "is": _is,
    "breaks": _breaks,
    "breaks only": _breaks,
    "breaks nothing": _breaks_nothing,
    "shows": _shows,
    "shows nothing": _shows_nothing,
    "shows like": _shows_like,
    "reads": _reads,
    "offers": _offers,
    "offers all": _offers,
    "has rows": _has("rows"),
    "has options": _has("options"),
    "allows": _allows,
    "like": _like,
    "nothing": _nothing,
    "omits": _omits,
}
