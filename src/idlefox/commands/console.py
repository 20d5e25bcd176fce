"""Prints styled lines to a terminal or a pipe, with or without colours."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Iterable
from typing import Any

import click

from ..problems import CALL, Place, Problem, Unreadable, decode_text
from ..report.styled import Line
from .internal_faults import LOST, drop_output

_STYLES: dict[str, dict[str, Any]] = {
    "good": {"fg": "green"},
    "bad": {"fg": "red"},
    "doubt": {"fg": "yellow"},
    "dim": {"dim": True},
    "strong": {"bold": True},
    "mark": {"fg": "red", "bold": True},
}


class Console:
    """Prints to a terminal or a pipe. *color* is auto, always or never; auto respects `NO_COLOR`.

    *aside*: standard output belongs to a report, so people read on standard error.
    """

    def __init__(self, color: str = "auto", *, aside: bool = False) -> None:
        self.color = color
        self.aside = aside

    def width(self) -> int:
        """The columns to write for: the terminal's (COLUMNS counts), 100 in a pipe."""
        if os.environ.get("COLUMNS", "").isdigit() or sys.stdout.isatty():
            return max(shutil.get_terminal_size((100, 24)).columns, 30)
        return 100

    def paints(self, stream: Any) -> bool:
        """Return whether output to *stream* is coloured."""
        if self.color != "auto":
            return self.color == "always"
        return bool(stream.isatty()) and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"

    def lines(self, lines: Iterable[Line], *, err: bool = False) -> None:
        """Print *lines*, to standard error if *err*."""
        err = err or self.aside
        stream = sys.stderr if err else sys.stdout
        paints = self.paints(stream)
        out = []
        for line in lines:
            text = "".join(click.style(part, **_STYLES[style]) if paints and style and part else part for part, style in line)
            out.append(text.rstrip() if not paints else text)
        if out:
            self.text("\n".join(out), err=err)

    def text(self, text: str, *, err: bool = False, newline: bool = True) -> None:
        """Print *text*. Characters that the stream cannot encode are escaped."""
        stream = sys.stderr if err else sys.stdout
        encoding = stream.encoding or "utf-8"
        try:
            click.echo(text.encode(encoding, "backslashreplace").decode(encoding), nl=newline, err=err, color=True)
        except BrokenPipeError:
            drop_output(stream)  # the reader is gone; the work continues, with its exit code
        except OSError as fault:
            drop_output(stream)
            LOST.append((fault.strerror or "unknown reason").lower())

    def piped(self, name: str) -> str:
        """Read standard input as text, called *name* in messages. Raises Unreadable if it is not text."""
        try:
            data = sys.stdin.buffer.read()
        except OSError as fault:
            cause = f"standard input cannot be read: {(fault.strerror or 'unknown reason').lower()}"
            raise Unreadable([Problem(Place(name, 1, 1), cause, "pipe a script into the command", code=CALL)]) from None
        return decode_text(data, name)

    def problems(self, problems: Iterable[Problem], *, err: bool = True) -> None:
        """Print *problems* to standard error, or to standard output if they are part of the output of a run (*err* False)."""
        from ..report.terminal import problem_lines

        for problem in problems:
            self.lines([*problem_lines(problem, self.width()), []], err=err)
