"""Results and problems as people read them: in a terminal of any width, without colours, and in a log."""

from __future__ import annotations

from ..playing.results import Failure, Run, ScenarioResult, ScriptResult
from ..problems import BAD_PATH, CALL, KIND, NO_FILE, Problem
from .styled import Line, columns, hanging, marked, plain, wrap
from .wording import expected_text, found_text, reason_texts, state_lines


def problem_lines(problem: Problem, width: int) -> list[Line]:
    """``FILE:LINE:COL: cause``, the line with a marker under the place, ``→`` with the remedy."""
    place = problem.place
    whole = problem.code in (NO_FILE, KIND, CALL, BAD_PATH) and not problem.source
    head = f"{place.file}: " if whole else f"{place.file}:{place.line}:{place.column}: "
    words = wrap(plain(problem.cause), width - columns(plain(head)))
    if len(words) == 1:
        lines: list[Line] = [[(plain(head), "strong"), (words[0], "bad")]]
    else:
        # In a narrow terminal the place gets its own line, to leave room for the cause.
        lines = [[(plain(head).rstrip(), "strong")], *([("  " + part, "bad")] for part in wrap(plain(problem.cause), width - 2))]
    if problem.source.strip():
        gutter = max(4, len(str(place.line)) + 1)
        lines += marked(place.line, problem.source, place.column, place.length, width, gutter)
    lines += [[("  " + plain(call), "dim")] for call in problem.called_from]
    if problem.remedy:
        lines += hanging("→ ", plain(problem.remedy), width, "")
    return lines


def script_line(result: ScriptResult, width: int) -> Line:
    """One line about a script: how many of its scenarios passed, failed and so on."""
    passed = sum(s.verdict == "pass" for s in result.scenarios)
    counts: Line = [(f"{passed:>4} passed" if passed or not result.scenarios else " " * 11, "good" if passed else "dim")]
    told = (("fail", "failed", "bad"), ("error", "error", "bad"), ("unsteady", "unsteady", "bad"),
           ("known", "known", "dim"), ("aside", "aside", "dim"))
    for verdict, word, style in told:
        count = sum(s.verdict == verdict for s in result.scenarios)
        if count:
            counts.append((f"{count:>4} {word}{'s' if verdict == 'error' and count > 1 else ''}", style))
    if result.errors:
        count = len(result.errors)
        counts = [(f"     could not run: {count} error{'s' if count > 1 else ''}", "bad")]
    if result.left_out and not result.errors:
        counts.append((f"   {result.left_out} not selected", "dim"))
    taken = sum(columns(text) for text, _ in counts)
    name = plain(result.file)
    room = max(width - taken - 3, 10)
    if columns(name) > room:
        name = "…" + name[-(room - 1) :]
    return [(" " + name + " " * max(1, min(room, 48) - columns(name)), ""), *counts]


_VERDICTS = {
    "pass": ("passed", "good"), "fail": ("FAILED", "bad"), "error": ("ERROR ", "bad"), "known": ("known ", "dim"),
    "aside": ("aside ", "dim"), "unsteady": ("unsteady", "bad"),
}  # fmt: skip


def scenario_line(result: ScenarioResult, width: int) -> list[Line]:
    """One scenario with its line and verdict (`--verbose`)."""
    word, style = _VERDICTS[result.verdict]
    at = f"{result.row_file}:{result.at}" if result.row_file else str(result.at)
    head = f"   {word} {at:>5}  "
    lines = wrap(plain(result.title + (f": {result.why}" if result.why else "")), width - len(head))
    found: list[Line] = [[(f"   {word}", style), (f" {at:>5}  ", "dim"), (lines[0], "")]]
    return found + [[(" " * len(head) + line, "")] for line in lines[1:]]


def scenario_failures(result: ScenarioResult, width: int) -> list[Line]:
    """Everything that failed in a scenario, under its title."""
    word = f" {_VERDICTS[result.verdict][0].strip()}  "
    head, title = f"{plain(result.address)}  ", plain(result.title)
    if columns(word) + columns(head) + columns(title) <= width:
        lines: list[Line] = [[(word, "bad"), (head, "strong"), (title, "")]]
    else:
        lines = [[(word, "bad"), (head, "strong")]]
        lines += [[("   " + part, "")] for part in wrap(title, width - 3)]
    last: Failure | None = None
    for failure in result.failures:
        lines.append([])
        lines += failure_lines(failure, width, last)
        last = failure
    return lines + _material_lines(result, width)


_MOST_MATERIAL = 5


def _material_lines(result: ScenarioResult, width: int) -> list[Line]:
    """Requests, console lines and the picture of the page that belong to the failures."""
    material = result.material
    if material is None:
        return []
    lines: list[Line] = []
    picture = (material.file,) if material.file else ()
    for name, texts in (("requests", material.requests), ("console", material.console), ("picture", picture)):
        told = [*texts[-_MOST_MATERIAL:], *([f"and {len(texts) - _MOST_MATERIAL} before"] if len(texts) > _MOST_MATERIAL else [])]
        for number, text in enumerate(told):
            lines += hanging(f"      {name:<10}" if number == 0 else " " * 16, plain(text), width, "dim")
    return [[], *lines] if lines else []


def failure_lines(failure: Failure, width: int, last: Failure | None = None) -> list[Line]:
    """Return the lines of one failure: its source line and the line above, expected and found, and the state of the field.

    Whatever the previous failure (*last*) has already shown is left out.
    """
    place = failure.place
    gutter = max(5, len(str(place.line)) + 2)
    lines: list[Line] = [[(f"   {plain(place.file)}:{place.line}:{place.column}", "dim")]]
    told = last is not None and last.place.file == place.file and last.place.line == place.line - 1
    if failure.before.strip() and not failure.before.lstrip().startswith("#") and not told:
        before = plain(failure.before.rstrip())
        room = max(width - gutter - 3, 20)
        lines.append([(f"{place.line - 1:>{gutter}} │ ", "dim"), (before if columns(before) <= room else before[: room - 1] + "…", "dim")])
    lines += marked(place.line, failure.source, place.column, place.length, width, gutter)
    return lines + why_lines(failure, width, last)


def why_lines(failure: Failure, width: int, last: Failure | None = None) -> list[Line]:
    """Expected and found, the reason, and the state of the field unless *last* has already shown it."""
    lines: list[Line] = []
    expected, reasons, state = expected_text(failure), reason_texts(failure), state_lines(failure)
    if expected:
        lines += hanging("      expected  ", plain(expected), width, "good")
        lines += hanging("      found     ", plain(found_text(failure)), width, "bad")
    for number, reason in enumerate(reasons):
        label = "      why       " if failure.because is not None else "      where     "
        head, style = (label if number == 0 else " " * 16, "") if expected else ("      ", "bad")
        lines += hanging(head, plain(reason), width, style)
    if state and not (last is not None and state_lines(last) == state):
        lines.append([])
        address, gap, rest = state[0].partition("   ")
        head = f"      {plain(address)}{gap}"
        about = hanging(head, plain(rest), width)
        about[0][0] = (head, "strong")
        lines += about
        for text in state[1:]:
            lines += hanging("      ", plain(text), width, "dim")
    lines += [[("      " + plain(call), "dim")] for call in failure.calls]
    return lines


def warning_lines(result: ScenarioResult, width: int) -> list[Line]:
    """The warnings of a scenario."""
    found: list[Line] = []
    for text in result.warnings:
        found += hanging(f" warning {plain(result.address)}  ", plain(text), width)
    return found


def script_warnings(result: ScriptResult, width: int) -> list[Line]:
    """The warnings about the subject of a script."""
    found: list[Line] = []
    for text in result.warnings:
        head = " warning  " if text.startswith(f"{result.file}:") else f" warning {plain(result.file)}  "
        found += hanging(head, plain(text), width)
    return found


_MOST_FALLEN = 200
_MANY = 3  # from this many failures on, their places are repeated at the end


def fallen_lines(run: Run, width: int) -> list[Line]:
    """The places of the failures, if there are three or more."""
    fallen = run.scripts.fallen
    if len(fallen) < _MANY:
        return []
    lines = [line for address, title in fallen[:_MOST_FALLEN] for line in hanging(f" {plain(address)}  ", plain(title), width)]
    more = len(fallen) - _MOST_FALLEN
    return [*lines, [(f" and {more:,} more", "dim")]] if more > 0 else lines


def slowest_lines(run: Run, most: int, width: int) -> list[Line]:
    """The slowest scenarios with their real time."""
    import heapq

    found = heapq.nlargest(most, (s for script in run.scripts for s in script.scenarios), key=lambda s: s.seconds)
    head: Line = [(f" the {len(found)} slowest" if len(found) > 1 else " the slowest", "dim")]
    return [head, *(line for s in found for line in hanging(f" {s.seconds:>8.3f} s  {plain(s.address)}  ", plain(s.title), width))]


def summary_lines(run: Run, width: int) -> list[Line]:
    """``15 scenarios: 14 passed, 1 failed (0.02 s)``; in a narrow terminal the time is on a line below."""
    total = sum(run.tally(verdict) for verdict in _VERDICTS)
    parts = [f"{run.tally('pass')} passed"]
    for verdict, word in (("fail", "failed"), ("unsteady", "unsteady"), ("known", "known"), ("aside", "aside")):
        if run.tally(verdict):
            parts.append(f"{run.tally(verdict)} {word}")
    if run.error_count:
        parts.append(f"{run.error_count} error{'s' if run.error_count != 1 else ''}")
    if run.scripts.left_out:
        parts.append(f"{run.scripts.left_out} not selected")
    style = "bad" if run.exit_code else "good" if total else "dim"
    count = f"{total} scenario{'s' if total != 1 else ''}"
    sums, time = f" {count}: {', '.join(parts)}", f" ({run.seconds:.2f} s)"
    line: Line = [(sums, style), (time, "dim")]
    if run.interrupted:
        line.append((", interrupted", "bad"))
    elif run.stopped:
        fallen = len(run.scripts.fallen) + run.scripts.unplayed
        line.append((f", stopped after {'the first failure' if fallen == 1 else f'{fallen} failures'}", "dim"))
    return [line] if columns(sums + time) <= width else [line[:1], line[1:]]
