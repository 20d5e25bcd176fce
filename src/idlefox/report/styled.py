"""Lines of text with styles, before anyone knows whether the terminal has colours.

A line is a list of (text, style) pairs; styles are names (`good`, `bad`, `doubt`, `dim`, `strong`, `mark`), painted by
whoever prints. Widths are counted in columns: wide characters take two, combining ones none (Unicode, by a library).
"""

from __future__ import annotations

from collections.abc import Iterable

Line = list[tuple[str, str]]


def unstyled(lines: Iterable[Line]) -> str:
    """*lines* as a text without colours."""
    return "\n".join("".join(part for part, _ in line).rstrip() for line in lines)


def plain(text: str) -> str:
    """*text* fit for a terminal: control characters and lone surrogates as escapes."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(c if c.isprintable() else _escape(c) for c in text)


def _escape(character: str) -> str:
    code = ord(character)
    if character == "\t":
        return "    "
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}" if code < 65536 else f"\\U{code:08x}"


def columns(text: str) -> int:
    """Return the number of terminal columns that *text* needs."""
    if text.isascii():
        return len(text)
    from wcwidth import wcswidth  # its tables are loaded where a text needs them

    return max(int(wcswidth(text)), 0) if text.isprintable() else sum(max(int(wcswidth(c)), 0) for c in text)


def wrap(text: str, width: int) -> list[str]:
    """Wrap *text* to at most *width* columns, at spaces where possible."""
    width = max(width, 12)
    lines: list[str] = []
    line = ""
    for word in text.split(" "):
        while True:
            candidate = f"{line} {word}" if line else word
            if columns(candidate) <= width:
                line = candidate
                break
            if line:
                lines.append(line)
                line = ""
                continue
            cut = _fitting(word, width)
            lines.append(word[:cut])
            word = word[cut:]
    if line or not lines:
        lines.append(line)
    return lines


def _fitting(text: str, width: int) -> int:
    """Return how many characters of *text* fit; at least one. Never splits an emoji sequence."""
    best = 0
    for i in range(1, len(text) + 1):
        if columns(text[:i]) > width:
            break
        best = i
    return max(best, 1)


_BAR = 20  # columns of a bar


def share_bar(part: int, whole: int) -> Line:
    """A bar filled to *part* of *whole*: good if complete, doubtful if not, bad if empty."""
    done = round(_BAR * part / whole) if whole else 0
    done = min(max(done, 1 if part else 0), _BAR if part == whole else _BAR - 1)
    return [("━" * done, "good" if part == whole else "doubt"), ("─" * (_BAR - done), "dim" if part else "bad")]


def hanging(head: str, text: str, width: int, style: str = "") -> list[Line]:
    """*text* after *head*, wrapped under itself."""
    indent = columns(head)
    parts = wrap(text, width - indent)
    return [[(head if i == 0 else " " * indent, "dim"), (part, style)] for i, part in enumerate(parts)]


def marked(number: int, source: str, column: int, length: int, width: int, gutter: int) -> list[Line]:
    """A source line with a marker under *length* characters from *column* (1-based), cut to *width* around them."""
    room = max(width - gutter - 3, 20)
    start, end = column - 1, min(column - 1 + length, len(source.rstrip()) or 1)
    end = max(end, start + 1)
    left = 0
    if columns(source) > room:
        left = max(0, min(start - 4, len(source) - room))
    text = source[left : left + room]
    if left:
        text = "…" + text[1:]
    if left + room < len(source):
        text = text[:-1] + "…"
    before = plain(source[left:start])
    under = plain(source[start : min(end, left + room)]) or " "
    return [
        [(f"{number:>{gutter}} │ ", "dim"), (plain(text.rstrip()), "")],
        [(" " * gutter + "   " + " " * columns(before), ""), ("─" * max(1, columns(under)), "mark")],
    ]
