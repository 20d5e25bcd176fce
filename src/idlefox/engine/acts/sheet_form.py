"""A form that a sheet describes, in play."""

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
    """See `species.Species`."""

    def request(self, form: FormCell, button: ButtonPlan | None) -> EncodedRequest:
        # Loaded with the first request: most scenarios send none, and starting up is part of every run.
        from ..world.request import sheet_request

        return sheet_request(form, button.source if button is not None else None)

    def stops(self, live: FormState, form: FormCell) -> list[Stop]:
        """Every control in form order; behind the last stands the submit button."""
        submit = form.plan.form.submit
        return [*controls_of(live, form), *([submit] if submit is not None else [])]

    def starting_point(self, live: FormState) -> Stop | None:
        return live.focus or live.on_button

    def first_invalid(self, live: FormState, form: FormCell) -> FieldCell | None:
        return next((c for c in leaves(form) if c.active and (c.broken or is_lost(c))), None)

    def enters(self, live: FormState, form: FormCell, cell: FieldCell) -> bool:
        submit = form.plan.form.submit
        return button_visible(live, form, submit) and button_enabled(form, submit)

    def called(self, form: FormCell, address: str) -> list[FieldCell]:
        return []

    def focus_at_load(self, live: FormState, form: FormCell) -> None:
        return
