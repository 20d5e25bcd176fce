"""Writes docs/lint.md from the table of codes: `python tools/lint_pages.py`."""

from __future__ import annotations

from pathlib import Path
from textwrap import fill

from idlefox.study.lint.findings import codes

PAGE = Path(__file__).resolve().parent.parent / "docs" / "lint.md"
HEAD = """# Lint

```
idlefox lint [PATHS…] [--only CODE,…] [--except CODE,…] [--report json=FILE|sarif=FILE] [--explain CODE]
```

`lint` finds mistakes in scripts, sheets and pages that a run would not stop at. It checks the given
scripts, the sheets and pages they name, and the given sheets; folders are searched for both. Every
finding is proved on the model, none is a guess. What cannot be decided is not reported. Exit codes:
0 no findings, 1 at least one finding, 2 something cannot be read.

To silence a finding, add a comment with a reason at the end of its line or on the line above:

```yaml
fields:
  voucher: {rules: [{minlength: 8}]}  # lint: allow silent-rule, the stock message is good here
```

To silence a code everywhere, use the configuration: `lint = {except = ["silent-rule"]}`.
`--report sarif=FILE` writes SARIF 2.1.0.

![three findings in a form sheet](screenshots/lint.png)

| code | level | finds |
| --- | --- | --- |
"""


def main() -> None:
    text = HEAD + "".join(f"| [{code.code}](#{code.code}) | {code.level} | {code.means} |\n" for code in codes().values())
    for code in codes().values():
        text += f"\n## {code.code}\n\n{fill(f'{code.means} {code.why}', 100)}\n"
        kind, bad, good = ("", code.bad, code.good) if code.bad else ("yaml", code.bad_sheet, code.good_sheet)
        if code.beside:
            text += f"\nNext to this sheet:\n\n```yaml\n{code.beside.strip()}\n```\n"
        if code.bad:
            text += f"\nOn this sheet:\n\n```yaml\n{code.bad_sheet.strip()}\n```\n"
        text += f"\nBad:\n\n```{kind}\n{bad.strip()}\n```\n\nGood:\n\n```{kind}\n{good.strip()}\n```\n"
    PAGE.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
