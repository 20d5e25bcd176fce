"""The options that say who does the work, alike for every command that has much to do."""

from __future__ import annotations

import click

from ..playing.player import Wishes
from ..playing.work import Work
from .config import Config, further_roots, jobs_of

jobs_option = click.option(
    "--jobs", "-j", default=None, metavar="N|auto", help="Do it in N processes (auto: one a core). Results are the same, in the same order."
)
on_option = click.option(
    "--on", default="", metavar="ADDRESS", help="Do it on the workers of the scheduler at ADDRESS, as in tcp://127.0.0.1:8786."
)


def work_of(jobs: str | None, on: str, config: Config) -> Work:
    """Who does the work, by the call and the configuration."""
    if on and jobs is not None:
        raise click.UsageError("--jobs goes without --on: all workers of the scheduler work")
    try:
        return Work(1 if on else jobs_of(jobs if jobs is not None else config.jobs), on)
    except ValueError as fault:
        raise click.UsageError(f"--jobs: {fault}") from None


def study_wishes(subject: str | None, jobs: str | None, on: str, config: Config, *, trust_python: bool) -> Wishes:
    """How the scripts of a study are read and played, by the call and the configuration."""
    work, roots = work_of(jobs, on, config), further_roots((), subject)
    return Wishes(subject=subject or config.subject, trust_python=trust_python, project=config.folder, roots=roots, work=work)
