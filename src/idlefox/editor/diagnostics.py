"""Diagnostics: the errors of `run` and the findings of lint while a file is being edited, and quick fixes from the remedies.

A script is checked scenario by scenario: in a long one, a keystroke checks only the scenario in which it was made.
"""

from __future__ import annotations

import os
import re
from bisect import bisect_right
from typing import Any

from ..forms.sheet.read import read_sheet_text
from ..playing.player import RunOptions, load_script
from ..playing.select import SelectedScript
from ..problems import Problem, Unreadable
from ..records import NamedTuple
from ..roots import project_root, reading_below
from ..script.expand import expand
from ..script.reader import read_script_anyway
from ..study.lint.findings import Finding
from ..study.lint.look import look_through
from ..study.lint.of_script import script_findings
from ..study.lint.of_steps import step_findings
from ..study.lint.silences import silenced
from .project import Project
from .texts import TextLines

_SEVERITY = {"error": 1, "warning": 2, "note": 3}
_MEANT = re.compile(r"did you mean:? '?(?P<word>[^'?]+)'?\?")
_MOST_AT_ONCE = 12  # scenarios checked before an answer
# Findings about a whole script, which a single scenario cannot show.
_OF_THE_WHOLE = frozenset({"same-title", "same-scenario", "idle-silence"})


class Diagnostic(NamedTuple):
    """One diagnostic. *code* is that of lint, "" for an error that keeps the file from running."""

    line: int
    column: int
    length: int
    severity: str
    message: str
    remedy: str
    code: str = ""

    def moved(self, lines: int) -> Diagnostic:
        """Return the diagnostic moved by *lines*."""
        return self._replace(line=self.line + lines)


class Diagnostics:
    """The diagnostics of the files of a workspace, with a cache per scenario."""

    def __init__(self, project: Project) -> None:
        self.project = project
        # By file: the context, and by block the diagnostics ("": outside all blocks); lines count from the block's first.
        self._blocks: dict[str, tuple[str, dict[str, list[Diagnostic]]]] = {}

    def of(self, path: str, *, whole: bool) -> list[Diagnostic] | None:
        """The faults of the file at *path*; unless the *whole* of a script is asked for, those that are found at once (None: none are)."""
        text = self.project.texts.text(path)
        if text is None:
            return []
        with self.project.texts.reading():
            if not path.endswith(".fox"):
                return self._sheet(path, text)
            return self._script(path, text) if whole else self._changed(path, text)

    # sheets
    def _sheet(self, path: str, text: str) -> list[Diagnostic]:
        with reading_below((project_root(path),)):
            try:
                read_sheet_text(text, path)
            except Unreadable as fault:
                return [_problem(each) for each in fault.problems if each.place.file == path]
        return _findings(look_through([path]).findings, path)

    # scripts
    def _script(self, path: str, text: str) -> list[Diagnostic]:
        """All of it, from the ground."""
        faults = self._played(path, text)
        if not any(fault.severity == "error" for fault in faults):
            faults += _findings(look_through([path]).findings, path)
        self._remember(path, text, faults)
        return faults

    def _played(self, path: str, text: str) -> list[Diagnostic]:
        """Return the errors that keep *text* from running, and its warnings."""
        chosen = SelectedScript(path, text=text)
        try:
            ready = load_script(chosen, RunOptions(), self.project.subjects)
        except Unreadable as fault:
            about = [each for each in fault.problems if each.place.file == path]
            elsewhere = [each for each in fault.problems if each.place.file != path]
            return [*map(_problem, about), *([_elsewhere(text, elsewhere[0])] if elsewhere and not about else [])]
        return [_problem(each) for each in ready.doubts if each.place.file == path]

    def _changed(self, path: str, text: str) -> list[Diagnostic] | None:
        """Return the cached diagnostics of unchanged scenarios, and check the changed ones."""
        context, blocks = self.project.parts(path, text)
        of, known = self._blocks.get(path, (None, {}))
        fresh = [block for _, block in blocks if block not in known]
        if len(fresh) > _MOST_AT_ONCE or of != context:
            return None
        faults: list[Diagnostic] = list(known.get("", ()))
        for line, block in blocks:
            found = known.get(block)
            if found is None:
                found = known[block] = [fault.moved(-line) for fault in self._alone(path, context, line, block)]
            faults += [fault.moved(line) for fault in found]
        there = {block for _, block in blocks} | {""}
        self._blocks[path] = (context, {block: found for block, found in known.items() if block in there})
        return faults

    def _alone(self, path: str, context: str, line: int, block: str) -> list[Diagnostic]:
        """Check one scenario with the others of its script left out."""
        end = line + block.count("\n")
        lines = context.split("\n")
        lines[line - 1 : end] = block.split("\n")[: end - line + 1]
        text = "\n".join(lines)
        faults = [fault for fault in self._played(path, text) if line <= fault.line <= end]
        if any(fault.severity == "error" for fault in faults):
            return faults
        script, _ = read_script_anyway(path, text)
        with reading_below((project_root(path),)):
            scenarios, problems = expand(script)
            if problems:
                return faults
            findings = list(script_findings(script, scenarios, used_elsewhere=True))
            subject = self.project.subject_path(script)
            if subject.endswith((".form.yaml", ".form.yml")):
                try:
                    loaded = self.project.subjects.load(os.path.basename(subject), os.path.dirname(subject))
                    findings += step_findings(script, scenarios, loaded)
                except Unreadable:
                    pass
        kept = [each for each in silenced(text, path, findings) if line <= each.place.line <= end]
        return faults + [fault for fault in _findings(kept, path) if fault.code not in _OF_THE_WHOLE]

    def _remember(self, path: str, text: str, faults: list[Diagnostic]) -> None:
        context, blocks = self.project.parts(path, text)
        known: dict[str, list[Diagnostic]] = {block: [] for _, block in blocks}
        starts, outside = [line for line, _ in blocks], []
        for fault in faults:
            number = bisect_right(starts, fault.line) - 1
            line, block = blocks[number] if number >= 0 else (0, "")
            if number >= 0 and fault.line < max(line + block.count("\n"), line + 1):
                known[block].append(fault.moved(-line))
            else:
                outside.append(fault)
        known[""] = outside
        self._blocks[path] = (context, known)


def _problem(problem: Problem) -> Diagnostic:
    place = problem.place
    return Diagnostic(place.line, place.column, place.length, problem.severity, problem.cause, problem.remedy)


def _elsewhere(text: str, problem: Problem) -> Diagnostic:
    """Return a diagnostic for an error in a file that this one names."""
    line = next((n for n, each in enumerate(text.split("\n"), 1) if each.startswith(("subject", "use"))), 1)
    place = problem.place
    told = f"{os.path.basename(place.file)}:{place.line}:{place.column}: {problem.cause}"
    return Diagnostic(line, 1, len(text.split("\n")[line - 1]), "error", told, problem.remedy)


def _findings(findings: Any, path: str) -> list[Diagnostic]:
    return [
        Diagnostic(f.place.line, f.place.column, f.place.length, f.level, f.message, f.help, f.code)
        for f in findings if isinstance(f, Finding) and f.place.file == path
    ]  # fmt: skip


def as_diagnostics(faults: list[Diagnostic], text: str, source: str = "idlefox") -> list[dict[str, Any]]:
    """LSP 3.17, "Diagnostic": each with its remedy as data, for quick fixes."""
    lines = TextLines(text)
    found = []
    for fault in faults:
        told = f"{fault.message}\n→ {fault.remedy}" if fault.remedy else fault.message
        each: dict[str, Any] = {
            "range": lines.range(fault.line, fault.column, fault.length), "severity": _SEVERITY[fault.severity], "source": source,
            "message": told, "data": {"remedy": fault.remedy, "code": fault.code},
        }  # fmt: skip
        if fault.code:
            each["code"] = fault.code
        found.append(each)
    return found


def fixes(uri: str, text: str, diagnostics: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """LSP 3.17, "Code Action": the word that was meant, and for a finding a comment that silences it."""
    actions: list[dict[str, Any]] = []
    lines = TextLines(text)
    for each in diagnostics:
        data = each.get("data") or {}
        meant = _MEANT.search(data.get("remedy", ""))
        if meant is not None:
            edit = {"range": _whole_word(lines, each["range"]), "newText": _as_there(lines, each["range"], meant["word"])}
            actions.append(_action(f"Change to {meant['word']}", uri, edit, each, preferred=True))
        if data.get("code"):
            line = each["range"]["start"]["line"]
            end = lines.position(line + 1, len(lines.lines[line]) + 1)
            edit = {"range": {"start": end, "end": end}, "newText": f"  # lint: allow {data['code']}, because "}
            actions.append(_action(f"Silence {data['code']} here, with a reason", uri, edit, each, preferred=False))
    return actions


def _whole_word(lines: TextLines, range_: dict[str, Any]) -> dict[str, Any]:
    """The range; of an address that is marked whole only its last name, which is the one that was meant otherwise."""
    start, end = lines.offset(range_["start"]), lines.offset(range_["end"])
    text = lines.text[start:end]
    last = re.search(r"[A-Za-z_][\w-]*$", text)
    return lines.between(start + last.start(), end) if last is not None and "." in text and text[:1] not in "\"'" else range_


def _as_there(lines: TextLines, range_: dict[str, Any], word: str) -> str:
    """Return *word* in quotes if the marked text is in quotes."""
    text = lines.text[lines.offset(range_["start"]) : lines.offset(range_["end"])]
    return f"{text[0]}{word}{text[0]}" if text[:1] in ("'", '"') else word


def _action(title: str, uri: str, edit: dict[str, Any], diagnostic: dict[str, Any], *, preferred: bool) -> dict[str, Any]:
    return {
        "title": title, "kind": "quickfix", "diagnostics": [diagnostic], "isPreferred": preferred,
        "edit": {"changes": {uri: [edit]}},
    }  # fmt: skip
