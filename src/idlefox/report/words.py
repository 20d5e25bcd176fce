"""The table of words for people: all of it, a group, or one word with its example."""

from __future__ import annotations

from collections.abc import Iterable

from ..playing.subject import CAPABILITIES
from ..words.table import GROUPS, PLACES, Word, in_groups
from .styled import Line, columns, hanging, wrap


def overview_lines(words: Iterable[Word], width: int) -> list[Line]:
    """Every word by its group, without its meaning."""
    lines: list[Line] = []
    for group, members in in_groups(words).items():
        lines += [*([[]] if lines else []), [(GROUPS[group][0], "strong"), (f"   idlefox words {group}", "dim")]]
        names = list(dict.fromkeys(word.word for word in members))
        lines += [[("  " + part, "")] for part in wrap("  ".join(n.replace(" ", "\0") for n in names), width - 2)]
    return [[(text.replace("\0", " "), style) for text, style in line] for line in lines]


def group_lines(group: str, words: Iterable[Word], width: int) -> list[Line]:
    """Return the words of one group, each with a form and a meaning; keys are grouped by place."""
    lines: list[Line] = [[(GROUPS[group][0], "strong")]]
    place = ""
    for word in words:
        if word.place != place:
            place = word.place
            lines += [[], [(f"keys of {PLACES[place]}", "strong")]]
        lines += [[], *[[("  " + part, "good")] for part in forms(word, width - 2)]]
        lines += hanging("    ", word.means, width)
    return lines


def forms(word: Word, width: int) -> list[str]:
    """The forms of a word, as many on a line as fit."""
    lines: list[str] = []
    for form in word.form.split(" · "):
        if lines and columns(lines[-1]) + 3 + columns(form) <= width:
            lines[-1] += f" · {form}"
        else:
            lines += wrap(form, width)
    return lines


def word_lines(word: Word, width: int) -> list[Line]:
    """Return the entry of one word: its kind, forms, meaning, requirements and example."""
    lines: list[Line] = [[(word.word, "strong"), (f"   {word.what}", "dim")], []]
    lines += [[("  " + part, "good")] for part in forms(word, width - 2)]
    lines += [[], *hanging("  ", word.means, width)]
    if word.has_default:
        lines.append([(f"  Default: {as_yaml(word.default)}", "")])
    if word.needs:
        lines += hanging("  ", f"Needs a subject that can {CAPABILITIES[word.needs]}.", width)
    where = "" if word.whole_script or word.sheet else f", on the demo's {word.on}.form.yaml"
    lines += [[], [(f"  Example{where}:", "dim")]]
    for title, text in (("rules.py", word.python), ("codes.csv", word.csv), ("the sheet", _sheet(word)), ("the scenario", word.example)):
        if text:
            head = f"  {title}" if word.sheet else ""
            lines += [[], *([[(head, "dim")]] if head else []), *[[("    " + line, "")] for line in text.strip("\n").split("\n")]]
    return lines


def _sheet(word: Word) -> str:
    return f"form: example\n{word.sheet}" if word.sheet else ""


def as_yaml(value: object) -> str:
    """A default as one writes it in a sheet."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{k}: {as_yaml(v)}" for k, v in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(as_yaml, value)) + "]"
    return str(value).lower() if isinstance(value, bool) else str(value)
