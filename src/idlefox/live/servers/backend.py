"""The backend of a page: the sheet's lookups, its stub server, and the `answers` of `live`."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any
from urllib.parse import parse_qs, unquote, urljoin, urlsplit

from ...engine.session.session import SessionFactory
from ...engine.session.stub_server import LookupAnswer, ServerAnswer, StubServer
from ...engine.world.typed import read_as, received, typed_value
from ...forms.model.form import Form, Lookup, walk
from ...forms.model.live import LivePage, LookupResponse, RequestPattern
from ...forms.names.addresses import parse_address
from ...records import NamedTuple
from ..messages import LOST, Request, Response, as_json
from .served_files import live_path

PROBLEM = "application/problem+json"  # RFC 9457
NEVER = -1  # no answer


class Submission(NamedTuple):
    """A submission: the request, the payload the server read, and the status of the answer (0: none yet; -1: lost)."""

    request: Request
    payload: Any
    status: int


class PlannedAnswer(NamedTuple):
    """The answer to a request, and its delay in milliseconds of the page's time (`NEVER`: no answer)."""

    response: Response
    takes: int
    lookup: str = ""
    value: str = ""  # what the lookup asks about
    submission: Submission | None = None


class PageBackend:
    """Answers the requests of the page of *form*, whose plan *stage* holds."""

    def __init__(self, form: Form, stage: SessionFactory) -> None:
        self.form, self.live = form, form.live or LivePage()
        self.answers = self.live.requests == "standin"
        self.stand_in = StubServer(stage, [each.when for each in self.live.answers])
        base = self.live.page if "://" in self.live.page else f"http://127.0.0.1/{live_path(self.live).path if self.live.page else ''}"
        self.targets = {
            (method, urlsplit(urljoin(base, to)).path or "/"): sender for sender in (*form.panels, form) for method, to in _sent_to(sender)
        }
        self.submissions: list[Submission] = []

    def start(self, now: int) -> None:
        """A new scenario, at the virtual time *now*."""
        self.stand_in.start(now)
        self.submissions.clear()

    def held(self) -> list[dict[str, Any]]:
        """Which requests are answered here, for the agent: methods, paths as patterns, parameters that must be there."""
        if not self.answers:
            return []
        wanted = [lookup.request for lookup in self._lookups()] + [each.request for each in self.live.answers]
        return [_described(each) for each in (*wanted, *(RequestPattern(method, path) for method, path in sorted(self.targets)))]

    def is_submission(self, request: Request) -> bool:
        """Return whether *request* sends the form, or a panel of it."""
        if (request.method, request.path) in self.targets:
            return True
        # A sheet that does not say where it is sent to: whatever the page sends to its own server.
        sends = not self.answers and self.form.submit.to == "/" and request.method in ("POST", "PUT", "PATCH")
        return sends and not self._is_lookup(request)

    def _is_lookup(self, request: Request) -> bool:
        return any(_value_in(request, lookup.request) is not None for lookup in self._lookups())

    def _lookups(self) -> Iterator[Lookup]:
        return (lookup for lookup in self.form.lookups.values() if lookup.request is not None)

    def decide(self, request: Request, now: int) -> PlannedAnswer | None:
        """Decide the answer to *request* at *now*; None if it is not answered here."""
        if not self.answers:
            return None
        for lookup in self._lookups():
            values = _value_in(request, lookup.request)
            if values is not None:
                return self._lookup(lookup, values)
        if self.is_submission(request):
            return self._submission(request, now)
        query = {name: values[-1] for name, values in parse_qs(urlsplit(request.target).query, keep_blank_values=True).items()}
        for number, each in enumerate(self.live.answers):
            if _matches(request, each.request) is not None and self.stand_in.fits(number, query, _body(request)):
                return PlannedAnswer(as_json(each.told.body, each.told.status), each.takes)
        return None

    # lookups
    def _lookup(self, lookup: Lookup, text: str) -> PlannedAnswer:
        found = self.stand_in.lookup(lookup.name, self._as_asked(lookup, text))
        if found.kind == "nothing":
            return PlannedAnswer(LOST, NEVER, lookup.name, text)
        takes = found.after or 0
        if found.kind == "failure":
            return PlannedAnswer(LOST, takes, lookup.name, text)
        scripted = lookup.accepted if found.kind == "accept" else lookup.refused
        told: LookupResponse = scripted or LookupResponse(body={"accepted": found.kind == "accept"})
        body = told.body
        if found.message and isinstance(body, dict):
            body = {**body, "message": found.message}
        return PlannedAnswer(as_json(body, told.status), takes, lookup.name, text)

    def _as_asked(self, lookup: Lookup, text: str) -> Any:
        """Return the value of *text* in the field whose rule uses *lookup*."""
        for field in walk(self.form.fields):
            if any(kind.name == "lookup" and kind.parameter == lookup.name for rule in field.rules for kind in rule.kinds):
                return typed_value(field, text)
        return text

    # submissions
    def _submission(self, request: Request, now: int) -> PlannedAnswer:
        payload, flat = self._read(request)
        sender = self.targets[request.method, request.path]
        reply = self.stand_in.reply(payload, now, flat=flat, panel=sender.panel)
        status = {"failure": -1, "nothing": 0}.get(reply.kind, reply.status)
        submission = Submission(request, read_as(sender, payload, flat=flat), status)
        self.submissions.append(submission)
        if reply.kind == "nothing":
            return PlannedAnswer(LOST, NEVER, submission=submission)
        response = LOST if reply.kind == "failure" else self._response(reply, request)
        return PlannedAnswer(response, reply.takes or 0, submission=submission)

    def _response(self, reply: ServerAnswer, request: Request) -> Response:
        there = (("Location", reply.to),) if reply.to else ()
        if request.navigates:
            return _document(reply)
        if reply.body is not None:
            return as_json(reply.body, reply.status, headers=there)
        if reply.status < 400:
            return as_json({}, reply.status, headers=there)
        if self.live.errors == "map":
            return as_json({"errors": {address: _one(texts) for address, texts in reply.errors}}, reply.status)
        if self.live.errors == "map-dotted":
            return as_json({"errors": {_dotted(address): _one(texts) for address, texts in reply.errors}}, reply.status)
        errors = [{"pointer": _pointer(address), "detail": text} for address, texts in reply.errors for text in texts]
        title = reply.notice.text if reply.notice is not None else "The form was rejected."
        return as_json({"title": title, "status": reply.status, "errors": errors}, reply.status, PROBLEM)

    def watched(self, request: Request) -> bool:
        """Return whether *request*, which an external server answers, is a submission, and record it."""
        if self.answers or not self.is_submission(request):
            return False
        payload, flat = self._read(request)
        self.submissions.append(Submission(request, read_as(self._sender(request), payload, flat=flat), 0))
        return True

    def _sender(self, request: Request) -> Form:
        return self.targets.get((request.method, request.path), self.form)

    def _read(self, request: Request) -> tuple[Any, bool]:
        if request.method == "GET":
            return received(urlsplit(request.target).query.encode(), "application/x-www-form-urlencoded")
        return received(request.body, request.headers.get("content-type", ""))

    def answered(self, status: int) -> None:
        """The last submission that is without an answer has got one (-1: the connection was lost)."""
        for i, each in enumerate(self.submissions):
            if each.status == 0:
                self.submissions[i] = each._replace(status=status)
                return

    # scripted answers
    def script_lookup(self, name: str, kind: str, message: str, after: int | None) -> None:
        """Queue the next answer of the lookup *name*."""
        self.stand_in.script_lookup(name, LookupAnswer(kind, message, after))

    def script_reply(self, reply: ServerAnswer) -> None:
        """Queue the server's next answer."""
        self.stand_in.script_reply(reply)


class NoBackend:
    """Answers nothing."""

    live = LivePage()

    def decide(self, request: Request, now: int) -> None:
        """Answer nothing."""
        return


NOBODY = NoBackend()


def _described(wanted: RequestPattern) -> dict[str, Any]:
    """Describe *wanted* for the agent, with its literal path, "" if it is a pattern."""
    literal = "" if "*" in wanted.path or "{value}" in wanted.path else wanted.path
    return {"method": wanted.method, "path": wanted.path_pattern(), "query": [name for name, _ in wanted.query], "literal": literal}


def _sent_to(form: Form) -> Iterator[tuple[str, str]]:
    """The methods and targets with which *form* is sent: a page's buttons may have their own."""
    submit = form.submit
    yield submit.method, submit.to
    for button in form.page.buttons if form.page is not None else ():
        if button.action is not None or button.method is not None:
            yield button.method or submit.method, submit.to if button.action is None else button.action


def _one(texts: tuple[str, ...]) -> Any:
    return texts[0] if len(texts) == 1 else list(texts)


def _dotted(address: str) -> str:
    """An address with dots alone: ``rows.0.name``."""
    return ".".join(str(segment) for segment in parse_address(address) or ()) if address else ""


def _pointer(address: str) -> str:
    """An address as a JSON Pointer (RFC 6901) in a URI fragment, as RFC 9457's example has it."""
    segments = parse_address(address) if address else ()
    return "#" + "".join(f"/{str(s).replace('~', '~0').replace('/', '~1')}" for s in segments or ())


def _document(reply: ServerAnswer) -> Response:
    """Return the answer to a form that the browser itself sent: a redirect, or the errors."""
    import html

    if reply.status < 400 and reply.to:
        return Response(303, b"", "text/html; charset=utf-8", (("Location", reply.to),))
    texts = [*([reply.notice.text] if reply.notice is not None else []), *(text for _, texts in reply.errors for text in texts)]
    role = "status" if reply.status < 400 else "alert"
    lines = "".join(f'<p role="{role}">{html.escape(text)}</p>' for text in texts)
    return Response(reply.status, f"<!doctype html><title>Answer</title><main>{lines}</main>".encode(), "text/html; charset=utf-8")


# matching
def _matches(request: Request, wanted: RequestPattern) -> tuple[str, ...] | None:
    """Return the text at ``{value}`` in the path, () without that placeholder; None if *request* does not match."""
    if request.method != wanted.method:
        return None
    found = re.fullmatch(wanted.path_pattern(), request.path)
    query = parse_qs(urlsplit(request.target).query, keep_blank_values=True)
    if found is None or any(name not in query for name, _ in wanted.query):
        return None
    fixed = [(name, value) for name, value in wanted.query if value and "{value}" not in value]
    if any(unquote(value) not in query[name] for name, value in fixed):
        return None
    return found.groups()


def _value_in(request: Request, wanted: RequestPattern) -> str | None:
    """Return the value that a lookup's *request* contains; None if it is not a request of this lookup."""
    groups = _matches(request, wanted)
    if groups is None:
        return None
    if groups:
        return unquote(groups[0])
    query = parse_qs(urlsplit(request.target).query, keep_blank_values=True)
    for name, template in wanted.query:
        if "{value}" in template:
            return query[name][-1]
    return _inside(_body(request), wanted.body)


def _inside(body: Any, template: Any) -> str | None:
    """Return the value of *body* where *template* has ``{value}``."""
    if template == "{value}":
        return body if isinstance(body, str) else None if body is None else json.dumps(body)
    if isinstance(template, dict) and isinstance(body, dict):
        found = (_inside(body.get(key), inner) for key, inner in template.items())
    elif isinstance(template, list) and isinstance(body, list):
        found = (_inside(b, t) for b, t in zip(body, template, strict=False))
    else:
        return None
    return next((value for value in found if value is not None), None)


def _body(request: Request) -> Any:
    return received(request.body, request.headers.get("content-type", ""))[0]
