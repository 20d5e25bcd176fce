"""Runs lint over scripts and sheets, and reports what cannot be read."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from ...forms.model.form import Form
from ...forms.sheet.read import read_sheet_text
from ...playing import collector
from ...playing.kinds import kind_of
from ...playing.select import choose_files
from ...playing.subjects import Loaded, Subjects, read_form
from ...problems import OUTSIDE, Problem, Unreadable, read_text
from ...records import NamedTuple
from ...roots import project_root, reading_below
from ...script.expand import expand
from ...script.reader import read_script_anyway
from ...script.tree import Script
from .between import unlike_sheets
from .findings import Finding
from .of_page import page_findings
from .of_script import script_findings
from .of_sheet import sheet_findings
from .of_steps import opened_panels, step_findings
from .sheet_places import SheetPlaces
from .silences import silenced


class LintResult(NamedTuple):
    """The findings in order of files and places, the problems, and the checked *files*."""

    findings: tuple[Finding, ...]
    problems: tuple[Problem, ...]
    files: tuple[str, ...]


def look_through(paths: Iterable[str]) -> LintResult:
    """Looks through the scripts and sheets at *paths* (folders are searched for both), and the sheets that the scripts name."""
    with collector.at_rest():
        return _LintRun().through(list(paths))


class _LintRun:
    def __init__(self) -> None:
        self.subjects = Subjects()
        self.problems: list[Problem] = []
        self.found: list[Finding] = []
        self.texts: dict[str, str] = {}
        self.opened: dict[str, set[str]] = {}  # the panels that scripts open, by sheet

    def through(self, paths: list[str]) -> LintResult:
        scripts, sheets, self.problems = _files(paths)
        read: list[tuple[str, Script]] = []
        named: set[str] = set()
        for file in scripts:
            try:
                script, slips = read_script_anyway(file)
            except Unreadable as fault:
                self.problems += fault.problems
                continue
            self.problems += slips
            if not slips:
                read.append((file, script))
            named |= _named(script)
            path = _subject(script)
            if kind_of(path) in ("sheet", "page") and os.path.isfile(path.partition("#")[0]) and path not in sheets:
                sheets.append(path)
        for file, script in read:
            self._script(file, script, os.path.realpath(file) in named)
        self._sheets([each for each in sheets if kind_of(each) == "sheet"])
        self._pages([each for each in sheets if kind_of(each) == "page"])
        findings: list[Finding] = []
        for file, text in self.texts.items():
            findings += silenced(text, file, [each for each in self.found if each.place.file == file])
        findings += [each for each in self.found if each.place.file not in self.texts]
        findings.sort(key=lambda f: (f.place.file, f.place.line, f.place.column, f.code))
        files = tuple(file for file in (*scripts, *sheets) if os.path.isfile(file.partition("#")[0]))
        return LintResult(tuple(dict.fromkeys(findings)), tuple(dict.fromkeys(self.problems)), files)

    def _script(self, file: str, script: Script, named: bool) -> None:
        with reading_below((project_root(file),)):
            scenarios, faults = expand(script)
            self.problems += faults
            if faults:
                return
            self.texts[file] = script.text
            elsewhere = named or not any(block.kind == "scenario" for block in script.blocks)
            self.found += script_findings(script, scenarios, elsewhere or _is_used(file))
            loaded = self._loaded(script) if scenarios else None
            if loaded is not None:
                self.opened.setdefault(_subject(script), set()).update(opened_panels(scenarios, loaded.form))
                self.found += step_findings(script, scenarios, loaded)

    def _loaded(self, script: Script) -> Loaded | None:
        """Return the form sheet of *script*; None if its subject is not one or has errors, which are reported there."""
        path = _subject(script)
        if kind_of(path) not in ("sheet", "page"):
            return None
        try:
            return self.subjects.load(os.path.basename(path), os.path.dirname(path))
        except Unreadable as fault:
            self.problems += [each for each in fault.problems if each.code == OUTSIDE]
            return None

    def _pages(self, files: list[str]) -> None:
        for file in files:
            try:
                path = file.partition("#")[0]
                with reading_below((project_root(file),)):
                    self.found += page_findings(read_form(file), path, read_text(path))
            except Unreadable as fault:
                self.problems += fault.problems

    def _sheets(self, files: list[str]) -> None:
        read: list[tuple[Form, SheetPlaces]] = []
        for file in files:
            try:
                with reading_below((project_root(file),)):
                    text = read_text(file)
                    form = read_sheet_text(text, file)
                    opened = frozenset(self.opened.get(file, ())) | _opened_beside(file, form)
                    self.texts[file] = text
                    at = SheetPlaces(form, text)
                    self.found += sheet_findings(form, at, opened)
                    read.append((form, at))
            except Unreadable as fault:
                self.problems += fault.problems
        self.found += unlike_sheets(read)


def _files(paths: list[str]) -> tuple[list[str], list[str], list[Problem]]:
    forms = [path for path in paths if not os.path.isdir(path) and kind_of(path) in ("sheet", "page")]
    sheets = [os.path.normpath(path) for path in forms]
    others = [path for path in paths if path not in forms]
    for folder in (path for path in others if os.path.isdir(path)):
        for here, folders, files in os.walk(folder):
            folders[:] = sorted(each for each in folders if not each.startswith("."))
            sheets += [os.path.normpath(os.path.join(here, each)) for each in sorted(files) if kind_of(each) == "sheet"]
    chosen, problems = choose_files(others) if others else ([], [])
    problems = [p for p in problems if not (os.path.isdir(p.place.file) and sheets)]
    return [each.file for each in chosen], list(dict.fromkeys(sheets)), problems


def _subject(script: Script) -> str:
    """Return the file of the subject of *script*, "" if it names none."""
    name = next((header.text for header in script.headers if header.kind == "subject"), "")
    return os.path.normpath(Path(script.file).parent / name) if name else ""


def _named(script: Script) -> set[str]:
    """The scripts that *script* uses, as real paths."""
    folder = Path(script.file).parent
    return {os.path.realpath(folder / header.text) for header in script.headers if header.kind == "use"}


def _is_used(file: str) -> bool:
    """Return whether a script next to *file* may use it, because it contains its name."""
    return any(os.path.basename(file) in text for text in _scripts_beside(file))


def _opened_beside(file: str, form: Form) -> set[str]:
    """Return the panels of the sheet *file* that scripts beside it open."""
    if not form.panels:
        return set()
    texts = list(_scripts_beside(file))
    return {panel.panel for panel in form.panels if any(f"open {panel.panel}" in text for text in texts)}


def _scripts_beside(file: str) -> Iterable[str]:
    folder, name = os.path.dirname(file) or ".", os.path.basename(file)
    for other in sorted(os.listdir(folder)):
        if other.endswith(".fox") and other != name:
            try:
                yield read_text(os.path.join(folder, other))
            except Unreadable:
                continue
