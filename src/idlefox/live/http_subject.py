"""A form that a server draws, over real HTTP: the engine plays the page by the HTML standard, what it sends is a real request, and the
answer's page becomes the form.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import urljoin, urlsplit

from ..engine.compile.compiler import compile_form
from ..engine.session.session import Stage
from ..engine.session.stand_in import Answer
from ..engine.world.typed import read_as
from ..forms.model.form import Form
from ..forms.names.addresses import called
from ..forms.names.shapes import write_address
from ..playing.simulated import SimulatedForm
from ..playing.subject import ABILITIES, FieldState, Material, Unseen
from ..refusals import Refusal
from ..script.tree import Address, Noun
from .served_map import ServedMap
from .served_page import ServedPage

TIMEOUT = 30.0  # seconds for one request
_MOST_REDIRECTIONS = 10
_FROM_NETWORK = frozenset({"outcome", "requests", "request", "payload", "body", "status", "location", "notice"})


class Elsewhere(Exception):
    """A request would go to a host that nobody has named."""


class Web:
    """Real requests to the hosts *allowed* (host and port). No proxy and no credentials of the environment; TLS is checked."""

    def __init__(self, allowed: frozenset[str]) -> None:
        import httpx

        self._httpx = httpx
        self.allowed = allowed
        self._client = httpx.Client(trust_env=False, timeout=TIMEOUT, follow_redirects=False)

    def fetch(self, method: str, url: str, body: bytes = b"", media_type: str = "") -> tuple[Any, str]:
        """The response at the end of all redirections, and its URL. Raises Elsewhere, and httpx.HTTPError where none comes."""
        for _ in range(_MOST_REDIRECTIONS):
            if urlsplit(url).netloc not in self.allowed:
                raise Elsewhere(url)
            headers = {"Content-Type": media_type} if media_type else {}
            response = self._client.request(method, url, content=body or None, headers=headers)
            if response.status_code not in (301, 302, 303, 307, 308) or "location" not in response.headers:
                return response, url
            url = urljoin(url, response.headers["location"])
            if response.status_code == 303 or (response.status_code in (301, 302) and method == "POST"):  # Fetch, "HTTP-redirect fetch"
                method, body, media_type = "GET", b"", ""
        raise self._httpx.TooManyRedirects("too many redirections")

    def close(self) -> None:
        self._client.close()

    def page(self, url: str, form: Form | None = None) -> ServedPage:
        """The page at *url*; which of its forms is meant, the sheet *form* may tell. Raises Elsewhere, httpx.HTTPError."""
        response, there = self.fetch("GET", url)
        return served(response.text, there, url, form)


def served(text: str, there: str, asked: str, form: Form | None) -> ServedPage:
    """The page *text* that came from *there* when *asked* was meant."""
    own = form.live.form if form is not None and form.live is not None else None
    return ServedPage(text, there, urlsplit(asked).fragment, likely=form.id if form is not None else "", own=own)


class HttpSubject:
    """Plays on the page at *url*. *form* is what scripts are written for: the page's, or a sheet's, whose fields are found by name."""

    abilities = frozenset(ABILITIES) - {"panels", "stored record", "scripted answers"}

    def __init__(self, form: Form, url: str, folder: str) -> None:
        self.form, self.url, self.folder = form, url, folder
        self._allowed = frozenset({urlsplit(url).netloc})
        self._web: Web | None = None
        self._engine: SimulatedForm = None  # type: ignore[assignment]
        self._page: ServedPage = None  # type: ignore[assignment]
        self._map: ServedMap | None = None
        self._sheet = form.page is None or form.page.file != url  # else the script is written for what the page itself says
        self._sent: list[Any] = []
        self._facts: dict[str, Any] = {}
        self._counted = 0
        self._clock = 0

    def load(self, clock: int) -> Refusal | None:
        self._clock, self._sent, self._facts = clock, [], {"outcome": "none"}
        self.close()
        self._web = Web(self._allowed)
        refusal = self._get(self.url)
        if refusal is None and self._page.form is None:
            return Refusal("no page", facts={"url": self.url, "why": self._page.why})
        return refusal

    def _get(self, url: str) -> Refusal | None:
        assert self._web is not None
        try:
            return self._arrive(self._web.page(url, self.form))
        except Elsewhere as fault:
            return _elsewhere(self.url, str(fault))
        except Exception as fault:
            if not isinstance(fault, self._web._httpx.HTTPError):
                raise
            return Refusal("no page", facts={"url": url, "why": str(fault) or type(fault).__name__})

    def _arrive(self, page: ServedPage) -> Refusal | None:
        """*page* has come: its form is the one that is played now. A page without one leaves nothing to play."""
        self._page = page
        parts = urlsplit(page.url)
        self._facts["location"] = parts.path + (f"?{parts.query}" if parts.query else "")
        if page.form is None:
            if self._engine is not None:
                self._engine.session.live.put("view", "done")
            return None
        self._map = ServedMap(self.form, page) if self._sheet else None
        now = self._engine.session.live.now if self._engine is not None else self._clock
        self._engine = SimulatedForm(Stage(compile_form(page.form)), self.folder)
        refusal = self._engine.load(now)
        self._counted = 0
        if refusal is None:
            self._engine.session.script_reply(Answer("nothing"))
        return refusal

    def coming(self, ops: Sequence[Any]) -> None:
        return

    def close(self) -> None:
        if self._web is not None:
            self._web.close()
            self._web = None

    # steps
    def perform(self, step: Any, number: int) -> Refusal | None:
        if type(step).__name__ == "Reload":
            return self._get(self._page.url)
        return self._taken(step, number) or self._deliver()

    def _taken(self, step: Any, number: int) -> Refusal | None:
        """Takes *step* as the page has it: its address and its button translated, rows by the page's own buttons."""
        if self._map is None:
            return self._engine.perform(step, number)
        kind = type(step).__name__
        if kind in ("Add", "Remove"):
            return self._row_step(step, kind)
        if kind == "Move":
            return Refusal("no row button", write_address(step.address.segments[:-1]), "move")
        if kind == "Submit" and not step.past_checks:
            button = self._map.submit_button(step.button or "")
            if button is None:
                return Refusal("no submit button")
            return self._engine.session.submit("", button)
        address = getattr(step, "address", None)
        if address is None:
            return self._engine.perform(step, number)
        name = self._map.control(address.segments)
        if name is None:
            return _not_there(step)
        return self._engine.perform(step._replace(address=address._replace(segments=(name,))), number)

    def _row_step(self, step: Any, kind: str) -> Refusal | None:
        """Presses the page's button for it, and waits for the page that comes; a new row's values are entered there."""
        assert self._map is not None
        segments = step.address.segments
        if kind == "Add" and step.at is not None and step.at != self._map.count(segments):
            why = "the page's button says where a row comes; leave `at` out"
            return Refusal("not a step there", write_address(segments), "add", {"why": why})
        if kind == "Remove" and self._map.group(segments) is None:
            count = self._map.count(segments[:-1])
            rows = write_address(segments[:-1])
            return Refusal("no such row", write_address(segments), facts={"rows": rows, "count": count})
        button = self._map.add_button(segments) if kind == "Add" else self._map.remove_button(segments)
        if button is None:
            return Refusal("no row button", write_address(segments if kind == "Add" else segments[:-1]), kind.lower())
        refusal = self._engine.session.submit("", button) or self._deliver()
        if refusal is None and kind == "Add" and step.filled and self._map is not None:
            refusal = self._fill((*segments, self._map.count(segments) - 1), step.value)
        return refusal

    def _fill(self, segments: tuple[Any, ...], value: Any) -> Refusal | None:
        assert self._map is not None
        if isinstance(value, dict):
            for name, inner in value.items():
                refusal = self._fill((*segments, name), inner)
                if refusal is not None:
                    return refusal
            return None
        name = self._map.control(segments)
        if name is None:
            return Refusal("not on page", write_address(segments), "fill", see=write_address(segments))
        return self._engine.session.enter((name,), value)

    def _deliver(self) -> Refusal | None:
        """Sends what the form has sent since, and takes the answer's page."""
        live = self._engine.session.live
        while len(live.requests) > self._counted:
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
        body = _body_of(sent, self._engine.session.live.file_paths) if sent.method != "GET" else b""
        try:
            response, url = self._web.fetch(sent.method, urljoin(self._page.url, sent.target), body, sent.media_type)
        except Elsewhere as fault:
            return _elsewhere(self.url, str(fault))
        except Exception as fault:
            if not isinstance(fault, self._web._httpx.HTTPError):
                raise
            self._facts |= {"outcome": "lost", "status": None}
            self._engine.session.script_reply(Answer("nothing"))
            self._engine.session.live.put_form(self._engine.session.live.root, "busy", False)
            return None
        self._facts |= {"status": response.status_code, "outcome": "accepted" if response.status_code < 400 else "rejected"}
        return self._arrive(served(response.text, url, self.url, self.form))

    def trial(self) -> HttpSubject:
        """A copy whose requests go nowhere: what a step would send is not sent."""
        other = HttpSubject(self.form, self.url, self.folder)
        other._page, other._engine, other._map = self._page, self._engine.trial(), self._map
        other._deliver = lambda: None  # type: ignore[method-assign]
        return other

    def advance(self, milliseconds: int, until: Callable[[], bool] | None = None) -> bool | Refusal:
        return self._engine.advance(milliseconds, until) and (self._deliver() or True)

    # looking
    def look(self, noun: Noun, asked: str, word: Any = None) -> Any:
        if noun.kind in _FROM_NETWORK:
            return self._network(noun.kind, asked, word)
        if noun.kind == "under way":
            return [] if asked == "value" else False
        if noun.kind == "errors":
            return self._errors()
        if noun.kind != "address":
            return self._engine.look(noun, asked, word)
        assert noun.address is not None
        if self._map is None:
            return self._at(noun.address.segments, asked, word)
        return self._by_map(noun.address.segments, asked, word)

    def _at(self, segments: tuple[Any, ...], asked: str, word: Any) -> Any:
        """What the page's own form says, and what the server has written into it."""
        name = called(self._page.form.shape, write_address(segments)) if self._page.form is not None else None
        said = self._page.messages.get(name or write_address(segments), [])
        marked = (name or write_address(segments)) in self._page.marked
        return _with_markup(self._engine.look(Noun("address", Address(segments)), asked, word), asked, word, said, marked)

    def _by_map(self, segments: tuple[Any, ...], asked: str, word: Any) -> Any:
        """What the page says of a field of the sheet."""
        assert self._map is not None
        text = write_address(segments)
        if asked == "name":
            return text
        field = self._map.field(segments)
        if isinstance(segments[-1], int) or (field is not None and field.kind in ("group", "rows")):
            return self._container(segments, text, asked, word)
        name = self._map.control(segments) if self._page.form is not None else None
        if name is None:
            if asked == "is" and word in ("hidden", "visible"):
                return word == "hidden"
            if asked == "shows":
                return []
            why = f"no control of the page is called that by its name or label; say where: live.find.{text}"
            return Unseen(Refusal("unseen", text, facts={"why": why}), there=True)
        seen = self._engine.look(Noun("address", Address((name,))), asked, word)
        if asked == "is" and word in ("required", "optional") and self._map.required(segments):
            return word == "required"
        seen = _with_markup(seen, asked, word, self._map.messages(segments), self._map.marked(segments))
        return seen._replace(address=text) if isinstance(seen, FieldState) else seen

    def _container(self, segments: tuple[Any, ...], text: str, asked: str, word: Any) -> Any:
        """What the page says of a group, list or row."""
        assert self._map is not None
        here = self._page.form is not None
        inside = [each for each in self._map.addresses() if each[: len(segments)] == segments and each != segments] if here else []
        if asked == "rows":
            return self._map.count(segments) if here else 0
        if asked == "shows":
            return self._map.messages(segments) if here else []
        if asked == "value":
            return _nested(segments, [(each, self._by_map(each, "value", None)) for each in inside if self._map.control(each) is not None])
        if asked == "is" and word in ("visible", "hidden"):
            return bool(inside or (here and self._map.group(segments) is not None)) == (word == "visible")
        if asked == "allows" and word in ("add", "remove"):
            last = (*segments, self._map.count(segments) - 1)
            button = self._map.add_button(segments) if word == "add" else self._map.remove_button(last)
            return None if button is not None else Refusal("no row button", text, word)
        if asked == "state":
            shows = tuple(self._map.messages(segments)) if here else ()
            ms = self._engine.session.live.now - self._clock
            return FieldState(text, "rows", None, None, self._map.count(segments), (), (), shows, ms, 0)
        why = "a page that a server draws does not tell that of a group of fields; look at what is in it"
        return Unseen(Refusal("unseen", text, facts={"why": why}), there=True)

    def _errors(self) -> dict[str, list[str]]:
        found = {"": list(self._page.own)} if self._page.own else {}
        if self._map is not None and self._page.form is not None:
            for segments in self._map.addresses():
                texts = self._by_map(segments, "shows", None)
                if texts:
                    found[write_address(segments)] = list(texts)
            return found
        found |= {name: list(texts) for name, texts in self._page.messages.items()}
        for name, texts in self._engine.look(Noun("errors"), "value").items():
            found.setdefault(name, []).extend(each for each in texts if each not in found[name])
        return found

    def _network(self, kind: str, asked: str, word: Any) -> Any:
        if kind == "notice":
            notice = self._page.notices[0] if self._page.notices else None
            if asked == "is":
                return notice is not None and word == {"alert": "error", "status": "success"}[notice[0]]
            return notice[1] if notice is not None else None
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
        return address

    def elapsed(self) -> int:
        return self._engine.session.live.now - self._clock if self._engine is not None else 0

    def journal(self) -> Any:
        return self._engine.journal()

    def warnings(self) -> tuple[str, ...]:
        return self._engine.warnings()

    def trouble(self) -> Refusal | None:
        return None

    def material(self) -> Material | None:
        return Material(requests=tuple(f"{sent.method} {sent.target}" for sent in self._sent))


def _elsewhere(url: str, there: str) -> Refusal:
    why = f"it leads to {urlsplit(there).netloc}, a host that neither the sheet nor the call names"
    return Refusal("no page", facts={"url": url, "why": why})


def _not_there(step: Any) -> Refusal:
    text = write_address(step.address.segments)
    return Refusal("not on page", text, type(step).__name__.lower(), see=text)


def _with_markup(seen: Any, asked: str, word: Any, said: list[str], marked: bool) -> Any:
    """What the engine has *seen* of a control, with what the server has written: *said* and *marked*."""
    if asked == "shows":
        return [*said, *(each for each in seen if each not in said)]
    if asked == "is" and word == "marked":
        return seen or marked
    if asked == "state" and isinstance(seen, FieldState):
        return seen._replace(shows=(*said, *(each for each in seen.shows if each not in said)))
    return seen


def _nested(above: tuple[Any, ...], found: list[tuple[tuple[Any, ...], Any]]) -> Any:
    """The values at addresses below *above*, as objects and lists."""
    at: dict[Any, list[tuple[tuple[Any, ...], Any]]] = {}
    for segments, value in found:
        if segments == above:
            return value
        at.setdefault(segments[len(above)], []).append((segments, value))
    inner = {name: _nested((*above, name), parts) for name, parts in at.items()}
    return [inner[n] for n in sorted(inner)] if inner and all(isinstance(n, int) for n in inner) else inner


def _body_of(sent: Any, paths: dict[tuple[str, int], str]) -> bytes:
    """The bytes of a request: as the engine encodes it, with what is in the files themselves."""
    body: bytes = sent.body.encode("utf-8", "surrogatepass")
    boundary = sent.media_type.partition("boundary=")[2].encode()
    if not boundary or not paths:
        return body
    files = {name: path for (name, _), path in paths.items()}
    parts: list[bytes] = body.split(b"--" + boundary)
    for at, part in enumerate(parts):
        head = part.partition(b"\r\n\r\n")[0]
        name = head.partition(b'; filename="')[2].partition(b'"')[0].decode("utf-8", "replace")
        path = files.get(name.replace("%22", '"').replace("%0D", "\r").replace("%0A", "\n"))
        if path:
            parts[at] = head + b"\r\n\r\n" + Path(path).read_bytes() + b"\r\n"
    whole: bytes = (b"--" + boundary).join(parts)
    return whole
