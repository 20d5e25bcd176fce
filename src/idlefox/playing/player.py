"""Runs scripts: parses and checks them, runs each scenario on a fresh form, and collects the results."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from time import perf_counter
from typing import Any

from ..forms.names.addresses import parse_address
from ..forms.values.durations import parse_instant
from ..problems import BAD_PATH, CALL, NO_FILE, OUTSIDE, UNSUPPORTED, Place, Problem, Unreadable, near_file, read_text
from ..records import NamedTuple
from ..refusals import NO_END, UNCERTAIN, Refusal
from ..roots import note_read, project_root, reading_below
from ..script.against import check_ops
from ..script.expand import expand
from ..script.ops import WHOLE, ExpandedScenario, Op, ScenarioRange, lines_of, path_span
from ..script.reader import read_script_anyway
from ..script.tree import Address, Cannot, Check, Header, Noun, Script, Upload
from ..script.warnings import doubts
from . import collector
from .capabilities import unable
from .checks import CheckResult, judge_check
from .prefix_cache import PrefixCache, ScenarioPrefix
from .results import Failure, LastChange, ScenarioResult, ScriptResult
from .select import ScenarioFilter, SelectedScript, at_lines, at_rows, place_of, wanted
from .steps import take_step
from .subject import FieldState, Subject
from .subjects import Loaded, Subjects
from .work import HERE, ExecutionOptions, TaskStopped

DEFAULT_CLOCK = parse_instant("2030-01-01T09:00:00Z") or 0


class RunOptions(NamedTuple):
    """The options of a run: a *subject* instead of that of the scripts, the scenarios to select, their order."""

    subject: str = ""
    narrowed: ScenarioFilter = ScenarioFilter()
    stop_after: int = 0  # end the run after this number of failures; 0: never
    seed: int | None = None  # the order is shuffled by it
    stories: bool = False  # record the story of every scenario
    trust: bool = False
    apart: bool = False  # scripts with Python rules run in a process of their own
    work: ExecutionOptions = HERE  # how many processes, and where
    project: str = ""  # the folder of the configuration, if there is one
    outside: Any = None  # makes subjects outside of the engine of forms: `Subjects`
    served: Any = None  # makes a subject of a URL, where *outside* does not
    roots: tuple[str, ...] = ()  # further folders below which scripts and sheets may name files

    def roots_for(self, file: str) -> tuple[str, ...]:
        """Return the folders below which the script *file* may use files."""
        return (project_root(file), *self.roots)


class LoadedScript(NamedTuple):
    """A script that is ready to run. *loaded* is None if nothing has to run."""

    script: Script
    scenarios: tuple[ExpandedScenario, ...]
    loaded: Loaded | None
    clock: int
    left_out: int
    doubts: tuple[Problem, ...] = ()


Read = tuple[Script, list[Problem]]  # a script and its errors


def parse_script(chosen: SelectedScript) -> Read:
    """Parse the script *chosen*. Raises Unreadable if it does not exist."""
    return read_script_anyway(chosen.file, chosen.text)


def load_script(
    chosen: SelectedScript, wishes: RunOptions, subjects: Subjects, part: ScenarioRange = WHOLE, script: Read | None = None,
) -> LoadedScript:
    """Read *chosen* (unless *script* is that) and its subject, and binds one to the other.

    Raises Unreadable with every fault; of a *part*, with those that are met in it.
    """
    with reading_below(wishes.roots_for(chosen.file)):
        text = read_text(chosen.file) if script is None and chosen.text is None else chosen.text
        with collector.at_rest(len(text or "")):
            known, slips = script or read_script_anyway(chosen.file, text)
            ready = _bind(known, slips, chosen, wishes, subjects, part)
    collector.keep(sum(len(scenario.ops) for scenario in ready.scenarios), len(text or ""))
    return ready


def _bind(
    script: Script, slips: list[Problem], chosen: SelectedScript, wishes: RunOptions, subjects: Subjects, part: ScenarioRange,
) -> LoadedScript:
    if not slips and not any(b.kind in ("scenario", "routine") for b in script.blocks):
        cause = f"no scenario in {script.file}"
        raise Unreadable([Problem(Place(script.file, 1, 1), cause, 'start one with: scenario "what should hold"')])
    ahead = part if wishes.seed is None else WHOLE  # shuffle before splitting
    scenarios, problems = expand(script, ahead)
    if slips:
        # An unreadable routine or table would cause errors wherever it is used, so only independent errors are reported.
        problems = slips
    loaded: Loaded | None = None
    if scenarios or problems:
        try:
            loaded = _subject(script, wishes, subjects, needed=not slips)
        except Unreadable as fault:
            problems.extend(fault.problems)
    each = _each_once(scenarios)
    if loaded is not None:
        problems.extend(_bound(each, scenarios, loaded))
    if problems:
        raise Unreadable(problems)
    expanded, kept = len(scenarios), _kept(script, scenarios, chosen, wishes)
    scenarios = scenarios if ahead is part else list(part.of(scenarios))
    kept = kept if ahead is part else list(part.of(kept))
    if len(kept) < expanded:
        each = _each_once(kept)
    if loaded is not None and unable(each, loaded.abilities):
        raise Unreadable(unable((op for s in kept for op in s.ops), loaded.abilities))
    _note_uploads(script.file, each)
    clock = next((h.ms for h in script.headers if h.kind == "clock"), DEFAULT_CLOCK)
    doubtful: list[Problem] = []
    if loaded is not None and doubts(each, loaded.form):
        doubtful = doubts((op for s in kept for op in s.ops), loaded.form)
    return LoadedScript(script, tuple(kept), loaded, clock, len(scenarios) - len(kept), tuple(doubtful))


def _note_uploads(file: str, ops: list[Op]) -> None:
    """Record the files of upload steps as read, for callers that track files."""
    folder = Path(file).parent
    named = {each.name for op in ops if isinstance(op.act, Upload) for each in op.act.files}
    note_read(*(str(folder / name) for name in sorted(named)))


def _subject(script: Script, wishes: RunOptions, subjects: Subjects, *, needed: bool) -> Loaded | None:
    """Load the subject of *script*. Raises Unreadable if it names none (and one is *needed*) or cannot be used."""
    if wishes.subject:
        return subjects.load(wishes.subject, ".")
    header = next((h for h in script.headers if h.kind == "subject"), None)
    if header is not None:
        try:
            return subjects.load(header.text, str(Path(script.file).parent))
        except Unreadable as fault:
            raise Unreadable(_at_header(fault, script, header)) from None
    if not needed:
        return None
    remedy = 'add: subject "FORM.form.yaml", or use --subject'
    raise Unreadable([Problem(Place(script.file, 1, 1), "the script does not name a subject", remedy)])


def _at_header(fault: Unreadable, script: Script, header: Header) -> list[Problem]:
    """Place a missing subject at the script's header; errors in a sheet stay in the sheet."""
    first = fault.problems[0]
    if first.source or len(fault.problems) > 1 or first.code not in (NO_FILE, BAD_PATH, UNSUPPORTED, OUTSIDE):
        return list(fault.problems)
    lines = lines_of(script)
    place = lines.place(script.file, *path_span(script.text, header.offset))
    if first.code != NO_FILE:
        return [Problem(place, first.cause, first.remedy, lines.line(place.line))]
    file, mark, part = header.text.partition("#")
    remedy = near_file(str(Path(script.file).parent / file), file)
    if mark and remedy.startswith("did you mean"):
        remedy = remedy.replace("'?", f"#{part}'?")
    return [Problem(place, f"file not found beside the script: {file!r}", remedy, lines.line(place.line))]


def _bound(each: list[Op], scenarios: list[ExpandedScenario], loaded: Loaded) -> list[Problem]:
    """Check *scenarios* against the subject and resolve every address; return the problems.

    *each*: their steps and checks, once.
    """
    if check_ops(each, loaded.form):
        return check_ops((op for s in scenarios for op in s.ops), loaded.form)
    for segments in {address.segments for op in each if (address := _address(op.act)) is not None}:
        loaded.follow(segments)
    return []


def _each_once(scenarios: list[ExpandedScenario]) -> list[Op]:
    """Yield one step or check for all equal ones: they have the same problems."""
    return list({id(op.act): op for s in scenarios for op in s.ops}.values())


def _address(act: Any) -> Address | None:
    if isinstance(act, Cannot):
        act = act.step
    return act.noun.address if isinstance(act, Check) else getattr(act, "address", None)


def _kept(script: Script, scenarios: list[ExpandedScenario], chosen: SelectedScript, wishes: RunOptions) -> list[ExpandedScenario]:
    """Select the scenarios to run. Raises Unreadable if there is none at a given line."""
    if chosen.rows:
        scenarios = at_rows(scenarios, chosen.rows, Path(chosen.file).parent)
    chosen_ones, missed = at_lines(scenarios, chosen.lines) if chosen.lines else (scenarios, [])
    if missed:
        cause = f"no scenario at line {missed[0]}"
        near = min((s.line for s in scenarios), key=lambda n: abs(n - missed[0]), default=0)
        raise Unreadable([Problem(Place(script.file, missed[0], 1), cause, f"the nearest starts at line {near}" if near else "")])
    place = place_of(script.file, wishes.project)
    test = wanted(wishes.narrowed, place)
    kept = [s for s in chosen_ones if test(s)]
    if wishes.seed is not None:
        import random

        random.Random(f"{wishes.seed} {place}").shuffle(kept)
    return kept


Begun = Callable[[str, int], None]  # hears of a script with the number of its scenarios
Told = Callable[[ScenarioResult], None]
Teller = Callable[[ExpandedScenario, Loaded, str, int, str, ScenarioResult, list[tuple[int, bool]]], Any]  # see `story.story_of`
Prepares = Callable[[SelectedScript, RunOptions, Subjects], LoadedScript]


def play_script(
    chosen: SelectedScript, wishes: RunOptions, subjects: Subjects, tell: Told | None = None, *, begun: Begun | None = None,
    prepared: Prepares | None = None, teller: Teller | None = None,
) -> ScriptResult:  # fmt: skip
    """Run one script file; *tell* gets each scenario. *prepared* supplies a loaded script; *teller* makes the story of each
    scenario.
    """
    started = perf_counter()
    try:
        ready = (prepared or load_script)(chosen, wishes, subjects)
        if ready.scenarios and ready.loaded is not None and ready.loaded.make_ready is not None:
            with reading_below(wishes.roots_for(chosen.file)):
                ready.loaded.make_ready()
    except Unreadable as fault:
        return ScriptResult(chosen.file, (), fault.problems, perf_counter() - started)
    except Exception as fault:
        cause = f"an internal fault ({type(fault).__name__}): this is a bug in Idle Fox"
        problem = Problem(Place(chosen.file, 1, 1), cause, code=CALL)
        return ScriptResult(chosen.file, (), (problem,), perf_counter() - started, fault=_details(fault))
    results: list[ScenarioResult] = []
    fallen, stopped = 0, False
    folder, loaded = str(Path(chosen.file).parent), ready.loaded
    if begun is not None:
        begun(chosen.file, len(ready.scenarios))
    alike = loaded is not None and loaded.repeats and teller is None
    beginnings = PrefixCache(ready.scenarios, ready.clock) if alike else None
    with reading_below(wishes.roots_for(chosen.file)):
        for number, scenario in enumerate(ready.scenarios if loaded is not None else ()):
            assert loaded is not None
            beginning = beginnings.of(number) if beginnings is not None else None
            try:
                result = _run_guarded(scenario, loaded, folder, ready.clock, chosen.file, teller, beginning)
            except TaskStopped:
                stopped = True
                break
            results.append(result)
            if tell is not None:
                tell(result)
            fallen += result.fell
            if wishes.stop_after and fallen >= wishes.stop_after:
                break
    warnings = loaded.warnings if loaded is not None else ()
    told = tuple(f"{d.place.file}:{d.place.line}:{d.place.column}: {d.cause}; {d.remedy}" for d in ready.doubts)
    return ScriptResult(chosen.file, tuple(results), (), perf_counter() - started, ready.left_out, (*warnings, *told), stopped=stopped)


_ORDINALS = {2: "2nd", 3: "3rd"}


def _run_guarded(
    scenario: ExpandedScenario, loaded: Loaded, folder: str, clock: int, file: str, teller: Teller | None,
    beginning: ScenarioPrefix | None = None
) -> ScenarioResult:
    """Run *scenario*; a fault of our own ends it, and nothing else."""
    try:
        subject = loaded.begin(folder)
        seen: list[tuple[int, bool]] = []
        watch: Watch | None = (lambda number, held: seen.append((subject.elapsed(), held))) if teller is not None else None
        result = play_scenario(scenario, subject, clock, file, watch, beginning)
        for again in range(loaded.retries):
            if result.verdict != "fail":
                break
            result = play_scenario(scenario, loaded.begin(folder), clock, file)
            if result.verdict == "pass":
                told = f"it passed only on the {_ORDINALS.get(again + 2, f'{again + 2}th')} attempt"
                result = result._replace(verdict="unsteady", warnings=(*result.warnings, told))
        return result if teller is None else result._replace(story=teller(scenario, loaded, folder, clock, file, result, seen))
    except Exception as fault:
        source = scenario.source
        place = Place(source.file, scenario.line, 1, len("scenario"))
        line = lines_of(source).line(scenario.line)
        refusal = Refusal("internal", facts={"what": type(fault).__name__})
        failure = Failure("fault", place, line, "", line.strip(), refusal=refusal)
        return _result(scenario, file, "error", (failure,), (), 0.0, 0, 0)._replace(fault=_details(fault))


def _details(fault: Exception) -> str:
    """All that is known of a fault, for whoever mends it."""
    import traceback

    return "".join(traceback.format_exception(fault))


Watch = Callable[[int, bool], None]  # called after every step and check: its number, and whether nothing failed


def play_scenario(
    scenario: ExpandedScenario, subject: Subject, clock: int, file: str, watch: Watch | None = None, beginning: ScenarioPrefix | None = None
) -> ScenarioResult:
    """Run *scenario* on a fresh form of *subject*; *watch* gets every step and check. Steps in its *beginning* that have run
    already are skipped, and shared ones are kept.
    """
    if scenario.fate == "aside":
        return _result(scenario, file, "aside", (), (), 0.0, 0, 0)
    started = perf_counter()
    failures: list[Failure] = []
    ops = scenario.ops
    steps = checks = 0
    warnings: list[str] = []
    begun = beginning.begun if beginning is not None else None
    broken: Refusal | None = None
    if begun is None:
        broken = subject.load(clock if scenario.clock is None else scenario.clock)
    else:
        subject = begun.subject.trial()
    if broken is not None and ops:
        failures.append(_failure(subject, "fault", ops[0], ops, refusal=broken))
    elif broken is None:
        steps, checks = _play_ops(subject, ops, failures, watch, beginning)
        warnings += subject.warnings()
        trouble = subject.trouble() if ops else None
        if trouble is not None:
            failures.append(_failure(subject, "fault", ops[-1], ops, refusal=trouble))
    if not checks and not failures:
        warnings.append("this scenario has no check")
    virtual_ms = subject.elapsed()
    material = subject.material() if failures else None
    subject.close()
    verdict = _verdict(scenario, failures)
    if scenario.fate == "known":
        failures = failures or [_holds_now(scenario)]
    seconds = perf_counter() - started
    result = _result(scenario, file, verdict, tuple(failures), tuple(warnings), seconds, steps, checks)
    return result._replace(material=material, virtual_ms=virtual_ms)


def _verdict(scenario: ExpandedScenario, failures: list[Failure]) -> str:
    if scenario.fate == "known":
        return "known" if failures else "fail"
    if not failures:
        return "pass"
    return "error" if all(failure.kind == "unseen" for failure in failures) else "fail"  # neither right nor wrong


def _play_ops(
    subject: Subject, ops: tuple[Op, ...], failures: list[Failure], watch: Watch | None, beginning: ScenarioPrefix | None
) -> tuple[int, int]:
    """Run *ops* until one fails, including consecutive checks; failures are added to *failures*. Return the numbers of steps and
    checks.
    """
    _, done, steps, checks = (beginning and beginning.begun) or (None, 0, 0, 0)
    mark = beginning.mark if beginning is not None else 0
    subject.coming(ops)
    for number, op in enumerate(ops[done:], done + 1):
        subject.mark_step(number)
        if isinstance(op.act, Check | Cannot):
            checks += 1
            failed = evaluate_check(subject, op, ops)
            failures += failed
            if watch is not None:
                watch(number, not failed)
        else:
            if any(failure.kind != "unseen" for failure in failures):
                break
            steps += 1
            failure = execute_step(subject, op, ops, number)
            if watch is not None:
                watch(number, failure is None)
            if failure is not None:
                failures.append(failure)
                break
        if number == mark and not failures and beginning is not None:
            beginning.keep(subject, steps, checks)
            mark = beginning.mark
    return steps, checks


def execute_step(subject: Subject, op: Op, ops: tuple[Op, ...], number: int) -> Failure | None:
    """Execute the step *op*, the *number*-th of *ops*; return its failure, if any."""
    refusal = take_step(subject, op.act, number)
    return None if refusal is None else _failure(subject, _kind(refusal), op, ops, _subject_of(op), refusal=refusal)


def evaluate_check(subject: Subject, op: Op, ops: tuple[Op, ...]) -> list[Failure]:
    """Evaluate the check *op*, one of *ops*; return its failures."""
    return (_check if isinstance(op.act, Check) else _cannot)(subject, op, ops)


def _result(
    scenario: ExpandedScenario, file: str, verdict: str, failures: tuple[Failure, ...], warnings: tuple[str, ...], seconds: float,
    steps: int, checks: int,
) -> ScenarioResult:  # fmt: skip
    return ScenarioResult(
        file, scenario.line, scenario.row_line, scenario.title, scenario.tags, verdict, failures, warnings, seconds, steps, checks,
        scenario.why, scenario.row_file, row=scenario.row, given=scenario.given,
    )  # fmt: skip


def _holds_now(scenario: ExpandedScenario) -> Failure:
    """A scenario that is known not to hold, and does."""
    source = scenario.source
    line = lines_of(source).line(scenario.line)
    place = Place(source.file, scenario.line, line.rfind(" known ") + 2, len("known"))
    return Failure("known", place, line, "", "known")


def _kind(refusal: Refusal) -> str:
    return "fault" if refusal.kind in NO_END else "step"


def _subject_of(op: Op) -> Noun | None:
    address = getattr(op.act, "address", None)
    return Noun("address", address) if address is not None else None


def _check(subject: Subject, op: Op, ops: tuple[Op, ...]) -> list[Failure]:
    check: Check = op.act
    finding = judge_check(subject, check)
    if not finding.holds and check.within is None and check.lasting is None and subject.check_delay():
        finding = _again(subject, check, finding)
    if finding.holds:
        return []
    due = subject.timer_due() if check.within is None else None
    lines = lines_of(op.source)
    place = lines.place(op.source.file, op.offset + check.offset, check.length)
    if finding.unseen is not None and finding.unseen.there:
        return [_failure(subject, "unseen", op, ops, check.noun, refusal=finding.refusal)._replace(place=place, timer=due)]
    kind = _kind(finding.refusal) if finding.refusal is not None and finding.refusal.kind in NO_END else "check"
    failure = _failure(subject, kind, op, ops, check.noun, refusal=finding.refusal)
    return [failure._replace(
        place=place, noun=check.noun.kind, predicate=check.predicate, negated=check.negated, expected=finding.expected,
        found=finding.found, differences=finding.differences, limit=finding.limit, because=finding.because,
        timer=due,
    )]  # fmt: skip


def _again(subject: Subject, check: Check, finding: CheckResult) -> CheckResult:
    """Make *check* again after each timer of the page that is due within its `check_delay`."""
    left = subject.check_delay()
    while not finding.holds and (due := subject.timer_due()) is not None and due <= left:
        subject.advance(due)
        left -= max(due, 1)
        finding = judge_check(subject, check)
    return finding


def _cannot(subject: Subject, op: Op, ops: tuple[Op, ...]) -> list[Failure]:
    """`expect cannot STEP`: try the step on a copy."""
    refusal = take_step(subject.trial(alone=True), op.act.step, 0)
    if refusal is not None and refusal.kind in NO_END:
        return [_failure(subject, "fault", op, ops, refusal=refusal)]
    if refusal is not None and refusal.kind not in UNCERTAIN:
        return []
    step = op.act.step
    about = Noun("address", step.address) if getattr(step, "address", None) is not None else None
    place = lines_of(op.source).place(op.source.file, op.offset + op.act.offset, op.act.length)
    if refusal is not None:
        return [_failure(subject, "unseen", op, ops, about, refusal)._replace(place=place)]
    failure = _failure(subject, "check", op, ops, about)
    return [failure._replace(place=place, noun="step", predicate="cannot")]


def _failure(
    subject: Subject, kind: str, op: Op, ops: tuple[Op, ...], about: Noun | None = None, refusal: Refusal | None = None
) -> Failure:
    """Return a failure of *kind* at *op*, with the state of its field."""
    lines = lines_of(op.source)
    place = op.place
    before = lines.line(place.line - 1) if place.line > 1 else ""
    text = op.source.text[op.offset : op.offset + op.length].strip()
    state, touched = _state(subject, about, refusal, ops)
    return Failure(kind, place, lines.line(place.line), before, text, refusal=refusal, state=state, touched=touched, calls=op.calls)


def _state(
    subject: Subject, about: Noun | None, refusal: Refusal | None, ops: tuple[Op, ...]
) -> tuple[FieldState | None, LastChange | None]:
    if refusal is not None and refusal.see is not None:
        segments = parse_address(subject.written(refusal.see)) if refusal.see else ()
        about = Noun("address", Address(segments)) if segments else Noun("form")
    elif about is not None and about.kind in _OF_FORM:
        about = Noun("form")
    if about is None or about.kind not in ("address", "form") or (refusal is not None and refusal.kind in NO_END):
        return None, None
    state = subject.look(about, "state")
    if not isinstance(state, FieldState):
        return None, None
    if not 0 < state.last_step <= len(ops):
        return state, None
    op = ops[state.last_step - 1]
    return state, LastChange(op.line, text_of(op))


# About the whole form, so show its state.
_OF_FORM = frozenset({"outcome", "submit", "button", "requests"})


def text_of(op: Op) -> str:
    """Return the first line of a step or check as written, shortened if it is long."""
    text = op.source.text[op.offset : op.offset + op.length].split("\n")[0].strip()
    return text if len(text) <= 90 else text[:87] + "…"
