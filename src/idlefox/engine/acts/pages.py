"""What a page's form does under a person's hands that a sheet's does not: its own buttons, implicit submission,
the order of Tab, the first control that an attempt points at, the dialog that a submission closes.
"""

from __future__ import annotations

from ...forms.html.elements import BLOCKING
from ...forms.html.model import Control, Page, PageButton
from ...forms.values.values import equal, written
from ..judge.breaks import is_lost
from ..state.cells import FieldCell, FormCell, leaves
from ..state.live import Live
from . import hands
from .sight import Cannot, is_enabled, is_visible


def page_of(whole: FormCell) -> Page | None:
    """The page that *whole* stands in; None for a form that a sheet alone describes."""
    return whole.plan.form.model.page  # type: ignore[no-any-return]


# buttons
def find_button(page: Page, word: str) -> PageButton | None:
    """The submit button that *word* names ("": the default button); that it names one is checked before play."""
    if not word:
        return page.default_button
    return next(iter(page.called(word)), None)


def button_shown(live: Live, whole: FormCell, button: PageButton | None) -> bool:
    """Whether a person sees *button*: a page's always, but where a view of the sheet over it shows no field."""
    if button is None or button.hidden or live.away or not whole.open:
        return False
    if live.view == "editing" and "editing" not in live.form.views:
        return True
    return any(is_visible(live, leaf) for leaf in leaves(whole))


def need_page_button(live: Live, whole: FormCell, button: PageButton | None) -> PageButton:
    """Raises Cannot unless a person can press *button*."""
    if button is None:
        raise Cannot("the form has no submit button; where it can be sent without one: press Enter in FIELD")
    label = f"the button {written(button.text or button.name or button.kind)}"
    if live.away:
        raise Cannot(f"{label} cannot be pressed: the page has been left")
    if button.hidden:
        raise Cannot(f"{label} cannot be pressed: {button.hidden}")
    if not button_shown(live, whole, button):
        raise Cannot(f"{label} cannot be pressed: the view {live.view} shows nothing of the form")
    if button.disabled:
        raise Cannot(f"{label} is disabled: {button.disabled}")
    condition = whole.plan.form.enabled
    if condition is not None and condition(whole, None) is not True:
        text = getattr(whole.plan.form.model.submit.enabled, "text", "")
        raise Cannot(f"{label} is disabled: its condition `enabled: {text}` does not hold", whole)
    if whole.busy and whole.plan.form.model.submit.while_busy == "locked":
        raise Cannot(f"{label} is disabled: the form is busy, and locked while it is", whole)
    return button


def need_reset(live: Live, whole: FormCell, page: Page) -> PageButton:
    """The page's reset button. Raises Cannot unless a person can press it."""
    found = [b for b in page.buttons if b.kind == "reset"]
    if not found:
        raise Cannot("the form has no reset button")
    button = found[0]
    if button.hidden or button.disabled:
        raise Cannot(f"the button {written(button.text)} cannot be pressed: {button.hidden or button.disabled}")
    return button


def enters(whole: FormCell, cell: FieldCell) -> tuple[bool, PageButton | None]:
    """Whether Enter in *cell* submits, and by which button (HTML, "Implicit submission").

    Without a submit button only a field that blocks implicit submission starts one, and only the one of its kind.
    """
    page = page_of(whole)
    assert page is not None
    button = page.default_button
    if button is None:
        return page.blocking == 1 and cell.plan.kind in BLOCKING, None
    condition = whole.plan.form.enabled
    return not button.disabled and (condition is None or condition(whole, None) is True), button


# submission
def first_invalid(live: Live, whole: FormCell) -> FieldCell | None:
    """The first invalid control in tree order that can have the focus."""
    page = page_of(whole)
    assert page is not None
    fields = {part.plan.field.name: part for part in whole.parts}
    for each in page.elements:
        if not isinstance(each, Control):
            continue
        cell = fields[each.field]
        if not (cell.broken or is_lost(cell)) or not cell.active or not is_visible(live, cell):
            continue
        if each.kind == "checkbox" and isinstance(cell.value, list) and not (each.required and each.value not in cell.value):
            continue  # of several checkboxes the one that must be on
        return cell  # type: ignore[no-any-return]
    return None


def close_dialog(live: Live, page: Page) -> None:
    """HTML, "Form submission algorithm", method dialog: the dialog closes, and nothing is sent."""
    if page.dialog:
        live.record(None, "dialog closed", None, None)
        live.set_view("done")


# focus
def focus_at_load(live: Live, page: Page) -> None:
    """HTML, "The autofocus attribute": the first element that has it and can have the focus."""
    element = page.elements[page.autofocus]
    if isinstance(element, PageButton):
        live.on_button = element
        return
    cell = next(part for part in live.root.parts if part.plan.field.name == element.field)
    if is_visible(live, cell) and is_enabled(live, cell):
        live.set_focus(cell)


def stops(live: Live, whole: FormCell) -> list[FieldCell | PageButton]:
    """Where Tab goes, in order (HTML, "Sequential focus navigation"): positive tabindex first, then tree order.

    Radio buttons of a name are one stop, and so are checkboxes of a name: they are one field here.
    """
    page = page_of(whole)
    assert page is not None
    fields = {part.plan.field.name: part for part in whole.parts}
    on = {
        e.field for e in page.elements
        if isinstance(e, Control) and e.kind == "radio" and not e.disabled and equal(fields[e.field].value, e.value)
    }  # fmt: skip
    found: list[tuple[int, FieldCell | PageButton]] = []
    met: set[str] = set()
    for each in page.elements:
        if each.tab < 0:
            continue
        if isinstance(each, PageButton):
            if button_shown(live, whole, each) and not each.disabled:
                found.append((each.tab, each))
            continue
        cell = fields[each.field]
        if each.field in met or each.kind == "hidden" or each.disabled:
            continue
        if each.field in on and not equal(cell.value, each.value):
            continue  # the radio button that is on is its group's stop
        if is_visible(live, cell) and is_enabled(live, cell):
            met.add(each.field)
            found.append((each.tab, cell))
    return [stop for _, stop in sorted(found, key=lambda f: (f[0] == 0, f[0]))]


def tab(live: Live, whole: FormCell, by: int) -> None:
    """Moves the focus to the next stop; behind the last and before the first there is nothing of the form."""
    there = stops(live, whole)
    # HTML, "sequential focus navigation starting point": after a blur it is where the focus was.
    here = live.focus if live.focus is not None else live.on_button or live.left
    at = next((i for i, stop in enumerate(there) if stop is here), None)
    following = (0 if by > 0 else len(there) - 1) if at is None else at + by
    if not 0 <= following < len(there):
        hands.blur(live)
        live.on_button = False
        return
    stop = there[following]
    if isinstance(stop, PageButton):
        hands.press_button(live, stop)
    else:
        hands.focus(live, stop)
