"""`--report` of the studies: JSON for machines, a page for people; each whole or not at all."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

import click

from ..report.styled import plain
from .console import Console
from .files import why, write_bytes_whole
from .reports import Wanted, one_at_most, write_report

if TYPE_CHECKING:
    from ..report.study_page import StudyPage

KINDS = ("json", "html")
FIGURES = ("png", "svg", "pdf")


def _read(context: click.Context, option: click.Parameter, texts: tuple[str, ...]) -> tuple[Wanted, ...]:
    found = []
    for text in texts:
        kind, mark, file = text.partition("=")
        if kind not in KINDS or not mark or not file:
            raise click.UsageError(plain(f"--report needs json=FILE or html=FILE, not {text!r}"))
        found.append((kind, file))
    try:
        one_at_most(found)
    except ValueError as fault:
        raise click.UsageError(plain(f"--report: {fault}")) from None
    return tuple(found)


report_option = click.option("--report", "reports", multiple=True, callback=_read, metavar="KIND=FILE",
                             help="Write a report: json=FILE or html=FILE; - is standard output. Can be given twice.")  # fmt: skip


def figure_file(context: click.Context, option: click.Parameter, file: str) -> str:
    """The file of a figure, whose kind is in its name."""
    if file and file.rpartition(".")[2].lower() not in FIGURES:
        raise click.UsageError(plain(f"--{option.human_readable_name}: {file} ends in none of {', '.join(f'.{kind}' for kind in FIGURES)}"))
    return file


figure_option = click.option("--figure", default="", callback=figure_file, metavar="FILE",
                             help="Draw the totals as a bar chart: .png, .svg or .pdf.")  # fmt: skip


def draw_sums(file: str, page: Callable[[], StudyPage], console: Console) -> None:
    """Draw the sums of a study to *file*."""

    def make(kind: str) -> bytes:
        """Draw the figure as a file of *kind*."""
        from ..report.study_figure import study_figure

        return study_figure(page(), kind)

    draw(file, make, console)


def draw(file: str, make: Callable[[str], bytes], console: Console) -> None:
    """Draw a figure to *file*, whole or not at all."""
    try:
        write_bytes_whole(file, [make(file.rpartition(".")[2].lower())])
    except ImportError:
        raise click.UsageError("a figure needs a library that is not installed: pip install 'idle-fox[figures]'") from None
    except OSError as fault:
        raise click.ClickException(plain(f"cannot write {file}: {why(fault)}")) from None
    console.lines([[(plain(f" {file}"), "")]])


def goes_to_output(reports: Iterable[Wanted]) -> bool:
    """Return whether a report is written to standard output."""
    return any(file == "-" for _, file in reports)


def one_or_all(data: list[Any]) -> Any:
    """Return the report of a single form, or a list for several forms."""
    return data[0] if len(data) == 1 else data


def write(reports: Iterable[Wanted], data: Callable[[], Any], page: Callable[[], StudyPage], console: Console) -> bool:
    """Write the *reports*; whether all are written."""
    done = True
    for kind, file in reports:
        if kind == "json":
            pieces: Iterable[str] = [json.dumps(data(), indent=2, default=str) + "\n"]
        else:
            from ..report.study_page import study_html

            pieces = study_html(page())
        done = write_report(file, pieces, console) and done
    return done
