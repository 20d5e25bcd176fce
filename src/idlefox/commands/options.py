"""Options that several commands share, and numbers as options."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import click

_Command = Callable[..., Any]


def combined(*made: Callable[[_Command], _Command]) -> Callable[[_Command], _Command]:
    """Several options as one decorator, in the order in which help shows them."""

    def decorate(function: _Command) -> _Command:
        for each in reversed(made):
            function = each(function)
        return function

    return decorate


class Number(click.ParamType):  # type: ignore[type-arg]  # not generic in Click 8.1
    """A whole number from *least* to *most*."""

    name = "N"

    def __init__(self, least: int | None = None, most: int | None = None) -> None:
        self.least, self.most = least, most

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> int:
        """Return *value* as a number within the limits."""
        try:
            number = int(value)
        except ValueError:
            self.fail(f"must be a whole number, not {value!r}", param, ctx)
        if (self.least is not None and number < self.least) or (self.most is not None and number > self.most):
            limits = f"from {self.least} to {self.most}" if self.most is not None else f"{self.least} or more"
            self.fail(f"must be {limits}, not {number}", param, ctx)
        return number


class Percent(click.ParamType):  # type: ignore[type-arg]
    """A percentage from 0 to 100."""

    name = "N"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """Return *value* as a percentage."""
        try:
            number = float(value)
        except ValueError:
            number = -1.0
        if not 0 <= number <= 100:
            self.fail(f"must be a number from 0 to 100, not {value!r}", param, ctx)
        return number


color_option = click.option(
    "--color", type=click.Choice(["auto", "always", "never"]), default="auto", help="When to use colour; auto respects NO_COLOR."
)
trust_option = click.option("--trust/--no-trust", default=None, help="Allow or forbid sheets to run code: Python rules and dev servers.")
subject_option = click.option(
    "--subject", metavar="PATH", default=None, help="Run against this form instead of the subject that scripts name."
)
seed_option = click.option("--seed", type=Number(), default=1, metavar="N", show_default=True, help="Seed of the random walks.")
live_options = combined(
    click.option("--live", is_flag=False, flag_value="auto", metavar="[BROWSER]", default=None,
                 help="Run on the sheet's own page: in firefox, chromium, auto, or both (firefox,chromium), or over http."),
    click.option("--show", is_flag=True, default=None, help="With --live: open a window."),
    click.option("--hands", default=None, metavar="quick|real",
                 help="With --live: quick sends key events by script, real uses the browser's keyboard."),
    click.option("--deadline", default=None, metavar="TIME", help="With --live: time limit of a scenario in real time (default 30s)."),
)  # fmt: skip
