"""The timeline of a scenario as shapes: steps across, one lane per field below, with its state, report and visible message.

`timeline_svg` and `timeline_figure` draw the shapes in a page or a figure. Nothing depends on colour alone: invalid is hatched
and tall, a pending lookup is dotted, a lookup still to be asked is hollow.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..playing.story import Mark, Story, TimelineLane
from ..records import NamedTuple
from .styled import columns, plain

WIDTH = 960  # of the drawing, in CSS pixels
_LABELS, _LANE, _HEAD, _FOOT, _MARGIN, _LEGEND = 176, 46, 26, 38, 12, 30
_NARROW, _WIDE = 100, 168  # a column's width: at least, at most
_SMALL, _TEXT = 10.5, 12.0
_CHARACTER = 0.58  # of a character's height is about its width
_HEIGHTS = {"valid": 4.0, "unmarked": 4.0, "invalid": 11.0, "marked": 11.0, "asking": 11.0, "unasked": 9.0}
_STATES = frozenset({*_HEIGHTS, "hidden"})
_OF_ENGINE = {"valid": "valid", "invalid": "invalid", "asking": "lookup pending", "unasked": "to be asked"}
_OF_PAGE = {"unmarked": "not marked", "marked": "marked", "asking": "lookup pending"}  # a page does not tell validity


class Rect(NamedTuple):
    """*look* is one of `_HEIGHTS`: what fills it and how it is hatched."""

    x: float
    y: float
    width: float
    height: float
    look: str


class Stroke(NamedTuple):
    """A line through several points; *dashed* or not."""

    points: tuple[tuple[float, float], ...]
    look: str
    width: float = 1.0
    dashed: bool = False


class Words(NamedTuple):
    """A text whose baseline begins at *x*, *y* (``middle``: whose middle is there)."""

    x: float
    y: float
    text: str
    look: str = "ink"
    size: float = _TEXT
    anchor: str = "start"
    bold: bool = False


Shape = Rect | Stroke | Words


class Drawing(NamedTuple):
    """All shapes of a timeline, in their order, and how large it is. *says* is it in words, for those who do not see it."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    says: str


def drawing_of(story: Story) -> Drawing:
    """Draw the timeline of *story*; a long one is cut into bands."""
    shapes: list[Shape] = []
    y = 0.0
    count = len(story.columns)
    column = min(max((WIDTH - _LABELS - _MARGIN) // max(count, 1), _NARROW), _WIDE)
    each = (WIDTH - _LABELS - _MARGIN) // column
    # Each band begins with the state in which the one before has ended.
    for start in range(0, max(count - 1, 1), each - 1):
        band = _Band(story, start, min(start + each, count), y, column)
        shapes += band.shapes()
        y = band.end
    failed = sum(not tick.held for tick in story.ticks)
    says = f"{count - 1} steps, {len(story.ticks)} checks, {failed} failed, {len(story.lanes)} lanes"
    on_page = any(mark is not None and mark.truth == "unmarked" for lane in story.lanes for mark in lane.marks)
    shapes += _legend(y + 8, on_page=on_page)
    return Drawing(WIDTH, y + 8 + _LEGEND, tuple(shapes), says)


def _legend(y: float, *, on_page: bool) -> Iterator[Shape]:
    """Samples of every mark with its meaning, in one row from *y* on."""
    yield Stroke(((0, y), (WIDTH, y)), "faint")
    x, middle = 6.0, y + 17
    for look, text in (_OF_PAGE if on_page else _OF_ENGINE).items():
        height = _HEIGHTS[look]
        yield Rect(x, middle - height / 2, 24, height, look)
        yield Words(x + 29, middle + 4, text, "dim", _SMALL)
        x += 29 + len(text) * _SMALL * _CHARACTER + 14
    for dashed, text in ((True, "reported"), (False, "message shown"))[on_page:]:
        yield Stroke(((x, middle), (x + 24, middle)), "invalid", 1.2 if dashed else 3.0, dashed)
        yield Words(x + 29, middle + 4, text, "dim", _SMALL)
        x += 29 + len(text) * _SMALL * _CHARACTER + 14
    for held, text in ((True, "check holds"), (False, "check fails")):
        yield from _tick(x + 8, middle, held=held)
        yield Words(x + 20, middle + 4, text, "dim", _SMALL)
        x += 20 + len(text) * _SMALL * _CHARACTER + 14


def _tick(x: float, y: float, *, held: bool) -> Iterator[Shape]:
    """A tick for a check that held, a cross for one that failed. The ground around it keeps it apart from a bar below."""
    points: tuple[tuple[tuple[float, float], ...], ...]
    if held:
        points, look, width = (((x - 5, y), (x - 1, y + 5), (x + 6, y - 6)),), "ink", 2.2
    else:
        points, look, width = (((x - 7, y - 7), (x + 7, y + 7)), ((x - 7, y + 7), (x + 7, y - 7))), "cross", 4.0
    yield from (Stroke(each, "ground", width + 4.0) for each in points)
    yield from (Stroke(each, look, width) for each in points)


class _Band:
    """The columns *start* to *end* of a story, from *top* on, each so *wide*."""

    def __init__(self, story: Story, start: int, end: int, top: float, wide: float) -> None:
        self.story, self.start, self.stop, self.top, self.wide = story, start, end, top, wide
        ticked = {tick.lane for tick in story.ticks if start <= tick.column < end}
        self.lanes = [n for n, lane in enumerate(story.lanes) if n in ticked or _moves(lane, start, end)]
        rest = (lane for n, lane in enumerate(story.lanes) if n not in self.lanes and lane.kind == "field")
        self.folded = [lane.name for lane in rest if any(lane.marks[start:end])]
        self.bottom = top + _HEAD + len(self.lanes) * _LANE
        self.end = self.bottom + _FOOT + (18 if self.folded else 0)

    def shapes(self) -> Iterator[Shape]:
        yield from self._frame()
        for row, number in enumerate(self.lanes):
            yield from self._lane(self.story.lanes[number], self.top + _HEAD + row * _LANE)
        yield from self._ticks()
        if self.folded:
            names = ", ".join(self.folded)
            text = f"{len(self.folded)} unchanged: {names}"
            yield Words(_LABELS, self.end - 14, _cut(text, WIDTH - _LABELS - _MARGIN, _SMALL), "dim", _SMALL)

    def _x(self, column: int) -> float:
        return _LABELS + (column - self.start) * self.wide

    def _frame(self) -> Iterator[Shape]:
        """Draw the steps: a line for each, its text, and the time wherever it has changed."""
        ms = self._ms(self.start - 1) if self.start else 0
        for column in range(self.start, self.stop):
            x = self._x(column)
            yield Stroke(((x, self.top + _HEAD - 4), (x, self.bottom)), "faint")
            now = self._ms(column)
            if now != ms or column == self.start:
                yield Words(x + 3, self.top + 16, f"{now / 1000:g} s", "ink" if now != ms else "dim", _SMALL, bold=now != ms)
            ms = now
            taken = self.story.columns[column]
            line, text = ("load", "") if taken < 0 else (f"line {self.story.taken[taken].line}", self.story.taken[taken].text)
            yield Words(x + 3, self.bottom + 14, line, "ink", _SMALL, bold=True)
            yield Words(x + 3, self.bottom + 27, _cut(text, self.wide - 6, _SMALL), "dim", _SMALL)

    def _ms(self, column: int) -> int:
        taken = self.story.columns[column]
        return 0 if taken < 0 else self.story.taken[taken].ms

    def _lane(self, lane: TimelineLane, y: float) -> Iterator[Shape]:
        yield Stroke(((0, y + _LANE - 2), (self._x(self.stop), y + _LANE - 2)), "faint")
        yield Words(6, y + 24, _cut(lane.name, _LABELS - 14, _TEXT), "ink", _TEXT, bold=lane.kind != "field")
        shown = ""
        for column in range(self.start, self.stop):
            mark = lane.marks[column]
            if mark is None:
                shown = ""
                continue
            before = lane.marks[column - 1] if column > self.start else None
            yield from self._state(mark, self._x(column), y, before)
            if mark.value:
                room = self.wide * self._without_value(lane, column) - 6
                yield Words(self._x(column) + 3, y + 11, _cut(mark.value, room, _SMALL), "ink", _SMALL)
            if mark.shown and (mark.shown != shown or column == self.start):
                room = self.wide * self._same(lane, column) - 8
                yield Words(self._x(column) + 3, y + 41, _cut(f"“{mark.shown}”", room, _SMALL), "invalid", _SMALL, bold=True)
            shown = mark.shown

    def _without_value(self, lane: TimelineLane, column: int) -> int:
        """The number of columns from *column* to the next value."""
        after = column + 1
        while after < self.stop and ((mark := lane.marks[after]) is None or not mark.value):
            after += 1
        return after - column

    def _same(self, lane: TimelineLane, column: int) -> int:
        """The number of columns that show the same message."""
        after = column + 1
        while after < self.stop and (mark := lane.marks[after]) is not None and mark.shown == lane.marks[column].shown:  # type: ignore[union-attr]
            after += 1
        return after - column

    def _state(self, mark: Mark, x: float, y: float, before: Mark | None) -> Iterator[Shape]:
        """Draw the states of a lane: a bar for state, a line under it for what is reported, a thick one for what is shown."""
        if mark.truth not in _STATES:
            if mark.truth in ("enabled", "disabled"):
                yield Stroke(((x, y + 29), (x + self.wide, y + 29)), "dim", 1.2, mark.truth == "disabled")
            if mark.truth and (before is None or before.truth != mark.truth):
                yield Words(x + 3, y + 24, _cut(mark.truth, self.wide - 6, _SMALL), "ink", _SMALL)
            return
        if mark.truth == "hidden":
            yield Words(x + 3, y + 24, "hidden", "dim", _SMALL)
            return
        height = _HEIGHTS[mark.truth]
        yield Rect(x, y + 20 - height / 2, self.wide, height, mark.truth)
        if mark.reported or mark.shown:
            yield Stroke(((x, y + 29), (x + self.wide, y + 29)), "invalid", 3.0 if mark.shown else 1.2, not mark.shown)

    def _ticks(self) -> Iterator[Shape]:
        """Checks: a tick where one held, a cross where one did not; several at one place beside each other."""
        met: dict[tuple[int, int], int] = {}
        rows = {lane: row for row, lane in enumerate(self.lanes)}
        for tick in self.story.ticks:
            if not self.start <= tick.column < self.stop or (tick.column == self.start and self.start):
                continue
            row = rows.get(tick.lane, len(self.lanes) - 1)
            place = met.setdefault((tick.column, row), 0)
            met[tick.column, row] += 1
            x = self._x(tick.column) + self.wide - 12 - place * 17
            y = self.top + _HEAD + row * _LANE + 20
            if x < self._x(tick.column):
                continue
            yield from _tick(x, y, held=tick.held)


def _moves(lane: TimelineLane, start: int, end: int) -> bool:
    """Return whether anything of *lane* changes in these columns, or is there to be seen."""
    marks = lane.marks[start:end]
    if lane.kind in ("lookup", "request"):
        return any(mark is not None for mark in marks)
    if any(mark is not None and mark.value for mark in marks[1:]):
        return True
    return len({mark._replace(value="") if mark is not None else None for mark in marks}) > 1


def _cut(text: str, width: float, size: float) -> str:
    """Return *text* on one line, cut to *width*."""
    text = plain(text.replace("\n", " "))
    most = max(int(width / (size * _CHARACTER)), 2)
    if columns(text) <= most:
        return text
    while text and columns(text) > most - 1:
        text = text[:-1]
    return text + "…"
