"""What differs in play between a form that a sheet describes and one of an HTML page.

One object of either kind stands in each form's plan (`plans.FormPlan.species`), put there when the form is compiled;
everything else that differs is plain facts of the plan.
"""

from __future__ import annotations

from typing import Any, Protocol

from ..plan.plans import ButtonPlan
from ..state.cells import FieldCell, FormCell
from ..state.form_state import FormState

Stop = FieldCell | ButtonPlan


class FormKind(Protocol):
    """How one kind of form goes about what the two do differently."""

    def request(self, form: FormCell, button: ButtonPlan | None) -> Any:
        """The request (`world.encode.Sent`) that submitting *form* by *button* makes now."""

    def stops(self, live: FormState, form: FormCell) -> list[Stop]:
        """Where Tab goes, in order."""

    def starting_point(self, live: FormState) -> Stop | None:
        """Where Tab goes on from."""

    def first_invalid(self, live: FormState, form: FormCell) -> FieldCell | None:
        """The control that a refused attempt points at."""

    def enters(self, live: FormState, form: FormCell, cell: FieldCell) -> bool:
        """Whether Enter in *cell* submits, by the default button or (where there is none) without one."""

    def called(self, form: FormCell, address: str) -> list[FieldCell]:
        """The fields that a server means by *address* beyond what is an address in every form."""

    def focus_at_load(self, live: FormState, form: FormCell) -> None:
        """Puts the focus where it is when the page has been loaded."""


def form_kind_of(form: FormCell) -> FormKind:
    """The species of *form*."""
    found: FormKind = form.plan.form.species
    return found
