"""`idlefox rename`: renames a field, lookup, panel or view in its sheet and in every script that names it."""

from __future__ import annotations

import os
from codecs import BOM_UTF8
from collections import Counter
from collections.abc import Iterable
from typing import TYPE_CHECKING

import click

from ..problems import CALL, Place, Problem, Unreadable, listed, read_bytes, suggestion
from ..report.styled import Line, plain
from . import completing
from .console import Console
from .files import why, write_whole
from .options import color_option

if TYPE_CHECKING:
    from ..editor.names import Key, NameUse
    from ..editor.search import Search
    from ..editor.texts import Texts

_KINDS = ("field", "lookup", "panel", "view")


@click.command("rename")
@click.argument("old")
@click.argument("new")
@click.argument("paths", nargs=-1, type=click.Path(), shell_complete=completing.ALL)
@click.option("--kind", type=click.Choice(_KINDS), help="What OLD is, where the sheet has several things of that name.")
@click.option("--dry-run", is_flag=True, help="Change nothing; print the lines that would change.")
@color_option
def command(old: str, new: str, paths: tuple[str, ...], kind: str | None, dry_run: bool, color: str) -> None:
    """Rename a field, lookup, panel or view in its sheet and in every script.

    OLD is a name or the address of a field (passengers[*].age). NEW is the new name alone.
    PATHS are the sheets, or the folders where sheets are looked for (default: this folder).
    Scripts are looked for in this folder and in those of PATHS.

    \b
    Example:
      idlefox rename voucher code
      idlefox rename passengers[*].age years booking.form.yaml --dry-run
    """
    console = Console(color)
    try:
        uses, key, texts = _found(old, new, paths or (".",), kind)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    changed = {file: _replaced(texts[file], [use for use in uses if use.file == file], new) for file in texts}
    if dry_run:
        for file, text in changed.items():
            console.lines(_difference(os.path.relpath(file), texts[file], text))
    else:
        _write(changed, texts)
    counts = Counter(os.path.relpath(use.file) for use in uses)
    for file, count in counts.items():
        console.text(plain(f" {file}   {_counted(count, 'place')}"))
    did = "would be renamed to" if dry_run else "renamed to"
    console.text(plain(f" {key.kind} {old} {did} {new}: {_counted(len(uses), 'place')} in {_counted(len(counts), 'file')}"))


def _counted(count: int, noun: str) -> str:
    return f"{count} {noun}{'s' if count != 1 else ''}"


def _found(old: str, new: str, paths: Iterable[str], kind: str | None) -> tuple[list[NameUse], Key, dict[str, str]]:
    """Every use of what *old* names, what it is, and the texts of their files. Raises Unreadable."""
    from ..editor.project import Project
    from ..editor.search import CannotRename, Search
    from ..editor.texts import Texts
    from ..script.reader import read_script_anyway

    folders = [path if os.path.isdir(path) else os.path.dirname(path) or "." for path in paths]
    texts = Texts((".", *folders))
    search = Search(Project(texts))
    key = _meant(search, old, _sheets(paths, texts), kind)
    odd = [problem for file in search.project.scripts_about(key.where) for problem in read_script_anyway(file, texts.text(file) or "")[1]]
    if odd:  # what cannot be read may name it, too
        raise Unreadable([problem._replace(place=problem.place._replace(file=os.path.relpath(problem.place.file))) for problem in odd])
    try:
        uses = search.uses(key, new)
    except CannotRename as fault:
        raise Unreadable([Problem(Place(os.path.relpath(key.where), 1, 1), str(fault), "choose another name", code=CALL)]) from None
    uses.sort(key=lambda use: (use.file != key.where, use.file, use.start))
    return uses, key, {use.file: texts.text(use.file) or "" for use in uses}


def _sheets(paths: Iterable[str], texts: Texts) -> list[str]:
    """The sheets that *paths* name, folders searched. Raises Unreadable."""
    from ..editor.project import SHEETS

    found: list[str] = []
    for path in paths:
        real = os.path.realpath(path)
        if os.path.isdir(real):
            found += texts.files(os.path.join(real, "any"), *SHEETS)
        elif path.endswith(SHEETS) and os.path.isfile(real):
            found.append(real)
        else:
            remedy = "name a sheet (*.form.yaml) or a folder"
            raise Unreadable([Problem(Place(path, 1, 1), "no sheet is there", remedy, code=CALL)])
    if not found:
        raise Unreadable([Problem(Place(listed(paths), 1, 1), "no sheet is there", "name a sheet (*.form.yaml) or its folder", code=CALL)])
    return list(dict.fromkeys(found))


def _meant(search: Search, old: str, sheets: list[str], kind: str | None) -> Key:
    """Return the one thing in *sheets* that is named *old*. Raises Unreadable if there is none, or more than one."""
    from ..editor.names import BUILT_IN_VIEWS
    from ..forms.sheet.read import read_sheet

    keys = [key for sheet in sheets for key in search.called(sheet, old) if kind in (None, key.kind)]
    if len(keys) == 1:
        return keys[0]
    here = Place(os.path.relpath(sheets[0]) if len(sheets) == 1 else f"{len(sheets)} sheets", 1, 1)
    if not keys and old in BUILT_IN_VIEWS:
        raise Unreadable([Problem(here, f"{old} is a built-in view", "only a view of the sheet's own can be renamed", code=CALL)])
    if not keys:
        if len(sheets) == 1 and search.project.form(sheets[0]) is None:
            read_sheet(os.path.relpath(sheets[0]))  # raises, with what is wrong in it
        known = [name for sheet in sheets for name in search.names_of(sheet)]
        deeper = list(dict.fromkeys(name for name in known if name.endswith(f".{old}")))
        near = suggestion(old, dict.fromkeys(known), "idlefox outline SHEET lists the names")
        remedy = f"it could be {listed(deeper)}" if deeper else near
        raise Unreadable([Problem(here, f"no {kind or 'field, lookup, panel or view'} is named {old!r}", remedy, code=CALL)])
    where = list(dict.fromkeys(os.path.relpath(key.where) for key in keys))
    if len(where) > 1:
        cause, remedy = f"{old!r} is in {listed(where, 'and')}", "name one of them: idlefox rename OLD NEW SHEET"
    else:
        cause = f"{old!r} names {listed((f'a {key.kind}' for key in keys), 'and')}"
        remedy = f"use {listed(f'--kind {key.kind}' for key in keys)}"
    raise Unreadable([Problem(here, cause, remedy, code=CALL)])


def _replaced(text: str, uses: list[NameUse], new: str) -> str:
    for use in sorted(uses, key=lambda each: -each.start):
        text = text[: use.start] + new + text[use.end :]
    return text


def _difference(file: str, before: str, after: str) -> list[Line]:
    """The lines of *file* that change, each as it is and as it would be."""
    pairs = zip(before.split("\n"), after.split("\n"), strict=True)
    lines: list[Line] = []
    for number, (was, now) in enumerate(pairs, 1):
        if was != now:
            lines += [[(plain(f"{file}:{number}"), "strong")], [(plain(f"  -{was}"), "bad")], [(plain(f"  +{now}"), "good")]]
    return lines


def _write(changed: dict[str, str], before: dict[str, str]) -> None:
    """Write the files; if one cannot be written, restore those that were."""
    done: list[str] = []
    marks = {file: "\ufeff" if read_bytes(file).startswith(BOM_UTF8) else "" for file in changed}
    try:
        for file, text in changed.items():
            write_whole(file, marks[file] + text)
            done.append(file)
    except OSError as fault:
        failed = os.path.relpath(next(file for file in changed if file not in done))
        for file in done:
            write_whole(file, marks[file] + before[file])
        raise click.ClickException(plain(f"cannot write {failed}: {why(fault)}; nothing was renamed")) from None
