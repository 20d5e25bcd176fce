"""Failures in words: what was expected, what was found, why a step could not be taken, and the state of the field."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ..forms.expressions import UNKNOWN, EvaluatedPart
from ..forms.values.durations import write_duration
from ..forms.values.values import written
from ..playing.matching import Difference
from ..playing.results import Failure
from ..playing.subject import FieldState
from ..refusals import NO_END, Refusal
from ..script.tree import Anything, Like

_ADDRESSES = frozenset({"dirty", "touched", "focus"})


def shown(value: Any) -> str:
    """*value*, or a pattern, as the person would write it."""
    if isinstance(value, Anything):
        return "any"
    if isinstance(value, Like):
        return f"like /{value.pattern}/{value.flags}"
    if isinstance(value, dict):
        return "{" + ", ".join(f"{written(k)}: {shown(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(shown, value)) + "]"
    return written(value)


# expected values
def expected_text(failure: Failure) -> str:
    """Return what the check of *failure* expected; "" if it is not a check."""
    if not failure.predicate:
        return ""
    if failure.refusal is not None and failure.predicate != "allows" and (failure.refusal.kind not in NO_END or failure.expected is None):
        words = failure.predicate
    else:
        words = _EXPECTED[failure.predicate](failure)
    return f"not {words}" if failure.negated else words


def _equal_to(failure: Failure) -> str:
    text = ", ".join(failure.expected) if failure.noun in _ADDRESSES else shown(_messages(failure, failure.expected))
    return f"anything but {text}" if failure.predicate == "!=" else text


def _messages(failure: Failure, value: Any) -> Any:
    """Messages by address as people write them: a list of one as the one."""
    if failure.noun == "errors" and isinstance(value, dict):
        return {k: v[0] if isinstance(v, list) and len(v) == 1 else v for k, v in value.items()}
    return value


def _quoted(texts: Any) -> str:
    return ", ".join(map(written, texts))


_EXPECTED: dict[str, Callable[[Failure], str]] = {
    "=": _equal_to,
    "!=": _equal_to,
    "includes": lambda f: f"at least {shown(_messages(f, f.expected))}",
    "contains": lambda f: f"something with {shown(f.expected)}",
    "is": lambda f: ", ".join(f.expected),
    "breaks": lambda f: ", ".join(f.expected),
    "breaks only": lambda f: f"only {', '.join(f.expected)}",
    "breaks nothing": lambda f: "breaks nothing",
    "shows": lambda f: _quoted(f.expected),
    "shows nothing": lambda f: "no message",
    "shows like": lambda f: f"a message {shown(f.expected)}",
    "reads": lambda f: written(f.expected),
    "offers": lambda f: f"the option {shown(f.expected)}",
    "offers all": lambda f: shown(f.expected),
    "has rows": lambda f: f"{f.expected} rows",
    "has options": lambda f: f"{f.expected} options",
    "allows": lambda f: f"{f.expected} is allowed",
    "like": lambda f: shown(f.expected),
    "nothing": lambda f: "nothing",
    "omits": lambda f: f"without {', '.join(f.expected)}",
    "cannot": lambda f: "this step to be impossible",
}


# found values
def found_text(failure: Failure) -> str:
    """Return what was found instead; "" if the failure is not that of a check."""
    if not failure.predicate:
        return ""
    if failure.refusal is not None and failure.predicate != "allows":
        return refusal_text(failure.refusal)
    return _FOUND.get(failure.predicate, _found_value)(failure)


def _found_value(failure: Failure) -> str:
    found = failure.found
    if failure.noun in _ADDRESSES:
        return ", ".join(found) or "nothing"
    if found is None and failure.noun == "notice":
        return "no notice"
    if found is None and failure.noun in ("payload", "body", "request"):
        return "nothing has been sent"
    return shown(_messages(failure, found))


def _found_nothing(failure: Failure) -> str:
    """Return what was found by a check that expected nothing."""
    if not failure.found:
        return "nothing"
    return ", ".join(sorted(failure.found)) if failure.noun in _ADDRESSES else _found_value(failure)


def _found_omitted(failure: Failure) -> str:
    there, payload = failure.found["there"], failure.found["payload"]
    text = "nothing has been sent" if payload is None else shown(payload)
    return f"{', '.join(there)} is in it: {text}" if there else text


_FOUND: dict[str, Callable[[Failure], str]] = {
    "is": lambda f: ", ".join(f.found),
    "breaks": lambda f: ", ".join(f.found) or "nothing",
    "breaks only": lambda f: ", ".join(f.found) or "nothing",
    "breaks nothing": lambda f: ", ".join(f.found) or "nothing",
    "shows": lambda f: _quoted(f.found) or "nothing",
    "shows nothing": lambda f: _quoted(f.found) or "nothing",
    "shows like": lambda f: _quoted(f.found) or "nothing",
    "has rows": lambda f: f"{f.found} rows",
    "has options": lambda f: f"{f.found} options",
    "allows": lambda f: f"{f.expected} is {'' if f.found else 'not '}allowed",
    "nothing": _found_nothing,
    "cannot": lambda f: "it is possible",
    "omits": _found_omitted,
}


# why, and where
MOST_DIFFERENCES = 10


def reason_texts(failure: Failure) -> list[str]:
    """Return further reasons, a line each; of differing values at most ten, then how many more there are."""
    if failure.timer is not None:
        return [*reason_texts(failure._replace(timer=None)), timer_text(failure.timer)]
    if failure.limit is None and failure.refusal is None and failure.kind != "known" and failure.differences:
        texts = [difference_text(each) for each in failure.differences[:MOST_DIFFERENCES]]
        more = len(failure.differences) - len(texts)
        return [*texts, f"and {more} more"] if more else texts
    text = reason_text(failure)
    return [text] if text else []


def timer_text(ms: int) -> str:
    """Say that a timer of the page is due in *ms*, and what to write if that is the awaited event."""
    span = write_duration(ms)
    return f"a timer of the page is due in {span}; use `within {span}`, or `live: {{check_delay: {span}}}` for all checks"


def reason_text(failure: Failure) -> str:
    """Return the first reason in one line: why a step could not be taken, where values differ, a timeout; "" if there is none."""
    if failure.kind == "known":
        return "it passes now: remove `known`"
    if failure.limit is not None:
        kind, ms = failure.limit
        span = write_duration(ms)
        return f"it did not hold within {span}" if kind == "within" else f"it did not hold for all of {span}"
    if failure.because is not None:
        return because_text(failure.because)
    if failure.refusal is not None:
        if not failure.predicate:
            return refusal_text(failure.refusal)
        return because_text(failure.refusal) if failure.predicate == "allows" and not failure.negated else ""
    return difference_text(failure.differences[0]) if failure.differences else ""


def difference_text(difference: Difference) -> str:
    """Return the place where a value differs."""
    path, found, expected = difference.path, difference.found, difference.expected
    if difference.kind == "missing":
        return f"{path} is missing; {shown(expected)} was expected"
    if difference.kind == "besides":
        return f"{path or 'it'} also has {', '.join(map(written, found))}"
    if difference.kind == "length":
        return f"{path or 'it'} has {found} element{'s' if found != 1 else ''}, not {expected}"
    if difference.kind == "extra":
        return f"{path} is {shown(found)}, but nothing was expected there"
    return f"{path} is {shown(found)}, not {shown(expected)}"


def _rows(count: int) -> str:
    return f"{count} row{'s' if count != 1 else ''}"


def parts_text(facts: Mapping[str, Any]) -> str:
    """Return the parts of a condition that decided, like ``: form.dirty is false``; "" if they are unknown."""
    told = [_part_text(shown, shown.text == facts["condition"].strip()) for shown in facts.get("parts", ())]
    return ": " + ", ".join(told) if any(told) else ""


def _part_text(shown: EvaluatedPart, whole: bool) -> str:
    readings = " and ".join(f"{text} is {_known(value)}" for text, value in shown.readings)
    if not shown.readings:
        return f"{_ticked(shown.text)} is {_known(shown.value)}"
    return readings if whole else f"`{shown.text}` is {_known(shown.value)} ({readings})"


def _ticked(text: str) -> str:
    return f"`{text}`" if " " in text else text


def _known(value: Any) -> str:
    return "unknown" if value is UNKNOWN else written(value)


def _condition(word: str, verb: str, holds: str) -> Callable[[Mapping[str, Any]], str]:
    def text(f: Mapping[str, Any]) -> str:
        culprit = f"{f['culprit']}, around it," if f["culprit"] else "it"
        return f"{culprit} is {word}: its condition `{verb}: {f['condition']}` {holds}{parts_text(f)}"

    return text


def _unanswered(facts: Mapping[str, Any]) -> str:
    replies = "ok (or cancel)" if facts["box"] == "confirm" else '"TEXT" (or cancel)'
    return f"the page asks {written(facts['text'])}; before this step, write: answer {facts['box']} with {replies}"


_BECAUSE: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "left": lambda f: "the page has been left",
    "panel closed": lambda f: f"the panel {f['panel']} is not open",
    "hidden": _condition("hidden", "visible", "does not hold"),
    "hidden type": lambda f: "a field of type hidden is never on the page",
    "hidden by markup": lambda f: str(f["why"]),
    "other view": lambda f: f"the view {f['view']} does not show it",
    "nothing on show": lambda f: f"the view {f['view']} shows no field of the form",
    "nothing of the panel": lambda f: "nothing of the panel is on show",
    "disabled": _condition("disabled", "enabled", "does not hold"),
    "disabled by markup": lambda f: str(f["why"]),
    "locked": lambda f: "the form is busy, and locked while it is",
    "readonly": _condition("read-only", "readonly", "holds"),
    "readonly by markup": lambda f: f"it has {f['why']}",
    "most rows": lambda f: f"it has {_rows(f['count'])} already and allows at most {f['most']}",
    "least rows": lambda f: f"it has {_rows(f['count'])} and needs at least {f['least']}",
    "too few rows": lambda f: f"it has {_rows(f['count'])}: there is no other row to change places with",
    "not offered": lambda f: f"its condition `{f['condition']}` does not hold{parts_text(f)}",
    "hidden on page": lambda f: "it is hidden on the page",
    "disabled on page": lambda f: "it is disabled on the page",
    "readonly on page": lambda f: "it is read-only on the page",
    "button hidden": lambda f: "its button is hidden",
    "button disabled": lambda f: "its button is disabled",
    "covered": lambda f: f"it is covered by {f['by']}",
    "moved away": lambda f: "it moved away under the pointer: leaving the previous field shifted it",
    "press missed": lambda f: "the press did not reach it",
    "not typed": lambda f: "typing there depends on the browser's language; use set",
    "cannot be set": lambda f: "its control has no value that can be set; use type or pick",
    "not found": lambda f: "nothing on the page has its name or label; if it is there, say where with `at` under live.find",
    "two controls": lambda f: f"{' and '.join(f['controls'])} on the page are both called so; say which one with `at` under live.find",
    "not opened": lambda f: "its list or calendar could not be opened; name what opens it with `open` under live.find",
    "not removed": lambda f: f"nothing on the page takes {written(f['value'])} away",
    "value not reached": lambda f: f"its keys do not lead to {written(f['value'])}; it is at {written(f['read'])}",
    "date not entered": lambda f: f"it reads {written(f['read'])} after {written(f['value'])}; give the page's `format` under live.find",
    "may come": lambda f: f"a timer of the page is due in {f['ms']} ms, and what it does may make it possible; wait for it first",
    "unanswered": _unanswered,
    "not a step there": lambda f: str(f["why"]),
}
_DISABLED = frozenset({"disabled", "disabled by markup", "locked"})


def because_text(refusal: Refusal) -> str:
    """The cause alone of a refusal that has one, else all of it."""
    because = _BECAUSE.get(refusal.kind)
    if because is None:
        return _WHOLE[refusal.kind](refusal.what, refusal)
    if refusal.kind == "not offered" and refusal.doing:
        return f"its condition `{refusal.doing}: {refusal.facts['condition']}` does not hold{parts_text(refusal.facts)}"
    return because(refusal.facts)


def refusal_text(refusal: Refusal) -> str:
    """Return why a step could not be taken, as a sentence."""
    whole = _WHOLE.get(refusal.kind)
    if whole is not None:
        return whole(refusal.what, refusal)
    because, what, doing = because_text(refusal), refusal.what, refusal.doing
    if doing == "press":
        return f"{what} is disabled: {_of_button(refusal)}" if refusal.kind in _DISABLED else f"{what} cannot be pressed: {because}"
    if doing in ("add", "remove", "move"):
        return f"{what} does not allow {doing}: {because}"
    if doing in ("open", "close"):
        return f"{what} cannot be opened: {because}" if doing == "open" else because
    return f"{doing} {what} is not possible: {because}" if what else f"{doing} is not possible: {because}"


def _of_button(refusal: Refusal) -> str:
    if refusal.kind != "disabled":
        return because_text(refusal)
    return f"its condition `enabled: {refusal.facts['condition']}` does not hold{parts_text(refusal.facts)}"


_WHOLE: dict[str, Callable[[str, Refusal], str]] = {
    "no such row": lambda what, r: f"{what} does not exist: {r.facts['rows']} has {_rows(r.facts['count'])}",
    "no such place": lambda what, r: (
        f"{what} has {r.facts['count']} rows, so there is no place {r.facts['place']}" + (" to add one at" if r.doing == "add" else "")
    ),
    "no such option": lambda what, r: (
        f"{what} has no option {written(r.facts['value'])}; its options are {', '.join(map(written, r.facts['offered'])) or 'none'}"
    ),
    "disabled option": lambda what, r: f"the option {written(r.facts['value'])} of {what} is disabled",
    "one file": lambda what, r: f"{what} takes one file, not {r.facts['count']}",
    "file too large": lambda what, r: (
        f"{r.facts['file']} has {r.facts['size']:,} bytes; files of more than {r.facts['most']:,} bytes are not used here"
    ),
    "file outside": lambda what, r: (
        f"{r.facts['file']} is outside the project; --root DIR allows another folder"
    ),
    "other size": lambda what, r: (
        f"{r.facts['file']} exists beside the script with {r.facts['there']} bytes, not {r.facts['size']}"
    ),
    "file not accepted": lambda what, r: f"{what} accepts {', '.join(r.facts['accept'])}, not {r.facts['file']} ({r.facts['type']})",
    "needs an object": lambda what, r: (
        "a new row needs an object" if what == "a new row"
        else f"{what} is a group and needs an object, not {written(r.facts['value'])}"
    ),
    "needs objects": lambda what, r: f"{what} is a list of rows and needs a list of objects, not {written(r.facts['value'])}",
    "needs true or false": lambda what, r: f"{what} is a checkbox and needs true or false, not {written(r.facts['value'])}",
    "needs an option": lambda what, r: f"{what} is a single choice and needs one of its options, not {written(r.facts['value'])}",
    "needs files": lambda what, r: (
        f'{what} needs files, as names or objects such as {{"name": "a.pdf", "size": 5}}, not {written(r.facts["value"])}'
    ),
    "no such field": lambda what, r: f"{what or 'the form'} has no field {r.facts['field']!r}; it has {', '.join(r.facts['fields'])}",
    "no submit button": lambda what, r: "the form has no submit button; if Enter sends it: press Enter in FIELD",
    "no reset button": lambda what, r: "the form has no reset button",
    "no notice": lambda what, r: "no notice is on show to dismiss",
    "notice stays": lambda what, r: "the notice cannot be closed",
    "nothing left": lambda what, r: "the page has not been left, so there is nothing to return from",
    "panel open": lambda what, r: f"the panel {r.facts['panel']} is already open",
    "still under way": lambda what, r: (
        f"after {write_duration(r.facts['within'])} this is still under way: {', '.join(r.facts['names'][:5])}"
    ),
    "endless": lambda what, r: str(r.facts["what"]),
    "slow pattern": lambda what, r: (
        f"the pattern {_cut(r.facts['pattern'])} takes too many steps on a text of {r.facts['length']} characters; "
        "a reference back such as \\1, or a look ahead, among its repetitionsis the likely cause"
    ),
    "not on page": lambda what, r: f"{r.doing} {what}: nothing on the page has that name, id or label{_find_it(r)}",
    "no row button": lambda what, r: f"the button that {r.doing}s a row of {what} was not found; locate it with live.find.{what}.{r.doing}",
    "rows stay": lambda what, r: f"the page's button was pressed, but {what} still has {r.facts['count']} rows",
    "no panel button": lambda what, r: f"the button that {r.doing}s {what} was not found; locate it with live.find.{what}.{r.doing}",
    "no focus": lambda what, r: f"{r.doing}: nothing on the page has the focus",
    "unseen": lambda what, r: f"{what} cannot be seen here: {r.facts['why']}",
    "restless": lambda what, r: "the page does not settle: something on it keeps changing or never finishes",
    "too long": lambda what, r: f"the scenario took more than {r.facts['seconds']:g} s of real time; --deadline allows more",
    "browser gone": lambda what, r: str(r.facts["why"]),
    "page error": lambda what, r: f"an uncaught error of the page: {'; '.join(r.facts['texts'])}",
    "no page": lambda what, r: f"cannot load {r.facts['url']}: {r.facts['why']}",
    "record no object": lambda what, r: (
        f"the server has stored {written(r.facts['value'])}, which is not an object, so the form cannot be loaded from it; "
        "see `record` of the sheet's replies"
    ),
    "process ended": lambda what, r: f"its process ended {r.facts['how']} while it ran; a Python rule may have ended it",
    "internal": lambda what, r: f"an internal fault ({r.facts['what']}): this is a bug in Idle Fox",
}  # fmt: skip


def _find_it(refusal: Refusal) -> str:
    if refusal.what == "submit":
        return "; locate it with live.submit"
    return f"; locate it with live.find.{refusal.what}" if refusal.see is not None else ""


def _cut(pattern: str) -> str:
    return pattern if len(pattern) <= 60 else pattern[:59] + "…"


# the state of a field
def state_lines(failure: Failure) -> list[str]:
    """Return the state of the field, like ``voucher   "ISLE1"   dirty  touched  invalid   breaks tooShort``, what it shows, and
    the last change.
    """
    state = failure.state
    if state is None:
        return []
    lines = [_state_line(state)]
    inside = [(address, names) for address, names in state.inside if address != state.address]
    lines += [f"{address} {_trouble(names)}" for address, names in inside[:MOST_INSIDE]]
    if len(inside) > MOST_INSIDE:
        lines.append(f"and {len(inside) - MOST_INSIDE} more")
    if state.shows:
        lines.append("shows " + _quoted(state.shows))
    when = f"at {state.ms / 1000:.3f} s, "
    touched = failure.touched
    lines.append(when + (f"last changed by line {touched.line}: {touched.text}" if touched is not None else "not changed since load"))
    return lines


MOST_INSIDE = 3


def _trouble(names: tuple[str, ...]) -> str:
    return f"is {names[0]}" if names in (("asking",), ("unasked",)) else f"breaks {', '.join(names)}"


def _state_line(state: FieldState) -> str:
    value = ""
    if state.kind == "field":
        value = written(state.value) + (f" (reads {written(state.reads)})" if state.reads is not None else "")
    elif state.rows is not None:
        value = _rows(state.rows)
    breaks = f"breaks {', '.join(state.breaks)}" if state.breaks else ""
    return "   ".join(part for part in (state.address or "form", value, "  ".join(state.words), breaks) if part)
