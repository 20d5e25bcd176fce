"""Steps with real keys and a real pointer (WebDriver, "Actions"), as the browser itself gets them from a person."""

from __future__ import annotations

from typing import Any

from .acting import KEYS
from .browsing_context import BrowsingContext

_ALL = [
    {"type": "keyDown", "value": KEYS["Control"]}, {"type": "keyDown", "value": "a"},
    {"type": "keyUp", "value": "a"}, {"type": "keyUp", "value": KEYS["Control"]},
]  # fmt: skip
NEEDS_KEYS = "needs real keys"


async def run_actions(page: BrowsingContext, acts: list[dict[str, Any]]) -> tuple[int, dict[str, Any] | None]:
    """Do *acts* through the agent, with real input where needed; return how many were done, and why the next was not."""
    done = 0
    while True:
        more, refused = await page.run_actions(acts[done:])
        done += more
        if refused is None or refused["kind"] != NEEDS_KEYS:
            return done, refused
        refused = await RealInput(page).finish(acts[done], refused)
        if refused is not None:
            return done, refused
        done += 1


class RealInput:
    """Takes acts of the agent with real input where a person would use keys or a pointer; else as the agent does."""

    def __init__(self, page: BrowsingContext) -> None:
        self.page = page

    async def take(self, act: dict[str, Any]) -> dict[str, Any] | None:
        """Do *act*; return the page's refusal, None if there is none."""
        if act["act"] in ("type", "erase"):
            return await self._type(act)
        if act["act"] == "click":
            return await self._click(act)
        if act["act"] == "turn":
            return await self._turn(act)
        if act["act"] == "set" and (sections := await self.page.ask("sections", address=act["address"], value=act["value"])):
            return await self._sections(act, sections)
        if act["act"] == "choose" and len(act["values"]) == 1 and not act["mode"] and not await self._is_list(act):
            aimed = await self._aim({"address": act["address"], "option": act["values"][0]})
            if not aimed.get("kind"):
                return await self._press(aimed)
        refused = (await self.page.run_actions([act]))[1]
        return refused if refused is None or refused["kind"] != NEEDS_KEYS else await self.finish(act, refused)

    async def finish(self, act: dict[str, Any], refused: dict[str, Any]) -> dict[str, Any] | None:
        """Do what is left of *act*, which the agent *refused* as it needs real keys; return the page's refusal, None if there is none."""
        if act["act"] == "paste":
            await self.page.press_keys(refused["facts"]["last"])
            return None
        if act["act"] == "choose" and await self._is_list(act):
            return await self._choose(act)
        return await self.take(act)

    async def _is_list(self, act: dict[str, Any]) -> bool:
        return bool(await self.page.ask("isList", address=act["address"]))

    async def _choose(self, act: dict[str, Any]) -> dict[str, Any] | None:
        """Choose from a closed native list with one key; by script where a key cannot."""
        key = await self.page.ask("besideOption", **act) if len(act["values"]) == 1 and not act["mode"] else ""
        if key:
            await self.page.press_keys(KEYS[key])
        return (await self.page.run_actions([{**act, "byScript": True}]))[1]

    async def _aim(self, about: dict[str, Any], *, edits: bool = False) -> dict[str, Any]:
        found: dict[str, Any] = await self.page.ask("aim", **about, edits=edits)
        return found

    async def _type(self, act: dict[str, Any]) -> dict[str, Any] | None:
        aimed = await self._aim({"address": act["address"]}, edits=True)
        if aimed.get("kind"):
            return aimed
        if not aimed["focused"]:
            missed = await self._press(aimed)
            if missed is not None:
                return missed
        if act.get("over"):
            keys = [*_ALL, *_strokes(act["text"] or KEYS["Delete"])]
        else:
            start = KEYS["End"] if aimed["filled"] and not aimed["focused"] else ""
            keys = _strokes(start + (act["text"] if act["act"] == "type" else KEYS["Backspace"] * act["times"]))
        await self.page.act([{"type": "key", "id": "keys", "actions": keys}])
        return None

    async def _sections(self, act: dict[str, Any], sections: dict[str, Any]) -> dict[str, Any] | None:
        """Type a date whose sections go on by themselves: its digits, in the order of the sections."""
        keys = "".join(sections["keys"]) or KEYS["Backspace"].join(KEYS["ArrowRight"] for _ in range(sections["count"]))
        await self.page.press_keys(keys)
        read = (await self.page.look([act["address"]]))["fields"].get(act["address"]) or {}
        if read.get("value") == act["value"]:
            return None
        return {"kind": "date not entered", "facts": {"value": act["value"], "read": read.get("value")}}

    async def _click(self, act: dict[str, Any]) -> dict[str, Any] | None:
        aimed = await self._aim({key: value for key, value in act.items() if key != "act"})
        return aimed if aimed.get("kind") else await self._press(aimed)

    async def _turn(self, act: dict[str, Any]) -> dict[str, Any] | None:
        aimed = await self._aim({"address": act["address"]})
        if aimed.get("kind"):
            return aimed
        if act["on"] is not None and aimed["checked"] is act["on"]:
            return None
        return await self._press(aimed)

    async def _press(self, aimed: dict[str, Any]) -> dict[str, Any] | None:
        """Press at the point *aimed*; return what prevented it, if anything."""
        move = {"type": "pointerMove", "x": aimed["x"], "y": aimed["y"]}
        actions = [move, {"type": "pointerDown", "button": 0}, {"type": "pointerUp", "button": 0}]
        documents = self.page.documents
        await self.page.act([{"type": "pointer", "id": "pointer", "actions": actions}])
        if self.page.documents != documents:
            return None  # it led to another document
        landed: dict[str, Any] = await self.page.ask("landed") or {"kind": ""}
        return landed if landed["kind"] else None


def _strokes(text: str) -> list[dict[str, Any]]:
    return [{"type": kind, "value": KEYS["Enter"] if key == "\n" else key} for key in text for kind in ("keyDown", "keyUp")]
