"""Requests and responses between a page and whoever answers it, as plain data."""

from __future__ import annotations

import json
from collections.abc import Mapping
from http import HTTPStatus
from typing import Any
from urllib.parse import quote, urlsplit

from ..records import NamedTuple


class Request(NamedTuple):
    """A request as it was sent. *target* is the path with its query, header names are in lower case."""

    method: str
    target: str
    headers: Mapping[str, str] = {}
    body: bytes = b""

    @property
    def path(self) -> str:
        """The path of the URL without the query."""
        return self.target.partition("?")[0]

    @property
    def navigates(self) -> bool:
        """Return whether a browser asks for a document with it (Fetch Metadata)."""
        return self.headers.get("sec-fetch-dest", "") in ("document", "iframe", "frame")


class Response(NamedTuple):
    """A response. *lost*: the connection breaks instead."""

    status: int = 200
    body: bytes = b""
    media_type: str = "application/json"
    headers: tuple[tuple[str, str], ...] = ()
    lost: bool = False

    @property
    def reason(self) -> str:
        """The reason phrase of the status."""
        try:
            return HTTPStatus(self.status).phrase
        except ValueError:
            return ""


class StoredData(NamedTuple):
    """The stored data of a site: cookies (WebDriver BiDi, "network.Cookie"), and by origin the items of its two storages."""

    cookies: tuple[Mapping[str, Any], ...] = ()
    storages: Mapping[str, Mapping[str, Mapping[str, str]]] = {}


class DocumentGone(Exception):
    """The document that was asked is not there: none is, or another."""


def header_value(text: str) -> str:
    """*text* as the value of a header: characters that a header cannot hold are percent-encoded (RFC 9110, section 5.5)."""
    return quote(text, safe="".join(map(chr, range(0x20, 0x7F)))).strip()


def target_of(url: str) -> str:
    """The path of *url* with its query."""
    parts = urlsplit(url)
    return parts.path + (f"?{parts.query}" if parts.query else "")


LOST = Response(0, lost=True)


def as_json(data: Any, status: int = 200, media_type: str = "application/json", headers: tuple[tuple[str, str], ...] = ()) -> Response:
    """A response of JSON; nothing at all where *data* is None."""
    body = b"" if data is None else json.dumps(data, ensure_ascii=False).encode()
    return Response(status, body, media_type, headers)
