"""The HTML report in browsers: no errors, no requests, no overflow at any width, and an accessibility audit."""

from __future__ import annotations

import asyncio
import importlib.util
import json
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from conftest import Fox
from selectolax.lexbor import LexborHTMLParser

from idlefox.live.browser.launch import Browser
from idlefox.report.as_html import _apart

HERE = shutil.which("chromium") and shutil.which("chromedriver")
SCRIPT = """subject "booking.form.yaml"
clock 2031-05-02T09:00:00Z
scenario "it is sent twice <script>alert(1)</script>" [a, b]
    type voucher "</script><img src=x onerror=alert(1)>"
    pick sailing "night"
    turn vehicle.bringing on
    add passengers
    type passengers[1].age "130"
    blur
    retype voucher "WEST0001"
    type contact.email "mara@fjordmail.invalid"
    submit past checks
    settle
    expect passengers[1].age shows "Age must be between 0 and 120!"
    expect status = 500
scenario "held" [b]
    type voucher "x"
    wait 2s
    expect voucher is invalid
"""


@pytest.fixture
def report(fox: Fox) -> Path:
    demo = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
    shutil.copy(demo / "booking.form.yaml", fox.folder)
    fox.write(a__fox=SCRIPT, bad__fox='scenario "x"\n    frob <b>\n')
    fox("run", ".", "--report", "html=report.html")
    return fox.folder / "report.html"


def test_the_page_is_complete_without_scripts(report: Path) -> None:
    page = LexborHTMLParser(report.read_text())
    text = page.root.text()  # type: ignore[union-attr]
    for part in ("<script>alert(1)</script>", "Age must be between 0 and 120!", "expected a step or `expect`, found frob", "POST /bookings", "type voucher \"x\"", "2 s"):
        assert part in text
    assert len(page.css("script")) == 1
    assert not page.css("img")
    marked = [node.text() for node in page.css("article dd mark")]
    assert "!" in marked  # what differs of the message
    assert "." in marked
    lanes = [node.text() for node in page.css("svg.tl text")]
    for part in ("passengers[1].age", "requests", "submit button", "“Age must be between 0 and 120.”"):
        assert part in lanes
    assert page.css_first("form.filters").attributes.get("hidden", "no") is None  # type: ignore[union-attr]


LOOK = """(async () => {
  const over = () => document.documentElement.scrollWidth - document.documentElement.clientWidth;
  const select = document.getElementById("f-verdict");
  const shown = () => [...document.querySelectorAll("[data-verdict]")].filter((each) => each.checkVisibility()).length;
  const all = shown();
  select.value = "pass"; select.dispatchEvent(new Event("input", { bubbles: true }));
  const held = shown(), said = document.getElementById("f-count").textContent;
  select.value = ""; select.dispatchEvent(new Event("input", { bubbles: true }));
  const found = await axe.run(document, { resultTypes: ["violations"] });
  return JSON.stringify({ over: over(), all, held, said, audit: found.violations.filter((each) => ["serious", "critical"].includes(each.impact)).map((each) => each.id + " " + each.nodes[0].target + " " + (each.nodes[0].any[0]?.message ?? "")) });
})()"""


async def looked_at(page: Path, widths: tuple[int, ...], dark: bool) -> dict[str, Any]:
    """What a browser has to say of *page* at each of *widths*."""
    spec = importlib.util.find_spec("axe_core_python")
    assert spec is not None
    assert spec.origin is not None
    audit = (Path(spec.origin).parent / "axe.min.js").read_text("utf-8")
    browser = await Browser.start("chromium")
    told: list[str] = []
    found: dict[str, Any] = {"told": told}
    try:
        wire = browser.connection
        assert wire is not None
        wire.on("log.entryAdded", lambda event: told.append(f"{event['level']}: {event['text']}"))
        wire.on("network.beforeRequestSent", lambda event: told.append(f"asks {event['request']['url']}"))
        context = (await wire.call("browsingContext.create", type="tab"))["context"]
        await wire.call("session.subscribe", events=["log.entryAdded", "network.beforeRequestSent"])
        shown = page.with_name(f"shown-{dark}.html")
        # What a system's setting does, without one: the page is made to prefer it.
        shown.write_text(page.read_text().replace("color-scheme: light dark", f"color-scheme: {'dark' if dark else 'light'}"))
        for width in widths:
            await wire.call("browsingContext.setViewport", context=context, viewport={"width": width, "height": 800})
            await wire.call("browsingContext.navigate", context=context, url=shown.as_uri(), wait="complete")
            await wire.call("script.evaluate", expression=audit, target={"context": context}, awaitPromise=False)
            answer = await wire.call("script.evaluate", expression=LOOK, target={"context": context}, awaitPromise=True)
            found[str(width)] = json.loads(answer["result"]["value"])
    finally:
        await browser.close()
    return found


@pytest.mark.skipif(not HERE, reason="chromium is not here")
@pytest.mark.parametrize("dark", [False, True])
def test_a_browser_has_nothing_to_say_against_it(report: Path, dark: bool) -> None:
    widths = (360, 1280, 1920)
    found = asyncio.run(looked_at(report, widths, dark))
    assert [line for line in found["told"] if "asks file:" not in line] == []
    for width in widths:
        assert found[str(width)] == {"over": 0, "all": 3, "held": 1, "said": "1 shown", "audit": []}, width


@pytest.mark.parametrize(("name", "begins"), [("a.png", b"\x89PNG"), ("a.svg", b"<?xml"), ("a.pdf", b"%PDF-"), ("a.html", b"<!doctype html>")])
def test_one_scenario_as_a_figure_or_page(report: Path, name: str, begins: bytes) -> None:
    option = "--web" if name.endswith("html") else "--figure"
    done = subprocess.run([sys.executable, "-m", "idlefox", "trace", "a.fox:3", option, f"deep/{name}"], cwd=report.parent, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout) == (1, f" deep/{name}\n")
    assert (report.parent / "deep" / name).read_bytes().lstrip().startswith(begins)


def test_a_passing_scenario_is_unfolded_on_its_page(report: Path) -> None:
    text = 'subject "booking.form.yaml"\nscenario "it"\n    type voucher "X"\n    expect voucher = "X"\n'
    (report.parent / "p.fox").write_text(text, "utf-8")
    subprocess.run([sys.executable, "-m", "idlefox", "trace", "p.fox:2", "--web", "p.html"], cwd=report.parent, capture_output=True, check=True)
    page = LexborHTMLParser((report.parent / "p.html").read_text("utf-8"))
    steps = page.css_first("article.pass details[open] table.steps")
    assert steps is not None and "voucher reads" in steps.text()
    assert page.css_first("article.pass svg") is not None


def test_the_members_that_differ_are_marked() -> None:
    one, other = _apart('{"a": 1, "b": "x y", "c": [2]}', '{"a": 1, "b": "x z", "c": [2], "d": 3}')
    assert [text for text, marked in one if marked] == ['"x y"']
    assert [text for text, marked in other if marked] == ['"x z"', ', "d": 3']
    assert "".join(text for text, _ in other) == '{"a": 1, "b": "x z", "c": [2], "d": 3}'
