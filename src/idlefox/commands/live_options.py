"""`--live` and its options, from the command line and the configuration."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

import click

from ..forms.values.durations import parse_duration
from ..problems import Unreadable
from ..report.styled import plain
from .console import Console

if TYPE_CHECKING:
    from ..live.loading import LiveSubjectFactory

HANDS = ("quick", "real")
_MOST_RETRIES = 10


def outside_of(
    kind: str | None, given: dict[str, Any], configured: dict[str, Any], console: Console, *, trust: bool = False
) -> LiveSubjectFactory | None:
    """Return the factory of live subjects in a browser of *kind*, or None without --live.

    The configuration supplies missing options. With *trust*, sheets may start their dev servers.
    """
    if kind is None:
        odd = next((name for name, value in given.items() if value is not None), None)
        if odd is not None:
            raise click.UsageError(f"--{odd} needs --live")
        return None
    from ..live.loading import KINDS, live_subjects

    if kind not in KINDS:
        remedy = "; before a path, write --live=auto" if os.path.exists(kind) else ""
        raise click.UsageError(plain(f"--live: {kind!r} is not one of {', '.join(KINDS)}{remedy}"))
    _announce(console)
    wishes = {"show": False, "hands": "quick", "deadline": "30s", "retries": 0, **configured}
    wishes.update({name: value for name, value in given.items() if value is not None})
    browser = wishes.pop("browser", "auto")
    ms = parse_duration(wishes["deadline"])
    if not ms:
        raise click.UsageError(plain(f"--deadline: {wishes['deadline']!r} is not a duration; write 30s or 2m"))
    if wishes["hands"] not in HANDS:
        raise click.UsageError(plain(f"--hands: {wishes['hands']!r} is not one of {', '.join(HANDS)}"))
    if not 0 <= wishes["retries"] <= _MOST_RETRIES:
        raise click.UsageError(f"--retries: must be a number up to {_MOST_RETRIES}, not {wishes['retries']}")
    try:
        return live_subjects(
            browser if kind == "auto" else kind,
            show=wishes["show"], hands=wishes["hands"], deadline=ms / 1000, retries=wishes["retries"], trust=trust,
        )  # fmt: skip
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None


def _announce(console: Console) -> None:
    """Print at once which programs are started on behalf of the person."""
    import logging

    class Told(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            console.text(plain(f" {record.getMessage()}"), err=True)

    log = logging.getLogger("idlefox.live")
    log.setLevel(logging.INFO)
    log.handlers[:] = [Told()]
    log.propagate = False


def served(url: str) -> Any:
    """The page at *url* as a subject, over HTTP. Raises Unreadable."""
    from ..live.loading import needs_libraries, served_subject

    needs_libraries("a page behind a URL")
    return served_subject(url)
