"""The differences in behaviour between the form of a sheet and that of an HTML page.

Each form's plan has one object of either kind (`plans.FormPlan.species`), set when the form is compiled. All other differences
are plain facts of the plan.
"""

from __future__ import annotations

from typing import Any, Protocol

from ..plan.plans import ButtonPlan
from ..state.cells import FieldCell, FormCell
from ..state.form_state import FormState

Stop = FieldCell | ButtonPlan


class FormKind(Protocol):
    """The strategy of one kind of form."""

    def request(self, form: FormCell, button: ButtonPlan | None) -> Any:
        """The request (`world.encode.Sent`) that submitting *form* by *button* makes now."""

    def stops(self, live: FormState, form: FormCell) -> list[Stop]:
        """Return the stops of the Tab key, in order."""

    def starting_point(self, live: FormState) -> Stop | None:
        """Return the stop from which Tab continues."""

    def first_invalid(self, live: FormState, form: FormCell) -> FieldCell | None:
        """The control that a refused attempt points at."""

    def enters(self, live: FormState, form: FormCell, cell: FieldCell) -> bool:
        """Return whether Enter in *cell* submits, by the default button or, without one, directly."""

    def called(self, form: FormCell, address: str) -> list[FieldCell]:
        """Return further fields that a server's *address* can name in this kind of form."""

    def focus_at_load(self, live: FormState, form: FormCell) -> None:
        """Set the focus at load."""


def form_kind_of(form: FormCell) -> FormKind:
    """Return the strategy of *form*."""
    found: FormKind = form.plan.form.species
    return found
