"""The faults that can be planted in a form: the name, the bug that a user would meet, and the change of the model.

Each changes the immutable model. Faults that a sheet cannot express otherwise are known faults of the engine (`model.faults`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from ...forms.expressions.bind import Scope, bind
from ...forms.expressions.tree import FALSE, TRUE, Expression, Unary
from ...forms.model.faults import KnownFaults
from ...forms.model.form import TEXT_KINDS, Field, Form, Kind, Message, Path, Rule, walk, written_path
from ...forms.model.graph import Graph
from ...forms.values.patterns import PatternError, whole_match
from ...forms.values.whatwg import DATE_KINDS
from ...records import NamedTuple
from ..samples import measured, step_size, written_value

MOMENTS = ("load", "change", "blur", "submit")
_CLASS = re.compile(r"\\[dw]|\[[^\]\\^]*\]")
_OTHER_FLAG = {"tooShort": "tooLong", "tooLong": "tooShort", "rangeUnderflow": "rangeOverflow", "rangeOverflow": "rangeUnderflow"}
Change = Callable[[Form], Form]


class PlantedFault(NamedTuple):
    """One fault. *path* is the field it affects (() for the form), *rule* the name of the rule, *line* its line in the sheet.

    *sentence* describes the bug as a user would meet it.
    """

    kind: str
    path: Path
    address: str
    rule: str
    line: int
    sentence: str
    change: Change
    condition: Expression | None = None  # the condition it alters
    at_rule: tuple[int, str] | None = None  # the line and kind of the rule it alters

    def planted(self, form: Form) -> Form:
        """*form* with this fault in it."""
        changed = self.change(form)
        return changed._replace(graph=Graph(changed))


def faults_of(form: Form) -> list[PlantedFault]:
    """Every fault that can be planted in *form*, in the order of its parts."""
    return list(_FaultPlanter(form).all())


class _FaultPlanter:
    def __init__(self, form: Form) -> None:
        self.form = form
        self.says = [rule.say for rule in self._rules() if rule.say is not None]

    def _rules(self) -> Iterator[Rule]:
        for one in (self.form, *self.form.panels):
            yield from one.rules
            for field in walk(one.fields):
                yield from field.rules

    def all(self) -> Iterator[PlantedFault]:
        for one in (self.form, *self.form.panels):
            for field in walk(one.fields):
                for number, rule in enumerate(field.rules):
                    yield from self._rule(rule, field, self._in_field(field.path, number))
                yield from self._field(field)
            base: Path = (one.panel,) if one.panel else ()
            for number, rule in enumerate(one.rules):
                yield from self._rule(rule, None, self._in_form(one.panel, number), base)
            yield from self._form(one, base)
        yield from self._whole()

    # addresses
    def _in_field(self, path: Path, number: int) -> Callable[[Callable[[Rule], Rule | None]], Change]:
        def place(change: Callable[[Rule], Rule | None]) -> Change:
            return _with_field(path, lambda field: field._replace(rules=_with_rule(field.rules, number, change)))

        return place

    def _in_form(self, panel: str, number: int) -> Callable[[Callable[[Rule], Rule | None]], Change]:
        def place(change: Callable[[Rule], Rule | None]) -> Change:
            return _with_form(panel, lambda form: form._replace(rules=_with_rule(form.rules, number, change)))

        return place

    # rules
    def _rule(self, rule: Rule, field: Field | None, place: Any, base: Path = ()) -> Iterator[PlantedFault]:
        owner = field.path if field is not None else base
        path = rule.at if rule.at is not None else owner
        address = self._address(path)

        def fault(kind: str, name: str, sentence: str, change: Callable[[Rule], Rule | None]) -> PlantedFault:
            only = (rule.line, rule.kinds[0].name) if len(rule.kinds) == 1 and rule.line else None
            return PlantedFault(kind, path, address, name, rule.line, sentence, place(change), None, only)

        for kind in rule.kinds:
            name = rule.id or kind.name
            yield fault("rule-dropped", name, f"the rule {name} of {address or 'the form'} is dropped", _without(kind))
            yield from self._parameters(fault, kind, field, address)
            if kind.flag != "customError":
                other = _OTHER_FLAG.get(kind.flag, "customError")
                changed = _with_kind(kind, kind._replace(flag=other))
                yield fault("other-flag", name, f"{name} of {address} reports {other}", changed)
            if kind.name == "lookup":
                yield from self._lookup(fault, rule, kind, address)
        yield from self._message(fault, rule, address)
        name = rule.id or rule.kinds[0].name
        if rule.when is not None:
            said = f"{name} of {address or 'the form'} applies even if its condition is false"
            yield fault("when-dropped", name, said, lambda r: r._replace(when=None))
            where = f"the condition of {name} of {address or 'the form'}"
            put = lambda e: place(lambda r: r._replace(when=e))  # noqa: E731
            yield from self._condition("when", rule.when, path, address, rule.line, put, name, where)
        if rule.at is not None:
            said = f"the message of {name} is not shown at {address}"
            yield fault("at-moved", name, said, lambda r: r._replace(at=None, at_index=()))

    def _parameters(self, fault: Any, kind: Kind, field: Field | None, address: str) -> Iterator[PlantedFault]:
        value = kind.parameter
        for by, word in ((-1, "lower"), (1, "higher")):
            changed: Any = None
            if isinstance(value, int) and not isinstance(value, bool) and kind.name in ("min", "max", "minlength", "maxlength"):
                changed = value + by
                if kind.name.endswith("length") and changed < 0:
                    continue
            elif field is not None and isinstance(value, str) and kind.name in ("min", "max") and field.kind in DATE_KINDS:
                number = measured(field, value)
                changed = written_value(field, number + by * step_size(field)) if number is not None else None
            if changed is not None:
                said = f"{address} accepts {_range(field, kind.name, changed)}, not {_range(field, kind.name, value)}"
                yield fault(f"bound-{word}", kind.name, said, _with_kind(kind, kind._replace(parameter=changed)))
        if kind.name == "pattern" and isinstance(value, str):
            said = f"{address} accepts any text that contains a match of its pattern"
            yield fault("pattern-open", "pattern", said, _with_kind(kind, kind._replace(parameter=f"[\\s\\S]*(?:{value})[\\s\\S]*")))
            for found in _CLASS.finditer(value):
                wider = f"{value[: found.start()]}(?:{found[0]}|[0-9A-Za-z]){value[found.end() :]}"
                if _reads(wider):
                    said = f"{address} accepts letters and digits that its pattern excludes"
                    yield fault("pattern-wide", "pattern", said, _with_kind(kind, kind._replace(parameter=wider)))

    def _message(self, fault: Any, rule: Rule, address: str) -> Iterator[PlantedFault]:
        say, name = rule.say, rule.id or rule.kinds[0].name
        if say is None:
            return
        own = {kind.name for kind in rule.kinds} | {"value", "label", "row", "count"}
        other = next((each for each in self.says if each.text != say.text and each.placeholders <= own), None)
        if other is not None:
            said = f"{name} of {address or 'the form'} shows the message {other.text!r}"
            yield fault("other-message", name, said, lambda r: r._replace(say=other))
        empty = f"{name} of {address or 'the form'} shows an empty message"
        yield fault("no-message", name, empty, lambda r: r._replace(say=Message("", ("",))))

    def _lookup(self, fault: Any, rule: Rule, kind: Kind, address: str) -> Iterator[PlantedFault]:
        starts = ("change", "blur", "submit")
        at = starts.index(rule.start)
        for by, word in ((-1, "earlier"), (1, "later")):
            if 0 <= at + by < len(starts):
                start = starts[at + by]
                said = f"the lookup of {address} starts on {start}"
                yield fault(f"lookup-{word}", kind.parameter, said, lambda r, start=start: r._replace(start=start))
        if rule.debounce:
            said = f"the lookup of {address} starts without waiting {rule.debounce} ms for the next change"
            yield fault("debounce-dropped", kind.parameter, said, lambda r: r._replace(debounce=0))
            said = f"the lookup of {address} waits {rule.debounce // 2} ms for the next change, not {rule.debounce} ms"
            yield fault("debounce-halved", kind.parameter, said, lambda r: r._replace(debounce=r.debounce // 2))
        yield fault("lookup-never", kind.parameter, f"the lookup of {address} never starts", lambda r: r._replace(when=FALSE))

    # conditions
    def _condition(
        self, key: str, expression: Expression, path: Path, address: str, line: int, place: Callable[[Expression], Change], rule: str = "",
        where: str = "",
    ) -> Iterator[PlantedFault]:  # fmt: skip
        where = where or f"{key} of {address or 'the form'}"
        name = rule or key
        if expression not in (TRUE, FALSE):
            negated = expression._replace(text=f"not ({expression.text})", node=Unary("not", expression.node, 0))
            yield PlantedFault("negated", path, address, name, line, f"{where} is reversed", place(negated))
        if expression is not TRUE and not rule:  # a rule whose condition always holds is one whose condition was dropped
            yield PlantedFault("always", path, address, name, line, f"{where} is always true", place(TRUE))
        if expression is not FALSE:
            yield PlantedFault("never", path, address, name, line, f"{where} is never true", place(FALSE), expression)

    # fields
    def _field(self, field: Field) -> Iterator[PlantedFault]:
        path, address, line = field.path, field.address, field.line

        def fault(kind: str, sentence: str, **changes: Any) -> PlantedFault:
            return PlantedFault(kind, path, address, "", line, sentence, _with_field(path, lambda f: f._replace(**changes)))

        def known(kind: str, sentence: str, name: str, *, around: bool = False) -> PlantedFault:
            paths = {path} | ({path[:size] for size in range(1, len(path))} if around else set())
            return PlantedFault(kind, path, address, "", line, sentence, _with_fault(**{name: frozenset(paths)}))

        for key in ("visible", "enabled", "readonly", "add", "remove"):
            expression = getattr(field, key)
            if expression is not None:
                yield from self._condition(key, expression, path, address, line, _in_key(path, key))
        if field.kind == "rows":
            yield from self._rows(field, fault)
        if field.kind not in ("group", "rows", "hidden"):
            yield from self._control(field, fault, known)
        if field.send:
            yield fault("sent-not", f"{address} is not sent", send=False)
            yield fault("sent-renamed", f"{address} is sent under another name", send_name=f"{field.send_name or field.name}_")
        if not field.fields and field.kind != "hidden" and self._may_be_absent(path):
            yield known("hidden-sent", f"{address} is sent although it is hidden or disabled", "sends_hidden", around=True)

    def _may_be_absent(self, path: Path) -> bool:
        """Return whether the field at *path*, or something around it, has a condition that hides or disables it."""
        around = [self.form.find(path[:size]) for size in range(1, len(path) + 1) if path[size - 1] != "*"]
        return any(each is not None and (each.visible is not None or each.enabled is not None) for each in around)

    def _control(self, field: Field, fault: Any, known: Any) -> Iterator[PlantedFault]:
        address = field.address
        if field.trim and field.kind in TEXT_KINDS:
            yield fault("trim-dropped", f"white space around {address} is kept", trim=False)
        if field.case:
            yield fault("case-dropped", f"{address} does not change the case of letters", case="")
        if field.send and (field.kind in ("number", "range") or (field.kind == "checkbox" and not field.many)):
            yield known("sent-as-text", f"{address} is sent as a string", "sends_text")
        yield known("reset-forgets", f"reset does not reset {address}", "reset_forgets")
        if any(rule.at is None for rule in field.rules):
            yield known("message-stays", f"the messages of {address} never go away", "messages_stay")
        if any(_reads_others(rule, field) for rule in field.rules):
            said = f"{address} is checked again only when it changes itself, not when the field it depends on changes"
            yield known("last-edited", said, "last_edited")

    def _rows(self, field: Field, fault: Any) -> Iterator[PlantedFault]:
        address = field.address
        if field.least:
            yield fault("fewer-rows", f"{address} allows one row fewer", least=field.least - 1)
        yield fault("least-higher", f"{address} requires one row more", least=field.least + 1)
        if field.most is not None:
            yield fault("more-rows", f"{address} allows one row more", most=field.most + 1)
            yield fault("most-lower", f"{address} refuses its last allowed row", most=field.most - 1)

    # the form
    def _form(self, one: Form, base: Path) -> Iterator[PlantedFault]:
        name = one.panel

        def in_form(**changes: Any) -> Change:
            return _with_form(name, lambda form: form._replace(**changes))

        if one.submit.enabled is not None:
            place = lambda e: _with_form(name, lambda form: form._replace(submit=form.submit._replace(enabled=e)))  # noqa: E731
            yield from self._condition("submit.enabled", one.submit.enabled, base, name, 0, place)
        for number, button in enumerate(one.buttons):
            if button.enabled is not None:
                yield from self._condition(f"button {button.name}", button.enabled, base, name, 0, self._at_button(name, number))
        if not name:
            yield from self._timing(one)
        for number, reply in enumerate(one.server.replies):
            if reply.when is not None:
                yield from self._condition(f"reply {number + 1}", reply.when, base, name, 0, self._at_reply(name, number))
        if one.server.rules or any(reply.errors for reply in one.server.replies):
            yield PlantedFault("server-lost", base, name, "", 0, "the server's messages are not shown", _with_fault(server_lost=True))
            yield PlantedFault("server-stays", base, name, "", 0, "the server's messages never go away", _with_fault(server_stays=True))
            blank = in_form(after={**one.after, "rejected": _after(one, "rejected")._replace(values="blank")})
            yield PlantedFault("values-lost", base, name, "", 0, "all entries are lost when the server rejects them", blank)

    def _at_button(self, panel: str, number: int) -> Callable[[Expression], Change]:
        def place(expression: Expression) -> Change:
            def change(form: Form) -> Form:
                buttons = list(form.buttons)
                buttons[number] = buttons[number]._replace(enabled=expression)
                return form._replace(buttons=tuple(buttons))

            return _with_form(panel, change)

        return place

    def _at_reply(self, panel: str, number: int) -> Callable[[Expression], Change]:
        def place(expression: Expression) -> Change:
            def change(form: Form) -> Form:
                replies = list(form.server.replies)
                replies[number] = replies[number]._replace(when=expression)
                return form._replace(server=form.server._replace(replies=tuple(replies)))

            return _with_form(panel, change)

        return place

    def _timing(self, form: Form) -> Iterator[PlantedFault]:
        """The moments and the reveal that the form has for all its fields; then those that fields have for themselves."""
        own = [field for field in walk(form.fields) if field.report != form.report and field.kind not in ("group", "hidden")]
        for where, field in (("the form", None), *((field.address, field) for field in own)):
            report = field.report if field is not None else form.report
            for key in ("first", "again"):
                at = MOMENTS.index(getattr(report, key))
                for by, word in ((-1, "earlier"), (1, "later")):
                    if (key == "again") <= at + by < len(MOMENTS):  # nothing is reported again at load
                        now = report._replace(**{key: MOMENTS[at + by]})
                        said = f"{where} reports {'for the first time' if key == 'first' else 'again'} on {MOMENTS[at + by]}"
                        path = field.path if field is not None else ()
                        timed = _with_timing(path, "report", report, now)
                        yield PlantedFault(f"report-{word}", path, self._address(path), key, 0, said, timed)
        own = [field for field in walk(form.fields) if field.reveal.text != form.reveal.text and field.kind not in ("group", "hidden")]
        later = bind("form.attempted", Scope(form.shape), condition=True)
        for where, field in (("the form", None), *((field.address, field) for field in own)):
            reveal = field.reveal if field is not None else form.reveal
            path = field.path if field is not None else ()
            if reveal is not TRUE:
                change = _with_timing(path, "reveal", reveal, TRUE)
                yield PlantedFault("reveal-earlier", path, self._address(path), "", 0, f"{where} shows messages too early", change)
            if reveal.text not in ("form.attempted", "attempted"):
                change = _with_timing(path, "reveal", reveal, later)
                said = f"{where} shows messages only after an attempt to submit"
                yield PlantedFault("reveal-later", path, self._address(path), "", 0, said, change)

    def _whole(self) -> Iterator[PlantedFault]:
        """Faults of the form as a whole."""

        def fault(kind: str, sentence: str, **faults: Any) -> PlantedFault:
            return PlantedFault(kind, (), "", "", 0, sentence, _with_fault(**faults))

        yield fault("second-press", "a second press while the form is busy sends it again", second_press=True)
        if any(kind.name == "lookup" for rule in self._rules() for kind in rule.kinds):
            yield fault("stale-answer", "a late answer is used for a newer value", stale_answers=True)
            yield fault("no-waiting", "the form is sent while a lookup is pending", sends_while_asking=True)
        if any(field.kind == "rows" for one in (self.form, *self.form.panels) for field in walk(one.fields)):
            yield fault("rows-by-index", "the messages of a row stay at its number when rows are moved or removed", rows_by_index=True)

    def _address(self, path: Path) -> str:
        field = self.form.find(path) if path else None
        return field.address if field is not None else written_path(path)


def _range(field: Field | None, name: str, bound: Any) -> str:
    """Return the values that a rule *name* with the parameter *bound* accepts."""
    lowest = name.startswith("min")
    if name.endswith("length"):
        many = f"{bound} character{'' if bound == 1 else 's'}"
        return f"{many} and more" if lowest else f"{many} and fewer"
    if field is not None and field.kind in DATE_KINDS:
        return f"{bound} and later" if lowest else f"{bound} and earlier"
    return f"{bound} and up" if lowest else f"{bound} and below"


# changes of the model
def _in_key(path: Path, key: str) -> Callable[[Expression], Change]:
    return lambda expression: _with_field(path, lambda field: field._replace(**{key: expression}))  # type: ignore[arg-type]


def _with_field(path: Path, change: Callable[[Field], Field]) -> Change:
    def planted(form: Form) -> Form:
        if form.find(path) is None:
            return form
        for panel in form.panels:
            if path[0] == panel.panel:
                inner = panel._replace(fields=_changed(panel.fields, _names(path[1:]), change))
                return form._replace(panels=tuple(inner if each is panel else each for each in form.panels))
        return form._replace(fields=_changed(form.fields, _names(path), change))

    return planted


def _names(path: Path) -> Path:
    return tuple(name for name in path if name != "*")


def _changed(fields: tuple[Field, ...], names: Path, change: Callable[[Field], Field]) -> tuple[Field, ...]:
    def one(field: Field) -> Field:
        if field.name != names[0]:
            return field
        return change(field) if len(names) == 1 else field._replace(fields=_changed(field.fields, names[1:], change))

    return tuple(map(one, fields))


def _with_form(panel: str, change: Callable[[Form], Form]) -> Change:
    def planted(form: Form) -> Form:
        if not panel:
            return change(form)
        return form._replace(panels=tuple(change(each) if each.panel == panel else each for each in form.panels))

    return planted


def _with_fault(**faults: Any) -> Change:
    def planted(form: Form) -> Form:
        known: KnownFaults = form.faults
        return form._replace(faults=known._replace(**faults))

    return planted


def _with_timing(path: Path, name: str, before: Any, now: Any) -> Change:
    """Return the form with another *name* (report or reveal) for the field at *path*, or for every field that uses the form's."""
    if path:
        return _with_field(path, lambda field: field._replace(**{name: now}))

    def every(fields: tuple[Field, ...]) -> tuple[Field, ...]:
        changed = (field._replace(fields=every(field.fields)) for field in fields)
        return tuple(field._replace(**{name: now}) if _same(getattr(field, name), before) else field for field in changed)

    return lambda form: form._replace(fields=every(form.fields), **{name: now})


def _same(one: Any, other: Any) -> bool:
    return bool(one.text == other.text if isinstance(one, Expression) else one == other)


def _with_rule(rules: tuple[Rule, ...], number: int, change: Callable[[Rule], Rule | None]) -> tuple[Rule, ...]:
    changed = change(rules[number])
    return (*rules[:number], *(() if changed is None else (changed,)), *rules[number + 1 :])


def _without(kind: Kind) -> Callable[[Rule], Rule | None]:
    def change(rule: Rule) -> Rule | None:
        kinds = tuple(each for each in rule.kinds if each is not kind)
        return rule._replace(kinds=kinds) if kinds else None

    return change


def _with_kind(kind: Kind, now: Kind) -> Callable[[Rule], Rule | None]:
    return lambda rule: rule._replace(kinds=tuple(now if each is kind else each for each in rule.kinds))


def _after(form: Form, outcome: str) -> Any:
    from ...forms.model.form import After

    return form.after.get(outcome, After())


def _reads(pattern: str) -> bool:
    try:
        whole_match(pattern)
    except PatternError:
        return False
    return True


def _reads_others(rule: Rule, field: Field) -> bool:
    """Return whether a rule that *field* carries for itself reads anything but its value."""
    found = (rule.when, *(kind.parameter for kind in rule.kinds))
    others = any(r.target != field.path for e in found if isinstance(e, Expression) for r in e.reads if r.target)
    return rule.at is None and others
