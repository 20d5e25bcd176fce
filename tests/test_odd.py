"""Malformed input and its results: texts made by `tools/fuzz.py`, each with every reported error, or with all changes of a walk.

`odd.xz` contains them. After an intended change of behaviour, `python tests/test_odd.py` writes the results again and prints
the differences, to be read before they are committed; `python tests/test_odd.py N SEED` adds N texts.
"""

from __future__ import annotations

import importlib.util
import json
import lzma
import random
import re
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from test_journals import _THEIRS, told

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import Session, SessionFactory
from idlefox.forms.html.read import read_page_text
from idlefox.forms.names.addresses import parse_address
from idlefox.forms.schema.read import read_schema
from idlefox.forms.sheet.read import read_sheet, read_sheet_text
from idlefox.forms.values.pattern_match import Matcher
from idlefox.forms.values.pattern_syntax import SyntaxFault, checked
from idlefox.forms.values.pattern_tree import from_start, quick_length, read_pattern, written_out
from idlefox.forms.values.patterns import PatternError, PatternTooSlow, finds, whole_match
from idlefox.problems import Unreadable
from idlefox.report.outline import outline_lines
from idlefox.script.tables import read_table
from idlefox.study.starter_files import from_schema

KEPT = Path(__file__).parent / "odd.xz"
TEXTS = ("", "a", "ab" * 9, "SK4711", "a\nb", "é🔦", "aaab", "0.50", "a-b", "_", "K", "x" * 60)


_OF_TABLES = {
    "csv": ("a", "b", "", "1", " ", "é", '"x\ny"', '"a""b"', '","', "\n"),
    "json": ('{"a": 1}', '{"a": "x"}', '{"a": null}', '{"a": [1, {}]}', '{"a":\n{"b": true}}', '{"a": 1, "b": 2}', "3", '{"a": NaN}', "{}"),
}
_OVER = (
    "label: L", "type: text", "type: number", "rules: [{required: true, say: no}]", "rules: [{maxlength: 2}]", "rules: [{pattern: '[a-z]'}]",
    "rules: [{min: 3, say: {min}}]", "initial: x", "initial: 3", "visible: 'false'", "enabled: 'empty(a)'", "options: [a, b]", "trim: true",
    "derive: {from: '1 + 1', when: always}", "when_hidden: clear", "readonly: true", "multiple: true", "report: {first: change}", "case: upper",
)  # fmt: skip


def pattern(text: str) -> list[str]:
    """What a pattern finds by either way to match, how it is counted, and why it is none."""
    found: list[str] = []
    for way in (whole_match, lambda p: finds(p, "v"), lambda p: finds(p, "iv")):
        try:
            match = way(text)
            found.append(" ".join("yes" if match(each) else "no" for each in TEXTS))
        except PatternError as fault:
            found.append(f"{fault.cause} {fault.remedy}")
        except PatternTooSlow:
            found.append("given up")
    try:
        checked(text, "v")
        tree = read_pattern(text, "v")
        found.append(f"{quick_length(tree)} {written_out(tree)} {from_start(tree)}")
        matcher = Matcher(tree, lambda source, flags: finds(f"^(?:{source})$", flags))
        found += [" ".join("yes" if matcher.found(each, text) else "no" for each in TEXTS)] if written_out(tree) < 5_000 else []
    except (SyntaxFault, PatternError):
        pass
    except PatternTooSlow:
        found.append("given up")
    return found


def form(read: Callable[[], Any]) -> list[str]:
    """The form's outline, and the journal of a walk through it."""
    model = read()
    lines = ["".join(text for text, _ in line) for line in outline_lines(model, 100)]
    if model.python:
        return lines
    session = Session(SessionFactory(compile_form(model)))
    refused = session.load(1_935_219_600_000)
    if refused is not None:
        return [*lines, str(refused)]

    def pressing(key: str) -> Callable[[Any], Any]:
        return lambda at: session.press(key, at)

    up, space, down = map(pressing, ("ArrowUp", "Space", "ArrowDown"))

    def leave(at: Any) -> Any:
        return session.leave_field(None)

    def seven(at: Any) -> Any:
        return session.enter(at, "7")

    step = 0
    for name in [field.address for field in model.walk() if "[" not in field.address and field.kind not in ("group", "rows", "file")][:9]:
        at = parse_address(name) or ()
        for act in (session.focus, up, space, leave, seven, down):
            step += 1
            session.live.step = step
            found = act(at)
            if found is not None:
                lines.append(f"{step} {found}")
    lines += map(str, (session.submit("", ""), session.advance(60_000), session.reset()))
    lines += [json.dumps(change.as_json(), ensure_ascii=False, default=str) for change in session.journal().changes]
    return [*lines, *(f"{e.method} {e.target} {e.body} {e.status}" for e in session.journal().exchanges)]


def outcome(kind: str, text: str, folder: Path) -> str:
    """All that comes of *text*."""
    first, _, second = text.partition("\0")
    try:
        if kind == "pattern":
            lines = pattern(text)
        elif kind == "sheet":
            lines = form(lambda: read_sheet_text(text, "f.form.yaml"))
        elif kind == "page":
            lines = form(lambda: read_page_text(text, "p.html"))
        elif kind == "over":
            (folder / "p.html").write_text(first, "utf-8", "surrogatepass", newline="")
            (folder / "f.form.yaml").write_text(second, "utf-8")
            lines = form(lambda: read_sheet(str(folder / "f.form.yaml")))
        elif kind in ("csv", "json"):
            (folder / "t").write_text(text, "utf-8", "surrogatepass", newline="")
            lines = [f"{row.line} {row.cells}" for row in read_table(kind, str(folder / "t"))]
        elif kind == "schema":
            (folder / "s.schema.json").write_text(text, "utf-8", "surrogatepass")
            made = from_schema(read_schema(str(folder / "s.schema.json")), "s", str(folder))
            lines = [*made.sheet.split("\n"), *made.script.split("\n"), *made.left_out]
        else:
            page = first.lstrip().startswith("<")
            (folder / ("p.html" if page else "f.form.yaml")).write_text(first, "utf-8", "surrogatepass", newline="")
            (folder / "a.fox").write_text(f'subject "{"p.html" if page else "f.form.yaml"}"\nclock 2031-05-02T09:00:00Z\n\n{second}', "utf-8", "surrogatepass", newline="")
            lines = told(folder / "a.fox")
    except Unreadable as fault:
        lines = [f"{p.place.line}:{p.place.column}+{p.place.length} {p.cause} → {p.remedy} | {p.source}" for p in fault.problems]
    return _THEIRS.sub(r"\1 … ", "\n".join(lines).replace(str(folder), "."))


def kept() -> list[list[str]]:
    found: list[list[str]] = json.loads(lzma.decompress(KEPT.read_bytes()))
    return found


@pytest.mark.parametrize("part", range(8))
def test_malformed_input_has_the_same_result_as_before(tmp_path: Path, part: int) -> None:
    for number, (kind, text, was) in list(enumerate(kept()))[part::8]:
        folder = tmp_path / str(number)
        folder.mkdir()
        if outcome(kind, text, folder) != was:
            pytest.fail(f"of text {number} ({kind}) comes something else: python tests/test_odd.py shows what\n{text[:2000]}")


def _made(count: int, seed: int) -> list[list[str]]:
    """Texts by chance, changed from those of the demo and the tests."""
    spec = importlib.util.spec_from_file_location("fuzz", Path(__file__).parent.parent / "tools" / "fuzz.py")
    assert spec is not None
    assert spec.loader is not None
    sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
    fuzz = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(fuzz)
    known = fuzz.corpus()
    found: list[list[str]] = []
    while len(found) < count:
        chance = random.Random(f"odd {seed} {len(found)}")
        changer = fuzz.Changer(chance, known)
        kind = chance.choice(("pattern", "sheet", "page", "schema", "whole", "whole", "over", "csv", "json"))
        text = changer.text(kind) if kind in ("pattern", "sheet", "page", "schema") else ""
        if kind in ("csv", "json"):
            rows = [chance.choices(_OF_TABLES[kind], k=2 if kind == "csv" else 1) for _ in range(chance.randrange(1, 6))]
            between = chance.choice((",", ", ", ",\n"))
            text = "\n".join(map(",".join, rows)) if kind == "csv" else f"[{between.join(row[0] for row in rows)}]"
            if chance.random() < 0.5:
                at = chance.randrange(len(text))
                text = text[:at] + chance.choice('",]}x1 \n\r') + text[at + chance.randrange(2) :]
        elif kind == "over":
            page = changer.text("page")
            names = list(dict.fromkeys(re.findall(r'name="?(\w+)', page))) or ["a"]
            over = "".join(f"  {json.dumps(name)}: {{{chance.choice(_OVER)}}}\n" for name in names if chance.random() < 0.6)
            text = f"{page}\0form: f\npage: p.html\nfields:\n{over}"
        elif kind == "whole":
            first, script = chance.choice(changer.pairs)
            page = first.lstrip().startswith("<")
            first = changer.text("page" if page else "sheet", first) if chance.random() < 0.4 else first
            body = changer.text("script", script) if chance.random() < 0.8 else script
            text = first + "\0" + "\n".join(line for line in body.split("\n") if not line.startswith(("subject", "clock", "use")))
        found.append([kind, text if len(text) < 6000 else "", ""])
    return [each for each in found if each[1]]


def main() -> None:
    texts = kept() + (_made(int(sys.argv[1]), int(sys.argv[2])) if len(sys.argv) > 2 else [])
    for number, each in enumerate(texts):
        with tempfile.TemporaryDirectory() as folder:
            now = outcome(each[0], each[1], Path(folder))
        if each[2] and now != each[2]:
            old, new = each[2].split("\n"), now.split("\n")
            print(f"--- {number} ({each[0]})", *(f"- {line}" for line in old if line not in new), *(f"+ {line}" for line in new if line not in old), sep="\n")
        each[2] = now
    KEPT.write_bytes(lzma.compress(json.dumps(texts, ensure_ascii=False).encode("utf-8", "surrogatepass"), preset=9))


if __name__ == "__main__":
    main()
