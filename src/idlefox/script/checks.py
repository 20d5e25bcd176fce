"""Reads one check: `expect NOUN [not] PREDICATE [within|for DURATION]`."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..problems import listed, suggestion
from .scan import PREDICATE, ParseError, Scanner
from .tree import Address, Check, Collection, Like, Noun

FIELD = ("=", "!=", "includes", "contains", "is", "breaks", "shows", "reads", "offers", "has", "allows")
# Noun -> its predicates.
NOUNS: dict[str, tuple[str, ...]] = {
    "form": ("is", "breaks", "shows"),
    "values": ("=", "!=", "includes", "contains"),
    "errors": ("=", "!=", "includes", "nothing"),
    "submit": ("is",),
    "button": ("is",),
    "outcome": ("is",),
    "requests": ("=", "!="),
    "request": ("=", "!=", "like", "contains"),
    "payload": ("=", "!=", "includes", "omits"),
    "body": ("=", "!=", "like", "contains"),
    "location": ("=", "!=", "like", "contains"),
    "status": ("=", "!=", "nothing"),
    "record": ("=", "!=", "includes"),
    "notice": ("=", "!=", "like", "contains", "nothing", "is"),
    "alert": ("=", "!=", "like", "contains", "nothing"),
    "view": ("is",),
    "focus": ("=", "!=", "nothing"),
    "dirty": ("=", "!=", "nothing"),
    "touched": ("=", "!=", "nothing"),
}
_ALL_NOUNS = listed(NOUNS, most=30)
_ADDRESSED = ("focus", "dirty", "touched")
_WORDS = ("is", "breaks", "shows", "reads", "offers", "has", "allows", "includes", "contains", "omits", "like", "nothing")


def read_check(s: Scanner) -> Check:
    """The check whose `expect` has just been read."""
    noun = _noun(s)
    known = FIELD if noun.kind == "address" else NOUNS[noun.kind]
    found = PREDICATE.match(s.text, s.at)
    word = found[2] or found[3] if found else ""
    if found is None or word not in known or (found[3] and word not in _WORDS):
        raise _no_predicate(s, known, noun)
    negated = found[1] is not None
    start = found.start(2) if found[2] else found.start(3)
    s.at = found.end()
    predicate, arguments = _READERS[word](s, noun)
    length = s.at - start
    within = lasting = None
    if not s.at_end():
        within = s.duration() if s.take_word("within") else None
        lasting = s.duration() if within is None and s.take_word("for") else None
    return Check(noun, negated, predicate, arguments, within, lasting, start - s.base, length)


def _noun(s: Scanner) -> Noun:
    address = s.address("the address of a field, or one of " + _ALL_NOUNS)
    segments = address.segments
    if len(segments) == 1 and segments[0] in NOUNS and not address.relative and s.text[s.base + address.offset] != "[":
        kind = str(segments[0])
        name = s.string("the button's name in double quotes") if kind == "button" else None
        return Noun(kind, None, name, address.offset, s.at - s.base - address.offset)
    return Noun("address", address, None, address.offset, address.length)


def _no_predicate(s: Scanner, known: tuple[str, ...], noun: Noun) -> ParseError:
    s.take_word("not")
    s.space()
    words = listed(sorted(known), most=20)
    if s.text.startswith("==", s.at):
        return ParseError("== is not allowed here", s.at, "write = instead", 2)
    word = s.peek_word() or ("!=" if s.text.startswith("!=", s.at) else "=" if s.text.startswith("=", s.at) else "")
    if word in _WORDS or word in ("=", "!="):
        what = "a field" if noun.kind == "address" else repr(noun.kind)
        return ParseError(f"{what} has no predicate {word!r}", s.at, f"its predicates are {words}", len(word))
    return s.expected(f"a predicate: {words}", suggestion(word, known) if word else "")


def _several(s: Scanner, one: Callable[[], Any]) -> tuple[Any, ...]:
    first = one()
    if not s.take(","):
        return (first,)
    found = [first, one()]
    while s.take(","):
        found.append(one())
    return tuple(found)


def _equals(predicate: str) -> Callable[[Scanner, Noun], tuple[str, tuple[Any, ...]]]:
    def read(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
        if noun.kind in _ADDRESSED:
            addresses: list[Address] = [s.address()]
            while s.take(","):
                addresses.append(s.address())
            if noun.kind == "focus" and len(addresses) > 1:
                raise ParseError("only one control can have the focus", s.base + addresses[1].offset, "", addresses[1].length)
            return predicate, tuple(addresses)
        return predicate, (s.value(pattern=True),)

    return read


def _is(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    return "is", _several(s, s.state)


def _breaks(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    if s.take_word("nothing"):
        return "breaks nothing", ()
    only = "breaks only" if s.take_word("only") else "breaks"
    return only, _several(s, lambda: s.word_or_parameter("the name of a rule"))


def _shows(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    if s.take_word("nothing"):
        return "shows nothing", ()
    if s.take_word("like"):
        return "shows like", (s.like(),)
    return "shows", _several(s, lambda: s.string("a message in double quotes, nothing or like /…/"))


def _reads(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    return "reads", (s.string("the raw text in double quotes"),)


def _offers(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    value = s.value()
    return ("offers all" if isinstance(value, Collection) else "offers"), (value,)


def _has(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    count = s.integer("how many")
    what = s.need_word("rows or options", "rows", "row", "options", "option")
    return ("has rows" if what.startswith("row") else "has options"), (count,)


def _allows(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    return "allows", (s.need_word("add, remove or move", "add", "remove", "move"),)


def _omits(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    return "omits", _several(s, s.address)


def _like(s: Scanner, noun: Noun) -> tuple[str, tuple[Any, ...]]:
    found: Like = s.like()
    return "like", (found,)


_READERS: dict[str, Callable[[Scanner, Noun], tuple[str, tuple[Any, ...]]]] = {
    "=": _equals("="),
    "!=": _equals("!="),
    "includes": lambda s, n: ("includes", (s.value(pattern=True),)),
    "contains": lambda s, n: ("contains", (s.value(pattern=True),)),
    "is": _is,
    "breaks": _breaks,
    "shows": _shows,
    "reads": _reads,
    "offers": _offers,
    "has": _has,
    "allows": _allows,
    "omits": _omits,
    "like": _like,
    "nothing": lambda s, n: ("nothing", ()),
}
