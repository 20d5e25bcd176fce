"""Shell completion of arguments: paths, ``FILE:LINE`` with titles, tags, addresses, codes and keywords."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..playing.select import choose_files
from ..problems import Unreadable
from ..script.reader import read_script_anyway
from ..script.tree import Script

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

Completing = Callable[[click.Context, click.Parameter, str], "list[CompletionItem]"]
_SHEETS = (".form.yaml", ".form.yml")
_MOST_READ = 200  # scripts searched for tags


def _item(value: str, help: str | None = None) -> CompletionItem:  # as click calls it
    from click.shell_completion import CompletionItem  # only where a shell asks: it is a part of starting up

    return CompletionItem(value, help=help.replace(",", ";") if help else help)  # one of the shells cuts at commas


def paths(*suffixes: str, lines: bool = False) -> Completing:
    """Folders, files that end in one of *suffixes*, and (*lines*) the lines of a script's scenarios."""

    def complete(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """Return the completions of *incomplete*; Click calls this."""
        file, mark, line = incomplete.rpartition(":")
        if lines and mark and file.endswith(".fox"):
            return [_item(f"{file}:{n}", help=title) for n, title in _scenarios(file) if str(n).startswith(line)]
        found = [_item(path) for path in _beginning_with(incomplete, suffixes)]
        if lines and [each.value for each in found] == [incomplete]:
            found += [_item(f"{incomplete}:{n}", help=title) for n, title in _scenarios(incomplete)]
        return found

    return complete


FORMS = paths(*_SHEETS, ".html", ".htm")
SCRIPTS = paths(".fox", lines=True)
ALL = paths(".fox", *_SHEETS, ".html", ".htm")


def _beginning_with(incomplete: str, suffixes: tuple[str, ...]) -> Iterator[str]:
    folder, beginning = os.path.split(incomplete)
    try:
        names = sorted(os.listdir(folder or "."))
    except OSError:
        return
    for name in names:
        path = os.path.join(folder, name)
        if name.startswith(beginning) and (beginning.startswith(".") or not name.startswith(".")):
            if os.path.isdir(path):
                yield path + "/"
            elif name.endswith(suffixes):
                yield path


def _read(file: str) -> Script | None:
    try:
        return read_script_anyway(file)[0]
    except Unreadable:
        return None


def _scenarios(file: str) -> list[tuple[int, str]]:
    script = _read(file)
    return [(b.line, str(getattr(b.title, "source", b.title))) for b in script.blocks if b.kind == "scenario"] if script is not None else []


def tags(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The tags in the scripts that are called, or here."""
    chosen, _ = choose_files(ctx.params.get("paths") or (".",))
    scripts = (_read(each.file) for each in chosen[:_MOST_READ])
    head, _, last = incomplete.rpartition(" ")
    known = sorted({tag for script in scripts if script is not None for block in script.blocks for tag in block.tags})
    return [_item(f"{head} {tag}".lstrip()) for tag in known if tag.startswith(last)]


def traced_addresses(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Complete `trace --only`: the addresses of the script's form, and the kinds of changes."""
    from ..playing.subjects import read_form
    from ..report.traced import ONLY
    from ..script.complete import all_addresses

    # An option without its value stops the parser, so its value is searched for here.
    called = os.environ.get("COMP_WORDS", "").split()
    file = next((word.partition(".fox:")[0] + ".fox" for word in called if ".fox:" in word), "")
    script = _read(file) if file else None
    subject = next((after for word, after in pairwise(called) if word == "--subject"), "")
    if not subject and script is not None:
        name = next((header.text for header in script.headers if header.kind == "subject"), "")
        subject = str(Path(file).parent / name) if name else ""
    try:
        known = all_addresses(read_form(subject)) if subject else []
    except Unreadable:
        known = []
    return _those([*known, *((name, "only their changes") for name in ONLY)], incomplete)


def codes(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Complete lint codes, also after a comma."""
    from ..study.lint.findings import codes as known

    head, comma, last = incomplete.rpartition(",")
    return [_item(f"{head}{comma}{code.code}", help=code.means) for code in known().values() if code.code.startswith(last)]


def words(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """Words of the language, and their groups."""
    from ..words.table import GROUPS
    from ..words.table import words as known

    plain = ((word.word, word.means) for word in known() if " " not in word.word)
    return _those([*((name, what) for name, (what, _) in GROUPS.items()), *plain], incomplete)


def _those(known: Iterable[tuple[str, Any]], incomplete: str) -> list[CompletionItem]:
    distinct = dict(reversed(list(known)))
    return [_item(name, help=str(means)) for name, means in reversed(distinct.items()) if name.startswith(incomplete)]
