"""The start tags of a page's source, for the places of messages and for the parser's form element pointer.

HTML, "Tree construction": a control created while the *form element pointer* is set belongs to that form wherever the parser
puts it. Only the source shows this for misnested markup.
"""

from __future__ import annotations

import re

from ...records import NamedTuple

CONTROLS = ("input", "select", "textarea", "button")
# One token: a comment, a doctype or other declaration, an end tag, a start tag with its attributes.
_TOKEN = re.compile(
    r"<!--(?:>|->|.*?(?:--!?>|\Z))|<[!?][^>]*(?:>|\Z)|</([a-zA-Z][^\s/>]*)[^>]*(?:>|\Z)"
    r"|<([a-zA-Z][^\s/>]*)(?:=\s*(?:\"[^\"]*\"|'[^']*')|[^>])*(?:>|\Z)",  # a quote counts only after an equals sign
    re.S,
)
# HTML, "Parsing elements that contain only text".
_TEXT_ONLY = frozenset({"script", "style", "textarea", "title", "xmp", "iframe", "noembed", "noframes"})


class Tag(NamedTuple):
    """A start tag: its lower-case name, its offset, and the number of the form that the pointer is at, or -1."""

    name: str
    offset: int
    form: int


def start_tags(text: str) -> list[Tag]:
    """The start tags of forms and controls in the order of the source, templates left out."""
    found: list[Tag] = []
    at, pointer, forms, templates = 0, -1, 0, 0
    while (token := _TOKEN.search(text, at)) is not None:
        at = token.end()
        closing, opening = token[1], token[2]
        if closing:
            closing = closing.lower()
            if closing == "template":
                templates = max(0, templates - 1)
            elif closing == "form" and not templates:
                pointer = -1
            continue
        if not opening:
            continue
        name = opening.lower()
        if name == "template":
            templates += 1
        elif not templates and name == "form" and pointer < 0:
            pointer = forms
            forms += 1
            found.append(Tag(name, token.start(), pointer))
        elif not templates and name in CONTROLS:
            found.append(Tag(name, token.start(), pointer))
        if name in _TEXT_ONLY:
            end = re.compile(rf"</{name}(?=[\s/>])", re.I).search(text, at)
            at = end.start() if end is not None else len(text)
    return found
