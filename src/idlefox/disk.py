"""File access: of this machine or, for work sent from another machine, of that one.

A worker reads nothing of its own machine. If a file that it needs was not sent, it requests the file (`FileNotSent`) and starts
the task again.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from .records import NamedTuple

Question = tuple[str, str]  # the kind of question, and the path
MARKERS = ("idlefox.toml", "pyproject.toml", "package.json", ".git")  # the folder of one is the root of a project
_LARGEST_UNASKED = 200_000  # bytes


class NoFile(OSError):
    """A device or a pipe."""


class FileNotSent(BaseException):
    """A remote file was needed that the client has not sent; the client must supply it and the task starts again."""

    def __init__(self, question: Question) -> None:
        super().__init__(question)
        self.question = question


class RemoteFiles(NamedTuple):
    """The files of another machine: its working *folder*, and what is *known* of them."""

    folder: str
    known: Mapping[Question, Any]


_ELSEWHERE: ContextVar[RemoteFiles | None] = ContextVar("elsewhere", default=None)


@contextmanager
def reading_elsewhere(files: RemoteFiles) -> Iterator[None]:
    """Read all files from another machine until the context ends. Raises FileNotSent for a file that has not been sent."""
    before = _ELSEWHERE.set(files)
    try:
        yield
    finally:
        _ELSEWHERE.reset(before)


def content(path: str) -> bytes:
    """Return the content of the file at *path*. Raises OSError, or NoFile for a device."""
    found: bytes = _asked("content", path)
    return found


def size_of(path: str) -> int | None:
    """Return the size of the file at *path* in bytes; None if it does not exist."""
    found: int | None = _asked("size", path)
    return found


def names_in(folder: str) -> list[str]:
    """The names of the files in *folder*. Raises OSError, ValueError."""
    found: list[str] = _asked("names", folder)
    return found


def real(path: str) -> str:
    """Return the absolute *path* with links resolved; "" if it is not a valid path."""
    found: str = _asked("real", path)
    return found


def asked_root(path: str) -> str:
    """Return the root of the project that the file at *path* belongs to: see `roots.project_root`."""
    found: str = _asked("root", path)
    return found


def _asked(what: str, path: str) -> Any:
    files = _ELSEWHERE.get()
    if files is None:
        return _HERE[what](path)
    question = (what, os.path.join(files.folder, path))
    if question not in files.known:
        raise FileNotSent(question)
    found = files.known[question]
    if isinstance(found, Exception):
        raise found
    return found


def answer(question: Question) -> Any:
    """Return what another machine may know about a file of this one, or the exception to raise there."""
    try:
        return _HERE[question[0]](question[1])
    except (OSError, ValueError) as fault:
        return fault


def answers(question: Question, folder: str) -> dict[Question, Any]:
    """Answer *question* and prefetch likely follow-ups: a realpath request is usually followed by a read. Large files and files
    outside *folder* are not prefetched.
    """
    found = {question: answer(question)}
    what, path = question
    if what == "real" and isinstance(found[question], str):
        real, root = found[question], _real(folder)
        if real.startswith(os.path.join(root, "")) and (_size(real) or 0) <= _LARGEST_UNASKED:
            for more in (("content", path), ("real", os.path.dirname(path))):
                found[more] = answer(more)
    return found


def _content(path: str) -> bytes:
    mode = os.stat(path).st_mode
    if not stat.S_ISREG(mode) and not stat.S_ISDIR(mode):
        raise NoFile
    with open(path, "rb") as handle:
        return handle.read()


def _size(path: str) -> int | None:
    return os.path.getsize(path) if os.path.isfile(path) else None


def _names(folder: str) -> list[str]:
    return [entry.name for entry in os.scandir(folder or ".") if entry.is_file()]


def _real(path: str) -> str:
    try:
        return os.path.realpath(path)
    except ValueError:
        return ""


def _root(path: str) -> str:
    own = _real(os.path.dirname(path) or ".")
    if own == "":
        return os.path.dirname(path) or "."
    here, above = os.getcwd(), own
    while True:
        if any(os.path.exists(os.path.join(above, marker)) for marker in MARKERS):
            return above
        above, below = os.path.dirname(above), above
        if above == below:
            return here if own.startswith(os.path.join(_real(here), "")) else own


_HERE: dict[str, Callable[[str], Any]] = {"content": _content, "size": _size, "names": _names, "real": _real, "root": _root}
