"""`run --watch`: runs everything once, then the scenarios that a change affects, until the person quits."""

from __future__ import annotations

import os
import select
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from time import strftime

import click

from ..playing.player import LoadedScript, RunOptions, load_script
from ..playing.results import Results
from ..playing.select import SelectedScript
from ..playing.subjects import Subjects
from ..playing.work import HERE
from ..problems import Problem, Unreadable
from ..report.styled import plain
from ..roots import noting_reads
from .console import Console
from .last_run import Fallen, keep_last, read_last
from .live_options import served
from .playing import OutputOptions, choose, play

_GLANCE = 50  # milliseconds between two looks at the keys
_QUIET = 20  # milliseconds without a further change before a run starts
_KEYS = "Enter runs everything, f the failures, q quits"


_Stamp = tuple[int, int] | None  # last change (ns) and size of a file; None if it does not exist


def _stamp(file: str) -> _Stamp:
    try:
        found = os.stat(file)
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size


class _WatchedScript:
    """A watched script: its options, the files it was read from, and whether everything in it passed."""

    def __init__(self) -> None:
        self.ready: LoadedScript | Unreadable | None = None
        self.files: dict[str, _Stamp] = {}  # as they were when they were read
        self.fell = False


class _WatchState:
    """The scripts and subjects of a watched run. Unchanged ones are not read again."""

    def __init__(self, wishes: RunOptions) -> None:
        self.wishes = wishes
        self.scripts: dict[SelectedScript, _WatchedScript] = {}
        self.subjects = self._fresh()

    def _fresh(self) -> Subjects:
        return Subjects(trust=self.wishes.trust, outside=self.wishes.outside, served=self.wishes.served or served)

    def prepared(self, chosen: SelectedScript, wishes: RunOptions, subjects: Subjects) -> LoadedScript:
        script = self.scripts.setdefault(chosen, _WatchedScript())
        if script.ready is None:
            files: set[str] = set()
            with noting_reads(files):
                try:
                    script.ready = load_script(chosen, wishes, subjects)
                except Unreadable as fault:
                    script.ready = fault
            script.files = {file: _stamp(file) for file in map(os.path.realpath, files)}
        if isinstance(script.ready, Unreadable):
            raise script.ready
        return script.ready

    def changed(self, files: set[str]) -> list[SelectedScript]:
        """Forget what *files* had a part in; the scripts that depend on them."""
        concerned = [chosen for chosen, script in self.scripts.items() if not files.isdisjoint(script.files)]
        self.subjects.forget(files)
        for chosen in concerned:
            self.scripts[chosen].ready = None
        return concerned

    def missed(self) -> set[str]:
        """Return the files that changed since they were read, while nothing was watching."""
        return {file for script in self.scripts.values() for file, stamp in script.files.items() if _stamp(file) != stamp}

    def folders(self, chosen: list[SelectedScript], paths: tuple[str, ...]) -> list[str]:
        """The folders to be watched: those that were named, and those of all that was read."""
        files = [file for script in self.scripts.values() for file in script.files] + [os.path.realpath(c.file) for c in chosen]
        named = [os.path.realpath(path) for path in paths if os.path.isdir(path)]
        wanted = sorted({*named, *(os.path.dirname(file) for file in files)})
        there = [folder for folder in wanted if os.path.isdir(folder)]
        return [f for f in there if not any(f != other and f.startswith(other.rstrip(os.sep) + os.sep) for other in there)]


def watch(paths: tuple[str, ...], otherwise: tuple[str, ...], wishes: RunOptions, console: Console, manner: OutputOptions) -> int:
    """Run the scripts at *paths*, and again what changes concern. The exit code: of the last round."""
    try:
        import watchfiles
    except ImportError:
        raise click.UsageError("--watch needs a library that is not installed: pip install 'idle-fox[watch]'") from None
    known = _WatchState(wishes)
    chosen, problems = choose(paths, otherwise, console)
    code = _round(known, chosen, wishes, console, manner, problems)
    with _single_keys():
        _tell(known, console)
        while True:
            asked = _next(watchfiles, known, known.folders(chosen, paths))
            if asked is None:
                return code
            chosen, problems = choose(paths, otherwise, console)
            if isinstance(asked, str):
                again = chosen if asked == "all" else [c for c in chosen if known.scripts.get(c, _WatchedScript()).fell]
            else:
                concerned = known.changed(asked)
                again = [c for c in chosen if c in concerned or c not in known.scripts]
                if not again:
                    continue
                console.lines([[], [(f" {strftime('%H:%M:%S')}  {_named(asked)} changed", "strong")]])
            again.sort(key=lambda c: not known.scripts.get(c, _WatchedScript()).fell)
            if not again:
                console.text(" nothing failed")
                continue
            code = _round(known, again, wishes, console, manner, problems)
            _tell(known, console)


def _tell(known: _WatchState, console: Console) -> None:
    console.lines([[(f" watching {len(known.scripts)} script{'s' if len(known.scripts) != 1 else ''}; {_KEYS}", "dim")]])


def _named(files: set[str]) -> str:
    names = [plain(os.path.relpath(file)) for file in sorted(files)]
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _round(
    known: _WatchState, chosen: list[SelectedScript], wishes: RunOptions, console: Console, manner: OutputOptions, problems: list[Problem],
) -> int:
    before: Fallen | None = read_last(wishes.project)
    run = play(chosen, problems, wishes._replace(work=HERE), console, manner, subjects=known.subjects, prepared=known.prepared)
    results: Results = run.scripts
    fell = {result.file: bool(result.errors) or any(s.fell for s in result.scenarios) for result in results}
    for each in chosen:
        known.scripts.setdefault(each, _WatchedScript()).fell = fell.get(each.file, False)
    keep_last(wishes.project, results, before, interrupted=True)
    return run.exit_code


def _next(watchfiles: object, known: _WatchState, folders: list[str]) -> set[str] | str | None:
    """Return the changed files, or the request of a key: all, failed, or None to quit."""
    changes = watchfiles.watch(  # type: ignore[attr-defined]
        *folders, debounce=2_000, step=_QUIET, rust_timeout=_GLANCE, yield_on_timeout=True, raise_interrupt=False
    )
    for number, found in enumerate(changes):
        if number == 0 and not found and (missed := known.missed()):
            return missed
        files = {os.path.realpath(path) for _, path in found if os.sep + "." not in path}
        if files:
            return files
        key = _key()
        if key in ("q", "\x03", "\x04"):
            return None
        if key in ("f", "\n", "\r"):
            return "failed" if key == "f" else "all"
    return None


def _key() -> str:
    """Return the last key pressed, or "". Without a terminal, the first letter of a line; its end is `q`."""
    if not select.select([sys.stdin], [], [], 0)[0]:
        return ""
    if sys.stdin.isatty():
        return os.read(sys.stdin.fileno(), 1).decode("latin-1")
    line = sys.stdin.readline()
    return (line[:1] if line else "q").lower()


@contextmanager
def _single_keys() -> Iterator[None]:
    """Keys come one by one, without Enter, until this ends."""
    if not sys.stdin.isatty():
        yield
        return
    import termios
    import tty

    before = termios.tcgetattr(sys.stdin)
    tty.setcbreak(sys.stdin)
    try:
        yield
    finally:
        termios.tcsetattr(sys.stdin, termios.TCSADRAIN, before)
