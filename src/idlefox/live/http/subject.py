"""A served form over real HTTP: the engine simulates the page by the HTML standard, submissions are real requests, and the page in
the answer becomes the form.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any
from urllib.parse import urljoin, urlsplit

from ...engine.compile.compiler import compile_form
from ...engine.session.session import SessionFactory
from ...engine.session.stub_server import ServerAnswer
from ...engine.world.typed import read_as
from ...forms.model.entering import CHOOSE, way_of
from ...forms.model.form import Form
from ...forms.names.shapes import write_address
from ...playing.simulated import SimulatedForm
from ...playing.subject import CAPABILITIES, Material, PageEvent, verb_of, why_no_option
from ...refusals import Refusal
from ...script import tree
from ...script.tree import Noun
from .client import HttpClient, OtherHost, body_of, served
from .served_map import ServedMap
from .served_messages import FirstLook
from .served_page import ServedPage
from .served_snapshot import ServedSnapshot

_FROM_NETWORK = frozenset({"outcome", "requests", "request", "payload", "body", "status", "location"})


class HttpSubject:
    """Plays on the page at *url*. *form* is what scripts are written for: the page's, or a sheet's, whose fields are found by name."""

    abilities = frozenset(CAPABILITIES) - {"panels", "stored record", "scripted answers"}

    def __init__(self, form: Form, url: str, folder: str, cookies: Any = None) -> None:
        self.form, self.url, self.folder, self._cookies = form, url, folder, cookies
        self._allowed = frozenset({urlsplit(url).netloc})
        self._web: HttpClient | None = None
        self._engine: SimulatedForm = None  # type: ignore[assignment]
        self._page: ServedPage = None  # type: ignore[assignment]
        self._there: ServedMap = None  # type: ignore[assignment]
        self._map: ServedMap | None = None  # the same, if a sheet describes the page
        self._sheet = form.page is None or form.page.file != url  # otherwise the script uses the names of the page
        self._sent: list[Any] = []
        self._first: FirstLook | None = None  # what the scenario's first page had
        self._facts: dict[str, Any] = {}
        self._counted = 0
        self._clock = 0
        self._sends = True
        self._events: list[PageEvent] = []
        self._bubble = False  # the last step was a press that the browser itself refuses: it says so at the first invalid control

    def load(self, clock: int) -> Refusal | None:
        """Fetch the page at the virtual time *clock*."""
        self._clock, self._sent, self._facts, self._events = clock, [], {"outcome": "none"}, []
        self.close()
        self._web, self._first = HttpClient(self._allowed, self._cookies), None
        refusal = self._get(self.url)
        if refusal is None:
            self._first = self._there.look().first_look()
        if refusal is None and self._page.form is None:
            return Refusal("no page", facts={"url": self.url, "why": self._page.why})
        return refusal

    def _get(self, url: str) -> Refusal | None:
        assert self._web is not None
        try:
            return self._arrive(self._web.page(url, self.form))
        except OtherHost as fault:
            return _elsewhere(self.url, str(fault))
        except Exception as fault:
            if not self._web.is_fault(fault):
                raise
            return Refusal("no page", facts={"url": url, "why": str(fault) or type(fault).__name__})

    def _arrive(self, page: ServedPage) -> Refusal | None:
        """Make *page* the current page. A page without a form ends the simulation."""
        self._page = page
        parts = urlsplit(page.url)
        self._events.append(PageEvent("document", self.elapsed(), f"loaded: {parts.path or '/'}"))
        self._facts["location"] = parts.path + (f"?{parts.query}" if parts.query else "")
        if self._first is not None and self._there.look().uses_invalid:
            self._first = self._first._replace(uses_invalid=True)
        self._there = ServedMap(self.form if self._sheet or page.form is None else page.form, page, self._first)
        self._map = self._there if self._sheet else None
        if page.form is None:
            if self._engine is not None:
                self._engine.session.live.put("view", "done")
                self._engine.session.live.put_form(self._engine.session.live.root, "busy", False)
            return None
        now = self._engine.session.live.now if self._engine is not None else self._clock
        self._engine = SimulatedForm(SessionFactory(compile_form(page.form)), self.folder)
        refusal = self._engine.load(now)
        self._counted = 0
        if refusal is None:
            self._engine.session.script_reply(ServerAnswer("nothing"))
        return refusal

    def coming(self, ops: Sequence[Any]) -> None:
        """Accept the coming steps; unused here."""
        return

    def close(self) -> None:
        """Close the HTTP client."""
        if self._web is not None:
            self._web.close()
            self._web = None

    # steps
    def perform(self, step: Any, number: int) -> Refusal | None:
        """Do *step*."""
        refusal = self._performed(step, number)
        if not isinstance(step, tree.Note):
            self._bubble = isinstance(step, tree.Submit | tree.Press) and self._engine.session.live.outcome == "refused"
        return refusal

    def _performed(self, step: Any, number: int) -> Refusal | None:
        if isinstance(step, tree.Reload):
            return self._get(self._page.url)
        if isinstance(step, tree.Go):
            return self._get(urljoin(self._page.url, step.path))
        if isinstance(step, tree.Return):
            return self._get(self._page.url) if self._engine.session.live.away else Refusal("nothing left")
        return self._taken(step, number) or self._deliver()

    def _taken(self, step: Any, number: int) -> Refusal | None:
        """Take *step* as the page has it: its address and its button translated, rows by the page's own buttons."""
        if self._map is None:
            return self._engine.perform(step, number)
        if isinstance(step, tree.Add | tree.Remove):
            return self._row_step(step)
        if isinstance(step, tree.FillLine):
            return self._fill(step.address.segments, step.value)
        if isinstance(step, tree.Move):
            return Refusal("no row button", write_address(step.address.segments[:-1]), "move")
        if isinstance(step, tree.Submit) and not step.past_checks:
            button = self._map.submit_button(step.button or "")
            if button is None:
                return Refusal("no submit button")
            return self._engine.session.submit("", button)
        address = getattr(step, "address", None)
        if address is None:
            return self._engine.perform(step, number)
        return self._in_control(step, address, number)

    def _in_control(self, step: Any, address: Any, number: int) -> Refusal | None:
        """Take *step* in the page's control for the field at *address*."""
        assert self._map is not None
        if isinstance(step, tree.Pick) and step.mode != "except":
            odd = why_no_option(self._map.field(address.segments), write_address(address.segments), list(step.values))
            if odd is not None:
                return odd
        name = self._map.control(address.segments)
        if name is None:
            return _not_there(step)
        return self._engine.perform(step._replace(address=address._replace(segments=(name,))), number)

    def _row_step(self, step: tree.Add | tree.Remove) -> Refusal | None:
        """Press the page's button for it, and waits for the page that comes; a new row's values are entered there."""
        assert self._map is not None
        segments = step.address.segments
        if isinstance(step, tree.Remove):
            rows = segments[:-1]
            if self._map.group(segments) is None:
                return Refusal("no such row", write_address(segments), facts={"rows": write_address(rows), "count": self._map.count(rows)})
            return self._row_button(self._map.remove_button(segments), rows, "remove")
        if step.at is not None and step.at != self._map.count(segments):
            why = "the page's button decides where the row is added; remove `at`"
            return Refusal("not a step there", write_address(segments), "add", {"why": why})
        refusal = self._row_button(self._map.add_button(segments), segments, "add")
        if refusal is None and step.filled and self._map is not None:
            refusal = self._fill((*segments, self._map.count(segments) - 1), step.value)
        return refusal

    def _row_button(self, button: Any, rows: tuple[Any, ...], doing: str) -> Refusal | None:
        if button is None:
            return Refusal("no row button", write_address(rows), doing)
        facts, sent = dict(self._facts), len(self._sent)
        refusal = self._engine.session.submit("", button) or self._deliver()
        if refusal is None:  # nothing was submitted
            self._facts |= {name: facts.get(name) for name in ("outcome", "status")}
            del self._sent[sent:]
        return refusal

    def _fill(self, segments: tuple[Any, ...], value: Any) -> Refusal | None:
        assert self._map is not None
        field = self._map.field(segments)
        if field is not None and field.kind == "rows" and not isinstance(segments[-1], int):
            return self._fill_rows(segments, value)
        if field is not None and field.fields and not isinstance(value, dict):
            return Refusal("needs an object", write_address(segments), facts={"value": value})
        if isinstance(value, dict):
            for name, inner in value.items():
                refusal = self._fill((*segments, name), inner)
                if refusal is not None:
                    return refusal
            return None
        if field is not None and way_of(field) == CHOOSE:
            odd = why_no_option(field, write_address(segments), value if isinstance(value, list) else [value])
            if odd is not None:
                return odd
        name = self._map.control(segments)
        if name is None:
            return Refusal("not on page", write_address(segments), "fill", see=write_address(segments))
        return self._engine.session.enter((name,), value)

    def _fill_rows(self, segments: tuple[Any, ...], values: Any) -> Refusal | None:
        """Make the page have as many rows as *values*, by its own buttons, and fill each."""
        if not isinstance(values, list):
            return Refusal("needs objects", write_address(segments), facts={"value": values})
        refusal: Refusal | None = None
        while refusal is None and self._map is not None and (count := self._map.count(segments)) != len(values):
            button = self._map.add_button(segments) if count < len(values) else self._map.remove_button((*segments, count - 1))
            refusal = self._row_button(button, segments, "add" if count < len(values) else "remove")
            if refusal is None and self._map is not None and self._map.count(segments) == count:
                return Refusal("rows stay", write_address(segments), facts={"count": count})
        for number, each in enumerate(values):
            refusal = refusal or self._fill((*segments, number), each)
        return refusal

    def _deliver(self) -> Refusal | None:
        """Send the form's pending request and read the page in the answer."""
        live = self._engine.session.live
        while self._sends and len(live.requests) > self._counted:
            sent = live.requests[self._counted]
            self._counted += 1
            refusal = self._send(sent)
            if refusal is not None:
                return refusal
            live = self._engine.session.live
        return None

    def _send(self, sent: Any) -> Refusal | None:
        assert self._web is not None
        self._sent.append(sent)
        number, line = str(len(self._sent)), f"{sent.method} {sent.target}"
        self._events.append(PageEvent("request", self.elapsed(), f"{line} {sent.body}" if sent.body else line, number))
        body = body_of(sent, self._engine.session.live.file_paths) if sent.method != "GET" else b""
        try:
            response, url = self._web.fetch(sent.method, urljoin(self._page.url, sent.target), body, sent.media_type)
        except OtherHost as fault:
            return _elsewhere(self.url, str(fault))
        except Exception as fault:
            if not self._web.is_fault(fault):
                raise
            self._facts |= {"outcome": "lost", "status": None}
            self._events.append(PageEvent("answer", self.elapsed(), f"lost to {line}", number, "lost"))
            self._engine.session.script_reply(ServerAnswer("nothing"))
            self._engine.session.live.put_form(self._engine.session.live.root, "busy", False)
            return None
        self._facts |= {"status": response.status_code, "outcome": "accepted" if response.status_code < 400 else "rejected"}
        status = response.status_code
        self._events.append(PageEvent("answer", self.elapsed(), f"{status} to {line}", number, status))
        refusal = self._arrive(served(response.text, url, self.url, self.form))
        if refusal is None and response.status_code < 400 and self._came_back():
            self._facts["outcome"] = "rejected"
        return refusal

    def _came_back(self) -> bool:
        """Return whether the page is the form again, with messages."""
        return self._page.form is not None and self._there.look().complains()

    def mark_step(self, number: int) -> None:
        """Do nothing: a served page has no trace."""

    def trial(self, *, alone: bool = False) -> HttpSubject:
        """Return a copy that sends no requests."""
        other = HttpSubject(self.form, self.url, self.folder)
        other._page, other._there, other._map = self._page, self._there, self._map
        other._engine = self._engine.trial(alone=alone)
        other._sends = False
        return other

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        """Let virtual time pass."""
        return self._engine.advance(milliseconds, until) and (self._deliver() or True)

    # looking
    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        """Observe *noun*."""
        if noun.kind in _FROM_NETWORK:
            return self._network(noun.kind, asked, word)
        if noun.kind == "under way":
            return [] if asked == "value" else False
        return self._snapshot().look(noun, asked, word)

    def _snapshot(self) -> ServedSnapshot:
        return ServedSnapshot(self._there, self._engine, self._clock, bubble=self._bubble)

    def _network(self, kind: str, asked: str, word: Any) -> Any:
        if kind == "outcome":
            engine = self._engine.session.live.outcome
            outcome = "refused" if engine == "refused" else self._facts["outcome"]
            return outcome == word if asked == "is" else outcome
        if kind == "requests":
            return len(self._sent)
        if kind in ("status", "location"):
            return self._facts.get(kind)
        if not self._sent:
            return None
        last = self._sent[-1]
        if kind == "payload":
            return read_as(self.form, last.payload, flat=last.media_type != "application/json")
        return f"{last.method} {last.target}" if kind == "request" else getattr(last, kind)

    def written(self, address: str) -> str:
        """Write *address* as the page does."""
        return address

    def timer_due(self) -> int | None:
        """Return None: there are no timers of a page."""
        return None

    def check_delay(self) -> int:
        """Return 0: a check is made once."""
        return 0

    def elapsed(self) -> int:
        """Return the virtual time since load in milliseconds."""
        return self._engine.session.live.now - self._clock if self._engine is not None else 0

    def journal(self) -> Any:
        """Return the trace, which is empty."""
        return self._engine.journal()

    def cookies(self) -> Any:
        """Return the cookies of the client."""
        assert self._web is not None
        return self._web.cookies()

    def events(self) -> tuple[PageEvent, ...]:
        """Return the requests and pages since the last call."""
        found, self._events = tuple(self._events), []
        return found

    def warnings(self) -> tuple[str, ...]:
        """Return the warnings."""
        return self._engine.warnings()

    def trouble(self) -> Refusal | None:
        """Return the error that ended the scenario, if any."""
        return None

    def material(self) -> Material | None:
        """Return the material for a failure report."""
        return Material(requests=tuple(f"{sent.method} {sent.target}" for sent in self._sent))


def _elsewhere(url: str, there: str) -> Refusal:
    why = f"it leads to {urlsplit(there).netloc}, a host that neither the sheet nor the command line names"
    return Refusal("no page", facts={"url": url, "why": why})


def _not_there(step: Any) -> Refusal:
    text = write_address(step.address.segments)
    return Refusal("not on page", text, verb_of(step), see=text)
