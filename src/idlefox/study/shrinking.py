"""Leaves out what can be left out: of steps that show something, those without which they show it no more."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Steps = tuple[Any, ...]


def minimize(steps: Steps, shown: Callable[[Steps], Steps | None]) -> Steps:
    """As few of *steps* as still show it. *shown* gives what of some steps shows it, cut where it has; None where they do not.

    None of what is returned can be left out alone.
    """
    size = max(len(steps) // 2, 1)
    while steps:
        at, before = 0, len(steps)
        while at < len(steps):
            found = shown(steps[:at] + steps[at + size :])
            if found is not None:
                steps = found
            else:
                at += size
        if size == 1 and len(steps) == before:
            break
        size = max(size // 2, 1)
    return steps


def is_about(path: tuple[str, ...], paths: frozenset[tuple[str, ...]]) -> bool:
    """Whether any of *paths* is *path*, stands in it, or around it."""
    return any(each[: len(path)] == path or path[: len(each)] == each for each in paths)
