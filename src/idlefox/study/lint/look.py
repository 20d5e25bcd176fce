"""Looks through scripts and sheets: what can be read and is odd, and what cannot be read."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

from ...forms.sheet.read import read_sheet_text
from ...playing.kinds import kind_of
from ...playing.select import choose_files
from ...problems import Problem, Unreadable, read_text
from ...records import NamedTuple
from ...roots import reading_below
from ...script.expand import expand
from ...script.reader import read_script_anyway
from ...script.tree import Script
from .findings import Finding
from .of_script import script_findings
from .of_sheet import sheet_findings
from .silences import silenced


class Looked(NamedTuple):
    """What was found, in the order of files and places, and what could not be read; *files* were looked through."""

    findings: tuple[Finding, ...]
    problems: tuple[Problem, ...]
    files: tuple[str, ...]


def look_through(paths: Iterable[str], roots: tuple[str, ...] = ()) -> Looked:
    """Looks through the scripts and sheets at *paths* (folders are searched for both), and the sheets that the scripts name."""
    scripts, sheets, problems = _files(list(paths))
    findings: list[Finding] = []
    read: list[tuple[str, Script]] = []
    named: set[str] = set()
    for file in scripts:
        try:
            script, slips = read_script_anyway(file)
        except Unreadable as fault:
            problems += fault.problems
            continue
        problems += slips
        if not slips:
            read.append((file, script))
        named |= _named(script)
        subject = next((h.text for h in script.headers if h.kind == "subject"), "")
        path = os.path.normpath(Path(file).parent / subject) if subject else ""
        if subject.endswith((".form.yaml", ".form.yml")) and os.path.isfile(path) and path not in sheets:
            sheets.append(path)
    for file, script in read:
        with reading_below((os.path.dirname(file) or ".", *roots)):
            scenarios, faults = expand(script)
        problems += faults
        if not faults:
            elsewhere = os.path.realpath(file) in named or not any(block.kind == "scenario" for block in script.blocks)
            findings += silenced(script.text, file, script_findings(script, scenarios, elsewhere or _is_used(file)))
    for file in sheets:
        try:
            with reading_below((os.path.dirname(file) or ".", *roots)):
                text = read_text(file)
                findings += silenced(text, file, sheet_findings(read_sheet_text(text, file), text))
        except Unreadable as fault:
            problems += fault.problems
    findings.sort(key=lambda f: (f.place.file, f.place.line, f.place.column, f.code))
    return Looked(tuple(findings), tuple(dict.fromkeys(problems)), tuple(file for file in (*scripts, *sheets) if os.path.isfile(file)))


def _files(paths: list[str]) -> tuple[list[str], list[str], list[Problem]]:
    sheets = [os.path.normpath(path) for path in paths if not os.path.isdir(path) and kind_of(path) == "sheet"]
    others = [path for path in paths if os.path.isdir(path) or kind_of(path) != "sheet"]
    for folder in (path for path in others if os.path.isdir(path)):
        for here, folders, files in os.walk(folder):
            folders[:] = sorted(each for each in folders if not each.startswith("."))
            sheets += [os.path.normpath(os.path.join(here, each)) for each in sorted(files) if kind_of(each) == "sheet"]
    chosen, problems = choose_files(others) if others else ([], [])
    problems = [p for p in problems if not (os.path.isdir(p.place.file) and sheets)]
    return [each.file for each in chosen], list(dict.fromkeys(sheets)), problems


def _named(script: Script) -> set[str]:
    """The scripts that *script* uses, as real paths."""
    folder = Path(script.file).parent
    return {os.path.realpath(folder / header.text) for header in script.headers if header.kind == "use"}


def _is_used(file: str) -> bool:
    """Whether a script beside *file* may use it: its name stands there."""
    folder, name = os.path.dirname(file) or ".", os.path.basename(file)
    for other in os.listdir(folder):
        if other.endswith(".fox") and other != name:
            try:
                if name in read_text(os.path.join(folder, other)):
                    return True
            except Unreadable:
                continue
    return False
