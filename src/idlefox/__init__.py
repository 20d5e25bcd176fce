"""Idle Fox scripts what a person does in a web form and checks the result."""

from typing import TYPE_CHECKING

from .api import Failure, Problem, Result, Scenario, run

__version__ = "0.1.0"
__all__ = ["Failure", "Problem", "Result", "Scenario", "__version__", "run"]

if not TYPE_CHECKING:

    def __getattr__(name: str) -> object:
        if name == "play":
            raise ImportError("play() is run() now: from idlefox import run")
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
