"""`idlefox probe … --server`: which rules does only the page enforce?"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from ..problems import CALL, Place, Problem, Unreadable, listed
from ..report.styled import Line, plain
from ..script.reader import read_script_text
from ..script.writer import quoted, write_script
from .console import Console
from .files import write_bytes_whole
from .live_options import outside_of
from .progress import Ticker

if TYPE_CHECKING:
    from ..playing.subjects import Loaded
    from ..study.server_rules import ServerAnswers


def probe_server(form: str, kind: str, target: str, trust: bool, console: Console) -> ServerAnswers:
    """Send what *form* (a URL, or a sheet whose page is a URL) would refuse to its server, and print what the server accepts.

    *kind*: http or a browser. Raises Unreadable where nothing can be sent or concluded.
    """
    from ..study.server_rules import send_all, sending_plan

    loaded = _loaded(form, kind, trust, console)
    plan = sending_plan(loaded.form)
    if plan is None:
        raise _unusable(form, "no filling that the form accepts was found", "is every field within reach at load?")
    if loaded.make_ready is not None:
        loaded.make_ready()
    where = urlsplit(form if "://" in form else loaded.form.live.page if loaded.form.live is not None else "").netloc
    count = len(plan.broken) + 1
    console.text(plain(f" {count} submission{'s' if count != 1 else ''} to {where}, {len(plan.broken)} of them with one broken rule"))
    subject = loaded.begin(os.path.dirname(form) if "://" not in form else ".")
    try:
        with Ticker(quiet=console.aside) as ticker:
            found = send_all(plan, subject, lambda done, of: ticker.tell(f"{done} of {of} rules"))
    finally:
        subject.close()
    if isinstance(found, str):
        cause = f"the server does not accept what the form accepts: {found}"
        raise _unusable(form, cause, f"the first submission was: {'; '.join(line.strip() for line in plan.good if line != 'fill')}")
    console.lines(_lines(found))
    if target:
        named = form if "://" in form else os.path.relpath(form, os.path.dirname(target) or ".")
        script = f"# What the server accepts and the form refuses.\nsubject {quoted(named)}\n"
        script += "".join(f"\n{each.scenario()}" for each in found.accepted)
        write_bytes_whole(target, [write_script(read_script_text(script, target)).encode("utf-8")])
        console.text(plain(f" {len(found.accepted)} scenario{'s' if len(found.accepted) != 1 else ''} in {target}"))
    return found


def _loaded(form: str, kind: str, trust: bool, console: Console) -> Loaded:
    """The form, and its page as a subject. Raises Unreadable."""
    from ..playing.subjects import read_below

    outside = outside_of(kind, {}, {}, console, trust=trust)
    assert outside is not None
    if "://" in form:
        return outside.at(form)
    model = read_below(form)
    if model.live is None or "://" not in model.live.page:
        raise _unusable(form, "--server needs a form whose page is a URL", "name a URL, or a sheet with live: {page: http://…}")
    if model.live.requests != "real":
        remedy = "write requests: real under live"
        raise _unusable(form, "the page's requests would be answered by Idle Fox, not by its server", remedy)
    return outside(model)


def _unusable(form: str, cause: str, remedy: str) -> Unreadable:
    return Unreadable([Problem(Place(form, 1, 1), cause, remedy, code=CALL)])


def _lines(found: ServerAnswers) -> list[Line]:
    lines: list[Line] = []
    for each in found.accepted:
        value = "nothing is entered" if each.value is None else quoted(each.value)
        lines += [[], [(f" {plain(each.address)}   {plain(each.name)}", "bad"), (f"   accepted: {plain(value)}", "")]]
    for text in found.odd:
        lines += [[], [(f" left out  {plain(text)}", "dim")]] if text is found.odd[0] else [[(f" left out  {plain(text)}", "dim")]]
    tried = len(found.accepted) + len(found.rejected)
    told = f" the server enforces {len(found.rejected)} of {tried} rules"
    only = f"; only the page enforces {len(found.accepted)}: {listed(_names(found), 'and')}" if found.accepted else ""
    return [*lines, [], [(plain(told + only), "bad" if found.accepted else "good")]]


def _names(found: ServerAnswers) -> list[str]:
    return [f"{each.name} of {each.address}" for each in found.accepted]
