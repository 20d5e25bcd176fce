"""Live pages, as ratios within one run: `python benchmarks/live.py [firefox|chromium] [--pairs N] [--trial STACK [--repeats N]]`.

A scenario of 152 keys and 31 checks on a page of the tests, with both kinds of hands, is compared with the same keys and checks
written by hand for this page alone, in the same browser, with one protocol call between two checks. Also measured: a lookup of
three seconds in virtual time, and a load.

With --trial, instead: twenty steps on the page of a trial that is built (`trials/build STACK`), compared with the same events sent
by a script inside the page. With --repeats, the trial's scenarios N times with four busy processes alongside: are the verdicts the same?
"""

from __future__ import annotations

import argparse
import json
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from idlefox.forms.sheet.read import read_sheet_text
from idlefox.live.browser.launch import choose
from idlefox.live.loading import LiveSubjectFactory, close_all
from idlefox.live.page.session import LiveOptions
from idlefox.live.page.subject import LivePageSubject
from idlefox.playing.player import RunOptions, load_script, play_scenario
from idlefox.playing.select import ScenarioFilter, SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.roots import reading_below
from idlefox.script.expand import expand
from idlefox.script.reader import read_script_text

HERE = Path(__file__).resolve().parent.parent / "tests" / "live"
WORDS = ("Tern of Tarvik", "Skua of Sund", "Fulmar of Hestholm", "Gannet the second")
# In the page: a real task later, and one text as keys.
_TYPING = """
  const hops = [], channel = new MessageChannel();
  channel.port1.onmessage = () => hops.shift()();
  const hop = () => new Promise((resolve) => { hops.push(resolve); channel.port2.postMessage(0); });
  const types = async (element, text) => {
    element.select();
    for (const key of text) {
      const send = (type) => element.dispatchEvent(new KeyboardEvent(type, { key, bubbles: true, cancelable: true, composed: true }));
      if (send("keydown") && send("keypress")) document.execCommand("insertText", false, key);
      send("keyup");
      await hop();
    }
  };
"""
# By hand: the keys of one stretch, then what the whole form holds.
BY_HAND = f"async (given) => {{{_TYPING}" + """
  const { name, text } = JSON.parse(given), element = document.querySelector(`[name=${name}]`);
  if (document.activeElement !== element) element.focus();
  if (text !== null) {
    await types(element, text);
  }
  await hop();
  await hop();
  return JSON.stringify([...document.querySelectorAll("input,select,textarea")].map((each) => [each.name, each.value, each.checked,
    each.getAttribute("aria-invalid"), each.disabled, each.checkVisibility()]));
}
"""


def stretches() -> list[tuple[str, str | None]]:
    """What is typed where between two looks: 152 keys and 31 looks."""
    found: list[tuple[str, str | None]] = []
    keys = 0
    while len(found) < 31:
        text: str | None = WORDS[len(found) % 4][: min(15, 152 - keys)] if keys < 152 else None
        keys += len(text or "")
        found.append(("boat", text))
    return found


def scenario_text() -> str:
    lines = ['scenario "keys"']
    value = ""
    for name, text in stretches():
        if text is not None:
            value = text
            lines.append(f"    retype {name} {json.dumps(text)}")
        lines.append(f"    expect {name} = {json.dumps(value)}")
    return "\n".join(lines) + "\n"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("browser", nargs="?", default="auto")
    parser.add_argument("--pairs", type=int, default=7)
    parser.add_argument("--trial", default="")
    parser.add_argument("--repeats", type=int, default=0)
    parser.add_argument("--tags", default="")
    asked = parser.parse_args()
    name = choose(asked.browser)
    if asked.repeats:
        _repeated(asked.trial, name, asked.repeats, asked.tags)
        return
    if asked.trial:
        _of_trial(asked.trial, name, asked.pairs)
        return
    sheet = (HERE / "mooring.form.yaml").read_text("utf-8").replace("PAGE", "native.html")
    form = read_sheet_text(sheet, str(HERE / "mooring.form.yaml"))
    print(f"{name}, medians of {asked.pairs}")
    for hands in ("quick", "real"):
        loaded = LiveSubjectFactory(LiveOptions(name, hands=hands))(form)
        assert loaded.make_ready is not None
        loaded.make_ready()
        subject: Any = loaded.begin(".")
        ours, by_hand, loads = [], [], []
        for _ in range(asked.pairs + 1):
            began = time.perf_counter()
            subject.load(0)
            loads.append(time.perf_counter() - began)
            by_hand.append(timed(lambda: _by_hand(subject, hands)))  # noqa: B023
            ours.append(_play(subject, scenario_text()))
        ratio = statistics.median(a / b for a, b in zip(ours[1:], by_hand[1:], strict=True))
        print(f"152 keys and 31 checks, {hands} hands: {ms(ours)} ms, by hand {ms(by_hand)} ms: {ratio:.2f}")
        if hands == "quick":
            print(f"a load: {ms(loads)} ms")
            waits = [_play(subject, LOOKUP) - _play(subject, NO_LOOKUP) for _ in range(asked.pairs)]
            print(f"a lookup of 3 s in virtual time: {statistics.median(waits) * 1000:.0f} ms (at most 50)")
        close_all()


LOOKUP = """
scenario "asked"
    answer known_boats with accept after 3s
    retype boat "Tern"
    blur
    settle
    expect boat shows nothing
"""
NO_LOOKUP = 'scenario "not asked"\n    retype boat "Te"\n    blur\n    expect boat is marked\n'


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def ms(seconds: list[float]) -> str:
    return f"{statistics.median(seconds[1:]) * 1000:.0f}"


class Loaded:
    """A subject whose page is loaded already: what is timed is the scenario alone."""

    def __init__(self, subject: LivePageSubject) -> None:
        self.subject = subject

    def load(self, clock: int) -> None:
        return None

    def __getattr__(self, name: str) -> Any:
        return getattr(self.subject, name)


def _play(subject: LivePageSubject, text: str) -> float:
    """Plays the one scenario of *text* on a fresh page; how long that took, without the load, in seconds."""
    [scenario] = expand(read_script_text(text, "bench.fox"))[0]
    subject.load(0)
    began = time.perf_counter()
    result = play_scenario(scenario, Loaded(subject), 0, "bench.fox")
    assert result.verdict == "pass", result
    return time.perf_counter() - began


# Twenty steps for the cabin of the trials, as a script has them and as events: (field or label, text or nothing for a click).
STEPS = (
    ("guest", "Mara Lind of Tarvik"), ("email", "mara@fjordmail.example"), ("nights", "3"), ("guest", "Odd Vik"), ("voucher", "ISLE12"),
    ("turn dog on", "I bring a dog"), ("pick deck \"upper\"", "Upper deck"), ("turn dog off", "I bring a dog"),
    ("pick deck \"lower\"", "Lower deck"), ("email", "odd@fjordmail.example"), ("guest", "Una Skerry"), ("turn dog on", "I bring a dog"),
    ("voucher", "ISLE34"), ("nights", "4"), ("email", "una@fjordmail.example"), ("pick deck \"upper\"", "Upper deck"),
    ("guest", "Siv Tern of Sund"), ("nights", "5"), ("voucher", "ISLE56"), ("turn dog off", "I bring a dog"),
)
IN_PAGE = f"async (given) => {{{_TYPING}" + """
  const held = (label) => label.querySelector("input") ?? document.getElementById(label.htmlFor);
  const named = (text) => [...document.querySelectorAll("label")].find((each) => held(each) && each.textContent.trim().startsWith(text));
  const controlOf = (text) => held(named(text));
  for (const [name, text] of JSON.parse(given)) {
    if (name.includes(" ")) {
      const element = controlOf(text);
      const press = (type) => element.dispatchEvent(new MouseEvent(type, { bubbles: true, cancelable: true }));
      ["pointerdown", "mousedown", "pointerup", "mouseup"].forEach(press);
      element.focus();
      element.click();
    } else {
      const element = document.querySelector(`input#${name},input[name=${name}]`) ?? controlOf(name[0].toUpperCase() + name.slice(1));
      if (document.activeElement !== element) element.focus();
      await types(element, text);
    }
    await hop();
    await hop();
  }
  const controls = [...document.querySelectorAll("input,textarea")];
  return JSON.stringify(controls.map((each) => [each.id, each.value, each.checked, each.getAttribute("aria-invalid")]));
}
"""


def _of_trial(stack: str, browser: str, pairs: int) -> None:
    """Print how much longer twenty steps take than the same events sent by a script in the page."""
    sheet = HERE.parent.parent / "trials" / stack / "cabin.form.yaml"
    loaded = LiveSubjectFactory(LiveOptions(browser))(read_sheet_text(sheet.read_text("utf-8"), str(sheet)))
    assert loaded.make_ready is not None
    loaded.make_ready()
    subject: Any = loaded.begin(".")
    steps = "".join(f"    {name}\n" if " " in name else f"    retype {name} {json.dumps(text)}\n" for name, text in STEPS)
    text = f'scenario "twenty steps"\n{steps}    expect guest = "Siv Tern of Sund"\n    expect voucher = "ISLE56"\n    expect nights = 5\n'
    ours, inside = [], []
    for _ in range(pairs + 1):
        subject.load(0)
        inside.append(timed(lambda: subject.lane.run(_in_page(subject))))
        ours.append(_play(subject, text))
    ratio = statistics.median(a / b for a, b in zip(ours[1:], inside[1:], strict=True))
    print(f"{browser}, {stack}: 20 steps {ms(ours)} ms, by a script in the page {ms(inside)} ms: {ratio:.2f} (at most 1.3)")
    close_all()


def _repeated(stack: str, browser: str, repeats: int, tags: str) -> None:
    """Print which scenarios of a trial have other verdicts when they run again, with four busy processes alongside."""
    trials = HERE.parent.parent / "trials"
    narrowed = ScenarioFilter(tags=(tags,) if tags else ())
    wishes = RunOptions(subject=str(trials / stack / "cabin.form.yaml"), narrowed=narrowed, project=str(trials))
    subjects = Subjects(outside=LiveSubjectFactory(LiveOptions(browser)))
    ready = load_script(SelectedScript(str(trials / "shared" / "cabin.fox")), wishes, subjects)
    assert ready.loaded is not None
    assert ready.loaded.make_ready is not None
    with reading_below((str(trials),)):
        ready.loaded.make_ready()
    busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(4)]
    verdicts: dict[str, set[str]] = {}
    try:
        for _ in range(repeats):
            for scenario in ready.scenarios:
                result = play_scenario(scenario, ready.loaded.begin(str(trials / "shared")), ready.clock, "cabin.fox")
                verdicts.setdefault(scenario.title, set()).add(result.verdict)
    finally:
        for each in busy:
            each.kill()
    odd = {title: found for title, found in verdicts.items() if found != {"pass"}}
    print(f"{browser}, {stack}: {len(verdicts)} scenarios {repeats} times with four busy processes: {odd or 'all pass, every time'}")
    close_all()


async def _in_page(subject: LivePageSubject) -> None:
    found = await subject.page.connection.call(
        "script.callFunction", functionDeclaration=IN_PAGE, awaitPromise=True, target={"context": subject.page.context},
        arguments=[{"type": "string", "value": json.dumps(STEPS)}],
    )  # fmt: skip
    assert "Siv Tern of Sund" in str(found), found


_SELECT_ALL = [
    {"type": "keyDown", "value": "\ue009"}, {"type": "keyDown", "value": "a"},
    {"type": "keyUp", "value": "a"}, {"type": "keyUp", "value": "\ue009"},
]  # fmt: skip


def _by_hand(subject: LivePageSubject, hands: str) -> None:
    page = subject.page

    async def ask(function: str, text: str, *, waits: bool) -> None:
        given = [{"type": "string", "value": text}]
        await page.connection.call(
            "script.callFunction", functionDeclaration=function, awaitPromise=waits, target={"context": page.context}, arguments=given
        )

    async def play() -> None:
        for name, text in stretches():
            if hands == "real" and text is not None:
                await ask("(name) => document.querySelector(`[name=${name}]`).focus()", name, waits=False)
                keys = [*_SELECT_ALL, *({"type": kind, "value": key} for key in text for kind in ("keyDown", "keyUp"))]
                actions = [{"type": "key", "id": "k", "actions": keys}]
                await page.connection.call("input.performActions", context=page.context, actions=actions)
            await ask(BY_HAND, json.dumps({"name": name, "text": None if hands == "real" else text}), waits=True)

    subject.lane.run(play())


if __name__ == "__main__":
    main()
