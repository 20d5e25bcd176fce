"""The syntax tree of a script: what was written, with its places, before it is held against any form.

Places do not count when trees are compared; comments and blank lines do. Scalars stand for themselves; a
string with parameters in it is a `Template`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any


def _place() -> Any:
    return field(default=0, compare=False)


@dataclass(frozen=True, slots=True)
class Parameter:
    name: str
    offset: int = _place()


@dataclass(frozen=True, slots=True)
class Template:
    """A string with parameters: literal texts and `Parameter`s in turn. *source* is the text as written, unescaped."""

    parts: tuple[str | Parameter, ...]
    source: str


@dataclass(frozen=True, slots=True)
class Anything:
    """The pattern `any`."""


@dataclass(frozen=True, slots=True)
class Like:
    """The pattern `like /…/flags`."""

    pattern: str
    flags: str = ""
    offset: int = _place()


@dataclass(frozen=True, slots=True)
class Member:
    """An element of a list (*key* None) or a member of an object, with its comments."""

    key: str | Template | None
    value: Any
    lead: tuple[str, ...] = ()
    tail: str = ""


@dataclass(frozen=True, slots=True)
class Many:
    """A JSON list or object as written. *end* holds the comments before the closing bracket."""

    kind: str  # "list" or "object"
    members: tuple[Member, ...]
    end: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Address:
    """*segments* are names, row numbers and parameters; *relative* begins with a dot; a lone parameter is the whole."""

    segments: tuple[str | int | Parameter, ...]
    relative: bool = False
    offset: int = _place()
    length: int = _place()


@dataclass(frozen=True, slots=True)
class Duration:
    ms: int
    text: str = field(default="", compare=False)


@dataclass(frozen=True, slots=True)
class Word:
    """A state, a rule or a name, where its place matters."""

    text: str
    offset: int = _place()


# Steps
@dataclass(frozen=True, slots=True)
class Type:
    address: Address
    text: Any
    every: Any = None


@dataclass(frozen=True, slots=True)
class Enter:
    """`retype`, `paste`: *how* says which."""

    how: str
    address: Address
    text: Any


@dataclass(frozen=True, slots=True)
class Erase:
    address: Address
    count: Any = 1


@dataclass(frozen=True, slots=True)
class On:
    """A step that needs an address only: clear, focus, toggle, and blur (which may go without)."""

    verb: str
    address: Address | None


@dataclass(frozen=True, slots=True)
class Set:
    address: Address
    value: Any


@dataclass(frozen=True, slots=True)
class Pick:
    address: Address
    mode: str  # "", "also" or "except"
    values: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Turn:
    address: Address
    on: Any


@dataclass(frozen=True, slots=True)
class Upload:
    address: Address
    files: tuple[UploadFile, ...]


@dataclass(frozen=True, slots=True)
class UploadFile:
    name: Any
    size: Any = None
    type: Any = None


@dataclass(frozen=True, slots=True)
class Press:
    key: str
    address: Address | None


@dataclass(frozen=True, slots=True)
class Fill:
    lines: tuple[FillLine, ...]
    end: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class FillLine:
    address: Address
    value: Any
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = _place()


@dataclass(frozen=True, slots=True)
class Add:
    address: Address
    at: Any = None
    value: Any = None
    filled: bool = False


@dataclass(frozen=True, slots=True)
class Remove:
    address: Address


@dataclass(frozen=True, slots=True)
class Move:
    address: Address
    to: Any


@dataclass(frozen=True, slots=True)
class Panel:
    verb: str  # "open" or "close"
    name: Word


@dataclass(frozen=True, slots=True)
class Submit:
    panel: Word | None = None
    button: Any = None
    past_checks: bool = False


@dataclass(frozen=True, slots=True)
class Plain:
    """A step of one word: reset, dismiss, leave, return, reload."""

    verb: str


@dataclass(frozen=True, slots=True)
class Wait:
    duration: Any


@dataclass(frozen=True, slots=True)
class Settle:
    within: Any = None


@dataclass(frozen=True, slots=True)
class Answer:
    """`answer submit` (*lookup* None) or `answer LOOKUP`. *kind*: status, accept, refuse, nothing, failure."""

    lookup: Word | None
    kind: str
    status: Any = None
    value: Any = None
    after: Any = None


@dataclass(frozen=True, slots=True)
class Do:
    routine: Word
    values: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Note:
    text: Any


@dataclass(frozen=True, slots=True)
class Inside:
    address: Address
    body: Body


# Checks
@dataclass(frozen=True, slots=True)
class Noun:
    """*kind* is `address`, or the word itself (form, values, errors, submit, button, …)."""

    kind: str
    address: Address | None = None
    name: Any = None
    offset: int = _place()
    length: int = _place()


@dataclass(frozen=True, slots=True)
class Check:
    noun: Noun
    negated: bool
    predicate: str
    arguments: tuple[Any, ...]
    within: Any = None
    lasting: Any = None
    offset: int = _place()
    length: int = _place()


Act = (
    Type | Enter | Erase | On | Set | Pick | Turn | Upload | Press | Fill | Add | Remove | Move | Panel | Submit | Plain
    | Wait | Settle | Answer | Do | Note | Inside | Check
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Statement:
    """One statement. *offset* and *length* mark it in the text; *templated* tells that it uses parameters."""

    act: Act
    lead: tuple[str, ...] = ()
    tail: str = ""
    templated: bool = field(default=False, compare=False)
    line: int = _place()
    offset: int = _place()
    length: int = _place()


@dataclass(frozen=True, slots=True)
class Row:
    values: tuple[Any, ...]
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = _place()


@dataclass(frozen=True, slots=True)
class With:
    """A table: its parameter names and rows, or the *csv* file to take them from."""

    names: tuple[str, ...]
    rows: tuple[Row, ...]
    csv: str | None = None
    lead: tuple[str, ...] = ()
    tail: str = ""
    end: tuple[str, ...] = ()
    line: int = _place()


@dataclass(frozen=True, slots=True)
class Body:
    statements: tuple[Statement, ...]
    table: With | None = None
    end: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Header:
    """`subject`, `use` or `clock` with its text. *ms* is the clock's instant."""

    kind: str
    text: str
    lead: tuple[str, ...] = ()
    tail: str = ""
    ms: int = field(default=0, compare=False)
    line: int = _place()
    offset: int = _place()


@dataclass(frozen=True, slots=True)
class Block:
    """`prelude`, `routine` or `scenario`."""

    kind: str
    body: Body
    name: str = ""
    parameters: tuple[str, ...] = ()
    title: Any = ""
    tags: tuple[str, ...] = ()
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = _place()
    last_line: int = _place()
    offset: int = _place()


@dataclass(frozen=True, slots=True)
class Script:
    """A whole file. *text* is what was read: offsets point into it."""

    headers: tuple[Header, ...]
    blocks: tuple[Block, ...]
    end: tuple[str, ...] = ()
    file: str = field(default="", compare=False)
    text: str = field(default="", compare=False, repr=False)
