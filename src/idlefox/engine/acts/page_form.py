"""The behaviour of an HTML page's form: the HTML Living Standard, tree order, and the page's own buttons."""

from __future__ import annotations

from ...forms.html.model import Control, HtmlPage, PageButton
from ...forms.names.addresses import called
from ...forms.values.values import is_chosen, same_choice
from ..judge.breaks import is_lost
from ..plan.plans import ButtonPlan
from ..state.cells import FieldCell, FormCell
from ..state.form_state import FormState
from ..world.encode import EncodedRequest
from .buttons import button_visible
from .form_kind import Stop
from .sight import is_enabled, is_visible


class PageForm:
    """The strategy of a page's form (`form_kind.FormKind`). *buttons* are the plans of its buttons by their number in tree order."""

    def __init__(self, page: HtmlPage, buttons: dict[int, ButtonPlan]) -> None:
        self.page = page
        self.buttons = buttons

    def request(self, form: FormCell, button: ButtonPlan | None) -> EncodedRequest:
        """Return the request that submitting with *button* makes."""
        from ..world.page_request import page_request

        return page_request(form, button.source if button is not None else None)

    def stops(self, live: FormState, form: FormCell) -> list[Stop]:
        """HTML, "Sequential focus navigation": positive tabindex first, then tree order.

        Radio buttons of a name are one stop, and so are checkboxes of a name: they are one field here.
        """
        fields = _fields(form)
        on = self._radios_on(fields)
        found: list[tuple[int, Stop]] = []
        met: set[str] = set()
        for number, each in enumerate(self.page.elements):
            if each.tab < 0:
                continue
            if isinstance(each, PageButton):
                button = self.buttons[number]
                if button_visible(live, form, button) and not each.disabled:
                    found.append((each.tab, button))
            elif each.field not in met and self._is_stop(live, each, fields[each.field], on):
                met.add(each.field)
                found.append((each.tab, fields[each.field]))
        return [stop for _, stop in sorted(found, key=lambda f: (f[0] == 0, f[0]))]

    def _radios_on(self, fields: dict[str, FieldCell]) -> set[str]:
        return {
            e.field for e in self.page.elements
            if isinstance(e, Control) and e.kind == "radio" and not e.disabled and same_choice(fields[e.field].value, e.value)
        }  # fmt: skip

    def _is_stop(self, live: FormState, control: Control, cell: FieldCell, on: set[str]) -> bool:
        if control.kind == "hidden" or control.disabled:
            return False
        if control.field in on and not same_choice(cell.value, control.value):
            return False  # the checked radio button is the tab stop of its group
        return is_visible(live, cell) and is_enabled(cell)

    def starting_point(self, live: FormState) -> Stop | None:
        """Return the stop from which Tab continues."""
        # HTML, "sequential focus navigation starting point": after a blur it is where the focus was.
        return live.focus or live.on_button or live.left

    def first_invalid(self, live: FormState, form: FormCell) -> FieldCell | None:
        """The first invalid control in tree order that can have the focus."""
        fields = _fields(form)
        for each in self.page.elements:
            if not isinstance(each, Control):
                continue
            cell = fields[each.field]
            if not (cell.broken or is_lost(cell)) or not cell.active or not is_visible(live, cell):
                continue
            if each.kind == "checkbox" and isinstance(cell.value, list) and (not each.required or is_chosen(each.value, cell.value)):
                continue  # the checkbox that must be checked
            return cell
        return None

    def enters(self, live: FormState, form: FormCell, cell: FieldCell) -> bool:
        """HTML, "Implicit submission": by the default button, seen or not, unless it is disabled; without one only from
        a field that blocks implicit submission, and only from the one of its kind.
        """
        submit = form.plan.form.submit
        if submit is None:
            return cell.plan.kind in form.plan.form.implicit_kinds
        return not submit.disabled and (submit.enabled is None or submit.enabled(form, None) is True)

    def called(self, form: FormCell, address: str) -> list[FieldCell]:
        """A server may also call a control by its own name."""
        name = called(form.plan.form.model.shape, address)
        return [part for part in form.parts if part.plan.field.name == name] if name is not None else []

    def focus_at_load(self, live: FormState, form: FormCell) -> None:
        """HTML, "The autofocus attribute": the first element that has it and can have the focus."""
        number = self.page.autofocus
        if number < 0:
            return
        element = self.page.elements[number]
        if isinstance(element, PageButton):
            live.set_focus(None, self.buttons[number])
            return
        cell = _fields(form)[element.field]
        if is_visible(live, cell) and is_enabled(cell):
            live.set_focus(cell)


def _fields(form: FormCell) -> dict[str, FieldCell]:
    return {part.plan.field.name: part for part in form.parts}
