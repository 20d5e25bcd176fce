"""When broken rules are reported, and what of it a person sees (`behaviour.md`, Timing).

Three layers, never mixed: `breaks` is true of the value now; `reported` was taken at the last moment that
counted; `shows` is what `reveal` lets through of it, and what the server said.
"""

from __future__ import annotations

from typing import Any

from ...forms.model.form import Message
from ...forms.values.values import as_text
from ..plan.plans import CheckPlan
from ..state.cells import Container, FieldCell, ListCell, Said, judged_value
from ..state.live import Live

CHANGE, BLUR, SUBMIT = 1, 2, 3


def moment(live: Live, cell: Any, now: int) -> None:
    """A change (1), blur (2) or attempt (3) at *cell*: it and its containers report if it counts for them."""
    plan = cell.plan
    if cell.active and now >= (plan.again if cell.has_reported else plan.first):
        cell.has_reported = True
        if cell.broken or cell.reported:
            report(live, cell)
    if plan.above:
        _containers(live, cell, now)
    if live.server_on_boxes and cell.up is not None:
        _forget_server_above(live, cell, now)


def _containers(live: Live, cell: Any, now: int) -> None:
    steps, box = 0, cell
    for above in cell.plan.above:
        while steps < above:
            steps, box = steps + 1, box.up
        if box.active and now >= (box.plan.again if box.has_reported else box.plan.first):
            box.has_reported = True
            if box.broken or box.reported:
                report(live, box)


def _forget_server_above(live: Live, cell: Any, now: int) -> None:
    """A server's message on a group or list leaves at any change within; the form's own stays for the next attempt."""
    if now != CHANGE:
        return
    box = cell.up
    while box.up is not None:
        if box.server:
            drop_server(live, box)
        box = box.up


def report(live: Live, cell: Any) -> None:
    """Takes what *cell* breaks now into *reported*."""
    mask = cell.broken
    texts = cell.plan.texts
    said: tuple[Said, ...]
    if mask in texts:
        said = texts[mask]
    else:
        checks = [c for c in cell.plan.checks if mask & c.bit]
        said = tuple((c.index, message_text(live, cell, c)) for c in checks)
        if not any(c.late for c in checks):
            texts[mask] = said
    if type(cell) is FieldCell and cell.questions:
        said = (*said, *((index, ask.message) for index, ask in cell.questions.items() if ask.lost))
    set_reported(live, cell, said)


def set_reported(live: Live, cell: Any, said: tuple[Said, ...]) -> None:
    """Puts *said* in place of what *cell* had reported."""
    if said == cell.reported:
        return
    live.trace.append((live.step, live.now, cell, "reported", cell.reported, said))
    cell.reported = said
    if said:
        live.reporting[cell] = None
    else:
        live.reporting.pop(cell, None)
    update_shows(live, cell)


def update_shows(live: Live, cell: Any) -> None:
    """Brings what a person sees at *cell* in line with what it has reported."""
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
    if not marked:
        return
    if cell.plan.watch and not isinstance(cell, Container):
        live.notify(cell, "marked")
    box = cell if isinstance(cell, Container) else cell.up
    while box is not None:
        before = box.marked_count
        box.marked_count = before + marked
        if box.plan.watch and not (before and box.marked_count):
            live.notify(box, "marked")
        box = box.up


def say_server(live: Live, cell: Any, texts: tuple[str, ...]) -> None:
    """What the server says of *cell*: shown at once, until the next change of it, attempt or reset."""
    live.trace.append((live.step, live.now, cell, "server", cell.server, (*cell.server, *texts)))
    cell.server = (*cell.server, *texts)
    live.server_said[cell] = None
    if isinstance(cell, Container):
        live.server_on_boxes += 1
    update_shows(live, cell)


def drop_server(live: Live, cell: Any) -> None:
    """Takes away what the server said of *cell*."""
    if not cell.server:
        return
    live.trace.append((live.step, live.now, cell, "server", cell.server, ()))
    cell.server = ()
    live.server_said.pop(cell, None)
    if isinstance(cell, Container):
        live.server_on_boxes -= 1
    update_shows(live, cell)


# texts
def message_text(live: Live, cell: Any, check: CheckPlan) -> Any:
    """The text of a broken check as it is reported: a text, or parts with a row's number still open."""
    question = cell.questions.get(check.index) if check.lookup and type(cell) is FieldCell and cell.questions else None
    own = live.python_said.get((cell, check.index)) or (question.message if question is not None else "")
    return own or fill_message(check.message, cell, check.parameters)


def fill_message(message: Message, cell: Any, parameters: dict[str, Any]) -> Any:
    """*message* with its placeholders filled, all but ``{row}``, which is filled when it is shown."""
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


def _placeholder(name: str, cell: Any, parameters: dict[str, Any]) -> str:
    if name == "label":
        return str(cell.plan.label)
    if name in ("value", "count"):
        value = judged_value(cell)
        if name == "value":
            return cell.raw if type(cell) is FieldCell and cell.bad_input else as_text(value)
        if isinstance(cell, ListCell) or isinstance(value, list):
            return str(len(value))
        from ...forms.values.whatwg import utf16_length

        return str(utf16_length(value)) if isinstance(value, str) else "0" if value is None else "1"
    if name == "row":
        return ""
    parameter = parameters.get(name, "")
    if callable(parameter):
        from ...forms.expressions import UNKNOWN

        found = parameter(cell, None)
        return "" if found is UNKNOWN else as_text(found)
    return str(parameter)


def shown_texts(cell: Any) -> list[str]:
    """The messages a person sees at *cell*, with the numbers that rows have now."""
    return [said_text(cell, text) for _, text in cell.shows]


def said_text(cell: Any, text: Any) -> str:
    """One message of *cell*, its row's number filled in."""
    if isinstance(text, str):
        return text
    number = str(cell.row.index() + 1) if cell.row is not None else ""
    return "".join(part if isinstance(part, str) else number for part in text)
