"""Plays scripts: reads, checks, plays each scenario on a fresh form, and collects what came of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from time import perf_counter
from typing import Any

from ..engine.acts.sight import Cannot
from ..engine.state.queue import EndlessChain
from ..forms.values.durations import parse_instant
from ..problems import Place, Problem, Unreadable
from ..records import NamedTuple
from ..script.against import check_ops
from ..script.expand import Op, Scenario, expand, lines_of
from ..script.reader import read_script_anyway
from ..script.tree import Check, Noun, Script
from .checks import judge_check
from .results import Failure, ScenarioResult, ScriptResult
from .select import Chosen, at_lines, wanted
from .subject import Subject
from .subjects import Loaded, Subjects

DEFAULT_CLOCK = parse_instant("2030-01-01T09:00:00Z") or 0


class Wishes(NamedTuple):
    """What to play and how: a *subject* in place of the scripts' own, tags, words of titles."""

    subject: str = ""
    tags: tuple[str, ...] = ()
    match: str = ""
    stop_first: bool = False
    trust_python: bool = False
    jobs: int = 1


class Ready(NamedTuple):
    """A script that can be played."""

    script: Script
    scenarios: tuple[Scenario, ...]
    loaded: Loaded
    clock: int
    left_out: int


def prepare(chosen: Chosen, wishes: Wishes, subjects: Subjects) -> Ready:
    """Reads *chosen* and its subject and checks one against the other. Raises Unreadable with every fault."""
    script, slips = read_script_anyway(chosen.file)
    place = Place(script.file, 1, 1)
    if not slips and not any(b.kind in ("scenario", "routine") for b in script.blocks):
        raise Unreadable([Problem(place, f"no scenario in {script.file}", 'begin one with: scenario "what should hold"')])
    scenarios, problems = expand(script)
    if slips:
        # A routine or table whose head could not be read would be missed everywhere: only what stands by itself is told.
        problems = slips
    header = next((h for h in script.headers if h.kind == "subject"), None)
    loaded: Loaded | None = None
    if scenarios or problems:
        try:
            if wishes.subject:
                loaded = subjects.load(wishes.subject, ".")
            elif header is not None:
                loaded = subjects.load(header.text, str(Path(script.file).parent))
            elif not slips:
                problems.append(Problem(place, "the script names no subject", 'begin it with: subject "FORM.form.yaml", or say --subject'))
        except Unreadable as fault:
            problems.extend(_at_header(fault, script, None if wishes.subject else header))
    if loaded is not None:
        problems.extend(check_ops((op for s in scenarios for op in s.ops), loaded.form))
    if problems:
        raise Unreadable(problems)
    chosen_ones, missed = at_lines(scenarios, chosen.lines) if chosen.lines else (scenarios, [])
    if missed:
        cause = f"there is no scenario at line {missed[0]}"
        near = min((s.line for s in scenarios), key=lambda n: abs(n - missed[0]), default=0)
        raise Unreadable([Problem(Place(script.file, missed[0], 1), cause, f"the nearest begins at line {near}" if near else "")])
    test = wanted(wishes.tags, wishes.match)
    kept = [s for s in chosen_ones if test(s)]
    clock = next((h.ms for h in script.headers if h.kind == "clock"), DEFAULT_CLOCK)
    nothing = Loaded(None, lambda folder: None)  # type: ignore[arg-type,return-value]
    return Ready(script, tuple(kept), loaded or nothing, clock, len(scenarios) - len(kept))


def _at_header(fault: Unreadable, script: Script, header: Any) -> list[Problem]:
    """A missing subject is the script's fault, at its header; what is wrong in a sheet is told in the sheet."""
    first = fault.problems[0]
    own = "no such file" in first.cause or "supported yet" in first.cause
    if header is None or first.source or len(fault.problems) > 1 or not own:
        return list(fault.problems)
    lines = lines_of(script)
    place = lines.place(script.file, header.offset, len("subject"))
    cause = f"there is no file {header.text!r} beside the script" if "no such file" in first.cause else first.cause
    return [Problem(place, cause, first.remedy, lines.line(place.line))]


def play_script(chosen: Chosen, wishes: Wishes, subjects: Subjects, tell: Callable[[ScenarioResult], None] | None = None) -> ScriptResult:
    """Plays one script file."""
    started = perf_counter()
    try:
        ready = prepare(chosen, wishes, subjects)
    except Unreadable as fault:
        return ScriptResult(chosen.file, (), fault.problems, perf_counter() - started)
    results: list[ScenarioResult] = []
    folder = str(Path(chosen.file).parent)
    for scenario in ready.scenarios:
        result = play_scenario(scenario, ready.loaded.begin(folder), ready.clock, chosen.file)
        results.append(result)
        if tell is not None:
            tell(result)
        if wishes.stop_first and result.verdict != "pass":
            break
    return ScriptResult(chosen.file, tuple(results), (), perf_counter() - started, ready.left_out, ready.loaded.warnings)


def play_scenario(scenario: Scenario, subject: Subject, clock: int, file: str) -> ScenarioResult:
    """Plays *scenario* on a fresh form of *subject*."""
    started = perf_counter()
    subject.load(clock if scenario.clock is None else scenario.clock)
    failures: list[Failure] = []
    ops = scenario.ops
    checks = 0
    for number, op in enumerate(ops, 1):
        if isinstance(op.act, Check):
            checks += 1
            failures += _check(subject, op, ops)
            continue
        if failures:
            break
        try:
            subject.perform(op.act, number)
        except Cannot as fault:
            failures.append(_cannot(subject, op, ops, fault))
            break
        except EndlessChain as fault:
            failures.append(_failure(op, "", "", str(fault)))
            break
    warnings = list(subject.warnings())
    if not checks and not failures:
        warnings.append("this scenario checks nothing")
    subject.close()
    return ScenarioResult(
        file, scenario.line, scenario.row_line, scenario.title, scenario.tags, "fail" if failures else "pass", tuple(failures),
        tuple(warnings), perf_counter() - started,
    )  # fmt: skip


def _check(subject: Subject, op: Op, ops: tuple[Op, ...]) -> list[Failure]:
    check: Check = op.act
    try:
        finding = judge_check(subject, check)
    except EndlessChain as fault:
        return [_failure(op, "", "", str(fault))]
    if finding.holds:
        return []
    state = _with_lines(subject.explain(check.noun), ops)
    found = _failure(op, finding.expected, finding.found, finding.reason, state)
    place = lines_of(op.source).place(op.source.file, check.offset, check.length)
    return [Failure(place, found.source, found.before, found.check, found.expected, found.found, found.reason, state, found.calls)]


def _cannot(subject: Subject, op: Op, ops: tuple[Op, ...], fault: Cannot) -> Failure:
    state: tuple[str, ...] = ()
    explain = getattr(subject, "explain_cell", None)
    if fault.see is not None and explain is not None and fault.see.up is not None:
        state = explain(fault.see)
    elif (address := getattr(op.act, "address", None)) is not None:
        state = subject.explain(Noun("address", address))
    return _failure(op, "", "", fault.reason, _with_lines(state, ops))


def _with_lines(state: tuple[str, ...], ops: tuple[Op, ...]) -> tuple[str, ...]:
    """Puts the line of the step in place of its number: ``{3}`` -> ``last changed by line 43: type voucher "ISLE1"``."""
    found: list[str] = []
    for text in state:
        before, brace, rest = text.rpartition(", {")
        number = rest[:-1]
        if brace and rest.endswith("}") and number.isdigit() and 0 < int(number) <= len(ops):
            op = ops[int(number) - 1]
            text = f"{before}, last changed by line {op.line}: {text_of(op)}"
        found.append(text)
    return tuple(found)


def text_of(op: Op) -> str:
    """The first line of a step or check as written, cut where it is long."""
    text = op.source.text[op.offset : op.offset + op.length].split("\n")[0].strip()
    return text if len(text) <= 90 else text[:87] + "…"


def _failure(op: Op, expected: str, found: str, reason: str = "", state: tuple[str, ...] = ()) -> Failure:
    lines = lines_of(op.source)
    place = lines.place(op.source.file, op.offset, op.length)
    before = lines.line(place.line - 1) if place.line > 1 else ""
    check = op.source.text[op.offset : op.offset + op.length].strip()
    return Failure(place, lines.line(place.line), before, check, expected, found, reason, state, op.calls)


def play_files(
    chosen: list[Chosen], wishes: Wishes, subjects: Subjects, tell: Callable[[ScenarioResult], None] | None = None
) -> Iterator[ScriptResult]:
    """Plays the scripts one after the other; ends early where *wishes* say so."""
    if wishes.jobs > 1 and len(chosen) > 1 and not wishes.stop_first:
        yield from _in_processes(chosen, wishes)
        return
    for each in chosen:
        result = play_script(each, wishes, subjects, tell)
        yield result
        if wishes.stop_first and (result.errors or any(s.verdict != "pass" for s in result.scenarios)):
            return


def _in_processes(chosen: list[Chosen], wishes: Wishes) -> Iterator[ScriptResult]:
    """Plays scripts in several processes; results come in the order of the scripts, whatever finishes first."""
    import multiprocessing
    from concurrent.futures import Executor, ProcessPoolExecutor
    from functools import partial

    pool: Executor
    with ProcessPoolExecutor(min(wishes.jobs, len(chosen)), initializer=_ignore_interrupts) as pool:
        try:
            yield from pool.map(partial(_alone, wishes), chosen)
        except KeyboardInterrupt:
            # Nobody waits for scripts that are still playing: what has come in is what there is.
            for process in multiprocessing.active_children():
                process.terminate()
            pool.shutdown(wait=False, cancel_futures=True)
            raise


def _ignore_interrupts() -> None:
    """An interrupt is for the one who waits for the results, not for those who play."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _alone(wishes: Wishes, chosen: Chosen) -> ScriptResult:
    return play_script(chosen, wishes, Subjects(trust_python=wishes.trust_python))
