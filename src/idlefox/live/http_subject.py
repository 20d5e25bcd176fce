"""A form that a server draws, over real HTTP: the engine plays the page by the HTML standard, what it sends is a real request, and the
answer's page becomes the form.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any
from urllib.parse import urljoin, urlsplit

from ..engine.compile.compiler import compile_form
from ..engine.session.session import Stage
from ..engine.session.stand_in import Answer
from ..forms.model.form import Form
from ..forms.names.addresses import called
from ..forms.names.shapes import write_address
from ..play.simulated import SimulatedForm
from ..play.subject import ABILITIES, FieldState, Material, Unseen
from ..refusals import Refusal
from ..script.tree import Address, Noun
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

    def page(self, url: str) -> ServedPage:
        """The page at *url*. Raises Elsewhere, httpx.HTTPError."""
        response, there = self.fetch("GET", url)
        return ServedPage(response.text, there, urlsplit(url).fragment)


class HttpSubject:
    """Plays on the page at *url*. *form* is what scripts are written for: the page's, or a sheet's, whose fields are found by name."""

    abilities = frozenset(ABILITIES) - {"panels", "stored record", "scripted answers"}

    def __init__(self, form: Form, url: str, folder: str) -> None:
        self.form, self.url, self.folder = form, url, folder
        self._allowed = frozenset({urlsplit(url).netloc})
        self._web: Web | None = None
        self._engine: SimulatedForm = None  # type: ignore[assignment]
        self._page: ServedPage = None  # type: ignore[assignment]
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
            return self._arrive(self._web.page(url))
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
            self._engine.session.live.put("view", "done")
            return None
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
        translated = self._translated(step)
        if isinstance(translated, Refusal):
            return translated
        if type(step).__name__ == "Reload":
            return self._get(self._page.url)
        return self._engine.perform(translated, number) or self._deliver()

    def _translated(self, step: Any) -> Any:
        """*step* with its address as the page's form has it."""
        address = getattr(step, "address", None)
        if address is None or self._page.form is None:
            return step
        found = self._on_page(address.segments)
        if found is None:
            text = write_address(address.segments)
            return Refusal("not on page", text, type(step).__name__.lower(), see=text)
        return step._replace(address=address._replace(segments=found))

    def _on_page(self, segments: tuple[Any, ...]) -> tuple[Any, ...] | None:
        assert self._page.form is not None
        if self.form is self._page.form:
            return segments
        name = called(self._page.form.shape, write_address(segments))
        if name is None and self._page.form.find(tuple(segments)) is not None:
            return segments
        return (name,) if name is not None else None

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
        body = sent.body.encode("utf-8", "surrogatepass") if sent.method != "GET" else b""
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
        return self._arrive(ServedPage(response.text, url, urlsplit(self.url).fragment))

    def trial(self) -> HttpSubject:
        """A copy whose requests go nowhere: what a step would send is not sent."""
        other = HttpSubject(self.form, self.url, self.folder)
        other._page, other._engine = self._page, self._engine.trial()
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
        text = write_address(noun.address.segments)
        found = self._on_page(noun.address.segments) if self._page.form is not None else None
        if found is None:
            if asked == "is" and word in ("hidden", "visible"):
                return word == "hidden"
            why = f"no control of the page is called that by its name; give it that name, or say where: live.find.{text}"
            return Unseen(Refusal("unseen", text, facts={"why": why}), there=True)
        if asked == "name":
            return text
        seen = self._engine.look(Noun("address", Address(found)), asked, word)
        return self._with_markup(text, asked, word, seen)

    def _with_markup(self, text: str, asked: str, word: Any, seen: Any) -> Any:
        """What the engine has *seen*, with what the server has written into the page."""
        said = self._page.messages.get(text, [])
        if asked == "shows":
            return [*said, *(each for each in seen if each not in said)]
        if asked == "is" and word == "marked":
            return seen or text in self._page.marked
        if asked == "state" and isinstance(seen, FieldState):
            return seen._replace(address=text, shows=(*said, *seen.shows))
        return seen

    def _errors(self) -> dict[str, list[str]]:
        found = {name: list(texts) for name, texts in self._page.messages.items()}
        for name, texts in self._engine.look(Noun("errors"), "value").items():
            found.setdefault(name, []).extend(each for each in texts if each not in found[name])
        return {**({"": self._page.own} if self._page.own else {}), **found}

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
        return f"{last.method} {last.target}" if kind == "request" else getattr(last, kind)

    def written(self, address: str) -> str:
        return address

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
