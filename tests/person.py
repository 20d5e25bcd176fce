"""A person who uses a page with the browser's own real input (WebDriver BiDi, "input.performActions"), while their steps are written."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from idlefox.live.loading import LiveSubjectFactory
from idlefox.live.page.acting import KEYS
from idlefox.live.page.session import LiveOptions
from idlefox.playing.following import Follower
from idlefox.playing.player import DEFAULT_CLOCK
from idlefox.playing.rehearsal import Rehearsal
from idlefox.playing.subjects import Subjects
from idlefox.roots import reading_below

# Where something is: a control by its address, else the innermost element on show with that text.
_WHERE = """(what, byText) => {
  const agent = window[Symbol.for('idlefox.agent')];
  const inside = (root) => [...root.querySelectorAll('*')].flatMap((each) => [each, ...(each.shadowRoot ? inside(each.shadowRoot) : [])]);
  const shown = (each) => each.checkVisibility({ visibilityProperty: true }) && each.getClientRects().length;
  const said = (each) => (each.textContent || each.value || '').trim();
  const found = byText ? inside(document).filter((each) => shown(each) && !/^(script|style|option|template)$/.test(each.localName) && said(each) === what).at(-1) : agent.element(what);
  if (!found) return '';
  found.scrollIntoView({ block: 'center', behavior: 'instant' });
  let box = found.getBoundingClientRect();
  if ((box.width < 2 || box.height < 2) && found.labels?.[0]) box = found.labels[0].getBoundingClientRect();
  return JSON.stringify([Math.round(box.left + Math.min(box.width / 2, 60)), Math.round(box.top + box.height / 2)]);
}"""


class Person:
    """Presses and types on the page of *subject*."""

    def __init__(self, subject: Any) -> None:
        self.subject = subject

    def _call(self, method: str, **given: Any) -> Any:
        page = self.subject.page
        return self.subject.lane.run(page.connection.call(method, **given))

    def _perform(self, device: dict[str, Any]) -> None:
        self._call("input.performActions", context=self.subject.page.context, actions=[device])

    def press(self, what: str, *, by_text: bool = False) -> None:
        """Press the control at an address, or what says *what*."""
        arguments = [{"type": "string", "value": what}, {"type": "boolean", "value": by_text}]
        target = {"context": self.subject.page.context}
        found = self._call("script.callFunction", functionDeclaration=_WHERE, awaitPromise=False, target=target, arguments=arguments)
        where = found["result"]["value"]
        assert where, f"{what} is not on the page"
        x, y = json.loads(where)
        press = [{"type": "pointerMove", "x": x, "y": y}, {"type": "pointerDown", "button": 0}, {"type": "pointerUp", "button": 0}]
        self._perform({"type": "pointer", "id": "mouse", "parameters": {"pointerType": "mouse"}, "actions": press})

    def keys(self, text: str) -> None:
        """Type a text."""
        self._perform({"type": "key", "id": "keys", "actions": [{"type": kind, "value": key} for key in text for kind in ("keyDown", "keyUp")]})

    def key(self, names: str) -> None:
        """Press a key by its name, or several together: Control+a."""
        keys = [KEYS.get(name, name) if name != "F2" else "\ue032" for name in names.split("+")]
        down, up = ([{"type": kind, "value": key} for key in order] for kind, order in (("keyDown", keys), ("keyUp", keys[::-1])))
        self._perform({"type": "key", "id": "keys", "actions": [*down, *up]})


def followed(sheet: Path, lines: str, browser: str, *, checks: bool = True) -> Iterator[str | Rehearsal]:
    """Do what *lines* say on the page of *sheet*; yield each step and check that is written, and at the end the rehearsal.

    A line is `press ADDRESS`, `on TEXT` (press that), `keys TEXT`, `key NAME` or `rest SECONDS`.
    """
    factory = LiveSubjectFactory(LiveOptions(browser, deadline=600.0, follow=True))
    with reading_below((str(sheet.parent.parent),)):
        loaded = Subjects(outside=factory).load(str(sheet), ".")
        assert loaded.make_ready is not None
        loaded.make_ready()
        rehearsal = Rehearsal(loaded, str(sheet), str(sheet.parent), DEFAULT_CLOCK)
        person, follower = Person(rehearsal.subject), Follower(rehearsal.subject, loaded.form)  # type: ignore[arg-type]
        for line in [*lines.strip().split("\n"), "end"]:
            word, _, rest = line.strip().partition(" ")
            if word in ("press", "on"):
                person.press(rest, by_text=word == "on")
            elif word in ("keys", "key"):
                (person.keys if word == "keys" else person.key)(rest)
            for _ in range(round(10 * float(rest)) if word == "rest" else 1):
                for step in follower.tick(100) if word != "end" else follower.finish():
                    yield step.text or f"({step.told})"
                    assert not step.text or not rehearsal.note(step.text, step.before), step.text
                    for check in step.offered if checks and step.text else ():
                        yield f"  {check}"
                        assert not rehearsal.note(check, None), check
        yield rehearsal
