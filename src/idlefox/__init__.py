"""Idle Fox plays what a person does at a form, and says what held and what did not."""

from .api import Failure, Problem, Result, Scenario, play

__version__ = "0.1.0"
__all__ = ["Failure", "Problem", "Result", "Scenario", "__version__", "play"]
