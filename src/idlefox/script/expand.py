"""Turns a script into the scenarios to play: routines put in place, parameters replaced, addresses made whole.

What comes out is flat: every scenario (every row of a table is one) is a list of `Op`s whose acts hold plain
values and absolute addresses. Every fault on the way is noted with its place; nothing is played here.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from ..forms.names.addresses import parse_address
from ..forms.values.durations import parse_duration
from ..forms.values.values import as_text
from ..problems import NO_FILE, Place, Problem, Unreadable, near_file, no_path, suggestion
from ..records import NamedTuple
from .reader import Lines, read_script
from .tables import TableRow, read_table
from .tree import (
    Address,
    Anything,
    Block,
    Body,
    Check,
    Collection,
    Do,
    Duration,
    Fill,
    Inside,
    Like,
    Not,
    Nothing,
    Parameter,
    Pick,
    Row,
    Script,
    Statement,
    Template,
    With,
    Word,
)  # fmt: skip

_DEEPEST = 40
_MOST = 100_000  # steps of one scenario, and routines played in it
_WHOLE = re.compile(r"-?[0-9]{1,15}")
_QUOTED = re.compile(r'[^"\n]*("(?:[^"\\\n]|\\.)*")')
_DURATIONS = frozenset({"every", "within", "lasting", "duration", "after"})
_NUMBERS = frozenset({"times", "to", "at", "status", "size"})
_TEXTS = frozenset({"text", "name", "button", "type"})
Env = Mapping[str, Any]


class Op(NamedTuple):
    """One step or check to play. *calls* tell which lines led here; *source* is the script it stands in."""

    act: Any
    line: int
    offset: int
    length: int
    source: Script
    calls: tuple[str, ...]

    @property
    def place(self) -> Place:
        return lines_of(self.source).place(self.source.file, self.offset, self.length)


class Scenario(NamedTuple):
    """A scenario to play: *row_line* is the line of the table's row it is played for, or 0.

    *fate*: `known` not to hold, or left `aside`, and *why*.
    """

    title: str
    tags: tuple[str, ...]
    line: int
    last_line: int
    row_line: int
    ops: tuple[Op, ...]
    clock: int | None = None
    fate: str = ""
    why: str = ""
    source: Any = None  # the script it stands in
    row_file: str = ""  # the file of its row, as the script names it; "" where the row stands in the script


_LINES: dict[int, tuple[str, Lines]] = {}


def path_span(text: str, offset: int) -> tuple[int, int]:
    """Where the first quoted text behind *offset* stands on its line, quotes and all; of a line without one, its word."""
    found = _QUOTED.match(text, offset)
    return (found.start(1), len(found[1])) if found is not None else (offset, 1)


def lines_of(script: Script) -> Lines:
    """The lines of a script's text (kept for the last few scripts asked for)."""
    known = _LINES.get(id(script))
    if known is None or known[0] is not script.text:
        if len(_LINES) > 16:
            _LINES.clear()
        known = _LINES[id(script)] = (script.text, Lines(script.text))
    return known[1]


def _row_at(file: str, line: int) -> str:
    """How a failure names the row that led to it."""
    return f"row at {file}:{line}" if file else f"row at line {line}"


class _Wrong(Exception):
    def __init__(self, cause: str, remedy: str = "", offset: int | None = None, length: int = 1) -> None:
        super().__init__(cause)
        self.cause, self.remedy, self.offset, self.length = cause, remedy, offset, length


class _TooMany(Exception):
    """A scenario that grows past all measure."""


def expand(script: Script) -> tuple[list[Scenario], list[Problem]]:
    """The scenarios of *script*, and everything that is wrong with how it is put together."""
    expander = _Expander(script)
    scenarios = [s for block in script.blocks if block.kind == "scenario" for s in expander.scenarios(block)]
    expander.uncalled()
    return scenarios, list(dict.fromkeys(expander.problems))


class _Expander:
    def __init__(self, script: Script) -> None:
        self.script = script
        self.problems: list[Problem] = []
        self.routines: dict[str, tuple[Block, Script]] = {}
        self.prelude = next((b for b in script.blocks if b.kind == "prelude"), None)
        self.played: set[str] = set()
        self.looked: set[str] = set()
        self.collected: set[str] = set()
        self.spent = 0
        self._collect(script, ())
        self._cache: dict[tuple[int, tuple[Any, ...]], Any] = {}

    def report(self, script: Script, offset: int, length: int, cause: str, remedy: str = "", calls: tuple[str, ...] = ()) -> None:
        lines = lines_of(script)
        place = lines.place(script.file, offset, length)
        self.problems.append(Problem(place, cause, remedy, lines.line(place.line), calls))

    def _collect(self, script: Script, trail: tuple[str, ...]) -> None:
        """The routines of *script* and of all it uses."""
        for block in script.blocks:
            if block.kind != "routine":
                continue
            known = self.routines.get(block.name)
            if known is not None and (known[1].file, known[0].line) != (script.file, block.line):
                cause = f"there is a routine {block.name!r} already, in {known[1].file}:{known[0].line}"
                self.report(script, block.offset, len("routine"), cause, "rename one of them")
            self.routines.setdefault(block.name, (block, script))
        for header in script.headers:
            if header.kind == "use":
                self._use(header, script, trail)

    def _use(self, header: Any, script: Script, trail: tuple[str, ...]) -> None:
        """The routines of the file that *header* names, where they have not come by another way."""
        path, span = str(Path(script.file).parent / header.text), path_span(script.text, header.offset)
        if odd := no_path(path):
            self.report(script, *span, f"{header.text!r} is no path: {odd}", "name a file")
            return
        here = str(Path(path).resolve())
        if here in trail or here == str(Path(script.file).resolve()):
            self.report(script, *span, f"{header.text} is used in a ring", "let one of the files not use the other")
            return
        if here in self.collected:
            return
        self.collected.add(here)
        try:
            used = read_script(path)
        except Unreadable as fault:
            if any(p.place.line > 1 or p.source for p in fault.problems):
                self.problems.extend(fault.problems)
            else:
                remedy = near_file(path, header.text) if fault.problems[0].code == NO_FILE else fault.problems[0].remedy
                self.report(script, *span, f"{header.text}: {fault.problems[0].cause}", remedy)
            return
        self._collect(used, (*trail, str(Path(script.file).resolve())))

    # scenarios
    def scenarios(self, block: Block) -> list[Scenario]:
        found: list[Scenario] = []
        for env, row_line, row_file in self._rows(block):
            ops: list[Op] = []
            try:
                title, why = as_text(_value(block.title, env)), as_text(_value(block.why, env))
            except _Wrong as fault:
                self.report(self.script, block.offset, len("scenario"), fault.cause, fault.remedy)
                continue
            calls = (_row_at(row_file, row_line),) if row_line else ()
            self.spent = 0
            try:
                if self.prelude is not None:
                    self._body(self.prelude.body, {}, (), self.script, (), ops, ())
                self._body(block.body, env, (), self.script, calls, ops, ())
            except _TooMany:
                cause = f"this scenario has more than {_MOST:,} steps, its routines put in place"
                remedy = "routines that play routines multiply: make it several scenarios"
                self.report(self.script, block.offset, len("scenario"), cause, remedy)
                return found
            clock = block.body.clock.ms if block.body.clock is not None else None
            lines = (block.line, block.last_line, row_line)
            found.append(Scenario(title, block.tags, *lines, tuple(ops), clock, block.fate, why, self.script, row_file))
        return found

    def _rows(self, block: Block) -> list[tuple[Env, int, str]]:
        """What each row of the block's table stands for, its line, and the file it stands in ("": this one)."""
        table = block.body.table
        if table is None:
            return [({}, 0, "")]
        offset = lines_of(self.script).starts[table.line - 1]
        if table.file:
            return [(row.cells, row.line, table.file) for row in self._file(table, self.script, offset)]
        # That every row has a cell for each name is the reader's business.
        return [(dict(zip(table.names, self._cells(row, {}), strict=False)), row.line, "") for row in table.rows]

    def _cells(self, row: Row, env: Env) -> list[Any]:
        return [_value(value, env) for value in row.values]

    def _file(self, table: With, script: Script, offset: int) -> list[TableRow]:
        """The rows of a table in a file of its own, a path relative to *script*."""
        path, span = str(Path(script.file).parent / table.file), path_span(script.text, offset)
        try:
            rows = read_table(table.kind, path)
        except Unreadable as fault:
            first = fault.problems[0]
            if any(p.code == NO_FILE or (p.place.line == 1 and not p.source and len(fault.problems) == 1) for p in fault.problems):
                remedy = near_file(path, table.file) if first.code == NO_FILE else first.remedy
                self.report(script, *span, f"{table.file}: {first.cause}", remedy)
            else:
                self.problems.extend(fault.problems)
            return []
        if not rows:
            self.report(script, *span, f"{table.file} has no rows", "put at least one row in it")
        return rows

    # bodies
    def _body(
        self, body: Body, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...], ops: list[Op], trail: tuple[str, ...]
    ) -> None:
        for statement in body.statements:
            try:
                self._statement(statement, env, prefix, source, calls, ops, trail)
            except _Wrong as fault:
                offset = statement.offset if fault.offset is None else fault.offset
                length = statement.length if fault.offset is None else fault.length
                self.report(source, offset, length, fault.cause, fault.remedy, calls)

    def _statement(
        self, statement: Statement, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...], ops: list[Op],
        trail: tuple[str, ...],
    ) -> None:  # fmt: skip
        self.spent += 1
        if self.spent > _MOST:
            raise _TooMany
        act = statement.act
        if isinstance(act, Inside):
            inner = _address(act.address, env, prefix).segments
            self._body(act.body, env, inner, source, calls, ops, trail)
        elif isinstance(act, Do):
            self._do(act, statement, env, prefix, source, calls, ops, trail)
        elif isinstance(act, Fill):
            for line in act.lines:
                offset = line.address.offset
                address = _address(line.address, env, prefix)
                one = line._replace(address=address, value=_value(line.value, env))
                ops.append(Op(one, line.line, offset, line.address.length, source, calls))
        else:
            key = (id(statement), prefix)
            resolved = None if statement.templated else self._cache.get(key)
            if resolved is None:
                resolved = _resolve(act, env, prefix)
                if not statement.templated:
                    self._cache[key] = resolved
            ops.append(Op(resolved, statement.line, statement.offset, statement.length, source, calls))

    def _do(
        self, act: Do, statement: Statement, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...],
        ops: list[Op], trail: tuple[str, ...],
    ) -> None:  # fmt: skip
        name = act.routine.text
        known = self.routines.get(name)
        if known is None:
            remedy = suggestion(name, self.routines, "define it with `routine`, or bring it in with `use`")
            raise _Wrong(f"there is no routine {name!r}", remedy, act.routine.offset, len(name))
        if name in trail:
            ring = " → ".join((*trail, name))
            raise _Wrong(f"the routine {name!r} plays itself: {ring}", "break the ring", act.routine.offset, len(name))
        if len(trail) >= _DEEPEST:
            raise _Wrong(f"routines nested deeper than {_DEEPEST}", "", act.routine.offset, len(name))
        self.played.add(name)
        block, origin = known
        where = f"line {statement.line}" if source is self.script else f"{source.file}:{statement.line}"
        for values, row in self._arguments(act, block, env, source):
            path = (*((row,) if row else ()), f"called from {where}", *calls)
            self._body(block.body, values, prefix, origin, path, ops, (*trail, name))

    def _arguments(self, act: Do, block: Block, env: Env, source: Script) -> Iterator[tuple[Env, str]]:
        """What the routine's parameters stand for, each time it is played, and which row of a table says so."""
        name, wanted = act.routine.text, ", ".join(block.parameters) or "nothing"
        table = act.table
        if table is None:
            if len(act.values) != len(block.parameters):
                cause = f"{name} takes {len(block.parameters)} values ({wanted}), not {len(act.values)}"
                raise _Wrong(cause, f"write do {name}({', '.join(block.parameters)})", act.routine.offset, len(name))
            yield dict(zip(block.parameters, [_value(v, env) for v in act.values], strict=True)), ""
            return
        if table.file:
            rows = [(row.cells, row.line) for row in self._file(table, source, act.routine.offset)]
        else:
            names = table.names or block.parameters
            rows = [(dict(zip(names, self._cells(row, env), strict=False)), row.line) for row in table.rows]
            odd = next((row for row in table.rows if len(row.values) != len(names)), None)
            if odd is not None:
                cause = f"the row at line {odd.line} has {len(odd.values)} cells; {name} takes {len(block.parameters)} ({wanted})"
                raise _Wrong(cause, "give one value for each", act.routine.offset, len(name))
        for cells, line in rows:
            if set(cells) != set(block.parameters):
                odd_names = ", ".join(sorted(set(cells) ^ set(block.parameters)))
                remedy = "name the columns as the routine's parameters"
                raise _Wrong(f"{name} takes {wanted}; the table differs in {odd_names}", remedy, act.routine.offset, len(name))
            yield cells, _row_at(table.file, line)

    def uncalled(self) -> None:
        """Looks through the routines that no scenario plays: a ring or a missing routine in them is a fault too."""
        for name, (block, source) in self.routines.items():
            if name not in self.played and source is self.script:
                self._look(block.body, source, (name,))

    def _look(self, body: Body, source: Script, trail: tuple[str, ...]) -> None:
        if trail[-1] in self.looked:
            return
        self._look_through(body, source, trail)
        self.looked.add(trail[-1])

    def _look_through(self, body: Body, source: Script, trail: tuple[str, ...]) -> None:
        for statement in body.statements:
            act = statement.act
            if isinstance(act, Inside):
                self._look_through(act.body, source, trail)
            elif isinstance(act, Do):
                name = act.routine.text
                known = self.routines.get(name)
                if known is None:
                    remedy = suggestion(name, self.routines, "define it with `routine`, or bring it in with `use`")
                    self.report(source, act.routine.offset, len(name), f"there is no routine {name!r}", remedy)
                elif name in trail:
                    cause = f"the routine {name!r} plays itself: {' → '.join((*trail, name))}"
                    self.report(source, act.routine.offset, len(name), cause, "break the ring")
                elif name not in self.played:
                    self._look(known[0].body, known[1], (*trail, name))


# values and addresses
def _value(value: Any, env: Env) -> Any:
    """A value of the tree as plain data; `any` and `like` stay what they are."""
    if isinstance(value, Parameter):
        return _parameter(value, env)
    if isinstance(value, Template):
        return "".join(p if isinstance(p, str) else _text_of(_parameter(p, env)) for p in value.parts)
    if isinstance(value, Collection):
        if value.kind == "list":
            return [_inner(m.value, env) for m in value.members]
        return {as_text(_value(m.key, env)): _inner(m.value, env) for m in value.members}
    return value


def _inner(value: Any, env: Env) -> Any:
    """A member of a list or object, which cannot be `nothing`."""
    found = _value(value, env)
    return _fitting(found, "", value) if isinstance(found, Nothing) else found


def _text_of(value: Any) -> str:
    return "nothing" if isinstance(value, Nothing) else as_text(value)


def _parameter(parameter: Parameter, env: Env) -> Any:
    if parameter.name not in env:
        known = f"the parameters here are {', '.join('$' + k for k in env)}" if env else "there are no parameters here; $$ is a dollar sign"
        remedy = suggestion(parameter.name, env, known)
        raise _Wrong(f"there is no parameter ${parameter.name}", remedy, parameter.offset or None, len(parameter.name) + 1)
    return env[parameter.name]


def _address(address: Address, env: Env, prefix: tuple[Any, ...]) -> Address:
    """*address* with its parameters replaced, from the form's root."""
    segments: list[str | int] = []
    relative = address.relative
    for i, segment in enumerate(address.segments):
        if not isinstance(segment, Parameter):
            segments.append(segment)
            continue
        value = _parameter(segment, env)
        if i == 0:
            found = parse_address(value.removeprefix(".")) if isinstance(value, str) else None
            if found is None or "*" in found:
                raise _Wrong(f"${segment.name} is {as_text(value)!r}, which is no address", "", segment.offset, len(segment.name) + 1)
            relative = relative or value.startswith(".")
            segments.extend(found)
        elif isinstance(value, int) and not isinstance(value, bool):
            segments.append(value)
        elif isinstance(value, str) and _WHOLE.fullmatch(value):
            segments.append(int(value))
        else:
            raise _Wrong(f"${segment.name} is {as_text(value)!r}, which is no row's number", "", segment.offset, len(segment.name) + 1)
    whole = (*prefix, *segments) if relative else tuple(segments)
    return Address(whole, False, address.offset, address.length)


def _resolve(thing: Any, env: Env, prefix: tuple[Any, ...], name: str = "") -> Any:
    """Any part of an act with its parameters replaced. *name* is the slot it stands in."""
    if isinstance(thing, Address):
        return _address(thing, env, prefix)
    if isinstance(thing, Duration):
        return thing.ms
    if isinstance(thing, Collection | Template):
        return _value(thing, env)
    if isinstance(thing, Parameter):
        return _fitting(_parameter(thing, env), name, thing)
    if not isinstance(thing, tuple) or isinstance(thing, Word | Like | Anything):
        return thing
    if not hasattr(thing, "_fields"):
        return tuple(_resolve(each, env, prefix, name) for each in thing)
    return _resolve_slots(thing, env, prefix)


def _resolve_slots(act: Any, env: Env, prefix: tuple[Any, ...]) -> Any:
    if isinstance(act, Check) and _takes_several(act):
        act = _with_several(act, env, prefix)
    elif isinstance(act, Pick):
        act = act._replace(values=tuple(v for each in act.values for v in _spread(each, env, prefix)))
    changes: dict[str, Any] = {}
    words = isinstance(act, Not) or (isinstance(act, Check) and _of_words(act))
    for each, old in zip(act._fields, act, strict=True):
        new = _resolve(old, env, prefix, "word" if words and each in ("arguments", "word") else each)
        if new is not old:
            changes[each] = new
    return act._replace(**changes) if changes else act


def _takes_several(check: Check) -> bool:
    """Whether a comma list stands there, in which a parameter that is a list stands for several."""
    addresses = check.noun.kind in ("dirty", "touched") and check.predicate in ("=", "!=")
    return addresses or check.predicate in ("is", "breaks", "breaks only", "shows", "omits")


def _with_several(check: Check, env: Env, prefix: tuple[Any, ...]) -> Check:
    """*check* with each parameter that is a list in the place of several; an empty list means *nothing*."""
    arguments = tuple(v for each in check.arguments for v in _spread(each, env, prefix))
    if _of_words(check):
        arguments = tuple(map(_as_word, arguments))
    if arguments or not check.arguments:
        return check._replace(arguments=arguments)
    none = {"breaks": "breaks nothing", "breaks only": "breaks nothing", "shows": "shows nothing", "=": "nothing", "!=": "nothing"}
    if check.predicate not in none:
        raise _Wrong(f"there is none to stand behind `{check.predicate}`", "give at least one", check.offset, check.length)
    negated = check.negated is not (check.predicate == "!=")
    return check._replace(predicate=none[check.predicate], arguments=(), negated=negated)


def _spread(thing: Any, env: Env, prefix: tuple[Any, ...]) -> tuple[Any, ...]:
    """What one element of a comma list stands for: itself, or all that its parameter's list holds."""
    inner = thing.word if isinstance(thing, Not) else thing
    lone = isinstance(inner, Address) and len(inner.segments) == 1 and isinstance(inner.segments[0], Parameter)
    parameter = inner.segments[0] if lone else inner
    if not isinstance(parameter, Parameter):
        return (thing,)
    value = _parameter(parameter, env)
    if isinstance(value, Nothing):
        return ()
    if not isinstance(value, list):
        return (thing,)
    if lone:
        return tuple(_address(inner, {parameter.name: each}, prefix) for each in value)
    if isinstance(thing, Not):
        return tuple(Not(Word(as_text(each), parameter.offset)) for each in value)
    return tuple(value)


def _of_words(check: Check) -> bool:
    return check.predicate in ("is", "breaks", "breaks only")


def _as_word(each: Any) -> Any:
    return each if isinstance(each, tuple) else Word(as_text(each))


def _fitting(value: Any, name: str, parameter: Parameter) -> Any:
    """A parameter's value as the slot *name* wants it."""
    where = (parameter.offset, len(parameter.name) + 1)
    if isinstance(value, Nothing):
        remedy = "`nothing` stands for no rule, message, option or field: breaks only $x, shows $x, pick R $x"
        raise _Wrong(f"${parameter.name} is nothing, and a value must stand here", remedy, *where)
    if name == "word":
        return Word(as_text(value), parameter.offset)
    if name in _DURATIONS:
        ms = parse_duration(value) if isinstance(value, str) else None
        if ms is None:
            raise _Wrong(f"${parameter.name} is {as_text(value)!r}, which is no duration", 'write it as in "3s"', *where)
        return ms
    if name in _NUMBERS:
        if isinstance(value, str) and _WHOLE.fullmatch(value):
            return int(value)
        if not isinstance(value, int) or isinstance(value, bool):
            raise _Wrong(f"${parameter.name} is {as_text(value)!r}, which is no whole number", "", *where)
        return value
    if name == "on":
        states = {"on": True, "off": False, True: True, False: False}
        if not isinstance(value, str | bool) or value not in states:
            raise _Wrong(f"${parameter.name} is {as_text(value)!r}, which is neither on nor off", "", *where)
        return states[value]
    return as_text(value) if name in _TEXTS else value


