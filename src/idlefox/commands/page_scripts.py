"""`coverage --scripts`: which lines of a page's own scripts the scenarios run, in Chromium."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import click

from ..playing.player import RunOptions
from ..playing.subjects import Subjects
from ..playing.suite import play_files
from ..playing.work import HERE
from ..problems import Unreadable
from ..study.coverage.page_scripts import PageScripts, lines_run
from ..study.scripts import FormScripts
from .config import Config
from .console import Console
from .live_options import outside_of

if TYPE_CHECKING:
    from ..live.loading import LiveSubjectFactory


def watching_factory(live: str | None, scripts: bool, config: Config, console: Console, *, trust: bool) -> LiveSubjectFactory | None:
    """Return the factory of pages whose scripts are watched; None without --scripts. Raises UsageError where that cannot be had."""
    if not scripts:
        if live is not None:
            raise click.UsageError("--live needs --scripts: all else is counted on the form's model, without a browser")
        return None
    if live not in ("auto", "chromium"):
        remedy = "only Chromium counts the lines that run" if live else "it runs the scenarios on the page"
        raise click.UsageError(f"--scripts needs --live=chromium: {remedy}")
    factory = outside_of("chromium", {}, config.live, console, trust=trust)
    assert factory is not None
    return factory._replace(wishes=factory.wishes._replace(scripts=True))


def scripts_run(about: FormScripts, wishes: RunOptions, factory: LiveSubjectFactory, told: Callable[[int], None]) -> PageScripts:
    """Run the scenarios of *about* on the form's own page; return which lines of its scripts they ran. *told* gets their number so far.

    Raises Unreadable.
    """
    alone = wishes._replace(outside=factory, work=HERE)
    played = failed = 0
    for result in play_files(list(about.suite.chosen), alone, Subjects(trust=wishes.trust, outside=factory)):
        if result.errors:
            raise Unreadable(list(result.errors))
        played += len(result.scenarios)
        failed += sum(scenario.fell for scenario in result.scenarios)
        told(played)
    return PageScripts("chromium", lines_run(factory.scripts()), played, failed)
