"""The HTML report of a run: one self-contained page, readable without scripts, by keyboard, in dark mode and on paper."""

from __future__ import annotations

import base64
import os
import re
from collections.abc import Iterator
from datetime import datetime
from difflib import SequenceMatcher
from html import escape
from typing import Any

from ..forms.values.values import written
from ..playing.results import Failure, Run, ScenarioResult
from ..playing.story import StoryChange, StoryStep
from .styled import plain
from .timeline import drawing_of
from .timeline_svg import PATTERNS, svg_of
from .wording import expected_text, found_text, reason_texts, state_lines

_WORD = re.compile(r"\w+|\W")
_MEMBER = re.compile(r'"(?:[^"\\]|\\.)*"|[\w.+-]+|\W')  # of an object: its strings and numbers whole
_MOST_WORDS = 3_000  # above this, texts are not compared piece by piece
_MOST_STEPS_OF = 5_000  # scenarios; above this, steps of passed scenarios are omitted
_WORDS = {"pass": "passed", "fail": "failed", "error": "error", "known": "known", "aside": "aside", "unsteady": "unsteady"}


def html_report(run: Run, *, whole: bool = False) -> Iterator[str]:
    """The page in pieces. *whole*: passing scenarios unfolded, as failing ones are, and no list of all; for a few."""
    from jinja2 import Environment, PackageLoader, StrictUndefined
    from markupsafe import Markup

    loader = PackageLoader("idlefox.report", ".")
    environment = Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters["visible"] = plain
    environment.filters["told"] = _told_text
    sums = [(word, run.tally(verdict), verdict) for verdict, word in _WORDS.items() if run.tally(verdict) or verdict in ("pass", "fail")]
    template = environment.get_template("report.html")
    stream = template.stream(
        run=run,
        when=datetime.now().astimezone(),
        folder=os.path.basename(os.getcwd()),
        sums=sums,
        total=run.scripts.total,
        whole=whole,
        verdict=_verdict(run),
        words=_WORDS,
        patterns=Markup(PATTERNS),
        tags=sorted({tag for script in run.scripts for scenario in script.scenarios for tag in scenario.tags}),
        failures=lambda scenario: [_failure(failure) for failure in scenario.failures],
        timeline=lambda story: Markup(svg_of(drawing_of(story))) if story and story.lanes else "",
        picture=_picture,
        row=lambda scenario: Markup(_row(scenario, with_steps=run.scripts.total <= _MOST_STEPS_OF)),
        moved=_moved,
        groups=_groups,
    )
    stream.enable_buffering(2_000)
    return stream


def _verdict(run: Run) -> str:
    """The result of the run in a few words."""
    if run.interrupted:
        return "interrupted"
    failed, total = len(run.scripts.fallen), run.scripts.total
    if failed:
        return f"{failed} of {total} scenario{'' if total == 1 else 's'} failed"
    return "all scenarios passed" if run.exit_code == 0 else "errors"


def _failure(failure: Failure) -> dict[str, Any]:
    place = failure.place
    source, start = failure.source, place.column - 1
    expected, found = expected_text(failure), found_text(failure)
    return {
        "at": f"{place.file}:{place.line}:{place.column}",
        "line": place.line,
        "before": failure.before if failure.before.strip() else "",
        "source": (source[:start], source[start : start + place.length] or " ", source[start + place.length :]),
        "expected": _apart(expected, found)[0] if expected else None,
        "found": _apart(expected, found)[1] if expected else None,
        "reasons": reason_texts(failure),
        "state": state_lines(failure),
        "calls": failure.calls,
    }


Parts = list[tuple[str, bool]]  # the pieces of a text, each with whether it is marked


def _apart(one: str, other: str) -> tuple[Parts, Parts]:
    """Split two texts into pieces that are in both and pieces that are not: of objects, the members that differ."""
    piece = _MEMBER if one[:1] in "{[" and other[:1] in "{[" else _WORD
    words = [piece.findall(plain(text)) for text in (one, other)]
    if max(map(len, words)) > _MOST_WORDS:
        return [(one, True)], [(other, True)]
    parts: tuple[Parts, Parts] = ([], [])
    for kind, *ends in SequenceMatcher(None, words[0], words[1], autojunk=False).get_opcodes():
        for side, (start, end) in enumerate((ends[:2], ends[2:])):
            text = "".join(words[side][start:end])
            if text:
                parts[side].append((text, kind != "equal" and bool(text.strip())))
    return parts


def _told_text(change: StoryChange) -> str:
    """Return a change in words: the new value of a text or message; otherwise the old and the new value."""
    after = plain(written(change.after))
    return after if change.is_event else f"{plain(written(change.before))} → {after}"


def _moved(before: StoryStep | None, taken: StoryStep) -> str:
    """Return the virtual time after a step, if it differs from the one *before*."""
    return f"{taken.ms / 1000:g} s" if taken.ms != (before.ms if before is not None else 0) else ""


def _row(scenario: ScenarioResult, *, with_steps: bool) -> str:
    """A scenario in the list of all. There may be very many, so they are put together by hand: with the template it is twice the time."""
    texts = (" ".join(scenario.tags), scenario.file, scenario.title, scenario.address)
    tags, file, title, address = (escape(plain(each)) for each in texts)
    head = f'<span class="verdict {scenario.verdict}">{_WORDS[scenario.verdict]}</span> <span class="title">{title}</span>'
    head += f'\n<span class="place">{address}</span>' + "".join(f' <span class="tag">{escape(plain(tag))}</span>' for tag in scenario.tags)
    head += f' <span class="time">{scenario.seconds * 1000:.1f} ms</span>'
    taken = _steps(scenario) if with_steps and scenario.story and not scenario.fell else ""
    why = f" {escape(plain(scenario.why))}" if scenario.why and not taken else ""
    body = f"<details><summary>{head}</summary>\n{taken}</details>" if taken else head + why
    warnings = "" if scenario.fell else "".join(f"<p>warning: {escape(plain(each))}</p>" for each in scenario.warnings)
    return f'<li data-verdict="{scenario.verdict}" data-tags=" {tags} " data-script="{file}">\n{body}\n{warnings}</li>\n'


def _steps(scenario: ScenarioResult) -> str:
    """The steps of a scenario that held, as a list."""
    items, before = [], 0
    for taken in scenario.story.taken:
        time = "" if taken.ms == before else f' <span class="time">{taken.ms / 1000:g} s</span>'
        items.append(f'<li data-line="{taken.line}"><code>{escape(plain(taken.played or taken.text))}</code>{time}</li>')
        before = taken.ms
    return f'<ol class="plain">{"".join(items)}</ol>' if items else ""


def _groups(taken: StoryStep) -> list[tuple[str, list[StoryChange]]]:
    """The changes of a step by their groups."""
    found: dict[str, list[StoryChange]] = {}
    for change in taken.changes:
        found.setdefault(change.group, []).append(change)
    return list(found.items())


def _picture(scenario: ScenarioResult) -> str:
    """The picture of a page at its failure, as a data URL (RFC 2397)."""
    material = scenario.material
    if material is None or not material.picture:
        return ""
    return "data:image/png;base64," + base64.b64encode(material.picture).decode()
