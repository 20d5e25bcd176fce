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
    """A reference to a parameter of the scenario or routine: `$name`."""

    name: str
    offset: int = -1  # nowhere


class Template(NamedTuple):
    """A string with parameters: literal texts and `Parameter`s in turn. *source* is the text as written, unescaped."""

    parts: tuple[str | Parameter, ...]
    source: str


class Nothing(NamedTuple):
    """The cell `nothing`: an empty list of messages, rules or options."""


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
    """A duration in milliseconds, and its text as written."""

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
    """The step `type`: types *text*, with a pause of *every* between characters."""

    address: Address
    text: Any
    every: Any = None


class Retype(typing.NamedTuple):
    """The step `retype`: replaces the content of a field by typing."""

    address: Address
    text: Any


class Paste(typing.NamedTuple):
    """The step `paste`: inserts *text* at once."""

    address: Address
    text: Any


class Erase(NamedTuple):
    """The step `erase`: presses Backspace *times* times."""

    address: Address
    times: Any = 1


class Clear(typing.NamedTuple):
    """The step `clear`: empties a field."""

    address: Address


class Toggle(typing.NamedTuple):
    """The step `toggle`: changes a checkbox."""

    address: Address


class Focus(typing.NamedTuple):
    """The step `focus`: moves the focus to a field."""

    address: Address


class Blur(typing.NamedTuple):
    """The step `blur`: leaves the field; *address* None: the focused element."""

    address: Address | None


class Set(NamedTuple):
    """The step `set`: enters a value and leaves the field."""

    address: Address
    value: Any


class Pick(NamedTuple):
    """The step `pick`: chooses options; *mode* is ``""``, ``also`` or ``except``."""

    address: Address
    mode: str  # "", "also" or "except"
    values: tuple[Any, ...]


class Turn(NamedTuple):
    """The step `turn`: turns a checkbox on or off."""

    address: Address
    on: Any


class Upload(NamedTuple):
    """The step `upload`: chooses files."""

    address: Address
    files: "tuple[UploadFile, ...]"


class UploadFile(NamedTuple):
    """A file of `upload`: a path, or a made-up file with a *size* and *type*."""

    name: Any
    size: Any = None
    type: Any = None


class Press(NamedTuple):
    """The step `press`: presses a key, in a field or where the focus is."""

    key: str
    address: Address | None


class Fill(NamedTuple):
    """The step `fill`: enters several values."""

    lines: "tuple[FillLine, ...]"
    end: tuple[str, ...] = ()


class FillLine(NamedTuple):
    """One line of `fill`."""

    address: Address
    value: Any
    lead: tuple[str, ...] = ()
    tail: str = ""
    line: int = 0
    offset: int = 0


class Add(NamedTuple):
    """The step `add`: adds a row at index *at*, with *value* if *filled*."""

    address: Address
    at: Any = None
    value: Any = None
    filled: bool = False


class Remove(NamedTuple):
    """The step `remove`: removes a row."""

    address: Address


class Move(NamedTuple):
    """The step `move`: moves a row to the index *to*."""

    address: Address
    to: Any


class Open(NamedTuple):
    """The step `open`: opens a panel."""

    panel: WordToken


class Close(NamedTuple):
    """The step `close`: closes a panel."""

    panel: WordToken


class Submit(NamedTuple):
    """The step `submit`; *past_checks* sends without a press and without checks."""

    panel: WordToken | None = None
    button: Any = None
    past_checks: bool = False


class Reset(NamedTuple):
    """The step `reset`."""


class Dismiss(NamedTuple):
    """The step `dismiss`: closes the notice."""


class Leave(NamedTuple):
    """The step `leave`: navigates away."""


class Return(NamedTuple):
    """The step `return`: navigates back."""


class Reload(NamedTuple):
    """The step `reload`: loads the page again."""


class Wait(NamedTuple):
    """The step `wait`: advances the clock by a duration."""

    duration: Any


class Settle(NamedTuple):
    """The step `settle`: advances the clock until nothing is pending."""

    within: Any = None


class Answer(NamedTuple):
    """`answer submit` (*lookup* None) or `answer LOOKUP`. *kind*: status, accept, refuse, nothing, failure."""

    lookup: WordToken | None
    kind: str
    status: Any = None
    value: Any = None
    after: Any = None


class AnswerBox(NamedTuple):
    """`answer confirm with ok` or `answer prompt with "TEXT"`: the reply to the next box of the browser. *answer* is true or false for
    a confirm, the text or None (cancelled) for a prompt.
    """

    box: str
    answer: Any


class Go(NamedTuple):
    """The step `go`: navigates to another page of the same site."""

    path: Any


class Do(NamedTuple):
    """The statement `do`: calls a routine, once or for each row of a table."""

    routine: WordToken
    values: tuple[Any, ...]
    table: "With | None" = None


class Note(NamedTuple):
    """The statement `note`: a text for people."""

    text: Any


class Inside(NamedTuple):
    """The block `inside`: statements with relative addresses."""

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
    """The statement `expect`: a noun and a predicate; *within* and *lasting* are durations."""

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
    | Move | Open | Close | Submit | Reset | Dismiss | Leave | Return | Reload | Wait | Settle | Answer | AnswerBox | Go | Do | Note
    | Inside | Check | Cannot
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
    """A row of a table."""

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
    """The statements of a block, with its table and comments."""

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
    """Return whether two trees (or parts of them) are equal, ignoring positions."""
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
