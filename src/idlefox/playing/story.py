"""The story of a scenario: its steps and checks, their changes, and the state of every field in between.

Plain data for the timeline and for reports.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from ..engine.state.journal import Changed, Exchange, Journal, State, rebuild
from ..forms.names.addresses import parse_address
from ..forms.names.shapes import write_address
from ..forms.values.values import written
from ..script.ops import ExpandedScenario, Op
from ..script.tree import Cannot, Check, Noun
from .player import play_scenario, text_of
from .recorded import RecordedSubject
from .results import ScenarioResult
from .simulated import SimulatedForm
from .subjects import Loaded

STATE, REPORTED, SHOWN, OTHER = "state", "reported", "shown", "other"
GROUPS = (STATE, REPORTED, SHOWN, OTHER)
# Groups of changes; everything else is in the group `other`.
_GROUP = {
    **dict.fromkeys(("reads", "value", "breaks", "status", "visible", "enabled", "readonly", "required", "rows"), STATE),
    **dict.fromkeys(("row added", "row removed", "row moved", "opened", "loaded", "server"), STATE),
    **dict.fromkeys(("has_reported", "reported"), REPORTED), **dict.fromkeys(("shows", "marked"), SHOWN),
}  # fmt: skip
_DOUBLES = frozenset({"value"})  # already covered by `reads` if the text is the value
_INNER = frozenset({"edited", "committed", "has_reported", "on_button"})  # internal, not useful to readers
_WORST = ("invalid", "marked", "asking", "unasked", "valid", "unmarked")


class StoryChange(NamedTuple):
    """A change: its *group*, *address* ("" for the form and its page) and property *name*.

    *before* and *after* are values, of messages their texts; *is_event*: there is no before.
    """

    group: str
    address: str
    name: str
    before: Any
    after: Any
    is_event: bool = False


class StoryStep(NamedTuple):
    """A step or check; *held* is the result of a check.

    *ms*: virtual time since load, after it. *played*: the line with its parameters replaced, "" without parameters. *calls*:
    the lines that called it.
    """

    file: str
    line: int
    text: str
    ms: int = 0
    held: bool | None = None
    changes: tuple[StoryChange, ...] = ()
    played: str = ""
    calls: tuple[str, ...] = ()


class Mark(NamedTuple):
    """The state of a lane after a step: the *value* if it changed, else ""; *truth*: valid, invalid, asking, unasked, or another
    word; the *reported* and *shown* messages.
    """

    truth: str = ""
    value: str = ""
    reported: str = ""
    shown: str = ""


class TimelineLane(NamedTuple):
    """One lane through all steps; None where it does not exist. *kind*: field, form, button, lookup or request."""

    kind: str
    name: str
    marks: tuple[Mark | None, ...]


class Tick(NamedTuple):
    """A check: after which step, on which lane (-1: none), and whether it *held*."""

    column: int
    lane: int
    held: bool


class Story(NamedTuple):
    """The whole story: *taken* are all steps and checks; *columns* are the numbers of the steps, starting with load (-1)."""

    taken: tuple[StoryStep, ...] = ()
    columns: tuple[int, ...] = ()
    lanes: tuple[TimelineLane, ...] = ()
    ticks: tuple[Tick, ...] = ()
    exchanges: tuple[Exchange, ...] = ()


Seen = tuple[int, bool, bool, str]  # after a step or check: the time, whether it held, the button's state, the outcome


class WatchedRun(NamedTuple):
    """A run of a scenario: its *result*, its journal from the state *initial*, and what was *seen* after each step and check.

    *first*: whether the submit button was enabled at load.
    """

    scenario: ExpandedScenario
    result: ScenarioResult
    initial: State
    journal: Journal
    seen: tuple[Seen, ...]
    first: bool

    def story(self) -> Story:
        """Return the story of the run."""
        return _StoryBuilder(self).story()


def story_of(
    scenario: ExpandedScenario, loaded: Loaded, folder: str, clock: int, file: str, result: ScenarioResult, seen: Sequence[tuple[int, bool]]
) -> Story:
    """Return the story of a scenario with *result*; *seen* are the virtual times after its parts, and the results of its checks."""
    story = whole_story(scenario, loaded, folder, clock, file) if result.fell else Story()
    return story if story.taken else plain_story(scenario, seen)


def plain_story(scenario: ExpandedScenario, seen: Sequence[tuple[int, bool]]) -> Story:
    """Return only the steps and checks of *scenario* with the virtual time after each, for a scenario that passed."""
    taken = [_taken(op, ms, held if _looks(op) or not held else None) for op, (ms, held) in zip(scenario.ops, seen, strict=False)]
    return Story(tuple(taken))


def whole_story(scenario: ExpandedScenario, loaded: Loaded, folder: str, clock: int, file: str) -> Story:
    """Run *scenario* again, if the engine runs it, and return the whole story. The engine repeats it exactly."""
    subject = loaded.begin(folder)
    if not isinstance(subject, SimulatedForm):
        return Story()
    found = watched_run(scenario, subject, clock, file)
    return found.story() if found is not None else Story()


def watched_run(scenario: ExpandedScenario, subject: SimulatedForm | RecordedSubject, clock: int, file: str) -> WatchedRun | None:
    """Run *scenario* on *subject* and record it; None if its form does not load."""
    if subject.load(clock if scenario.clock is None else scenario.clock) is not None:
        return None
    initial, first = subject.state(), subject.look(Noun("submit"), "is", "enabled") is True
    seen: list[Seen] = []

    def watch(number: int, held: bool) -> None:
        """Record a step or check."""
        button, outcome = subject.look(Noun("submit"), "is", "enabled") is True, subject.look(Noun("outcome"), "value")
        seen.append((subject.elapsed(), held, button, outcome if isinstance(outcome, str) else "none"))

    result = play_scenario(scenario, subject, clock, file, watch)
    return WatchedRun(scenario, result, initial, subject.journal(), tuple(seen), first)


def _looks(op: Op) -> bool:
    return isinstance(op.act, Check | Cannot)


def _taken(op: Op, ms: int, held: bool | None, changes: tuple[StoryChange, ...] = ()) -> StoryStep:
    text, played = text_of(op), ""
    if "$" in text and not _looks(op):
        from ..script.writer import write_step

        played = write_step(op.act)
    return StoryStep(op.source.file, op.line, text, ms, held, changes, played, op.calls)


class _StoryBuilder:
    """Puts a story together, step by step."""

    def __init__(self, watched: WatchedRun) -> None:
        journal, seen = watched.journal, watched.seen
        self.ops = watched.scenario.ops[: len(seen)]
        self.seen, self.exchanges = seen, journal.exchanges
        self.by_op = self._by_op(journal.changes)
        self.states = [watched.initial]
        self.buttons, self.outcomes = [watched.first], ["none"]
        self.columns = [-1]
        self.taken: list[StoryStep] = []
        for number, (op, (ms, held, button, outcome)) in enumerate(zip(self.ops, seen, strict=True)):
            found = self.by_op.get(number, [])
            if _looks(op) and not found:
                self.taken.append(_taken(op, ms, held))
                continue
            before = self.states[-1]
            after = rebuild(before, found, len(self.ops))
            self.taken.append(_taken(op, ms, held if _looks(op) else None, tuple(told(found, before, after))))
            self.states.append(after)
            self.columns.append(number)
            self.buttons.append(button)
            self.outcomes.append(outcome)

    def _by_op(self, changes: Iterable[Changed]) -> dict[int, list[Changed]]:
        """Group changes by the step or check during which they came."""
        found: dict[int, list[Changed]] = {}
        for change in changes:
            found.setdefault(max(change.step - 1, 0), []).append(change)
        return found

    def story(self) -> Story:
        lanes: list[TimelineLane] = []
        places: dict[str, int] = {}
        for key in self._keys():
            places[key] = len(lanes)
            lanes.append(self._field(key))
        places[""] = len(lanes)
        lanes.append(self._form())
        if len(set(self.buttons)) > 1 or any(isinstance(op.act, Check) and op.act.noun.kind == "submit" for op in self.ops):
            places["submit"] = len(lanes)
            lanes.append(TimelineLane("button", "submit button", tuple(Mark("enabled" if b else "disabled") for b in self.buttons)))
        lanes += self._lookups()
        if self.exchanges:
            places["requests"] = len(lanes)
            lanes.append(self._requests())
        return Story(tuple(self.taken), tuple(self.columns), tuple(lanes), tuple(self._ticks(places)), self.exchanges)

    def _keys(self) -> list[str]:
        """The cells that changed or were looked at, in the order of the form."""
        wanted = {change.cell for found in self.by_op.values() for change in found if change.cell and "value" in self._last(change.cell)}
        looked = {address for op in self.ops if (address := _looked_at(op)) is not None}
        order: dict[str, None] = {}
        for state in self.states:
            order.update(dict.fromkeys(key for key in state if key in wanted or address_of(key, state) in looked))
        return [key for key in order if key]

    def _last(self, key: str) -> dict[str, Any]:
        return next((state[key] for state in reversed(self.states) if key in state), {})

    def _field(self, key: str) -> TimelineLane:
        marks: list[Mark | None] = []
        before, there = None, True
        for number, state in enumerate(self.states):
            cell = state.get(key)
            if cell is None:
                marks.append(None)
                there = False
                continue
            value = cell.get("value", cell.get("rows"))
            changed = number > 0 and there and value != before
            shows, reported = (_texts(cell.get(part, []), key, state) for part in ("shows", "reported"))
            truth = _truth(cell) if cell.get("visible", True) else "hidden"
            text = _rows(cell["rows"]) if "rows" in cell else written(value)
            marks.append(Mark(truth, text if changed else "", "; ".join(reported), "; ".join(shows)))
            before, there = value, True
        return TimelineLane("field", self._name(key), tuple(marks))

    def _name(self, key: str) -> str:
        """Return the name of the cell *key*, with each place at which its row stood: ``crew[1→0].name``."""
        names = [name for state in self.states if key in state and "#" not in (name := address_of(key, state))]
        if len(set(names)) < 2:
            return names[0] if names else key
        stood = [_NUMBER.findall(name) for name in names]
        each = ("→".join(dict.fromkeys(column)) for column in zip(*stood, strict=True))
        return _NUMBER.sub(lambda _: next(each), names[0])

    def _form(self) -> TimelineLane:
        marks: list[Mark | None] = []
        for state, outcome in zip(self.states, self.outcomes, strict=True):
            standing = {_truth(cell) for key, cell in state.items() if key or "status" in cell}
            truth = next((word for word in _WORST if word in standing), "valid")
            shows = _texts(state.get("", {}).get("shows", []), "", state)
            marks.append(Mark(truth, "" if outcome == "none" else outcome, "", "; ".join(shows)))
        return TimelineLane("form", "form", _when_changed(marks))

    def _lookups(self) -> list[TimelineLane]:
        words = {"asks": "asked", "answer": "answered", "stale answer": "stale", "lost answer": "lost", "dropped question": "dropped"}
        found: dict[str, list[Mark | None]] = {}
        for column, number in enumerate(self.columns):
            for change in self.by_op.get(number, []) if number >= 0 else ():
                if change.name in words and change.cell:  # answers of a server are listed with the requests
                    lane = found.setdefault(change.cell, [None] * len(self.columns))
                    before = lane[column].truth + ", " if lane[column] is not None else ""  # type: ignore[union-attr]
                    lane[column] = Mark(before + words[change.name])
        return [TimelineLane("lookup", f"lookup of {self._name(key)}", tuple(marks)) for key, marks in found.items()]

    def _requests(self) -> TimelineLane:
        marks: list[Mark | None] = [None] * len(self.columns)
        for exchange in self.exchanges:
            for step, text in ((exchange.step, f"{exchange.method} {exchange.target}"), (self._answered(exchange), str(exchange.status))):
                column = next((c for c, number in enumerate(self.columns) if c and number + 1 >= step > 0), None)
                if column is not None and text != "None":
                    before = f"{marks[column].truth}, " if marks[column] is not None else ""  # type: ignore[union-attr]
                    marks[column] = Mark(before + text)
        return TimelineLane("request", "requests", tuple(marks))

    def _answered(self, exchange: Exchange) -> int:
        """Return the step during which the answer came; -1 if none has."""
        if exchange.answered_ms is None:
            return -1
        later = (n for n in self.columns if n >= 0 and n + 1 >= exchange.step and self.seen[n][0] >= exchange.answered_ms)
        return next(later, -2) + 1

    def _ticks(self, places: dict[str, int]) -> Iterable[Tick]:
        by_address = [{address_of(key, state): lane for key, lane in places.items() if key in state and key} for state in self.states]
        column = 0
        for number, (op, (_, held, _, _)) in enumerate(zip(self.ops, self.seen, strict=True)):
            column += number in self.columns
            if not _looks(op):
                continue
            address = _looked_at(op)
            kind = op.act.noun.kind if isinstance(op.act, Check) else ""
            lane = places.get("submit" if kind == "submit" else "requests" if kind in _OF_REQUESTS else "", -1)
            if address is not None:
                lane = by_address[column].get(_from_front(address, self.states[column]), lane)
            yield Tick(column, lane, held)


_NUMBER = re.compile(r"(?<=\[)\d+(?=\])")
_OF_REQUESTS = frozenset({"requests", "request", "payload", "body", "status"})


def _truth(cell: dict[str, Any]) -> str:
    """Return the status of a cell; on a page, which does not tell it, whether the cell is marked or pending."""
    status = cell.get("status", "")
    return str(status) or ("asking" if cell.get("asking") else "marked" if cell.get("marked") else "unmarked")


def _when_changed(marks: list[Mark | None]) -> tuple[Mark | None, ...]:
    """Return *marks* with values only where they change."""
    found, last = [], ""
    for mark in marks:
        found.append(mark._replace(value="") if mark is not None and mark.value == last else mark)
        last = mark.value if mark is not None else last
    return tuple(found)


def _looked_at(op: Op) -> str | None:
    """The address that a check looks at."""
    act = op.act.step if isinstance(op.act, Cannot) else op.act
    address = act.noun.address if isinstance(act, Check) else getattr(act, "address", None)
    return write_address(address.segments) if address is not None and _looks(op) else None


def _from_front(address: str, state: State) -> str:
    """Return *address* with rows that are counted from the end counted from the front."""
    segments: list[Any] = []
    for segment in parse_address(address) or ():
        if isinstance(segment, int) and segment < 0:
            above = write_address(segments)
            segment += next((len(cell["rows"]) for key, cell in state.items() if "rows" in cell and address_of(key, state) == above), 0)
        segments.append(segment)
    return write_address(segments)


def _rows(rows: list[int]) -> str:
    return "1 row" if len(rows) == 1 else f"{len(rows)} rows"


# wording of changes
def told(changes: list[Changed], before: State, after: State, *, keys: bool = False) -> list[StoryChange]:
    """The changes of one step as people read them: in the order of the groups, each property once (with *keys*: each change)."""
    found = [change for change in changes if change.name not in _INNER]
    lines = [_told(change, before, after) for change in (found if keys else _joined(found))]
    if any(change.is_structure for change in changes):
        lines += _renumbered(before, after, {(change.cell, change.name) for change in changes})
    return sorted(lines, key=lambda line: GROUPS.index(line.group))


def _told(change: Changed, before: State, after: State) -> StoryChange:
    state = after if change.cell in after else before
    group = _GROUP.get(change.name, OTHER)
    was, now = change.before, change.as_json()["after"] if change.is_structure else change.after
    if change.name == "focus":
        was, now = (address_of(key, before if key in before else after) if key else None for key in (was, now))
    elif change.name in ("row added", "row removed"):
        key = f"{change.cell}#{now['row'] if isinstance(now, dict) else now}"
        now = address_of(key, after if change.name == "row added" else before)
    if change.name in ("reported", "shows"):
        was, now = _texts(was, change.cell, before), _texts(now, change.cell, after)
    return StoryChange(group, address_of(change.cell, state), change.name, was, now, change.is_structure or change.is_event)


def _joined(changes: list[Changed]) -> list[Changed]:
    """Consecutive changes of one property in one step as one: from the first before to the last after."""
    single: list[Changed] = []
    places: dict[tuple[str, str], int] = {}
    for change in changes:
        key = (change.cell, change.name)
        if change.is_structure or change.is_event:
            single.append(change)
        elif key in places:
            single[places[key]] = single[places[key]]._replace(after=change.after)
        else:
            places[key] = len(single)
            single.append(change)
    same = {(c.cell, c.after) for c in single if c.name == "reads" and isinstance(c.after, str)}
    return [
        c
        for c in single
        if (c.before != c.after or c.is_structure or c.is_event)
        and not (c.name in _DOUBLES and isinstance(c.after, str) and (c.cell, c.after) in same)
    ]


def _renumbered(before: State, after: State, told: set[tuple[str, str]]) -> Iterable[StoryChange]:
    """Return the visible messages whose text changed only because their row number did."""
    for key, properties in after.items():
        messages = properties.get("shows")
        if messages and key in before and (key, "shows") not in told and before[key].get("shows") == messages:
            was, now = _texts(messages, key, before), _texts(messages, key, after)
            if was != now:
                yield StoryChange(SHOWN, address_of(key, after), "shows", was, now)


def _texts(messages: Any, key: str, state: State) -> list[str]:
    """Return the texts of messages, with the row number in *state*."""
    number = _row_number(key, state)
    return [text if isinstance(text, str) else "".join(number if p is None else p for p in text) for _, text in messages]


def _row_number(key: str, state: State) -> str:
    """Return the number, from 1, of the row that contains the cell *key*; `#` if it is in no row."""
    rows, mark, rest = key.rpartition("#")
    there = state.get(rows, {}).get("rows", ()) if mark else ()
    identity = int(rest[: len(rest) - len(rest.lstrip("0123456789"))] or 0)
    return str(list(there).index(identity) + 1) if identity in there else "#"


def address_of(key: str, state: State) -> str:
    """Return the address of the cell *key* in *state*: row numbers, or the identity (``#3``) of a removed row."""
    address, rest = "", key
    done = ""
    while "#" in rest:
        head, _, rest = rest.partition("#")
        identity = rest[: len(rest) - len(rest.lstrip("0123456789"))]
        rest = rest[len(identity) :]
        there = list(state.get(done + head, {}).get("rows", ()))
        number = f"[{there.index(int(identity))}]" if identity and int(identity) in there else f"#{identity}"
        address += head + number
        done += f"{head}#{identity}"
    return address + rest
