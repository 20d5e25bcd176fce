"""Scripts on pages in real browsers, with the built program: three pages of one sheet, planted faults, and failures of the
environment.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Iterator
from itertools import chain
from pathlib import Path
from random import Random
from typing import Any

import pytest
from conftest import Fox, answers, free_port, waited
from hypothesis import given, settings
from hypothesis import strategies as st
from served.drawn import GOOD, DrawnForm
from served.drawn import serve as drawn_server

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.live.loading import close_all, live_subjects
from idlefox.live.page.session import BrowserSession, LiveOptions, PageEnvironment
from idlefox.playing.recorded import RecordedSubject
from idlefox.playing.subjects import Subjects
from idlefox.script import tree

HERE = Path(__file__).parent / "live"
THERE = {"firefox": shutil.which("firefox-esr") or shutil.which("firefox"), "chromium": shutil.which("chromium") and shutil.which("chromedriver")}
BROWSERS = [pytest.param(name, marks=pytest.mark.skipif(not path, reason=f"{name} is not here")) for name, path in THERE.items()]
ANY = pytest.mark.skipif(not any(THERE.values()), reason="no browser is here")


def lay_out(fox: Fox, page: str, *changes: tuple[str, str, str], into: str = ".", sheet: str = "") -> Path:
    """The files of the mooring form in *into*, played on *page*; *changes* are (file, text, text in its place)."""
    folder = fox.folder / into
    folder.mkdir(exist_ok=True)
    for file in HERE.iterdir():
        text = file.read_text("utf-8").replace("PAGE", f"{page}.html" + sheet)
        for name, old, new in changes:
            if name == file.name:
                assert old in text, f"{old!r} is not in {name}"
                text = text.replace(old, new)
        (folder / file.name).write_text(text, "utf-8")
    return folder


def report(done: subprocess.CompletedProcess[str]) -> list[dict[str, Any]]:
    """The scenarios of a JSON report on standard output."""
    return [scenario for script in json.loads(done.stdout)["scripts"] for scenario in script["scenarios"]]


@pytest.mark.parametrize("browser", BROWSERS)
def test_one_script_passes_on_three_kinds_of_page(fox: Fox, browser: str) -> None:
    for page in ("native", "redrawn", "widgets"):
        lay_out(fox, page, into=page)
    done = fox("run", ".", f"--live={browser}", "--jobs", "2", "--report", "json=-")  # a browser a process
    scenarios = report(done)
    assert [s["title"] for s in scenarios if s["verdict"] != "pass"] == [], done.stderr
    assert len(scenarios) == 30
    assert fox("run", "native").returncode == 0  # and on the sheet


@pytest.mark.parametrize("browser", BROWSERS)
def test_real_hands_come_to_the_same(fox: Fox, browser: str) -> None:
    lay_out(fox, "widgets")
    done = fox("run", "mooring.fox", f"--live={browser}", "--hands", "real")
    assert done.returncode == 0, done.stdout


# What is planted in the page, and the scenario that has to fall over it with what it says.
FAULTS = [
    ("model.js", 'say("boat", this.boat.length < 3, "At least 3 letters.");', "", "messages come", "At least 3 letters."),
    ("model.js", "this.submitted || this.left.has(address)", "true", "at load", "What is she called?"),
    ("model.js", "nights: +this.nights", "nights: this.nights", "refused, sent", "found     {"),
    ("model.js", "if (this.busy) return undefined;", "this.send();", "refused, sent", "outcome"),
    ("model.js", "delete this.server[address];", "", "refused, sent", "Ten nights"),
    ("model.js", "this.answers[this.boat]?.message ??", "", "answers of another kind", "Sold last year."),
    ("model.js", 'found[address] ??= text', 'found["boat"] ??= text', "messages come", "Which kind?"),
    ("native.html", "model.crew.length === 3", "false", "rows", "allows add"),
    ("native.html", 'holder.setAttribute("aria-invalid", "true")', "void 0", "messages come", "marked"),
    ("native.html", "form.hidden = model.done;", "", "refused, sent", ""),
    ("native.html", "control.name);", 'control.name === "kind" ? "berth" : control.name);', "refused, sent", ""),
    ("native.html", "model.leave(addressOf(target));", "setTimeout(() => model.leave(addressOf(target)), 5000);", "messages come", ""),
    ("native.html", "event.preventDefault();", "event.preventDefault(); return;", "refused, sent", ""),
    ("native.html", '?.focus()', "", "refused, sent", "focused"),
]  # fmt: skip


NAMED = """<!doctype html><title>t</title><form aria-label="A form">
<label>Text <input data-n></label> <label for=m>Mail *</label><input id=m type=email data-n>
<input type=search aria-label="Find it" data-n><input type=number title="How many" data-n><input type=range aria-labelledby="r1 r2" data-n>
<span id=r1>From</span> <span id=r2>to</span> <label><input type=checkbox data-n> Agreed</label> <label><input type=radio data-n> This one</label>
<label>Several <select multiple data-n><option>a</select></label> <label>One <select data-n><option>a</select></label>
<label>Long<textarea data-n></textarea></label> <input type=submit value="Send it" data-n> <button data-n>Press <b>me</b></button>
<button aria-label="Close" data-n>x</button> <fieldset data-n><legend>Group of <i>things</i></legend></fieldset>
<div role=switch tabindex=0 data-n>Lamp</div> <div role=combobox tabindex=0 aria-label="Choose" data-n></div> <a href=x data-n>A link</a>
<div role=group aria-labelledby=r1 data-n></div> <input placeholder="Only a hint" data-n>
<label>With <span aria-hidden=true>no</span> hidden <input data-n></label> <label>Of <img alt="a picture"> <input data-n></label></form>"""


@pytest.mark.parametrize("browser", BROWSERS)
def test_roles_and_names_are_what_the_browser_itself_computes(fox: Fox, browser: str) -> None:
    fox.write(lamp__html=NAMED)
    form = read_sheet_text(LAMP, str(fox.folder / "lamp.form.yaml"))
    lane, ground = BrowserSession(LiveOptions(browser)), PageEnvironment(form, SessionFactory(compile_form(form)))
    lane.make_ready(ground)
    lane.load(ground, 0)
    page = lane.page
    assert page is not None

    async def ask(function: str, *texts: str) -> Any:
        given = [{"type": "string", "value": text} for text in texts]
        target = {"context": page.context}
        found = await page.connection.call("script.callFunction", functionDeclaration=function, awaitPromise=False, target=target, arguments=given)
        return json.loads(found["result"]["value"])

    async def differing() -> list[Any]:
        mine = "() => { const a = window[Symbol.for('idlefox.agent')]; return JSON.stringify([...document.querySelectorAll('[data-n]')].map((e, i) => { e.dataset.n = i; return [a.roleOf(e), a.nameOf(e)]; })); }"
        found = []
        for number, (role, name) in enumerate(await ask(mine)):
            locator = {"type": "accessibility", "value": {"role": role, "name": name}}
            nodes = (await page.connection.call("browsingContext.locateNodes", context=page.context, locator=locator))["nodes"]
            if str(number) not in [node["value"]["attributes"].get("data-n") for node in nodes]:
                found.append((number, role, name))
        return found

    try:
        assert lane.run(differing()) == []
    finally:
        lane.close()


@ANY
def test_faults_planted_in_the_page_are_reported(fox: Fox) -> None:
    lines = (HERE / "mooring.fox").read_text("utf-8").split("\n")
    paths = []
    for number, (file, old, new, title, _) in enumerate(FAULTS):
        lay_out(fox, "native", (file, old, new), into=f"fault{number:02}")
        line = next(n for n, text in enumerate(lines, 1) if text.startswith(f'scenario "{title}'))
        paths.append(f"fault{number:02}/mooring.fox:{line}")
    done = fox("run", *paths, "--live", "--report", "json=-")
    scripts = json.loads(done.stdout)["scripts"]
    for script, (file, old, _, title, says) in zip(scripts, FAULTS, strict=True):
        fallen = [s for s in script["scenarios"] if s["verdict"] == "fail"]
        assert any(s["title"].startswith(title) and says.removeprefix("found     ") in json.dumps(s) for s in fallen), (file, old, fallen)
    assert done.returncode == 1


LAMP = "form: lamp\nlive: {page: lamp.html}\nfields:\n  a: {label: Wick}\n"
PAGES = [
    ("setInterval(() => document.body.append(''), 0)", "type a \"x\"\nexpect a = \"x\"", 0, "passed"),
    ("const c = new MessageChannel(); c.port1.onmessage = () => { document.title = Math.random(); c.port2.postMessage(0); }; c.port2.postMessage(0)",
     "type a \"x\"", 1, "3 s of real time"),
    ("document.querySelector('input').disabled = true", "type a \"x\"", 1, "type a is not possible: it is disabled on the page"),
    ("document.querySelector('label').hidden = true", "type a \"x\"", 1, "it is hidden on the page"),
    ("document.querySelector('label').remove()", "type a \"x\"", 1, "nothing on the page has that name, id or label; locate it with live.find."),
    ("document.querySelector('label').remove()", "expect a is hidden", 2, "if it is there, locate it with live.find.a"),
    ("onload = () => setTimeout(() => document.querySelector('label').remove(), 5)", "wait 5ms\nexpect a is hidden", 0, "passed"),
    ("", "expect a is dirty", 2, "a page does not tell which fields are dirty; if it marks them, add live.find.a.dirty"),
    ("", "expect a is unasked", 2, "a page does not show whether it still has to ask"),
    ("", "expect a breaks nothing\nexpect a = \"y\"", 1, 'expected  "y"'),
    ("throw new Error('the wick is wet')", "expect a = \"\"", 0, "an uncaught error of the page: Error: the wick is wet"),
    ("new WebSocket('ws://127.0.0.1:9')", "expect a = \"\"", 0, "the page uses WebSocket: what it brings is not waited for"),
    ("document.querySelector('input').oninput = () => { for (;;) ; }", "type a \"x\"", 1, "took more than 3 s of real time"),
]  # fmt: skip


@ANY
def test_effects_of_pages_on_scenarios(fox: Fox) -> None:
    for number, (script, steps, _, says) in enumerate(PAGES):
        folder = fox.folder / ("endless" if "3 s" in says else "pages") / f"p{number:02}"
        folder.mkdir(parents=True)
        (folder / "lamp.html").write_text(f"<!doctype html><form><label>Wick <input></label></form><script>{script}</script>")
        (folder / "lamp.form.yaml").write_text(LAMP)
        body = "\n".join(f"    {step}" for step in steps.split("\n"))
        (folder / "lamp.fox").write_text(f'subject "lamp.form.yaml"\nscenario "it"\n{body}\n')
    found: dict[str, tuple[str, str]] = {}
    for name, more in (("pages", ()), ("endless", ("--deadline", "3s"))):
        done = fox("run", name, "--live", *more, "--verbose", "--report", "json=r.json")
        assert "Traceback" not in done.stderr
        verdicts = {s["file"]: s["scenarios"][0]["verdict"] for s in json.loads((fox.folder / "r.json").read_text("utf-8"))["scripts"]}
        told = re.split(r"^ (?=\S+lamp\.fox +\S)", done.stdout, flags=re.MULTILINE)[1:]
        found |= {block.split()[0].split("/")[-2]: (verdicts[block.split()[0]], " ".join(block.split())) for block in told}
    for number, (script, _, code, says) in enumerate(PAGES):
        verdict, told_of = found[f"p{number:02}"]
        assert verdict == ("pass", "fail", "error")[code], (script, told_of)
        assert " ".join(says.split()) in told_of, (script, told_of)
        if code == 1 and "3 s" not in says:
            assert f"picture .idlefox/pages-p{number:02}-lamp-2.png" in told_of


@ANY
def test_an_error_of_the_page_may_count(fox: Fox) -> None:
    page = "<!doctype html><form><label>Wick <input></label></form><script>setTimeout(() => gone.forever, 100)</script>"
    script = 'subject "lamp.form.yaml"\nscenario "it"\n    expect a = ""\nscenario "later"\n    wait 1s\n    expect a = ""\n'
    fox.write(lamp__form__yaml=LAMP.replace("lamp.html", "lamp.html, page_errors: fail"), lamp__html=page, lamp__fox=script)
    done = fox("run", "lamp.fox", "--live")
    assert done.returncode == 1
    assert "1 passed   1 failed" in done.stdout
    assert "an uncaught error of the page: ReferenceError: gone is not defined" in " ".join(done.stdout.split())


@ANY
def test_failures_are_retried_on_request(fox: Fox) -> None:
    page, port = "<!doctype html><form><label>Wick <input value=a></label></form>", free_port()
    script = 'subject "lamp.form.yaml"\nscenario "it"\n    expect a = "b"\n'
    sheet = LAMP.replace("lamp.html", f"'http://127.0.0.1:{port}/lamp.html', serve: {sys.executable} turns.py {port}")
    config = '[live]\nretries = 2\n'
    fox.write(lamp__form__yaml=sheet, lamp__html=page, lamp__fox=script, turns__py=TURNS, idlefox__toml=config)
    done = fox("run", "lamp.fox", "--live", "--trust")
    assert done.returncode == 0, done.stdout + done.stderr
    assert "it passed only on the 3rd attempt" in " ".join(done.stdout.split())
    assert "running " in done.stderr
    assert "0 passed, 1 unsteady" in done.stdout
    assert fox("run", "lamp.fox", "--live", "--trust", "--unsteady", "fail").returncode == 1


# A dev server whose page is right from the third time on (it is asked once before, whether it is there).
TURNS = """
import http.server, sys
class Handler(http.server.BaseHTTPRequestHandler):
    asked = 0
    def do_GET(self):
        Handler.asked += self.path == "/lamp.html"
        self.send_response(200)
        self.send_header("Content-Type", "text/html")
        self.end_headers()
        page = open("lamp.html").read()
        self.wfile.write((page.replace("value=a", "value=b") if Handler.asked > 3 else page).encode())
http.server.HTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
"""


@ANY
def test_the_demo_runs_its_page(fox: Fox) -> None:
    done = fox("demo", "--live")
    assert done.returncode == 0, done.stdout
    assert "20 scenarios: 20 passed" in done.stdout
    assert "5 scenarios: 5 passed" in done.stdout  # as `serve` draws it, over HTTP
    faulty = fox("demo", "--live", "--with-failure")
    assert faulty.returncode == 1
    assert "1 failed" in faulty.stdout
    assert "The two addresses differ." in faulty.stdout


@pytest.mark.parametrize("browser", BROWSERS)
def test_a_trace_of_a_page_and_its_figure(fox: Fox, browser: str) -> None:
    fox("demo", ".")
    done = fox("trace", "booking.fox:177", f"--live={browser}", "--json")
    changes = [(c["line"], c["ms"], c["cell"], c["property"], c["after"]) for c in map(json.loads, done.stdout.splitlines())]
    assert (178, 0, "voucher", "value", "WEST0001") in changes
    assert (179, 0, "", "request", "GET /api/vouchers?code=WEST0001") in changes
    assert (179, 0, "voucher", "asking", True) in changes
    assert (180, 3000, "voucher", "shows", [["", "Voucher WEST0001 is no longer valid."]]) in changes
    assert (180, 3000, "voucher", "marked", True) in changes
    assert any(name == "document" and after.startswith("changed ") for _, _, _, name, after in changes)
    figure = fox("trace", "booking.fox:177", f"--live={browser}", "--figure", "voucher.svg")
    assert figure.returncode == 0
    assert "not marked" in (fox.folder / "voucher.svg").read_text("utf-8")


@pytest.mark.parametrize("browser", BROWSERS)
def test_a_page_without_a_sheet_runs_in_the_browser(fox: Fox, browser: str) -> None:
    fox("demo", ".")
    scenarios = report(fox("run", "lost-property.fox", f"--live={browser}", "--report", "json=-"))
    otherwise = {s["title"]: s["verdict"] for s in scenarios if s["verdict"] != "pass"}
    assert otherwise == {
        "no complaints at load": "error",  # a page does not tell what is clean
        "a refused attempt focuses the first wrong control": "fail",  # the browser says it in its own words
        "Clear resets the page": "error",
    }


@ANY
def test_a_browser_that_dies_costs_the_scenario_it_died_in(fox: Fox) -> None:
    port = free_port()
    page = "<!doctype html><form><label>Wick <input oninput='this.value == `die` && fetch(`/die`)'></label></form>"
    sheet = LAMP.replace("lamp.html", f"'http://127.0.0.1:{port}/lamp.html', serve: {sys.executable} killer.py {port} {fox.folder}")
    scenarios = "".join(f'scenario "{word}"\n    type a "{word}"\n    expect a = "{word}"\n' for word in ("one", "die", "two", "three"))
    fox.write(lamp__form__yaml=sheet, lamp__html=page, lamp__fox=f'subject "lamp.form.yaml"\n{scenarios}', killer__py=KILLER)
    done = fox("run", "lamp.fox", "--live", "--trust", "--report", "json=-", TMPDIR=str(fox.folder))
    assert [s["verdict"] for s in report(done)] == ["pass", "fail", "pass", "pass"], done.stdout
    assert "is gone" in done.stdout
    assert done.returncode == 1


# Serves a page, and kills the browser below a folder when it is asked to.
KILLER = """
import http.server, os, signal, subprocess, sys
class Handler(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        if self.path == "/die":
            for pid in subprocess.run(["pgrep", "-f", sys.argv[2] + "/idlefox-browser-"], capture_output=True, text=True).stdout.split():
                command = open(f"/proc/{pid}/cmdline", "rb").read().split(b"\\0")
                if int(pid) != os.getpid() and b"-c" not in command:
                    os.kill(int(pid), signal.SIGKILL)
            return
        self.send_response(200)
        self.send_header("Content-Type", "text/html")
        self.end_headers()
        self.wfile.write(open("lamp.html", "rb").read())
http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
"""


@ANY
@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM, signal.SIGKILL])
def test_nothing_is_left_of_the_browser(fox: Fox, how: signal.Signals) -> None:
    lay_out(fox, "native")
    environment = {**os.environ, "TMPDIR": str(fox.folder)}
    program = subprocess.Popen([sys.executable, "-m", "idlefox", "run", "mooring.fox", "--live"], cwd=fox.folder, env=environment, stdout=subprocess.PIPE)
    waited(program, lambda: list(fox.folder.glob("idlefox-browser-*/*")))
    program.send_signal(how)
    program.wait(timeout=60)
    for _ in range(1000):
        left = subprocess.run(["pgrep", "-f", str(fox.folder / "idlefox-browser-")], capture_output=True, text=True, check=False).stdout.split()
        if not left and not list(fox.folder.glob("idlefox-browser-*")):
            break
    assert left == []
    assert list(fox.folder.glob("idlefox-browser-*")) == []


@ANY
@pytest.mark.parametrize(("page", "says"), [
    ("http://127.0.0.1:9/x, serve: 'echo oh dear; exit 3'", "ended with exit code 3 → its last output: oh dear"),
    ("http://127.0.0.1:9/x, serve: touch ran", "this sheet would run `touch ran` → start it yourself; or, if you trust the sheet, use --trust"),
    ("http://127.0.0.1:9/x, ready: 300ms", "nothing answers there within 0.3 s → start it, or add the command to live.serve"),
    ("natif.html", "page not found beside the sheet: 'natif.html' → did you mean 'native.html'?"),
    ("../native.html", "../native.html is outside the project"),
])  # fmt: skip
def test_an_unreachable_page_is_reported_once(fox: Fox, page: str, says: str) -> None:
    lay_out(fox, "native", ("mooring.form.yaml", "native.html", page))
    done = fox("run", "mooring.fox", "--live", "--no-trust" if "touch" in page else "--trust")
    assert done.returncode == 2
    assert not (fox.folder / "ran").exists()
    assert says in " ".join(done.stdout.split())
    assert "1 error" in done.stdout


@ANY
def test_buttons_are_found_by_their_names(fox: Fox) -> None:
    page = """<!doctype html><form><label>Wick <input></label><button name=go>Light it</button><button type=button disabled>Snuff</button></form>
    <script>document.forms[0].onsubmit = (event) => { event.preventDefault(); document.querySelector("input").value = event.submitter.name; };</script>"""
    sheet = LAMP + "buttons: {go: {label: Light it}, out: {label: Snuff}, gone: {label: Away}}\n"
    script = """subject "lamp.form.yaml"
scenario "it"
    expect button "go" is enabled, visible
    expect button "out" is disabled
    expect button "gone" is hidden
    submit by "go"
    expect a = "go"
    expect cannot submit by "out"
"""
    fox.write(lamp__form__yaml=sheet, lamp__html=page, lamp__fox=script)
    done = fox("run", "lamp.fox", "--live")
    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize(("call", "says"), [
    (("--live=opera",), "'opera' is not one of auto, firefox, chromium"),
    (("--live", "mooring.fox"), "write --live=auto"),
    (("--live=firefox", "--deadline", "soon"), "'soon' is not a duration"),
    (("--live", "--hands", "left"), "'left' is not one of quick, real"),
    (("--live", "--retries", "99"), "must be a number up to 10"),
    (("--hands", "real"), "--hands needs --live"),
])  # fmt: skip
def test_a_call_that_cannot_be_meant(fox: Fox, call: tuple[str, ...], says: str) -> None:
    lay_out(fox, "native")
    done = fox("run", *call)
    assert done.returncode == 2
    assert says in done.stderr


def test_a_missing_browser_names_the_package(fox: Fox) -> None:
    lay_out(fox, "native")
    done = fox("run", "mooring.fox", "--live", PATH=str(fox.folder))
    assert done.returncode == 2
    assert "no browser is on the path" in done.stderr
    assert "apt install firefox-esr" in done.stderr


# A server that draws its form: what it does not take comes back with what was entered, and says why.
APP = '''
import html, http.server, sys, urllib.parse
PAGE = """<!doctype html><html lang=en><title>Lamp</title><form method=post action=send>
<label>Wick <input name=wick required value="{wick}" {mark}></label>{error}
<label>Oil <input type=number name=oil min=1 value="{oil}"></label><button>Light</button></form>"""
class Handler(http.server.BaseHTTPRequestHandler):
    def answer(self, status, text="", **headers):
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        for name, value in headers.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(text.encode())
    def do_GET(self):
        if self.path == "/lamps/done":
            return self.answer(200, "<p role=status>It burns.")
        self.answer(200, PAGE.format(wick="", mark="", error="", oil=""))
    def do_POST(self):
        sent = dict(urllib.parse.parse_qsl(self.rfile.read(int(self.headers["Content-Length"])).decode(), keep_blank_values=True))
        if sent["wick"] == "wet":
            mark, error = 'aria-invalid=true aria-describedby=why', "<span id=why>A wet wick does not burn.</span>"
            return self.answer(422, PAGE.format(wick="wet", mark=mark, error=error, oil=html.escape(sent["oil"])))
        self.answer(303, Location="http://127.0.0.1:1/" if sent["wick"] == "away" else "/lamps/done")
    def log_message(self, *more):
        pass
http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
'''
DRAWN = """
scenario "what the browser itself refuses"
    submit
    expect outcome is refused
    expect requests = 0
    expect wick breaks valueMissing

scenario "rejected, kept, then accepted"
    type wick "wet"
    type oil "3"
    submit
    expect outcome is rejected
    expect status = 422
    expect wick shows "A wet wick does not burn."
    expect wick is marked
    expect errors = {"wick": "A wet wick does not burn."}
    expect wick = "wet"
    retype wick "dry"
    submit
    expect outcome is accepted
    expect request = "POST /lamps/send"
    expect payload = {"wick": "dry", "oil": "3"}
    expect notice = "It burns."
    expect location = "/lamps/done"
"""


# The same server's form, under a sheet that calls its parts otherwise.
MAPPED = """form: lamp
fields:
  w: {label: Wick}
  fuel: {type: number, label: Fuel}
live: {page: 'APP', find: {fuel: {role: spinbutton, name: Oil}, w: {at: 'input[name=wick]', shows: '#why'}}, submit: {role: button, name: Light}}
"""
MAPPED_FOX = """subject "lamp.form.yaml"
scenario "mapped"
    type w "wet"
    type fuel "4"
    submit
    expect w shows "A wet wick does not burn."
    expect fuel = 4
"""
KINDS = """form: kinds
label: A berth
fields:
  boat: {type: radio, label: Boat, options: [Gannet, Alken], rules: [{required: true, say: Which boat?}]}
  crew: {type: select, multiple: true, label: Crew, options: [Una, Ole, Siv]}
  extras: {type: checkbox, label: Extras, options: [water, power]}
  note: {type: textarea, label: Note, rules: [{maxlength: 9, say: Short!}]}
  night: {type: checkbox, label: Overnight}
  until: {type: time, label: Until, visible: night}
  colour: {type: color, label: Colour, initial: '#112233'}
  chart: {type: file, label: Chart}
  legs:
    type: rows
    label: Legs
    start: 0
    fields: {port: {label: Port, rules: [{required: true, say: 'Leg {row}: where to?'}]}}
submit: {to: /berths, label: Ask, method: POST, send: multipart}
buttons: {draft: {label: Keep as draft, past_checks: true}}
server: {replies: [{when: 'note == "full"', status: 422, errors: {note: No berth is left.}}, {status: 201, to: /berths/1}]}
"""
@pytest.mark.parametrize("status", ["200", "422"])
def test_a_form_that_comes_back_with_messages_is_rejected(fox: Fox, status: str) -> None:
    """Messages by aria-describedby without aria-invalid, a summary with links, rows by round trips: over HTTP and in a browser."""
    port = free_port()
    server = subprocess.Popen([sys.executable, str(HERE.parent / "served" / "boats.py"), str(port), status])
    try:
        waited(server, lambda: answers(port))
        for name in ("boats.form.yaml", "boats.fox"):
            (fox.folder / name).write_text((HERE.parent / "served" / name).read_text("utf-8").replace("URL", f"http://127.0.0.1:{port}/boat"), "utf-8")
        for browser in ("http", *(name for name, path in THERE.items() if path)):
            done = fox("run", "boats.fox", f"--live={browser}")
            assert "7 scenarios: 7 passed" in done.stdout, done.stdout
            traced = fox("trace", "boats.fox:20", f"--live={browser}", "--json").stdout.splitlines()
            changes = [(c["cell"], c["property"], c["after"]) for c in map(json.loads, traced)]
            assert ("mail", "shows", [["", "Enter an email address"]]) in changes
            assert [after for _, name, after in changes if name in ("answer", "document")] == [f"{status} to POST /boat", "loaded: /boat"]
            rows = fox("trace", "boats.fox:45", f"--live={browser}", "--json").stdout.splitlines()
            steps = [(c["property"], c["before"]) for c in map(json.loads, rows)]
            assert [c for c in steps if c[0].startswith("row ")] == [("row added", None), ("row added", None), ("row removed", 0)]
    finally:
        server.kill()
        server.wait()


def _seen(loaded: Any, form: DrawnForm, random: Random, *, by_names: bool) -> list[Any]:
    """What is seen at load and after each step: some fields filled, a press, the rest, a press."""
    def fills(field: dict[str, Any]) -> list[Any]:
        given = GOOD[field["kind"]]
        parts = {f"{field['name']}-{part}": each for part, each in given.items()} if by_names and isinstance(given, dict) else {field["name"]: given}
        return [tree.FillLine(tree.Address((name,)), value) for name, value in parts.items()]

    first = random.sample(form.fields, random.randint(0, len(form.fields) - 1))
    rest = [field for field in form.fields if field not in first]
    subject = RecordedSubject(loaded.begin("."), loaded.form)
    assert subject.load(0) is None
    found: list[Any] = []
    for number, step in enumerate([None, *chain(*map(fills, first)), tree.Submit(), *chain(*map(fills, rest)), tree.Submit()]):
        refused = step is not None and subject.perform(step, number) is not None
        subject.mark_step(number + 1)
        state = {key: dict(properties) for key, properties in subject.state().items()}
        for properties in state.values() if form.native else ():
            properties["shows"] = bool(properties.get("shows"))  # each browser has its own words
        found.append((step, refused, state))
    subject.close()
    return found


@pytest.mark.parametrize("browser", BROWSERS)
def test_http_and_a_browser_see_the_same_on_generated_pages(fox: Fox, browser: str) -> None:
    current = [DrawnForm(Random(0))]
    server = drawn_server(current)
    url, sheet = f"http://127.0.0.1:{server.server_address[1]}/", str(fox.folder / "drawn.form.yaml")
    try:
        for seed in range(24):
            current[0] = DrawnForm(Random(seed))
            Path(sheet).write_text(current[0].sheet(url), "utf-8")
            seen = []
            for kind in ("http", browser):
                loaded = Subjects(outside=live_subjects(kind, show=False, hands="quick", deadline=30.0)).load(url if seed % 3 == 2 else sheet, ".")
                if loaded.make_ready is not None:
                    loaded.make_ready()
                seen.append(_seen(loaded, current[0], Random(seed), by_names=seed % 3 == 2))
            for there, here in zip(*seen, strict=True):
                assert there == here, (seed, current[0].message, current[0].mark)
    finally:
        close_all()
        server.shutdown()
        server.server_close()


SIGNS_IN = {
    "sign-in.form.yaml": "form: sign-in\nfields: {name: {label: Name}, word: {label: Password}}\nsubmit: {to: /in, send: urlencoded}\nlive: {page: 'URL/in', requests: real}\n",
    "sign-in.fox": 'subject "sign-in.form.yaml"\nscenario "sign in"\n    type word "gull"\n    submit\n    expect location = "/home"\nscenario "wrongly"\n    submit\n    expect location = "/home"\n',
    "lamp.form.yaml": "form: lamp\nfields: {wick: {label: Wick}}\nsubmit: {to: /lamps, send: urlencoded}\nlive: {page: 'URL/lamps', requests: real, sign_in: 'sign-in.fox:2'}\n",
    "lamp.fox": 'subject "lamp.form.yaml"\nscenario "one"\n    expect wick = "AT"\n    retype wick "old"\n    submit\n    expect notice = "old burns."\nscenario "two"\n    expect wick = "AT"\n',
}


def test_a_scenario_signs_in_first(fox: Fox) -> None:
    """Its cookies and storage are the start of every scenario, and what a scenario stores is gone in the next."""
    port = free_port()
    server = subprocess.Popen([sys.executable, str(HERE.parent / "served" / "lamps.py"), str(port)])
    try:
        waited(server, lambda: answers(port))
        for browser in ("http", *(name for name, path in THERE.items() if path)):
            for name, text in SIGNS_IN.items():
                (fox.folder / name).write_text(text.replace("URL", f"http://127.0.0.1:{port}").replace("AT", "" if browser == "http" else "dry"))
            done = fox("run", "lamp.fox", f"--live={browser}")
            assert "2 scenarios: 2 passed" in done.stdout, done.stdout
        for line, says in (("fox:6", "the scenario 'wrongly' fails at line 8: expect location"), ("fox", "has 2 scenarios"), ("fox:9", "no scenario at line 9")):
            (fox.folder / "lamp.form.yaml").write_text(SIGNS_IN["lamp.form.yaml"].replace("URL", f"http://127.0.0.1:{port}").replace("fox:2", line))
            assert says in fox("run", "lamp.fox", "--live=http").stdout
    finally:
        server.kill()
        server.wait()


KINDS_FOX = """subject "kinds.form.yaml"
scenario "refused: it comes back with what was entered"
    pick crew "Una", "Siv"
    pick extras "power"
    turn night on
    add legs
    upload chart "chart.pdf"
    submit
    settle
    expect boat shows "Which boat?"
    expect crew = ["Una", "Siv"]
    expect extras = ["power"]
    expect legs has 1 row
    expect legs[0].port shows "Leg 1: where to?"
    expect until is visible
    expect colour = "#112233"
scenario "rejected, then taken"
    pick boat "Alken"
    type note "full"
    add legs with {"port": "Tarvik"}
    add legs with {"port": "Sund"}
    remove legs[0]
    submit
    settle
    expect outcome is rejected
    expect note shows "No berth is left."
    expect legs[0].port = "Sund"
    retype note "a berth"
    submit
    settle
    expect outcome is accepted
    expect location = "/berths/1"
    expect payload includes {"boat": "Alken", "note": "a berth", "legs[0].port": "Sund"}
"""


@pytest.fixture
def app(fox: Fox) -> Iterator[str]:
    """The URL of the form that a server draws."""
    fox.write(app__py=APP)
    port = free_port()
    server = subprocess.Popen([sys.executable, "app.py", str(port)], cwd=fox.folder)
    waited(server, lambda: answers(port))
    yield f"http://127.0.0.1:{port}/lamps/new"
    server.kill()
    server.wait()


HOW = [(), *[pytest.param((f"--live={name}",), marks=pytest.mark.skipif(not path, reason=f"{name} is not here")) for name, path in THERE.items()]]


@pytest.mark.parametrize("how", HOW)
def test_a_form_that_a_server_draws(fox: Fox, app: str, how: tuple[str, ...]) -> None:
    fox.write(lamp__fox=f'subject "{app}"\n{DRAWN}')
    done = fox("run", "lamp.fox", *how)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "2 scenarios: 2 passed" in done.stdout


def test_over_http_a_sheet_finds_its_fields_by_name_on_one_host(fox: Fox, app: str) -> None:
    sheet = f"form: lamp\nfields:\n  wick: {{label: Wick}}\n  oil: {{type: number}}\n  flame: {{}}\nlive: {{page: '{app}'}}\n"
    scenario = 'scenario "away"\n    type wick "away"\n    submit\nscenario "no such control"\n    expect flame is hidden\n    type flame "x"\n'
    fox.write(lamp__form__yaml=sheet, lamp__fox=f'subject "lamp.form.yaml"\n{DRAWN}{scenario}'.replace('"oil": "3"', '"oil": 3'))  # as the sheet has it
    done = fox("run", "lamp.fox", "--live=http", "--verbose")
    said = " ".join(done.stdout.split())
    assert done.returncode == 1
    assert "4 scenarios: 2 passed, 2 failed" in said
    assert "it leads to 127.0.0.1:1, a host that neither the sheet nor the command line names" in said
    assert "type flame: nothing on the page has that name, id or label" in said


@ANY
def test_a_first_sheet_and_script_for_a_url(fox: Fox, app: str) -> None:
    made = fox("scaffold", app, "--into", "first", "--name", "lamp")
    assert made.returncode == 0, made.stderr
    assert "Run it: idlefox run first/lamp.fox" in made.stdout
    assert "send: urlencoded, label: Light}" in (fox.folder / "first" / "lamp.form.yaml").read_text("utf-8")
    assert [path.name for path in (fox.folder / "first").iterdir() if path.suffix == ".html"] == []  # no copy of the page
    for how in ((), *((f"--live={name}",) for name in ("http", *(name for name, path in THERE.items() if path)))):
        assert fox("run", "first", *how).returncode == 0
    without = fox("scaffold", app, "--into", "bare", PATH=str(fox.folder))  # no browser there: its markup
    assert "On the page itself: idlefox run bare/" in without.stdout, without.stderr
    drawn = "<!doctype html><script>document.write('<form id=f><input name=a required><button>Go</button></form>')</script>"
    fox.write(drawn__html=drawn)
    port = free_port()
    server = subprocess.Popen([sys.executable, "-m", "http.server", str(port), "--bind", "127.0.0.1"], cwd=fox.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    for _ in range(50):
        made = fox("scaffold", f"http://127.0.0.1:{port}/drawn.html", "--into", "second")
        if "does not answer" not in made.stderr:
            break
    server.kill()
    server.wait()
    assert made.returncode == 0, made.stderr
    assert "second/f.form.yaml   1 field" in made.stdout


def test_a_url_where_nothinganswers(fox: Fox) -> None:
    fox.write(lamp__fox='subject "http://127.0.0.1:9/x"\nscenario "it"\n    submit\n')
    done = fox("run", "lamp.fox")
    assert done.returncode == 2
    assert "http://127.0.0.1:9/x: it does not answer" in done.stdout


@pytest.mark.parametrize("browser", BROWSERS)
def test_a_panel_is_the_page_s_dialog(fox: Fox, browser: str) -> None:
    for file in (HERE.parent / "trip").iterdir():
        (fox.folder / file.name).write_text(file.read_text())
    for hands in ("quick", "real"):
        done = fox("run", "trip.fox", f"--live={browser}", "--hands", hands)
        assert "2 scenarios: 2 passed" in done.stdout, done.stdout


@pytest.mark.parametrize("how", ["http", *BROWSERS])
def test_scripts_pass_on_served_sheets(fox: Fox, how: str) -> None:
    """Every kind of control, rows, a panel's button, a file: drawn, filled, refused, and taken."""
    port = free_port()
    live = f"live: {{page: 'http://127.0.0.1:{port}/', requests: real, serve: {sys.executable} -m idlefox serve kinds.form.yaml --at-once --port {port}}}\n"
    fox.write(kinds__form__yaml=KINDS, served__form__yaml=KINDS + live, kinds__fox=KINDS_FOX)
    (fox.folder / "chart.pdf").write_bytes(b"%PDF\xff\x00")
    sheet = fox("run", "kinds.fox")
    assert "2 scenarios: 2 passed" in sheet.stdout, sheet.stdout
    done = fox("run", "kinds.fox", "--subject", "served.form.yaml", f"--live={how}", "--trust")
    assert "2 scenarios: 2 passed" in done.stdout, done.stdout + done.stderr
    assert f"nothing answers at http://127.0.0.1:{port}/ yet; running " in done.stderr


def test_a_form_in_many_parts_is_found_by_the_map_over_http(fox: Fox, app: str) -> None:
    fox.write(lamp__form__yaml=MAPPED.replace("APP", app), lamp__fox=MAPPED_FOX)
    done = fox("run", "lamp.fox", "--live=http")
    assert "1 passed" in done.stdout, done.stdout


def test_a_sheet_serves_its_page_and_its_backend(fox: Fox) -> None:
    lay_out(fox, "native", ("mooring.form.yaml", "takes: 2s", "takes: 0s"), ("mooring.form.yaml", "takes: 1s", "takes: 0s"))
    program = subprocess.Popen([sys.executable, "-m", "idlefox", "serve", "mooring.form.yaml", "--page", "native.html"], cwd=fox.folder, stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    assert program.stdout.readline().endswith(" is served at\n")
    url = program.stdout.readline().strip()
    assert program.stdout.readline() == " Press Ctrl-C to stop.\n"
    base = url.rpartition("/")[0]
    with urllib.request.urlopen(base + "/") as page:
        assert page.url == url
        assert b"Ask for a berth" in page.read()
    with urllib.request.urlopen(base + "/api/boats?name=Gannet") as answer:
        assert json.load(answer) == {"accepted": False}
    sent = urllib.request.Request(base + "/moorings", json.dumps({"nights": 12}).encode(), {"Content-Type": "application/json"})
    with pytest.raises(urllib.error.HTTPError) as rejected:
        urllib.request.urlopen(sent)
    assert json.load(rejected.value)["errors"] == [{"pointer": "#/nights", "detail": "Ten nights are what is left."}]
    program.send_signal(signal.SIGINT)
    assert program.communicate(timeout=60)[0].split("\n")[:4] == [" GET / 302", " GET /api/boats?name=Gannet 200", " POST /moorings 422", " ended"]
    assert program.returncode == 0


def test_a_drawn_page_takes_the_lines_of_a_textarea_as_they_are_sent(fox: Fox) -> None:
    """A browser sends CR LF; the form's own text has LF (HTML, "normalize newlines"), so nothing has changed."""
    fox.write(f__form__yaml='form: f\nfields: {t: {type: textarea, initial: "a\\nb"}, n: {visible: t.touched}}\n')
    program = subprocess.Popen([sys.executable, "-m", "idlefox", "serve", "f.form.yaml"], cwd=fox.folder, stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    program.stdout.readline()
    url = program.stdout.readline().strip()
    with urllib.request.urlopen(url) as page:
        visit = {"Cookie": page.headers["Set-Cookie"].partition(";")[0]}
    shown = []
    for text in ("a\r\nb", "a\r\nc"):
        update = urllib.request.Request(f"{url}?look=", urllib.parse.urlencode({"t": text}).encode(), visit)
        with urllib.request.urlopen(update) as answer:
            shown.append('name="n"' in answer.read().decode())
    program.kill()
    program.wait()
    assert shown == [False, True]


@pytest.mark.parametrize(("call", "says"), [
    (("serve", "over.form.yaml"), "this sheet describes an existing page, so serve does not generate one"), (("serve", "a.fox"), "this is a script"),
    (("serve", "lamp.form.yaml", "--page", "nativ.html"), "did you mean 'native.html'?"),
    (("serve", "mooring.form.yaml", "--port", "x"), "must be a whole number"),
    (("serve", "mooring.form.yaml", "--clock", "2031"), "'2031' is not an RFC 3339 time"),
])  # fmt: skip
def test_sheets_that_cannot_be_served(fox: Fox, call: tuple[str, ...], says: str) -> None:
    lay_out(fox, "native")
    fox.write(lamp__form__yaml="form: lamp\nfields: {a: {}}\n", a__fox="", over__form__yaml="form: over\npage: native.html\n")
    done = fox(*call)
    assert done.returncode == 2
    assert says in done.stderr


@ANY
def test_rehearse_on_a_page(fox: Fox) -> None:
    lay_out(fox, "native")
    said = 'type boat "Gannet"\nblur\nsettle\noffer\npick berth "inner"\nback\nexpect berth = null\nremove crew[0]\nagain\nkeep by-hand.fox "not known"\nlook boat\n'
    done = fox("rehearse", "mooring.form.yaml", "--live", piped=said)
    assert done.returncode == 1
    for line in (
        '> settle\n   done   2.000 s\n', '   expect boat shows "We do not know the Gannet."\n', " 1 undone, 4 remain\n> expect berth = null\n   holds\n",
        "   not possible; nothing changed\n", "5 replayed\n", ' boat  "Gannet"   marked\n',
    ):  # fmt: skip
        assert line in done.stdout, done.stdout
    assert "1 passed" in fox("run", "by-hand.fox", "--live").stdout
    assert "1 passed" in fox("run", "by-hand.fox").stdout


RUDE = """<!doctype html><title>Rude</title>
<form id="ask" novalidate>
<label>Name <input name="name" id="name"></label>
<label>Email <input name="mail" id="mail" type="email" aria-describedby="m"></label><p id="m"></p>
<button>Send</button><button type="reset">Reset</button></form><p id="said" role="status"></p>
<script>
const form = document.forms[0], mail = document.querySelector('#mail'), name_ = document.querySelector('#name'), said = document.querySelector('#m');
const tell = (text) => { said.textContent = text; if (text) mail.setAttribute('aria-invalid', 'true'); else mail.removeAttribute('aria-invalid'); };
form.addEventListener('input', (e) => { if (e.target === mail) tell(/@/.test(mail.value) ? '' : 'That is not an email address.'); });
form.addEventListener('submit', async (e) => {
  e.preventDefault();
  if (!name_.value) { name_.setAttribute('aria-invalid', 'true'); return; }
  name_.removeAttribute('aria-invalid');
  if (!/@/.test(mail.value)) { tell('We need it.'); return; }
  await fetch('/send', { method: 'POST', body: mail.value }).catch(() => {});
  document.querySelector('#said').textContent = 'Thank you.';
});
form.addEventListener('reset', (e) => { e.preventDefault(); mail.value = ''; });
</script>"""


@ANY
def test_manners_of_a_page_that_no_sheet_describes(fox: Fox) -> None:
    fox.write(rude__html=RUDE)
    done = fox("manners", "rude.html", "--live", "--walks", "12", "--time", "50s", "--report", "json=-")
    assert done.returncode == 1, done.stderr
    data = json.loads(done.stdout)
    found = {(breach["manner"], breach["address"]): breach for breach in data["breaches"]}
    assert {("patience", "mail"), ("plain-speech", ""), ("says-so", "name"), ("clean-slate", "name"), ("closes", "")} <= set(found)
    assert found["patience", "mail"]["steps"][0] == 'type mail "x"'
    assert [each["manner"] for each in data["left_out"]] == ["way-out", "no-rush", "fresh-answers"]


@ANY
def test_manners_of_the_demos_page_and_of_its_faulty_one(fox: Fox) -> None:
    assert fox("demo", "skerry", "--with-failure", "--live").returncode == 1
    for page, rude, walks in (("aside-booking.form.yaml", {"keeps", "once"}, "20"), ("booking.form.yaml", set(), "4")):
        done = fox("manners", f"skerry/{page}", "--live", "--only", "keeps,once,plain-speech,says-so", "--walks", walks, "--report", "json=-")
        assert {breach["manner"] for breach in json.loads(done.stdout)["breaches"]} == rude


@ANY
def test_compare_a_sheet_with_its_page(fox: Fox) -> None:
    fox("demo", "skerry")
    fox.write(few__fox='subject "skerry/booking.form.yaml"\nscenario "alike"\n    type contact.email "a@b.example"\n    blur\nscenario "extras"\n    pick extras "cabin", "breakfast", "deckchair"\n    pick extras also "bicycle"\n    blur\n')
    done = fox("compare", "skerry/booking.form.yaml", "live", "few.fox:2", "--report", "json=-")
    assert (done.returncode, json.loads(done.stdout)["differences"]) == (0, []), done.stdout
    sheet = (fox.folder / "skerry/booking.form.yaml").read_text("utf-8")
    (fox.folder / "skerry/booking.form.yaml").write_text(sheet.replace("say: That is not an email address.", "say: No."), "utf-8")
    fox.write(few__fox='subject "skerry/booking.form.yaml"\nscenario "wrong"\n    type contact.email "a"\n    blur\n')
    data = json.loads(fox("compare", "skerry/booking.form.yaml", "live", "few.fox", "--report", "json=-").stdout)
    assert [(each["layer"], each["address"], each["first"], each["second"]) for each in data["differences"]] == [
        ("shown", "contact.email", ["No."], ["That is not an email address."])
    ]


SURVEYED = """fields:
  name_of_the_guest:
    label: Name of the guest
    rules:
      - {maxlength: 20}
  arrives: {type: date, label: Arrives}
  table: {type: select, label: Table, options: [{value: n, label: North}, {value: s, label: South}]}
  by_the_window: {type: checkbox, label: By the window}
  drink: {type: radio, label: Drink, options: [{value: t, label: Tea}, {value: w, label: Water}]}
  dishes:
    type: rows
    label: Dishes
    start: 0
    fields:
      dish: {label: Dish}
panels: {a_wish: {label: A wish, fields: {wish: {type: textarea, label: Wish}}, submit: {label: Keep it}}}
submit: {to: "/seat", label: Reserve}
"""


@ANY
def test_a_running_page_is_surveyed(fox: Fox) -> None:
    """Lists are opened, rows added and removed, dialogs opened and closed; nothing is submitted."""
    shutil.copy(HERE / "surveyed.html", fox.folder)
    done = fox("scaffold", "surveyed.html", "--name", "seat")
    assert "left out" not in done.stdout, done.stdout
    assert SURVEYED in (fox.folder / "seat.form.yaml").read_text("utf-8")
    for how in ((), *((f"--live={name}",) for name, path in THERE.items() if path)):
        assert "7 scenarios: 7 passed" in fox("run", "seat.fox", *how).stdout
    if all(THERE.values()):
        done = fox("run", "seat.fox", "--live=firefox,chromium", "--report", "json=r.json")
        assert done.stdout.count("7 scenarios: 7 passed") == 2, done.stdout
        assert all((fox.folder / f"r.{name}.json").exists() for name in THERE)
    done = fox("outline", "seat.form.yaml", "--live", "--figure", "page.png")
    assert (fox.folder / "page.png").read_bytes().startswith(b"\x89PNG"), done.stderr
    fox.write(mine__form__yaml="form: mine\nfields: {guest: {label: The guest}, wish_list: {label: Anything else}}\n")
    done = fox("scaffold", "surveyed.html", "--for", "mine.form.yaml")
    assert "not found  wish_list" in done.stdout, done.stdout
    assert '  find:\n    guest: "#a1"' in (fox.folder / "mine.form.yaml").read_text("utf-8")
    assert "has `live:` already" in fox("scaffold", "surveyed.html", "--for", "mine.form.yaml").stderr


def _live_cases() -> Iterator[tuple[str, str, str, str, str, str]]:
    for section in (HERE.parent / "live_cases.txt").read_text("utf-8").split("\n=== ")[1:]:
        title, _, rest = section.partition("\n")
        sheet, _, rest = rest.partition("--- page\n")
        page, _, script = rest.partition("--- script")
        first, _, script = script.partition("\n")
        verdict, says = first.strip() or "pass", ""
        if verdict != "pass":
            says, _, script = script.partition("\n")
        yield title, sheet, page, script, verdict, says


@pytest.mark.parametrize("browser", BROWSERS)
def test_pages_and_their_sheets_agree(fox: Fox, browser: str) -> None:
    cases = list(_live_cases())
    for number, (title, sheet, page, script, _, _) in enumerate(cases):
        folder = fox.folder / f"c{number:02}"
        folder.mkdir()
        subject = "page.form.yaml" if sheet else "page.html"
        if sheet:
            (folder / "page.form.yaml").write_text(f"form: page\n{sheet}{'' if 'live:' in sheet else 'live: {page: page.html}'}\n", "utf-8")
        (folder / "page.html").write_text(f"<!doctype html><meta charset=utf-8>{page}", "utf-8")
        body = "".join(f"    {line}\n" for line in script.strip().split("\n"))
        (folder / "page.fox").write_text(f'subject "{subject}"\nscenario "{title}"\n{body}', "utf-8")
    for how in (f"--live={browser}", "--verbose"):
        done = fox("run", ".", how, "--report", "json=r.json")
        results = {s["file"]: s["scenarios"][0] for s in json.loads((fox.folder / "r.json").read_text("utf-8"))["scripts"]}
        assert len(results) == len(cases), done.stdout
        for number, (title, _, _, _, verdict, says) in enumerate(cases):
            result = results[f"c{number:02}/page.fox"]
            if "(page only)" in title and how == "--verbose":
                continue
            assert result["verdict"] == verdict, (title, done.stdout)
            assert " ".join(says.split()) in " ".join(done.stdout.split())


@ANY
def test_the_page_under_a_sheet_is_its_live_page_and_may_use_files_above(fox: Fox) -> None:
    """`page:` without `live:`; a script of the page's from a folder beside the sheet's, which the project's root has."""
    (fox.folder / "package.json").write_text("{}")
    for name, text in {
        "forms/over.form.yaml": 'form: over\npage: page.html#f\nfields: {mail: {label: Mail}}\n', "lib/fill.js": "document.querySelector('[name=mail]').value = 'a@b.example'",
        "forms/page.html": "<!doctype html><form id=f><label>Mail <input name=mail></label></form><script src=../lib/fill.js></script>",
        "forms/over.fox": 'subject "over.form.yaml"\nscenario "it"\n    expect mail = "a@b.example"\n    expect location = "/forms/page.html"\n',
    }.items():  # fmt: skip
        (fox.folder / name).parent.mkdir(exist_ok=True)
        (fox.folder / name).write_text(text)
    done = fox("run", "forms", "--live")
    assert "1 passed" in done.stdout, done.stdout


# A page whose server takes its time in the middle of each document, and whose script sends JSON.
SLOW = """
import http.server, sys, time
class Handler(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        if self.path == "/slow.js":
            time.sleep(0.3)
        script = self.path == "/slow.js"
        text = b"" if script else PAGE if self.path != "/done" else DONE
        self.send_response(200)
        self.send_header("Content-Type", "text/javascript" if script else "text/html")
        self.end_headers()
        self.wfile.write(text[:60])
        self.wfile.flush()
        time.sleep(0.3)
        self.wfile.write(text[60:])
    def do_POST(self):
        self.send_response(303)
        self.send_header("Location", "/done" if b"=B7" in self.rfile.read(int(self.headers["Content-Length"])) else "/again")
        self.end_headers()
    def log_message(self, *told):
        pass
DONE = b"<!doctype html><title>Done</title><script src=/slow.js></script><p role=status>It is yours.</p>"
PAGE = b'''<!doctype html><title>Book</title><script src=/slow.js></script><form method=post action=/book><label>Berth <input name=berth></label><button>Book</button></form>
<script>document.querySelector("input").onchange = (event) => fetch("/draft", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ berth: event.target.value }) })</script>'''
http.server.ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
"""


@pytest.mark.parametrize("browser", BROWSERS)
def test_nothing_is_looked_at_before_the_next_page_is_there(fox: Fox, browser: str) -> None:
    port = free_port()
    body = """
scenario "the next page"
    submit
    type berth "B6"
    submit
    expect berth = ""
    type berth "B7"
    submit
    expect location = "/done"
    expect notice = "It is yours."
"""
    sheet = "form: slow\nfields: {berth: {label: Berth}}\nsubmit: {to: TO, send: SEND}\nserver: {rules: [{holds: 'berth == \"B7\"', at: berth, say: Not that one.}]}\nlive: {page: 'http://127.0.0.1:PORT/', requests: WHO, serve: PYTHON slow.py PORT}\n"
    sheet = sheet.replace("PORT", str(port)).replace("PYTHON", sys.executable)
    fox.write(slow__py=SLOW, book__form__yaml=sheet.replace("TO", "/book").replace("SEND", "urlencoded").replace("WHO", "real"), book__fox=f'subject "book.form.yaml"\n{body}')
    fox.write(other__form__yaml=sheet.replace("TO", "/other").replace("SEND", "urlencoded").replace("WHO", "real"), other__fox=f'subject "other.form.yaml"\n{body}')
    draft = 'scenario "JSON is JSON"\n    type berth "B6"\n    blur\n    settle\n    expect payload = {"berth": "B6"}\n    expect outcome is rejected\n'
    fox.write(draft__form__yaml=sheet.replace("TO", "/draft").replace("SEND", "json").replace("WHO", "standin"), draft__fox=f'subject "draft.form.yaml"\n{draft}')
    done = fox("run", ".", f"--live={browser}", "--trust")
    assert "3 scenarios: 3 passed" in done.stdout, done.stdout


ENTERED = """form: entered
fields:
  t: {label: Text}
  n: {type: number, label: Number}
  m: {type: email, label: Mail}
  a: {type: textarea, label: Area}
  d: {type: date, label: Day}
  h: {type: time, label: Hour}
  r: {type: range, label: Range, rules: [{min: 0, max: 10, step: 1, say: Ten at most.}]}
  c: {type: checkbox, label: Check}
  s: {type: select, label: Select, options: [x, y, "7"]}
  o: {type: radio, label: Radio, options: [x, y, "7"]}
  k: {type: checkbox, label: Many, options: [x, y, "7"]}
  p: {type: select, label: Several, multiple: true, options: [x, y, "7"]}
"""
VALUES = ["", "x", "no", "7", "two words", "2031-05-02", "12:30", "1e2", 0, 1, 7, 2.5, -3, True, False, [], ["x"], ["y", "7"], ["q"], "line\nline"]


# What differs for a reason: the page's select has an empty option that the sheet's has not; Chromium keeps from a typed number
# what cannot be part of one, and rounds a slider's value down in the middle between two steps.
DIFFERS = [("s", "")] + [("n", value) for value in VALUES if isinstance(value, list) or value in ("12:30", "2031-05-02", "two words")] + [("r", 2.5)]


@settings(max_examples=2, deadline=None)
@given(st.lists(st.tuples(st.sampled_from("tnmadhrcsokp"), st.sampled_from(VALUES)), min_size=60, max_size=60, unique_by=repr).map(
    lambda found: [each for each in found if each not in DIFFERS]
))
def test_values_are_entered_alike_everywhere(entered: list[tuple[str, Any]]) -> None:
    """On the sheet, on the page that `serve` draws of it (over HTTP and in a browser), and on that page as it is parsed."""
    with tempfile.TemporaryDirectory() as folder:
        fox = Fox(Path(folder))
        fox.write(entered__form__yaml=ENTERED)
        loaded = Subjects().load(str(fox.folder / "entered.form.yaml"), ".")
        scenarios = ""
        for number, (name, value) in enumerate(entered):
            subject = loaded.begin(".")
            subject.load(0)
            fill = f"    fill\n        {name} {json.dumps(value)}\n"
            refused = subject.perform(tree.FillLine(tree.Address((name,)), value), 1)
            found = subject.look(tree.Noun("address", tree.Address((name,))), "value")
            scenarios += f'scenario "{number}: {name} takes {"nothing" if refused else "it"}"\n{fill}'
            scenarios += "" if refused else f"    expect {name} = {json.dumps(found)}\n" if found not in ([], {}) else f"    expect {name} is empty\n"
        port = free_port()
        command = [sys.executable, "-m", "idlefox", "serve", "entered.form.yaml", "--at-once", "--port", str(port)]
        server = subprocess.Popen(command, cwd=fox.folder, stdout=subprocess.PIPE, text=True)
        try:
            assert server.stdout is not None
            while "Ctrl-C" not in server.stdout.readline():
                pass
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/") as response:
                fox.write(page__html=response.read().decode())
            fox.write(served__form__yaml=f"{ENTERED}live: {{page: 'http://127.0.0.1:{port}/', requests: real}}\n", a__fox=f'subject "served.form.yaml"\n{scenarios}')
            for how in (("a.fox",), ("a.fox", "--subject", "page.html"), ("a.fox", "--live=http"), *([("a.fox", "--live")] if any(THERE.values()) else [])):
                done = fox("run", *how, "--report", "json=-")
                for scenario in report(done):
                    refused = scenario["title"].endswith("nothing")
                    if how[-1] == "page.html" and refused:
                        continue  # a page knows its options as texts only
                    assert scenario["verdict"] == ("fail" if refused else "pass"), (how, scenario)
        finally:
            server.terminate()
            server.wait()
            if server.stdout is not None:
                server.stdout.close()
