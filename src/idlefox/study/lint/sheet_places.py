"""The positions of findings in a sheet."""

from __future__ import annotations

from typing import Any

from ...forms.model.form import Form, Path, Rule
from ...forms.names.addresses import parse_address
from ...forms.sheet.document import Document
from ...problems import Place
from .findings import Finding


class Places:
    """The positions of findings in a sheet or a page."""

    def rule(self, code: str, rule: Rule, message: str, help_: str, word: str = "") -> Finding:
        """A finding at *word* of *rule*: its first kind, unless another is said."""
        raise NotImplementedError

    def path(self, code: str, path: tuple[Any, ...], message: str, help_: str, *, key: bool = True) -> Finding:
        """Return a finding at the part at *path* of a sheet."""
        raise NotImplementedError

    def place_of(self, path: Path) -> tuple[str, ...]:
        """The keys that lead to the field at the schema path *path*."""
        raise NotImplementedError

    def segments(self, address: str) -> Path:
        """An address as a schema path."""
        return tuple("*" if isinstance(each, int) else each for each in parse_address(address) or ())


class SheetPlaces(Places):
    """The places of *form*, read from *text*."""

    def __init__(self, form: Form, text: str) -> None:
        self.form, self.document = form, Document(form.file, text)
        self.lines = text.split("\n")

    def path(self, code: str, path: tuple[Any, ...], message: str, help_: str, *, key: bool = True) -> Finding:
        """Return a finding at the part at *path*, at its key, or at the nearest existing container."""
        while path and not self._there(path):
            path = path[:-1]
        place = self.document.place(path, key=key)
        return Finding(code, place, message, help_, self.lines[place.line - 1])

    def rule(self, code: str, rule: Rule, message: str, help_: str, word: str = "") -> Finding:
        """A finding at *word* on the line of *rule*: its first kind, unless another is said."""
        word = word or rule.kinds[0].name
        source = self.lines[rule.line - 1] if 0 < rule.line <= len(self.lines) else ""
        at = source.find(word) if word in source else len(source) - len(source.lstrip())
        length = len(word) if word in source else len(source.strip()) or 1
        return Finding(code, Place(self.form.file, max(rule.line, 1), at + 1, length), message, help_, source)

    def _there(self, path: tuple[Any, ...]) -> bool:
        data: Any = self.document.data
        for step in path:
            try:
                data = data[step]
            except (LookupError, TypeError):
                return False
        return True

    def place_of(self, path: Path) -> tuple[str, ...]:
        """The keys that lead to the field at the schema path *path*."""
        found: list[str] = []
        names = [name for name in path if name != "*"]
        if names and any(each.panel == names[0] for each in self.form.panels):
            found += ["panels", names.pop(0)]
        for name in names:
            found += ["fields", name]
        return tuple(found)
