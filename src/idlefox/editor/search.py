"""Definitions, references and renaming over the files of a workspace."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from ..forms.names.shapes import segment_text, write_address
from ..script.tree import Script
from .names import BUILT_IN_VIEWS, Key, NameUse, keys_in_address, names_in_script, names_in_sheet, views_of
from .project import SHEETS, Project
from .texts import TextLines, uri_of

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*")


def _smallest(names: Iterable[NameUse], offset: int) -> NameUse | None:
    """Return the smallest of *names* at *offset*."""
    return min((each for each in names if each.start <= offset <= each.end), key=lambda each: each.end - each.start, default=None)


class CannotRename(Exception):
    """A name cannot be changed; the text gives the reason."""


class Search:
    """Looks for names in the files of *project* as they are now."""

    def __init__(self, project: Project) -> None:
        self.project = project

    def names(self, path: str) -> Iterator[NameUse]:
        """The names in the file at *path*."""
        text = self.project.texts.text(path)
        if text is None:
            return
        if path.endswith(".fox"):
            script = self.project.script(path)
            if script is not None:
                yield from names_in_script(script, self.project.forms_of(path))
        elif path.endswith(SHEETS):
            form = self.project.form(path)
            if form is not None:
                yield from names_in_sheet(text, path, form)

    def at(self, path: str, position: dict[str, int]) -> NameUse | None:
        """Return the smallest name at *position* of the file at *path*."""
        text = self.project.texts.text(path)
        if text is None:
            return None
        lines = TextLines(text)
        if not path.endswith(".fox"):
            return _smallest(self.names(path), lines.offset(position))
        # Only the scenario at the position is read: a script may have thousands.
        script = self.project.around(path, position["line"] + 1)
        if script is None:
            return None
        there = TextLines(script.text)
        found = _smallest(names_in_script(script, self.project.forms_of(path)), there.offset(position))
        if found is None:
            return None
        by = lines.offset(there.at(found.start)) - found.start
        return found._replace(start=found.start + by, end=found.end + by)

    def definition(self, path: str, position: dict[str, int]) -> list[dict[str, Any]]:
        """Return the definition of the name at *position*."""
        found = self.at(path, position)
        if found is None:
            return []
        if found.key.kind == "file":
            there = self.project.texts.text(found.key.where) is not None
            return [{"uri": uri_of(found.key.where), "range": TextLines("").range(1, 1, 0)}] if there else []
        return [self._location(each) for each in self.names(found.key.where) if each.defines and each.key == found.key]

    def references(self, path: str, position: dict[str, int], *, definitions: bool) -> list[dict[str, Any]]:
        """Return every use of the name at *position*."""
        found = self.at(path, position)
        return [self._location(each) for each in self._all(found.key) if definitions or not each.defines] if found is not None else []

    def _all(self, key: Key) -> list[NameUse]:
        found = [each for file in self._files(key) for each in self.names(file) if each.key == key]
        return list(dict.fromkeys(found))

    def _files(self, key: Key) -> Iterator[str]:
        """The files that may name what *key* is."""
        if key.kind == "parameter":
            yield key.where
        elif key.kind in ("routine", "file"):
            yield from dict.fromkeys((*self.project.texts.files(key.where, ".fox", *SHEETS), key.where))
        else:
            yield from dict.fromkeys((key.where, *self.project.scripts_about(key.where)))

    def _location(self, found: NameUse) -> dict[str, Any]:
        lines = TextLines(self.project.texts.text(found.file) or "")
        return {"uri": uri_of(found.file), "range": lines.between(found.start, found.end)}

    # renaming
    def renamed(self, path: str, position: dict[str, int], name: str) -> dict[str, Any]:
        """Return the edits that rename the name at *position* to *name*. Raises CannotRename."""
        found = self.at(path, position)
        if found is None or found.key.kind == "file":
            raise CannotRename("nothing here can be renamed; place the cursor on a field, routine, parameter, lookup, panel or view")
        changes: dict[str, list[dict[str, Any]]] = {}
        for each in self.uses(found.key, name):
            lines = TextLines(self.project.texts.text(each.file) or "")
            changes.setdefault(uri_of(each.file), []).append({"range": lines.between(each.start, each.end), "newText": name})
        return {"changes": changes}

    def uses(self, key: Key, name: str) -> list[NameUse]:
        """Return every use of *key*, which is to be named *name*. Raises CannotRename."""
        if not _NAME.fullmatch(name):
            raise CannotRename(f"{name!r} is not a valid name: use letters, digits, _ and -, starting with a letter or _")
        self._need_free(key, name)
        return self._all(key)

    def called(self, sheet: str, text: str) -> list[Key]:
        """Return what *text* names in *sheet*: a lookup, a panel, a view, the field of that address."""
        form = self.project.form(sheet)
        if form is None:
            return []
        kinds = {"lookup": form.lookups, "view": views_of(form)}
        found = [Key(kind, sheet, text) for kind, names in kinds.items() if text in names]
        whole = [key for key, _, end in keys_in_address(text, (), sheet, form) if end >= len(text.rstrip("]*[0123456789"))]
        return found + whole[-1:]

    def names_of(self, sheet: str) -> list[str]:
        """The names that `called` knows in *sheet*."""
        form = self.project.form(sheet)
        if form is None:
            return []
        fields = [write_address(shape.path).replace('["*"]', "[*]") for shape in form.shape.walk() if shape.path]
        return [*fields, *form.lookups, *(panel.panel for panel in form.panels), *sorted(views_of(form))]

    def _need_free(self, key: Key, name: str) -> None:
        form = self.project.form(key.where) if key.kind in ("field", "panel", "lookup", "view") else None
        if form is not None:
            above = key.name[:-1] if key.kind == "field" else ()
            panels = {panel.panel for panel in form.panels}
            if key.kind == "lookup" and name in form.lookups:
                raise CannotRename(f"a lookup named {name} already exists")
            if key.kind == "view" and name in views_of(form) | BUILT_IN_VIEWS:
                raise CannotRename(f"a view named {name} already exists")
            if key.kind in ("field", "panel") and ((not above and name in panels) or form.find((*above, name)) is not None):
                raise CannotRename(f"a field or panel named {segment_text(name, first=True)} already exists")
        script = self.project.script(key.where) if key.kind in ("routine", "parameter") else None
        if script is not None and name in _taken(script, key):
            raise CannotRename(f"a {key.kind} named {name} already exists")


def _taken(script: Script, key: Key) -> set[str]:
    if key.kind == "routine":
        return {block.name for block in script.blocks if block.kind == "routine"}
    block = next((block for block in script.blocks if block.line == key.name[0]), None)
    return {*block.parameters, *(block.body.table.names if block.body.table is not None else ())} if block is not None else set()
