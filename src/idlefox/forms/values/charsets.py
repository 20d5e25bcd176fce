"""Character encodings by the Encoding Standard: labels, names, and conversion of text.

Labels and names ("Names and labels") come from a library; the codecs are Python's.
"""

from __future__ import annotations

import codecs

import webencodings

UTF_8 = "UTF-8"
# The names that are not in lower case (Encoding standard, "Names and labels").
_WRITTEN = {
    "utf-8": UTF_8, "utf-16le": "UTF-16LE", "utf-16be": "UTF-16BE", "ibm866": "IBM866", "gbk": "GBK", "big5": "Big5",
    "euc-jp": "EUC-JP", "euc-kr": "EUC-KR", "iso-2022-jp": "ISO-2022-JP", "shift_jis": "Shift_JIS", "koi8-r": "KOI8-R",
    "koi8-u": "KOI8-U", **{f"iso-8859-{n}": f"ISO-8859-{n}" for n in range(2, 17)}, "iso-8859-8-i": "ISO-8859-8-I",
}  # fmt: skip


# Where the standard's encoders differ from Python's: the bytes of the euro, and the first bytes of what they only decode (Encoding
# standard, "index Big5 pointer", "EUC-JP encoder").
_APART: dict[str, tuple[bytes, range]] = {
    "GBK": (b"\x80", range(0)), "Big5": (b"\xa3\xe1", range(0x81, 0xA1)), "EUC-JP": (b"", range(0x8F, 0x90)),
}  # fmt: skip


def charset_of(label: str) -> str | None:
    """Return the name of the encoding for *label*; None if the standard has no such label."""
    found = webencodings.lookup(label)
    if found is None or found.name == "replacement":
        return None
    return str(_WRITTEN.get(found.name, found.name))


def encoded(text: str, charset: str) -> bytes:
    """Encode *text* in *charset*; other characters become character references (Encoding standard, "html" error mode)."""
    encode = webencodings.lookup(charset).codec_info.encode
    if charset not in _APART:
        return bytes(encode(text, "xmlcharrefreplace")[0])
    euro, unsaid = _APART[charset]
    found = b""
    for character in text:
        one: bytes = euro if character == "€" and euro else encode(character, "xmlcharrefreplace")[0]
        found += f"&#{ord(character)};".encode() if one[0] in unsaid else one
    return found


def sayable(text: str, charset: str) -> str:
    """*text* with character references for what *charset* cannot say."""
    return text if charset == UTF_8 else decoded(encoded(text, charset), charset, "replace")


def decoded(data: bytes, charset: str, errors: str = "strict") -> str:
    """The text of *data*. Raises UnicodeDecodeError, unless *errors* says otherwise."""
    if errors == "strict" and charset.startswith("windows-"):
        errors = "idlefox-c1"
    return str(webencodings.lookup(charset).codec_info.decode(data, errors)[0])


def _c1(fault: UnicodeError) -> tuple[str, int]:
    """Encoding standard, "windows-1252": unassigned bytes are the control characters with the same number."""
    if not isinstance(fault, UnicodeDecodeError):
        raise fault
    return "".join(chr(b) for b in fault.object[fault.start : fault.end]), fault.end


codecs.register_error("idlefox-c1", _c1)
