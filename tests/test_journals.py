"""Records of all changes and failures of every case, the demo and the samples, compared with the last known ones.

`journals.xz` contains them. After an intended change of behaviour, `python tests/test_journals.py` writes them again and prints
the differences, to be read before they are committed.
"""

from __future__ import annotations

import json
import lzma
import re
import shutil
import sys
import tempfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from random import Random
from typing import Any

import pytest
from test_played import cases, script_of

from idlefox.engine.session.page_view import seen
from idlefox.forms.schema.read import read_schema
from idlefox.playing.player import RunOptions, load_script, play_scenario
from idlefox.playing.rehearsal import Rehearsal
from idlefox.playing.results import address_of
from idlefox.playing.select import SelectedScript
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.steps import take_step
from idlefox.playing.story import whole_story
from idlefox.playing.subjects import Subjects
from idlefox.problems import Unreadable
from idlefox.report.outline import outline_lines
from idlefox.report.wording import expected_text, found_text, reason_texts, refusal_text, state_lines
from idlefox.script.complete import KnownNames, complete
from idlefox.script.writer import write_played, write_script
from idlefox.study.actions import ActionGenerator
from idlefox.study.starter_files import from_schema
from idlefox.words.table import words

HERE = Path(__file__).parent
KEPT = HERE / "journals.xz"
DEMO = HERE.parent / "src" / "idlefox" / "demo"
SCRIPTS = [*sorted(DEMO.glob("*.fox")), *sorted((HERE / "samples").glob("*.fox")), HERE / "samples" / "order.schema.json"]


# What a library says in its own words may be said otherwise by its next version.
_THEIRS = re.compile(r"(this is (?:not an ECMAScript pattern|not YAML|no CSV|not JSON|no table|no pattern with flag v):|is no pattern with flag v:)[^→|]*")


def told(script: Path) -> list[str]:
    """A line for everything that *script* comes to: its faults, or each scenario's changes, exchanges and failures."""
    try:
        ready = load_script(SelectedScript(str(script)), RunOptions(trust=True), Subjects(trust=True))
    except Unreadable as fault:
        lines = [f"{p.place.line}:{p.place.column}+{p.place.length} {p.cause} → {p.remedy} | {p.source} | {p.called_from}" for p in fault.problems]
        return [_THEIRS.sub(r"\1 … ", line) for line in lines]
    lines = [f"{d.place.line}:{d.place.column} {d.cause}" for d in ready.doubts]
    if ready.loaded is not None:
        lines += ["".join(text for text, _ in line) for line in outline_lines(ready.loaded.form, 120)]
    lines += write_script(ready.script).split("\n")
    for scenario in ready.scenarios:
        lines.append(f"{scenario.line} {scenario.row_line} {scenario.last_line} {scenario.title}")
        assert ready.loaded is not None
        subject = ready.loaded.begin(str(script.parent))
        result = play_scenario(scenario, subject, ready.clock, script.name)
        assert isinstance(subject, SimulatedForm)
        if scenario.fate != "aside":
            journal = subject.journal()
            lines += [json.dumps(change.as_json(), ensure_ascii=False, default=str) for change in journal.changes]
            lines += [f"{each._replace(media_type=each.media_type[:20], body='')}" for each in journal.exchanges]
        for failure in result.failures:
            words = (expected_text(failure), found_text(failure), *reason_texts(failure), *state_lines(failure), *failure.calls)
            lines.append(f"{failure.place.line}:{failure.place.column}+{failure.place.length} {failure.kind} {words}")
        lines.append(f"{result.verdict} {result.steps} {result.checks} {result.warnings}")
    return [line.replace(str(script.parent), "") for line in lines]


def beside(script: Path, *, lines_too: bool) -> list[str]:
    """What is told of *script* elsewhere: the story of each scenario, how its lines are completed (*lines_too*), and how it goes by hand."""
    try:
        ready = load_script(SelectedScript(str(script)), RunOptions(trust=True), Subjects(trust=True))
    except Unreadable:
        return []
    if ready.loaded is None:
        return []
    lines: list[str] = []
    for scenario in ready.scenarios:
        if scenario.fate != "aside":
            lines.append(address_of(script.name, scenario))
            story = whole_story(scenario, ready.loaded, str(script.parent), ready.clock, script.name)
            lines += [f"{scenario.line} {scenario.row_line} {story.columns} {story.ticks} {len(story.exchanges)}"]
            lines += [f"  {tuple(taken)}" for taken in story.taken]
            lines += [f"  {lane.kind} {lane.name} {[tuple(mark) if mark is not None else None for mark in lane.marks]}" for lane in story.lanes]
    form = ready.loaded.form
    known = KnownNames(form, tuple((b.name, b.parameters) for b in ready.script.blocks if b.kind == "routine"), ("name", "value"), ("slow", "day"))
    for line in dict.fromkeys(ready.script.text.split("\n") if lines_too else ()):
        for cut in sorted({each for end in (m.end() for m in re.finditer(r"\S+\s?", line)) for each in (end, end - 2) if 0 < each <= len(line)}):
            found = complete(line[:cut], known, at_top=not line.startswith(" "), in_fill=line.startswith("     "))
            whole = zlib.crc32(repr(found).encode())
            lines.append(f"{line[:cut]}│ {len(found)} {whole:08x} {', '.join(each.text for each in found[:5])}")
    try:
        hand = Rehearsal(ready.loaded, form.file, str(script.parent), ready.clock)
    except Unreadable as fault:
        return [*lines, str(fault)]
    for scenario in ready.scenarios[:3]:
        for number, op in enumerate(scenario.ops):
            came = hand.take(write_played(op.act))
            lines.append(f"by hand {came.ms} {came.checked} {[*map(tuple, came.changed)]} {[p.cause for p in came.problems]} {len(came.failures)}")
            if number % 5 == 4:
                lines += [*hand.offer(), f"back {hand.back(2)} {hand.observed().fields.keys()}", str(hand.again() is not None)]
        wrong = hand.take('type nowhere "x"').problems
        lines += [*hand.lines(), *(f"{p.place.column}+{p.place.length} {p.source}" for p in wrong), *map(str, _seen(hand.subject))]
    if hand.entries and not any(line.startswith("by hand") and not line.endswith("[] 0") for line in lines):
        lines += hand.kept(str(script.parent / "kept.fox"), None, "kept").split("\n")
    return [line.replace(str(script.parent), "") for line in lines]


def _seen(subject: Any) -> list[Any]:
    """What a page would draw of the form as it stands now."""
    return [(*each.parts, each[3:]) for each in seen(subject.session.live).values()] if isinstance(subject, SimulatedForm) else []


def walked(script: Path, title: str) -> list[str]:
    """What comes of steps taken at random on the form of *script*: after every ten of them a sum of all that has come of them."""
    try:
        ready = load_script(SelectedScript(str(script)), RunOptions(trust=True), Subjects(trust=True))
    except Unreadable:
        return []
    lines: list[str] = []
    repertoire = ActionGenerator(ready.loaded.form) if ready.loaded is not None else None
    for number in range(2):
        random, subject = Random(f"{title} {number}"), ready.loaded.begin(str(script.parent)) if ready.loaded is not None else None
        if repertoire is None or not isinstance(subject, SimulatedForm) or subject.load(ready.clock) is not None:
            return lines
        came: list[Any] = []
        for at in range(1, 41):
            refusal = take_step(subject, repertoire.choose(random), at)
            came.append(refusal_text(refusal) if refusal is not None else None)
            if at % 10 == 0:
                journal = subject.journal()
                came += [[c.as_json() for c in journal.changes if c.step > at - 10], [each._replace(media_type="", body="") for each in journal.exchanges]]
                lines.append(f"walk {number}, to step {at}: {zlib.crc32(repr((came, _seen(subject))).replace(str(script.parent), '').encode()):08x}")
    return lines


def sources() -> Iterator[tuple[str, Any]]:
    for script in SCRIPTS:
        yield script.name, script
    for case in cases():
        sheet, page, body = case.values
        yield str(case.id), {"form.form.yaml": sheet, "page.html": page, "codes.csv": "code\nK1\nK2\n", "a.fox": script_of(page, body)}
    for word in words():
        if not word.whole_script:
            sheet = f"form: example\n{word.sheet}" if word.sheet else (DEMO / f"{word.on}.form.yaml").read_text("utf-8")
            files = {"form.form.yaml": sheet, "rules.py": word.python, "codes.csv": word.csv.lstrip()}
            yield f"word: {word.group} {word.place} {word.word}", {**files, "a.fox": script_of("", word.example.strip())}


def now(source: Any, folder: Path) -> list[str]:
    if isinstance(source, Path) and source.suffix == ".json":
        made = from_schema(read_schema(str(source)), "order", str(folder))
        return [_THEIRS.sub(r"\1 … ", line) for line in (*made.sheet.split("\n"), *made.script.split("\n"), *made.left_out)]
    if isinstance(source, Path):
        return [*told(source), *beside(source, lines_too=True), *walked(source, source.name)]
    shutil.copy(DEMO / "lost-property.html", folder)
    for name, text in source.items():
        (folder / name).write_text(text, encoding="utf-8")
    script = folder / "a.fox"
    return [*told(script), *beside(script, lines_too="rules.py" in source), *walked(script, source["a.fox"])]


@pytest.fixture(scope="module")
def kept() -> dict[str, list[str]]:
    found: dict[str, list[str]] = json.loads(lzma.decompress(KEPT.read_bytes()))
    return found


@pytest.mark.parametrize(("title", "source"), [pytest.param(*each, id=each[0]) for each in sources()])
def test_every_case_changes_the_same_as_before(kept: dict[str, list[str]], title: str, source: Any, tmp_path: Path) -> None:
    assert now(source, tmp_path) == kept.get(title, []), "if this is meant: python tests/test_journals.py"


if __name__ == "__main__":
    before: dict[str, list[str]] = json.loads(lzma.decompress(KEPT.read_bytes())) if KEPT.exists() else {}
    found: dict[str, list[str]] = {}
    for name, each in sources():
        with tempfile.TemporaryDirectory() as scratch:
            found[name] = now(each, Path(scratch))
        if name in before and found[name] != before[name]:
            changed = [line for line in found[name] if line not in before[name]], [line for line in before[name] if line not in found[name]]
            sys.stdout.write(f"{name}\n" + "".join(f"  + {line}\n" for line in changed[0]) + "".join(f"  - {line}\n" for line in changed[1]))
    KEPT.write_bytes(lzma.compress(json.dumps(found).encode(), preset=9))
