"""Lint of an HTML page's form, from its attributes alone."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ...forms.model.form import Field, Form, Rule, walk
from ...problems import Place
from .findings import Finding
from .of_fields import Fields
from .sheet_places import Places


def page_findings(form: Form, file: str, text: str) -> Iterator[Finding]:
    """Yield findings about *form*, read from the page *file* with the text *text*."""
    at = _OnPage(file, text)
    fields = Fields(form, form, at)
    for field in walk(form.fields):
        at.field = field
        rules = [rule for rule in field.rules if rule.native]
        yield from fields.contradiction(field, rules)
        yield from fields.patterns(rules)


class _OnPage(Places):
    """Places findings at the attribute of a control, as far as the source shows it."""

    def __init__(self, file: str, text: str) -> None:
        self.file, self.text = file, text
        self.field: Field | None = None

    def rule(self, code: str, rule: Rule, message: str, help_: str, word: str = "") -> Finding:
        word = word or rule.kinds[0].name
        start, end = self._tag()
        found = re.compile(rf"\b{re.escape(word)}(?=\s*=)", re.IGNORECASE).search(self.text, start, end)
        offset = found.start() if found is not None else start
        line = self.text.count("\n", 0, offset) + 1
        begin = self.text.rfind("\n", 0, offset) + 1
        source = self.text[begin:].partition("\n")[0]
        return Finding(code, Place(self.file, line, offset - begin + 1, len(word) if found is not None else 1), message, help_, source)

    def _tag(self) -> tuple[int, int]:
        """Return the tag of the control: the first with its name or id."""
        native = self.field.native if self.field is not None else None
        named = re.escape(native.name or native.address.strip('[]"#')) if native is not None else ""
        found = re.search(rf"<[a-z]+\b[^<>]*\b(?:name|id)\s*=\s*[\"']?{named}(?:\b|[\"'\s>])[^<>]*>?", self.text, re.IGNORECASE)
        return (found.start(), found.end()) if found is not None else (0, len(self.text))
