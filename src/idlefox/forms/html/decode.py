"""A page's bytes as text: HTML, "Determining the character encoding", for a file with nobody to ask.

A byte order mark wins, then what the page itself declares in its first 1,024 bytes, else UTF-8. What does not
decode is an error with its place: a page read with guessed letters would be tested with wrong ones.
"""

from __future__ import annotations

import codecs
import re

from ...problems import Place, Problem, Unreadable

_META = re.compile(rb"""<meta[\s/][^>]*?charset\s*=\s*["']?\s*([^\s"'/>;]+)""", re.I)
_COMMENT = re.compile(rb"<!--.*?-->", re.S)
# Encoding standard, "Names and labels", where Python means something else by the label.
_MEANT = {
    "latin1": "cp1252", "iso8859-1": "cp1252", "ascii": "cp1252", "iso8859-9": "cp1254", "iso8859-11": "cp874",
    "tis-620": "cp874", "shift_jis": "cp932", "euc_kr": "cp949", "gb2312": "gbk", "big5": "big5hkscs",
    "utf-16": "utf-8", "utf-16-le": "utf-8", "utf-16-be": "utf-8", "utf-32": "utf-8", "utf-7": "utf-8",
}  # fmt: skip
_NAMES = {"cp1252": "windows-1252", "cp1254": "windows-1254", "cp874": "windows-874", "cp932": "Shift_JIS", "cp949": "EUC-KR"}


def _c1(fault: UnicodeError) -> tuple[str, int]:
    """Encoding standard, "windows-1252": the five bytes that stand for nothing are the control characters of that number."""
    if not isinstance(fault, UnicodeDecodeError):
        raise fault
    return "".join(chr(b) for b in fault.object[fault.start : fault.end]), fault.end


codecs.register_error("idlefox-c1", _c1)


def codec_of(label: str) -> str | None:
    """Python's name for the encoding that *label* means in HTML, or None for a label that HTML does not know."""
    try:
        name = codecs.lookup(label.strip().lower()).name
    except LookupError:
        return None
    return _MEANT.get(name, name)


def declared(data: bytes) -> tuple[str, int]:
    """The codec of a page and how many bytes its byte order mark takes."""
    for mark, codec in ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be")):
        if data.startswith(mark):
            return codec, len(mark)
    found = _META.search(_COMMENT.sub(b"", data[:1024]))
    codec_name = codec_of(found[1].decode("ascii", "replace")) if found else None
    return codec_name or "utf-8", 0


def decode_page(data: bytes, file: str) -> tuple[str, str]:
    """The text of a page and the codec it was read with. Raises Unreadable for what is no text in it."""
    codec, skip = declared(data)
    start = Place(file, 1, 1)
    if b"\0" in data and not codec.startswith("utf-16"):
        raise Unreadable([Problem(start, "this is no HTML page: there are zero bytes in it", "name a page, as in page.html#form-id")])
    try:
        return data[skip:].decode(codec, "idlefox-c1" if codec in ("cp1252", "cp1254", "cp874") else "strict"), codec
    except UnicodeDecodeError as fault:
        at = fault.start + skip
        before = data[:at]
        line = before.count(b"\n") + 1
        column = len(before[before.rfind(b"\n") + 1 :].decode(codec, "replace")) + 1
        cause = f"this is not {_NAMES.get(codec, codec.upper())}: byte 0x{data[at]:02x}"
        remedy = "declare the encoding the page is saved in with <meta charset=…>, or save it as UTF-8"
        raise Unreadable([Problem(Place(file, line, column), cause, remedy)]) from None
