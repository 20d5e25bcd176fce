"""An interactive session on a form: one step or check at a time with its changes, undo, replay, and saving as a scenario."""

from __future__ import annotations

import os
import re
from typing import Any

from ..engine.state.journal import rebuild
from ..forms.values.values import written
from ..problems import Place, Problem, Unreadable
from ..records import NamedTuple
from ..roots import project_root, reading_below
from ..script import tree
from ..script.against import check_ops
from ..script.expand import expand
from ..script.ops import ExpandedScenario, Op
from ..script.reader import read_script_anyway, read_script_text
from ..script.tree import Cannot, Check, Script
from ..script.writer import quoted, write_played, write_script
from .capabilities import unable
from .observed import Observed, observe, pinning
from .player import DEFAULT_CLOCK, evaluate_check, execute_step, play_scenario
from .results import Failure
from .simulated import SimulatedForm
from .story import StoryChange, told
from .subject import Subject
from .subjects import Loaded

_HEAD = 'scenario "rehearsal"\n'
_INDENT = "    "
_BLOCK = re.compile(r"\s*(?:fill|inside\s+\S+|do\s+\S+\s+with(?:\s+[A-Za-z_][\w, -]*)?)\s*(?:#.*)?$")


class Entry(NamedTuple):
    """One entry: its *text* as written, and its operations. *played*: it came from a script."""

    text: str
    ops: tuple[Op, ...]
    played: bool = False


class EntryResult(NamedTuple):
    """The result of an entry: *problems* if it was not understood, *failures* if it was not possible or did not hold (then nothing
    changed); else the *changed* properties, and the virtual time *ms* since load.
    """

    problems: tuple[Problem, ...] = ()
    failures: tuple[Failure, ...] = ()
    changed: tuple[StoryChange, ...] = ()
    ms: int = 0
    checked: bool = False
    live: bool = False  # its changes can only be observed

    @property
    def held(self) -> bool:
        """Return whether the entry was understood and did not fail."""
        return not self.problems and not self.failures


class Rehearsal:
    """A running form with its entries. *script* is the script it started from, whose routines are available."""

    def __init__(self, loaded: Loaded, subject: str, folder: str, clock: int, script: Script | None = None) -> None:
        self.loaded, self.form = loaded, loaded.form
        self.named = subject  # the subject, as a path from here or a URL
        self.folder, self.clock, self.script = folder, clock, script
        self.entries: list[Entry] = []
        self.offered: tuple[str, ...] = ()
        self._ahead = _routines(script) if script is not None else ""
        self._past: list[Subject | None] = []  # a copy of the form before each entry, if it can be copied
        self._seen: list[Observed | None] = []  # its observed state then, if it cannot
        self.subject = self._begun()

    def _begun(self) -> Subject:
        subject = self.loaded.begin(self.folder)
        refusal = subject.load(self.clock)
        if refusal is not None:
            raise Unreadable([Problem(Place(self.form.file, 1, 1), "the form cannot be loaded: its expressions never finish")])
        return subject

    @property
    def ops(self) -> tuple[Op, ...]:
        """The operations of all entries."""
        return tuple(op for entry in self.entries for op in entry.ops)

    @property
    def can_copy(self) -> bool:
        """True if the form can be copied."""
        return isinstance(self.subject, SimulatedForm)  # a page's trial shows whether a step is possible, but cannot be continued

    # taking
    def take(self, text: str, *, played: bool = False) -> EntryResult:
        """Execute the steps and checks of *text*, one statement of a script. *played*: treat it as part of a script."""
        ops, problems = self._read(text)
        return EntryResult(tuple(problems)) if problems else self._take(Entry(text, ops, played))

    def note(self, text: str, before: Observed | None) -> tuple[Problem, ...]:
        """Add an entry that the person took on the form itself, which was as *before*. Returns why it cannot be written."""
        ops, problems = self._read(text)
        if not problems:
            self.entries.append(Entry(text, ops))
            self._past.append(None)
            self._seen.append(before)
        return tuple(problems)

    def take_played(self, entry: Entry) -> EntryResult:
        """Execute a scenario of a script."""
        return self._take(entry)

    def _read(self, text: str) -> tuple[tuple[Op, ...], list[Problem]]:
        whole = self._ahead + _HEAD + "".join(f"{_INDENT}{line}\n" for line in text.split("\n"))
        file = self.script.file if self.script is not None else os.path.join(self.folder, "rehearsal")
        script, problems = read_script_anyway(file, whole)
        if not problems:
            with reading_below((project_root(file),)):
                scenarios, problems = expand(script)
            if not problems:
                ops = tuple(op._replace(line=len(self.entries) + 1) for op in scenarios[-1].ops)
                problems = check_ops(ops, self.form) or list(unable(ops, self.loaded.abilities))
                if not problems:
                    return ops, []
        return (), [_without_indent(problem) for problem in problems]

    def _take(self, entry: Entry) -> EntryResult:
        before = self.subject.trial() if self.can_copy else None
        seen = observe(self.subject, self.form) if before is None else None
        number, ops = len(self.ops), (*self.ops, *entry.ops)
        noted = len(self.subject.journal().changes) if isinstance(self.subject, SimulatedForm) else 0
        state = self.subject.state() if isinstance(self.subject, SimulatedForm) else {}
        failures: list[Failure] = []
        self.subject.coming(ops)
        for op in entry.ops:
            number += 1
            if isinstance(op.act, Check | Cannot):
                failures += evaluate_check(self.subject, op, ops)
            elif (failure := execute_step(self.subject, op, ops, number)) is not None:
                failures.append(failure)
            if failures:
                self._restore(before)
                return EntryResult(failures=tuple(failures), ms=self.subject.elapsed(), checked=isinstance(op.act, Check | Cannot))
        self.entries.append(entry)
        self._past.append(before)
        self._seen.append(seen)
        return EntryResult((), (), self._changed(noted, state), self.subject.elapsed(), all(map(_looks, entry.ops)), before is None)

    def _restore(self, before: Subject | None) -> None:
        """Undoes what part of an entry has done."""
        if before is not None:
            self.subject = before
        elif self.loaded.make_ready is not None:
            self.again()

    def _changed(self, noted: int, before: Any) -> tuple[StoryChange, ...]:
        if not isinstance(self.subject, SimulatedForm):
            return ()
        changes = list(self.subject.journal().changes[noted:])
        return tuple(told(changes, before, rebuild(before, changes, max((c.step for c in changes), default=0))))

    # going back
    def back(self, count: int) -> int:
        """Take the last *count* entries back; how many were."""
        count = min(count, len(self.entries))
        if not count:
            return 0
        kept, before = self.entries[:-count], self._past[-count]
        self.entries = self.entries[:-count]
        self._past, self._seen = self._past[:-count], self._seen[:-count]
        if before is not None:
            self.subject = before
        else:
            self._replay(kept)
        return count

    def again(self) -> EntryResult | None:
        """Replay all entries on a fresh form; return the first failing entry, if any (it and all later ones are dropped)."""
        return self._replay(list(self.entries))

    def _replay(self, entries: list[Entry]) -> EntryResult | None:
        self.subject.close()
        self.entries, self._past, self._seen = [], [], []
        self.subject = self._begun()
        for entry in entries:
            came = self._take(entry)
            if not came.held:
                return came
        return None

    # looking
    def observed(self) -> Observed:
        """Observe the form."""
        return observe(self.subject, self.form)

    def offer(self) -> list[str]:
        """Return checks that hold now and did not before the last step, and add them as entries."""
        last = next((n for n in range(len(self.entries) - 1, -1, -1) if not all(map(_looks, self.entries[n].ops))), None)
        if last is None:
            return []
        before = self._past[last]
        seen = observe(before, self.form) if before is not None else self._seen[last]
        offered = []
        for text in pinning(seen, self.observed()) if seen is not None else ():
            if all(text != entry.text for entry in self.entries[last + 1 :]) and self.take(text).held:
                offered.append(text)
        return offered

    def pinned(self) -> tuple[str, ...]:
        """Return the checks that the last entry would have offered right after it, if that was a step on a page."""
        if not self.entries or all(map(_looks, self.entries[-1].ops)):
            return ()
        seen = self._seen[-1]
        return tuple(pinning(seen, self.observed())) if seen is not None else ()

    # keeping
    def lines(self, ahead: int = 0) -> list[str]:
        """Return the entries after the first *ahead* as lines of a scenario."""
        return [line for entry in _merged(self.entries[ahead:]) for line in entry.split("\n")]

    def kept(self, file: str, text: str | None, title: str) -> str:
        """Return the text of the script *file*, whose text is *text* (None if missing), with the entries appended as a passing
        scenario.

        Raises Unreadable if the script cannot contain it.
        """
        own = read_script_text(text, file) if text is not None else None
        ahead = self._belongs(file, own)
        lines = ["", f"scenario {quoted(title)}"]
        clock = next((header.ms for header in own.headers if header.kind == "clock"), DEFAULT_CLOCK) if own is not None else self.clock
        if clock != self.clock:
            lines.append(f"{_INDENT}clock {_instant(self.clock)}")
        lines += [f"{_INDENT}{line}" for line in self.lines(ahead)]
        if own is None:
            head = f"subject {written(self._from(file))}\n"
            head += f"clock {_instant(self.clock)}\n" if self.clock != DEFAULT_CLOCK else ""
        else:
            head = (text or "").rstrip("\n") + "\n"
        made = write_script(read_script_text(head + "\n".join(lines) + "\n", file))
        self._holds(file, made)
        return made

    def _from(self, file: str) -> str:
        """The subject as a script at *file* names it."""
        if "://" in self.named:
            return self.named
        return os.path.relpath(self.named, os.path.dirname(file) or ".").replace(os.sep, "/")

    def _belongs(self, file: str, own: Script | None) -> int:
        """Return how many of the first entries the script's prelude covers. Raises Unreadable if it is about another form."""
        if own is None:
            return 0
        subject = next((header for header in own.headers if header.kind == "subject"), None)
        if subject is None or self._from(file) != os.path.normpath(subject.text).replace(os.sep, "/"):
            line = subject.line if subject is not None else 1
            cause = f"this script is about {subject.text}" if subject is not None else "this script does not name a subject"
            remedy = f"save it in a script about {self._from(file)}, or in a new one"
            raise Unreadable([Problem(Place(file, max(line, 1), 1), cause, remedy)])
        prelude = next((block for block in own.blocks if block.kind == "prelude"), None)
        if prelude is None:
            return 0
        played = _prelude(own)
        same = [entry.text for entry in self.entries[: len(played)] if entry.played] == [write_played(op.act) for op in played]
        if not same:
            remedy = f"start from it: rehearse … --from {file}:LINE, or save it in another script"
            raise Unreadable([Problem(Place(file, prelude.line, 1), "this script has a prelude, which did not run here", remedy)])
        return len(played)

    def _holds(self, file: str, text: str) -> None:
        """Run the last scenario of *text*. Raises Unreadable if it fails."""
        failures = self.failures(self.loaded, file, text)
        if failures:
            raise Unreadable([Problem(failures[0].place, "it fails when it runs from there, so it was not saved", "", failures[0].source)])

    def failures(self, loaded: Loaded, file: str, text: str) -> tuple[Failure, ...]:
        """Run the last scenario of *text* on a fresh form of *loaded* and return its failures. Raises Unreadable."""
        with reading_below((project_root(file), project_root(os.path.join(self.folder, "rehearsal")))):
            scenarios, problems = expand(read_script_text(text, file))
            problems += check_ops(scenarios[-1].ops, loaded.form) if scenarios else []
            if problems:
                raise Unreadable(problems)
            return play_scenario(scenarios[-1], loaded.begin(os.path.dirname(file) or "."), self.clock, file).failures


# from a script
def from_script(script: Script, line: int) -> tuple[ExpandedScenario, tuple[Op, ...]]:
    """Return the scenario of *script* at *line*, and its operations up to that line. Raises Unreadable if there is none."""
    with reading_below((project_root(script.file),)):
        scenarios, problems = expand(script)
    if problems:
        raise Unreadable(problems)
    found = next((s for s in scenarios if s.line <= line <= s.last_line or s.row_line == line), None)
    if found is None:
        near = min((s.line for s in scenarios), key=lambda n: abs(n - line), default=0)
        remedy = f"the nearest starts at line {near}" if near else ""
        raise Unreadable([Problem(Place(script.file, line, 1), f"no scenario at line {line}", remedy)])
    if line in (found.line, found.row_line):
        return found, tuple(op for op in found.ops if _first_line(op, found, script) < found.line)
    return found, tuple(op for op in found.ops if _first_line(op, found, script) <= line)


def _first_line(op: Op, scenario: ExpandedScenario, script: Script) -> int:
    """The line of *script* that led to *op*: its own, or that of the outermost call."""
    for call in op.calls:
        match = re.search(r"(?:line |:)(\d+)$", call)
        if match is not None and scenario.line < int(match[1]) <= scenario.last_line:
            return int(match[1])
    return op.place.line if op.source is script else 0


def played(op: Op) -> Entry:
    """Return an entry for an operation of a script."""
    return Entry(write_played(op.act), (op,), played=True)


def _prelude(script: Script) -> tuple[Op, ...]:
    blocks = (*(b for b in script.blocks if b.kind != "scenario"), tree.Block("scenario", tree.Body(()), title="it"))
    scenarios, problems = expand(script._replace(blocks=blocks))
    return scenarios[-1].ops if scenarios and not problems else ()


def _routines(script: Script) -> str:
    """The text of *script* with its scenarios and its prelude left out, every line in its place."""
    lines = script.text.split("\n")
    for block in script.blocks:
        if block.kind != "routine":
            lines[block.line - 1 : block.last_line] = [""] * (block.last_line - block.line + 1)
    return "\n".join(lines) + "\n"


# texts
def is_whole(text: str) -> bool:
    """Return whether a statement ends here: no bracket is open, and no block has begun that ends with an empty line."""
    depth = 0
    for part in re.findall(r'"(?:[^"\\\n]|\\.)*"|/(?:[^/\\\n]|\\.)+/|#[^\n]*|[\[\]{}]', text):
        depth += (part in "[{") - (part in "]}")
    return depth <= 0 and _BLOCK.match(text.split("\n")[0]) is None


def _without_indent(problem: Problem) -> Problem:
    """Return a problem with the position in the text as typed."""
    if not problem.source.startswith(_INDENT):
        return problem
    place = problem.place
    return problem._replace(place=place._replace(column=max(place.column - len(_INDENT), 1)), source=problem.source[len(_INDENT) :])


def _merged(entries: list[Entry]) -> list[str]:
    """The texts of *entries*, lines of `fill` that follow each other under one."""
    texts: list[str] = []
    for entry in entries:
        body = entry.text.partition("\n")[2]
        if entry.played and entry.text.startswith("fill\n") and texts and texts[-1].startswith("fill\n"):
            texts[-1] += "\n" + body
        elif re.match(r"\s*do\s", entry.text):
            texts += [write_played(op.act) for op in entry.ops]  # the script need not know the routine
        else:
            texts.append(entry.text)
    return texts


def _looks(op: Op) -> bool:
    return isinstance(op.act, Check | Cannot)


def _instant(ms: int) -> str:
    from ..forms.expressions.closures import rfc3339

    return rfc3339(ms)
