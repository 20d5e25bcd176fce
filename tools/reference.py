"""Writes the table of words to the sheet's JSON Schema and to the reference pages: `python tools/reference.py`.

`--check` writes nothing and fails if something is out of date. In a page, the region between ``<!-- words: GROUP -->`` (for
keys ``<!-- words: keys PLACE -->``) and ``<!-- end -->`` is generated.
"""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from textwrap import fill
from typing import Any

from idlefox.report.words import as_yaml
from idlefox.words.table import Word, words

ROOT = Path(__file__).resolve().parent.parent
SCHEMA = ROOT / "src" / "idlefox" / "forms" / "sheet" / "sheet.schema.json"
PAGES = sorted((ROOT / "docs").glob("*.md"))
TYPE_RULES = frozenset({"number", "date", "month", "week", "time", "datetime-local"})  # they give badInput its message
_REGION = re.compile(r"(<!-- words: (\w+)(?: (\w+))? -->\n).*?(<!-- end -->)", re.S)
_FORM_PARTS = {
    "submit": "submit", "buttons": "button", "server": "server", "after": "after", "views": "view", "gives": "gives", "faults": "faults",
    "derive": "derive", "options": "options", "report": "report",
}  # fmt: skip


def places(schema: dict[str, Any]) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Every key of the sheet that *schema* knows: the place where it stands, its name, and what is said of its value."""
    yield from _keys(schema, "form")
    for name, part in schema["$defs"].items():
        place = "parameter" if "expr" in part.get("properties", {}) else name
        yield from _keys(part, place)


def _keys(part: dict[str, Any], place: str) -> Iterator[tuple[str, str, dict[str, Any]]]:
    for key, value in part.get("properties", {}).items():
        if not isinstance(value, dict):
            part["properties"][key] = value = {}
        yield ("panel" if key == "gives" else place), key, value
        inner = value.get("additionalProperties")
        inside = inner if isinstance(inner, dict) else value
        below = _FORM_PARTS.get(key, "form" if key == "panels" else "outcome" if place == "after" else "parameter")
        yield from _keys(inside, below)


def word_for(place: str, key: str) -> Word:
    """The word that says what *key* means at *place*."""
    group, name = ("rules", "badInput" if key in TYPE_RULES else key) if place == "rule" else ("keys", key)
    for word in words():
        if word.word == name and ((word.group == group == "rules") or word.place == place):
            return word
    raise SystemExit(f"no word for the key {key!r} of {place}")


def described(text: str) -> str:
    """Return the schema with the descriptions of the table of words."""
    schema = json.loads(text)
    for place, key, value in list(places(schema)):
        word = word_for(place, key)
        value["description"] = word.means
        value.pop("default", None)
        if word.has_default:
            value["default"] = word.default
    return json.dumps(schema, indent=1, ensure_ascii=False) + "\n"


def page_with_words(text: str) -> str:
    """Return the page with its generated regions replaced."""
    return _REGION.sub(lambda found: found[1] + _region(found[2], found[3] or "") + found[4], text)


def _region(group: str, place: str) -> str:
    chosen = [w for w in words() if w.group == group and (not place or w.place == place)]
    if not chosen:
        raise SystemExit(f"there are no words of {group} {place}")
    return _table(chosen) if group == "keys" else "\n".join(_entry(word) for word in chosen)


def _table(chosen: list[Word]) -> str:
    lines = ["| key | default | meaning |", "| --- | --- | --- |"]
    for word in chosen:
        default = f"`{as_yaml(word.default)}`" if word.has_default else ""
        lines.append(f"| `{word.word}` | {default} | {_cell(word.means)} |")
    return "\n".join(lines) + "\n"


def _cell(text: str) -> str:
    return text.replace("|", "\\|")


def _wrapped(text: str) -> str:
    return fill(text, 100, break_long_words=False, break_on_hyphens=False)


def _entry(word: Word) -> str:
    """One word with its forms, meaning and example."""
    forms = " · ".join(f"`{form}`" for form in word.form.split(" · "))
    head = f"**{word.word}** {forms}" if word.word != word.form else f"**{word.word}**"
    lines = [_wrapped(head), "", _wrapped(word.means), ""]
    if word.python:
        lines += ["```python rules.py", *word.python.strip().split("\n"), "```", ""]
    if word.csv:
        lines += ["```csv codes.csv", *word.csv.strip().split("\n"), "```", ""]
    if word.sheet:
        lines += ["```yaml", *word.sheet.strip().split("\n"), "```", ""]
    lines += ["```fox" if word.sheet or word.whole_script else f"```fox on {word.on}", *word.example.strip().split("\n"), "```", ""]
    return "\n".join(lines)


def main() -> None:
    check = "--check" in sys.argv[1:]
    stale = []
    for path, write in ((SCHEMA, described), *((page, page_with_words) for page in PAGES)):
        before = path.read_text("utf-8")
        after = write(before)
        if before != after:
            stale.append(str(path.relative_to(ROOT)))
            if not check:
                path.write_text(after, "utf-8")
    if stale:
        print("not in step with the table of words: " + ", ".join(stale) if check else "written: " + ", ".join(stale))
    raise SystemExit(bool(stale and check))


if __name__ == "__main__":
    main()
