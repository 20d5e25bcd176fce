"""The request body: a form's payload as JSON, or as the entry list that HTML builds and encodes.

Implements HTML, "Constructing the entry list", "URL-encoded form data", "Multipart form data" and "Plain text form data", and
the URL standard's application/x-www-form-urlencoded serializer. Knows cells, but no clock.
"""

from __future__ import annotations

import re
from typing import Any
from urllib.parse import parse_qsl, quote_plus

from ... import disk
from ...forms.model.form import Button
from ...forms.values.values import reads_as
from ...records import NamedTuple
from ..state.cells import Cell, FieldCell, ListCell


class File(NamedTuple):
    """A chosen file; *path* is its content, "" if it is made up."""

    name: str
    size: int
    type: str
    path: str = ""


def chosen_files(cell: FieldCell) -> list[File]:
    """The files of *cell*. HTML: a file control with nothing chosen sends one file without a name."""
    paths = cell.live.file_paths
    found = [File(f["name"], f["size"], f["type"], paths.get((f["name"], f["size"]), "")) for f in cell.value]
    return found or [File("", 0, "application/octet-stream")]


Entry = tuple[str, "str | File"]


class EncodedRequest(NamedTuple):
    """A request as sent: the *body* text, its media type, and the *payload* as the server reads it."""

    method: str
    target: str
    body: str
    media_type: str
    payload: Any
    values: Any  # the payload with its types, whatever the encoding, for the stub server


def json_payload(cell: Any, button: Button | None = None) -> dict[str, Any]:
    """The payload of a form in JSON: visible, enabled fields in form order."""
    found: dict[str, Any] = {}
    for part in cell.parts:
        field = part.plan.field
        if not is_sent(part):
            continue
        name = field.send_name or field.name
        if isinstance(part, FieldCell):
            value = _json_value(part)
            if value is not _LEFT_OUT:
                found[name] = value
        elif isinstance(part, ListCell):
            found[name] = [json_payload(row) for row in part.parts]
        else:
            inner = json_payload(part)
            if inner:
                found[name] = inner
    if button is not None:
        found[button.name] = button.value
    return found


_LEFT_OUT = object()
_DISPOSITION = re.compile(r'(name|filename)="([^"]*)"')


def is_sent(cell: Cell) -> bool:
    """Return whether *cell* is part of the payload (HTML: constructing the entry list)."""
    there = cell.active or cell.plan.kind == "hidden" or cell.plan.path in cell.live.plan.faults.sends_hidden
    return bool(cell.plan.field.send and there)


def _json_value(cell: FieldCell) -> Any:
    value, empty = cell.value, cell.plan.field.empty
    if cell.plan.path in cell.live.plan.faults.sends_text:
        value = reads_as(value) if not isinstance(value, list) else [reads_as(each) for each in value]
    if value == "" and empty != "keep":
        return None if empty == "null" else _LEFT_OUT
    return value


def entry_list(cell: Any, prefix: str = "", button: Button | None = None) -> list[Entry]:
    """HTML, "Constructing the entry list": an entry's name is the field's address."""
    found: list[Entry] = []
    for part in cell.parts:
        if not is_sent(part):
            continue
        field = part.plan.field
        own = field.send_name or field.name
        name = f"{prefix}.{own}" if prefix else own
        if isinstance(part, FieldCell):
            found.extend((name, value) for value in _entries(part))
        elif isinstance(part, ListCell):
            for i, row in enumerate(part.parts):
                found.extend(entry_list(row, f"{name}[{i}]"))
        else:
            found.extend(entry_list(part, name))
    if button is not None:
        found.append((button.name, reads_as(button.value)))
    return found


def _entries(cell: FieldCell) -> list[str | File]:
    value = cell.value
    if cell.plan.kind == "file":
        return list(chosen_files(cell))
    if cell.plan.kind == "checkbox" and isinstance(value, bool):
        return ["on"] if value else []
    if isinstance(value, list):
        return [reads_as(v) for v in value]
    if value is None:  # of a choice nothing is chosen; an empty number is an empty text (HTML, "Constructing the entry list")
        return [""] if cell.plan.kind in ("number", "range") else []
    return [reads_as(value)]


def _crlf(text: str) -> str:
    """HTML, "normalize newlines" when encoding entries: always CRLF."""
    return text.replace("\r\n", "\n").replace("\r", "\n").replace("\n", "\r\n")


def _plain(value: str | File) -> str:
    return value.name if isinstance(value, File) else value


def _utf8(text: str) -> bytes:
    return text.encode("utf-16", "surrogatepass").decode("utf-16", "replace").encode()


def urlencoded(entries: list[Entry], charset: str = "UTF-8") -> str:
    """The URL standard's application/x-www-form-urlencoded serializer; *charset* by the Encoding Standard's name.

    What an old charset cannot say goes as a character reference (Encoding standard, "html" error mode).
    """
    pairs = []
    for name, value in entries:
        parts = (_utf8(_crlf(t)) for t in (name, _plain(value)))
        if charset != "UTF-8":
            from ...forms.values.charsets import encoded

            parts = (encoded(part.decode(), charset) for part in parts)
        pair = (quote_plus(part, safe="*-._").replace("~", "%7E") for part in parts)
        pairs.append("=".join(pair))
    return "&".join(pairs)


def plain_text(entries: list[Entry]) -> str:
    """HTML, "Plain text form data"."""
    return "".join(f"{_crlf(name)}={_crlf(_plain(value))}\r\n" for name, value in entries)


def multipart(entries: list[Entry]) -> tuple[str, str]:
    """HTML, "Multipart form data" (RFC 7578): the body and its boundary, the same for the same entries."""
    import hashlib

    parts, digest = [], hashlib.sha256()
    for name, value in entries:
        head = f'Content-Disposition: form-data; name="{_escaped(_crlf(name))}"'
        if isinstance(value, File):
            head += f'; filename="{_escaped(value.name)}"\r\nContent-Type: {value.type}'
            content = _content(value)
        else:
            content = _crlf(value)
        parts += [f"{head}\r\n\r\n", content, "\r\n"]
        for part in parts[-3:]:
            digest.update(_utf8(part))
    boundary = f"----fox{digest.hexdigest()[:24]}"
    parts = [f"--{boundary}\r\n{part}" if at % 3 == 0 else part for at, part in enumerate(parts)]
    return "".join([*parts, f"--{boundary}--\r\n"]), boundary


def _content(file: File) -> str:
    """Return a file's content as text; made-up content of the given size if there is no file."""
    if not file.path:
        return "x" * file.size
    try:
        return disk.content(file.path).decode("utf-8", "replace")
    except OSError:
        return "x" * file.size


def _escaped(text: str) -> str:
    return text.replace('"', "%22").replace("\r", "%0D").replace("\n", "%0A")


# decoding, as the server does it
def _flat(pairs: list[tuple[str, str]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in pairs:
        if name not in found:
            found[name] = value
        elif isinstance(found[name], list):
            found[name].append(value)
        else:
            found[name] = [found[name], value]
    return found


def decode_urlencoded(body: str, charset: str = "UTF-8") -> dict[str, Any]:
    """A flat object of texts, a list where a name repeats."""
    if charset == "UTF-8":
        return _flat(parse_qsl(body, keep_blank_values=True))
    from ...forms.values.charsets import decoded

    # Map bytes to characters one to one first: the parser may not know an old charset.
    pairs = parse_qsl(body, keep_blank_values=True, encoding="latin-1")
    return _flat([(decoded(n.encode("latin-1"), charset, "replace"), decoded(v.encode("latin-1"), charset, "replace")) for n, v in pairs])


def decode_plain_text(body: str) -> dict[str, Any]:
    """Decode text/plain as far as possible: a value with line breaks cannot be distinguished from a next entry."""
    lines = body.split("\r\n")[:-1]
    return _flat([(name, value) for name, _, value in (line.partition("=") for line in lines)])


def decode_multipart(body: str, boundary: str) -> dict[str, Any]:
    """A flat object; a file is its name."""
    pairs: list[tuple[str, str]] = []
    for part in body.split(f"--{boundary}")[1:-1]:
        head, _, content = part.removeprefix("\r\n").partition("\r\n\r\n")
        fields = dict(_DISPOSITION.findall(head))
        text = fields.get("filename", content.removesuffix("\r\n"))
        pairs.append((_unescaped(fields.get("name", "")), _unescaped(text) if "filename" in fields else text))
    return _flat(pairs)


def _unescaped(text: str) -> str:
    return text.replace("%22", '"').replace("%0D", "\r").replace("%0A", "\n")


