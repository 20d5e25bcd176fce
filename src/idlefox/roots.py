"""The folders below which scripts and sheets may use files, so that a checked-out project cannot read anything else.

Reading on behalf of a person starts with `reading_below`; opening a file asks `is_outside_roots`. Files open in an editor have
an overlay (`overlay_files`).
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar

from .disk import asked_root, real

_ROOTS: ContextVar[tuple[str, ...]] = ContextVar("roots", default=())


_READS: ContextVar[set[str] | None] = ContextVar("reads", default=None)


_HELD: ContextVar[Mapping[str, bytes]] = ContextVar("held", default={})  # noqa: B039  # it is never changed


@contextmanager
def overlay_files(held: Mapping[str, bytes]) -> Iterator[None]:
    """Until this ends, a file whose real path is in *held* has that content."""
    before = _HELD.set(held)
    try:
        yield
    finally:
        _HELD.reset(before)


def overlay_content(path: str) -> bytes | None:
    """Return the overlay content of the file at *path*; None if there is none."""
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
    """Note that *paths* are read, for whoever wants to know."""
    files = _READS.get()
    if files is not None:
        files.update(paths)


@contextmanager
def reading_below(roots: tuple[str, ...]) -> Iterator[None]:
    """Until this ends, only files below one of *roots* can be read; without any, all files."""
    before = _ROOTS.set(tuple(map(real, roots)))
    try:
        yield
    finally:
        _ROOTS.reset(before)


def project_root(file: str) -> str:
    """Return the folder below which the script or form *file* may use files.

    That is the nearest folder above it with one of `disk.MARKERS`; without one, the working directory if the file is below it,
    or else the file's own folder. A form in a page may have a fragment, ``page.html#id``; a URL has no folder: the result is ".".
    """
    return "." if "://" in file else asked_root(file.partition("#")[0])


def is_outside_roots(path: str) -> bool:
    """Return whether *path*, with links followed, is outside the allowed folders."""
    roots = _ROOTS.get()
    return bool(roots) and real(path) != "" and not any(is_below(path, root) for root in roots)


def roots_now() -> tuple[str, ...]:
    """The folders that hold now."""
    return _ROOTS.get()


def is_below(path: str, folder: str) -> bool:
    """Return whether *path* is *folder* or inside it, with links followed."""
    inner, root = real(path), real(folder)
    return inner == root != "" or (root != "" and inner.startswith(root.rstrip(os.sep) + os.sep))

