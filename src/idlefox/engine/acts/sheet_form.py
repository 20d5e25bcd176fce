"""The behaviour of a form described by a sheet."""

from __future__ import annotations

from ..judge.breaks import is_lost
from ..plan.plans import ButtonPlan
from ..state.cells import FieldCell, FormCell, leaves
from ..state.form_state import FormState
from ..world.encode import EncodedRequest
from .buttons import button_enabled, button_visible
from .form_kind import Stop
from .sight import controls_of


class SheetForm:
    """The strategy of a sheet's form (`form_kind.FormKind`)."""

    def request(self, form: FormCell, button: ButtonPlan | None) -> EncodedRequest:
        """Return the request that submitting with *button* makes."""
        # Loaded with the first request: most scenarios send none, and starting up is part of every run.
        from ..world.request import sheet_request

        return sheet_request(form, button.source if button is not None else None)

    def stops(self, live: FormState, form: FormCell) -> list[Stop]:
        """Return every control in form order, then the submit button."""
        submit = form.plan.form.submit
        return [*controls_of(live, form), *([submit] if submit is not None else [])]

    def starting_point(self, live: FormState) -> Stop | None:
        """Return the stop from which Tab continues."""
        return live.focus or live.on_button

    def first_invalid(self, live: FormState, form: FormCell) -> FieldCell | None:
        """Return the first invalid field in form order."""
        return next((c for c in leaves(form) if c.active and (c.broken or is_lost(c))), None)

    def enters(self, live: FormState, form: FormCell, cell: FieldCell) -> bool:
        """Return whether Enter in *cell* submits the form."""
        submit = form.plan.form.submit
        return button_visible(live, form, submit) and button_enabled(form, submit)

    def called(self, form: FormCell, address: str) -> list[FieldCell]:
        """Return the fields that a server's *address* names by what they are sent as."""
        return []

    def focus_at_load(self, live: FormState, form: FormCell) -> None:
        """A sheet's form has no focus at load."""
        return
