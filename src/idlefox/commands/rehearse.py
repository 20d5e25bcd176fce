"""`idlefox rehearse`: an interactive prompt to try a form and save the steps as a scenario."""

from __future__ import annotations

import os
import shlex
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..engine.compile.compiler import compile_form
from ..forms.names.addresses import AddressError, locate, parse_address
from ..forms.names.shapes import write_address
from ..forms.values.durations import parse_instant
from ..playing.player import DEFAULT_CLOCK
from ..playing.rehearsal import Rehearsal, from_script, is_whole, played
from ..playing.subjects import Subjects, simulated
from ..problems import CALL, Place, Problem, Unreadable, nearest, read_text
from ..report.rehearsed import came_lines, entries_lines, slip_lines, table_lines
from ..report.styled import Line, hanging, plain
from ..report.terminal import why_lines
from ..report.words import group_lines, word_lines
from ..roots import project_root, reading_below
from ..script.against import check_ops
from ..script.reader import read_script
from ..script.tree import Script
from ..words import table
from . import completing
from .config import begin
from .console import Console
from .files import why, write_bytes_whole
from .live_options import outside_of, served
from .options import color_option, trust_option

if TYPE_CHECKING:
    from .following import WindowFollower

# Commands of the prompt that are not steps of the language, with their meaning.
WORDS = {
    "look [ADDR]": "the current state of the form or of one address", "back [N]": "undo the last step or check, or the last N",
    "again": "replay everything on a fresh form", "offer": "checks for what the last step changed", "where": "the steps and checks so far",
    'keep FILE "TITLE"': "append everything to a script as a passing scenario", "help [WORD]": "explain a keyword, or list these commands",
    "quit": "end",
}  # fmt: skip


@click.command("rehearse")
@click.argument("form", type=click.Path(), shell_complete=completing.FORMS)
@click.option("--from", "start", default="", metavar="SCRIPT:LINE", shell_complete=completing.SCRIPTS,
              help="First run a script's scenario up to this line.")
@click.option("--clock", default="", metavar="TIME", help="Virtual time at load (RFC 3339).")
@click.option("--live", is_flag=False, flag_value="auto", default=None, metavar="[auto|firefox|chromium|http]",
              help="Use the page itself, in a browser.")
@click.option("--follow", is_flag=True, help="Write what you do in the browser's window as steps; implies --live and --show.")
@click.option("--show", is_flag=True, default=None, help="Show the browser's window.")
@trust_option
@color_option
def command(
    form: str, start: str, clock: str, live: str | None, follow: bool, show: bool | None, trust: bool | None, color: str
) -> None:  # fmt: skip
    """Try a form interactively: enter steps and checks, see what each changes, save them as a scenario.

    In a pipe, lines run as they arrive. Exit code: 0; 1 if a step was not possible or a check did not hold;
    2 if something cannot be read.

    \b
    Example:
      idlefox rehearse booking.form.yaml
      idlefox rehearse booking.form.yaml --from booking.fox:41
      idlefox rehearse booking.form.yaml --live --follow
      printf 'type age "7"\\noffer\\n' | idlefox rehearse booking.form.yaml
    """
    console = Console(color)
    try:
        config, trusted = begin(trust, console)
        if follow:
            live, show = _in_a_window(live), True
        # A person may take as long as they like.
        outside = outside_of(live, {"show": show, "deadline": "24h"} if live else {"show": show}, config.live, console, trust=trusted)
        if follow and outside is not None:
            outside = outside._replace(wishes=outside.wishes._replace(follow=True))
        subjects = Subjects(trust=trusted, outside=outside, served=served)
        stage = _Stage(form, start, clock, subjects, console, follow=follow)
        stage.live = f" --live={live}" if live not in (None, "auto") else " --live" if live else ""
        code = stage.play()
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    raise SystemExit(code)


def _in_a_window(live: str | None) -> str:
    """Return the browser to follow in. Raises UsageError if it has no window, Unreadable if there is no display for one."""
    if live == "http":
        raise click.UsageError("--follow needs a browser: --live=firefox or --live=chromium")
    from ..live.loading import lacks_display

    if lacks_display():
        remedy = "use a desktop session or ssh -X; on a server: apt install xvfb, Xvfb :7 &, export DISPLAY=:7, and view it over VNC"
        cause = "no display is available for the browser's window"
        raise Unreadable([Problem(Place("--follow", 1, 1), cause, remedy, code=CALL)])
    return live or "auto"


class _Stage:
    """The prompt or the pipe, and its commands. *follow*: what the person does in the page's window becomes steps."""

    def __init__(self, form: str, start: str, clock: str, subjects: Subjects, console: Console, *, follow: bool = False) -> None:
        self.console = console
        self.window: WindowFollower | None = None
        self.live = ""  # the option with which what was saved runs again
        self.code = 0
        script, line = _script(start)
        now = _clock(clock, script)
        folder = os.path.dirname(script.file) if script is not None else "" if "://" in form else os.path.dirname(form)
        self.folder = folder or "."
        with reading_below((project_root(script.file if script is not None else form), project_root(form))):
            loaded = subjects.load(form, ".")
            if loaded.make_ready is not None:
                loaded.make_ready()
        scenario, ops = from_script(script, line) if script is not None else (None, ())
        problems = check_ops(ops, loaded.form)
        if problems:
            raise Unreadable(problems)
        now = scenario.clock if scenario is not None and scenario.clock is not None else now
        self.rehearsal = Rehearsal(loaded, form, self.folder, now, script)
        for op in ops:
            came = self.rehearsal.take_played(played(op))
            if not came.held:
                self.tell(came_lines(came, self.console.width()))
                raise Unreadable([Problem(op.place, "this line fails, so the rest is not run", "start before it: --from …")])
        self.interactive = sys.stdin.isatty() and sys.stdout.isatty()
        if follow:
            from .following import WindowFollower

            self.window = WindowFollower(self.rehearsal, console)

    def tell(self, lines: list[Line]) -> None:
        self.console.lines(lines)

    def play(self) -> int:
        """Execute statements until the input ends; return the exit code."""
        if self.interactive:
            count = len(self.rehearsal.entries)
            begun = f", after {count} step{'' if count == 1 else 's'}" if count else ""
            hint = "   Commands: help, look, quit. Tab completes."
            if self.window is not None:
                hint = "   Use the page in the window. F2 there takes all checks of the last step. Here: offer, keep, back, help, quit."
            self.tell([[(f" {plain(self.rehearsal.form.label)}{begun}", "strong")]])
            self.tell(hanging(" ", hint.strip(), self.console.width(), "dim"))
        lines = self._lines()
        try:
            for text in lines:
                if not self.interactive:
                    self.tell([[(f"{'>' if n == 0 else ' '} {plain(line)}", "strong")] for n, line in enumerate(text.split("\n"))])
                if not self.say(text):
                    break
        finally:
            self.rehearsal.subject.close()
        return 0 if self.interactive else self.code

    def _lines(self) -> Iterator[str]:
        """The statements; with a window, those that come while the person uses it."""
        if self.window is None:
            return self._prompted() if self.interactive else _statements(self.console.piped("-"))
        from .following import piped_lines

        return self.window.statements(self._prompted if self.interactive else piped_lines, prompt=self.interactive)

    def _prompted(self) -> Iterator[str]:
        from .prompt import prompted

        yield from prompted(self.rehearsal, list(WORDS), is_whole, self.console, self.window.lock if self.window is not None else None)

    # entries
    def say(self, text: str) -> bool:
        """Do what *text* says; whether to go on."""
        word, _, rest = text.strip().partition(" ")
        if self.window is not None:
            self.window.finish()
        if word == "quit":
            return False
        if self.window is not None and word == "offer":
            self.window.offer(rest.strip())
            return True
        own = _OWN.get(word)
        if own is not None:
            own(self, rest.strip())
        elif word and not word.startswith("#"):
            came = self.rehearsal.take(text.strip("\n"))
            self.tell(self._with_own_words(word, came_lines(came, self.console.width()), unknown=bool(came.problems)))
            self._note(2 if came.problems else 0 if came.held else 1)
        if self.window is not None and word not in ("where", "help", "look"):
            self.window.again(offers=own is None)
        return True

    def _note(self, code: int) -> None:
        self.code = max(self.code, code)

    def _with_own_words(self, word: str, lines: list[Line], *, unknown: bool) -> list[Line]:
        near = nearest(word, _OWN) if unknown and word not in _OWN else None
        return [*lines, [(f"   → or did you mean {near}?", "")]] if near else lines

    def look(self, rest: str) -> None:
        if rest:
            form = self.rehearsal.form
            try:
                segments = parse_address(rest) or (rest,)
                locate(form.shape, segments, [panel.shape for panel in form.panels])
                rest = write_address(segments)
            except AddressError as fault:
                self.tell(slip_lines(Problem(Place("", 1, 1), fault.cause, fault.remedy), self.console.width()))
                self._note(2)
                return
        self.tell(table_lines(self.rehearsal.observed(), rest, self.console.width()))

    def back(self, rest: str) -> None:
        if rest and not (rest.isascii() and rest.isdigit() and int(rest) > 0):
            self._odd(f"back needs a number, not {rest!r}", "write back, or back 3")
            return
        count = self.rehearsal.back(int(rest or 1))
        left = len(self.rehearsal.entries)
        what = f" {count} undone, {left} remain{'s' if left == 1 else ''}" if count else " nothing to undo"
        self.tell([[(what, "dim")]])

    def again(self, rest: str) -> None:
        failed = self.rehearsal.again()
        count = len(self.rehearsal.entries)
        if failed is not None:
            self.tell([[(f" {count} replayed, then:", "bad")], *came_lines(failed, self.console.width())])
            self._note(1)
            return
        self.tell([[(f" {count} replayed", "dim")]])

    def offer(self, rest: str) -> None:
        offered = self.rehearsal.offer()
        none = " the last step changed nothing that can be checked"
        self.tell([[("   " + plain(line), "good")] for line in offered] or [[(none, "dim")]])

    def where(self, rest: str) -> None:
        self.tell(entries_lines(self.rehearsal.entries, self.console.width()))

    def keep(self, rest: str) -> None:
        try:
            parts = shlex.split(rest)
        except ValueError:
            parts = []
        if len(parts) != 2 or not parts[0].endswith(".fox"):
            self._odd("keep needs a script and a title", 'write keep booking.fox "a voucher that is used up"')
            return
        file, title = parts
        try:
            text = read_text(file) if os.path.exists(file) else None
            made = self.rehearsal.kept(file, text, title)
            os.makedirs(os.path.dirname(file) or ".", exist_ok=True)
            write_bytes_whole(file, [made.encode("utf-8")])
        except Unreadable as fault:
            self.console.problems(fault.problems)
            self._note(2)
            return
        except OSError as fault:
            self._odd(f"cannot write {file}: {why(fault)}", "")
            return
        line = made.count("\n", 0, made.rindex("\nscenario ") + 1) + 1
        run = f"idlefox run {plain(file)}:{line}{self.live}"
        self.tell([[(f" saved: {plain(file)}:{line}", "good"), (f"   {run}", "dim")]])
        if self.window is not None:
            self._compare_with_sheet(file, made)
            self.rehearsal.again()  # the window is where it was

    def _compare_with_sheet(self, file: str, text: str) -> None:
        """Print where the sheet differs from the page in the scenario that was saved last."""
        form = self.rehearsal.form
        if form.page is not None:
            return
        plain_form = form._replace(live=None)
        failures = self.rehearsal.failures(simulated(plain_form, compile_form(plain_form)), file, text)
        if not failures:
            self.tell([[(" the sheet agrees", "dim")]])
            return
        self.tell([[(" the sheet differs: a fault of the page, or of the sheet", "doubt")]])
        for failure in failures[:3]:
            head = f"   {plain(failure.place.file)}:{failure.place.line}  {plain(failure.source.strip())}"
            self.tell([[(head, "")], *why_lines(failure, self.console.width())])

    def help(self, rest: str) -> None:
        width = self.console.width()
        if not rest:
            self.tell([[(f"  {form:<20}", "good"), (means, "")] for form, means in WORDS.items()])
            self.tell([[("  Steps and checks of the language work too: help steps, help checks, help WORD", "dim")]])
            return
        if rest in table.GROUPS:
            self.tell(group_lines(rest, table.in_groups(table.words())[rest], width))
            return
        own = next(((form, means) for form, means in WORDS.items() if form.split()[0] == rest), None)
        found = table.find(rest)
        if own is not None:
            self.tell([[(f"  {own[0]:<20}", "good"), (own[1], "")]])
        for each in found:
            self.tell(word_lines(each, width))
        if own is None and not found:
            near = nearest(rest, [*_OWN, *(word.word for word in table.words())])
            self._odd(f"unknown keyword {rest!r}", f"did you mean {near!r}?" if near else "list the commands with: help")

    def _odd(self, cause: str, remedy: str) -> None:
        self.tell(slip_lines(Problem(Place("", 1, 1), cause, remedy), self.console.width()))
        self._note(2)


_OWN: dict[str, Callable[[_Stage, str], None]] = {
    "look": _Stage.look, "back": _Stage.back, "again": _Stage.again, "offer": _Stage.offer, "where": _Stage.where, "keep": _Stage.keep,
    "help": _Stage.help,
}  # fmt: skip


def _statements(text: str) -> Iterator[str]:
    """Yield the statements of a pipe; indented lines and lines inside brackets belong to the line before."""
    current: list[str] = []
    for line in text.split("\n"):
        if current and (line[:1].isspace() or not is_whole("x " + "\n".join(current).partition(" ")[2])):
            current.append(line)
            continue
        if current:
            yield "\n".join(current).rstrip()
        current = [line] if line.strip() else []
    if current:
        yield "\n".join(current).rstrip()


def _script(start: str) -> tuple[Script | None, int]:
    """The script to begin from, and the line. Raises Unreadable."""
    if not start:
        return None, 0
    file, mark, line = start.rpartition(":")
    if not mark or not line.isdigit() or not file.endswith(".fox"):
        cause = f"a script and a line are needed, not {start!r}"
        raise Unreadable([Problem(Place("--from", 1, 1), cause, "write booking.fox:41", code=CALL)])
    with reading_below((project_root(file),)):
        return read_script(str(Path(file))), int(line)


def _clock(text: str, script: Script | None) -> int:
    if text:
        now = parse_instant(text)
        if now is None:
            cause = f"{text!r} is not an RFC 3339 time"
            raise Unreadable([Problem(Place("--clock", 1, 1), cause, "for example 2031-05-02T09:00:00Z", code=CALL)])
        return now
    headers: tuple[Any, ...] = script.headers if script is not None else ()
    return next((header.ms for header in headers if header.kind == "clock"), DEFAULT_CLOCK)
