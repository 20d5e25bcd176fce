"""Starts browsers with open protocols and stops them with everything they started.

Firefox supports WebDriver BiDi directly. Chromium is controlled through the distribution's driver, whose W3C session gives the
address of the same protocol (WebDriver, "New Session", with ``webSocketUrl``).
"""

from __future__ import annotations

import asyncio
import json
import os
import re
import shutil
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

from ..processes import ProcessGroup
from .connection import BiDiError, BrowserGone, Connection

PROGRAMS = {"firefox": ("firefox-esr", "firefox"), "chromium": ("chromium", "chromium-browser")}
DRIVERS = ("chromedriver", "chromium.chromedriver")
REMEDY = "install one (Debian: apt install firefox-esr, or: apt install chromium chromium-driver)"
START = 60.0  # seconds a browser may take to start
# No background traffic, no pages of the browser, no animation.
PREFERENCES: dict[str, Any] = {
    "app.normandy.enabled": False, "app.update.enabled": False, "browser.aboutwelcome.enabled": False,
    "browser.formfill.enable": False, "browser.newtab.preload": False, "browser.newtabpage.enabled": False,
    "browser.safebrowsing.malware.enabled": False, "browser.safebrowsing.phishing.enabled": False,
    "browser.sessionstore.resume_from_crash": False, "browser.startup.homepage": "about:blank",
    "browser.startup.homepage_override.mstone": "ignore", "browser.startup.page": 0, "browser.topsites.contile.enabled": False,
    "datareporting.policy.dataSubmissionEnabled": False, "extensions.getAddons.cache.enabled": False,
    "extensions.update.enabled": False, "network.captive-portal-service.enabled": False,
    "network.connectivity-service.enabled": False, "network.dns.disablePrefetch": True,
    "ui.prefersReducedMotion": 1,
    "network.http.speculative-parallel-limit": 0, "network.prefetch-next": False, "services.settings.server": "data:,#",
    "signon.autofillForms": False, "signon.rememberSignons": False, "startup.homepage_welcome_url": "about:blank",
    "toolkit.cosmeticAnimations.enabled": False, "toolkit.telemetry.enabled": False, "ui.caretBlinkTime": 0,
    "intl.accept_languages": "en-US", "intl.locale.requested": "en-US",
}  # fmt: skip
FLAGS = (
    "--force-prefers-reduced-motion",
    "--disable-background-networking", "--disable-component-update", "--disable-dev-shm-usage", "--disable-extensions",
    "--disable-gpu", "--disable-sync", "--lang=en-US", "--no-first-run",
)  # fmt: skip


class NoBrowser(Exception):
    """No usable browser is installed; *remedy* says what to do."""

    def __init__(self, cause: str, remedy: str = REMEDY) -> None:
        super().__init__(cause)
        self.cause, self.remedy = cause, remedy


def found_on_path(names: tuple[str, ...]) -> str:
    """Return the first of the programs *names* on the path, "" if there is none."""
    return next((path for path in map(shutil.which, names) if path), "")


def choose(wish: str) -> str:
    """Return the browser to use: *wish* itself, or with ``auto`` an installed one. Raises NoBrowser."""
    firefox = bool(found_on_path(PROGRAMS["firefox"]))
    chromium, driver = bool(found_on_path(PROGRAMS["chromium"])), bool(found_on_path(DRIVERS))
    if wish == "firefox" or (wish == "auto" and firefox):
        if not firefox:
            raise NoBrowser("Firefox is not on the path", "install it (Debian: apt install firefox-esr)")
        return "firefox"
    if wish == "chromium" or (wish == "auto" and chromium and driver):
        if not chromium or not driver:
            what = "no Chromium" if not chromium else "no ChromeDriver"
            raise NoBrowser(f"{what} is on the path", "install both (Debian: apt install chromium chromium-driver)")
        return "chromium"
    raise NoBrowser("no browser is on the path")


class Browser:
    """A running browser with a session. `close` stops it and everything it started, and deletes its files."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.group = ProcessGroup()
        self.folder = self.group.folder
        self.connection: Connection | None = None
        self.version = ""

    @classmethod
    async def start(cls, name: str, *, show: bool = False) -> Browser:
        """Start the browser *name* (firefox, chromium), with a window if *show*. Raises NoBrowser, BrowserGone."""
        browser = cls(name)
        try:
            await asyncio.wait_for(_STARTS[name](browser, show), START)
        except TimeoutError:
            browser.kill()
            raise NoBrowser(f"{name} did not start within {START:.0f} s", "is the machine very busy?") from None
        except BaseException:
            browser.kill()
            raise
        return browser

    async def close(self) -> None:
        """End the session properly, then end all remaining processes."""
        if self.connection is not None:
            for ending in (self.connection.call("session.end", within=5), self.connection.close()):
                try:
                    await ending
                except (BiDiError, BrowserGone, TimeoutError):
                    pass
        self.kill()

    def kill(self) -> None:
        """End the browser and all it started, and clears its folder. Does nothing the second time."""
        self.group.end()

    def run(self, command: list[str], *, output: str) -> IO[bytes]:
        """Start *command* and return the process; its *output* (stdout or stderr) can be read."""
        own = {"HOME": self.folder, "TMPDIR": self.folder, "MOZ_CRASHREPORTER_DISABLE": "1"}
        return self.group.start(command, output=output, environment={**os.environ, **own})


async def _printed(stream: IO[bytes], pattern: bytes, what: str) -> str:
    """The first group of *pattern* in what *stream* brings; the rest of it is read too, or the browser would stop at a full pipe."""
    loop, found = asyncio.get_running_loop(), asyncio.get_running_loop().create_future()

    def settle(value: str | None) -> None:
        if not found.done():
            found.set_result(value)

    def tell(value: str | None) -> None:
        try:
            loop.call_soon_threadsafe(settle, value)
        except RuntimeError:
            pass  # no one is waiting

    def read() -> None:
        for line in stream:
            if match := re.search(pattern, line):
                tell(match[1].decode())
        tell(None)

    threading.Thread(target=read, daemon=True).start()
    value: str | None = await found
    if value is None:
        raise NoBrowser(f"{what} ended before it accepted a connection", "check whether it starts by hand, or use another browser")
    return value


async def _firefox(browser: Browser, show: bool) -> None:
    lines = [f"user_pref({json.dumps(name)}, {json.dumps(value)});\n" for name, value in PREFERENCES.items()]
    (Path(browser.folder) / "user.js").write_text("".join(lines), encoding="utf-8")
    program = found_on_path(PROGRAMS["firefox"])
    window = [] if show else ["--headless"]
    stream = browser.run([program, *window, "--remote-debugging-port", "0", "--profile", browser.folder, "--no-remote"], output="stderr")
    address = await _printed(stream, rb"WebDriver BiDi listening on (ws://\S+)", "Firefox")
    browser.connection = await Connection.open(address + "/session")
    wanted = {"alwaysMatch": {"acceptInsecureCerts": False, "unhandledPromptBehavior": {"default": "ignore"}}}
    session = await browser.connection.call("session.new", capabilities=wanted)
    browser.version = session["capabilities"].get("browserVersion", "")


async def _chromium(browser: Browser, show: bool) -> None:
    stream = browser.run([found_on_path(DRIVERS), "--port=0", "--log-level=SEVERE"], output="stdout")
    port = await _printed(stream, rb"started successfully on port (\d+)", "ChromeDriver")
    flags = [*FLAGS, f"--user-data-dir={browser.folder}/profile", *([] if show else ["--headless=new"])]
    if hasattr(os, "geteuid") and os.geteuid() == 0:
        flags.append("--no-sandbox")  # Chromium will not start for root with one
    options = {"binary": found_on_path(PROGRAMS["chromium"]), "args": flags}
    wanted = {"webSocketUrl": True, "unhandledPromptBehavior": {"default": "ignore"}, "goog:chromeOptions": options}
    session = await asyncio.to_thread(_new_session, f"http://127.0.0.1:{port}/session", wanted)
    browser.version = session.get("browserVersion", "")
    browser.connection = await Connection.open(session["webSocketUrl"])


def _new_session(url: str, wanted: dict[str, Any]) -> dict[str, Any]:
    """WebDriver, "New Session": return the capabilities of the new session."""
    import httpx

    with httpx.Client(trust_env=False, timeout=START) as client:
        answer = client.post(url, json={"capabilities": {"alwaysMatch": wanted}}).json()["value"]
    if "capabilities" not in answer:
        raise NoBrowser(f"Chromium did not start: {str(answer.get('message', '')).splitlines()[0]}", "check whether it starts by hand")
    found: dict[str, Any] = answer["capabilities"]
    return found


_STARTS: dict[str, Callable[[Browser, bool], Any]] = {"firefox": _firefox, "chromium": _chromium}
