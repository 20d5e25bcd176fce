"""The colours of a script as semantic tokens (LSP 3.17, "Semantic Tokens")."""

from __future__ import annotations

from ..script.colors import KINDS, spans
from .texts import TextLines

# Each kind of span -> the protocol's standard token type.
_TYPES = {
    "comment": "comment", "string": "string", "number": "number", "regex": "regexp", "parameter": "parameter", "tag": "decorator",
    "keyword": "keyword", "step": "function", "word": "keyword", "state": "enumMember", "constant": "keyword", "address": "property",
    "operator": "operator",
}  # fmt: skip
LEGEND = tuple(dict.fromkeys(_TYPES[kind] for kind in KINDS))


def semantic_tokens(text: str) -> list[int]:
    """The tokens of *text*, five numbers each: line and start, relative to the token before, length, type, modifiers (UTF-16)."""
    lines = TextLines(text)
    data: list[int] = []
    line = character = 0
    for span in spans(text):
        start, end = lines.at(span.start), lines.at(span.end)
        down = start["line"] - line
        across = start["character"] - (0 if down else character)
        data += [down, across, end["character"] - start["character"], LEGEND.index(_TYPES[span.kind]), 0]
        line, character = start["line"], start["character"]
    return data
