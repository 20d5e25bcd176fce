"""The likely cause of a YAML error: a text that needs quotes, an unclosed bracket or quote, wrong indentation.

The parser says where it gave up; this module says where the error is.
"""

from __future__ import annotations

import re
from typing import Any

from ...records import NamedTuple

_KEY = re.compile(r"[\s{\[,-]*(?:[A-Za-z_][A-Za-z0-9_-]*|\"[^\"]*\"|'[^']*')\s*:(?:\s|$)")
_NEXT_MEMBER = re.compile(r",\s*(?:[A-Za-z_][A-Za-z0-9_-]*)\s*:\s")
_ESCAPE = re.compile(r"\\(?:u[0-9A-Fa-f]{4}|U[0-9A-Fa-f]{8}|x[0-9A-Fa-f]{2}|.|$)")
_LINE_BREAK = re.compile("\r\n|[\n\r\x85\u2028\u2029]")  # as YAML 1.1 has them, which the parser's marks count by
_CLOSING = {"{": "}", "[": "]"}


class YamlProblem(NamedTuple):
    """The error's position (*line* and *column* from 0, *length*), cause and remedy."""

    line: int
    column: int
    length: int
    cause: str
    remedy: str


def diagnose(text: str, fault: Any) -> YamlProblem | None:
    """Find the cause of *fault*, a parser error with marks, in the YAML *text*; None if it is unknown."""
    lines = _LINE_BREAK.split(text)
    mark, begun = fault.problem_mark or fault.context_mark, fault.context_mark
    if mark is None or mark.line >= len(lines):
        return None
    line = lines[mark.line] if mark.line < len(lines) else ""
    if "\t" in line[: len(line) - len(line.lstrip())] or "\t" in line[: mark.column + 1]:
        return YamlProblem(mark.line, mark.column, 1, "a tab in the indentation", "indent with spaces; YAML does not allow tabs")
    at = line.rfind("\\", 0, mark.column + 1)
    if begun is not None and at >= 0 and any(word in str(fault.problem) for word in ("escape", "hexdecimal")):
        escape = _ESCAPE.match(line, at)
        assert escape is not None
        remedy = "write it in single quotes, where a backslash stands for itself, or double the backslash"
        return YamlProblem(mark.line, at, len(escape[0]), f"{escape[0]} is not an escape in double quotes", remedy)
    if begun is not None and "quoted scalar" in str(fault.context):
        return YamlProblem(begun.line, begun.column, 1, "this quote is never closed", "end the text with the quote it begins with")
    if begun is not None and "flow" in str(fault.context):
        return _in_brackets(lines, begun, mark)
    return _misplaced(lines, mark.line) or _unquoted(line, mark.line, mark.column)


# in { } and [ ]
def _in_brackets(lines: list[str], begun: Any, mark: Any) -> YamlProblem | None:
    opening = lines[begun.line][begun.column : begun.column + 1]
    if opening not in _CLOSING:
        return None  # marks whose columns are counted differently
    closed = _closed(lines[begun.line], begun.column)
    comment = lines[begun.line].find(" #", begun.column)
    if closed is None and comment >= 0 and lines[begun.line].rstrip().endswith(_CLOSING[opening]):
        return _unquoted(lines[begun.line], begun.line, comment)
    if closed is None:
        return YamlProblem(begun.line, begun.column, 1, f"this {opening} is never closed", f"close it with {_CLOSING[opening]}")
    if closed >= 0:
        wrong = lines[begun.line][closed]
        cause = f"this {opening} is closed by {wrong}"
        return YamlProblem(begun.line, begun.column, closed + 1 - begun.column, cause, f"close it with {_CLOSING[opening]}")
    return _unquoted(lines[mark.line], mark.line, mark.column)


def _closed(line: str, start: int) -> int | None:
    """Return the column where the bracket at *start* is closed by the wrong one; -1 if it is closed correctly, None if it is not
    closed on this line.
    """
    open_: list[str] = []
    for at in _outside_quotes(line, start):
        sign = line[at]
        if sign in "{[":
            open_.append(_CLOSING[sign])
        elif sign in "}]" and open_:
            if open_.pop() != sign:
                return at
            if not open_:
                return -1
    return None


def _outside_quotes(line: str, start: int) -> list[int]:
    """The places in *line* from *start* on that no quotes are around (a quote opens at the beginning of a value only)."""
    found, at, quote = [], start, ""
    while at < len(line):
        sign = line[at]
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "\"'" and line[:at].rstrip()[-1:] in (":", ",", "[", "{", "(", "=", ""):
            quote = sign
        elif line.startswith(" #", at):
            break
        else:
            found.append(at)
        at += 1
    return found


def _unquoted(line: str, number: int, column: int) -> YamlProblem | None:
    """The value on *line* that the parser stumbled over at *column*, put in quotes."""
    start = _value_before(line, column)
    if start is None:
        return None
    end = _end_of_value(line, start)
    value = line[start:end].rstrip()
    if not value or (value[0] in "\"'" and value[-1] == value[0] and value.count(value[0]) == 2):
        return None
    corrected = line[:start] + quoted(value) + line[start + len(value) :]
    return YamlProblem(number, start, len(value), f"this text needs quotes: {_odd(value)}", f"write {corrected.strip()}")


def _odd(value: str) -> str:
    if re.search(r":\s|:$", value):
        return "it contains a colon"
    if " #" in value:
        return "it contains a #"
    return f"it starts with {value[0]}" if value[0] in "[{\"'&*!|>%@`" else "it contains quotes or brackets"


def _value_before(line: str, column: int) -> int | None:
    """Return where the value around *column* starts: after the first key of its member."""
    found = None
    for match in re.finditer(r"(?:^\s*(?:-\s+)*|[{,]\s*)(?:[A-Za-z_][A-Za-z0-9_-]*)\s*:\s+", line):
        if match.end() <= max(column, 1):
            inside_text = found is not None and line[match.start()] not in "{,"
            if not inside_text:
                found = match.end()
    return found


def _end_of_value(line: str, start: int) -> int:
    """Return where the value starting at *start* ends: before the next member, before the enclosing bracket, or at the end of the
    line.
    """
    depth = 0
    around = line[:start].count("{") + line[:start].count("[") > line[:start].count("}") + line[:start].count("]")
    for at in range(start, len(line)):
        sign = line[at]
        if sign in "{[":
            depth += 1
        elif sign in "}]":
            depth -= 1
            if depth < 0:
                return at
        elif sign == "," and depth == 0 and around and _NEXT_MEMBER.match(line, at):
            return at
    return len(line)


def quoted(text: str) -> str:
    """*text* in the quotes that need the fewest escapes."""
    return f'"{text}"' if '"' not in text and "\\" not in text else "'" + text.replace("'", "''") + "'"


# indentation
def _misplaced(lines: list[str], number: int) -> YamlProblem | None:
    """Find a line whose indentation matches no enclosing block."""
    line = lines[number]
    own = _indentation(line)
    if not line.strip() or not _KEY.match(line[own:].removeprefix("- ")):
        return None
    before = next((each for each in range(number - 1, -1, -1) if lines[each].strip() and not lines[each].lstrip().startswith("#")), None)
    if before is None:
        return None
    around = _around(lines, number)
    if own in around:
        return None
    last = lines[before].rstrip()
    if own > _indentation(last) and last.endswith((":", "-", "{", "[", ",")):
        return None
    items = {_indentation(each) for each in lines[:number] if each.lstrip().startswith("- ")} & around
    if line.lstrip().startswith("- ") and items:
        around = items
    near = sorted({max((i for i in around if i < own), default=min(around)), min((i for i in around if i > own), default=max(around))})
    cause = f"this line is indented by {own} spaces, which matches no block around it"
    return YamlProblem(number, own, len(line.strip()), cause, f"indent it by {' or '.join(map(str, near))}")


def _around(lines: list[str], number: int) -> set[int]:
    """The indentations of the blocks that are open before line *number*."""
    found: list[int] = []
    for line in lines[:number]:
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        own = _indentation(line)
        found = [each for each in found if each < own] + [own]
        if line.lstrip().startswith("- "):
            found.append(own + 2)
    return set(found)


def _indentation(line: str) -> int:
    return len(line) - len(line.lstrip(" "))
