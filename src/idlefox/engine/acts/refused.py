"""The exception for a step that a person cannot do now."""

from __future__ import annotations

from typing import Any

from ...refusals import Refusal
from ..state.cells import Cell


class StepRefused(Exception):
    """Raised by acts before they change anything that counts. *see* is the cell whose state explains it."""

    def __init__(self, refusal: Refusal, see: Cell | None = None) -> None:
        super().__init__(refusal.kind)
        self.refusal = refusal._replace(see=see.address()) if see is not None else refusal


def cannot(kind: str, see: Cell, *, doing: str = "", **facts: Any) -> StepRefused:
    """The exception for a refusal of *kind*, which is about *see*."""
    return StepRefused(Refusal(kind, see.address(), doing, facts), see)
