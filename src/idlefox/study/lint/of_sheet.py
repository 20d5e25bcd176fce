"""What is odd in a form sheet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.model.form import Field, Form, Rule, walk
from ...forms.sheet.yaml12 import Document
from ...problems import Place
from .findings import Finding

_LOW_HIGH = (("minlength", "maxlength"), ("min", "max"))


def sheet_findings(form: Form, text: str) -> Iterator[Finding]:
    """What is odd in *form*, read from *text*."""
    sheet = _Sheet(form, Document(form.file, text))
    for each in (form, *form.panels):
        for field in walk(each.fields):
            yield from sheet.field(field)
    yield from sheet.replies()
    yield from sheet.unused()


class _Sheet:
    def __init__(self, form: Form, document: Document) -> None:
        self.form, self.document = form, document
        self.lines = document.text.split("\n")

    def _at(self, code: str, path: tuple[Any, ...], message: str, help_: str, *, key: bool = True) -> Finding:
        """A finding at what stands at *path* in the sheet, or at its key."""
        place = self.document.place(path, key=key)
        return Finding(code, place, message, help_, self.lines[place.line - 1])

    def _finding(self, code: str, line: int, message: str, help_: str, word: str = "") -> Finding:
        source = self.lines[line - 1] if 0 < line <= len(self.lines) else ""
        at = source.find(word) if word and word in source else len(source) - len(source.lstrip())
        return Finding(code, Place(self.form.file, max(line, 1), at + 1, len(word) or len(source.strip()) or 1), message, help_, source)

    def field(self, field: Field) -> Iterator[Finding]:
        written = [rule for rule in field.rules if rule.line and not rule.native]
        for rule in written:
            kinds = [kind.name for kind in rule.kinds]
            if rule.say is None and not any(name in self.form.texts for name in kinds) and "python" not in kinds:
                names = " and ".join(kinds)
                help_ = 'say what a person should do: say: "…"'
                yield self._finding("silent-rule", rule.line, f"{names} of {field.address} has no message of its own", help_, kinds[0])
        said: dict[str, Rule] = {}
        for rule in written:
            if rule.say is None:
                continue
            before = said.setdefault(rule.say.text, rule)
            if before is not rule:
                message = f"{field.address} says the same for {before.kinds[0].name} and for {rule.kinds[0].name}"
                yield self._finding("same-message", rule.line, message, "say what is wrong in each case", rule.kinds[0].name)
        yield from self._contradiction(field, written)

    def _contradiction(self, field: Field, rules: list[Rule]) -> Iterator[Finding]:
        """Bounds that no value keeps, on a field that must have one. Only rules that always count prove it."""
        always = {kind.name: (kind.parameter, rule) for rule in rules if rule.when is None and rule.at is None for kind in rule.kinds}
        if "required" not in always or field.visible is not None or field.enabled is not None or field.kind in ("checkbox", "rows", "file"):
            return
        for low, high in _LOW_HIGH:
            if low in always and high in always:
                (least, _), (most, rule) = always[low], always[high]
                if _is_number(least) and _is_number(most) and least > most:
                    message = f"no value of {field.address} can have {low} {least} and {high} {most}"
                    yield self._finding("contradiction", rule.line, message, "one of the two is wrong", high)

    def replies(self) -> Iterator[Finding]:
        """Replies that no request can come to: behind one that always answers, or behind one with the same condition."""
        conditions: dict[str, int] = {}
        for number, reply in enumerate(self.form.server.replies, 1):
            path = ("server", "replies", number - 1)
            if "" in conditions:
                message = f"reply {number} is never given: reply {conditions['']} before it always is"
                yield self._at("unreachable-reply", path, message, "put it first, or give the other a condition: when: …", key=False)
                continue
            told = reply.when.text if reply.when is not None else ""
            if told and told in conditions:
                message = f"reply {number} is never given: reply {conditions[told]} has the same condition"
                yield self._at("unreachable-reply", path, message, "one of the two is enough, or their conditions differ", key=False)
            conditions.setdefault(told, number)

    def unused(self) -> Iterator[Finding]:
        asked = {kind.parameter for rule in self._rules() for kind in rule.kinds if kind.name == "lookup"}
        for name in self.form.lookups:
            if name not in asked:
                remedy = f"take it out, or ask it: rules: [{{lookup: {name}}}]"
                yield self._at("unused", ("lookups", name), f"no rule asks the lookup {name}", remedy)
        reached = {after.view for after in self.form.after.values()} | {"editing"}
        for name in self.form.views if self.form.page is None else ():
            if name not in reached:
                remedy = f"take it out, or lead there: after: {{accepted: {{view: {name}}}}}"
                yield self._at("unused", ("views", name), f"nothing leads to the view {name}", remedy)

    def _rules(self) -> Iterator[Rule]:
        for form in (self.form, *self.form.panels):
            yield from form.rules
            yield from form.server.rules
            for field in walk(form.fields):
                yield from field.rules


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)
