"""Findings of lint: for people, as JSON, and as SARIF 2.1.0 (Static Analysis Results Interchange Format)."""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import PurePath
from typing import Any
from urllib.parse import quote

from ..study.lint.findings import Code, Finding, codes
from .styled import Line, columns, hanging, marked, plain

_STYLES = {"error": "bad", "warning": "doubt", "note": ""}


def finding_lines(finding: Finding, width: int) -> list[Line]:
    """``FILE:LINE:COL: CODE (LEVEL): MESSAGE``, the line with a marker under the place, and ``→`` with the remedy."""
    place = finding.place
    head = f"{plain(place.file)}:{place.line}:{place.column}: {finding.code} ({finding.level}): "
    style = _STYLES[finding.level]
    if columns(head) + columns(plain(finding.message)) > width:
        # The place gets its own line, to leave room for a long message.
        lines = [[(head.rstrip(), "dim")], *hanging("  ", plain(finding.message), width, style)]
    else:
        lines = hanging(head, plain(finding.message), width, style)
    if finding.source.strip():
        lines += marked(place.line, finding.source, place.column, place.length, width, max(4, len(str(place.line)) + 1))
    return [*lines, *hanging("→ ", plain(finding.help), width, ""), []]


def code_lines(code: Code, width: int) -> list[Line]:
    """The explanation of a code, with its examples (`--explain`)."""
    lines: list[Line] = [[(code.code, "strong"), (f"   {code.level}", "dim")]]
    lines += [*hanging(" ", code.means, width, ""), *hanging(" ", code.why, width, "")]
    if code.beside:
        lines += [[], [(" beside the sheet", "dim")], *([(f"   {line}", "")] for line in code.beside.strip("\n").split("\n"))]
    for word, sheet, script in (("bad", code.bad_sheet, code.bad), ("good", code.good_sheet, code.good)):
        lines += [[], [(f" {word}", "dim")]]
        lines += [[(f"   {line}", "")] for line in (script if code.bad else sheet).strip("\n").split("\n")]
    return lines


def findings_json(findings: Iterable[Finding], version: str) -> str:
    """Return the findings of `lint` as JSON."""
    data = [{**_place(f), "code": f.code, "level": f.level, "message": f.message, "help": f.help} for f in findings]
    return json.dumps({"format": 1, "findings": data}, indent=2) + "\n"


def _place(finding: Finding) -> dict[str, Any]:
    place = finding.place
    return {"file": place.file, "line": place.line, "column": place.column}


def findings_sarif(findings: Iterable[Finding], version: str) -> str:
    """SARIF 2.1.0: a run of this *version* with its rules, and a result for each finding, its file as a relative URI."""
    rules = [
        {
            "id": code.code, "shortDescription": {"text": code.means}, "fullDescription": {"text": f"{code.means} {code.why}"},
            "help": {"text": code.why}, "defaultConfiguration": {"level": code.level},
        }
        for code in codes().values()
    ]  # fmt: skip
    order = {code: number for number, code in enumerate(codes())}
    results = [
        {
            "ruleId": f.code, "ruleIndex": order[f.code], "level": f.level, "message": {"text": f"{f.message}. {f.help}"},
            "locations": [{"physicalLocation": {
                "artifactLocation": {"uri": quote(PurePath(f.place.file).as_posix())},
                "region": {"startLine": f.place.line, "startColumn": f.place.column, "endColumn": f.place.column + max(f.place.length, 1)},
            }}],
        }
        for f in findings
    ]  # fmt: skip
    driver = {"name": "idlefox", "version": version, "rules": rules}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    schema = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
    return json.dumps({"$schema": schema, "version": "2.1.0", "runs": [run]}, indent=2) + "\n"
