"""Expands a script to the scenarios to run: routines inlined, parameters replaced, addresses made absolute.

The result is flat: every scenario (and every table row) is a list of `Op`s with plain values. Errors are collected with their
places; nothing runs here.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..forms.values.values import as_text
from ..problems import NO_FILE, Problem, Unreadable, near_file
from .ops import WHOLE, ExpandedScenario, Op, ScenarioRange, lines_of, path_span
from .resolve import Env, ResolveError, absolute, parameters_in, plain, resolve
from .routines import ProblemCollector, Routines
from .tables import TableRow, read_table
from .tree import Block, Body, Do, Fill, FillLine, Inside, Row, Script, Statement, With

_DEEPEST = 40
_MOST = 100_000  # steps of one scenario, and routine calls in it


def _row_at(file: str, line: int) -> str:
    """Return the line that names a row in failures."""
    return f"row at {file}:{line}" if file else f"row at line {line}"


class _TooManySteps(Exception):
    """A scenario that grows past all measure."""


def expand(script: Script, part: ScenarioRange = WHOLE) -> tuple[list[ExpandedScenario], list[Problem]]:
    """The scenarios of *script*, or a *part* of them, and everything that is wrong with how they are put together."""
    expander = _Expander(script)
    scenarios = expander.scenarios(part)
    if part.number == 0:
        expander.routines.look_at_unplayed()
    return scenarios, list(dict.fromkeys(expander.faults.problems))


class _Expander:
    def __init__(self, script: Script) -> None:
        self.script = script
        self.faults = ProblemCollector()
        self.routines = Routines(script, self.faults)
        self.prelude = next((b for b in script.blocks if b.kind == "prelude"), None)
        self.spent = 0
        self._first: tuple[list[Op], int] | None = None  # the operations of the prelude, and their share of `spent`
        self._cache: dict[tuple[Any, ...], Any] = {}
        self._names: dict[tuple[int, ...], tuple[str, ...]] = {}  # the parameters of acts

    # scenarios
    def scenarios(self, part: ScenarioRange) -> list[ExpandedScenario]:
        rows = [(b, n, *row) for b in self.script.blocks if b.kind == "scenario" for n, row in enumerate(self._rows(b), 1)]
        found: list[ExpandedScenario] = []
        for block, number, env, row_line, row_file in part.of(rows):
            try:
                title, why = as_text(plain(block.title, env)), as_text(plain(block.why, env))
            except ResolveError as fault:
                self.faults.report(self.script, block.offset, len("scenario"), fault.cause, fault.remedy)
                continue
            calls = (_row_at(row_file, row_line),) if row_line else ()
            self.spent = 0
            try:
                ops = self._begun()
                self._body(block.body, env, (), self.script, calls, ops, ())
            except _TooManySteps:
                cause = f"this scenario has more than {_MOST:,} steps after its routines are expanded"
                remedy = "routines that call routines multiply; split the scenario"
                self.faults.report(self.script, block.offset, len("scenario"), cause, remedy)
                return found
            clock = block.body.clock.ms if block.body.clock is not None else None
            lines = (block.line, block.last_line, row_line)
            given = json.dumps(env, ensure_ascii=False, default=str) if row_line else ""
            made = ExpandedScenario(title, block.tags, *lines, tuple(ops), clock, block.fate, why, self.script, row_file)
            found.append(made._replace(row=number, given=given) if row_line else made)
        return found

    def _begun(self) -> list[Op]:
        """Return the operations of the prelude, which are the same in every scenario."""
        if self._first is None:
            ops: list[Op] = []
            if self.prelude is not None:
                self._body(self.prelude.body, {}, (), self.script, (), ops, ())
            self._first = ops, self.spent
        ops, self.spent = self._first
        return ops.copy()

    def _rows(self, block: Block) -> list[tuple[Env, int, str]]:
        """Yield the parameter values of each row of the block's table, its line and its file ("": this one)."""
        table = block.body.table
        if table is None:
            return [({}, 0, "")]
        offset = lines_of(self.script).starts[table.line - 1]
        if table.file:
            return [(row.cells, row.line, table.file) for row in self._file(table, self.script, offset)]
        # The reader has checked that every row has a cell for each name.
        return [(dict(zip(table.names, self._cells(row, {}), strict=False)), row.line, "") for row in table.rows]

    def _cells(self, row: Row, env: Env) -> list[Any]:
        return [plain(value, env) for value in row.values]

    def _file(self, table: With, script: Script, offset: int) -> list[TableRow]:
        """Return the rows of a table in a separate file, with a path relative to *script*."""
        path, span = str(Path(script.file).parent / table.file), path_span(script.text, offset)
        try:
            rows = read_table(table.kind, path)
        except Unreadable as fault:
            first = fault.problems[0]
            if any(p.code == NO_FILE or (p.place.line == 1 and not p.source and len(fault.problems) == 1) for p in fault.problems):
                remedy = near_file(path, table.file) if first.code == NO_FILE else first.remedy
                self.faults.report(script, *span, f"{table.file}: {first.cause}", remedy)
            else:
                self.faults.problems.extend(fault.problems)
            return []
        if not rows:
            self.faults.report(script, *span, f"{table.file} has no rows", "put at least one row in it")
        return rows

    # bodies
    def _body(
        self, body: Body, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...], ops: list[Op], trail: tuple[str, ...]
    ) -> None:
        for statement in body.statements:
            try:
                self._statement(statement, env, prefix, source, calls, ops, trail)
            except ResolveError as fault:
                self._wrong(fault, statement.offset, statement.length, source, calls)

    def _wrong(self, fault: ResolveError, offset: int, length: int, source: Script, calls: tuple[str, ...]) -> None:
        """Report *fault* at *offset* of that length."""
        length = length if fault.offset is None else fault.length
        self.faults.report(source, offset + (fault.offset or 0), length, fault.cause, fault.remedy, calls)

    def _statement(
        self, statement: Statement, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...], ops: list[Op],
        trail: tuple[str, ...],
    ) -> None:  # fmt: skip
        self.spent += 1
        if self.spent > _MOST:
            raise _TooManySteps
        act = statement.act
        if isinstance(act, Inside):
            inner = absolute(act.address, env, prefix).segments
            self._body(act.body, env, inner, source, calls, ops, trail)
        elif isinstance(act, Do):
            self._do(act, statement, env, prefix, source, calls, ops, trail)
        elif isinstance(act, Fill):
            for line in act.lines:
                said = FillLine(line.address, line.value)
                try:
                    one = self._once((id(line.address), id(line.value)), said, env if statement.templated else {}, prefix)
                except ResolveError as fault:
                    self._wrong(fault, line.offset, line.address.length, source, calls)
                    continue
                ops.append(Op(one, line.line, line.offset, line.address.length, source, calls))
        else:
            resolved = self._once((id(act),), act, env if statement.templated else {}, prefix)
            ops.append(Op(resolved, statement.line, statement.offset, statement.length, source, calls))

    def _once(self, known: tuple[int, ...], act: Any, env: Env, prefix: tuple[Any, ...]) -> Any:
        """Resolve *act*, identified by *known*: equal results are the same object."""
        key: tuple[Any, ...] = (known, prefix)
        if env:
            names = self._names.get(known)
            if names is None:
                names = self._names[known] = tuple(sorted(parameters_in(act)))
            values = [env.get(name, self) for name in names]
            key = (known, prefix, *map(type, values), *[repr(each) if type(each) is float else each for each in values])
        try:
            found = self._cache.get(key)
        except TypeError:  # a list or an object
            return resolve(act, env, prefix)
        if found is None:
            found = self._cache[key] = resolve(act, env, prefix)
        return found

    def _do(
        self, act: Do, statement: Statement, env: Env, prefix: tuple[Any, ...], source: Script, calls: tuple[str, ...],
        ops: list[Op], trail: tuple[str, ...],
    ) -> None:  # fmt: skip
        name = act.routine.text
        known = self.routines.known.get(name)
        if known is None:
            raise ResolveError(*self.routines.missing(name), act.routine.offset, len(name))
        if name in trail:
            ring = " → ".join((*trail, name))
            raise ResolveError(f"the routine {name!r} calls itself: {ring}", "remove one of the calls", act.routine.offset, len(name))
        if len(trail) >= _DEEPEST:
            raise ResolveError(f"routines nested deeper than {_DEEPEST}", "", act.routine.offset, len(name))
        self.routines.played.add(name)
        block, origin = known
        where = f"line {statement.line}" if source is self.script else f"{source.file}:{statement.line}"
        for values, row in self._arguments(act, statement, block, env, source):
            path = (*((row,) if row else ()), f"called from {where}", *calls)
            self._body(block.body, values, prefix, origin, path, ops, (*trail, name))

    def _arguments(self, act: Do, statement: Statement, block: Block, env: Env, source: Script) -> Iterator[tuple[Env, str]]:
        """Yield the routine's parameter values for each call, and the row of a table that supplies them."""
        name, wanted = act.routine.text, ", ".join(block.parameters) or "nothing"
        table = act.table
        if table is None:
            if len(act.values) != len(block.parameters):
                cause = f"{name} takes {len(block.parameters)} values ({wanted}), not {len(act.values)}"
                raise ResolveError(cause, f"write do {name}({', '.join(block.parameters)})", act.routine.offset, len(name))
            yield dict(zip(block.parameters, [plain(v, env) for v in act.values], strict=True)), ""
            return
        if table.file:
            rows = [(row.cells, row.line) for row in self._file(table, source, statement.offset + act.routine.offset)]
        else:
            names = table.names or block.parameters
            rows = [(dict(zip(names, self._cells(row, env), strict=False)), row.line) for row in table.rows]
            odd = next((row for row in table.rows if len(row.values) != len(names)), None)
            if odd is not None:
                cause = f"the row at line {odd.line} has {len(odd.values)} cells; {name} takes {len(block.parameters)} ({wanted})"
                raise ResolveError(cause, "give one value for each", act.routine.offset, len(name))
        for cells, line in rows:
            if set(cells) != set(block.parameters):
                odd_names = ", ".join(sorted(set(cells) ^ set(block.parameters)))
                remedy = "name the columns as the routine's parameters"
                raise ResolveError(f"{name} takes {wanted}; the table differs in {odd_names}", remedy, act.routine.offset, len(name))
            yield cells, _row_at(table.file, line)
