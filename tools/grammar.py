#!/usr/bin/env python3
"""Writes the TextMate grammar of scripts from the table of words: tools/grammar.py [--check]; tools/grammar.py --spans FILE.

The grammar gives the same colours as `idlefox.script.colors`, which the language server uses. --check exits 1 if the grammar in
editors/vscode is not current. --spans prints the parts of a script with their scopes, for the test of the extension.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from idlefox.script.colors import spans, vocabulary

FILE = Path(__file__).resolve().parent.parent / "editors" / "vscode" / "syntaxes" / "fox.tmLanguage.json"
SCOPES = {
    "comment": "comment.line.number-sign", "string": "string.quoted.double", "number": "constant.numeric", "regex": "string.regexp",
    "parameter": "variable.parameter", "tag": "entity.name.tag", "keyword": "keyword.control", "step": "entity.name.function",
    "word": "keyword.operator.word", "state": "support.constant", "constant": "constant.language", "address": "variable.other",
    "operator": "keyword.operator",
}  # fmt: skip
NAME = r"\.?[A-Za-z_][\w-]*(?:\.[A-Za-z_][\w-]*|\[(?:\*|-?\d+|\$\{?[\w-]+\}?|\"[^\"]*\")\])*"
Rule = dict[str, Any]


def one_of(names: frozenset[str]) -> str:
    """A pattern for exactly one of *names*: not for the beginning of a longer address."""
    return rf"(?:{'|'.join(sorted(names))})(?![\w.\[-])"


def colour(kind: str, pattern: str) -> Rule:
    """The rule that colours what *pattern* matches."""
    return {"match": pattern, "name": f"{SCOPES[kind]}.fox"}


def captured(pattern: str, *kinds: str, **more: str) -> Rule:
    """The rule that colours each group of *pattern* as one of *kinds*."""
    return {"match": pattern, "captures": {str(n): {"name": f"{SCOPES[kind]}.fox"} for n, kind in enumerate(kinds, 1)}, **more}


def region(word: str, kind: str, inside: list[Rule], tail: str = "") -> Rule:
    """The rule for the rest of a line that begins with *word*."""
    captures = {"1": {"name": f"{SCOPES[kind]}.fox"}}
    return {"begin": rf"^\s*({word}){tail}", "end": "$", "beginCaptures": captures, "patterns": inside}


def grammar() -> Rule:
    """The grammar as JSON (the language of TextMate grammars)."""
    words = vocabulary()
    constant = colour("constant", one_of(words["constants"]))
    cannot = captured(rf"(cannot)\s+({one_of(words['steps'])})", "word", "step")
    soft, address = colour("word", one_of(words["soft"])), colour("address", NAME)
    plain = [{"include": "#basic"}, constant]
    states = colour("state", rf"(?<=\bis ){one_of(words['states'])}")
    inside_check = colour("word", one_of(words["checks"] | words["predicates"] | words["soft"] | {"not", "only", "cannot"}))
    after = [*plain, colour("state", NAME)]
    is_what: Rule = {
        "begin": rf"({one_of(frozenset({'is', 'breaks'}))})", "end": "$", "beginCaptures": {"1": {"name": f"{SCOPES['word']}.fox"}},
        "patterns": [*plain, states, cannot, inside_check, *after],
    }  # fmt: skip
    noun = colour("word", rf"(?<=expect ){one_of(words['nouns'])}")
    check = [*plain, noun, cannot, is_what, inside_check, address]
    keyword = one_of(words["headers"] | words["blocks"] | words["checks"])
    fill: Rule = {
        "begin": r"^(\s*)(fill)(?![\w.\[-])", "while": r"^(?:\1\s|\s*$)", "beginCaptures": {"2": {"name": f"{SCOPES['keyword']}.fox"}},
        "patterns": [*plain, colour("address", rf"^\s*{NAME}"), soft, address],
    }  # fmt: skip
    basic = [
        colour("comment", r"#.*$"),
        {"begin": '"', "end": r'"|$', "name": f"{SCOPES['string']}.fox", "patterns": [
            {"match": r"\\.|\$\$"}, colour("parameter", r"\$\{[A-Za-z_][\w-]*\}|\$[A-Za-z_][\w-]*")]},
        captured(r"(?<![\w.\[-])(like)\s+(/(?:[^/\\]|\\.)+/)", "word", "regex"),
        colour("parameter", r"\$\{?[A-Za-z_][\w-]*\}?"),
        colour("number", r"-?\d+(?:\.\d+)?(?:ms|s|m|h|d)?\b"),
        colour("tag", r"\[[A-Za-z][\w-]*(?:, *[A-Za-z][\w-]*)*\](?=[ ]*(?:#|$))"),
        colour("operator", "!=|="),
    ]  # fmt: skip
    rest = [*plain, cannot, soft, address]
    top = [
        fill,
        region("expect" + r"(?![\w.\[-])", "keyword", check),
        region(one_of(frozenset({"with"})), "keyword" if "with" in words["blocks"] | words["headers"] else "address",
               [*plain, cannot, colour("parameter", NAME)]),
        captured(rf"^\s*(do)\s+({NAME})", "step", "word"),
        captured(rf"^\s*(routine)\s+({NAME})", "keyword", "word"),
        region(one_of(frozenset({"answer"})), "step", [*plain, colour("word", one_of(words["nouns"])), *rest]),
        captured(rf"^\s+({one_of(words['steps'])})", "step"),
        captured(rf"^\s*(cannot)\s+({one_of(words['steps'])})", "keyword", "step"),
        captured(rf"^\s*({keyword})", "keyword"),
        captured(rf"^\s*({NAME})", "address"),
        *rest,
    ]  # fmt: skip
    return {
        "$schema": "https://json.schemastore.org/tmlanguage.json", "name": "Idle Fox script", "scopeName": "source.fox",
        "fileTypes": ["fox"], "patterns": top, "repository": {"basic": {"patterns": basic}},
    }  # fmt: skip


def main() -> None:
    if sys.argv[1:2] == ["--spans"]:
        text = Path(sys.argv[2]).read_text("utf-8")
        print(json.dumps([[text[s.start : s.end], text.count("\n", 0, s.start) + 1, f"{SCOPES[s.kind]}.fox"] for s in spans(text)]))
        return
    made = json.dumps(grammar(), indent=2) + "\n"
    if sys.argv[1:] == ["--check"]:
        raise SystemExit(0 if FILE.is_file() and FILE.read_text("utf-8") == made else f"{FILE} is not current: python tools/grammar.py")
    FILE.parent.mkdir(parents=True, exist_ok=True)
    FILE.write_text(made, "utf-8")


if __name__ == "__main__":
    main()
