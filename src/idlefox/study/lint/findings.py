"""Findings, and the table of their codes (`codes.toml`): what each finds, why that matters, and a bad and a good example."""

from __future__ import annotations

import os
import tomllib
from functools import cache

from ...problems import Place
from ...records import NamedTuple

LEVELS = ("error", "warning", "note")


class Code(NamedTuple):
    """A kind of finding. The examples are a sheet (without `form:`) and the body of a script; *beside*: a second sheet; *finds*:
    how the message for the bad example starts.
    """

    code: str
    level: str
    means: str
    why: str
    finds: str
    bad_sheet: str = ""
    bad: str = ""
    good_sheet: str = ""
    good: str = ""
    beside: str = ""


class Finding(NamedTuple):
    """One thing found at *place*, whose line is *source*; *help* is what to do about it."""

    code: str
    place: Place
    message: str
    help: str
    source: str = ""

    @property
    def level(self) -> str:
        """The level of the finding's code."""
        return codes()[self.code].level


@cache
def codes() -> dict[str, Code]:
    """Every code, in the order of the table."""
    with open(os.path.join(os.path.dirname(__file__), "codes.toml"), "rb") as handle:
        return {each["code"]: Code(**each) for each in tomllib.load(handle)["code"]}
