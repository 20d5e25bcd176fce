"""The files that are read: those of this machine, or, where work has been sent from another, those of that one.

Whoever plays for another machine reads nothing of its own. What it needs and was not sent is asked for (`FileNotSent`); the work is begun
anew with it.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from .records import NamedTuple

Question = tuple[str, str]  # what is asked, and of which path
_LARGEST_UNASKED = 200_000  # bytes


class NoFile(OSError):
    """A device or a pipe."""


class FileNotSent(BaseException):
    """Of another machine's files something is not known here. No error of what is played: nobody but the one who sent it can help."""

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
    """Until this ends all files are those of another machine. What is not known of them raises FileNotSent."""
    before = _ELSEWHERE.set(files)
    try:
        yield
    finally:
        _ELSEWHERE.reset(before)


def content(path: str) -> bytes:
    """What is in the file at *path*. Raises OSError, NoFile for a device."""
    found: bytes = _asked("content", path)
    return found


def size_of(path: str) -> int | None:
    """How many bytes are in the file at *path*; None where there is no file."""
    found: int | None = _asked("size", path)
    return found


def names_in(folder: str) -> list[str]:
    """The names of the files in *folder*. Raises OSError, ValueError."""
    found: list[str] = _asked("names", folder)
    return found


def real(path: str) -> str:
    """*path* from the root on, its links followed; "" for what can be no path: nothing lies there, and who opens it is told so."""
    found: str = _asked("real", path)
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
    """What another machine may know of the files of this one; an exception, where it is to meet that."""
    try:
        return _HERE[question[0]](question[1])
    except (OSError, ValueError) as fault:
        return fault


def answers(question: Question, folder: str) -> dict[Question, Any]:
    """The answer to *question*, and to what is asked next, most likely: who asks where a file lies wants to read it, and begins anew for
    each answer. What lies outside of *folder*, or is large, is not told unasked.
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


_HERE: dict[str, Callable[[str], Any]] = {"content": _content, "size": _size, "names": _names, "real": _real}
