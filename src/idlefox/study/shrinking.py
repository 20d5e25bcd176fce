"""Delta debugging: removes the steps that are not needed to show something."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Steps = tuple[Any, ...]


def minimize(steps: Steps, shown: Callable[[Steps], Steps | None]) -> Steps:
    """Return a minimal subset of *steps* that still shows the problem (delta debugging).

    *shown* returns the steps up to the point where it shows; None if it does not. No step of the result can be left out.
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
    """Return whether any of *paths* is *path*, inside it, or contains it."""
    return any(each[: len(path)] == path or path[: len(each)] == each for each in paths)
