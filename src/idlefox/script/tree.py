"""The syntax tree of a script as written, with positions, before it is checked against a form.

Blocks and statements (and lines of `fill`) have their *offset* in the text. Positions inside a statement are relative to it, so
that equal lines can share their content.

Scalars are plain values; a string with parameters is a `Template`. `same` compares trees, ignoring positions and blank lines,
but not comments.
"""

# No deferred annotations here: NamedTuple would compile each as a forward reference, at every start.
import typing
from typing import Any

from ..records import NamedTuple


class Parameter(NamedTuple):
    name: str
    offset: int = -1  # nowhere


class Template(NamedTuple):
    """A string with parameters: literal texts and `Parameter`s in turn. *source* is the text as written, unescaped."""

    parts: tuple[str | Parameter, ...]
    source: str


class Nothing(NamedTuple):
    """The cell `nothing`: where several may stand (messages, rules, options), none."""


class Anything(NamedTuple):
    """The pattern `any`."""


class Like(NamedTuple):
    """The pattern `like /…/flags`."""

    pattern: str
    flags: str = ""
    offset: int = 0


class Member(NamedTuple):
    """An element of a list (*key* None) or a member of an object, with its comments."""

    key: str | Template | None
    value: Any
    lead: tuple[str, ...] = ()
    tail: str = ""


class Collection(NamedTuple):
    """A JSON list or object as written. *end* holds the comments before the closing bracket."""

    kind: str  # "list" or "object"
    members: tuple[Member, ...]
    end: tuple[str, ...] = ()


class Address(typing.NamedTuple):
    """*segments* are names, row numbers and parameters; *relative* begins with a dot; a lone parameter is the whole."""

    segments: tuple[str | int | Parameter, ...]
    relative: bool = False
    offset: int = 0
    length: int = 0


class Duration(NamedTuple):
    ms: int
    text: str = ""


class WordToken(typing.NamedTuple):
    """A state, a rule or a name, where its place matters."""

    text: str
    offset: int = 0


class Not(NamedTuple):
    """A state after `not`."""

    word: Any


# Steps
class Type(typing.NamedTuple):
    address: Address
    text: Any
    every: Any = None


class Retype(typing.NamedTuple):
    address: Address
    text: Any


class Paste(typing.NamedTuple):
    address: Address
    text: Any


class Erase(NamedTuple):
    address: Address
    times: Any = 1


class Clear(typing.NamedTuple):
    address: Address


class Toggle(typing.NamedTuple):
    address: Address


class Focus(typing.NamedTuple):
    address: Address


class Blur(typing.NamedTuple):
    """*address* None: whatever has the focus."""

    address: Address | None


class Set(NamedTuple):
    address: Address
    value: Any


class Pick(NamedTuple):
    address: Address
    mode: str  # "", "also" or "except"
    values: tuple[Any, ...]


class Turn(NamedTuple):
    address: Address
    on: Any


class Upload(NamedTuple):
    address: Address
    files: "tuple[UploadFile, ...]"


class UploadFile(NamedTuple):
    name: Any
    size: Any = None
    type: Any = None


class Press(NamedTuple):
    key: str
    address: Address | None


class Fill(NamedTuple):
    lines: "tuple[FillLine, ...]"
    end: tuple[str, ...] = ()


class FillLine(NamedTuple):
    address: Address
    value: Any
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = 0
    offset: int = 0


class Add(NamedTuple):
    address: Address
    at: Any = None
    value: Any = None
    filled: bool = False


class Remove(NamedTuple):
    address: Address


class Move(NamedTuple):
    address: Address
    to: Any


class Open(NamedTuple):
    panel: WordToken


class Close(NamedTuple):
    panel: WordToken


class Submit(NamedTuple):
    panel: WordToken | None = None
    button: Any = None
    past_checks: bool = False


class Reset(NamedTuple):
    pass


class Dismiss(NamedTuple):
    pass


class Leave(NamedTuple):
    pass


class Return(NamedTuple):
    pass


class Reload(NamedTuple):
    pass


class Wait(NamedTuple):
    duration: Any


class Settle(NamedTuple):
    within: Any = None


class Answer(NamedTuple):
    """`answer submit` (*lookup* None) or `answer LOOKUP`. *kind*: status, accept, refuse, nothing, failure."""

    lookup: WordToken | None
    kind: str
    status: Any = None
    value: Any = None
    after: Any = None


class Do(NamedTuple):
    routine: WordToken
    values: tuple[Any, ...]
    table: "With | None" = None


class Note(NamedTuple):
    text: Any


class Inside(NamedTuple):
    address: Address
    body: "Body"


# Checks
class Noun(typing.NamedTuple):
    """*kind* is `address`, or the word itself (form, values, errors, submit, button, …)."""

    kind: str
    address: Address | None = None
    name: Any = None
    offset: int = 0
    length: int = 0


class Check(typing.NamedTuple):
    noun: Noun
    negated: bool
    predicate: str
    arguments: tuple[Any, ...]
    within: Any = None
    lasting: Any = None
    offset: int = 0
    length: int = 0


class Cannot(typing.NamedTuple):
    """`expect cannot STEP`. *offset* and *length* mark the step."""

    step: Any
    offset: int = 0
    length: int = 0


Act = (
    Type | Retype | Paste | Erase | Clear | Set | Pick | Toggle | Turn | Upload | Focus | Blur | Press | Fill | Add | Remove
    | Move | Open | Close | Submit | Reset | Dismiss | Leave | Return | Reload | Wait | Settle | Answer | Do | Note | Inside
    | Check | Cannot
)  # fmt: skip


class Statement(typing.NamedTuple):
    """A statement. *offset* and *length* mark it in the text; *templated*: it uses parameters."""

    act: Act
    lead: tuple[str, ...] = ()
    tail: str = ""
    templated: bool = False
    line: int = 0
    offset: int = 0
    length: int = 0


class Row(NamedTuple):
    values: tuple[Any, ...]
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = 0


class With(NamedTuple):
    """A table: its parameter names and rows, or the *file* (*kind*: csv or json) to take them from.

    Under `do` the names may be left out: the cells are the routine's parameters in their order.
    """

    names: tuple[str, ...]
    rows: tuple[Row, ...]
    kind: str = ""
    file: str = ""
    lead: tuple[str, ...] = ()
    tail: str = ""
    end: tuple[str, ...] = ()
    line: int = 0


class Body(NamedTuple):
    statements: tuple[Statement, ...]
    table: With | None = None
    end: tuple[str, ...] = ()
    clock: "Header | None" = None


class Header(NamedTuple):
    """`subject`, `use` or `clock` with its text. *ms* is the clock's instant."""

    kind: str
    text: str
    lead: tuple[str, ...] = ()
    tail: str = ""
    ms: int = 0
    line: int = 0
    offset: int = 0


class Block(NamedTuple):
    """`prelude`, `routine` or `scenario`. *fate* is `known` or `aside` with its *why*, "" for a scenario that is to hold."""

    kind: str
    body: "Body"
    name: str = ""
    parameters: tuple[str, ...] = ()
    title: Any = ""
    tags: tuple[str, ...] = ()
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = 0
    last_line: int = 0
    offset: int = 0
    fate: str = ""
    why: Any = ""


class Script(NamedTuple):
    """A whole file. *text* is its text, to which offsets refer."""

    headers: tuple[Header, ...]
    blocks: tuple[Block, ...]
    end: tuple[str, ...] = ()
    file: str = ""
    text: str = ""


# Attributes that hold only positions.
_PLACES = frozenset({"offset", "length", "line", "last_line", "ms", "templated", "file"})


def _said(name: str, value: Any) -> Any:
    """Blank lines among the comments are layout."""
    return tuple(c for c in value if c) if name in ("lead", "end") else value


def same(a: Any, b: Any) -> bool:
    """Return whether two trees (or parts of them) say the same, wherever they stand."""
    if type(a) is not type(b):
        return False
    if isinstance(a, tuple):
        names = getattr(a, "_fields", None)
        if names is None:
            return len(a) == len(b) and all(map(same, a, b))
        if isinstance(a, Duration):
            return bool(a.ms == b.ms)
        skipped = _PLACES | {"text"} if isinstance(a, Script) else _PLACES
        return all(name in skipped or same(_said(name, getattr(a, name)), _said(name, getattr(b, name))) for name in names)
    return bool(a == b)
