"""Help at the cursor: completion and hover."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from ..forms.model.form import Form
from ..forms.names.states import FIELD_STATES, FORM_STATES
from ..playing.subject import CAPABILITIES
from ..report.outline import field_lines
from ..report.styled import unstyled
from ..script.complete import KnownNames, all_addresses, complete
from ..script.tree import Script
from ..words.table import Word, find, words
from .sheet_spot import CursorSpot, keys_at, schemas_at, spot
from .texts import TextLines

# LSP 3.17, "CompletionItemKind".
_KINDS = {"word": 14, "address": 5, "value": 12, "state": 20, "rule": 6, "name": 3, "key": 10}
_OF_SHEETS = ("functions", "states", "rules")
_OF_SCRIPTS = ("headers", "blocks", "steps", "checks", "nouns", "predicates", "states")
_TAGS = re.compile(r'^scenario\s+"(?:[^"\\]|\\.)*"\s*\[([^\]\n]*)\]', re.MULTILINE)
_TOKEN = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*$")


def script_completion(text: str, position: dict[str, int], script: Script | None, form: Form | None) -> list[dict[str, Any]]:
    """Complete a line of a script."""
    lines = TextLines(text)
    before = lines.before(position)
    number = position["line"] + 1
    block = next((b for b in script.blocks if b.line <= number <= max(b.last_line, b.line)), None) if script is not None else None
    at_top = not before[:1].isspace()
    parameters: tuple[str, ...] = ()
    if block is not None:
        parameters = (*block.parameters, *(block.body.table.names if block.body.table is not None else ()))
    routines = tuple((b.name, b.parameters) for b in script.blocks if b.kind == "routine") if script is not None else ()
    tags = tuple(dict.fromkeys(tag for found in _TAGS.finditer(text) for tag in found[1].replace(",", " ").split())) if at_top else ()
    known = KnownNames(form, routines, parameters, tags)
    line = before.lstrip()
    found = complete(line, known, at_top=at_top, in_fill=not at_top and _in_fill(lines, position["line"], len(before) - len(line)))
    shift = len(before) - len(line)
    row = position["line"] + 1
    return [
        _item(c.text, c.kind, c.means, lines.range(row, c.start + shift + 1, len(before) - c.start - shift), number)
        for number, c in enumerate(found)
    ]  # fmt: skip


def _in_fill(lines: TextLines, line: int, indent: int) -> bool:
    """Return whether the nearest line above that is indented less begins a `fill`."""
    for each in reversed(lines.lines[:line]):
        if each.strip() and len(each) - len(each.lstrip()) < indent:
            return each.split("#")[0].strip() == "fill"
    return False


def _item(text: str, kind: str, means: str, range_: dict[str, Any], order: int) -> dict[str, Any]:
    detail = means if len(means) <= 80 else means[:77] + "…"
    return {
        "label": text, "kind": _KINDS[kind], "detail": detail, "sortText": f"{order:04}", "filterText": text,
        "textEdit": {"range": range_, "newText": text}, **({"documentation": means} if detail != means else {}),
    }  # fmt: skip


# Sheets
def sheet_completion(text: str, position: dict[str, int], form: Form | None) -> list[dict[str, Any]]:
    """Complete a sheet: the keys allowed here, or the values of the key."""
    lines = TextLines(text)
    there = spot(text[: lines.offset(position)])
    offered = list(dict.fromkeys(_sheet_offers(there, form)))
    fragment = there.fragment
    word = _TOKEN.search(fragment)
    of_expression = there.key != "" and _of(there) == "expression"
    typed = (word[0] if word is not None else "") if of_expression else fragment
    before = lines.before(position)
    range_ = lines.range(position["line"] + 1, len(before) - len(typed) + 1, len(typed))
    small = typed.strip("\"'").lower()
    return [_item(text, kind, means, range_, n) for n, (text, kind, means) in enumerate(offered) if text.lower().startswith(small)]


def _of(there: CursorSpot) -> str:
    return next((str(part["of"]) for part in schemas_at((*there.path, there.key)) if part.get("of") in ("expression", "address")), "")


def _sheet_offers(there: CursorSpot, form: Form | None) -> Iterator[tuple[str, str, str]]:
    if not there.key:
        yield from ((f"{key}: ", "key", means) for key, means in keys_at(there.path).items())
        if there.path[-1:] != (0,):
            return
        key, inside = next(((str(step), True) for step in reversed(there.path) if isinstance(step, str)), ("", False))
        if inside and key in ("shows", "forget"):
            yield from _addresses(form)
        return
    for part in schemas_at((*there.path, there.key)):
        yield from ((str(value), "value", "") for value in part.get("enum", ()))
        if part.get("of") == "boolean" or part.get("type") == "boolean":
            yield from (("true", "value", ""), ("false", "value", ""))
    kind = _of(there)
    if kind == "address":
        yield from _addresses(form)
    elif kind == "expression":
        yield from _addresses(form)
        yield from ((word.word, "name", word.means) for word in words() if word.group == "functions" and word.word.isidentifier())
        yield from ((state, "state", "a state") for state in dict.fromkeys((*FIELD_STATES, *FORM_STATES)))
    elif there.key == "lookup" and form is not None:
        yield from ((name, "name", "a lookup") for name in form.lookups)
    elif there.key == "view" and form is not None:
        yield from ((name, "name", "a view") for name in ("editing", "waiting", "done", *form.views))


def _addresses(form: Form | None) -> Iterator[tuple[str, str, str]]:
    for text, means in all_addresses(form) if form is not None else ():
        yield text.replace("[0]", "[*]"), "address", means


# Descriptions
def word_hover(text: str, position: dict[str, int], *, sheet: bool) -> str:
    """Explain the keyword at the cursor in Markdown; "" if it is not a keyword."""
    lines = TextLines(text)
    if not 0 <= position["line"] < len(lines.lines):
        return ""
    line = lines.lines[position["line"]]
    at = lines.offset(position) - lines.starts[position["line"]]
    token = next((found for found in re.finditer(r"[A-Za-z_][A-Za-z0-9_-]*", line) if found.start() <= at <= found.end()), None)
    if token is None or _in_string(line, token.start()):
        return ""
    if sheet:
        there = spot(text[: lines.starts[position["line"]] + token.start()])
        means = keys_at(there.path).get(token[0], "") if not there.key else ""
        if means:
            return f"**{token[0]}**\n\n{means}"
    groups = _OF_SHEETS if sheet else _OF_SCRIPTS
    known = next((word for word in find(token[0]) if word.group in groups), None)
    return as_markdown(known) if known is not None else ""


def _in_string(line: str, at: int) -> bool:
    return len(re.findall(r'(?<!\\)"', line[:at])) % 2 == 1 and len(re.findall(r'(?<!\\)"', line[at:])) % 2 == 1


def as_markdown(word: Word) -> str:
    """Return *word* as Markdown."""
    needs = f"\n\nNeeds a subject that can {CAPABILITIES[word.needs]}." if word.needs else ""
    example = f"\n\n```\n{word.example.strip()}\n```" if word.example else ""
    return f"**{word.form}**\n\n{word.means}{needs}{example}"


def field_hover(form: Form, path: tuple[str, ...]) -> str:
    """A field as `outline` shows it, as Markdown."""
    field = form.find(path)
    if field is None:
        return ""
    told = unstyled(field_lines(field, form, 80))
    return f"**{field.address}**\n\n```\n{told}\n```"
