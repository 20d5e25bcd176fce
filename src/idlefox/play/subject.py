"""The interface of a subject: what a script is played against, whatever it is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from ..script.tree import Noun


class Missing(Exception):
    """What a check looks at is not there (a row with a number too high, a panel that is not open)."""


class Subject(Protocol):
    """One form to play one scenario after the other on.

    `perform` raises `engine.sight.Cannot` where a person could not take the step; `observe` raises `Missing`.
    """

    def load(self, clock: int) -> None:
        """A fresh form at the instant *clock*."""

    def perform(self, act: Any, step: int) -> None:
        """Takes the step *act*, the *step*-th of its scenario."""

    def observe(self, noun: Noun, aspect: str) -> Any:
        """The *aspect* (value, states, breaks, shows, …) of what *noun* names, as it is now."""

    def written(self, address: str) -> str:
        """*address* as `observe` writes addresses: a page's control may also be called by its own name."""

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool:
        """Lets time pass, at most so much; stops early once *until* holds. Whether it held."""

    def explain(self, noun: Noun) -> tuple[str, ...]:
        """The state of what *noun* names, for a failure's report; ``{line N}`` marks the step that touched it last."""

    def warnings(self) -> tuple[str, ...]:
        """What the person should know although nothing failed."""

    def close(self) -> None:
        """Ends the scenario."""
