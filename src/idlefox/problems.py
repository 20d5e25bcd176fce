"""Problems in files that a person wrote: place, cause, remedy.

Every reader of the package reports problems through this module, so that all of them are printed in one style. Nothing is
printed here.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from . import disk
from .records import NamedTuple
from .roots import is_outside_roots, note_read, overlay_content


class Place(NamedTuple):
    """A position in a file: *line* and *column* count from 1; *length* is in code points."""

    file: str
    line: int
    column: int
    length: int = 1


class Problem(NamedTuple):
    """One thing wrong. *source* is the offending line, *called_from* the lines that led to it.

    *code* tells problems apart that somebody has to tell apart: NO_FILE, KIND, CALL, BAD_PATH, UNSUPPORTED, OUTSIDE. Of the first four the
    place is a file as a whole, or the command, whatever its line and column say.
    """

    place: Place
    cause: str
    remedy: str = ""
    source: str = ""
    called_from: tuple[str, ...] = ()
    severity: str = "error"
    code: str = ""


NO_FILE, KIND, CALL, BAD_PATH, UNSUPPORTED, OUTSIDE = "no file", "kind", "call", "bad path", "unsupported", "outside"


class Unreadable(Exception):
    """A file cannot be used. Holds every problem found in it, in the order of their places."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(sorted(dict.fromkeys(problems), key=lambda p: p.place))
        super().__init__("; ".join(p.cause for p in self.problems[:3]))


_MANY = 60  # words to compare letter by letter; of more, only the most similar ones
# Renamed words and common synonyms, with the words to use.
RENAMED: dict[str, tuple[str, ...]] = {
    "pristine": ("clean",), "pending": ("asking",), "sticky": ("lasting", "ever"), "untouched": ("not touched",),
    "submitted": ("attempted",), "message": ("say",), "patience": ("settle_limit",),
}  # fmt: skip


def nearest(word: str, known: Iterable[str]) -> str | None:
    """Return the known word that *word* was probably meant to be: its new name, or one at most two edits away; None if there is none."""
    words = [k for k in known if k]
    now = next((new for new in RENAMED.get(word, ()) if new.removeprefix("not ") in words), None)
    if now is not None:
        return now
    if len(words) > _MANY:
        words = _likely(word, tuple(words))
    ranked = [(_distance(word.lower(), known.lower()), known != word, known) for known in words]
    found = min((each for each in ranked if _is_near(word, each[2], each[0])), default=None)
    return found[2] if found else None


def _is_near(word: str, known: str, distance: int) -> bool:
    """Return whether *word* is probably a typo of *known*: one edit, two in a longer word, or one of them begins with the other."""
    short, long = sorted((word.lower(), known.lower()), key=len)
    stem = len(short) >= 4 and long.startswith(short)
    return stem or (distance <= (2 if len(known) > 4 else 1) and distance < len(known))


def _distance(word: str, known: str) -> int:
    """The number of edits from *word* to *known*, at most 3: insertions, deletions, substitutions, swaps of neighbours."""
    if abs(len(word) - len(known)) > 2:
        return 3
    before: list[int] = []
    row = list(range(len(known) + 1))
    for i, letter in enumerate(word, 1):
        earlier, before, row = before, row, [i]
        for j, other in enumerate(known, 1):
            cost = min(before[j] + 1, row[j - 1] + 1, before[j - 1] + (letter != other))
            if i > 1 and j > 1 and letter == known[j - 2] and word[i - 2] == other:
                cost = min(cost, earlier[j - 2] + 1)
            row.append(cost)
    return min(row[-1], 3)


@lru_cache(maxsize=8)
def _pairs(words: tuple[str, ...]) -> list[tuple[str, frozenset[str]]]:
    return [(word, _pairs_of(word)) for word in words]


def _pairs_of(word: str) -> frozenset[str]:
    """Return the pairs of neighbouring letters in *word*, ignoring case."""
    lowered = word.lower()
    return frozenset(map(str.__add__, lowered, lowered[1:]))


def _likely(word: str, known: tuple[str, ...]) -> list[str]:
    """Return the few of many words that share the most pairs with *word*: measuring the distance to thousands would be slow."""
    mine = _pairs_of(word)
    ranked = sorted(_pairs(known), key=lambda each: (-len(mine & each[1]), abs(len(each[0]) - len(word))))
    return [each for each, _ in ranked[:_MANY]]


def suggestion(word: str, known: Iterable[str], otherwise: str = "") -> str:
    """A remedy that names the nearest known word, else *otherwise*."""
    near = nearest(word, known)
    return f"did you mean {near!r}?" if near else otherwise


def listed(words: Iterable[str], conjunction: str = "or", most: int = 12) -> str:
    """*words* as a person writes a list: ``a, b or c``."""
    items = list(words)
    if len(items) > most:
        items = [*items[:most], f"{len(items) - most} more"]
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {conjunction} {items[-1]}"


def read_bytes(path: str) -> bytes:
    """Return the content of the file at *path*. Raises Unreadable."""
    place = Place(path, 1, 1)
    if odd := path_problem(path):
        raise Unreadable([Problem(place, f"this is not a path: {odd}", "name a file", code=BAD_PATH)])
    if is_outside_roots(path):
        raise Unreadable([Problem(place, *OUTSIDE_SAYS, code=OUTSIDE)])
    note_read(path)
    held = overlay_content(path)
    if held is not None:
        return held
    try:
        return disk.content(path)
    except disk.NoFile:
        cause = "this is a device or a pipe, not a file"
        raise Unreadable([Problem(place, cause, "name a file; to read a script from standard input: idlefox run -")]) from None
    except FileNotFoundError:
        raise Unreadable([Problem(place, "file not found", near_file(path), code=NO_FILE)]) from None
    except IsADirectoryError:
        raise Unreadable([Problem(place, "this is a folder, not a file", "name a file in it")]) from None
    except OSError as fault:
        cause = (fault.strerror or "unknown reason").lower()
        raise Unreadable([Problem(place, f"the file cannot be read: {cause}")]) from None


OUTSIDE_SAYS = (
    "this is outside the project",
    "scripts and sheets may use files below the project's root, the nearest folder above with idlefox.toml, pyproject.toml, "
    "package.json or .git; --root DIR allows another folder",
)


def path_problem(path: str) -> str:
    """Return why no file can have the path *path*; "" if one can."""
    import os

    if "\0" in path:
        return "it contains a NUL character"
    try:
        parts = os.fsencode(path).split(b"/")
    except UnicodeEncodeError:
        return "it contains half of a surrogate pair"
    return "a name in it is longer than 255 bytes" if max(map(len, parts)) > 255 else ""


def near_file(path: str, written: str = "") -> str:
    """A remedy for a file that is not there: the file in its folder whose name is nearest, or the folder that is missing.

    *written* is the path as a person wrote it in a file, where *path* is what that comes to.
    """
    import os

    folder, name = os.path.split(path)
    try:
        there = disk.names_in(folder)
    except (OSError, ValueError):
        return f"folder not found: {os.path.dirname(written or path)!r}"
    stem, ending = os.path.splitext(name)
    stems = {os.path.splitext(each)[0]: each for each in sorted(there, key=lambda each: each.endswith(ending))}
    near = nearest(stem, stems)
    if near is not None:
        return f"did you mean {os.path.join(os.path.dirname(written or path), stems[near])!r}?"
    alike = sorted(each for each in there if ending and each.endswith(ending))
    return f"that folder contains {listed(alike, 'and', 5)}" if alike else "check the path"


def line_of(text: str, number: int) -> str:
    """Return line *number* (from 1) of *text*; "" if there is none."""
    lines = text.split("\n", number)
    return lines[number - 1].rstrip("\r") if number <= len(lines) else ""


def read_text(path: str) -> str:
    """The UTF-8 text of the file at *path*, a byte order mark left out.

    Raises Unreadable, with the place of the first bad byte where the file is not UTF-8.
    """
    return decode_text(read_bytes(path), path)


def decode_text(data: bytes, path: str) -> str:
    """*data* as UTF-8 text; *path* is its name in messages. Raises Unreadable as `read_text` does."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as fault:
        before = data[: fault.start]
        line = before.count(b"\n") + 1
        column = len(before[before.rfind(b"\n") + 1 :].decode("utf-8", "replace")) + 1
        cause = f"this is not UTF-8: byte 0x{data[fault.start]:02x}"
        raise Unreadable([Problem(Place(path, line, column), cause, "save the file as UTF-8")]) from None
