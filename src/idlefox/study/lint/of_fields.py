"""Lint of a sheet's fields, from their rules and conditions alone."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ...engine.plan.controls import range_bounds
from ...forms.expressions.tree import TRUE, Expression
from ...forms.model.form import CHOICE_KINDS, TEXT_KINDS, Field, Form, Kind, OptionsFrom, Path, Rule, walk
from .conditions import can_hold, can_hold_without_rows
from .findings import Finding
from .sheet_places import Places, SheetPlaces
from .slow_patterns import wide
from .values import breaks, is_number

_LOW_HIGH = (("minlength", "maxlength"), ("min", "max"))
_ANY_WORD = re.compile(r"\w+")
_WORD = re.compile(r"[^\W\d_]{3,}")


def field_findings(form: Form, one: Form, at: SheetPlaces) -> Iterator[Finding]:
    """Yield findings about the fields of *one*: *form*, or one of its panels."""
    fields = Fields(form, one, at)
    for field in walk(one.fields):
        written = [rule for rule in field.rules if rule.line and not rule.native]
        yield from fields.silent(field, written)
        yield from fields.borrowed(field, written)
        yield from fields.contradiction(field, written)
        yield from fields.never_breaks(field, written)
        yield from fields.patterns(written)
        yield from fields.unseen(field, written)
        yield from fields.dead_end(field, written)


class Fields:
    """The fields of *one*: *form* itself, or one of its panels."""

    def __init__(self, form: Form, one: Form, at: Places) -> None:
        self.form, self.one, self.at = form, one, at
        self.labels: dict[str, list[Field]] = {}  # by the first word of each
        for field in walk(one.fields):
            if (first := _ANY_WORD.search(field.label)) is not None and _WORD.search(field.label):
                self.labels.setdefault(first[0], []).append(field)
        self.given = {each.gives.to for each in form.panels if each.gives is not None}

    # messages
    def silent(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Rules without a message."""
        for rule in rules:
            kinds = [kind.name for kind in rule.kinds]
            if field.kind == "range" and set(kinds) <= {"min", "max", "step"}:
                continue  # they say where the slider ends, and are never broken
            if rule.say is None and not any(name in self.form.texts for name in kinds) and "python" not in kinds:
                help_ = 'add a message that tells a person what to do: say: "…"'
                yield self.at.rule("silent-rule", rule, f"{' and '.join(kinds)} of {field.address} has no message", help_)
        said: dict[str, Rule] = {}
        for rule in rules:
            if rule.say is None:
                continue
            before = said.setdefault(rule.say.text, rule)
            if before is not rule:
                message = f"{field.address} has the same message for {before.kinds[0].name} and {rule.kinds[0].name}"
                yield self.at.rule("same-message", rule, message, "give each rule its own message")

    def borrowed(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Messages with the label of another field, but not their own, whose rule reads nothing else."""
        for rule in rules:
            if rule.say is None or rule.at is not None or "label" in rule.say.placeholders or _reads(rule, field):
                continue
            text = rule.say.text
            own = {word.lower() for word in _WORD.findall(f"{field.label} {field.name}")}
            if own & {word.lower() for word in _WORD.findall(text)}:
                continue
            other = next((each for each in self._named(text) if each is not field and not _related(each.path, field.path)), None)
            if other is not None:
                message = f"the message of {field.address} names {other.label!r}, which is {other.address}"
                yield self.at.rule("borrowed-message", rule, message, f"name {field.label!r} instead", "say")

    def _named(self, text: str) -> Iterator[Field]:
        """Return the fields whose labels appear in *text* as whole words."""
        for word in _ANY_WORD.finditer(text):
            for field in self.labels.get(word[0], ()):
                end = word.start() + len(field.label)
                if text.startswith(field.label, word.start()) and not text[end : end + 1].isalnum():
                    yield field

    # values
    def contradiction(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Unconditional rules that no value satisfies, except the empty one if the field is optional."""
        always = [(kind, rule) for rule in rules if rule.when is None and rule.at is None and not rule.on_empty for kind in rule.kinds]
        known = {kind.name: (kind.parameter, rule) for kind, rule in always}
        none = "no value" if "required" in known else "no value except empty"
        for low, high in _LOW_HIGH:
            if low in known and high in known and field.kind != "time":
                (least, _), (most, rule) = known[low], known[high]
                if is_number(least) and is_number(most) and least > most:
                    message = f"{none} of {field.address} satisfies both {low} {least} and {high} {most}"
                    yield self.at.rule("contradiction", rule, message, "correct one of the two", high)
        if "among" not in known or field.many or not isinstance(known["among"][0], list | tuple):
            return
        among, rule = known["among"]
        others = [kind for kind, _ in always if kind.name not in ("among", "required")]
        if among and others and all(any(breaks(kind, value, field) is True for kind in others) for value in among):
            names = " and ".join(dict.fromkeys(kind.name for kind in others if any(breaks(kind, value, field) for value in among)))
            message = f"{none} of {field.address} is in its list and satisfies {names}"
            yield self.at.rule("contradiction", rule, message, "correct one of the two", "among")

    def never_breaks(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Rules that nothing the control can hold breaks."""
        if field.derive is not None or self.form.server.record is not None or field.path in self.given:
            return
        for rule in rules:
            for kind in rule.kinds:
                why = "" if rule.at is not None or rule.on_empty else why_never(field, rule, kind)
                if why:
                    shown = f"{kind.name} {kind.parameter}" if is_number(kind.parameter) else kind.name
                    message = f"no value that {field.address} can have breaks {shown}: {why}"
                    yield self.at.rule("never-breaks", rule, message, "remove it, or make it stricter", kind.name)

    def patterns(self, rules: list[Rule]) -> Iterator[Finding]:
        """Slow patterns."""
        for rule in rules:
            for kind in rule.kinds:
                if kind.name != "pattern" or not isinstance(kind.parameter, str) or (found := wide(kind.parameter)) is None:
                    continue
                grows = "doubles" if found.exponential else "grows faster than its length"
                times = f"{found.before!r}, then {found.again!r} again and again" if found.before else f"{found.again!r} again and again"
                end = f", then {found.after!r}" if found.after else ""
                message = f"this pattern can be very slow: the time {grows} on {times}{end}"
                help_ = "let each character match in one place only, or limit the length: limit: …"
                yield self.at.rule("wide-pattern", rule, message, help_, "pattern")

    # sight
    def unseen(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Yield messages that can never appear."""
        for rule in rules:
            if _names_its_type_only(rule, field):
                continue
            cause = self._why_unseen(field, rule)
            if cause:
                message = f"the message of {' and '.join(k.name for k in rule.kinds)} of {field.address} can never appear: {cause}"
                yield self.at.rule("unseen-message", rule, message, "move it with `at: ADDRESS`, or fix the condition")

    def _why_unseen(self, field: Field, rule: Rule) -> str:
        if field.kind == "hidden" and rule.at is None:
            return "a field of type hidden shows no messages"
        where = field if rule.at is None else self.form.find(rule.at)
        if where is None or where.native is not None or field.native is not None:
            return ""
        if where.kind == "hidden":
            return f"{where.address} is of type hidden and shows no messages"
        sight = [(each.visible, True) for each in self._around(where)]
        if not can_hold(*sight):
            return f"{where.address} is never visible"
        if not can_hold(*sight, (None if where.reveal is TRUE else where.reveal, True)):
            if can_hold((where.reveal, True)):
                return f"reveal is never true while {where.address} is visible"
            return "" if where.reveal.text == self.one.reveal.text else "its reveal is never true"  # that of the form is reported once
        own = [(each.visible, True) for each in self._around(field)]
        if rule.when is not None and not can_hold(*own, (rule.when, True)):
            return "its `when` is never true while the field is visible"
        return "" if self._in_a_view(where) else f"no view shows {where.address}"

    def _around(self, field: Field) -> list[Field]:
        """Yield *field* and its containers, from the inside out."""
        found = [field]
        base = 1 if self.one.panel and field.path[:1] == (self.one.panel,) else 0
        for size in range(len(field.path) - 1, base, -1):
            each = self.form.find(field.path[:size])
            if each is not None and field.path[size - 1] != "*":
                found.append(each)
        return found

    def _in_a_view(self, field: Field) -> bool:
        views = self.form.views
        reached = {"editing", *(after.view or "editing" for after in self.form.after.values())}
        if self.one.panel or self.form.submit.while_busy == "replaced" or not reached <= set(views):
            return True
        shown = [self.at.segments(address) for view in reached for address in views[view]]
        return any(_related(each, field.path) for each in shown)

    # ends
    def dead_end(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Fields and rows that a person cannot complete."""
        if field.native is not None or (field.visible is not None and not can_hold((field.visible, True))):
            return
        if field.kind == "rows":
            yield from self._dead_rows(field)
            return
        required = [rule for rule in rules if rule.when is None and rule.at is None and any(kind.name == "required" for kind in rule.kinds)]
        why = self._never_filled(field) if required else ""
        if why:
            message = f"{field.address} is required but can never be filled: {why}"
            yield self.at.rule("dead-end", required[0], message, "make it possible to fill, or remove `required`", "required")

    def _dead_rows(self, field: Field) -> Iterator[Finding]:
        if field.add is None or can_hold_without_rows(field.add, field.path):
            return
        start = field.least if field.start is None else field.start
        gone = field.least == 0 and (start == 0 or field.remove is None)
        if gone and field.path not in self.given:
            how = "starts without rows" if start == 0 else "can lose all its rows"
            message = f"{field.address} {how}, and then no row can be added: add is {field.add.text!r}"
            help_ = f"allow adding a first row, or require one: least: {max(1, field.least)}"
            yield self.at.path("dead-end", (*self.at.place_of(field.path), "add"), message, help_)

    def _never_filled(self, field: Field) -> str:
        if field.has_initial or field.derive is not None or self.form.server.record is not None or field.path in self.given:
            return ""
        if field.readonly is not None and not can_hold((field.readonly, False)):
            return "it is always readonly"
        if field.kind in CHOICE_KINDS and field.options is not None:
            return self._no_option(field)
        return "its limit is 0" if field.limit == 0 else ""

    def _no_option(self, field: Field) -> str:
        if isinstance(field.options, OptionsFrom):
            source = self.form.find(field.options.path)
            empty = source is not None and not source.start and not source.least and source.path not in self.given
            never = source is not None and source.add is not None and not can_hold_without_rows(source.add, source.path)
            return f"{source.address} never has a row" if source is not None and empty and never else ""
        none = not any(can_hold((option.enabled, True)) for option in field.options or ())
        return "none of its options is ever enabled" if none else ""


def why_never(field: Field, rule: Rule, kind: Kind) -> str:
    """Return why no value of *field* breaks *kind* of its *rule*; "" if one may."""
    held = _held(field)
    if kind.name == "maxlength" and _within_limit(field, kind):
        return f"it takes at most {field.limit} characters"
    if _beyond_slider(field, rule, kind):
        return "its slider ends there"
    kept = held and kind.name != "required" and all(breaks(kind, value, field) is False for value in held)
    return "all its options satisfy it" if kept else ""


def _within_limit(field: Field, kind: Kind) -> bool:
    if field.limit is None or not is_number(kind.parameter) or field.kind not in TEXT_KINDS or field.multiple:
        return False
    return kind.parameter >= field.limit and (not field.has_initial or breaks(kind, field.initial, field) is False)


def _beyond_slider(field: Field, rule: Rule, kind: Kind) -> bool:
    """Return whether a slider ends before *kind* would break; without a message, the rule only sets the slider's end."""
    if field.kind != "range" or kind.name not in ("min", "max") or not is_number(kind.parameter):
        return False
    if rule.say is None and field.native is None:
        return False
    low, high, *_ = range_bounds(field)
    return bool(kind.parameter <= low if kind.name == "min" else kind.parameter >= high)


def _held(field: Field) -> list[Any] | None:
    """Return the possible values of a single choice with its own options; None if they are unknown."""
    if field.kind not in CHOICE_KINDS or field.many or not isinstance(field.options, tuple) or not field.options:
        return None
    values = [option.value for option in field.options]
    return [*values, field.initial] if field.has_initial else values


def _reads(rule: Rule, field: Field) -> bool:
    """Return whether *rule* reads anything but the value it is about."""
    found = [rule.when, *(kind.parameter for kind in rule.kinds)]
    if any(kind.name in ("repeats", "lookup", "python") for kind in rule.kinds):
        return True
    return any(each.target != field.path for one in found if isinstance(one, Expression) for each in one.reads)


def _related(a: Path, b: Path) -> bool:
    """Return whether one address is inside the other."""
    return a[: len(b)] == b or b[: len(a)] == a


def _names_its_type_only(rule: Rule, field: Field) -> bool:
    """Return whether a rule only repeats the type, such as ``email: true`` without a message."""
    return rule.say is None and all(kind.name == field.kind for kind in rule.kinds)
