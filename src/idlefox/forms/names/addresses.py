"""Addresses: JSONPath's singular form (RFC 9535, "Singular Query") without the leading ``$.``.

Parses them and resolves them in a form's shape.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from typing import Any

from ...problems import suggestion
from ...records import NamedTuple
from .shapes import Shape, segment_text, write_address

Segment = str | int
NAME = r"[A-Za-z_][A-Za-z0-9_-]*"
_STRING = r'"(?:[^"\\\x00-\x1f]|\\.)*"'
SEGMENT = re.compile(rf"\.?({NAME})|\.?\[(-?[0-9]+|\*)\]|\.?\[({_STRING})\]")
_WHOLE = re.compile(rf"(?:{NAME}|\[{_STRING}\])(?:\.{NAME}|\[(?:-?[0-9]+|\*)\]|\[{_STRING}\])*")


class AddressError(Exception):
    """An address that names nothing: *at* is the index of the segment that fails."""

    def __init__(self, cause: str, remedy: str, at: int) -> None:
        super().__init__(cause)
        self.cause, self.remedy, self.at = cause, remedy, at


class Target(NamedTuple):
    """The meaning of an address: the *shape*, its schema *path*, and whether it is a *row* of a list."""

    shape: Shape
    path: tuple[str, ...]
    row: bool


def split_address(text: str) -> tuple[Segment, ...]:
    """The segments of an address's text (a leading dot is passed over).

    Raises ValueError where a quoted name has an escape that JSON does not know.
    """
    segments: list[Segment] = []
    for name, index, quoted in SEGMENT.findall(text):
        segments.append(name or (json.loads(quoted) if quoted else index if index == "*" else int(index)))
    return tuple(segments)


def parse_address(text: str) -> tuple[Segment, ...] | None:
    """Parse *text* into segments (``[*]`` means every row); None if it is not an address."""
    if not _WHOLE.fullmatch(text):
        return None
    try:
        return split_address(text)
    except ValueError:
        return None


def named(root: Shape, segments: Iterable[Any]) -> str | None:
    """Return the name of the page's field that *segments* mean, as the page writes addresses, including dots and brackets in
    names; None without a page or such a field.
    """
    if root.named is None:
        return None
    return root.named.get(write_address(segments))


def called(root: Shape, text: str) -> str | None:
    """The name of the field of a page that *text* means, be it an address or the control's own name (``user[email]``)."""
    if root.named is None:
        return None
    return root.named.get(text, text if text in (root.children or {}) else None)


def locate(root: Shape, segments: tuple[Segment, ...], panels: Iterable[Shape] = ()) -> Target:
    """Resolve *segments* in the form of shape *root* or in one of its *panels*.

    Raises AddressError with the nearest right name.
    """
    name = named(root, segments)
    if name is not None:
        return Target((root.children or {})[name], (name,), False)
    shape = root
    path: tuple[str, ...] = ()
    row = False
    for i, segment in enumerate(segments):
        if isinstance(segment, int) or segment == "*":
            if shape.kind != "rows" or row:
                what = "a row" if row else f"{shape.name!r} ({shape.kind})" if shape.name else "the form"
                raise AddressError(f"{what} has no rows to count", "", i)
            row, path = True, (*path, "*")
            continue
        if i == 0:
            panel = next((p for p in panels if p.name == segment), None)
            if panel is not None and segment not in (root.children or {}):
                shape, path = panel, (segment,)
                continue
        if shape.kind == "rows" and not row:
            example = write_address((*segments[:i], 0, *segments[i:]))
            raise AddressError(f"{shape.name!r} is a list of rows; name the row of {segment!r}", f"write {example}", i)
        children = shape.children or {}
        if segment not in children:
            raise _unknown(shape, segment, children, panels if i == 0 else (), row, i)
        shape, row, path = children[segment], False, (*path, segment)
    return Target(shape, path, row)


def _unknown(
    shape: Shape, segment: str, children: dict[str, Shape], panels: Iterable[Shape], row: bool, at: int
) -> AddressError:
    known = [*children, *(p.name for p in panels)]
    if shape.kind == "form":
        owner = f"the panel {shape.name!r}" if shape.name else "the form"
    elif row:
        owner = f"a row of {shape.name!r}"
    else:
        owner = repr(shape.name)
    if not children:
        return AddressError(f"{owner} has no parts, so it has no {segment!r}", "", at)
    if shape.named is not None and f"{segment_text(segment, first=True)}[0]" in shape.named:
        name = segment_text(segment, first=True)
        return AddressError(f"the name {segment!r} repeats in this page; name one of them", f"write {name}[0], {name}[1] …", at)
    deeper = [s for s in shape.walk() if s.name == segment]
    otherwise = ""
    if deeper:
        places = [".".join(s.path).replace(".*", "[0]") for s in deeper[:3]]
        otherwise = f"it could be {' or '.join(places)}"
    elif len(known) <= 12:
        otherwise = f"{owner} has {', '.join(known)}"
    else:
        otherwise = "`idlefox outline` lists the form's fields"
    remedy = otherwise if deeper else suggestion(segment, known, otherwise)
    return AddressError(f"{owner} has no field {segment!r}", remedy, at)
