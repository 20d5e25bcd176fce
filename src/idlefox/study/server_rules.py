"""Which rules does only the page enforce? Sends what the form would refuse past its checks, one broken rule at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.model.form import TEXT_KINDS, Field, Form, walk
from ..playing.player import DEFAULT_CLOCK, play_scenario
from ..playing.rehearsal import Rehearsal
from ..playing.simulated import SimulatedForm
from ..playing.subject import Subject
from ..playing.subjects import simulated
from ..records import NamedTuple
from ..script.expand import expand
from ..script.reader import read_script_text
from ..script.writer import called, quoted, write_played
from .filling import Filling
from .probe import limit_values
from .samples import parameter, texts_for

_SENDS = ("submit past checks", "settle")
_ACCEPTED = "expect outcome is accepted"
_ODD_TEXTS = ("", "!", "Zz9 ~!")


class BrokenRule(NamedTuple):
    """Steps (*lines*) that fill in the form so that only the rule *name* of *address* is broken, by *value*; None: nothing is entered."""

    address: str
    name: str
    value: Any
    lines: tuple[str, ...]

    def scenario(self) -> str:
        """Return the scenario that passes as long as the server accepts this."""
        title = f"the server accepts {self.address} that breaks {self.name}"
        return _scenario(title, self.lines)


class SendingPlan(NamedTuple):
    """The submissions to make: a *good* filling and the *broken* ones; and the rules that are *left_out*."""

    form: Form
    good: tuple[str, ...]
    broken: tuple[BrokenRule, ...]
    left_out: tuple[str, ...]


class ServerAnswers(NamedTuple):
    """The broken rules that the server *accepted* and *rejected*; *odd*: what could not be sent, and why."""

    form: Form
    accepted: tuple[BrokenRule, ...]
    rejected: tuple[BrokenRule, ...]
    odd: tuple[str, ...]

    def as_json(self) -> dict[str, Any]:
        """Return the JSON report."""
        said = {"accepted": self.accepted, "rejected": self.rejected}
        rules = [{"address": each.address, "rule": each.name, "value": each.value, "verdict": verdict, "steps": list(each.lines)}
                 for verdict, those in said.items() for each in those]  # fmt: skip
        return {"format": 1, "form": self.form.id, "rules": rules, "left_out": list(self.odd)}


def sending_plan(form: Form) -> SendingPlan | None:
    """Return the submissions for the server of *form*; None if no filling was found that the form accepts."""
    subject = SimulatedForm(SessionFactory(compile_form(form)), ".")
    subject.load(DEFAULT_CLOCK)
    steps = Filling(form).filled_in(subject)
    if steps is None:
        return None
    good = [write_played(step) for step in steps]
    broken: list[BrokenRule] = []
    left_out: list[str] = []
    for field in walk(form.fields):
        if not field.rules or field.kind in ("group", "rows", "hidden", "file"):
            continue
        found = dict(_broken(form, field, good))
        broken += found.values()
        for rule in field.rules:
            for kind in rule.kinds:
                if kind.name != "badInput" and not {rule.id, kind.name, kind.flag} & {*found}:
                    left_out.append(f"{field.address}: no value that breaks only {rule.id or kind.name}")
    return SendingPlan(form, _lines(good), tuple(broken), tuple(left_out))


def _lines(steps: list[str]) -> tuple[str, ...]:
    """The lines of *steps*, with what several `fill` one after the other enter in one."""
    lines: list[str] = []
    filling = False
    for step in steps:
        first, *rest = step.split("\n")
        lines += [*([] if filling and first == "fill" else [first]), *rest]
        filling = first == "fill"
    return tuple(lines)


def _broken(form: Form, field: Field, good: list[str]) -> Iterator[tuple[str, BrokenRule]]:
    """By the name of each rule of *field*: the first filling that breaks it alone."""
    address = field.address.replace("[*]", "[0]")
    name, seen = called(address), set()
    ways: list[tuple[Any, list[str]]] = [(None, [step for step in good if not _is_about(step, name)])]
    if field.kind == "checkbox" and not field.many:
        ways.append((False, [*good, f"turn {name} off"]))
    else:
        ways += [(value, [*good, f"set {name} {quoted(value)}"]) for value in _values(field)]
    for value, steps in ways:
        rules = _rules_broken(form, address, steps)
        if rules == [] and value and value == _too_long(field):  # a script may set what cannot be typed
            rules = ["tooLong"]
        if rules is not None and len(rules) == 1 and rules[0] not in seen:
            seen.add(rules[0])
            yield rules[0], BrokenRule(address, rules[0], value, _lines(steps))


def _values(field: Field) -> list[Any]:
    odd = (*_ODD_TEXTS, _too_long(field)) if field.kind in TEXT_KINDS else ()
    return [each for each in (*(value for _, values in limit_values(field) for value in values), *odd) if isinstance(each, str)]


def _too_long(field: Field) -> str:
    """A text of one character more than *field* takes; "" if it takes any."""
    limit = parameter(field, "maxlength")
    if not isinstance(limit, int):
        return ""
    likely = next((text for text in texts_for(field) if text), "a")
    return likely + "a" * (limit + 1 - len(likely))


def _is_about(step: str, name: str) -> bool:
    """Return whether *step* fills in the field *name*."""
    words = step.split("\n")[-1].split()
    return name in (words[0], *words[1:2])


def _rules_broken(form: Form, address: str, steps: list[str]) -> list[str] | None:
    """The names of the rules that are broken after *steps*; None if another field breaks one, or a step is not possible."""
    rehearsal = Rehearsal(simulated(form, compile_form(form)), form.file, ".", DEFAULT_CLOCK)
    if not all(rehearsal.take(step).held for step in steps):
        return None
    fields = rehearsal.observed().fields
    if any(state.breaks for name, state in fields.items() if name not in ("", address)):
        return None
    return list(dict.fromkeys(fields[address].breaks)) if address in fields else None


def send_all(plan: SendingPlan, subject: Subject, told: Callable[[int, int], None] | None = None) -> ServerAnswers | str:
    """Send everything of *plan* from *subject*; why nothing can be concluded, if the server rejects the good filling."""
    verdict = _sent(_scenario("a filling that the form accepts", plan.good), subject)
    if verdict:
        return verdict
    accepted: list[BrokenRule] = []
    rejected: list[BrokenRule] = []
    odd = list(plan.left_out)
    for number, each in enumerate(plan.broken, 1):
        verdict = _sent(each.scenario(), subject)
        if not verdict:
            accepted.append(each)
        elif verdict == _ACCEPTED:
            rejected.append(each)
        else:
            odd.append(f"{each.address}, {each.name}: {verdict}")
        if told is not None:
            told(number, len(plan.broken))
    return ServerAnswers(plan.form, tuple(accepted), tuple(rejected), tuple(odd))


def _scenario(title: str, lines: tuple[str, ...]) -> str:
    return f"scenario {quoted(title)}\n" + "".join(f"    {line}\n" for line in (*lines, *_SENDS, _ACCEPTED))


def _sent(scenario: str, subject: Subject) -> str:
    """Run *scenario*: "" if the server accepts what it sends, the last check if it does not, else why it cannot run."""
    found, problems = expand(read_script_text(scenario, "sent.fox"))
    if problems:
        return problems[0].cause
    result = play_scenario(found[0], subject, DEFAULT_CLOCK, "sent.fox")
    texts = [failure.text.strip() for failure in result.failures] or ["it does not run"]
    return "" if result.verdict == "pass" else texts[0]
