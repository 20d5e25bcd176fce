"""Reads the key `live:` of a sheet, and what lookups and replies say of a page's requests."""

from __future__ import annotations

from typing import Any

from ..expressions.bind import Scope
from ..expressions.parse import ExpressionError, parse
from ..expressions.tree import Expression, Name
from ..model.live import (
    ANY,
    READY,
    SETTLE_LIMIT,
    WHOLE,
    FieldLocators,
    Find,
    LivePage,
    LookupResponse,
    RequestPattern,
    ScriptedAnswer,
    read_request,
)
from ..names.addresses import AddressError, locate, parse_address
from ..names.shapes import Shape
from .reading import At, Reading

_ASKED = ("value", "marked", "touched", "dirty", "shows", "asking")
_TEXTS = ("around", "empty", "format")
_OF_ANY = {"shows", "marked", "touched", "dirty", "asking", "around", "empty", "format"}
_WITH_VALUE = "mark the place of the value: GET /api/codes?code={value}"


class LiveReader:
    """Reads the key `live` of a sheet."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading

    def live(self, given: dict[str, Any], views: dict[str, Any]) -> LivePage:
        """Read `live`; *views* are those of the sheet."""
        at: At = ("live",)
        for name in given.get("views", {}):
            if name not in views and name not in ("editing", "waiting", "done"):
                known = ", ".join(dict.fromkeys(("editing", "waiting", "done", *views)))
                self.reading.report((*at, "views", name), f"unknown view {name!r}", f"the views are {known}", key=True)
        return LivePage(
            page=given["page"],
            serve=given.get("serve", ""),
            ready=self.reading.duration(at, given, "ready", READY),
            form=_found(given.get("form")),
            time=given.get("time", "virtual"),
            settle_limit=self.reading.duration(at, given, "settle_limit", SETTLE_LIMIT),
            check_delay=self.reading.duration(at, given, "check_delay", 0),
            validity=given.get("validity", "shown"),
            requests=given.get("requests", "standin"),
            answers=tuple(self._answer((*at, "answers", i), each) for i, each in enumerate(given.get("answers", []))),
            errors=given.get("errors", "problem"),
            accepted=_found(given.get("accepted")),
            rejected=_found(given.get("rejected")),
            payload=_found(given.get("payload")),
            sign_in=given.get("sign_in", ""),
            reset=_found(given.get("reset")),
            summary=_found(given.get("summary")),
            notice=_found(given.get("notice")),
            views={name: find for name, each in given.get("views", {}).items() if (find := _found(each)) is not None},
            submit=_found(given.get("submit")),
            find={address: self._place((*at, "find", address), address, each) for address, each in given.get("find", {}).items()},
            page_errors=given.get("page_errors", "warn"),
            file=self.reading.document.file,
            line=self.reading.document.place((*at, "page")).line,
        )

    def _place(self, at: At, address: str, given: Any) -> FieldLocators:
        if address in (ANY, WHOLE):
            return self._of_all(at, address, given)
        segments = parse_address(address)
        if segments is None:
            self.reading.report(at, f"{address!r} is not an address", "for example contact.email or passengers[*].age", key=True)
            return FieldLocators()
        try:
            shape = locate(self.reading.root, segments, self.reading.panels).shape
        except AddressError as fault:
            self.reading.report(at, fault.cause, fault.remedy, key=True)
            return FieldLocators()
        if isinstance(given, str) or "role" in given or "name" in given:
            more = given if isinstance(given, dict) else {}
            return self._marks(at, shape, more, _found(given))
        return self._marks(at, shape, given, _found(given.get("at")))

    def _marks(self, at: At, shape: Shape, given: dict[str, Any], find: Find | None) -> FieldLocators:
        for key in ("rows", "add", "remove"):
            if key in given and shape.kind != "rows":
                self.reading.report((*at, key), f"{shape.name} has no rows", "remove it", key=True)
        if "close" in given and shape.kind != "form":
            self.reading.report((*at, "close"), f"{shape.name} is not a panel", "remove it", key=True)
        return self._parts(given, find)

    def _of_all(self, at: At, address: str, given: Any) -> FieldLocators:
        """Read what holds for every field (``*``), or for the form itself."""
        if address == WHOLE:
            return self._parts({} if isinstance(given, str) else given, _found(given) if isinstance(given, str) else None)
        if isinstance(given, str):
            remedy = "say what it is: {shows: .error, marked: .has-error}"
            self.reading.report(at, "every field cannot be at the same place", remedy, key=True)
            return FieldLocators()
        for key in set(given) - _OF_ANY:
            known = ", ".join(sorted(_OF_ANY))
            self.reading.report((*at, key), f"{key} does not apply to every field", f"the keys here are {known}", key=True)
        return self._parts(given, None)

    def _parts(self, given: dict[str, Any], find: Find | None) -> FieldLocators:
        parts: dict[str, Any] = {key: _found(given.get(key)) for key in ("rows", "add", "remove", "open", "close", *_ASKED)}
        parts |= {key: given.get(key, "") for key in _TEXTS}
        return FieldLocators(find=find, validity=given.get("validity", ""), **parts)

    def request(self, at: At, given: dict[str, Any]) -> RequestPattern | None:
        """Return the request of a lookup, including the place of the value."""
        if "request" not in given:
            return None
        wanted = self._wanted((*at, "request"), given["request"], given.get("body"))
        if wanted is not None and "{value}" not in f"{wanted.path}{dict(wanted.query)}{wanted.body}":
            self.reading.report((*at, "request"), "the request has no place for the value", _WITH_VALUE)
        return wanted

    def _wanted(self, at: At, text: str, body: Any = None) -> RequestPattern | None:
        wanted = read_request(text, body)
        if wanted is None:
            self.reading.report(at, f"{text!r} is not a request", "for example GET /api/ports or POST /api/codes")
        return wanted

    def _answer(self, at: At, given: dict[str, Any]) -> ScriptedAnswer:
        wanted = self._wanted((*at, "request"), given["request"]) or RequestPattern("GET", "/")
        told = LookupResponse(given.get("status", 200), given.get("body"))
        return ScriptedAnswer(wanted, told, self.reading.duration(at, given, "takes"), self._when(at, given))

    def _when(self, at: At, given: dict[str, Any]) -> Expression | None:
        """A condition over the request's own parts, which no form knows: any name in `query` and `body` is one."""
        if "when" not in given:
            return None
        top = Shape("", "form", ())
        top.children = {part: Shape(part, "group", (part,), {}) for part in ("query", "body")}
        for segments in _names(given["when"]):
            shape: Shape | None = top
            for segment in segments:
                if shape is None or not isinstance(segment, str):
                    break
                if shape.children is None:
                    shape.children = {}
                    shape.kind = "group"
                if shape is top and segment not in shape.children:
                    break
                shape = shape.children.setdefault(segment, Shape(segment, "select", (*shape.path, segment)))
        return self.reading.condition(at, given, "when", Scope(top, payload=True))


def _names(text: Any) -> list[tuple[Any, ...]]:
    """Return the names in the expression *text*; none if it is invalid, which is reported elsewhere."""
    found: list[tuple[Any, ...]] = []

    def walk(part: Any) -> None:
        if isinstance(part, Name):
            found.append(part.segments)
        elif isinstance(part, tuple):
            for each in part:
                walk(each)

    try:
        walk(parse(text) if isinstance(text, str) else None)
    except ExpressionError:
        pass
    return found


def told(given: Any, default: Any) -> LookupResponse:
    """Read an answer for the page: a body, or ``{status: 404, body: …}`` with a status."""
    if given is None:
        return LookupResponse(body=default)
    if isinstance(given, dict) and "status" in given and set(given) <= {"status", "body"} and isinstance(given["status"], int):
        return LookupResponse(given["status"], given.get("body"))
    return LookupResponse(body=given)


def _found(given: Any) -> Find | None:
    """CSS as a text, or ``{role, name}``."""
    if given is None:
        return None
    if isinstance(given, str):
        return Find(css=given)
    return Find(role=given.get("role", ""), name=given.get("name"))
