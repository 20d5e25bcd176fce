"""The visitors of a generated page: each has a running form, which every request continues."""

from __future__ import annotations

import asyncio
import secrets
from collections import OrderedDict
from collections.abc import Callable, Mapping
from email import policy
from email.parser import BytesParser
from http.cookies import CookieError, SimpleCookie
from typing import Any
from urllib.parse import parse_qs, urljoin, urlsplit

from ...engine.session.page_view import DrawnForm, DrawnPart, seen
from ...engine.session.session import Session, SessionFactory
from ...engine.world.typed import received
from ...forms.names.addresses import parse_address
from ...refusals import Refusal
from ..messages import LOST, Request, Response
from .clock import Clock
from .drawn import ADD, BUTTON, CLOSE, LOOK, OPEN, PANEL, REMOVE, page_of

_COOKIE = "visit"
_MOST_VISITS = 500  # forgotten from the oldest on
_GLANCE = 0.02  # seconds between two polls of a form that waits for an answer
_LONG = 365 * 86_400_000
_HTML = "text/html; charset=utf-8"


class FormVisits:
    """The visits of one form. Lookups and the server take as long as the sheet says, by *clock*."""

    def __init__(self, stage: SessionFactory, clock: Clock) -> None:
        self.stage, self.clock = stage, clock
        self._visits: OrderedDict[str, Session] = OrderedDict()
        self.target = urlsplit(urljoin("http://127.0.0.1/", stage.plan.form.submit.to)).path or "/"

    async def answer(self, request: Request) -> Response | None:
        """Answer *request*; None if it is for something else."""
        token = _token(request)
        query = {name: values[-1] for name, values in parse_qs(urlsplit(request.target).query, keep_blank_values=True).items()}
        submits = self.stage.plan.form.submit.method == request.method and request.path == self.target
        if request.method == "POST" and (request.path == "/" or request.path == self.target):
            submits = (submits and not {LOOK, ADD, REMOVE, OPEN, CLOSE} & query.keys()) or PANEL in query or BUTTON in query
        elif request.method not in ("GET", "HEAD") or (request.path != "/" and not submits and token not in self._visits):
            return None
        if not submits and request.method in ("GET", "HEAD"):
            return self._arrival(request, token)
        session = self._visits.get(token)
        if session is None:
            return Response(303, b"", _HTML, (("Location", "/"),))
        self._visits.move_to_end(token)
        self._pass(session)
        asked = next(((kind, query[kind]) for kind in (ADD, REMOVE, OPEN, CLOSE, LOOK) if kind in query), None)
        form = seen(session.live).get(asked[1] if asked and asked[0] in (CLOSE, LOOK) else query.get(PANEL, ""))
        if form is None:
            return Response(404, b"there is no such panel", "text/plain")
        self._enter(session, form, _posted(request))
        if asked is not None:
            return _page(session, _said(_act(session, *asked)))
        return await self._submit(session, form.panel, query.get(BUTTON, ""))

    def _arrival(self, request: Request, token: str) -> Response | None:
        """The page that is asked for: a fresh form, the stored record in it, or where the answer to the last submission leads."""
        session = self._visits.get(token)
        if session is not None and request.path != "/":
            return _page(session) if urlsplit(session.live.location).path == request.path else None
        if session is not None:
            session.reload()  # restores the visitor's draft
            return _page(session)
        session = Session(self.stage)
        session.load(self.clock.now())
        token = secrets.token_urlsafe(12)
        self._visits[token] = session
        while len(self._visits) > _MOST_VISITS:
            self._visits.popitem(last=False)
        return _page(session, headers=(("Set-Cookie", f"{_COOKIE}={token}; Path=/; HttpOnly; SameSite=Strict"),))

    def _pass(self, session: Session) -> None:
        """Let the time pass that has passed."""
        if self.clock.at_once:
            session.advance(_LONG, until=self._done(session))
        else:
            session.advance(max(0, self.clock.now() - session.live.now))

    def _done(self, session: Session) -> Callable[[], bool]:
        return lambda: not session.live.queue.waiting_for()

    def _enter(self, session: Session, form: DrawnForm, texts: Mapping[str, Any]) -> None:
        """Apply the differences between the page as it was generated and the *texts* that were sent, field by field."""
        for part in form.controls():
            if not part.enabled or part.readonly:
                continue
            given = texts.get(part.name, [])
            at = parse_address(part.name) or ()
            if _changed(session, part, at, given if isinstance(given, list) else [given]):
                session.leave_field(at)

    async def _submit(self, session: Session, panel: str, button: str) -> Response:
        presses = seen(session.live)[panel].presses
        press = next((each for each in presses if each.name == button), None)
        if press is None or not press.enabled:
            return _page(session, f"“{press.label if press else button}” cannot be pressed at the moment.", 422)
        before = len(session.live.requests)
        refusal = session.submit(panel, button)
        while refusal is None and session.live.queue.waiting_for():
            if not self.clock.at_once:
                await asyncio.sleep(_GLANCE)
            elif not session.advance(_LONG, until=self._done(session)):
                return LOST  # no answer
            self._pass(session)
        live = session.live
        if refusal is not None or len(live.requests) == before:
            return _page(session, _said(refusal), 422)
        status = next((status for _, _, number, status in reversed(live.answers) if number == len(live.requests) - 1), "lost")
        if not isinstance(status, int):
            return _page(session, "" if live.notice else "The server did not answer. Your entries are kept; please try again.", 502)
        if status < 400 and live.location not in ("", live.plan.main.home) and not panel:
            return Response(303, b"", _HTML, (("Location", live.location),))
        return _page(session, status=status)


def _posted(request: Request) -> dict[str, Any]:
    """Return the data of a form by name: a string or a list; files as {name, size, type}."""
    media_type = request.headers.get("content-type", "")
    if request.method == "GET":
        texts = received(urlsplit(request.target).query.encode(), "application/x-www-form-urlencoded")[0]
    elif media_type.startswith("multipart/form-data"):
        message = BytesParser(policy=policy.HTTP).parsebytes(b"Content-Type: " + media_type.encode("latin-1") + b"\r\n\r\n" + request.body)
        texts = {}
        for part in message.iter_parts():  # type: ignore[attr-defined]
            payload = part.get_payload(decode=True)
            content = payload if isinstance(payload, bytes) else b""
            file, kind = part.get_filename(), part.get_content_type()
            sent = content.decode("utf-8", "replace") if file is None else {"name": file, "size": len(content), "type": kind}
            texts.setdefault(part.get_param("name", "", "content-disposition"), []).append(sent)
    else:
        texts = received(request.body, media_type)[0]
    return texts if isinstance(texts, dict) else {}


def _token(request: Request) -> str:
    try:
        crumbs = SimpleCookie(request.headers.get("cookie", ""))
    except CookieError:
        return ""
    return crumbs[_COOKIE].value if _COOKIE in crumbs else ""


def _page(session: Session, trouble: str = "", status: int = 200, headers: tuple[tuple[str, str], ...] = ()) -> Response:
    return Response(status, page_of(session, trouble).encode(), _HTML, headers)


def _changed(session: Session, part: DrawnPart, at: tuple[Any, ...], given: list[Any]) -> bool:
    """Set the control *part* to the text that was sent for it; return whether that changed it."""
    if part.kind == "file":
        files = [each for each in given if isinstance(each, dict) and each.get("name")]
        return bool(files) and session.upload(at, files, {}) is None
    if part.kind == "checkbox":
        return bool(given) != part.on and session.turn(at, bool(given)) is None
    if part.kind in ("choices", "select", "radio"):
        wanted = [choice for choice in part.choices if choice.text in given]
        if wanted == [choice for choice in part.choices if choice.chosen]:
            return False
        return (session.pick(at, "", [choice.value for choice in wanted]) if wanted else session.clear(at)) is None
    text = str(given[-1]) if given else part.text
    if part.kind == "textarea":
        text = text.replace("\r\n", "\n")  # HTML, "normalize newlines": a textarea's own value has LF
    if text == part.text:
        return False
    return (session.retype(at, text) if text else session.clear(at)) is None


def _act(session: Session, kind: str, name: str) -> Refusal | None:
    """Press the button of the page that is not for sending it. A name that the page does not have is refused."""
    form = session.plan.form
    if kind in (OPEN, CLOSE):
        if not any(panel.panel == name for panel in form.panels):
            return Refusal("not on page", name)
        return session.open(name) if kind == OPEN else session.close(name)
    if kind == LOOK:
        return None
    at = parse_address(name)
    field = form.find(tuple("*" if isinstance(s, int) else s for s in (at if kind == ADD else at[:-1]))) if at else None
    if at is None or field is None or field.kind != "rows" or isinstance(at[-1], int) is (kind == ADD):
        return Refusal("not on page", name)
    return session.add(at, None, None) if kind == ADD else session.remove(at)


def _said(refusal: Refusal | None) -> str:
    return "" if refusal is None else "That is not possible at the moment."
