"""The markup of a page's form, buttons and fields as facts of their plans."""

from __future__ import annotations

from collections.abc import Callable

from ...forms.expressions import Closure, Expression
from ...forms.html.elements import BLOCKING
from ...forms.html.model import HtmlPage, PageButton
from ...forms.model.form import Field, Form, Kind, Message, Rule
from ...forms.names.addresses import called
from ...forms.values.values import written
from ..acts.page_form import PageForm
from ..judge.native import NativePlans, bad_bits, native_check
from ..plan.plans import AT_ONCE, ON_LEAVING, ButtonPlan, CheckPlan, FieldPlan, FormPlan

# Controls whose every change is committed at once (HTML, "commit" of an input's value; a select's picking).
_COMMITTED = frozenset({"checkbox", "radio", "select", "file", "range", "color"})
_PRESSES = {"submit": "submit", "image": "submit", "reset": "reset"}


class Markup:
    """The facts of one page's form. *texts* are a sheet's own, for rules without words."""

    def __init__(self, form: Form, texts: dict[str, Message]) -> None:
        self.model = form
        self.page: HtmlPage = form.page
        self.texts = texts
        self.natives = NativePlans(texts)
        self._views = {name: {called(form.shape, address) for address in shown} for name, shown in form.views.items()}

    def form(self, plan: FormPlan, compile_: Callable[[Expression | None], Closure | None]) -> None:
        """Set the buttons of the form's plan and its page-specific behaviour."""
        page, enabled = self.page, self.model.submit.enabled
        closure = compile_(enabled)
        buttons: dict[int, ButtonPlan] = {}
        for number, element in enumerate(page.elements):
            if isinstance(element, PageButton):
                button = buttons[number] = _button(page, element)
                if enabled is not None and closure is not None and button.press == "submit":
                    button.enabled, button.enabled_text = closure, enabled.text
        submits = [b for b in buttons.values() if b.press == "submit"]
        plan.submit = submits[0] if submits else None
        for word_of in (lambda b: b.source.known, lambda b: (b.source.text,)):
            for button in submits:
                for word in word_of(button):
                    plan.buttons.setdefault(word, button)
        plan.elements = {number: b for number, b in buttons.items() if b.press == "submit"}
        plan.reset_buttons = tuple(b for b in buttons.values() if b.press == "reset")
        plan.implicit_kinds = BLOCKING if page.blocking == 1 else frozenset()
        plan.validates = page.validates(None)
        plan.species = PageForm(page, buttons)
        plan.home, plan.follows, plan.marks_itself = page.home, True, page.bare

    def bare(self, plan: FieldPlan, field: Field) -> None:
        """A field that no sheet says anything of."""
        self.natives.fill(plan, field)
        self.facts(plan, field)

    def facts(self, plan: FieldPlan, field: Field) -> None:
        """Return the facts from a control's attributes, except its rules."""
        native = field.native
        plan.facts = native
        plan.commits = AT_ONCE if field.kind in _COMMITTED else ON_LEAVING

    def views(self, plan: FieldPlan) -> frozenset[str]:
        """The views that show the field: a page's controls go by any of their names."""
        return frozenset(name for name, fields in self._views.items() if plan.path[0] in fields)

    def check(self, plan: FieldPlan, rule: Rule, kind: Kind, field: Field) -> CheckPlan:
        """Return the check of one attribute, in a form with a sheet."""
        check = native_check(len(plan.checks), rule, kind, field, self.texts)
        plan.checks.append(check)
        plan.bad_bit |= bad_bits([check])
        return check


def _button(page: HtmlPage, element: PageButton) -> ButtonPlan:
    label = f"the button {written(element.text or element.name or element.kind)}"
    plan = ButtonPlan(element.name, label, _PRESSES.get(element.kind, ""), element)
    plan.hidden, plan.disabled = element.hidden, element.disabled
    plan.validates = page.validates(element)
    plan.always_shown = True
    return plan


