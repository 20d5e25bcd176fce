"""The scripts and sheets of a workspace as they are while they are written: what can be read of them, and what they name."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from ..forms.model.form import Form
from ..forms.sheet.read import read_sheet_text
from ..playing.subjects import Subjects, read_form
from ..problems import Unreadable
from ..roots import reading_below
from ..script.reader import read_script_anyway
from ..script.tree import Script
from .texts import Texts

SHEETS = (".form.yaml", ".form.yml")


class Project:
    """What is known of a workspace. What is half written is known as it was when it could last be read."""

    def __init__(self, texts: Texts) -> None:
        self.texts = texts
        self.subjects = Subjects()
        self._scripts: dict[str, tuple[str, Script]] = {}
        self._forms: dict[str, tuple[str, Form]] = {}

    def changed(self, path: str) -> None:
        """The text of the file at *path* is another now."""
        if not path.endswith(".fox"):
            self.subjects.forget({path})

    def script(self, path: str) -> Script | None:
        """What can be read of the script at *path*, None where it cannot be read at all."""
        text = self.texts.text(path)
        if text is None:
            return None
        known = self._scripts.get(path)
        if known is None or known[0] != text:
            known = self._scripts[path] = (text, read_script_anyway(path, text)[0])
        return known[1]

    def form(self, path: str) -> Form | None:
        """The form of the sheet (or page) at *path*, as it could last be read."""
        text = self.texts.text(path.partition("#")[0])
        known = self._forms.get(path)
        if text is not None and (known is None or known[0] != text):
            try:
                with self.texts.reading(), reading_below((os.path.dirname(path),)):
                    form = read_sheet_text(text, path) if path.endswith(SHEETS) else read_form(path)
                known = self._forms[path] = (text, form)
            except Unreadable:
                if known is not None:
                    known = self._forms[path] = (text, known[1])
        return known[1] if known is not None else None

    def subject_path(self, script: Script) -> str:
        """The file that *script* is about, "" where it names none."""
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
                    found = self.script(path)
                    if found is not None:
                        left.append(found)

    def forms_of(self, path: str) -> list[tuple[str, Form]]:
        """The forms that the script at *path* is played on, with their files: its own subject, or those of the scripts that use it."""
        script = self.script(path)
        if script is None:
            return []
        names = [self.subject_path(script)] if self.subject_path(script) else []
        if not names:
            others = ((each, self.script(each)) for each in self.texts.files(path, ".fox") if each != path)
            names = [self.subject_path(other) for _, other in others if other is not None and path in self.used(other)]
        found = ((name, self.form(name)) for name in dict.fromkeys(names) if name)
        return [(name, form) for name, form in found if form is not None]

    def scripts_about(self, sheet: str) -> Iterator[str]:
        """The scripts that name *sheet*, and those that they use."""
        seen: set[str] = set()
        for path in self.texts.files(sheet, ".fox"):
            script = self.script(path)
            if script is not None and os.path.realpath(self.subject_path(script)) == sheet:
                for each in (path, *self.used(script)):
                    if each not in seen:
                        seen.add(each)
                        yield each
