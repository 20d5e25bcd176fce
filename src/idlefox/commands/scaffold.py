"""`idlefox scaffold`: writes a starter sheet and script from an HTML page or a JSON Schema."""

from __future__ import annotations

import html
import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

import click

from ..playing.kinds import misplaced
from ..playing.subjects import is_page
from ..problems import CALL, Place, Problem, Unreadable
from ..report.styled import plain
from ..roots import is_below, project_root, reading_below
from .console import Console
from .files import why, write_whole
from .options import color_option

if TYPE_CHECKING:
    from ..forms.model.form import Form
    from ..live.surveying import Surveyor
    from ..study.starter_files import StarterFiles
    from ..study.surveyed import SurveyedSheet


_SCRIPT = re.compile(r"<script\b", re.IGNORECASE)


@click.command("scaffold")
@click.argument("page", type=click.Path())
@click.option("--into", default=".", metavar="DIR", type=click.Path(), help="Folder for the two files; created if missing.")
@click.option("--name", default="", metavar="NAME", help="Base name of both files (default: the name of the form or schema).")
@click.option("--replace", is_flag=True, help="Overwrite existing files.")
@click.option("--for", "sheet", default="", metavar="SHEET", type=click.Path(), help="Add `live:` for the running page to this sheet.")
@color_option
def command(page: str, into: str, name: str, replace: bool, sheet: str, color: str) -> None:
    """Write a starter sheet and script, ready to run, from a page or a JSON Schema (2020-12).

    PAGE is page.html, page.html#form-id, a URL (surveyed in a browser as it runs),
    a schema of the payload (order.json), or an existing sheet (order.form.yaml): then
    only a script is written and the sheet is not changed.

    \b
    Example:
      idlefox scaffold lost-property.html#lost
      idlefox scaffold order.schema.json --into forms
      idlefox scaffold http://127.0.0.1:8000/booking
      idlefox scaffold http://127.0.0.1:8000/booking --for booking.form.yaml
    """
    console = Console(color)
    if sheet:
        _add_live(page, sheet, console)
        return
    if name and not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_-]*", name):
        raise click.UsageError(f"--name must start with a letter and contain only letters, digits, _ and -, not {name!r}")
    try:
        made = _made(page, into, name)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    _write(made, page, into, replace, console)


def _add_live(page: str, sheet: str, console: Console) -> None:
    """Add `live:` for the running *page* to *sheet*."""
    try:
        lines, odd = _for_sheet(page, sheet)
    except Unreadable as fault:
        console.problems(fault.problems)
        raise SystemExit(2) from None
    text = Path(sheet).read_text("utf-8")
    write_whole(sheet, text + ("" if text.endswith("\n") else "\n") + "\n".join(lines) + "\n")
    console.text(plain(f" {sheet}   live: added"))
    for each in odd:
        console.text(plain(f" not found  {each}"))
    console.text("")
    console.text(plain(f" Run it: idlefox run SCRIPT --subject {sheet} --live"))


def _write(made: StarterFiles, page: str, into: str, replace: bool, console: Console) -> None:
    """Write the files and say what they are."""
    folder = Path(into)
    targets = {folder / f"{made.name}.form.yaml": made.sheet} if made.sheet else {}
    targets[folder / f"{made.name}.fox"] = made.script
    if made.page:
        targets[folder / f"{made.name}.html"] = made.page
    there = [str(t) for t in targets if t.exists()]
    if there and not replace:
        are = "is" if len(there) == 1 else "are"
        raise click.UsageError(plain(f"{' and '.join(there)} {are} there already: use --name NAME or --replace"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for target, text in targets.items():
            write_whole(str(target), text)
    except (OSError, ValueError) as fault:
        raise click.ClickException(plain(f"cannot write to {into}: {why(fault)}")) from None
    script = str(folder / f"{made.name}.fox")
    sheet = str(folder / f"{made.name}.form.yaml") if made.sheet else page
    console.text(plain(f" {sheet}   {made.fields} field{'s' if made.fields != 1 else ''}"))
    console.text(plain(f" {script}   {made.scenarios} scenario{'s' if made.scenarios != 1 else ''}, all passing"))
    for text in made.left_out:
        console.text(plain(f" left out  {text}"))
    console.text("")
    allowed = _allowed(page, script)
    console.text(plain(f" Run it: idlefox run {script}{allowed}"))
    if made.page:
        console.text(plain(f" On the page itself: idlefox run {script} --live"))
    if allowed:
        console.text(" An empty idlefox.toml at the top of the project makes --root unnecessary.")


def _made(page: str, into: str, name: str) -> StarterFiles:
    """The files for *page*. Raises Unreadable."""
    from ..study.starter_files import from_page, from_schema, from_sheet

    if "://" in page:
        return _of_url(page, into, name)
    if is_page(page) and has_scripts(page):
        return _surveyed(page, into, name)
    odd = misplaced(page, "page", "sheet", "schema")
    if odd is not None:
        raise Unreadable([odd])
    if is_page(page):
        from ..forms.html.read import read_page

        file, mark, form_id = page.partition("#")
        path = os.path.relpath(file, into).replace(os.sep, "/")
        return from_page(read_page(page), f"{path}{mark}{form_id}", into, name)
    if page.endswith((".yaml", ".yml")):
        with reading_below((project_root(page),)):
            return from_sheet(page, os.path.relpath(page, into).replace(os.sep, "/"), name or _name_of(page))
    from ..forms.schema.read import read_schema

    return from_schema(read_schema(page), name or _name_of(page), into)


def has_scripts(page: str) -> bool:
    """Return whether the page in a file runs scripts, so that only a browser knows what is on it."""
    try:
        text = Path(page.partition("#")[0]).read_text("utf-8", "replace")
    except OSError:
        return False
    return bool(_SCRIPT.search(text)) and bool(_browsers())


def _browsers() -> list[str]:
    from ..live.browser.launch import PROGRAMS, found_on_path

    return [name for name in PROGRAMS if found_on_path(PROGRAMS[name])]


def _surveyed(page: str, into: str, name: str) -> StarterFiles:
    """The files for the running page: a URL, or a file. Raises Unreadable."""
    from ..study.surveyed import files_for

    with surveying(page, into) as surveyor:
        sheet, _ = sheet_of_running(surveyor, page, into, name)
        return files_for(sheet, page, into, surveyor.open)


def _for_sheet(page: str, sheet: str) -> tuple[list[str], list[str]]:
    """The lines of `live:` for *sheet* on the running *page*, and the fields that were not found. Raises Unreadable."""
    from ..forms.model.live import LivePage
    from ..forms.sheet.read import read_sheet
    from ..study.starter_sheet import yaml_text
    from ..study.surveyed import matched

    folder = os.path.dirname(sheet) or "."
    beside = page if "://" in page else os.path.relpath(page.partition("#")[0], folder).replace(os.sep, "/")
    with surveying(page, folder) as surveyor:
        form = read_sheet(sheet)
        if form.live is not None:
            place = Place(sheet, max(form.live.line, 1), 1)
            raise Unreadable([Problem(place, "this sheet has `live:` already", "remove it first, or add what is missing under find")])
        live = LivePage(page=beside, requests="real" if "://" in page else "standin", file=form.file)
        survey = surveyor.survey(beside)
        find, odd = matched(form._replace(live=live), survey, surveyor.unfound(form._replace(live=live)))
    lines = ["live:", f"  page: {yaml_text(beside)}", *(["  requests: real"] if "://" in page else [])]
    return lines + (["  find:", *(f"    {yaml_text(address)}: {yaml_text(at)}" for address, at in find.items())] if find else []), odd


@contextmanager
def surveying(page: str, into: str) -> Iterator[Surveyor]:
    """A browser for surveys of *page*, which may read what lies around the page and the folder *into*. Raises Unreadable."""
    from ..live.loading import needs_libraries, status_of
    from ..live.surveying import Surveyor

    needs_libraries("a running page")
    if "://" in page:
        status_of(page)  # fails at once, before a browser starts, if no server answers
    with reading_below((into,) if "://" in page else (project_root(page), into)):
        surveyor = Surveyor(into)
        try:
            yield surveyor
        finally:
            surveyor.close()


def sheet_of_running(surveyor: Surveyor, page: str, into: str, name: str = "") -> tuple[SurveyedSheet, Form]:
    """The sheet for what a survey of *page* finds, with the `find` that it needs, and its form. Raises Unreadable."""
    from ..forms.sheet.read import read_sheet_text
    from ..live.loading import status_of
    from ..study.surveyed import surveyed_sheet, text_of

    beside = page if "://" in page else os.path.relpath(page.partition("#")[0], into).replace(os.sep, "/")
    survey = surveyor.survey(beside)
    if not survey["fields"] and not survey["rows"]:
        status = status_of(page) if "://" in page else 200
        said = f" (the server answers {status})" if status >= 400 else ""
        cause, remedy = f"the running page shows no field{said}", "does it need a sign-in, or another path?"
        raise Unreadable([Problem(Place(page, 1, 1), cause, remedy, code=CALL)])
    sheet = surveyed_sheet(survey, beside, name)
    find = sheet.data["live"].setdefault("find", {})
    form = read_sheet_text(text_of(sheet, page), f"{into}/{sheet.name}.form.yaml")
    for address in surveyor.unfound(form):
        if at := sheet.found.get(address, {}).get("at"):
            find[address] = at
    if not find:
        del sheet.data["live"]["find"]
    return sheet, read_sheet_text(text_of(sheet, page), f"{into}/{sheet.name}.form.yaml")


def _of_url(url: str, into: str, name: str) -> StarterFiles:
    """Return the files for the page at *url*: as it runs in a browser; without one, of its markup, a copy of which is saved next to
    them. Raises Unreadable.
    """
    if _browsers():
        return _surveyed(url, into, name)
    from ..forms.html.read import read_page_text
    from ..live.loading import needs_libraries, source_of
    from ..study.starter_files import from_page
    from ..study.starter_sheet import name_of

    needs_libraries("a page behind a URL")
    text, wanted = _based(source_of(url), url), urlsplit(url).fragment
    name = name or name_of(read_page_text(text, _name_of(urlsplit(url).path.rstrip("/") or "form") + ".html", wanted))
    with tempfile.TemporaryDirectory() as scratch:  # read the sheet and run its scenarios before writing anything
        (Path(scratch) / f"{name}.html").write_text(text, "utf-8")
        page = f"{name}.html" + (f"#{wanted}" if wanted else "")
        with reading_below((scratch,)):
            made = from_page(read_page_text(text, f"{name}.html", wanted), page, scratch, name, url)
    return made._replace(page=text)


def _based(text: str, url: str) -> str:
    """Return the page *text* with a base URL, so that its relative URLs work in another folder."""
    if re.search(r"<base\s", text, re.I):
        return text
    base = f'<base href="{html.escape(urlsplit(url).path or "/")}">'
    tags = (re.search(rf"<{tag}\b[^>]*>", text, re.I) for tag in ("head", "html", "!doctype"))
    at = next((found.end() for found in tags if found is not None), 0)
    return text[:at] + base + text[at:]


def _allowed(page: str, script: str) -> str:
    """Return the option that a call needs so that *script* may use *page*, "" if it needs none."""
    source = page.partition("#")[0]
    if "://" in page:
        return ""
    inside = is_below(source, project_root(script))
    return "" if inside or page.endswith(".json") else f" --root {os.path.dirname(source) or '.'}"


def _name_of(file: str) -> str:
    """A name after a file's: ``order.schema.json`` makes ``order``."""
    stem = Path(file).name.split(".")[0]
    name = re.sub(r"[^A-Za-z0-9_-]+", "-", stem).strip("-")
    return name if name and (name[0].isalpha() or name[0] == "_") else f"form-{name}".rstrip("-")
