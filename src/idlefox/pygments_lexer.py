"""Scripts in colour wherever Pygments is used: in docs, in terminals, on code pages. Pygments finds this by its entry point."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pygments.lexer import Lexer
from pygments.token import Comment, Keyword, Literal, Name, Number, Operator, String, Text

from .script.colors import spans

_TOKENS: dict[str, Any] = {
    "comment": Comment.Single,
    "string": String.Double,
    "number": Number,
    "regex": String.Regex,
    "parameter": Name.Variable,
    "tag": Name.Decorator,
    "keyword": Keyword,
    "step": Name.Function,
    "word": Operator.Word,
    "state": Literal,
    "constant": Keyword.Constant,
    "address": Name.Attribute,
    "operator": Operator,
}


class FoxLexer(Lexer):  # type: ignore[misc]
    """Colours scripts (`*.fox`)."""

    name = "Idle Fox script"
    aliases = ("fox",)
    filenames = ("*.fox",)
    mimetypes = ("text/x-idlefox",)

    def get_tokens_unprocessed(self, text: str) -> Iterator[tuple[int, Any, str]]:
        """Yield the offset, token and text of each part (Pygments, "Lexer")."""
        at = 0
        for span in spans(text):
            if span.start > at:
                yield at, Text, text[at : span.start]
            yield span.start, _TOKENS[span.kind], text[span.start : span.end]
            at = span.end
        if at < len(text):
            yield at, Text, text[at:]
