"""The table of keywords: headers, blocks, steps, checks, states, rules, keys of the sheet, functions of its expressions.

It is the source of `idlefox words`, the reference in the docs, the descriptions in the sheet's JSON Schema and the remedies of
errors. The entries are in TOML files beside this module, loaded when needed.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from functools import cache
from typing import Any

from ..problems import nearest
from ..records import NamedTuple

# File -> the default group of its words.
_FILES = {
    "headers": "", "steps": "steps", "checks": "", "states": "states", "rules": "rules", "keys": "keys", "functions": "functions",
    "more": "",
}  # fmt: skip
# Group -> the kind of one of its words.
GROUPS = {
    "headers": ("headers of a script", "a header"),
    "blocks": ("blocks of a script", "a block"),
    "steps": ("steps: what a person does", "a step"),
    "checks": ("checks: what must be true", "part of a check"),
    "nouns": ("nouns of checks", "a noun of a check"),
    "predicates": ("predicates of checks", "a predicate of a check"),
    "states": ("states, for `is` and in expressions", "a state"),
    "rules": ("kinds of rules", "a kind of rule"),
    "keys": ("keys of the sheet", "a key of the sheet"),
    "functions": ("expressions", "part of an expression"),
    "moments": ("moments of reporting", "a moment of reporting"),
    "placeholders": ("placeholders of messages", "a placeholder of a message"),
    "views": ("built-in views", "a built-in view"),
}
# Place of a key -> its description.
PLACES = {
    "form": "the form", "field": "a field", "report": "report", "derive": "derive", "option": "an option",
    "options": "options: {from: …}", "rule": "a rule", "parameter": "a rule's parameter", "submit": "submit", "button": "a button",
    "server": "server", "reply": "a reply", "after": "after", "outcome": "after.accepted, .rejected, .lost", "notice": "a notice",
    "view": "a view", "faults": "faults", "panel": "a panel", "gives": "gives", "lookup": "a lookup",
    "live": "live", "answer": "live.answers", "place": "live.find", "found": "a locator of a part of a page",
}  # fmt: skip
_NO_DEFAULT = object()


class Word(NamedTuple):
    """A keyword. *sheet*, *python* and *csv* are the files of its example, *on* the demo's form used without a sheet."""

    word: str
    group: str
    form: str
    means: str
    example: str
    place: str = ""
    sheet: str = ""
    python: str = ""
    csv: str = ""
    on: str = "booking"
    needs: str = ""
    since: str = "0.1"
    default: Any = _NO_DEFAULT

    @property
    def has_default(self) -> bool:
        """True if the word has a default."""
        return self.default is not _NO_DEFAULT

    @property
    def what(self) -> str:
        """Return the kind of keyword: a step, a key of a field."""
        return f"a key of {PLACES[self.place]}" if self.place else GROUPS[self.group][1]

    @property
    def whole_script(self) -> bool:
        """Return whether the example is a script, and not the body of a scenario."""
        return "scenario " in self.example


def _read(name: str) -> dict[str, Any]:
    import tomllib

    with open(os.path.join(os.path.dirname(__file__), f"{name}.toml"), "rb") as handle:
        return tomllib.load(handle)


@cache
def words() -> tuple[Word, ...]:
    """Every word, in the order of the groups."""
    found: list[Word] = []
    for name, group in _FILES.items():
        for given in _read(name)["word"]:
            word = given["word"]
            form = {"states": f"is {word}", "keys": f"{word}:"}.get(group, word)
            found.append(Word(**{"group": group, "form": form, **given}))
    order = list(GROUPS)
    return tuple(sorted(found, key=lambda word: order.index(word.group)))


@cache
def said() -> dict[str, str]:
    """Return words that people use for things with another name -> what to write instead."""
    return {str(word): str(text) for word, text in _read("said").items()}


def find(asked: str) -> tuple[Word, ...]:
    """Return the entries for *asked*, by name or as part of their syntax; none if it is unknown."""
    asked = " ".join(asked.split())
    exact = tuple(word for word in words() if word.word == asked or word.word == asked.strip("{}"))
    if exact:
        return exact
    return tuple(word for word in words() if asked in _parts(word))


def _parts(word: Word) -> set[str]:
    """Return further names of an entry: `breaks only`, `submit past checks`, `and`."""
    found = {part.strip() for part in word.word.split(",")}
    for form in word.form.split(" · "):
        plain = [part for part in form.removeprefix("expect ").split() if part.isalpha() and part.islower()]
        found.update(" ".join(plain[:n]) for n in range(1, len(plain) + 1))
    return found


def written_as(line: str) -> str:
    """Return the syntax of the keyword that *line* starts with; "" if it is unknown."""
    given = line.split()
    if not given:
        return ""
    if given[0] != "expect":
        wanted = next((each for each in ("known", "aside") if given[0] == "scenario" and each in given), given[0])
        return _form_of(wanted, "steps", "blocks", "headers")
    asked = next((word for word in given[2:] if word.isalpha() and _form_of(word, "predicates")), "")
    noun = _form_of(" ".join(given[1:2]), "nouns")
    if noun:
        return noun
    form = _form_of(asked, "predicates").replace(": ", ": expect NOUN ", 1)
    return form or "write it as: expect NOUN PREDICATE, for example expect name is valid"


def _form_of(word: str, *groups: str) -> str:
    found = next((w for w in words() if w.word == word and w.group in groups), None)
    return f"write it as: {found.form}" if found is not None else ""


def near(asked: str) -> str | None:
    """Return the keyword, group or everyday word (`said`) nearest to *asked*."""
    return nearest(asked, [*dict.fromkeys(word.word for word in words()), *GROUPS, *said()])


def in_groups(chosen: Iterable[Word]) -> dict[str, list[Word]]:
    """The words by their groups."""
    found: dict[str, list[Word]] = {}
    for word in chosen:
        found.setdefault(word.group, []).append(word)
    return found
