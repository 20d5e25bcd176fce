"""Writes docs/lint.md from the table of codes: `python tools/lint_pages.py`."""

from __future__ import annotations

from pathlib import Path

from idlefox.study.lint.findings import codes

PAGE = Path(__file__).resolve().parent.parent / "docs" / "lint.md"
HEAD = """# What lint finds

```
idlefox lint [PATHS…] [--only CODE,…] [--except CODE,…] [--report json=FILE|sarif=FILE] [--explain CODE]
```

Looks through scripts, the sheets they name, and sheets (folders for both) for what is odd although it can be played. A finding is
proved on the model, never guessed from looks; what cannot be decided is not reported. Exit codes: 0 nothing found, 1 something
found, 2 something could not be read.

A finding is silenced by a comment at the end of its line, or alone above it. The reason is needed:

```yaml
fields:
  voucher: {rules: [{minlength: 8}]}  # lint: allow silent-rule, the stock sentence is good here
```

For good, in the configuration: `lint = {except = ["silent-rule"]}`. `sarif=FILE` writes SARIF 2.1.0.

| code | level | finds |
| --- | --- | --- |
"""


def main() -> None:
    text = HEAD + "".join(f"| [{code.code}](#{code.code}) | {code.level} | {code.means} |\n" for code in codes().values())
    for code in codes().values():
        text += f"\n## {code.code}\n\n{code.means} {code.why}\n"
        kind, bad, good = ("", code.bad, code.good) if code.bad else ("yaml", code.bad_sheet, code.good_sheet)
        if code.beside:
            text += f"\nBeside this sheet:\n\n```yaml\n{code.beside.strip()}\n```\n"
        if code.bad:
            text += f"\nOn this sheet:\n\n```yaml\n{code.bad_sheet.strip()}\n```\n"
        text += f"\nBad:\n\n```{kind}\n{bad.strip()}\n```\n\nGood:\n\n```{kind}\n{good.strip()}\n```\n"
    PAGE.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
