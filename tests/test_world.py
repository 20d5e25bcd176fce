"""Who answers a page's requests, how a server reads them, and the keys of `live:`: tables, without a browser."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import pytest

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.engine.world.typed import received, typed_payload
from idlefox.forms.model.live import FieldLocators, Find, read_request
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.live.browser.connection import BiDiError
from idlefox.live.messages import Request, Response
from idlefox.live.page.network_log import NetworkLog
from idlefox.live.page.page_map import agent_map
from idlefox.live.servers import loopback
from idlefox.live.servers.backend import NEVER, PageBackend
from idlefox.live.servers.loopback import Loopback
from idlefox.playing.server_answers import answer_of
from idlefox.problems import Unreadable
from idlefox.script import tree

SHEET = """
form: lamp
fields:
  wick: {rules: [{lookup: wicks}]}
  oil: {type: number, rules: [{lookup: oils}]}
  colour: {type: select, options: [1, 2, red], rules: [{lookup: colours}]}
  lit: {type: checkbox}
  parts: {type: checkbox, options: [glass, hook]}
  hands: {type: rows, fields: {name: {}, age: {type: number}}}
  home: {type: group, fields: {port: {send: harbour}}}
lookups:
  wicks: {takes: 3s, accept: [flat], request: 'GET /api/wicks?name={value}'}
  oils: {accept: [3, 5], request: 'GET /api/oils/{value}', accepted: {free: true}, refused: {status: 404, body: {gone: true}}}
  colours: {refuse: [red], request: POST /api/colours, body: {find: {colour: '{value}'}}}
  lost: {fails: true, request: 'GET /api/lost?x={value}'}
submit: {to: /lamps}
server:
  takes: 2s
  rules:
    - {at: wick, required: true, say: Which wick?}
  replies:
    - {when: 'oil > 9', status: 409, body: {reason: dear}}
    - {when: 'oil == 8', status: 422, errors: {'hands[0].name': [Who?, Really?], '': Odd.}, notice: No.}
    - {when: 'count(hands) == 1', status: 201, to: /lamps/1, notice: Made.}
live:
  page: lamp.html
  answers:
    - {request: GET /api/ports, when: 'starts(query.near, "T")', takes: 300ms, body: [Tarvik]}
    - {request: 'GET /api/ports?near=Sund', body: [Sund]}
    - {request: POST /api/ports, when: 'body.near.island == "Hestholm"', body: [Hestholm]}
    - {request: GET /api/*, status: 404}
"""


def world(more: str = "") -> PageBackend:
    form = read_sheet_text(SHEET + more, "lamp.form.yaml")
    made = PageBackend(form, SessionFactory(compile_form(form)))
    made.start(0)
    return made


def post(target: str, body: Any, media_type: str = "application/json", **headers: str) -> Request:
    text = json.dumps(body) if media_type == "application/json" else body
    return Request("POST", target, {"content-type": media_type, **headers}, text.encode())


def get(target: str, **headers: str) -> Request:
    return Request("GET", target, headers)


# A request -> status, JSON body, milliseconds; None: it is not answered here.
ANSWERED: list[tuple[Request, Any]] = [
    (get("/api/wicks?name=flat"), (200, {"accepted": True}, 3000)),
    (get("/api/wicks?name=round%20one&x=1"), (200, {"accepted": False}, 3000)),
    (get("/api/wicks?names=flat"), (404, None, 0)),  # `answers` have a fit for that
    (get("/api/oils/3"), (200, {"free": True}, 0)),
    (get("/api/oils/5.0"), (200, {"free": True}, 0)),  # the field is a number
    (get("/api/oils/4"), (404, {"gone": True}, 0)),
    (get("/api/oils/4/x"), None),
    (post("/api/colours", {"find": {"colour": "red"}}), (200, {"accepted": False}, 0)),
    (post("/api/colours", {"find": {"colour": 1}}), (200, {"accepted": True}, 0)),
    (post("/api/colours", {"find": {}}), None),
    (get("/api/lost?x=1"), ("lost", None, 0)),
    (get("/api/ports?near=Tarvik"), (200, ["Tarvik"], 300)),
    (get("/api/ports?near=Sund"), (200, ["Sund"], 0)),
    (get("/api/ports?near=Nowhere"), (404, None, 0)),
    (post("/api/ports", {"near": {"island": "Hestholm"}}), (200, ["Hestholm"], 0)),
    (post("/api/ports", {"near": "Hestholm"}), None),
    (get("/lamp.html"), None),
    (get("/lamps"), None),
    (post("/lamps", {"wick": ""}), (422, {"title": "The form was rejected.", "status": 422, "errors": [{"pointer": "#/wick", "detail": "Which wick?"}]}, 2000)),
    (post("/lamps?x=1", {"wick": "a", "oil": 10}), (409, {"reason": "dear"}, 2000)),
    (post("/lamps", {"wick": "a", "oil": 8}), (422, {"title": "No.", "status": 422, "errors": [
        {"pointer": "#/hands/0/name", "detail": "Who?"}, {"pointer": "#/hands/0/name", "detail": "Really?"}, {"pointer": "#", "detail": "Odd."}]}, 2000)),
    (post("/lamps", {"wick": "a", "hands": [{}]}), (201, {}, 2000)),
    (post("/lamps", {"wick": "a"}), (200, {}, 2000)),
]  # fmt: skip


@pytest.mark.parametrize(("request_", "answered"), ANSWERED, ids=lambda each: f"{each.method} {each.target}" if isinstance(each, Request) else "")
def test_a_request_is_answered(request_: Request, answered: Any) -> None:
    decided = world().decide(request_, 0)
    if decided is None or answered is None:
        assert decided is answered
        return
    response = decided.response
    assert ("lost" if response.lost else response.status, json.loads(response.body or b"null"), decided.takes) == answered


def test_other_formats_of_errors_and_answers() -> None:
    errors = world("  errors: map\n").decide(post("/lamps", {"wick": "a", "oil": 8}), 0)
    assert errors is not None
    assert json.loads(errors.response.body) == {"errors": {"hands[0].name": ["Who?", "Really?"], "": "Odd."}}
    made = world().decide(post("/lamps", {"wick": "a", "hands": [{}]}), 0)
    assert made is not None
    assert made.response.headers == (("Location", "/lamps/1"),)
    real = world("  requests: real\n")
    assert real.decide(get("/api/oils/3"), 0) is None
    assert real.held() == []


def test_a_form_that_the_browser_sends_gets_a_document() -> None:
    flat, navigation = "application/x-www-form-urlencoded", {"sec-fetch-dest": "document"}
    made = world().decide(post("/lamps", "wick=a&hands%5B0%5D.name=Una", flat, **navigation), 0)
    assert made is not None
    assert (made.response.status, made.response.headers) == (303, (("Location", "/lamps/1"),))
    refused = world().decide(post("/lamps", "wick=a&oil=8", flat, **navigation), 0)
    assert refused is not None
    assert refused.response.status == 422
    assert b'<p role="alert">Who?</p>' in refused.response.body


def test_the_record_is_the_accepted_payload() -> None:
    asked = world("panels: {p: {fields: {a: {}}, submit: {to: /parts}}}\nafter: {}\n")
    for path, sent, stored in (
        ("/lamps", {"wick": "a", "oil": 1}, {"wick": "a", "oil": 1}), ("/lamps", {"wick": "b", "oil": 10}, {"wick": "a", "oil": 1}),
        ("/parts", {"a": "x"}, {"wick": "a", "oil": 1}), ("/lamps", {"wick": "c"}, {"wick": "c"}),
    ):  # fmt: skip
        assert asked.decide(Request("POST", path, {"content-type": "application/json"}, json.dumps(sent).encode()), 0) is not None
        assert asked.stand_in.record == stored, path


def test_scripted_answers_come_first_and_once() -> None:
    here = world()
    here.script_lookup("wicks", "refuse", "Sold out.", 50)
    here.script_lookup("wicks", "nothing", "", None)
    first, second, third = (here.decide(get("/api/wicks?name=flat"), 0) for _ in range(3))
    assert first is not None
    assert (json.loads(first.response.body), first.takes) == ({"accepted": False, "message": "Sold out."}, 50)
    assert second is not None
    assert second.takes == NEVER
    assert third is not None
    assert json.loads(third.response.body) == {"accepted": True}
    for kind, status, takes in (("failure", -1, 7), ("nothing", 0, NEVER), ("status", 503, 2000)):
        here.script_reply(answer_of(tree.Answer(None, kind, 503, {"errors": {"wick": "Shut."}, "notice": {"text": "Shut.", "lasts": "3s"}}, 7 if kind == "failure" else None)))
        decided = here.decide(post("/lamps", {}), 0)
        assert decided is not None
        assert (here.submissions[-1].status, decided.takes) == (status, takes)
        if kind == "status":
            assert json.loads(decided.response.body)["errors"] == [{"pointer": "#/wick", "detail": "Shut."}]
    assert [held["path"] for held in here.held()][:2] == [r"\/api\/wicks", r"\/api\/oils\/([^/]*)"]


RECEIVED: list[tuple[bytes, str, Any]] = [
    (b'{"a": 1}', "application/json; charset=utf-8", ({"a": 1}, False)),
    (b'{"a"', "application/json", ('{"a"', False)),
    (b'{"a": 1}', "application/problem+json", ({"a": 1}, False)),
    (b"a=1&b=x+y&b=z", "application/x-www-form-urlencoded", ({"a": "1", "b": ["x y", "z"]}, True)),
    (b'--B\r\nContent-Disposition: form-data; name="a"\r\n\r\n1\r\n--B--\r\n', 'multipart/form-data; boundary="B"', ({"a": "1"}, True)),
    (b"a=1\r\n", "text/plain", ({"a": "1"}, True)),
    (b"hello", "text/plain", ("hello", False)),
    (b"", "", ("", False)),
]  # fmt: skip


@pytest.mark.parametrize(("body", "media_type", "found"), RECEIVED)
def test_payloads_as_servers_parse_them(body: bytes, media_type: str, found: Any) -> None:
    assert received(body, media_type) == found


def test_a_flat_payload_gets_the_shape_and_the_types_of_the_form() -> None:
    form = read_sheet_text(SHEET, "lamp.form.yaml")
    flat = {
        "wick": "flat", "oil": "5.0", "colour": "2", "parts": ["hook", "glass"], "hands[1].name": "Ole", "hands[0].age": "7", "home.harbour": "Sund",
        "more": "x", "hands[0].name": "Una",
    }  # fmt: skip
    assert typed_payload(form, flat) == {
        "wick": "flat", "oil": 5, "colour": 2, "lit": False, "parts": ["hook", "glass"],
        "hands": [{"name": "Una", "age": 7}, {"name": "Ole"}], "home": {"harbour": "Sund"}, "more": "x",
    }  # fmt: skip
    assert typed_payload(form, {"lit": "on", "parts": "hook", "colour": "", "wick": ["a", "b"], "oil": "x"}) == {
        "wick": "b", "oil": None, "colour": None, "lit": True, "parts": ["hook"], "hands": [],
    }  # fmt: skip
    assert typed_payload(form, {"lit": "false", "hands": "x", "wick.x": "1", "wick": "y"})["lit"] is False


REQUESTS = [
    ("GET /a/b?x=1&y={value}", ("GET", "/a/b", (("x", "1"), ("y", "{value}")), r"\/a\/b")),
    ("POST /a.b/*", ("POST", "/a.b/*", (), r"\/a\.b\/[^/]*")),
    ("PUT /{value}/x", ("PUT", "/{value}/x", (), r"\/([^/]*)\/x")),
    ("/a", None), ("get /a", None), ("GET a", None), ("GET /a b", None), ("GET /a#b", None),
]  # fmt: skip


@pytest.mark.parametrize(("text", "found"), REQUESTS)
def test_a_request_is_read(text: str, found: Any) -> None:
    wanted = read_request(text)
    assert (wanted and (wanted.method, wanted.path, wanted.query, wanted.path_pattern())) == found


SLIPS = [
    ("live: {page: a.html, views: {gone: '#x'}}", "unknown view 'gone'", "editing, waiting, done"),
    ("live: {page: a.html, find: {wik: '#x'}}", "the form has no field 'wik'", "did you mean 'wick'?"),
    ("live: {page: a.html, find: {'w-[': '#x'}}", "'w-[' is not an address", "for example"),
    ("live: {page: a.html, find: {wick: {rows: '#x'}}}", "wick has no rows", "remove it"),
    ("live: {page: a.html, answers: [{request: /a}]}", "'/a' is not a request", "GET /api/ports"),
    ("live: {page: a.html, answers: [{request: GET /a, when: 'queri.x == 1'}]}", "unknown field 'queri'", "did you mean 'query'?"),
    ("live: {page: a.html, ready: soon}", "expected a duration, such as 250ms or 3s", "how to write it"),
    ("live: {form: '#x'}", "the key 'page' is missing in live", "add `page:`"),
    ("lookups: {l: {request: GET /a}}", "the request has no place for the value", "?code={value}"),
    ("lookups: {l: {request: GET a}}", "'GET a' is not a request", ""),
]  # fmt: skip


@pytest.mark.parametrize(("sheet", "cause", "remedy"), SLIPS)
def test_errors_in_live_keys(sheet: str, cause: str, remedy: str) -> None:
    with pytest.raises(Unreadable) as fault:
        read_sheet_text(f"form: f\nfields: {{wick: {{}}}}\n{sheet}\n", "f.form.yaml")
    [problem] = fault.value.problems
    assert cause in problem.cause
    assert remedy in problem.remedy


def test_the_map_of_a_page() -> None:
    live = """
live:
  page: 'a.html#x'
  serve: run it
  ready: 5s
  form: {role: form, name: Lamp}
  settle_limit: 2s
  validity: native
  notice: .note
  submit: {role: button}
  views: {done: '#done'}
  page_errors: fail
  find:
    wick: {role: textbox, name: Wick}
    hands: {rows: li, add: '#add', remove: {name: Away}}
    "*": {shows: .all, around: .line}
    "": {shows: .top}
    hands[*].name: {at: .name, touched: .t, dirty: .d, shows: .s, asking: .a, validity: native}
"""
    form = read_sheet_text(
        f"form: f\nfields: {{wick: {{label: Wick, send: w}}, when: {{type: radio, options: [a]}}, id: {{type: hidden}}, hands: {{type: rows, fields: {{name: {{}}}}}}}}\n{live}", "f",
    )  # fmt: skip
    found = agent_map(form)
    assert "dirty" in found.pop("calm")  # classes that are no mark
    assert found == {
        "fields": {
            "*": {"shows": {"css": ".all"}, "around": {"css": ".line"}, "own": {"css": ".top"}},
            "wick": {"kind": "field", "label": "Wick", "type": "text", "send": "w", "find": {"role": "textbox", "name": "Wick"}},
            "when": {"kind": "field", "label": "When", "type": "radio", "set": True, "choice": True, "options": [["a", "a"]]},
            "hands": {
                "kind": "rows", "label": "Hands", "type": "rows", "rows": {"css": "li"}, "add": {"css": "#add"}, "remove": {"name": "Away"},
                "fields": {"name": {"kind": "field", "label": "Name", "type": "text", "find": {"css": ".name"}, "touched": {"css": ".t"}, "dirty": {"css": ".d"}, "shows": {"css": ".s"}, "asking": {"css": ".a"}}},
            },
        },
        "views": {"done": {"css": "#done"}}, "native": True, "submitLabel": "Submit", "form": {"role": "form", "name": "Lamp"},
        "notice": {"css": ".note"}, "submit": {"role": "button"}, "noticeTexts": [],
    }  # fmt: skip
    assert form.live is not None
    assert (form.live.ready, form.live.settle_limit, form.live.serve, form.live.page_errors, form.live.line) == (5000, 2000, "run it", "fail", 5)
    assert form.live.find["hands[*].name"] == FieldLocators(Find(".name"), touched=Find(".t"), dirty=Find(".d"), shows=Find(".s"), asking=Find(".a"), validity="native")


class Wire:
    """A browser that tells what it is made to tell, and knows no bodies."""

    connection = property(lambda self: self)
    context = "page"

    def __init__(self, world: PageBackend) -> None:
        self.world = world
        self.told: dict[str, Any] = {}

    def on(self, event: str, handler: Any) -> None:
        self.told[event] = handler

    async def call(self, method: str, **given: Any) -> None:
        raise BiDiError("unknown command", "", method)

    async def ask_once(self, what: str, **given: Any) -> None:
        return None


@pytest.mark.parametrize("answer, event, status", [("network.responseCompleted", {"response": {"status": 422}}, 422), ("network.fetchError", {}, -1)])
def test_answers_before_the_request_is_read_count(answer: str, event: dict[str, Any], status: int) -> None:
    wire = Wire(world("  requests: real\n"))
    traffic: Any = NetworkLog(wire)  # type: ignore[arg-type]

    async def talk() -> None:
        with pytest.raises(BiDiError):
            await traffic.watch()
        late, again = ({"context": "page", "request": {"request": each, "method": "POST", "url": "http://x.example/lamps", "headers": []}} for each in "ab")
        reading = wire.told["network.beforeRequestSent"](late)
        wire.told[answer](late | event)
        assert traffic.in_flight()
        await reading
        assert not traffic.in_flight()
        await wire.told["network.beforeRequestSent"](again)
        traffic.give_up()
        assert not traffic.in_flight()
        reading = wire.told["network.beforeRequestSent"](late)
        traffic.forget()
        await reading  # of a scenario that is over

    asyncio.run(talk())
    assert [each.status for each in wire.world.submissions] == [status, 0]


# A request, how its answer starts, and what is in it. "HOST" stands for a good Host header.
ASKED: dict[str, tuple[bytes, bytes, bytes]] = {
    "file": (b"GET /a.html?x=1 HTTP/1.1\r\nHOST\r\n\r\n", b"200 OK", "text/html; charset=utf-8\r\n\r\n<p>é".encode()),
    "localhost": (b"GET /a.html HTTP/1.1\r\nHost: LOCALHOST:80\r\n\r\n", b"200 OK", b""),
    "ipv6": (b"GET /a.html HTTP/1.1\r\nHost: [::1]:80\r\n\r\n", b"200 OK", b""),
    "other host": (b"GET /a.html HTTP/1.1\r\nHost: evil.example\r\n\r\n", b"421 Misdirected Request", b""),
    "no host": (b"GET /a.html HTTP/1.1\r\n\r\n", b"400 Bad Request", b""),
    "odd host": (b"GET /a.html HTTP/1.1\r\nHost: [\r\n\r\n", b"400 Bad Request", b""),
    "odd target": (b"GET //[ HTTP/1.1\r\nHOST\r\n\r\n", b"400 Bad Request", b""),
    "climbs": (b"GET /../secret.txt HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "climbs in code": (b"GET /%2e%2e/secret.txt HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "link": (b"GET /link HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "dot file": (b"GET /.env HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "dot folder": (b"GET /%2egit/config HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "zero": (b"GET /a%00.html HTTP/1.1\r\nHOST\r\n\r\n", b"404 Not Found", b""),
    "post": (b"POST /api HTTP/1.1\r\nHOST\r\nContent-Length: 2\r\n\r\n{}", b"200 OK", b"X-A: b%0Ac\r\n"),
    "chunks": (b"POST /api HTTP/1.1\r\nHOST\r\nTransfer-Encoding: chunked\r\n\r\n" + b"1\r\na\r\n" * 999 + b"0\r\n\r\n", b"200 OK", b"a" * 999),
    "expects": (b"POST /api HTTP/1.1\r\nHOST\r\nContent-Length: 0\r\nExpect: 100-continue\r\n\r\n", b"200 OK", b""),
    "large": (b"POST /api HTTP/1.1\r\nHOST\r\nContent-Length: 99999999999\r\nExpect: 100-continue\r\n\r\n", b"413 ", b""),
    "large chunk": (b"POST /api HTTP/1.1\r\nHOST\r\nTransfer-Encoding: chunked\r\n\r\n7d1\r\n" + b"a" * 2001 + b"\r\n", b"413 ", b""),
    "put": (b"PUT /a.html HTTP/1.1\r\nHOST\r\n\r\n", b"405 Method Not Allowed", b""),
    "fault": (b"GET /fault HTTP/1.1\r\nHOST\r\n\r\n", b"500 ", b""),
    "no http": (b"hello\r\n\r\n", b"400 Bad Request", b""),
    "slow": (b"GET /a.html HTTP/1.1\r\nHo", b"408 Request Timeout", b""),
}


def test_files_are_served_and_every_odd_request_has_an_answer(fox: Any, monkeypatch: Any) -> None:
    monkeypatch.setattr(loopback, "SLOWEST", 0.3)
    monkeypatch.setattr(loopback, "MOST_BODY", 2000)
    (fox.folder / "site" / ".git").mkdir(parents=True)
    for name, text in {"site/a.html": "<p>é", "secret.txt": "no", "site/.env": "no", "site/.git/config": "no"}.items():
        (fox.folder / name).write_text(text, "utf-8")
    (fox.folder / "site" / "link").symlink_to(fox.folder / "secret.txt")

    async def answer(request: Request) -> Response | None:
        if request.path == "/api":
            return Response(200, request.body, "application/json", (("X-A", "b\nc"),))
        if request.path == "/fault":
            raise ValueError
        return Response(0, lost=True) if request.path == "/lost" else None

    async def ask(base: str, text: bytes) -> bytes:
        reader, writer = await asyncio.open_connection("127.0.0.1", int(base.rpartition(":")[2]))
        writer.write(text.replace(b"HOST", b"Host: " + base.removeprefix("http://").encode()))
        found = await reader.read()
        writer.close()
        return found

    async def talk() -> list[bytes]:
        server = Loopback(str(fox.folder / "site"), answer)
        base = await server.start()
        found = await asyncio.gather(*(ask(base, text) for text, _, _ in ASKED.values()), ask(base, b"GET /lost HTTP/1.1\r\nHOST\r\n\r\n"))
        await server.stop()
        return found

    *found, lost = asyncio.run(talk())
    assert lost == b""
    for (name, (_, status, inside)), got in zip(ASKED.items(), found, strict=True):
        final = got.removeprefix(b"HTTP/1.1 100 \r\n\r\n")
        assert final.startswith(b"HTTP/1.1 " + status), (name, got)
        assert inside in got, (name, got)
        assert got.rpartition(b"\r\n\r\n")[2] != b"no", name
