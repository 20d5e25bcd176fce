"""The lines of a script: indentation, comments and blank lines between them, and where to continue after an error."""

from __future__ import annotations

import re
from bisect import bisect_right
from typing import Any

from ..problems import Place, Problem
from ..words import table
from .scan import ParseError, Scanner

_BLANK_LINES = re.compile(r"\n{2,}")
_LINE = re.compile(r"( *)([A-Za-z_][A-Za-z0-9_-]*|[^\n]?)")
_REST = re.compile(r" *(#[^\n]*)?\r?(?:\n|\Z)")


class LineIndex:
    """Line numbers and line texts of a text, by offset."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.starts = [0]
        self.starts.extend(m.end() for m in re.finditer("\n", text))

    def place(self, file: str, offset: int, length: int = 1) -> Place:
        """Return the place of *length* characters at *offset*."""
        index = bisect_right(self.starts, offset) - 1
        return Place(file, index + 1, offset - self.starts[index] + 1, max(1, length))

    def line(self, number: int) -> str:
        """Return the text of a line."""
        start = self.starts[number - 1]
        end = self.text.find("\n", start)
        return self.text[start : end if end >= 0 else len(self.text)].rstrip("\r")


class LineReader:
    """Reads the text of a script line by line; errors are added to *problems*, and their lines are skipped."""

    def __init__(self, text: str, file: str) -> None:
        self.text = text
        self.file = file
        self.s = Scanner(text)
        self.problems: list[Problem] = []
        self.line = 1  # of self.at
        self.at = 0  # where the next line begins
        self.trivia: list[tuple[int, str]] = []  # comments and blank lines not yet given to a statement
        self.word_at = 0  # the offset of the first word of the next line
        self.word = ""  # that word, or the character there
        self._lines: LineIndex | None = None

    @property
    def lines(self) -> LineIndex:
        """Split the text into lines."""
        if self._lines is None:
            self._lines = LineIndex(self.text)
        return self._lines

    def slip(self, fault: ParseError) -> None:
        """Report an error."""
        place = self.lines.place(self.file, fault.offset, fault.length)
        line = self.lines.line(place.line)
        self.problems.append(Problem(place, fault.cause, fault.remedy or table.written_as(line), line))

    # lines
    def peek(self) -> int:
        """The indentation of the next line with a statement on it, -1 at the end; trivia before it are kept."""
        text = self.text
        while True:
            found = _LINE.match(text, self.at)
            assert found is not None
            indent, first = len(found[1]), found[2]
            if first and first not in "#\r":
                if first == "\t":
                    self.slip(ParseError("a tab in the indentation", self.at + indent, "indent with spaces"))
                    self.skip_line(self.at)
                    continue
                self.word_at = self.at + indent
                self.word = first
                return indent
            if not first and found.end() >= len(text):
                return -1
            blank = _BLANK_LINES.match(text, self.at)
            if blank is not None:  # skip many at once: a script read in parts has an empty line for each line of the other parts
                count = blank.end() - self.at
                self.trivia += [(0, "")] * count
                self.line += count
                self.at = blank.end()
                continue
            end = text.find("\n", self.at)
            end = len(text) if end < 0 else end
            content = text[self.at : end].strip() if first == "#" else ""
            if first == "\r" and text[self.at : end].strip():
                self.slip(ParseError("an invalid line break", self.at + indent, "end lines with \\n or \\r\\n"))
            self.trivia.append((indent, content))
            self.at = end + 1
            self.line += 1
            if end >= len(text):
                return -1

    def begin(self) -> None:
        """Put the cursor at the next line's first word."""
        self.s.at = self.word_at
        self.s.base = 0
        self.s.templated = False

    def rest(self, offset: int) -> str:
        """The line from *offset* on, its comment with it."""
        end = self.text.find("\n", offset)
        return self.text[offset:end] if end >= 0 else self.text[offset:]

    def finish(self) -> str:
        """End the statement that has been read: nothing but a comment may follow. The comment."""
        s = self.s
        found = _REST.match(self.text, s.at)
        if found is None:
            raise s.expected("the end of the line")
        self.line += 1
        if s.broken:  # a value in brackets went over several lines
            self.line += self.text.count("\n", self.at, s.at)
            s.broken = False
        self.at = found.end() if self.text.startswith("\n", found.end() - 1) else found.end() + 1
        return found[1].rstrip() if found[1] else ""

    def skip(self, indent: int, offset: int) -> None:
        """After an error: continue at the next line that is not indented more deeply and begins with a word."""
        text = self.text
        at = text.find("\n", max(offset, self.at))
        while at >= 0:
            found = _LINE.match(text, at + 1)
            assert found is not None
            begins = found[2][:1].isalpha() or found[2] in ("#", "\t")
            if (len(found[1]) <= indent and begins) or (not found[2] and found.end() >= len(text)):
                break
            at = text.find("\n", at + 1)
        end = at if at >= 0 else len(text)
        self.line += text.count("\n", self.at, end) + 1
        self.at = end + 1

    def skip_line(self, offset: int) -> None:
        """After an error: continue at the next line."""
        end = self.text.find("\n", max(offset, self.at))
        end = len(self.text) if end < 0 else end
        self.line += self.text.count("\n", self.at, end) + 1
        self.at = end + 1

    def lead(self) -> tuple[str, ...]:
        """Return the comments and blank lines before the current line."""
        found = tuple(content for _, content in self.trivia)
        self.trivia.clear()
        return found

    def left_over(self, indent: int) -> tuple[str, ...]:
        """The comments that end a body indented by *indent*: those that are indented like it."""
        kept = 0
        for i, (column, content) in enumerate(self.trivia):
            if content and column >= indent:
                kept = i + 1
        found = tuple(content for _, content in self.trivia[:kept])
        del self.trivia[:kept]
        return found

    def guarded(self, indent: int, read: Any) -> Any:
        """Parse with *read*; after an error, report it and continue after it."""
        self.begin()
        try:
            return read(indent)
        except ParseError as fault:
            self.slip(fault)
            self.trivia.clear()
            self.skip(indent, fault.offset)
            return None
