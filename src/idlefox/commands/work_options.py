"""The options that say who does the work, alike for every command that has much to do."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

import click

from ..playing.player import RunOptions
from ..playing.work import ExecutionOptions
from ..stamp import stamp_of_program
from .config import Config, further_roots, jobs_of, state_folder
from .console import Console

_MOST_NOTES = 20  # of interrupted studies

jobs_option = click.option(
    "--jobs", "-j", default=None, metavar="N|auto", help="Use N processes (auto: one per core). Results and their order do not change."
)
on_option = click.option(
    "--on", default="", metavar="ADDRESS", help="Use the workers of a Dask scheduler, for example tcp://127.0.0.1:8786."
)


def work_of(jobs: str | None, on: str, config: Config) -> ExecutionOptions:
    """Decide who runs the tasks, from the call and the configuration."""
    if on and jobs is not None:
        raise click.UsageError("--jobs cannot be combined with --on: all workers of the scheduler take part")
    try:
        return ExecutionOptions(1 if on else jobs_of(jobs if jobs is not None else config.jobs), on)
    except ValueError as fault:
        raise click.UsageError(f"--jobs: {fault}") from None


def study_wishes(subject: str | None, jobs: str | None, on: str, config: Config, *, trust: bool) -> RunOptions:
    """Return the options for running the scripts of a study."""
    work, roots = work_of(jobs, on, config), further_roots((), subject)
    return RunOptions(subject=subject or config.subject, trust=trust, project=config.folder, roots=roots, work=work)


def with_notes(work: ExecutionOptions, study: str, wished: object, files: Iterable[str], console: Console) -> ExecutionOptions:
    """Return *work* with a checkpoint, so that the same call continues after an interruption.

    A call is the same if its *study*, its options (*wished*), the program's code and the content of *files* are unchanged.
    """
    from hashlib import sha256

    digest = sha256(repr((stamp_of_program(), study, wished)).encode("utf-8", "surrogatepass"))
    for file in sorted(set(files)):
        digest.update(repr((os.path.realpath(file), sha256(_content(file)).hexdigest())).encode("utf-8", "surrogatepass"))
    folder = Path(state_folder()) / "studies"
    notes = folder / f"{study}-{digest.hexdigest()[:32]}"
    if notes.is_file():
        console.lines([[(f" continuing the {study} that was interrupted", "dim")]])
    else:
        _tidy(folder)
    return work._replace(notes=str(notes))


def _content(file: str) -> bytes:
    try:
        return Path(file).read_bytes()
    except (OSError, ValueError):
        return b""


def _tidy(folder: Path) -> None:
    """Delete old checkpoints, except the newest ones."""
    try:
        for old in sorted(folder.iterdir(), key=lambda each: each.stat().st_mtime)[: -_MOST_NOTES or None]:
            old.unlink()
    except OSError:
        pass
