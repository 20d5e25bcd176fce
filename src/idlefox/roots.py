"""Below which folders what a script or sheet names must lie, so that what one has checked out shows nothing else of one's files.

Who begins to read for a person says so (`reading_below`); who opens a file asks (`outside`). And which files are read otherwise than
they are: those that are open in an editor (`reading_instead`).
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar

from .disk import real

_ROOTS: ContextVar[tuple[str, ...]] = ContextVar("roots", default=())


_READS: ContextVar[set[str] | None] = ContextVar("reads", default=None)


_HELD: ContextVar[Mapping[str, bytes]] = ContextVar("held", default={})  # noqa: B039  # it is never changed


@contextmanager
def overlay_files(held: Mapping[str, bytes]) -> Iterator[None]:
    """Until this ends a file whose real path is in *held* reads what stands there."""
    before = _HELD.set(held)
    try:
        yield
    finally:
        _HELD.reset(before)


def overlay_content(path: str) -> bytes | None:
    """What the file at *path* reads instead of what is in it; None where it is read as it is."""
    held = _HELD.get()
    return held.get(real(path)) if held else None


@contextmanager
def noting_reads(files: set[str]) -> Iterator[None]:
    """Until this ends the path of every file that is read, or would be, is put into *files*."""
    before = _READS.set(files)
    try:
        yield
    finally:
        _READS.reset(before)


def note_read(*paths: str) -> None:
    """Notes that *paths* are read, for whoever wants to know."""
    files = _READS.get()
    if files is not None:
        files.update(paths)


@contextmanager
def reading_below(roots: tuple[str, ...]) -> Iterator[None]:
    """Until this ends only what lies below one of *roots* is read; without any, everything."""
    before = _ROOTS.set(tuple(map(real, roots)))
    try:
        yield
    finally:
        _ROOTS.reset(before)


def is_outside_roots(path: str) -> bool:
    """Whether *path*, its links followed, lies where nothing may be read."""
    roots = _ROOTS.get()
    return bool(roots) and real(path) != "" and not any(is_below(path, root) for root in roots)


def roots_now() -> tuple[str, ...]:
    """The folders that hold now."""
    return _ROOTS.get()


def is_below(path: str, folder: str) -> bool:
    """Whether *path* is *folder* or lies in it, links followed."""
    inner, root = real(path), real(folder)
    return inner == root != "" or (root != "" and inner.startswith(root.rstrip(os.sep) + os.sep))

