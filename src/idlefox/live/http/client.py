"""Real requests to a server that draws forms: to the hosts that somebody has named, and to no other."""

from __future__ import annotations

from pathlib import Path
from time import monotonic
from typing import Any
from urllib.parse import urljoin, urlsplit

from ...forms.model.form import Form
from ...forms.model.live import LivePage
from .served_page import ServedPage

TIMEOUT = 30.0  # seconds for one request, and for its whole answer
MOST = 16 << 20  # bytes of an answer, decoded
_MOST_REDIRECTIONS = 10
_OF_TRANSFER = ("content-encoding", "content-length", "transfer-encoding")  # of no meaning once an answer is read


class OtherHost(Exception):
    """A request would go to a host that was not named."""


class HttpClient:
    """Real requests to the hosts *allowed* (host and port). No proxy and no credentials of the environment; TLS is checked."""

    def __init__(self, allowed: frozenset[str], cookies: Any = None) -> None:
        import httpx

        self._httpx = httpx
        self.allowed = allowed
        self._client = httpx.Client(trust_env=False, timeout=TIMEOUT, follow_redirects=False, cookies=cookies)

    def fetch(self, method: str, url: str, body: bytes = b"", media_type: str = "") -> tuple[Any, str]:
        """Return the response at the end of all redirects, and its URL. Raises OtherHost, and httpx.HTTPError if there is no
        response.
        """
        for _ in range(_MOST_REDIRECTIONS):
            if self._host_of(url) not in self.allowed:
                raise OtherHost(url)
            response = self._answer(method, url, body, media_type)
            if response.status_code not in (301, 302, 303, 307, 308) or "location" not in response.headers:
                return response, url
            try:
                url = urljoin(url, response.headers["location"])
            except ValueError:
                raise self._bad(f"it redirects to {response.headers['location']!r}, which is no URL") from None
            if response.status_code == 303 or (response.status_code in (301, 302) and method == "POST"):  # Fetch, "HTTP-redirect fetch"
                method, body, media_type = "GET", b"", ""
        raise self._httpx.TooManyRedirects("too many redirects")

    def _host_of(self, url: str) -> str:
        try:
            return urlsplit(url).netloc
        except ValueError:
            raise self._bad(f"{url!r} is no URL") from None

    def _answer(self, method: str, url: str, body: bytes, media_type: str) -> Any:
        """Return the response, read to its end unless it is too large or takes too long."""
        headers = {"Content-Type": media_type} if media_type else {}
        end = monotonic() + TIMEOUT
        try:
            with self._client.stream(method, url, content=body or None, headers=headers) as response:
                content = bytearray()
                for chunk in response.iter_bytes():
                    content += chunk
                    if len(content) > MOST:
                        raise self._bad(f"its answer has more than {MOST:,} bytes")
                    if monotonic() > end:
                        raise self._bad(f"its answer takes more than {TIMEOUT:.0f} s")
        except self._httpx.InvalidURL as fault:
            raise self._bad(f"{url!r} is no URL: {fault}") from None
        kept = [(name, value) for name, value in response.headers.multi_items() if name.lower() not in _OF_TRANSFER]
        return self._httpx.Response(response.status_code, headers=kept, content=bytes(content))

    def _bad(self, why: str) -> Exception:
        fault: Exception = self._httpx.RemoteProtocolError(why)
        return fault

    def cookies(self) -> Any:
        """Return the cookies so far."""
        return self._client.cookies

    def is_fault(self, fault: Exception) -> bool:
        """Return whether *fault* says that no answer has come."""
        return isinstance(fault, self._httpx.HTTPError)

    def close(self) -> None:
        """Close the client."""
        self._client.close()

    def page(self, url: str, form: Form | None = None) -> ServedPage:
        """Return the page at *url*; the sheet *form* may select one of its forms. Raises OtherHost, httpx.HTTPError."""
        response, there = self.fetch("GET", url)
        return served(response.text, there, url, form)


def served(text: str, there: str, asked: str, form: Form | None) -> ServedPage:
    """The page *text* that came from *there* when *asked* was meant."""
    live = form.live if form is not None and form.live is not None else LivePage()
    likely = form.id if form is not None else ""
    return ServedPage(text, there, urlsplit(asked).fragment, likely=likely, own=live.form)


def body_of(sent: Any, paths: dict[tuple[str, int], str]) -> bytes:
    """Return the bytes of a request as the engine encodes it, with the content of files."""
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
