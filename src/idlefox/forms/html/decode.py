"""Decodes a page: HTML, "Determining the character encoding", for a file without a server.

A byte order mark wins, then the page's declaration in its first 1,024 bytes, else UTF-8. Bytes that do not decode are an error
with their place, because a page with guessed characters would be tested wrongly.
"""

from __future__ import annotations

import codecs
import re

from ...problems import Place, Problem, Unreadable
from ..values.charsets import UTF_8, charset_of, decoded

_META = re.compile(rb"""<meta[\s/][^>]*?charset\s*=\s*["']?\s*([^\s"'/>;]+)""", re.I)
_COMMENT = re.compile(rb"<!--.*?-->", re.S)


def declared(data: bytes) -> tuple[str, int]:
    """The encoding of a page and how many bytes its byte order mark takes."""
    for mark, charset in ((codecs.BOM_UTF8, UTF_8), (codecs.BOM_UTF16_LE, "UTF-16LE"), (codecs.BOM_UTF16_BE, "UTF-16BE")):
        if data.startswith(mark):
            return charset, len(mark)
    found = _META.search(_COMMENT.sub(b"", data[:1024]))
    said = charset_of(found[1].decode("ascii", "replace")) if found else None
    # HTML, "prescan a byte stream": text read as ASCII so far is not UTF-16, whatever the declaration says.
    return UTF_8 if said is None or said.startswith("UTF-16") else said, 0


def decode_page(data: bytes, file: str) -> tuple[str, str]:
    """Return the text of a page and its encoding. Raises Unreadable for bytes that do not decode."""
    charset, skip = declared(data)
    start = Place(file, 1, 1)
    if b"\0" in data and not charset.startswith("UTF-16"):
        raise Unreadable([Problem(start, "this is not an HTML page: it contains zero bytes", "name a page, for example page.html#form-id")])
    try:
        return decoded(data[skip:], charset), charset
    except UnicodeDecodeError as fault:
        at = fault.start + skip
        before = data[:at]
        line = before.count(b"\n") + 1
        column = len(decoded(before[before.rfind(b"\n") + 1 :], charset, "replace")) + 1
        cause = f"this is not {charset}: byte 0x{data[at]:02x}"
        remedy = "declare the encoding the page is saved in with <meta charset=…>, or save it as UTF-8"
        raise Unreadable([Problem(Place(file, line, column), cause, remedy)]) from None
