"""Runs pages in headless browsers: serves a page on loopback, executes the steps of a script in it, and returns its report.

For development only. A script in the page reports the state of each control. Keys are real, sent over the browser's own
protocol (Chromium's debugging port; WebDriver BiDi for Firefox).
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable
from email.message import Message
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from idlefox.script import tree

CHROMIUM_FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-extensions", "--remote-debugging-port=0", "--lang=en-US",
)  # fmt: skip
REPORT = """
(() => {
  const form = document.getElementById('f') || document.forms[0];
  const all = [...document.querySelectorAll('input,select,textarea,button')].filter(e => e.form === form);
  const flags = v => { const r = []; for (const k in v) if (v[k] && k !== 'valid') r.push(k); return r; };
  return JSON.stringify({
    elements: all.map(e => ({
      kind: e.type, value: e.value, checked: e.checked === true, candidate: e.willValidate, flags: flags(e.validity),
      chosen: e.selectedOptions ? [...e.selectedOptions].map(o => o.value) : null, marked: e.matches(':user-invalid'),
      off: e.matches(':disabled'), required: e.matches(':required'),
    })),
    valid: all.every(e => !e.willValidate || e.validity.valid),
    entries: [...new FormData(form)].map(([n, v]) => [n, typeof v === 'string' ? v : v.name]),
    focus: all.indexOf(document.activeElement),
  });
})()
"""
# The key's code, the text it makes, and what it is called by WebDriver ("Keyboard actions").
KEYS = {
    "Enter": (13, "\r", "\ue007"), "Tab": (9, "", "\ue004"), "Backspace": (8, "", "\ue003"), "Space": (32, " ", " "), "End": (35, "", "\ue010"),
    "ArrowUp": (38, "", "\ue013"), "ArrowDown": (40, "", "\ue015"), "ArrowLeft": (37, "", "\ue012"), "ArrowRight": (39, "", "\ue014"),
}  # fmt: skip


class Server:
    """Serves one page at a time as /case.html and keeps what is sent to it; answers 204, so that the page stays."""

    def __init__(self) -> None:
        self.page = b""
        self.sent: list[tuple[str, str, str, bytes]] = []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                if self.path == "/case.html" and not self.headers.get("Referer"):
                    self.send_response(200)
                    self.send_header("Content-Type", "text/html")  # the page says its encoding itself
                    self.end_headers()
                    self.wfile.write(outer.page)
                else:
                    self._keep(b"")

            def do_POST(self) -> None:
                self._keep(self.rfile.read(int(self.headers.get("Content-Length") or 0)))

            def _keep(self, body: bytes) -> None:
                if "favicon" not in self.path:
                    outer.sent.append((self.command, self.path, self.headers.get("Content-Type") or "", body))
                self.send_response(204)
                self.end_headers()

            def log_message(self, *args: object) -> None:
                return

        self.http = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.port = self.http.server_address[1]
        threading.Thread(target=self.http.serve_forever, daemon=True).start()


class NoBrowser(Exception):
    """A browser that does not start here."""


class Browser:
    """One browser with one page. `play` takes a page and steps, and returns what the browser has to say."""

    version = 0  # where it is known

    def __init__(self, command: list[str], port: Callable[[Path], str]) -> None:
        self.folder = tempfile.mkdtemp(prefix="idlefox-browser-")
        environment = {**os.environ, "HOME": self.folder}  # a browser of its own, which leaves nothing behind
        self.process = subprocess.Popen(
            [c.format(folder=self.folder) for c in command], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=environment
        )
        deadline = time.monotonic() + 60
        while not (found := port(Path(self.folder))):
            if time.monotonic() > deadline or self.process.poll() is not None:
                self.process.kill()
                raise NoBrowser(f"{command[0]} did not start")
            threading.Event().wait(0.05)
        self.port = found
        self.number = 0
        self.server = Server()

    def connect(self, address: str) -> None:
        from websockets.sync.client import connect

        self.connection = connect(address, max_size=None)
        self.socket = self.connection.__enter__()

    def close(self) -> None:
        self.connection.__exit__(None, None, None)
        self.process.terminate()
        self.process.wait()
        self.server.http.shutdown()
        shutil.rmtree(self.folder, ignore_errors=True)

    def call(self, method: str, **params: Any) -> Any:
        self.number += 1
        self.socket.send(json.dumps({"id": self.number, "method": method, "params": params}))
        while True:
            message = json.loads(self.socket.recv(timeout=30))
            if message.get("id") == self.number:
                if "error" in message:
                    raise RuntimeError(f"{method}: {message['error']} {message.get('message', '')}")
                return message["result"]

    def run(self, script: str) -> Any:
        """What *script* comes to in the page."""
        raise NotImplementedError

    def key(self, name: str) -> None:
        """One key, pressed and let go."""
        raise NotImplementedError

    def insert(self, text: str) -> None:
        """A piece of text as it is typed or pasted."""
        raise NotImplementedError

    def navigate(self, url: str) -> None:
        raise NotImplementedError

    # a case
    def load(self, page: bytes) -> None:
        self.server.page = page
        self.server.sent.clear()
        self.run("window.form = null; window.old = 1")
        self.navigate(f"http://127.0.0.1:{self.server.port}/case.html")
        deadline = time.monotonic() + 20
        while self.run("location.pathname + document.readyState + (window.old || '')") != "/case.htmlcomplete":
            if time.monotonic() > deadline:
                raise RuntimeError("the page did not load")
        self.run(
            "window.form = document.getElementById('f') || document.forms[0];"
            "window.all = [...document.querySelectorAll('input,select,textarea,button')].filter(e => e.form === form);"
            "window.gone = 0; addEventListener('submit', () => { gone++; }); 0"
        )

    def play(self, page: bytes, steps: list[Any], numbers: dict[str, list[int]], buttons: dict[str, int]) -> dict[str, Any]:
        """*numbers*: the elements of each field, by their place in tree order; *buttons*: the buttons' by the word for them."""
        self.load(page)
        for act in steps:
            self.step(act, numbers, buttons)
        if self.run("window.gone"):
            deadline = time.monotonic() + 1
            while len(self.server.sent) < self.run("window.gone") and time.monotonic() < deadline:
                self.run("new Promise(r => setTimeout(r, 5))")
        found: dict[str, Any] = json.loads(self.run(REPORT))
        found["sent"] = list(self.server.sent)
        return found

    def step(self, act: Any, numbers: dict[str, list[int]], buttons: dict[str, int]) -> None:
        if isinstance(act, tree.Submit):
            self.run(f"all[{buttons[act.button or '']}].focus(); all[{buttons[act.button or '']}].click()")
            return
        if isinstance(act, tree.Reset):
            self.run("(e => { e.focus(); e.click() })(all.find(e => e.type === 'reset'))")
            return
        address = getattr(act, "address", None)
        mine = numbers[address.segments[0] if len(address.segments) == 1 else _text(address)] if address is not None else []
        one = f"all[{mine[0]}]" if mine else ""
        if isinstance(act, tree.Blur):
            self.run("document.activeElement.blur()")
        elif isinstance(act, tree.Press):
            if one:
                places = json.dumps(mine)
                self.run(
                    f"(m => m.includes(document.activeElement) || (m.find(e => e.type === 'radio' && e.checked) || m[0]).focus())"
                    f"({places}.map(i => all[i]))"
                )
                if self.run(f"{one}.type") == "textarea":
                    self._to_the_end(one)
            self.key(act.key)
        elif isinstance(act, tree.Turn):
            self._check(one, act.on)
        elif isinstance(act, tree.Toggle):
            self.run(f"{one}.focus()")
            self.key("Space")
        elif isinstance(act, tree.Pick):
            self._pick(mine, list(act.values))
        elif isinstance(act, tree.Set):
            value = json.dumps(act.value if isinstance(act.value, str) else json.dumps(act.value))
            self.run(f"(e => {{ e.focus(); e.value = {value}; e.dispatchEvent(new Event('input', {{bubbles: true}})); }})({one})")
        else:
            self._text_step(act, one)

    def _text_step(self, act: Any, one: str) -> None:
        self.run(f"document.activeElement === {one} || {one}.focus()")
        if isinstance(act, tree.Erase):
            self._to_the_end(one)
            for _ in range(act.times):
                self.key("Backspace")
            return
        if isinstance(act, tree.Focus):
            return
        if isinstance(act, tree.Clear):
            self.run(f"{one}.select()")
            self.key("Backspace")
            return
        if isinstance(act, tree.Retype):
            self.run(f"{one}.select()")
        else:
            self._to_the_end(one)
        for piece in [act.text] if isinstance(act, tree.Retype | tree.Paste) else act.text:
            if piece == "\n":
                self.key("Enter")
            else:
                self.insert(piece)

    def _to_the_end(self, one: str) -> None:
        at_once = self.run(f"(e => {{ try {{ e.setSelectionRange(e.value.length, e.value.length); return true }} catch {{}} }})({one})")
        if not at_once:
            self.key("End")

    def _check(self, one: str, on: bool | None) -> None:
        self.run(f"{one}.focus()")
        if on is None or self.run(f"{one}.checked") is not on:
            self.key("Space")

    def _pick(self, mine: list[int], values: list[Any]) -> None:
        if self.run(f"all[{mine[0]}].type").startswith("select"):
            wanted = json.dumps(values)
            self.run(
                f"(e => {{ e.focus(); const w = {wanted}; for (const o of e.options) if (e.multiple || w.includes(o.value))"
                f" o.selected = w.includes(o.value); e.dispatchEvent(new Event('change', {{bubbles: true}})); }})(all[{mine[0]}])"
            )
            return
        for number in mine:
            one = f"all[{number}]"
            wanted_on = self.run(f"{one}.value") in values
            if self.run(f"{one}.type") == "checkbox":
                self._check(one, wanted_on)
            elif wanted_on:
                self.run(f"{one}.focus()")
                self.key("Space")


class Chromium(Browser):
    """Chromium, over its debugging port."""

    def __init__(self, program: str) -> None:
        def port(folder: Path) -> str:
            file = folder / "DevToolsActivePort"
            return file.read_text().split()[0] if file.exists() and file.read_text() else ""

        super().__init__([program, *CHROMIUM_FLAGS, "--user-data-dir={folder}", "about:blank"], port)
        with urllib.request.urlopen(f"http://127.0.0.1:{self.port}/json") as answer:
            target = next(t for t in json.load(answer) if t["type"] == "page")
        self.connect(target["webSocketDebuggerUrl"])
        self.call("Page.enable")

    def run(self, script: str) -> Any:
        found = self.call("Runtime.evaluate", expression=script, awaitPromise=True, returnByValue=True)
        if "exceptionDetails" in found:
            raise RuntimeError(found["exceptionDetails"].get("exception", {}).get("description", script))
        return found["result"].get("value")

    def key(self, name: str) -> None:
        shift = name.startswith("Shift+")
        name = name.removeprefix("Shift+")
        code, text, _ = KEYS[name]
        common: dict[str, Any] = {
            "key": " " if name == "Space" else name, "code": name, "windowsVirtualKeyCode": code, "modifiers": 8 if shift else 0,
        }  # fmt: skip
        self.call("Input.dispatchKeyEvent", type="keyDown" if text else "rawKeyDown", **common, **({"text": text} if text else {}))
        self.call("Input.dispatchKeyEvent", type="keyUp", **common)

    def insert(self, text: str) -> None:
        self.call("Input.insertText", text=text)

    def navigate(self, url: str) -> None:
        self.call("Page.navigate", url=url)


class Firefox(Browser):
    """Firefox, by WebDriver BiDi."""

    def __init__(self, program: str) -> None:
        def port(folder: Path) -> str:
            file = folder / "WebDriverBiDiServer.json"
            return str(json.loads(file.read_text())["ws_port"]) if file.exists() and file.read_text() else ""

        super().__init__([program, "--headless", "--no-remote", "--remote-debugging-port=0", "--profile", "{folder}", "about:blank"], port)
        self.connect(f"ws://127.0.0.1:{self.port}/session")
        session = self.call("session.new", capabilities={})
        self.version = int(session["capabilities"]["browserVersion"].partition(".")[0])
        # A tab of our own: the one it starts with never has the focus.
        self.context = self.call("browsingContext.create", type="tab")["context"]

    def close(self) -> None:
        self.call("session.end")
        super().close()

    def run(self, script: str) -> Any:
        found = self.call("script.evaluate", expression=script, target={"context": self.context}, awaitPromise=True)
        if found["type"] == "exception":
            raise RuntimeError(found["exceptionDetails"]["text"])
        return found["result"].get("value")

    def _press(self, *keys: str) -> None:
        actions = [{"type": "keyDown", "value": k} for k in keys] + [{"type": "keyUp", "value": k} for k in reversed(keys)]
        self.call("input.performActions", context=self.context, actions=[{"type": "key", "id": "keyboard", "actions": actions}])

    def key(self, name: str) -> None:
        value = KEYS[name.removeprefix("Shift+")][2]
        self._press(*(("\ue008", value) if name.startswith("Shift+") else (value,)))

    def insert(self, text: str) -> None:
        if len(text) == 1:
            self._press(text)
            return
        # There is no clipboard without a screen: this is what pasting does to a control.
        self.run(f"document.execCommand('insertText', false, {json.dumps(text)})")

    def navigate(self, url: str) -> None:
        self.call("browsingContext.navigate", context=self.context, url=url, wait="complete")


def _text(address: Any) -> str:
    from idlefox.forms.names.shapes import write_address

    return write_address(address.segments)


def program(name: str) -> str | None:
    """Where the browser *name* (chromium, firefox) is on this machine, or None."""
    return os.environ.get(f"IDLEFOX_{name.upper()}") or shutil.which(name) or shutil.which({"chromium": "chromium-browser"}.get(name, f"{name}-esr"))


def body_of(kind: str, body: bytes) -> tuple[str, bytes]:
    """A media type and body without the random boundary of a multipart body."""
    if not kind.startswith("multipart/"):
        return kind, body
    header = Message()
    header["Content-Type"] = kind
    boundary = str(header.get_param("boundary"))
    return "multipart/form-data", body.replace(boundary.encode(), b"BOUNDARY")
