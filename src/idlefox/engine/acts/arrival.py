"""An answer arrives for a submission: outcome, values, errors on fields, views and notices."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...forms.model.form import After
from ...forms.names.addresses import parse_address
from ..judge.lists import propagate
from ..judge.timing import say_server
from ..state.cells import Cell, FieldCell, FormCell, ListCell
from ..state.form_state import FormState
from ..state.queue import Event
from ..world.encode import EncodedRequest
from ..world.server import ServerAnswer
from .attempt import show_notice
from .form_kind import form_kind_of
from .panels import give
from .reset import blank_form, keep_as_initial, reset_form, set_back

RowsAsSent = Mapping[str, tuple[int, ...]]


def arrive(live: FormState, event: Event) -> None:
    """The server's answer, or the news that there will be none."""
    panel, number, reply, rows, view = event.data
    form, sent = live.roots_by_panel[panel], live.requests[number]
    live.put_form(form, "busy", False)
    outcome = "lost" if reply.kind == "failure" else "accepted" if reply.status < 400 else "rejected"
    if form.plan.form.follows and outcome != "lost":
        live.put("location", sent.target)
    status = "lost" if outcome == "lost" else reply.status
    live.answers.append((live.step, live.now, number, status))
    live.note(None, "answer", f"{sent.method} {sent.target}", status)
    live.put("outcome", outcome)
    after = form.plan.form.model.after.get(outcome, After())
    if live.view == "waiting" or not after.view:
        live.put("view", view)
    if outcome == "accepted":
        _accepted(live, form, sent, reply)
    _set_values(live, form, after)
    if outcome == "rejected":
        _place_errors(live, form, reply, rows)
    if after.view:
        live.put("view", after.view)
    notice = reply.notice if reply.notice is not None else after.notice
    if notice is not None:
        show_notice(live, notice)
    propagate(live)


def _accepted(live: FormState, form: FormCell, sent: EncodedRequest, reply: ServerAnswer) -> None:
    if form.plan.form.name:
        give(live, form)
    else:
        live.put("record", reply.record if reply.has_record else sent.values)
    if reply.to:
        live.put("location", reply.to)


def _set_values(live: FormState, form: FormCell, after: After) -> None:
    if not form.open:
        return
    for address in after.forget:  # first, because the values that are kept become the initial ones
        for cell in find_cells(form, address, {}) or ():
            set_back(live, cell)
    if after.values == "initial":
        reset_form(live, form)
    elif after.values == "blank":
        blank_form(live, form)
    elif live.outcome == "accepted":
        keep_as_initial(live, form)
    propagate(live)


def _place_errors(live: FormState, form: FormCell, reply: ServerAnswer, rows: RowsAsSent) -> None:
    for address, texts in reply.errors:
        if not texts or live.plan.faults.server_lost:
            continue
        found = find_cells(form, address, rows)
        if found is None:
            live.note(None, "dropped error", address, texts)
            continue
        for cell in found or [form]:
            say_server(live, cell, texts)


def find_cells(form: FormCell, address: str, rows: RowsAsSent) -> list[Cell] | None:
    """Return the cells that *address* names, with rows counted as in *rows*; [] if none exists.

    None where the row it means has been removed since.
    """
    called = form_kind_of(form).called(form, address)
    if called:
        return list(called)
    segments = parse_address(address) if address else ()
    if not segments:
        return []
    if form.plan.form.name and segments[0] == form.plan.form.name:
        segments = segments[1:]
    found: list[Cell] = [form]
    for segment in segments:
        following = _step_down(found, segment, rows)
        if following is None:
            return None
        found = following
    return found


def _called(container: Cell, name: Any) -> list[Any]:
    """Return the parts of *container* with that name or, failing that, the part sent under that name."""
    parts: tuple[Any, ...] = container.parts  # type: ignore[attr-defined]
    return [part for part in parts if part.plan.field.name == name] or [part for part in parts if part.plan.field.send_name == name]


def _step_down(cells: list[Cell], segment: Any, rows: RowsAsSent) -> list[Cell] | None:
    """Return the cells that *segment* leads to; None if it is a row that no longer exists."""
    following: list[Cell] = []
    for cell in cells:
        if isinstance(cell, FieldCell):
            return []
        if not isinstance(cell, ListCell):
            following.extend(_called(cell, segment))
        elif segment == "*":
            following.extend(cell.parts)
        else:
            ids = rows.get(cell.key) or tuple(row.id for row in cell.parts)
            if not isinstance(segment, int) or not -len(ids) <= segment < len(ids):
                return []
            row = next((row for row in cell.parts if row.id == ids[segment]), None)
            if row is None:
                return None
            following.append(row)
    return following
