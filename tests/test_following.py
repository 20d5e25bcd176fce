"""A person's actions in a browser window become steps: real input on real pages, and the saved scenario passes at once."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox
from person import followed
from test_live import BROWSERS

from idlefox.live.loading import close_all
from idlefox.playing.following import _kind_of
from idlefox.playing.rehearsal import Rehearsal

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SESSION = """
press contact.email
keys marax
key Backspace
key Tab
rest 0.3
press contact.email
key Control+a
keys mara@fjordmail.example
key Tab
keys mara@fjordmail.example
press vehicle.bringing
on Add a passenger
press passengers[1].age
keys 41
on Remove
press sailing
keys N
key Enter
press voucher
keys ISLE2030
key Tab
rest 3
key F2
on Book
rest 0.3
"""
WRITTEN = """
type contact.email "marax"
erase contact.email
focus contact.email_again
focus contact.email
retype contact.email "mara@fjordmail.example"
type contact.email_again "mara@fjordmail.example"
turn vehicle.bringing on
add passengers
type passengers[1].age "41"
remove passengers[1]
pick sailing "noon"
type voucher "ISLE2030"
settle
(take all)
submit
"""


@pytest.fixture(scope="module", autouse=True)
def _browsers_end() -> Any:
    yield
    close_all()


@pytest.mark.parametrize("browser", BROWSERS)
def test_what_a_person_does_becomes_a_scenario_that_passes(tmp_path: Path, browser: str) -> None:
    for name in ("booking.form.yaml", "booking.html"):
        shutil.copy(DEMO / name, tmp_path / name)
    *steps, rehearsal = followed(tmp_path / "booking.form.yaml", SESSION, browser)
    assert isinstance(rehearsal, Rehearsal)
    written = [step for step in steps if not str(step).startswith(" ")]
    # Leaving the voucher, and a press that comes before the page has moved, depend on where the browser puts the focus.
    assert [step for step in written if step not in ("blur", "focus sailing", "focus voucher")] == WRITTEN.strip().split("\n")
    assert '  expect contact.email shows "That is not an email address."' in steps
    made = rehearsal.kept(str(tmp_path / "kept.fox"), None, "as it was done")
    assert made.startswith('subject "booking.form.yaml"\n\nscenario "as it was done"\n    type contact.email "marax"\n')


def _edit(kind: str, was: str, value: str, data: str | None = None, *, all_: bool = False, end: bool = False) -> dict[str, Any]:
    return {"type": kind, "was": was, "value": value, "data": data, "all": all_, "end": end}


@pytest.mark.parametrize(("edit", "is_"), [
    (_edit("insertText", "mar", "mara", "a", end=True), ("type", "a")),
    (_edit("insertText", "mar", "a", "a", all_=True, end=True), ("retype", "a")),
    (_edit("insertText", "mra", "mara", "a"), ("whole", "mara")),
    (_edit("insertText", "12", "1-23", "3", end=True), ("type", "3")),
    (_edit("insertFromPaste", "ma", "mara"), ("paste", "ra")),
    (_edit("insertFromPaste", "mara", "ra", all_=True), ("whole", "ra")),
    (_edit("deleteContentBackward", "mara", "mar"), ("erase", 1)),
    (_edit("deleteContentBackward", "m", "", all_=True), ("clear", "")),
    (_edit("deleteByCut", "mara", "ma"), ("whole", "ma")),
    (_edit("insertReplacementText", "", "mara@fjordmail.example"), ("whole", "mara@fjordmail.example")),
])  # fmt: skip
def test_an_edit_as_a_step(edit: dict[str, Any], is_: tuple[str, Any]) -> None:
    assert _kind_of(edit) == is_


def test_following_needs_a_window(fox: Fox, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY"):
        monkeypatch.delenv(name, raising=False)
    shutil.copy(DEMO / "booking.form.yaml", fox.folder)
    done = fox("rehearse", "booking.form.yaml", "--follow")
    assert (done.returncode, "no display is available" in done.stderr, "install xvfb" in done.stderr) == (2, True, True), done.stderr
    assert "--follow needs a browser" in fox("rehearse", "booking.form.yaml", "--follow", "--live=http").stderr
