"""The immutable model of a form, read from a sheet, a page or a schema.

It contains no state. Addresses are *schema paths*: tuples of names with ``*`` for a row.
"""

# No deferred annotations here: typing.NamedTuple would compile each as a forward reference, at every start.
import typing
from collections.abc import Iterator, Mapping
from typing import Any

from ...records import NamedTuple
from ..expressions.tree import TRUE, Expression
from ..names.shapes import Shape, segment_text
from .faults import NO_FAULTS, KnownFaults

Path = tuple[str, ...]

# Kinds of rules -> HTML's ValidityState flag; all others are customError.
FLAGS: dict[str, str] = {
    "required": "valueMissing", "minlength": "tooShort", "maxlength": "tooLong", "pattern": "patternMismatch",
    "email": "typeMismatch", "url": "typeMismatch", "badInput": "badInput", "min": "rangeUnderflow",
    "max": "rangeOverflow", "step": "stepMismatch",
}  # fmt: skip
FLAG_NAMES = frozenset(FLAGS.values()) | {"customError"}
RULE_KINDS = (*FLAGS, "among", "repeats", "unique", "holds", "python", "lookup")
TEXT_KINDS = frozenset({"text", "search", "tel", "email", "url", "password", "textarea"})
CHOICE_KINDS = frozenset({"select", "radio"})


class Message(typing.NamedTuple):
    """A message as written, cut into literal texts (str) and placeholders (1-tuples of a name)."""

    text: str
    parts: tuple[str | tuple[str], ...]
    placeholders: frozenset[str] = frozenset()


class Kind(typing.NamedTuple):
    """One kind of a rule: its name, ValidityState flag and parameter (a literal or an Expression)."""

    name: str
    flag: str
    parameter: Any


class Rule(typing.NamedTuple):
    """One entry of a `rules` list. *at* is a schema path, *at_index* fixes rows of it by number."""

    kinds: tuple[Kind, ...]
    say: Message | None = None
    when: Expression | None = None
    id: str = ""
    at: Path | None = None
    at_index: tuple[int | None, ...] = ()
    on_empty: bool = False
    start: str = "blur"
    debounce: int = 0
    remember: bool = False
    native: bool = False  # from an attribute of a page, so it is evaluated as in HTML (`engine.judge.native`)
    line: int = 0  # its line in the sheet


class Option(NamedTuple):
    """An option of a choice."""

    value: Any
    label: str
    enabled: Expression | None = None


class OptionsFrom:
    """Options that are the rows of a list: *path* of the list, names of the fields that give value and label.

    No tuple, unlike its neighbours: a field's `options` are either a tuple of options or this.
    """

    __slots__ = ("label", "path", "value")

    def __init__(self, path: Path, value: str, label: str) -> None:
        self.path = path
        self.value = value
        self.label = label


class Derive(NamedTuple):
    """A derived value (`derive`)."""

    source: Expression
    when: str


class Report(NamedTuple):
    """The reporting moments (`report`)."""

    first: str = "blur"
    again: str = "change"


class Field(typing.NamedTuple):
    """A field, group or list of rows."""

    name: str
    kind: str
    path: Path
    label: str
    line: int = 0
    initial: Any = None
    has_initial: bool = False
    rules: tuple[Rule, ...] = ()
    visible: Expression | None = None
    enabled: Expression | None = None
    readonly: Expression | None = None
    forget_when_hidden: bool = False
    trim: bool = False
    case: str = ""
    limit: int | None = None
    derive: Derive | None = None
    send: bool = True
    send_name: str = ""
    empty: str = "keep"
    report: Report = Report()
    reveal: Expression = TRUE
    messages: str = "one"
    options: tuple[Option, ...] | OptionsFrom | None = None
    multiple: bool = False
    accept: tuple[str, ...] = ()
    fields: "tuple[Field, ...]" = ()
    start: int | None = None
    least: int = 0
    most: int | None = None
    add: Expression | None = None
    remove: Expression | None = None
    native: Any = None  # of a page's field: `html.model.Native`

    @property
    def address(self) -> str:
        """The address as people write it, ``[*]`` for every row."""
        return self.native.address if self.native is not None else written_path(self.path)

    @property
    def many(self) -> bool:
        """Return whether its value is a list of choices."""
        return self.multiple if self.kind == "select" else self.kind == "checkbox" and self.options is not None


class Notice(NamedTuple):
    """A notice."""

    text: str
    kind: str
    lasts: int | None


class SubmitSettings(NamedTuple):
    """The settings of a submission (`submit`)."""

    to: str = "/"
    method: str = "POST"
    send: str = "json"
    enabled: Expression | None = None
    label: str = "Submit"
    while_busy: str = "open"


class Button(NamedTuple):
    """A further button (`buttons`)."""

    name: str
    label: str
    enabled: Expression | None
    past_checks: bool
    value: Any


class Reply(NamedTuple):
    """A reply of the stub server."""

    when: Expression | None
    status: int
    errors: tuple[tuple[str, tuple[str, ...]], ...]
    to: str
    notice: Notice | None
    record: Any
    has_record: bool
    takes: int | None
    body: Any = None  # the body for a live page


class Server(NamedTuple):
    """The stub server (`server`)."""

    takes: int = 0
    rules: tuple[Rule, ...] = ()
    replies: tuple[Reply, ...] = ()
    record: Mapping[str, Any] | None = None
    fails: bool = False


class After(NamedTuple):
    """The settings for one outcome (`after.accepted` and so on)."""

    view: str = ""
    notice: Notice | None = None
    values: str = "keep"
    forget: tuple[str, ...] = ()


class Lookup(NamedTuple):
    """A lookup."""

    name: str
    takes: int = 0
    accept: tuple[Any, ...] | None = None
    refuse: tuple[Any, ...] | None = None
    holds: Expression | None = None
    fails: bool = False
    request: Any = None  # `model.live.Wanted`: how a live page asks for it
    accepted: Any = None  # `model.live.Told`
    refused: Any = None


class Gives(NamedTuple):
    """Where an accepted panel's values go: an option of a choice or a row of a list."""

    to: Path
    kind: str
    value: str
    label: str


class Form(NamedTuple):
    """A form, or a panel of one (then *panel* is its name and the first segment of its fields' paths)."""

    id: str
    label: str
    fields: tuple[Field, ...]
    shape: Shape
    rules: tuple[Rule, ...] = ()
    report: Report = Report()
    reveal: Expression = TRUE
    messages: str = "one"
    dirty: str = "compare"
    lookups: Mapping[str, Lookup] = {}
    submit: SubmitSettings = SubmitSettings()
    buttons: tuple[Button, ...] = ()
    server: Server = Server()
    after: Mapping[str, After] = {}
    views: Mapping[str, tuple[str, ...]] = {}
    panels: "tuple[Form, ...]" = ()
    panel: str = ""
    gives: Gives | None = None
    draft: str = "drop"
    python: str = ""
    texts: Mapping[str, Message] = {}
    file: str = ""
    page: Any = None  # of a page's form: `html.model.Page`
    live: Any = None  # `model.live.LivePage`: where its own page is
    faults: KnownFaults = NO_FAULTS
    graph: Any = None  # `model.graph.Graph`, the dependencies; None for a page without a sheet, which has none

    def walk(self) -> Iterator[Field]:
        """Every field, group and list, in form order, panels not included."""
        return walk(self.fields)

    def find(self, path: Path) -> Field | None:
        """The field at the schema path *path* (rows as ``*``), panels included, or None."""
        fields = self.fields
        found: Field | None = None
        if not self.panel and path and any(p.panel == path[0] for p in self.panels):
            fields, path = next(p.fields for p in self.panels if p.panel == path[0]), path[1:]
        for name in path:
            if name == "*":
                continue
            found = next((f for f in fields if f.name == name), None)
            if found is None:
                return None
            fields = found.fields
        return found


def walk(fields: tuple[Field, ...]) -> Iterator[Field]:
    """*fields* and everything nested in them, in form order."""
    for each in fields:
        yield each
        yield from walk(each.fields)


def written_path(path: Path) -> str:
    """A schema path as people write it: ``passengers[*].age``."""
    text = ""
    for name in path:
        if name == "*":
            text += "[*]"
        else:
            text += segment_text(name, first=not text)
    return text
