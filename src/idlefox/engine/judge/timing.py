"""When broken rules are reported, and which messages a person sees.

Three layers are separate: `breaks` describes the current value; `reported` is from the last reporting moment; `shows` is the
part that `reveal` lets through, plus the server's messages.
"""

from __future__ import annotations

from typing import Any

from ...forms.expressions import UNKNOWN
from ...forms.model.form import Message
from ...forms.values.values import as_text
from ...forms.values.whatwg import utf16_length
from ..plan.plans import CHANGE, CheckPlan
from ..state.cells import Cell, Container, FieldCell, ListCell, Said, judged_value
from ..state.form_state import FormState


def at_moment(live: FormState, cell: Cell, now: int) -> None:
    """A moment (a change, a blur, an attempt) at *cell*: it and its containers report if the moment counts for them."""
    plan = cell.plan
    if cell.active and now >= (plan.again if cell.has_reported else plan.first):
        if not cell.has_reported:
            first_report(live, cell)
        if cell.broken or cell.reported:
            report(live, cell)
    if plan.above:
        _containers(live, cell, now)
    if now == CHANGE and live.server_on_containers and cell.up is not None:
        _forget_server_above(live, cell.up)


def first_report(live: FormState, cell: Cell, reported: bool = True) -> None:
    """Record that *cell* has reported once: from now on `again` applies (or `first` again, after a reset)."""
    if cell.has_reported is not reported:
        live.trace.append((live.step, live.now, cell, "has_reported", cell.has_reported, reported))
        cell.has_reported = reported


def _containers(live: FormState, cell: Cell, now: int) -> None:
    steps, each = 0, cell
    for above in cell.plan.above:
        while steps < above and each.up is not None:
            steps, each = steps + 1, each.up
        if each.active and now >= (each.plan.again if each.has_reported else each.plan.first):
            first_report(live, each)
            if each.broken or each.reported:
                report(live, each)


def _forget_server_above(live: FormState, container: Container) -> None:
    """A server's message on a group or list leaves at any change within; the form's own stays for the next attempt."""
    while container.up is not None:
        if container.server:
            drop_server(live, container)
        container = container.up


def report(live: FormState, cell: Cell) -> None:
    """Take what *cell* breaks now into *reported*."""
    broken = cell.broken
    said: tuple[Said, ...] = cell.plan.said.get(broken, ())
    if broken and not said:
        said = tuple([(c.index, message_text(live, cell, c)) for c in cell.plan.checks if broken & c.bit])
    if isinstance(cell, FieldCell) and cell.questions:
        said = (*said, *((index, question.message) for index, question in cell.questions.items() if question.lost))
    set_reported(live, cell, said)


def set_reported(live: FormState, cell: Cell, said: tuple[Said, ...]) -> None:
    """Put *said* in place of what *cell* had reported."""
    if said == cell.reported or (not said and cell.plan.path in live.plan.faults.messages_stay):
        return
    live.trace.append((live.step, live.now, cell, "reported", cell.reported, said))
    cell.reported = said
    if said:
        live.reporting[cell] = None
    else:
        live.reporting.pop(cell, None)
    update_shows(live, cell)


def update_shows(live: FormState, cell: Cell) -> None:
    """Update the messages that a person sees at *cell*."""
    shows: tuple[Said, ...] = ()
    if cell.visible:
        plan = cell.plan
        if cell.reported and cell.active and (plan.reveal is None or plan.reveal(cell, None) is True):
            shows = cell.reported
        if cell.server:
            shows = (*shows, *((-1, text) for text in cell.server))
        if len(shows) > 1 and not plan.messages_all:
            shows = shows[:1]
    if shows == cell.shows:
        return
    live.trace.append((live.step, live.now, cell, "shows", cell.shows, shows))
    marked = bool(shows) - bool(cell.shows)
    cell.shows = shows
    if marked:
        _count_marked(live, cell, marked)


def _count_marked(live: FormState, cell: Cell, by: int) -> None:
    container: Container | None = cell.up
    if isinstance(cell, Container):
        container = cell
    elif "marked" in cell.plan.watch:
        live.notify(cell, "marked")
    while container is not None:
        before = container.marked_count
        container.marked_count = before + by
        if "marked" in container.plan.watch and not (before and container.marked_count):
            live.notify(container, "marked")
        container = container.up


def say_server(live: FormState, cell: Cell, texts: tuple[str, ...]) -> None:
    """Show the server's messages at *cell* until its next change, the next attempt, or a reset."""
    live.trace.append((live.step, live.now, cell, "server", cell.server, (*cell.server, *texts)))
    if isinstance(cell, Container) and not cell.server:
        live.server_on_containers += 1
    cell.server = (*cell.server, *texts)
    live.server_said[cell] = None
    update_shows(live, cell)


def drop_server(live: FormState, cell: Cell) -> None:
    """Remove the server's messages of *cell*."""
    if not cell.server or live.plan.faults.server_stays:
        return
    live.trace.append((live.step, live.now, cell, "server", cell.server, ()))
    cell.server = ()
    live.server_said.pop(cell, None)
    if isinstance(cell, Container):
        live.server_on_containers -= 1
    update_shows(live, cell)


# texts
def message_text(live: FormState, cell: Cell, check: CheckPlan) -> Any:
    """Return the message of a broken check: a text, or its parts with a placeholder for the row number."""
    question = cell.questions.get(check.index) if check.lookup and isinstance(cell, FieldCell) and cell.questions else None
    own = live.python_said.get((cell, check.index)) or (question.message if question is not None else "")
    return own or fill_message(check.message, cell, check.parameters)


def settled_text(check: CheckPlan, label: str) -> tuple[int, str] | None:
    """Return the message of *check* for a field with *label* if it never changes; else None."""
    if check.kind in ("python", "lookup"):
        return None
    message = check.message
    if not message.placeholders:
        return check.index, str(message.parts[0])
    known = {name: text for name, text in check.parameters.items() if isinstance(text, str)}
    known["label"] = label
    if not message.placeholders <= known.keys():
        return None
    return check.index, "".join([part if isinstance(part, str) else known[part[0]] for part in message.parts])


def fill_message(message: Message, cell: Cell, parameters: dict[str, Any]) -> Any:
    """*message* with its placeholders filled, all but ``{row}``, which is filled when it is shown."""
    if not message.placeholders:
        return message.parts[0]
    parts: list[Any] = []
    open_parts = False
    for part in message.parts:
        if isinstance(part, str):
            parts.append(part)
        elif part[0] == "row" and cell.row is not None:
            open_parts = True
            parts.append(part)
        else:
            parts.append(_placeholder(part[0], cell, parameters))
    return tuple(parts) if open_parts else "".join(parts)


def _placeholder(name: str, cell: Cell, parameters: dict[str, Any]) -> str:
    if name == "label":
        return cell.plan.label
    if name in ("value", "count"):
        value = judged_value(cell)
        if name == "count":
            return _count(cell, value)
        return cell.raw if isinstance(cell, FieldCell) and cell.bad_input else as_text(value)
    if name == "row":
        return ""
    parameter = parameters.get(name, "")
    if callable(parameter):
        found = parameter(cell, None)
        return "" if found is UNKNOWN else as_text(found)
    return str(parameter)


def _count(cell: Cell, value: Any) -> str:
    """``{count}``: how long a list or text is."""
    if isinstance(cell, ListCell) or isinstance(value, list):
        return str(len(value))
    return str(utf16_length(value)) if isinstance(value, str) else "0" if value is None else "1"
