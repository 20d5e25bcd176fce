"""Fills in a form until it can be sent: problems are fixed one value after the other.

A local search on copies of the form: every value is tried by entering it. Its result is a filling, a proof that there is none, or
neither: then it gave up. All studies fill in forms with it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ..engine.session.introspection import server_says
from ..engine.session.look import trouble_inside
from ..forms.expressions.tree import Expression
from ..forms.model.form import TEXT_KINDS, Field, Form, Rule, walk
from ..forms.names.addresses import parse_address
from ..forms.values.whatwg import date_text, decimal_of
from ..playing.simulated import SimulatedForm
from ..playing.steps import take_step
from ..playing.subject import UNDER_WAY
from ..records import NamedTuple
from ..script import tree
from ..script.tree import Address, Noun
from .literals import named_texts
from .no_way import why_no_way
from .samples import candidates, matching, options_of, parameter

_OUTCOME = Noun("outcome")
_ENOUGH = 10 * 60_000  # longer than anybody waits, in milliseconds
_SOON = 25_000  # milliseconds; `settle` without a limit covers shorter waits
_A_WHILE = tree.Wait(1_000)
_MOST_TRIES = 400
_MOST_ROUNDS = 60
_MOST_ATTEMPTS = 8
_MOST_OPENED = 20  # settings after each of which another one is tried
Segments = tuple[Any, ...]
Way = tuple[SimulatedForm, list[Any]]  # where steps have led, and the steps


class FillingResult(NamedTuple):
    """*steps* that end with an accepted submission; if there are none, the *proof* of that, as a clause. Neither: the search gave up."""

    steps: tuple[Any, ...] | None
    proof: str = ""


class Filling:
    """Ways to fill in one form. *panel*: "" or the panel that is filled in."""

    def __init__(self, form: Form, panel: str = "") -> None:
        self.form = form
        self.model = next((each for each in form.panels if each.panel == panel), form) if panel else form
        self.panel = panel
        self.settle = settling(self.form)
        self.named = named_texts(form)
        self.tries = 0
        self.mended: dict[str, Any] = {}
        self.seen: set[frozenset[Any]] = set()
        self.rejected: list[tuple[str, Any]] = []  # values that the server rejected
        self.served: dict[str, Any] = {}  # by address: values that led to an answer, to try first

    def find(self, subject: SimulatedForm) -> FillingResult:
        """Search from the state of *subject*, which stays as it is."""
        steps = self._sent_from(subject)
        if steps is not None:
            return FillingResult(tuple(steps))
        return FillingResult(None, self.proof(subject))

    def proof(self, subject: SimulatedForm) -> str:
        """Return why nothing acceptable can be sent from the state of *subject*; "" if that is not proved."""
        settled = subject.trial()
        take_step(settled, self.settle, 1)
        return why_no_way(settled, self.form)

    def filled_in(self, subject: SimulatedForm) -> tuple[Any, ...] | None:
        """Return steps after which nothing is wrong and every field that takes a value has one, without sending; None if none
        were found.
        """
        self._start()
        found = self._filled(subject.trial())
        return None if found is None else (*found[1], *self.completing(found[0]))

    def completing(self, subject: SimulatedForm) -> Iterator[Any]:
        """Yield steps that fill the empty fields of *subject*."""
        for field in walk(self.model.fields):
            for at in instances(subject, field.path) if field.kind not in ("group", "rows", "hidden") else ():
                if subject.look(Noun("address", Address(at)), "value") in ("", None, [], False):
                    found = self.fitting(subject, field, at)
                    if found is not None:
                        subject = found[0]
                        yield found[1]

    def fitting(self, subject: SimulatedForm, field: Field, at: Segments) -> tuple[SimulatedForm, Any] | None:
        """Return the first step that fills *field* with a valid value, and where it leads."""
        address = Noun("address", Address(at))
        for step in self.entering(subject, field, at):
            tried = subject.trial()
            if take_step(tried, step, 1) is None and not any(tried.look(address, "is", word) for word in ("invalid", "empty")):
                return tried, step
        return None

    def opening(self, subject: SimulatedForm, field: Field, at: Segments) -> tuple[Any, ...] | None:
        """Return steps that bring *field*, whose address is *at*, into reach: values of what its conditions read, one or two of
        them; None if none were found.
        """
        if _in_reach(subject, at):
            return ()
        first: list[Way] = []
        for step in self._settings(subject, field):
            tried = subject.trial()
            if take_step(tried, step, 1) is None:
                if _in_reach(tried, at):
                    return (step,)
                first.append((tried, [step]))
        for led, steps in first[:_MOST_OPENED]:
            for step in self._settings(led, field):
                tried = led.trial()
                if take_step(tried, step, 1) is None and _in_reach(tried, at):
                    return (*steps, step)
        return None

    def _settings(self, subject: SimulatedForm, field: Field) -> Iterator[Any]:
        """Yield steps that may change the conditions of *field*: what they read, and then what the conditions of that read."""
        paths = [field.path[:size] for size in range(len(field.path), 0, -1)]
        for _ in range(2):
            owners = [found for path in paths if (found := self.form.find(path)) is not None]
            conditions = [e for each in owners for e in (each.visible, each.enabled, each.readonly) if e is not None]
            paths = list(dict.fromkeys(r.target for each in conditions for r in each.reads if r.target))
            for path in paths:
                other = self.form.find(path)
                if other is not None and other.kind not in ("group", "rows", "hidden"):
                    for each in instances(subject, path):
                        yield from self._likely(subject, other, each)

    def _likely(self, subject: SimulatedForm, field: Field, at: Segments) -> Iterator[Any]:
        if field.kind == "checkbox" and not field.many:
            yield from (tree.Turn(Address(at), on) for on in (True, False))
            return
        texts = self.named.get(field.path, [])
        yield from (tree.FillLine(Address(at), text) for text in (*texts, *beside(field, texts)))
        yield from self.entering(subject, field, at)

    def _start(self) -> None:
        self.tries, self.rejected, self.mended = 0, [], {}
        self.seen.clear()

    def _sent_from(self, subject: SimulatedForm) -> list[Any] | None:
        """Return steps from the state of *subject* (unchanged) to an accepted submission; None if none were found."""
        steps: list[Any] = []
        self._start()
        subject = subject.trial()
        self._listen(subject)
        for _ in range(_MOST_ATTEMPTS):
            found = self._filled(subject)
            if found is None:
                return None
            subject, more = found
            steps += more
            pressed = False
            for button in self._buttons():
                tried = subject.trial()
                sending = [tree.Submit(tree.WordToken(self.panel) if self.panel else None, button), self.settle]
                if all(take_step(tried, step, 1) is None for step in sending):
                    if tried.look(_OUTCOME, "is", "accepted"):
                        self.served.update(self.mended)
                        return [*steps, *sending]
                    take_step(tried, _A_WHILE, 1)  # a second press at the same instant would be none
                    self._listen(tried)
                    subject, steps, pressed = tried, [*steps, *sending, _A_WHILE], True
                    break
            if not pressed:
                changed = self._pressable(subject)
                if changed is None:
                    return None
                subject, steps = changed[0], [*steps, changed[1]]
        return None

    def _pressable(self, subject: SimulatedForm) -> tuple[SimulatedForm, Any] | None:
        """One step after which a button takes a press and nothing is wrong: a form may want to be changed before it can be sent."""
        for field in walk(self.model.fields):
            for at in instances(subject, field.path) if field.kind not in ("group", "rows", "hidden") else ():
                for step in self.entering(subject, field, at):
                    tried = subject.trial()
                    self.tries += 1
                    if self.tries > _MOST_TRIES:
                        return None
                    if take_step(tried, step, 1) is None and not self._trouble(tried) and self._takes_a_press(tried):
                        return tried, step
        return None

    def _takes_a_press(self, subject: SimulatedForm) -> bool:
        sending = (tree.Submit(tree.WordToken(self.panel) if self.panel else None, button) for button in self._buttons())
        return any(take_step(subject.trial(), step, 1) is None for step in sending)

    def _buttons(self) -> list[str | None]:
        return [None, *(button.name for button in self.model.buttons if not button.past_checks)]

    def _filled(self, subject: SimulatedForm) -> Way | None:
        """Return *subject* with every problem fixed, and the steps; None if a problem remains."""
        steps: list[Any] = []
        for _ in range(_MOST_ROUNDS):
            trouble = self._trouble(subject)
            if not trouble:
                return subject, steps
            found = self._better(subject, trouble)
            if found is None and all(what == ("said",) for _, what in trouble):
                return subject, steps  # the server may think otherwise the next time
            if found is None:
                return None
            subject, more = found
            steps += more
        return None

    def _trouble(self, subject: SimulatedForm) -> list[tuple[str, tuple[str, ...]]]:
        """Return the addresses with problems, including the server's complaints."""
        live = subject.session.live
        wrong = [each for each in trouble_inside(live.roots_by_panel[self.panel]) if each[1] not in (("unasked",), ("asking",))]
        said = [cell.address() for cell, value in server_says(live) if (cell.address(), value) in self.rejected]
        return [*wrong, *((name, ("said",)) for name in said if all(name != each for each, _ in wrong))]

    def _listen(self, subject: SimulatedForm) -> None:
        """Note which values the server complains of: as long as a field has one of them nothing can be sent."""
        for cell, value in server_says(subject.session.live):
            if (cell.address(), value) not in self.rejected:
                self.rejected.append((cell.address(), value))

    def _better(self, subject: SimulatedForm, trouble: list[tuple[str, tuple[str, ...]]]) -> Way | None:
        """Return a step that leaves fewer problems, or else different ones than before."""
        before = len(trouble)
        self.seen.add(frozenset(trouble))
        sideways: Way | None = None
        for address, _ in trouble[:8]:
            for step in self._mending(subject, address):
                if isinstance(step, tree.FillLine) and (address, step.value) in self.rejected:
                    continue
                self.tries += 1
                if self.tries > _MOST_TRIES:
                    return None
                tried = subject.trial()
                if take_step(tried, step, 1) is not None:
                    continue
                settled = self._settled(tried)
                if settled is None:
                    continue
                left = self._trouble(settled)
                if len(left) < before:
                    self.mended[address] = step
                    at_once = settled is tried or len(self._trouble(tried)) < before
                    return (tried, [step]) if at_once else (settled, [step, self.settle])
                if sideways is None and len(left) == before and frozenset(left) not in self.seen:
                    sideways = (settled, [step] if settled is tried else [step, self.settle])
        return sideways

    def _settled(self, subject: SimulatedForm) -> SimulatedForm | None:
        """Return *subject* once nothing is pending; None if that takes too long."""
        if not subject.look(UNDER_WAY, "is"):
            return subject
        settled = subject.trial()
        return settled if take_step(settled, self.settle, 1) is None else None

    # candidate values
    def _mending(self, subject: SimulatedForm, address: str) -> Iterator[Any]:
        """Yield steps that may fix the problem at *address*: the field, its parts, and what its rules read."""
        segments = self._segments(address)
        path = tuple("*" if isinstance(each, int) else str(each) for each in segments)
        field = self.form.find(path) if path else None
        rows = [tree.Remove(Address(segments[: n + 1])) for n, each in enumerate(segments) if isinstance(each, int)]
        if address in self.served:
            yield self.served[address]
        if sum(name == address for name, _ in self.rejected) > 1:
            yield from rows  # another value did not help
        if field is not None and field.kind not in ("group", "rows") and (not path or path[-1] != "*"):
            yield from self.entering(subject, field, segments)
        reads = [r for each in self._rules(path) for r in each]
        if field is not None and field.kind == "rows":
            yield from self._rows(subject, field, segments)
        yield from rows
        for target in dict.fromkeys(reads):
            other = self.form.find(target)
            if other is None or target == path:
                continue
            for at in instances(subject, target):
                if other.kind == "rows":
                    yield from self._rows(subject, other, at)
                elif other.kind != "group":
                    yield from self.entering(subject, other, at)

    def _segments(self, address: str) -> Segments:
        """The segments of *address* (a page's controls go by their names)."""
        native = next((f.path for f in walk(self.form.fields) if f.native is not None and f.address == address), None)
        return native if native is not None else tuple(parse_address(address) or ())

    def _rules(self, path: tuple[str, ...]) -> Iterator[list[tuple[str, ...]]]:
        """Yield the addresses that the rules at *path* read."""
        owners: list[tuple[Field | None, Rule]] = [(None, rule) for one in (self.form, *self.form.panels) for rule in one.rules]
        owners += [(f, rule) for one in (self.form, *self.form.panels) for f in walk(one.fields) for rule in f.rules]
        for owner, rule in owners:
            carrier = rule.at if rule.at is not None else owner.path if owner is not None else ()
            if carrier != path:
                continue
            read = [owner.path] if owner is not None else []
            for each in (rule.when, *(kind.parameter for kind in rule.kinds)):
                read += [r.target for r in each.reads if r.target] if isinstance(each, Expression) else []
            yield read

    def entering(self, subject: SimulatedForm, field: Field, at: Segments) -> Iterator[Any]:
        """Steps that enter something into *field*, the likeliest first."""
        address = Address(at)
        known = [kind.parameter for rule in field.rules for kind in rule.kinds if kind.name == "lookup"]
        values: list[Any] = [v for name in known if name in self.form.lookups for v in (self.form.lookups[name].accept or ())][:4]
        for kind in (kind for rule in field.rules for kind in rule.kinds if kind.name == "repeats"):
            values += [v for t in _targets(kind.parameter) for a in instances(subject, t) if (v := _value(subject, a)) not in (None, "")]
        for value in (*values, *candidates(field)[:8]):
            yield tree.FillLine(address, value)
        for text in (*_others(field), *_days_from(field, subject.session.live.now)):
            yield tree.FillLine(address, text)
        offered = subject.look(Noun("address", address), "offers") if field.options is not None else None
        if isinstance(offered, list) and not options_of(field):
            yield from (tree.FillLine(address, [each] if field.many else each) for each in offered[:4])
        if field.kind == "checkbox" and not field.many:
            yield tree.Turn(address, False)
        elif field.kind not in ("radio", "select") or field.many:
            yield tree.FillLine(address, [] if field.many or field.kind == "file" else "")

    def _rows(self, subject: SimulatedForm, field: Field, at: Segments) -> Iterator[Any]:
        count = subject.look(Noun("address", Address(at)), "rows")
        yield tree.Add(Address(at))
        if isinstance(count, int) and count:
            yield tree.Remove(Address((*at, count - 1)))
            for row in range(count):
                for each in field.fields:
                    if each.kind not in ("group", "rows"):
                        yield from self.entering(subject, each, (*at, row, each.name))


def _in_reach(subject: SimulatedForm, at: Segments) -> bool:
    """Return whether a person can put the focus into the field at *at*."""
    return take_step(subject.trial(), tree.Focus(Address(at)), 1) is None


def settling(form: Form) -> tree.Settle:
    """The step that waits until nothing is under way in *form*."""
    times = [one.server.takes for one in (form, *form.panels)] + [reply.takes or 0 for reply in form.server.replies]
    times += [2 * each.takes + 1000 for each in form.lookups.values()]
    return tree.Settle(None if sum(times) < _SOON else _ENOUGH)


def _targets(parameter: Any) -> list[tuple[str, ...]]:
    return [r.target for r in parameter.reads if r.target] if isinstance(parameter, Expression) else []


def _value(subject: SimulatedForm, at: Segments) -> Any:
    return subject.look(Noun("address", Address(at)), "value")


def _others(field: Field) -> list[Any]:
    """More of the same, each unlike the others: for values that must differ from row to row, or be large."""
    pattern = parameter(field, "pattern")
    if pattern is not None and field.kind in TEXT_KINDS:
        made = matching(str(pattern))[:2]
        return [re.sub(r"[0-9]", lambda digit: str((int(digit[0]) + by) % 10), text) for by in (1, 4, 7) for text in made]  # noqa: B023
    if field.kind in ("text", "search", "textarea"):
        return ["Mara", "Ivo", "Una", "Ole Lind", "Siv Lind", "Tor"]
    if field.kind == "number":
        return ["30", "7", "1", "100", "0"]
    return []


def beside(field: Field, texts: list[str]) -> Iterator[str]:
    """Yield the whole numbers next to *texts*, if *field* is one of numbers."""
    for number in (decimal_of(text) for text in texts if field.kind == "number"):
        yield from (str(number + by) for by in (1, -1)) if number is not None else ()


def _days_from(field: Field, now: int) -> list[str]:
    """Dates about the instant *now*."""
    if field.kind not in ("date", "datetime-local", "month"):
        return []
    day = 86_400_000
    texts = (date_text("date", now - now % day + days * day) for days in (0, 1, 7, 30, -1, -30, -7300))
    return [text[:7] if field.kind == "month" else text if field.kind == "date" else f"{text}T12:00" for text in texts]


def instances(subject: Any, path: tuple[str, ...]) -> list[Segments]:
    """Return the current addresses of the schema path *path*."""
    found: list[Segments] = [()]
    for step in path:
        if step != "*":
            found = [(*each, step) for each in found]
            continue
        counts = [(each, subject.look(Noun("address", Address(each)), "rows")) for each in found]
        found = [(*each, n) for each, count in counts if isinstance(count, int) for n in range(count)]
    return found
