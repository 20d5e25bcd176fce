"""`idlefox demo`: runs the demo, or copies its files into a folder and runs them there."""

from __future__ import annotations

import json
import os
import shlex
import socket
import sys
import tempfile
from importlib import resources
from pathlib import Path

import click

from ..playing.player import RunOptions
from ..playing.select import ScenarioFilter
from ..problems import path_problem
from ..report.styled import plain
from .console import Console
from .files import write_whole
from .options import color_option
from .playing import OutputOptions, choose, play

# Faults planted in a copy of the booking page, to demonstrate failures and bad manners.
_FAULTS = (
    ('say("contact.email_again", email_again !== email, "The two addresses differ.");', ""),
    # A rejection empties more than the voucher.
    ('$("#voucher").value = "";', 'for (const control of form.elements) if (control.type !== "checkbox") control.value = "";'),
    ("if (!busy) send();", "send();"),  # a second press
    ("submit.disabled = busy || ", "submit.disabled = "),
)
_FAULTY = "aside-booking"
_LIVE = ("crossing.fox", "booking.fox")  # the form that has its own page
_DRAWN, _BY_POST = "drawn-booking", "by-post.fox"  # the same form as `serve` draws it
_CLOCK = "2031-05-02T09:00:00Z"  # of the demo's scripts
_ASIDE = "aside"  # the folder of the scenario that fails on purpose


@click.command("demo")
@click.argument("folder", required=False, type=click.Path(), metavar="[DIR]")
@click.option("--with-failure", is_flag=True, help="Also run a scenario that fails on purpose; with --live, run a faulty page.")
@click.option("--live", is_flag=False, flag_value="auto", default=None, metavar="[BROWSER]",
              help="Run the scenarios that suit a live page, on the booking page in a browser.")
@click.option("--quiet", "-q", is_flag=True, help="Print failures only.")
@color_option
def command(folder: str | None, with_failure: bool, live: str | None, quiet: bool, color: str) -> None:
    """Run the demo: the forms of Skerry Line, a ferry company between made-up islands.

    With DIR, copy the demo files there for you to edit.

    \b
    Example:
      idlefox demo
      idlefox demo skerry
      idlefox demo --with-failure
      idlefox demo --live
    """
    if folder == "" or (folder and path_problem(folder)):
        raise click.UsageError("DIR must be the name of a folder, for example: idlefox demo skerry")
    if folder is not None:
        _play(folder, folder, with_failure, live, quiet, color)
    with tempfile.TemporaryDirectory(prefix="idlefox-demo-") as temporary:
        _play(temporary, "", with_failure, live, quiet, color)


def _play(folder: str, left_in: str, with_failure: bool, live: str | None, quiet: bool, color: str) -> None:
    from .live_options import outside_of
    kept = _copy(Path(folder), with_failure)
    faulty = with_failure and live not in (None, "http")
    if faulty:
        _plant(Path(folder))
    console = Console(color)
    outside = outside_of(live, {}, {}, console)
    subject = f"{_FAULTY}.form.yaml" if faulty else ""
    subject = subject and os.path.join(left_in, subject)
    wishes = RunOptions(outside=outside, narrowed=ScenarioFilter(tags=("page",)), subject=subject) if outside is not None else RunOptions()
    before = os.getcwd()
    if not left_in:
        os.chdir(folder)
    try:
        code = 0
        if live != "http":
            names = _LIVE[:1] if faulty else _LIVE if outside is not None else (".",)
            paths = tuple(os.path.join(left_in, name) if left_in else name for name in names)
            code = play(*choose(paths, (), console), wishes, console, OutputOptions(quiet, pictures=bool(left_in))).exit_code
        if outside is not None and not faulty and code == 0:
            code = _play_drawn(left_in, console, quiet=quiet)
    finally:
        os.chdir(before)
    if left_in and not quiet:
        console.text("")
        console.text(plain(f" The files are in {left_in}. Edit one, then run: idlefox run {left_in}"))
        if kept:
            console.text(f" Not overwritten, because you edited them: {', '.join(kept)}")
    raise SystemExit(code)


def _play_drawn(left_in: str, console: Console, *, quiet: bool) -> int:
    """Run the booking as `idlefox serve` draws it, over HTTP; the exit code."""
    from .live_options import outside_of

    page = _draw(Path(left_in or "."))
    if not quiet:
        console.text("")
        console.text(plain(f" The same form as `idlefox serve` draws it at {page}, over HTTP and without a browser:"))
    wishes = RunOptions(outside=outside_of("http", {}, {}, console, trust=True), subject=os.path.join(left_in, f"{_DRAWN}.form.yaml"))
    return play(*choose((os.path.join(left_in, _BY_POST),), (), console), wishes, console, OutputOptions(quiet)).exit_code


def _draw(folder: Path) -> str:
    """Leave a sheet in *folder* whose page is what `serve` draws of the booking, at a port that is free; its URL."""
    with socket.socket() as any_port:
        any_port.bind(("127.0.0.1", 0))
        port = any_port.getsockname()[1]
    page = f"http://127.0.0.1:{port}/"
    serve = f"{shlex.quote(sys.executable)} -m idlefox serve booking.form.yaml --at-once --clock {_CLOCK} --port {port}"
    sheet = resources.files("idlefox.demo").joinpath("booking.form.yaml").read_text("utf-8")
    live = f"live:\n  page: {page}\n  serve: {json.dumps(serve)}\n  requests: real\n"
    write_whole(str(folder / f"{_DRAWN}.form.yaml"), sheet.partition("# The same form as an HTML page")[0] + live)
    return page


def _faulty(page: str) -> str:
    for fault in _FAULTS:
        page = page.replace(*fault)
    return page


def _plant(folder: Path) -> None:
    """Leave the booking's page with a fault in it in *folder*, and a sheet that names it."""
    source = resources.files("idlefox.demo")
    page, sheet = (source.joinpath(f"booking.{ending}").read_text("utf-8") for ending in ("html", "form.yaml"))
    write_whole(str(folder / f"{_FAULTY}.html"), _faulty(page))
    write_whole(str(folder / f"{_FAULTY}.form.yaml"), sheet.replace("page: booking.html", f"page: {_FAULTY}.html"))


def _copy(folder: Path, with_failure: bool) -> list[str]:
    """Leave the demo's files in *folder*; a file that is there and differs is kept. The names of those."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as fault:
        raise click.UsageError(plain(f"cannot create the folder {folder}: {(fault.strerror or 'unknown reason').lower()}")) from None
    kept: list[str] = []
    for source in sorted(resources.files("idlefox.demo").iterdir(), key=lambda s: s.name):
        name = source.name
        if not name.endswith((".fox", ".yaml", ".html", ".csv")) or (name.startswith(_ASIDE) and not with_failure):
            continue
        target = folder / name
        text = source.read_text(encoding="utf-8")
        try:
            if target.exists() and target.read_bytes() != text.encode():
                kept.append(name)
                continue
            write_whole(str(target), text)
        except OSError as fault:
            raise click.UsageError(plain(f"cannot write {target}: {(fault.strerror or 'unknown reason').lower()}")) from None
    return kept
