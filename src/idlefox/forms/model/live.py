"""The key `live` of a sheet as data: the form's page and the locators of its parts."""

# No deferred annotations here: NamedTuple would compile each as a forward reference, at every start.
import re
from collections.abc import Mapping
from typing import Any

from ...records import NamedTuple
from ..expressions.tree import Expression

SETTLE_LIMIT, READY = 1_000, 30_000  # milliseconds
ANY, WHOLE = "*", ""  # the addresses under `find` of every field, and of the form itself
_REQUEST = re.compile(r"([A-Z]+) (/[^\s?#]*)(?:\?([^\s#]*))?")


class Find(NamedTuple):
    """A locator: a CSS selector (Selectors Level 4), or a role and accessible name (WAI-ARIA); *name* None matches any."""

    css: str = ""
    role: str = ""
    name: str | None = None


class FieldLocators(NamedTuple):
    """The locators of one address: its control, where its value can be read, and the page's marks of its states.

    Of a list, *rows* finds the rows, *add* and *remove* their buttons; of a panel, *open* and *close* its own. *open* is also what
    opens the options of a choice or a calendar. *around* is a CSS selector, *empty* the text of a choice without a value,
    *format* that of dates. *validity* is ``shown``, ``native`` or "" (as the form).
    """

    find: Find | None = None
    value: Find | None = None
    rows: Find | None = None
    add: Find | None = None
    remove: Find | None = None
    open: Find | None = None
    close: Find | None = None
    touched: Find | None = None
    dirty: Find | None = None
    shows: Find | None = None
    asking: Find | None = None
    marked: Find | None = None
    around: str = ""
    empty: str = ""
    format: str = ""
    validity: str = ""


class RequestPattern(NamedTuple):
    """A pattern for requests: *method*, *path* with ``*`` for the rest of a segment, and query parameters.

    ``{value}`` in the path, in a parameter or in the *body* is the value of the lookup.
    """

    method: str
    path: str
    query: tuple[tuple[str, str], ...] = ()
    body: Any = None

    def path_pattern(self) -> str:
        """The path as a regular expression (that Python and ECMAScript read alike) with a group for ``{value}``."""
        parts = re.split(r"(\*|\{value\})", self.path)
        return "".join("[^/]*" if p == "*" else "([^/]*)" if p == "{value}" else _escaped(p) for p in parts)


def _escaped(text: str) -> str:
    return re.sub(r"([.^$+?()\[\]{}|\\/])", r"\\\1", text)


def read_request(text: str, body: Any = None) -> RequestPattern | None:
    """Parse a request, ``METHOD /path?name=value``; None if it is invalid."""
    found = _REQUEST.fullmatch(text)
    if found is None:
        return None
    query = tuple((name, value) for name, _, value in (part.partition("=") for part in (found[3] or "").split("&")) if name)
    return RequestPattern(found[1], found[2], query, body)


class LookupResponse(NamedTuple):
    """An answer for the page: a status and a JSON body."""

    status: int = 200
    body: Any = None


class ScriptedAnswer(NamedTuple):
    """One of the further requests that are answered instead of a server; *when* reads ``query`` and ``body``."""

    request: RequestPattern
    told: LookupResponse
    takes: int = 0
    when: Expression | None = None


class LivePage(NamedTuple):
    """The key `live:`. *page* is a URL or a file beside the sheet; times are in milliseconds."""

    page: str = ""
    serve: str = ""
    ready: int = READY
    form: Find | None = None
    time: str = "virtual"  # or real
    settle_limit: int = SETTLE_LIMIT
    check_delay: int = 0
    validity: str = "shown"  # or native
    requests: str = "standin"  # or real
    answers: tuple[ScriptedAnswer, ...] = ()
    errors: str = "problem"  # or map, map-dotted
    accepted: Find | None = None
    rejected: Find | None = None
    payload: Find | None = None  # CSS "console" stands for the page's console
    sign_in: str = ""  # a scenario, FILE.fox:LINE, relative to the sheet
    reset: Find | None = None
    summary: Find | None = None
    notice: Find | None = None
    views: Mapping[str, Find] = {}
    submit: Find | None = None
    find: Mapping[str, FieldLocators] = {}
    page_errors: str = "warn"  # or fail
    file: str = ""
    line: int = 0
