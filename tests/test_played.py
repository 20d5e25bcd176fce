"""Cases that run through the whole core: `played/*.txt` contain sheets and steps in one format.

A case begins with ``=== TITLE``. Then come its sheet (without ``form:``; if there is none, the file's sheet under ``===
sheet``, or its HTML page under ``=== page``), ``---``, and the steps and checks of one scenario, or a whole script. The last
line may be ``cannot: TEXT`` (the last step is not possible), ``fails: TEXT`` (the last check does not hold), ``fault: TEXT``
(the form does not settle) or ``unreadable: TEXT`` (nothing runs), each with the message.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox

from idlefox.report.wording import expected_text, found_text, reason_text

FOLDER = Path(__file__).parent / "played"


def cases() -> Iterator[Any]:
    for file in sorted(FOLDER.glob("*.txt")):
        shared, page = "", ""
        for part in file.read_text("utf-8").split("=== ")[1:]:
            title, _, text = part.partition("\n")
            if title == "sheet":
                shared = text
            elif title == "page":
                page = text
            else:
                sheet, _, body = text.partition("---\n")
                yield pytest.param("" if page else f"form: f\n{sheet or shared}", page, body.strip("\n"), id=f"{file.stem}: {title}")


def parts_of(body: str) -> tuple[str, str, str]:
    """What becomes of a case, what is said of it, and its script."""
    last = body.rpartition("\n")[2]
    fate, _, says = last.partition(": ")
    if fate in ("cannot", "fails", "fault", "unreadable"):
        body = body.removesuffix(last).rstrip("\n")
    if not body.startswith(("scenario", "routine", "use")):
        indented = "\n".join("    " + line if line else "" for line in body.split("\n"))
        body = f'scenario "it"\n{indented}\n'
    return fate, says, body


def script_of(page: str, body: str) -> str:
    """The whole script of a case."""
    return f'subject "{"page.html" if page else "form.form.yaml"}"\nclock 2031-05-02T09:00:00Z\n\n{parts_of(body)[2]}'


@pytest.mark.parametrize(("sheet", "page", "body"), list(cases()))
def test_the_case_runs_as_written(fox: Fox, sheet: str, page: str, body: str) -> None:
    fox.write(codes__csv="code\nK1\nK2\n", page__html=page)
    fate, says, body = parts_of(body)
    result = fox.play(sheet, body, subject="page.html" if page else "form.form.yaml")
    if fate == "unreadable":
        assert not result.scenarios
        assert says in " ".join(p.cause + p.remedy for p in result.errors), result.errors
        return
    assert not result.errors, [(p.place.line - 3, p.cause, p.remedy) for p in result.errors]
    failures = [f for s in result.scenarios for f in s.failures]
    if fate in ("cannot", "fails", "fault"):
        told = [f"{expected_text(f)} / {found_text(f)} / {reason_text(f)}" for f in failures]
        kind = {"cannot": "step", "fails": "check"}.get(fate, fate)
        assert [(f.kind, says in t, f.place.line) for f, t in zip(failures, told, strict=True)] == [(kind, True, 4 + body.rstrip("\n").count("\n"))], told
    else:
        assert not failures, [(f.place.line - 3, f.text, expected_text(f), found_text(f), reason_text(f)) for f in failures]
