"""A page in a browser as a subject: steps become actions in the page, checks observe snapshots."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import urljoin

from ...engine.session.stub_server import ServerAnswer
from ...engine.state.journal import Journal
from ...forms.model.entering import CHOOSE, FILES, WrongValue, way_of
from ...forms.model.form import Field
from ...forms.names.addresses import called
from ...forms.names.shapes import write_address
from ...playing.server_answers import answer_of
from ...playing.subject import CAPABILITIES, UNDER_WAY, Material, NotObservable, PageEvent, verb_of, why_no_option
from ...refusals import Refusal
from ...script import tree
from ...script.tree import Address, Noun
from ..messages import StoredData, target_of
from .acting import KEYS, act_of, entering, refusal_of
from .browsing_context import BrowsingContext
from .events import PageEvents, became
from .page_map import key_of, resolved
from .patience import STEP_WAIT
from .real_input import RealInput, run_actions
from .session import BrowserSession, PageEnvironment, SessionLost
from .snapshot import PageContext, PageSnapshot


class LivePageSubject:
    """Plays on the page of a sheet, in the browser of *lane*. *folder* is where the script's paths start."""

    abilities = frozenset(CAPABILITIES)

    def __init__(self, lane: BrowserSession, ground: PageEnvironment, folder: str) -> None:
        self.lane, self.ground, self.folder = lane, ground, folder
        self.form = ground.form
        self._start = 0
        self._ops: Sequence[Any] = ()
        self._done: dict[int, Refusal | None] = {}
        self._snapshot: dict[str, Any] | None = None
        self._last_step: dict[str, int] = {}
        self._page_errors: list[str] = []
        self._away = False
        self._told = PageEvents()

    # a scenario
    def load(self, clock: int) -> Refusal | None:
        """Load the page at the virtual time *clock*."""
        self._start = clock
        self._forget()
        self._done.clear()
        self._last_step.clear()
        self._away = False
        self._told = PageEvents()
        try:
            self.lane.load(self.ground, clock)
        except SessionLost as fault:
            return fault.refusal
        return None

    def coming(self, ops: Sequence[Any]) -> None:
        """Accept the coming steps: those between two checks are sent in one call."""
        self._ops = ops

    def close(self) -> None:
        """Close the page."""
        self._ops = ()

    @property
    def page(self) -> BrowsingContext:
        """The page in the browser."""
        assert self.lane.page is not None
        return self.lane.page

    def _forget(self) -> None:
        self._snapshot = None

    def _run(self, work: Any) -> Any:
        return self.lane.run(work)

    # steps
    def perform(self, step: Any, number: int) -> Refusal | None:
        """Do *step*."""
        if self.lane.page is None:
            return Refusal("browser gone", facts={"why": f"{self.lane.wishes.browser} is gone"})
        if (address := getattr(step, "address", None)) is not None:
            self._last_step[key_of(resolved(self.form, address.segments))] = number
        if number in self._done and self._ops[number - 1].act is step:
            return self._done.pop(number)
        self._forget()
        if isinstance(step, tree.Pick) and step.mode != "except" and self.form.page is None:
            odd = why_no_option(self._field(step), key_of(step.address.segments), list(step.values))
            if odd is not None:
                return odd
        if self._away and not isinstance(step, tree.Return | tree.Answer | tree.AnswerBox | tree.Go | tree.Note):
            return Refusal("left", "", verb_of(step))
        try:
            if self.lane.wishes.hands == "quick" and act_of(step) is not None:
                self._together(step, number)
                return self._done.pop(number)
            refusal: Refusal | None = self._run(self._take(self._bound(step)))
        except SessionLost as fault:
            return fault.refusal
        return refusal

    def _bound(self, step: Any) -> Any:
        """*step* with its address as it leads to a field (a page's may have brackets in its name), and a sheet's button by its label."""
        if isinstance(step, tree.Submit) and step.button:
            label = next((button.label for button in self.form.buttons if button.name == step.button), step.button)
            return step._replace(button=label)
        address = getattr(step, "address", None)
        if address is None or self.form.page is None:
            return step
        return step._replace(address=address._replace(segments=resolved(self.form, address.segments)))

    def _together(self, step: Any, number: int) -> None:
        """Take *step* and, in the same call, all that follow it and are one act each."""
        steps = [step]
        if number and self._ops and self._ops[number - 1].act is step:
            for op in self._ops[number:]:
                if act_of(op.act) is None:
                    break
                steps.append(op.act)
        acts = [act for each in steps if (act := act_of(self._bound(each))) is not None]
        done, refused = self._run(run_actions(self.page, acts))
        for i, each in enumerate(steps[: done + 1]):
            self._done[number + i] = refusal_of(refused, each, acts[i]) if i == done and refused else None

    async def _take(self, step: Any) -> Refusal | None:
        """Take a step that is more than one act, or any with real hands."""
        act = act_of(step)
        if act is None:
            found: Refusal | None = await _STEPS[type(step)](self, step)
            return found
        if self.lane.wishes.hands == "real":
            refused = await RealInput(self.page).take(act)
        else:
            refused = (await run_actions(self.page, [act]))[1]
        return refusal_of(refused, step, act) if refused else None

    async def _acts(self, step: Any, acts: list[dict[str, Any]]) -> Refusal | None:
        done, refused = await run_actions(self.page, acts)
        return refusal_of(refused, step, acts[done]) if refused else None

    def _field(self, step: Any) -> Field:
        field = self.form.find(tuple("*" if isinstance(s, int) else s for s in step.address.segments))
        assert field is not None  # the step was bound to the form
        return field

    async def _fill(self, step: tree.FillLine) -> Refusal | None:
        segments, field = step.address.segments, self._field(step)
        row = isinstance(segments[-1], int)
        return await self._enter(step, field, key_of(segments), step.value, row=row)

    async def _enter(self, step: Any, field: Field, address: str, value: Any, *, row: bool = False) -> Refusal | None:
        """Enter *value* in *field*, or in all the fields of a group, row or list."""
        if field.kind == "rows" and not row:
            if not isinstance(value, list):
                return Refusal("needs objects", address, facts={"value": value})
            return await self._enter_rows(step, field, address, value)
        if not field.fields:
            return await self._enter_value(step, field, address, value)
        if not isinstance(value, dict):
            return Refusal("needs an object", address, facts={"value": value})
        for name, each in value.items():
            inner = next((f for f in field.fields if f.name == name), None)
            if inner is None:
                return Refusal("no such field", address, facts={"field": name, "fields": [f.name for f in field.fields]})
            refusal = await self._enter(step, inner, f"{address}.{name}", each)
            if refusal is not None:
                return refusal
        return None

    async def _enter_value(self, step: Any, field: Field, address: str, value: Any) -> Refusal | None:
        """Enter *value* in a field without fields inside."""
        values = value if isinstance(value, list) else [value]
        if way_of(field) == FILES:
            return await self._choose_files(step, address, values)
        odd = why_no_option(field, address, values) if way_of(field) == CHOOSE and self.form.page is None else None
        if odd is not None:
            return odd
        try:
            return await self._acts(step, entering(field, address, value))
        except WrongValue as fault:
            return Refusal(fault.kind, address, facts={"value": value})

    async def _enter_rows(self, step: Any, field: Field, address: str, values: list[Any]) -> Refusal | None:
        count = (await self.page.look([address]))["rows"].get(address, {}).get("count", 0)
        acts = [{"act": "click", "address": address, "part": "add"}] * (len(values) - count)
        acts += [{"act": "click", "address": f"{address}[{i}]", "part": "remove"} for i in range(count - 1, len(values) - 1, -1)]
        refusal = await self._acts(step, acts)
        for i, each in enumerate(values):
            refusal = refusal or await self._enter(step, field, f"{address}[{i}]", each, row=True)
        return refusal

    async def _add(self, step: tree.Add) -> Refusal | None:
        address = key_of(step.address.segments)
        if step.at is not None:
            return Refusal("not a step there", address, "add", {"why": "the page's button decides where the row is added; remove `at`"})
        refusal = await self._acts(step, [{"act": "click", "address": address, "part": "add"}])
        if refusal is not None or not step.filled:
            return refusal
        field = self._field(step)
        count = (await self.page.look([address]))["rows"].get(address, {}).get("count", 0)
        return await self._enter(step, field, f"{address}[{count - 1}]", step.value, row=True)

    async def _move(self, step: tree.Move) -> Refusal | None:
        why = {"why": "a page has no standard way to move rows"}
        return Refusal("not a step there", write_address(step.address.segments), "move", why)

    async def _press(self, step: tree.Press) -> Refusal | None:
        if step.address is not None:
            refusal = await self._acts(step, [{"act": "focus", "address": key_of(step.address.segments)}])
            if refusal is not None:
                return refusal
        held, _, key = step.key.rpartition("+")
        if held:
            down = {"type": "keyDown", "value": KEYS[held]}
            actions = [down, *[{"type": k, "value": KEYS[key]} for k in ("keyDown", "keyUp")], {**down, "type": "keyUp"}]
            await self.page.act([{"type": "key", "id": "keys", "actions": actions}])
        else:
            await self.page.press_keys(KEYS[key])
        return None

    async def _submit(self, step: tree.Submit) -> Refusal | None:
        if step.panel is not None:
            return Refusal("not a step there", step.panel.text, "submit", {"why": "only the page knows what a panel sends"})
        return await self._send()

    async def _close(self, step: tree.Close) -> Refusal | None:
        """By the button that closes the dialog, else by Escape (ARIA Authoring Practices, "Dialog")."""
        panel = step.panel.text
        if not (await self.page.look([panel]))["groups"].get(panel, {}).get("visible"):
            return Refusal("panel closed", panel, "close", {"panel": panel})
        act = {"act": "click", "address": panel, "part": "close"}
        refused = await self.page.ask("hinders", step=act)
        if not (refused and refused["kind"]):
            return await self._acts(step, [act])
        if refused["kind"] == "no close button":
            await self.page.press_keys(KEYS["Escape"])
            if not (await self.page.look([panel]))["groups"].get(panel, {}).get("visible"):
                return None
        return refusal_of(refused, step, act)

    async def _send(self) -> Refusal | None:
        """Send the page's data past its checks, as a request."""
        values = PageSnapshot(self.form, await self.page.look(), PageContext()).values()
        submit = self.form.submit
        await run_actions(self.page, [{"act": "send", "method": submit.method, "url": submit.to, "values": values, "as": submit.send}])
        return None

    async def _upload(self, step: tree.Upload) -> Refusal | None:
        return await self._choose_files(step, key_of(step.address.segments), [{"name": f.name, "size": f.size} for f in step.files])

    async def _choose_files(self, step: Any, address: str, files: list[Any]) -> Refusal | None:
        """Choose *files*: names, or objects with a name and a size; what is not there is made up."""
        paths: list[str] = []
        for each in files:
            file = {"name": each} if isinstance(each, str) else each
            name, size = (file.get("name"), file.get("size")) if isinstance(file, dict) else (None, None)
            if not isinstance(name, str) or isinstance(size, bool) or not (size is None or (isinstance(size, int) and size >= 0)):
                return Refusal("needs files", address, facts={"value": files})
            path = Path(self.folder) / name
            if not os.path.isfile(path):
                made = Path(self.lane.folder()) / Path(name).name
                made.write_bytes(b"x" * (size or 0))
                path = made
            elif size is not None and path.stat().st_size != size:
                return Refusal("other size", address, "upload", {"file": name, "size": size, "there": path.stat().st_size})
            paths.append(str(path.resolve()))
        refused = await self.page.choose_files(address, paths)
        return refusal_of(refused, step) if refused else None

    async def _leave(self, step: tree.Leave) -> None:
        await self.page.leave()
        self._away = True

    async def _return(self, step: tree.Return) -> Refusal | None:
        if not self._away:
            return Refusal("nothing left")
        self._away = False
        await self._reload(step)
        return None

    async def _reload(self, step: tree.Return | tree.Reload) -> None:
        await self.page.load(self.page.url, self.page.now if self.page.virtual else None, fresh=False)

    async def _answer(self, step: tree.Answer) -> None:
        if step.lookup is not None:
            self.ground.world.script_lookup(step.lookup.text, step.kind, step.value or "", step.after)
            return
        reply: ServerAnswer = answer_of(step)
        self.ground.world.script_reply(reply)

    async def _answer_box(self, step: tree.AnswerBox) -> None:
        await self.page.ask("answer_box", box=step.box, answer=step.answer)

    async def _go(self, step: tree.Go) -> None:
        await self.page.load(urljoin(self.page.url, step.path), self.page.now if self.page.virtual else None, fresh=False)

    async def _note(self, step: tree.Note) -> None:
        return None

    # time
    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let time pass."""
        if self.lane.page is None:
            return Refusal("browser gone", facts={"why": f"{self.lane.wishes.browser} is gone"})
        try:
            return self._advance(milliseconds, until)
        except SessionLost as fault:
            return fault.refusal

    def _advance(self, milliseconds: int, until: Callable[[], bool] | None) -> bool:
        page = self.page
        if not page.virtual:
            return self._watch(milliseconds, until)
        end = page.now + milliseconds
        if until is None:
            self._forget()
            self._run(page.advance(end))
            return True
        while not until():  # from one moment at which something happens to the next
            if page.now >= end:
                return False
            moment = page.next_moment()
            self._forget()
            self._run(page.advance(end if moment is None else min(end, max(moment, page.now))))
        return True

    def _watch(self, milliseconds: int, until: Callable[[], bool] | None) -> bool:
        """Real time: waits, and looks every now and then."""
        from time import monotonic

        end = monotonic() + milliseconds / 1000
        while until is None or not until():
            left = end - monotonic()
            if left <= 0:
                return until is None
            self._forget()
            self._run(self._sleep(min(left, 0.05)))
        return True

    async def _sleep(self, seconds: float) -> None:
        await asyncio.sleep(seconds)
        await self.page.advance(0)

    # looking
    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*."""
        if self.lane.page is None:
            return NotObservable(Refusal("browser gone", facts={"why": f"{self.lane.wishes.browser} is gone"}))
        try:
            if noun.kind == UNDER_WAY.kind:
                return self.page.under_way() if asked == "value" else bool(self.page.under_way())
            if self._snapshot is None:
                self._snapshot = self._run(self.page.look())
            if asked == "offers" and noun.address is not None:
                self._open(noun.address.segments)
        except SessionLost as fault:
            return NotObservable(fault.refusal)
        return PageSnapshot(self.form, self._snapshot, self._facts()).look(noun, asked, word)

    def _open(self, segments: tuple[Any, ...]) -> None:
        """Have the options of the choice at *segments* in the snapshot: its list is opened, read and closed."""
        assert self._snapshot is not None
        address = key_of(resolved(self.form, segments))
        facts = self._snapshot["fields"].get(address)
        if facts is not None and facts.get("options") is None and "two" not in facts:
            facts["options"] = self._run(self.page.ask("offers", address=address))

    def _facts(self) -> PageContext:
        page, facts = self.page, PageContext()
        facts.ms = page.now - self._start
        facts.submissions = self.ground.world.submissions
        facts.waiting = [h.decided.submission for h in page.held if h.decided.submission is not None]
        facts.questions = frozenset((h.decided.lookup, h.decided.value) for h in page.held if h.decided.lookup)
        facts.record = self.ground.world.stand_in.record
        facts.under_way = page.under_way()
        facts.last_step = self._last_step
        return facts

    def written(self, address: str) -> str:
        """Write *address* as scripts do."""
        name = called(self.form.shape, address)
        field = self.form.find((name,)) if name is not None else None
        return field.address if field is not None else address

    def mark_step(self, number: int) -> None:
        """Do nothing: a page has no trace."""

    def trial(self, *, alone: bool = False) -> StepTrial:
        """Return a subject that only tests whether steps are possible."""
        return StepTrial(self)

    # following a person
    def doings(self) -> list[dict[str, Any]]:
        """Return what the person has done since the last call, once all that is due at once has happened. Raises SessionLost."""
        self._forget()
        self._run(self.page.advance(self.page.now))
        done, self.page.doings = self.page.doings, []
        return done

    def has_doings(self) -> bool:
        """Return whether the person has done more since."""
        return bool(self.page.doings)

    def is_under_way(self) -> bool:
        """Return whether an answer or a one-time timer of the page is still to come."""
        return bool(self.page.under_way())

    # records
    def timer_due(self) -> int | None:
        """Return in how many milliseconds the next timer of the page is due, if that is within a second; else None."""
        due = self.page.state.get("next") if self.lane.page is not None and self.page.virtual else None
        return max(0, round(due - self.page.now)) if due is not None and due - self.page.now <= STEP_WAIT else None

    def check_delay(self) -> int:
        """Return the sheet's `check_delay`."""
        return self.ground.live.check_delay

    def elapsed(self) -> int:
        """Return the time since load in milliseconds."""
        return self.lane.page.now - self._start if self.lane.page is not None else 0

    def journal(self) -> Journal:
        """Return the trace, which is empty: `playing.recorded` looks at the page after each step instead."""
        return Journal(self._start, (), ())

    def stored(self) -> StoredData:
        """Return what the browser keeps of the page's site. Raises SessionLost."""
        found: StoredData = self._run(self.page.stored())
        return found

    def events(self) -> tuple[PageEvent, ...]:
        """Return the requests, console lines and document changes since the last call."""
        if self.lane.page is None:
            return ()
        try:
            happened = self._run(self.page.ask("happened"))
        except SessionLost:
            return ()
        return self._told.since(happened, self.page, self.ground.world.submissions, self._start)

    def warnings(self) -> tuple[str, ...]:
        """Return the warnings."""
        if self.lane.page is None:
            return ()
        try:
            told = self._run(self.page.told())
        except SessionLost:
            return ()
        self._page_errors = list(dict.fromkeys(told["errors"]))
        fails = self.ground.live.page_errors == "fail"
        return (*told["warnings"], *(f"an uncaught error of the page: {text}" for text in self._page_errors if not fails))

    def material(self) -> Material | None:
        """Return the material for a failure report."""
        if self.lane.page is None:
            return None
        try:
            picture, known = self._run(self._evidence())
        except SessionLost:
            return None
        requests = tuple(f"{r['method']} {target_of(r['url'])} {became(r)}" for r in known)
        return Material(picture, tuple(self.page.console), requests)

    async def _evidence(self) -> tuple[bytes, list[dict[str, Any]]]:
        return await self.page.picture(), (await self.page.ask("happened"))["requests"]

    def trouble(self) -> Refusal | None:
        """Return the error that ended the scenario, if any."""
        if self._page_errors and self.ground.live.page_errors == "fail":
            return Refusal("page error", facts={"texts": self._page_errors})
        return None


class StepTrial(LivePageSubject):
    """Tries a step without taking it: only whether a person could."""

    def __init__(self, other: LivePageSubject) -> None:
        super().__init__(other.lane, other.ground, other.folder)

    def perform(self, step: Any, number: int) -> Refusal | None:
        """Test whether *step* is possible."""
        step = self._bound(step)
        act = act_of(step)
        if act is None and isinstance(step, tree.Add | tree.FillLine):
            address = key_of(step.address.segments)
            adds = isinstance(step, tree.Add)
            act = {"act": "click", "address": address, "part": "add"} if adds else {"act": "focus", "address": address}
        if act is None:
            return None
        refused = self._run(self.page.ask("hinders", step=act))
        if not refused or not refused["kind"]:
            return None
        refusal = refusal_of(refused, step, act)
        if refusal.kind == "not on page" and isinstance(at := getattr(step, "address", None), Address):
            found = self._run(self.page.look())
            if PageSnapshot(self.form, found, self._facts()).should_be_there(at.segments):
                return refusal._replace(kind="not found")
        due = self.page.state.get("next")
        if refused["kind"] in ("hidden", "covered") and due is not None and due - self.page.now <= STEP_WAIT:
            return Refusal("may come", refusal.what, refusal.doing, {"ms": max(0, round(due - self.page.now))}, see=refusal.see)
        return refusal


_STEPS: dict[type, Callable[[LivePageSubject, Any], Any]] = {
    tree.FillLine: LivePageSubject._fill,
    tree.Add: LivePageSubject._add,
    tree.Press: LivePageSubject._press,
    tree.Submit: LivePageSubject._submit,
    tree.Close: LivePageSubject._close,
    tree.Upload: LivePageSubject._upload,
    tree.Leave: LivePageSubject._leave,
    tree.Return: LivePageSubject._return,
    tree.Reload: LivePageSubject._reload,
    tree.Answer: LivePageSubject._answer,
    tree.AnswerBox: LivePageSubject._answer_box,
    tree.Go: LivePageSubject._go,
    tree.Move: LivePageSubject._move,
    tree.Note: LivePageSubject._note,
}
