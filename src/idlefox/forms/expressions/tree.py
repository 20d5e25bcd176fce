"""The syntax tree of expressions, before and after binding.

`Name` is what the person wrote; `Reference` is its meaning. All other nodes are the same in both trees. *at* is the offset in
the expression's text.
"""

# No deferred annotations here: NamedTuple would compile each as a forward reference, at every start.
from typing import Any, Final

from ...records import NamedTuple


class Unknown:
    """The third truth value: the result of ordering or adding null (SQL's `unknown`)."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "unknown"

    def __bool__(self) -> bool:
        raise TypeError("unknown is neither true nor false")


UNKNOWN: Final = Unknown()

Segment = str | int


class Literal(NamedTuple):
    """A number, string, boolean or null."""

    value: Any
    at: int


class Name(NamedTuple):
    """An address as written. *dotted* records for each segment whether it follows a dot (not in brackets)."""

    segments: tuple[Segment, ...]
    dotted: tuple[bool, ...]
    at: int


class Reference(NamedTuple):
    """A bound name.

    *base*: ``root`` (the form), ``panel:NAME``, ``row`` (*level* counts the rows around, from the outermost, 1),
    ``var`` (a comprehension's row, *variable*), ``self`` (the field the expression belongs to), ``payload``,
    ``record``, ``lookup`` or ``index``. *steps* lead from there; *target* is the schema path reached
    (rows as ``*``), None in a payload. *member* is ``value`` or a state's name. *kind* is the static type.
    """

    base: str
    steps: tuple[Segment, ...]
    target: tuple[str, ...] | None
    member: str
    kind: str
    at: int
    level: int = 0
    variable: str = ""


class Unary(NamedTuple):
    """`not` or a minus sign, with its operand."""

    op: str
    operand: Any
    at: int


class Binary(NamedTuple):
    """A comparison or an arithmetic operation; *dates*: on dates."""

    op: str
    left: Any
    right: Any
    at: int
    dates: bool = False


class BooleanOperation(NamedTuple):
    """*spans* are where the text of each part begins and ends."""

    op: str
    parts: tuple[Any, ...]
    at: int
    spans: tuple[tuple[int, int], ...] = ()


class Choice(NamedTuple):
    """A conditional expression: ``THEN if CONDITION else OTHERWISE``."""

    condition: Any
    then: Any
    otherwise: Any
    at: int


class ListOf(NamedTuple):
    """A list."""

    items: tuple[Any, ...]
    at: int


class ObjectOf(NamedTuple):
    """An object, as pairs of key and expression."""

    members: tuple[tuple[str, Any], ...]
    at: int


class Call(NamedTuple):
    """A call of a built-in function."""

    function: str
    arguments: tuple[Any, ...]
    at: int


class Comprehension(NamedTuple):
    """A function over the rows of a list: ``any(ITEM for VARIABLE in SOURCE if CONDITION)``."""

    function: str
    item: Any
    variable: str
    source: Any
    condition: Any
    at: int


Node = Literal | Name | Reference | Unary | Binary | BooleanOperation | Choice | ListOf | ObjectOf | Call | Comprehension


class Expression(NamedTuple):
    """A bound expression: its *text*, its tree, every reference it reads, and whether it reads the clock."""

    text: str
    node: Any
    reads: tuple[Reference, ...]
    clock: str  # "", "today" or "now"
    kind: str


TRUE = Expression("true", Literal(True, 0), (), "", "boolean")
FALSE = Expression("false", Literal(False, 0), (), "", "boolean")
