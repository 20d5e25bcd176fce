"""Checks a script's steps and checks against a form before anything runs.

Finds unknown addresses, states, rules, panels, lookups and buttons, and steps that do not fit the kind of field. What depends
on the form's state is found during the run.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from ..forms.model.form import CHOICE_KINDS, FLAG_NAMES, FLAGS, Field, Form, Rule
from ..forms.names.addresses import AddressError, Target, locate
from ..forms.names.shapes import write_address
from ..forms.names.states import FIELD_STATES, FORM_STATES
from ..forms.values.whatwg import DATE_KINDS
from ..problems import Problem, listed, path_problem, suggestion
from . import tree
from .ops import Op, lines_of
from .tree import Address, Check, WordToken

_TYPED = frozenset({
    "text", "search", "tel", "email", "url", "password", "textarea", "number", "date", "month", "week", "time",
    "datetime-local", "color", "range",
})  # fmt: skip
_KEYED = _TYPED - {"color", "range"}
_CONTAINERS = frozenset({"group", "rows", "form"})
_OUTCOMES = ("none", "refused", "waiting", "accepted", "rejected", "lost")
_BUTTON_STATES = ("enabled", "disabled", "visible", "hidden")
_NOTICE_STATES = ("success", "error", "info", "lasting")
_FIELD_PREDICATES: dict[str, tuple[frozenset[str] | None, str]] = {
    "reads": (None, "a field that holds text"),
    "has rows": (frozenset({"rows"}), "a list of rows"),
    "allows": (frozenset({"rows"}), "a list of rows"),
    "offers": (CHOICE_KINDS | {"checkbox"}, "a choice"),
    "offers all": (CHOICE_KINDS | {"checkbox"}, "a choice"),
    "has options": (CHOICE_KINDS | {"checkbox"}, "a choice"),
}


def check_ops(ops: Iterable[Op], form: Form) -> list[Problem]:
    """Yield everything in *ops* that does not fit *form*, once each, however often its routine or table row is used."""
    checker = _Checker(form)
    for op in ops:
        checker.op(op)
    first: dict[tuple[Any, str], Problem] = {}
    for problem in checker.problems:
        first.setdefault((problem.place, problem.cause), problem)
    return list(first.values())


class _Checker:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.panels = [p.shape for p in form.panels]
        self.problems: list[Problem] = []
        self.rules = rule_names(form)
        self._fitting: set[int] = set()

    def op(self, op: Op) -> None:
        if id(op.act) in self._fitting:  # equal lines share their act
            return
        told = len(self.problems)
        self.step(op, op.act)
        if len(self.problems) == told:
            self._fitting.add(id(op.act))

    def step(self, op: Op, act: Any) -> None:
        """Check a step; *act* is the step of *op*, or the one that `cannot` refers to."""
        check = _STEPS.get(type(act))
        if check is not None:
            check(self, op, act)

    def report(self, op: Op, offset: int, length: int, cause: str, remedy: str = "") -> None:
        """*offset* is from the beginning of the step or check on."""
        lines = lines_of(op.source)
        place = lines.place(op.source.file, op.offset + offset, length)
        self.problems.append(Problem(place, cause, remedy, lines.line(place.line), op.calls))

    # addresses
    def locate(self, op: Op, address: Address) -> Target | None:
        try:
            return locate(self.form.shape, address.segments, self.panels)  # type: ignore[arg-type]
        except AddressError as fault:
            self.report(op, address.offset, address.length, fault.cause, self._without_form(address) or self._of_url(fault.remedy))
            return None

    def _of_url(self, remedy: str) -> str:
        """*remedy*, and what helps where there is only a page at a URL, which was read once."""
        if "://" not in self.form.file:
            return remedy
        later = f"a field that comes later needs a sheet: idlefox scaffold {self.form.file}"
        return f"{remedy}; {later}" if remedy else later

    def _without_form(self, address: Address) -> str:
        """The remedy where an address begins with `form.`, as in an expression of a sheet."""
        if address.segments[0] != "form" or len(address.segments) < 2:
            return ""
        name = write_address(address.segments[1:])
        try:
            locate(self.form.shape, address.segments[1:], self.panels)  # type: ignore[arg-type]
        except AddressError:
            state = f"; a state of it: expect form is {name}" if name in FORM_STATES else ""
            return f"write the address without `form.`: idlefox outline {self.form.file or 'FORM'} lists the fields{state}"
        return f"write the address without `form.`: {name}"

    def kind(self, op: Op, address: Address, verb: str, kinds: frozenset[str], what: str) -> Target | None:
        """The target of *address*, which must be one of *kinds*."""
        target = self.locate(op, address)
        if target is None:
            return None
        if target.row or target.shape.kind not in kinds:
            self.wrong_kind(op, address, target, verb, what)
            return None
        return target

    def wrong_kind(self, op: Op, address: Address, target: Target, verb: str, what: str) -> None:
        found = "a row" if target.row else _called(target.shape.kind)
        remedy = _REMEDIES.get("row" if target.row else target.shape.kind, "")
        self.report(op, address.offset, address.length, f"{verb} needs {what}; {write_address(address.segments)} is {found}", remedy)

    def typed(self, op: Op, address: Address, verb: str) -> None:
        self.kind(op, address, verb, _KEYED, "a field that takes text")

    def control(self, op: Op, address: Address, verb: str) -> Target | None:
        target = self.locate(op, address)
        if target is not None and (target.row or target.shape.kind in _CONTAINERS or target.shape.kind == "hidden"):
            self.wrong_kind(op, address, target, verb, "a control")
            return None
        return target

    def focus(self, op: Op, act: tree.Focus) -> None:
        self.control(op, act.address, "focus")

    def blur(self, op: Op, act: tree.Blur) -> None:
        if act.address is not None:
            self.control(op, act.address, "blur")

    def checkbox(self, op: Op, address: Address, verb: str) -> None:
        target = self.kind(op, address, verb, frozenset({"checkbox"}), "a checkbox")
        if target is not None and target.shape.many:
            cause = f"{verb} needs one checkbox; {write_address(address.segments)} is a group of them"
            self.report(op, address.offset, address.length, cause, "use pick with also or except")

    def press(self, op: Op, act: tree.Press) -> None:
        if act.address is not None:
            self.control(op, act.address, "press")

    def one_value(self, op: Op, act: tree.Set) -> None:
        self.kind(op, act.address, "set", _TYPED, "a field that holds one value")

    def pick(self, op: Op, act: tree.Pick) -> None:
        target = self.kind(op, act.address, "pick", CHOICE_KINDS | {"checkbox"}, "a choice")
        if target is None:
            return
        name = write_address(act.address.segments)
        if target.shape.kind == "checkbox" and not target.shape.many:
            self.report(op, act.address.offset, act.address.length, f"pick needs a choice; {name} is one checkbox", "use turn … on or off")
        elif not target.shape.many and not act.values:
            cause = f"{name} is a single choice, so its option cannot be taken back"
            self.report(op, act.address.offset, act.address.length, cause, "pick another value")
        elif not target.shape.many and (act.mode or len(act.values) > 1):
            what = f"pick … {act.mode}" if act.mode else "several values"
            self.report(op, act.address.offset, act.address.length, f"{name} is a single choice; it does not take {what}", "pick one value")

    def fill(self, op: Op, line: tree.FillLine) -> None:
        target = self.locate(op, line.address)
        self.no_pattern(op, line.value)
        if target is not None and target.shape.kind == "hidden":
            self.wrong_kind(op, line.address, target, "fill", "a control")

    def add(self, op: Op, act: tree.Add) -> None:
        self.rows(op, act.address, "add", row=False)
        self.no_pattern(op, act.value)

    def no_pattern(self, op: Op, value: Any) -> None:
        """A pattern is an expectation; it cannot be typed."""
        if isinstance(value, tree.Like | tree.Anything):
            self.report(op, 0, op.length, "a pattern cannot be entered", "use any and like in checks only")
        elif isinstance(value, dict | list):
            for each in value.values() if isinstance(value, dict) else value:
                self.no_pattern(op, each)

    def rows(self, op: Op, address: Address, verb: str, *, row: bool) -> None:
        target = self.locate(op, address)
        if target is None:
            return
        if target.shape.kind != "rows" or target.row is not row:
            what = "one row, for example passengers[0]" if row else "a list of rows"
            self.wrong_kind(op, address, target, verb, what)

    # names
    def panel(self, op: Op, word: WordToken) -> None:
        known = [p.panel for p in self.form.panels]
        if word.text not in known:
            remedy = suggestion(word.text, known, f"the panels are {listed(known)}" if known else "the form has no panels")
            self.report(op, word.offset, len(word.text), f"unknown panel {word.text!r}", remedy)

    def submit(self, op: Op, act: tree.Submit) -> None:
        form = self.form
        if act.panel is not None:
            self.panel(op, act.panel)
            form = next((p for p in form.panels if p.panel == act.panel.text), form)
        if act.button is not None:
            self.button(op, act.button, form, 0, op.length)

    def button(self, op: Op, name: str, form: Form, offset: int, length: int) -> None:
        if form.page is not None:
            self.page_button(op, name, form.page, offset, length)
            return
        known = [b.name for b in form.buttons]
        if name not in known:
            remedy = suggestion(name, known, f"the buttons are {listed(known)}" if known else "the form has only its submit button")
            self.report(op, offset, length, f"unknown button {name!r}", remedy)

    def page_button(self, op: Op, name: str, page: Any, offset: int, length: int) -> None:
        """A button of a page is named by its name, by ``#id`` or by its text."""
        found = page.called(name)
        submits = [b for b in page.buttons if b.kind in ("submit", "image")]
        if not found:
            known = [w for b in submits for w in (b.text, *b.known) if w]
            others = [b for b in page.buttons if name in (b.text, *b.known)]
            remedy = suggestion(name, known, f"the page's buttons are {listed(dict.fromkeys(known))}" if known else "the form has none")
            cause = f"{name!r} is a {others[0].kind} button, which does not submit" if others else f"unknown button {name!r}"
            self.report(op, offset, length, cause, remedy)
        elif len(found) > 1:
            names = listed(dict.fromkeys(next((k for k in b.known if k.startswith("#")), b.text) for b in found))
            self.report(op, offset, length, f"{len(found)} buttons are called {name!r}", f"name one by its id or text: {names}")

    def upload(self, op: Op, act: tree.Upload) -> None:
        self.kind(op, act.address, "upload", frozenset({"file"}), "a file field")
        for file in act.files:
            odd = path_problem(file.name)
            if odd:
                self.report(op, 0, op.length, f"this is not a file name: {odd}", "give the file another name")

    def answer(self, op: Op, act: tree.Answer) -> None:
        if act.lookup is not None and act.lookup.text not in self.form.lookups:
            name, known = act.lookup.text, [*self.form.lookups, "submit"]
            remedy = suggestion(name, known, f"possible are {listed(known)}")
            self.report(op, act.lookup.offset, len(name), f"unknown lookup {name!r}", remedy)
        if act.lookup is None and act.value is not None and not isinstance(act.value, dict):
            self.report(op, 0, op.length, "a server's reply must be an object", 'for example {"errors": {"email": "Taken."}}')
        elif act.lookup is None and isinstance(act.value, dict):
            for key in act.value:
                if key not in ("errors", "to", "notice", "record"):
                    remedy = suggestion(key, ("errors", "to", "notice", "record"), "a reply can have errors, to, notice and record")
                    self.report(op, 0, op.length, f"unknown key {key!r} in a reply", remedy)
            for cause, remedy in _wrong_in_reply(act.value):
                self.report(op, 0, op.length, cause, remedy)

    # checks
    def check(self, op: Op, check: Check) -> None:
        noun = check.noun
        if noun.kind == "address":
            assert noun.address is not None
            self.field_check(op, check, noun.address)
        elif noun.kind == "button":
            self.button(op, noun.name, self.form, noun.offset, noun.length)
            self.words(op, check, _BUTTON_STATES, "a state of a button")
        elif noun.kind in ("dirty", "touched", "focus"):
            for address in check.arguments:
                self.locate(op, address)
        elif check.predicate == "is":
            known, what = self._words_of(noun.kind)
            self.words(op, check, known, what)
        elif check.predicate in ("breaks", "breaks only"):
            self.rule_words(op, check, self.rules.get((), set()), "the form")

    def _words_of(self, noun: str) -> tuple[Iterable[str], str]:
        views = ["editing", "waiting", "done", *self.form.views, *(a.view for a in self.form.after.values() if a.view)]
        return {
            "form": (FORM_STATES, "a state of a form"),
            "submit": (_BUTTON_STATES, "a state of a button"),
            "outcome": (_OUTCOMES, "an outcome"),
            "notice": (_NOTICE_STATES, "a kind of notice"),
            "view": (list(dict.fromkeys(views)), "a view of this form"),
        }[noun]

    def words(self, op: Op, check: Check, known: Iterable[str], what: str) -> None:
        known = list(known)
        for given in check.arguments:
            word = given.word if isinstance(given, tree.Not) else given
            if word.text not in known:
                remedy = suggestion(word.text, known, f"possible are {listed(known, 'and', 40)}")
                if check.noun.kind == "outcome" and word.text in ("done", "editing"):
                    remedy = f"that is a view (expect view is {word.text}); outcomes are {listed(known, 'and')}"
                self.report(op, word.offset, len(word.text), f"{word.text!r} is not {what}", remedy)

    def field_check(self, op: Op, check: Check, address: Address) -> None:
        target = self.locate(op, address)
        if target is None:
            return
        name = write_address(address.segments)
        kind = "row" if target.row else target.shape.kind
        if check.predicate in _FIELD_PREDICATES:
            kinds, what = _FIELD_PREDICATES[check.predicate]
            wrong = kind in (*_CONTAINERS, "row") if kinds is None else kind not in kinds
            if wrong and self.form.page is not None and check.predicate.startswith("offers"):
                wrong = not self._suggests(target)  # a datalist is on offer
            wrong = wrong or (check.predicate.startswith(("offers", "has options")) and kind == "checkbox" and not target.shape.many)
            if wrong:
                self.wrong_kind(op, address, target, check.predicate.split()[0], what)
        elif check.predicate == "is":
            known = list(FORM_STATES if kind == "form" else FIELD_STATES)
            if kind != "checkbox" or target.shape.many:
                known = [k for k in known if k not in ("on", "off")]
            self.words(op, check, known, "a state of a form" if kind == "form" else f"a state of {_called(kind)}")
        elif check.predicate in ("breaks", "breaks only"):
            self.rule_words(op, check, self.rules.get(target.path, set()), name)

    def _suggests(self, target: Target) -> bool:
        field = self.form.find(target.path)
        return field is not None and field.native is not None and bool(field.native.suggests)

    def rule_words(self, op: Op, check: Check, known: set[str], name: str) -> None:
        for word in check.arguments:
            if word.text not in known and word.text not in FLAG_NAMES:
                there = sorted(known)
                remedy = suggestion(word.text, [*there, *FLAG_NAMES], f"its rules are {listed(there)}" if there else f"{name} has no rules")
                self.report(op, word.offset, len(word.text), f"{name} has no rule {word.text!r}", remedy)


_STEPS: dict[type, Callable[[_Checker, Op, Any], None]] = {
    tree.Type: lambda c, op, a: c.typed(op, a.address, "type"),
    tree.Retype: lambda c, op, a: c.typed(op, a.address, "retype"),
    tree.Paste: lambda c, op, a: c.typed(op, a.address, "paste"),
    tree.Erase: lambda c, op, a: c.typed(op, a.address, "erase"),
    tree.Clear: lambda c, op, a: c.typed(op, a.address, "clear"),
    tree.Toggle: lambda c, op, a: c.checkbox(op, a.address, "toggle"),
    tree.Focus: _Checker.focus,
    tree.Blur: _Checker.blur,
    tree.Set: _Checker.one_value,
    tree.Pick: _Checker.pick,
    tree.Turn: lambda c, op, a: c.checkbox(op, a.address, "turn"),
    tree.Upload: _Checker.upload,
    tree.Press: _Checker.press,
    tree.FillLine: _Checker.fill,
    tree.Add: _Checker.add,
    tree.Remove: lambda c, op, a: c.rows(op, a.address, "remove", row=True),
    tree.Move: lambda c, op, a: c.rows(op, a.address, "move", row=True),
    tree.Open: lambda c, op, a: c.panel(op, a.panel),
    tree.Close: lambda c, op, a: c.panel(op, a.panel),
    tree.Submit: _Checker.submit,
    tree.Answer: _Checker.answer,
    Check: _Checker.check,
    tree.Cannot: lambda c, op, a: c.step(op, a.step),
}


def _wrong_in_reply(reply: dict[str, Any]) -> Iterator[tuple[str, str]]:
    """Return the part of a scripted reply that has the wrong type, and an example."""
    errors, notice = reply.get("errors", {}), reply.get("notice", "")
    texts = errors.values() if isinstance(errors, dict) else [None]
    if not all(isinstance(t, str) or (isinstance(t, list) and all(isinstance(each, str) for each in t)) for t in texts):
        yield "the errors of a reply must be messages by address", 'for example {"errors": {"email": "Taken."}}'
    if not isinstance(reply.get("to", ""), str):
        yield "`to` of a reply must be a path or URL", 'for example {"to": "/thanks"}'
    text = notice.get("text") if isinstance(notice, dict) else notice
    if not isinstance(text, str) or (isinstance(notice, dict) and not set(notice) <= {"text", "kind", "lasts"}):
        yield "the notice of a reply must be a string, or an object with text, kind and lasts", 'for example {"notice": "Thank you."}'


def _called(kind: str) -> str:
    """A kind of field as people say it."""
    if kind in ("select", "radio", "checkbox", "group", "row", "textarea"):
        return f"a {kind}"
    return "a list of rows" if kind == "rows" else f"{'an' if kind[:1] in 'aeiou' else 'a'} {kind} field"


_REMEDIES = {
    "group": "name a field in it",
    "rows": "name a row, for example passengers[0], or a field in it",
    "row": "name a field of the row",
    "checkbox": "use turn … on or off, or pick in a group",
    "select": "use pick",
    "radio": "use pick",
    "file": "use upload",
    "color": "use set",
    "range": "use set",
    "hidden": "a hidden field cannot be changed by a person",
    **dict.fromkeys(("text", "email", "number", *DATE_KINDS), "use type, retype or set"),
}


def rule_names(form: Form) -> dict[tuple[str, ...], set[str]]:
    """Return the names of the rules at each schema path: flags, kinds, ids."""
    found: dict[tuple[str, ...], set[str]] = {}
    for one in (form, *form.panels):
        _add_names(found, (one.panel,) if one.panel else (), one.rules)
        for field in one.walk():
            _add_names(found, field.path, field.rules)
            found.setdefault(field.path, set()).update(_names_of_kind(field))
    return found


def _add_names(found: dict[tuple[str, ...], set[str]], path: tuple[str, ...], rules: tuple[Rule, ...]) -> None:
    for rule in rules:
        names = found.setdefault(rule.at if rule.at is not None else path, set())
        for kind in rule.kinds:
            names.update((kind.name, kind.flag))
        if rule.id:
            names.add(rule.id)


def _names_of_kind(field: Field) -> set[str]:
    """The rules that a field has by its kind alone."""
    names: set[str] = set()
    if field.kind in ("email", "url"):
        names.update((field.kind, FLAGS[field.kind]))
    if field.kind == "number" or field.kind in DATE_KINDS:
        names.add("badInput")
    if field.options is not None:
        names.add("among")
    return names
