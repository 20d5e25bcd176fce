"""Finds phrases that read like a translation: `python tools/phrases.py [PATHS…]`.

Searches the documentation, and the docstrings, comments and string literals of the code. Each finding is printed as
FILE:LINE, the phrase, and a suggestion. The exit code is 1 if there are findings. A line with `phrases: ok` is skipped.
"""

from __future__ import annotations

import ast
import re
import sys
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
# A pattern, and what to write instead.
PHRASES: tuple[tuple[str, str], ...] = (
    (r"\bthat is no\b(?! longer)", "that is not a …"),
    (r"\bis there not\b|\bthere is no such\b", "… does not exist; … not found"),
    (r"\bcannot be meant\b|\bis meant to be\b", "say what is wrong"),
    (r"\bunless said\b|\bunless told\b|\bif nothing else is said\b", "default …"),
    (r"\banew\b|\bonce more\b", "again"),
    (r"\bone an? (core|line|row|field|scenario|process)\b", "one per …"),
    (r"\b(as|like) in 30s\b", "for example 30s"),
    (r"\bheld (against|to)\b|\bholds? (it|them|\w+) against\b", "compared with, checked against"),
    (r"\b(plays?|played|playing) (a|the|your|one|its|this|these|all|every) (script|scenario|suite|test|example)s?\b", "run"),
    (r"\b(is|are|was|were) told\b|\btold (of|about|anyone|nobody)\b", "is reported, is printed"),
    (r"\b(comes?|came) (of|by) (it|them|that|what|a|the)\b", "results from"),
    (r"\blies? (outside|over|beyond)\b", "is outside, extends beyond"),
    (r"\bwhere (they|it|the two|the forms) parts?\b|\bthey part in\b|\bhave parted\b", "differ"),
    (r"\bparted in\b", "split into"),
    (r"\bthe (having been left|touched of|dirty of)\b", "the `touched` mark of"),
    (r"\bwhat (is rude|is odd|trips|one may|follows from this|comes back|stands|stood|holds it together)\b", "use a noun"),
    (r"^##+ (And|What|Where|How it is|When it)\b", "headings are nouns or imperatives"),
    (r"\b(cannot|can not) be taken\b(?! back)|\bstep (that )?is taken\b", "is not possible"),
    (r"\bon its way\b|\bbeing asked about\b", "pending"),
    (r"\bstand-in\b", "stub server"),
    (r"\bin the place of\b", "instead of"),
    (r"\bbesides\b(?!,| \(|$)", "as well as"),
    (r"\bso many\b(?! \w+ that)", "N, or how many"),
    (r"\b(the )?(house|rooms|floors) (of|below|above|further)\b|\bfloor below\b", "packages, layers"),
    (r"\ba slip\b|\bslips\b", "an error, a typo"),
    (r"\b1 (rows|lines|errors|scenarios|findings)\b", "singular"),
    (r"\bwhat (a|the) (?!person|user)\w+ (holds|says|tells|does|has|gives|takes)\b", "use a noun: fields, content, behaviour"),
    (r"\b(tells|told) what\b", "reports …"),
    (r"\bis what (comes|stands|makes|is)\b", "say who does what"),
)
COMPILED = tuple((re.compile(pattern, re.IGNORECASE if pattern[0] != "^" else re.NOFLAG), better) for pattern, better in PHRASES)


def main() -> int:
    """Search the paths given, or everything that people read."""
    paths = [Path(each) for each in sys.argv[1:]] or [
        *ROOT.glob("*.md"), *ROOT.glob("docs/*.md"), *ROOT.glob("benchmarks/*.md"), *ROOT.glob("src/**/*.py"), *ROOT.glob("src/**/*.toml"),
        *ROOT.glob("src/**/*.yaml"), *ROOT.glob("src/**/*.fox"), *ROOT.glob("src/**/*.html"), *ROOT.glob("src/**/*.schema.json"),
        *ROOT.glob("tools/*.py"), *ROOT.glob("benchmarks/*.py"),
    ]  # fmt: skip
    count = 0
    for path in sorted(paths):
        if path.resolve() == Path(__file__).resolve():
            continue
        for line, text in texts_of(path):
            for pattern, better in COMPILED:
                for match in pattern.finditer(text):
                    count += 1
                    print(f"{path.resolve().relative_to(ROOT)}:{line}: {match.group()!r} → {better}")
    print(f"{count} finding{'' if count == 1 else 's'}")
    return 1 if count else 0


def texts_of(path: Path) -> Iterator[tuple[int, str]]:
    """Yield the prose of a file with its line numbers: all lines, or the strings and comments of Python code."""
    source = path.read_text("utf-8")
    lines = source.split("\n")
    if path.suffix != ".py":
        yield from ((number, line) for number, line in enumerate(lines, 1) if "phrases: ok" not in line)
        return
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and "phrases: ok" not in lines[node.lineno - 1]:
            yield from ((node.lineno + i, part) for i, part in enumerate(node.value.split("\n")))
    with path.open("rb") as file:
        for token in tokenize.tokenize(file.readline):
            if token.type == tokenize.COMMENT and "phrases: ok" not in token.string:
                yield token.start[0], token.string


if __name__ == "__main__":
    sys.exit(main())
