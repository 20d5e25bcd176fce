"""`run --report KIND=FILE`: what kinds there are, and how each is written: whole or not at all."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from importlib import import_module

from ..playing.results import Run
from ..report.styled import plain
from .console import Console
from .files import why, write_whole

# Kind -> its module and function, loaded when needed.
KINDS = {
    "json": ("as_json", "json_report"),
    "tap": ("as_tap", "tap_report"), "xml": ("as_xml", "xml_report"), "html": ("as_html", "html_report"),
}  # fmt: skip
Wanted = tuple[str, str]  # the kind and the file of a report


def report_of(text: str) -> Wanted:
    """The kind and the file of a report. Raises ValueError."""
    kind, separator, file = text.partition("=")
    if not separator or not file:
        raise ValueError(f"needs KIND=FILE, for example json=report.json, not {text!r}")
    if kind not in KINDS:
        raise ValueError(f"unknown kind of report {kind!r}; the kinds are {', '.join(KINDS)}")
    return kind, file


def one_at_most(wanted: Sequence[Wanted]) -> None:
    """Raise ValueError where two of *wanted* would go to one place."""
    files = [file if file == "-" else os.path.realpath(file) for _, file in wanted]
    twice = next((file for file in files if files.count(file) > 1), None)
    if twice is not None:
        raise ValueError("only one report can go to standard output" if twice == "-" else f"two reports would be written to {plain(twice)}")


def write_reports(run: Run, wanted: Iterable[Wanted], console: Console) -> bool:
    """Write each report and return whether all were written. Failures are printed."""
    done = True
    for kind, file in wanted:
        module, name = KINDS[kind]
        make: Callable[[Run], Iterable[str]] = getattr(import_module(f"idlefox.report.{module}"), name)
        done = write_report(file, make(run), console) and done
    return done


def write_report(file: str, pieces: Iterable[str], console: Console) -> bool:
    """Write a report to *file* (``-``: standard output) completely or not at all, and return whether it was written."""
    if file == "-":
        console.text("".join(pieces), newline=False)
        return True
    try:
        os.makedirs(os.path.dirname(file) or ".", exist_ok=True)
        write_whole(file, pieces)
    except (OSError, ValueError) as fault:
        console.text(plain(f"Error: the report cannot be written to {file}: {why(fault)}"), err=True)
        return False
    return True
