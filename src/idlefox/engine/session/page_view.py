"""A running form as a person sees it: controls, groups, rows and buttons in order, with their contents and messages."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...forms.model.form import CHOICE_KINDS, Field, Form
from ...forms.values.values import is_chosen, reads_as
from ...records import NamedTuple
from ..acts.buttons import button_enabled, button_visible
from ..acts.rows import why_not
from ..acts.sight import is_enabled, is_visible
from ..judge.choices import offered
from ..state.cells import ASKING, Cell, FieldCell, FormCell, ListCell, RowCell, is_marked
from ..state.form_state import FormState
from .look import messages

_NOT_TEXT = frozenset({"checkbox", "radio", "select", "textarea", "file"})


class DrawnChoice(NamedTuple):
    """An option: its value, the text sent, the label, and whether it is chosen and enabled."""

    value: Any
    text: str
    label: str
    chosen: bool
    enabled: bool


class DrawnPart(NamedTuple):
    """A control, group, list or row. *name* is its address, *kind* the kind of input (text, textarea, checkbox, radio, select,
    choices, file) or container (group, rows, row); *type* is from the sheet.
    """

    kind: str
    name: str
    label: str
    type: str = ""
    text: str = ""
    choices: tuple[DrawnChoice, ...] = ()
    says: tuple[str, ...] = ()
    on: bool = False
    many: bool = False
    marked: bool = False
    required: bool = False
    enabled: bool = True
    readonly: bool = False
    asking: bool = False
    limit: int | None = None
    accept: str = ""
    parts: tuple[Any, ...] = ()
    add: bool = False
    remove: bool = False
    bounds: tuple[tuple[str, str], ...] = ()  # of a slider, whose value depends on them: min, max and step

    def all(self) -> Iterator[Any]:
        """It and all that is in it, in order."""
        yield self
        for part in self.parts:
            yield from part.all()


class DrawnButton(NamedTuple):
    """A submit button: its name in the sheet ("" for the default one), what people read, and whether it takes a press."""

    name: str
    label: str
    enabled: bool


class DrawnForm(NamedTuple):
    """A form or open panel (then *panel* is its name)."""

    panel: str
    model: Form
    parts: tuple[DrawnPart, ...]
    presses: tuple[DrawnButton, ...]
    says: tuple[str, ...]
    busy: bool
    locked: bool  # busy, and nothing can be entered meanwhile

    def controls(self) -> list[DrawnPart]:
        """All that can be entered."""
        return [each for part in self.parts for each in part.all() if not each.parts and each.kind not in ("group", "rows", "row")]


def seen(live: FormState) -> dict[str, DrawnForm]:
    """Return the form ("") and its open panels by name."""
    return {name: _seen(live, form) for name, form in live.roots_by_panel.items() if form.open}


def _seen(live: FormState, form: FormCell) -> DrawnForm:
    plan = form.plan.form
    model = plan.model
    buttons = [("", model.submit.label, plan.submit), *((name, button.label, button) for name, button in plan.buttons.items())]
    presses = tuple(DrawnButton(n, label, button_enabled(form, b)) for n, label, b in buttons if button_visible(live, form, b))
    locked = form.busy and model.submit.while_busy == "locked"
    return DrawnForm(plan.name, model, _shown(live, form), presses, tuple(messages(live, form)), form.busy, locked)


def _shown(live: FormState, container: Any) -> tuple[DrawnPart, ...]:
    return tuple(_part(live, cell) for cell in container.parts if _is_drawn(live, cell))


def _is_drawn(live: FormState, cell: Cell) -> bool:
    inner = getattr(cell, "parts", None)
    if inner is None or isinstance(cell, ListCell):
        return is_visible(live, cell)
    return any(_is_drawn(live, each) for each in inner)


def _part(live: FormState, cell: Any) -> DrawnPart:
    field = cell.plan.field
    name, says = cell.address(), tuple(messages(live, cell))
    if isinstance(cell, FieldCell):
        return _control(cell, name, says)
    if isinstance(cell, ListCell):
        can_remove = why_not(live, cell, "remove") is None
        rows = tuple(_row(live, cell, row, can_remove) for row in cell.parts)
        return DrawnPart("rows", name, field.label or field.name, says=says, parts=rows, add=why_not(live, cell, "add") is None)
    return DrawnPart("group", name, field.label or field.name, says=says, parts=_shown(live, cell), enabled=is_enabled(cell))


def _row(live: FormState, rows: ListCell, row: RowCell, can_remove: bool) -> DrawnPart:
    label = f"{rows.plan.field.label or rows.plan.field.name} {row.index() + 1}"
    return DrawnPart("row", row.address(), label, parts=_shown(live, row), remove=can_remove)


def _bounds(field: Field) -> tuple[tuple[str, str], ...]:
    given = {kind.name: kind.parameter for rule in field.rules for kind in rule.kinds if kind.name in ("min", "max", "step")}
    return tuple((name, reads_as(value)) for name, value in given.items() if isinstance(value, int | float | str))


def _control(cell: FieldCell, name: str, says: tuple[str, ...]) -> DrawnPart:
    field = cell.plan.field
    kind = field.kind if field.kind in _NOT_TEXT else "text"
    many = field.many
    choices: tuple[DrawnChoice, ...] = ()
    if field.kind in CHOICE_KINDS or many:
        chosen = cell.value if isinstance(cell.value, list) else [cell.value]
        texts = [(reads_as(o.value), o) for o in offered(cell)]
        choices = tuple(DrawnChoice(o.value, text, o.label or text, is_chosen(o.value, chosen), o.enabled) for text, o in texts)
    if kind == "checkbox" and many:
        kind = "choices"
    return DrawnPart(
        kind, name, field.label or field.name, field.kind, cell.raw if kind in ("text", "textarea") else "", choices, says,
        on=cell.value is True, many=many if kind != "file" else field.multiple, marked=is_marked(cell), required=cell.required,
        enabled=is_enabled(cell), readonly=cell.readonly, asking=cell.status == ASKING, limit=field.limit, accept=",".join(field.accept),
        bounds=_bounds(field) if field.kind == "range" else (),
    )  # fmt: skip
