"""Messages: their placeholders, and the stock messages of rules without `say`."""

from __future__ import annotations

import re
from functools import lru_cache

from ..values.whatwg import DATE_KINDS
from .form import Kind, Message, Rule

STOCK: dict[str, str] = {
    "required": "{label} is missing.",
    "minlength": "{label} must have {minlength} or more characters.",
    "maxlength": "{label} must have {maxlength} or fewer characters.",
    "pattern": "{label} is not in the expected format.",
    "email": "{label} is not an email address.",
    "url": "{label} is not a web address.",
    "badInput": "{label} is not a valid value.",
    "min": "{label} must be {min} or more.",
    "max": "{label} must be {max} or less.",
    "step": "{label} must be in steps of {step}.",
    "among": "{label} is not one of the choices.",
    "repeats": "{label} does not match {repeats}.",
    "unique": "{label} is used twice.",
    "holds": "{label} is not valid.",
    "python": "{label} is not valid.",
    "lookup": "{label} was not accepted.",
    "lookup_failed": "{label} could not be checked.",
}
_OF_DATES = {"min": "{label} must be {min} or later.", "max": "{label} must be {max} or earlier."}
GENERAL = frozenset({"value", "label", "row", "count"})
_BRACE = re.compile(r"\{\{|\}\}|\{([^{}]*)\}|[{}]")


class MessageError(Exception):
    """A message contains a stray brace at offset *at*."""

    def __init__(self, cause: str, at: int) -> None:
        super().__init__(cause)
        self.at = at


@lru_cache(maxsize=1024)
def read_message(text: str) -> Message:
    """Split *text* at its placeholders; ``{{`` is a literal brace. Raises MessageError for a stray brace."""
    if "{" not in text and "}" not in text:
        return Message(text, (text,))
    parts: list[str | tuple[str]] = []
    literal, at = "", 0
    for found in _BRACE.finditer(text):
        literal += text[at : found.start()]
        at = found.end()
        if found[0] in ("{{", "}}"):
            literal += found[0][0]
        elif found[1] is None:
            raise MessageError(f"a stray {found[0]!r} in a message; write it twice for a literal brace", found.start())
        else:
            if literal:
                parts.append(literal)
            parts.append((found[1].strip(),))
            literal = ""
    literal += text[at:]
    if literal or not parts:
        parts.append(literal)
    return Message(text, tuple(parts), frozenset(p[0] for p in parts if isinstance(p, tuple)))


def stock(kind: str, texts: dict[str, Message], of: str = "") -> Message:
    """Return the message of a rule of *kind* without `say`, on a field of the kind *of*: the sheet's text, else the stock message."""
    return texts.get(kind) or read_message(stock_text(kind, of))


def message_for(rule: Rule, kind: Kind, texts: dict[str, Message], of: str = "") -> Message:
    """The message a broken *kind* of *rule* shows: the rule's, the sheet's text for the kind, or the stock sentence."""
    return rule.say if rule.say is not None else stock(kind.name, texts, of)


def stock_text(kind: str, of: str) -> str:
    """The stock sentence for a rule of *kind* on a field of the kind *of*."""
    return (_OF_DATES.get(kind) if of in DATE_KINDS else None) or STOCK[kind]


def label_of(name: str) -> str:
    """A label for a field that has none: ``full_name`` reads `Full name`."""
    words = name.replace("_", " ").replace("-", " ").strip()
    return words[:1].upper() + words[1:] if words else name
