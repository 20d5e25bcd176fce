"""The scripts and sheets of a workspace while they are being edited: their parsed state and their relations."""

from __future__ import annotations

import os
import re
from bisect import bisect_right
from collections.abc import Iterator
from pathlib import Path

from ..forms.model.form import Form
from ..forms.sheet.read import read_sheet_text
from ..playing.subjects import Subjects, read_form
from ..problems import Unreadable
from ..roots import project_root, reading_below
from ..script.reader import read_script_anyway
from ..script.tree import Script
from .texts import Texts

SHEETS = (".form.yaml", ".form.yml")
Parts = tuple[str, list[tuple[int, str]]]
_SCENARIO = re.compile(r"scenario\b")
_TOP = re.compile(r"^(?=(?:scenario|routine|prelude|subject|use|clock)\b)", re.MULTILINE)


class Project:
    """The parsed files of a workspace. An incomplete file keeps the state in which it could last be parsed."""

    def __init__(self, texts: Texts) -> None:
        self.texts = texts
        self.subjects = Subjects()
        self._scripts: dict[str, tuple[str, Script]] = {}
        self._heads: dict[str, tuple[str, Script]] = {}
        self._forms: dict[str, tuple[str, Form]] = {}
        self._parts: dict[str, tuple[str, Parts]] = {}

    def changed(self, path: str) -> None:
        """The text of the file at *path* is another now."""
        if not path.endswith(".fox"):
            self.subjects.forget({path})

    def script(self, path: str) -> Script | None:
        """Return the parsed script at *path*, None if it cannot be read at all."""
        text = self.texts.text(path)
        if text is None:
            return None
        known = self._scripts.get(path)
        if known is None or known[0] != text:
            known = self._scripts[path] = (text, read_script_anyway(path, text)[0])
        return known[1]

    def parts(self, path: str, text: str) -> Parts:
        """Return the *text* of the script at *path*, split by `parted`."""
        known = self._parts.get(path)
        if known is None or known[0] != text:
            known = self._parts[path] = (text, parted(text))
        return known[1]

    def head(self, path: str) -> Script | None:
        """The script at *path* without its scenarios: read again only where something else has changed."""
        text = self.texts.text(path)
        if text is None:
            return None
        context, _ = self.parts(path, text)
        known = self._heads.get(path)
        if known is None or known[0] != context:
            known = self._heads[path] = (context, read_script_anyway(path, context)[0])
        return known[1]

    def around(self, path: str, line: int) -> Script | None:
        """Return the script at *path* with only the scenario at *line* (from 1)."""
        text = self.texts.text(path)
        if text is None:
            return None
        context, blocks = self.parts(path, text)
        lines = context.split("\n")
        number = bisect_right(blocks, line, key=lambda each: each[0]) - 1
        if number >= 0:
            first, block = blocks[number]
            end = first + block.count("\n")
            if line < max(end, first + 1) or number == len(blocks) - 1:
                lines[first - 1 : end] = block.split("\n")[: end - first + 1]
        return read_script_anyway(path, "\n".join(lines))[0]

    def form(self, path: str) -> Form | None:
        """The form of the sheet (or page) at *path*, as it could last be read."""
        text = self.texts.text(path.partition("#")[0])
        known = self._forms.get(path)
        if text is not None and (known is None or known[0] != text):
            try:
                with self.texts.reading(), reading_below((project_root(path),)):
                    form = read_sheet_text(text, path) if path.endswith(SHEETS) else read_form(path)
                known = self._forms[path] = (text, form)
            except Unreadable:
                if known is not None:
                    known = self._forms[path] = (text, known[1])
        return known[1] if known is not None else None

    def subject_path(self, script: Script) -> str:
        """Return the path of the subject of *script*, "" if it names none."""
        name = next((header.text for header in script.headers if header.kind == "subject"), "")
        return os.path.normpath(os.path.join(os.path.dirname(script.file), name)) if name and "://" not in name else ""

    def used(self, script: Script) -> Iterator[str]:
        """The scripts that *script* uses, and those that they use."""
        left, seen = [script], {script.file}
        while left:
            each = left.pop()
            for header in each.headers:
                path = os.path.realpath(Path(each.file).parent / header.text) if header.kind == "use" else ""
                if path and path not in seen:
                    seen.add(path)
                    yield path
                    found = self.head(path)
                    if found is not None:
                        left.append(found)

    def forms_of(self, path: str) -> list[tuple[str, Form]]:
        """Return the forms that the script at *path* runs on, with their files: its own subject, or those of the scripts that use
        it.
        """
        script = self.head(path)
        if script is None:
            return []
        names = [self.subject_path(script)] if self.subject_path(script) else []
        if not names:
            others = ((each, self.head(each)) for each in self.texts.files(path, ".fox") if each != path)
            names = [self.subject_path(other) for _, other in others if other is not None and path in self.used(other)]
        found = ((name, self.form(name)) for name in dict.fromkeys(names) if name)
        return [(name, form) for name, form in found if form is not None]

    def scripts_about(self, sheet: str) -> Iterator[str]:
        """The scripts that name *sheet*, and those that they use."""
        seen: set[str] = set()
        for path in self.texts.files(sheet, ".fox"):
            script = self.head(path)
            if script is not None and os.path.realpath(self.subject_path(script)) == sheet:
                for each in (path, *self.used(script)):
                    if each not in seen:
                        seen.add(each)
                        yield each


def parted(text: str) -> Parts:
    """Split *text* into the part outside scenarios, with every line in its place, and the scenarios with their lines."""
    blocks: list[tuple[int, str]] = []
    context: list[str] = []
    line = 1
    for block in _TOP.split(text):
        count = block.count("\n")
        if _SCENARIO.match(block):
            blocks.append((line, block))
            context.append("\n" * count)
        else:
            context.append(block)
        line += count
    return "".join(context), blocks
