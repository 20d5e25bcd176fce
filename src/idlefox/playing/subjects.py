"""From the text of a `subject` header (or option) to a loaded subject; compiled forms are cached."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.plan.plans import Plan
from ..engine.session.session import SessionFactory
from ..forms.model.form import Form
from ..forms.sheet.read import read_sheet
from ..problems import UNSUPPORTED, Place, Problem, Unreadable, read_bytes
from ..records import NamedTuple
from ..roots import note_read, noting_reads, project_root, reading_below, roots_now
from .kinds import kind_of, misplaced
from .simulated import SimulatedForm
from .subject import Subject


class Loaded(NamedTuple):
    """A loaded subject: its form, how to start it, its capabilities, and its resolved addresses."""

    form: Form
    begin: Callable[[str], Subject]
    abilities: frozenset[str]
    follow: Callable[[tuple[Any, ...]], object]
    warnings: tuple[str, ...] = ()
    make_ready: Callable[[], None] | None = None  # called before the run; raises Unreadable if nothing can run
    retries: int = 0  # how often a failed scenario runs again: outside the engine, a failure may be accidental
    repeats: bool = False  # the same steps always lead to the same, and a form can be copied anywhere on the way


def simulated(form: Form, plan: Plan) -> Loaded:
    """Return *form* as a subject that the engine simulates."""
    stage = SessionFactory(plan)
    return Loaded(
        form, lambda folder: SimulatedForm(stage, folder), SimulatedForm.abilities, stage.way, page_warnings(form), repeats=not form.python
    )


class Subjects:
    """The subjects of one run. Each sheet is read and compiled once. *trust*: sheets may run code.

    *outside* makes a subject outside the engine (a page in a browser) for a form, and ``outside.at`` for a URL; None: the engine
    runs the form. *served* makes a subject for a URL if there is no *outside*.
    """

    def __init__(self, *, trust: bool = False, outside: Any = None, served: Callable[[str], Loaded] | None = None) -> None:
        self.trust = trust
        self.outside = outside
        self.served = served
        self._known: dict[tuple[str, tuple[str, ...]], Loaded | Unreadable] = {}
        self._files: dict[tuple[str, tuple[str, ...]], set[str]] = {}  # the files that each was read from

    def load(self, name: str, folder: str) -> Loaded:
        """The subject *name*, a path relative to *folder*. Raises Unreadable with all that is wrong with it."""
        if name.startswith(("http://", "https://")):
            at = self.outside.at if self.outside is not None else self.served
            if at is None:
                raise _unsupported(name, "a served page as a subject")
            return self._known_or(name, at)
        path = str(Path(folder) / name)
        if is_page(path):
            return self._known_or(path, self._page)
        if kind_of(path) != "sheet":
            odd = misplaced(path, "sheet", "page")
            if odd is None:
                read_bytes(path)
            raise Unreadable([odd or Problem(Place(path, 1, 1), f"{name} is not a subject", "a subject must be a form sheet, *.form.yaml")])
        return self._known_or(path, self._sheet)

    def _known_or(self, path: str, read: Callable[[str], Loaded]) -> Loaded:
        key = (path, roots_now())
        known = self._known.get(key)
        if known is None:
            files = self._files[key] = set()
            with noting_reads(files):
                try:
                    known = read(path)
                except Unreadable as fault:
                    known = fault
            self._known[key] = known
        note_read(*self._files[key])
        if isinstance(known, Unreadable):
            raise known
        return known

    def forget(self, files: set[str]) -> None:
        """Forget the subjects that were read from any of *files* (real paths)."""
        for key in [key for key, read in self._files.items() if any(os.path.realpath(file) in files for file in read)]:
            del self._files[key], self._known[key]

    def _page(self, path: str) -> Loaded:
        from ..forms.html.read import read_page

        form = read_page(path)
        if self.outside is not None:
            return self._outside(form)
        return simulated(form, compile_form(form))

    def _outside(self, form: Form) -> Loaded:
        made: Loaded = self.outside(form)
        return made

    def _sheet(self, path: str) -> Loaded:
        form = read_sheet(path)
        if self.outside is not None:
            return self._outside(form)
        if not form.python:
            return simulated(form, compile_form(form))
        if not self.trust:
            raise Unreadable([Problem(
                Place(path, 1, 1), f"this sheet runs Python code ({form.python})",
                "if you trust it, use --trust, or list its folder under `trusted` in your own configuration",
            )])  # fmt: skip
        from ..engine.compile.python_file import load

        return simulated(form, compile_form(form, load(form)))


def read_form(name: str) -> Form:
    """The form of the subject *name*, read but not compiled. Raises Unreadable."""
    if name.startswith(("http://", "https://")):
        raise _unsupported(name, "a served page as a subject")
    odd = misplaced(name, "sheet", "page")
    if odd is not None:
        raise Unreadable([odd])
    if is_page(name):
        from ..forms.html.read import read_page

        return read_page(name)
    return read_sheet(name)


def read_below(name: str) -> Form:
    """Load a form that may only use files below its own folder. Raises Unreadable."""
    with reading_below((project_root(name),)):
        return read_form(name)


def is_page(name: str) -> bool:
    """Return whether the subject *name* is an HTML page, ``page.html`` or ``page.html#id``."""
    return name.partition("#")[0].lower().endswith((".html", ".htm"))


def page_warnings(form: Form) -> tuple[str, ...]:
    """Return the warnings about a form from a page."""
    if form.page is None or not form.page.scripts:
        return ()
    return (f"{form.page.file} has {' and '.join(form.page.scripts)}: they do not run, so their effects are missing",)


def _unsupported(name: str, what: str) -> Unreadable:
    remedy = "run it against a form sheet, *.form.yaml"
    return Unreadable([Problem(Place(name, 1, 1), f"{what} is not supported yet", remedy, code=UNSUPPORTED)])
