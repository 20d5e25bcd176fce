"""Runs every example in the docs and compares its output with the page: `python tools/play_docs.py [PAGE …]`.

`--write` updates the outputs in the pages. Each page runs in a separate folder that contains the demo's files. The first line
of a block gives its kind:

- ``yaml``: a sheet. ``yaml NAME`` is saved under that name; a part of a sheet (without ``form:``) is completed. It must be
  valid, unless it is ``wrong``. The scripts below it run against it.
- ``fox``: a script, or the body of a scenario. ``fox NAME`` is saved; ``fox on NAME`` runs against that form of the demo. It
  must pass, unless it is ``fails`` or ``wrong``.
- ``html NAME``, ``python NAME``, ``csv NAME``, ``json NAME``: saved.
- ``console``: lines that begin with ``$ `` run, and the lines after them are their output; a line ``…`` matches any lines, and
  times may differ.
- Regions between ``<!-- words`` and ``<!-- end -->`` do not run here: they are generated, and another test runs their examples.
- All other blocks (``sh``, ``text``, ``toml``, without a word) do not run.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "src" / "idlefox" / "demo"
_BLOCK = re.compile(r"^(?P<fence>```+)(?P<info>[^\n]*)\n(?P<body>.*?)^(?P=fence)$", re.S | re.M)
_REGION = re.compile(r"<!-- words.*?<!-- end -->", re.S)
_TIMES = ((re.compile(r"\(\d+\.\d\d s\)$", re.M), "(0.00 s)"), (re.compile(r'"seconds": [\d.e-]+'), '"seconds": 0.0'))


class Wrong(Exception):
    """An example whose result differs from its page."""


class Page:
    """One page, played in *folder*."""

    def __init__(self, path: Path, folder: Path) -> None:
        self.path = path
        self.folder = folder
        self.text = path.read_text("utf-8")
        self.subject = "booking.form.yaml"
        self.played = 0
        for file in DEMO.iterdir():
            if file.is_file() and file.suffix != ".py":
                shutil.copy(file, folder)
        bin_ = Path(sys.executable).parent
        self.env = {**os.environ, "PATH": f"{bin_}{os.pathsep}{os.environ['PATH']}", "COLUMNS": "100", "NO_COLOR": "1", "TERM": "dumb"}

    def faults(self, *, write: bool) -> Iterator[str]:
        """Plays the page; what is not as it says, with the line."""
        new = self.text
        table = [(r.start(), r.end()) for r in _REGION.finditer(self.text)]
        for found in list(_BLOCK.finditer(self.text)):
            if any(start < found.start() < end for start, end in table):
                continue
            line = self.text.count("\n", 0, found.start()) + 1
            kind, *words = found["info"].split() or [""]
            try:
                if kind == "console":
                    told = self.console(found["body"], write=write)
                    if told != found["body"]:
                        new = new.replace(found[0], f"```console\n{told}```", 1)
                elif kind in ("yaml", "fox", "html", "python", "csv", "json"):
                    getattr(self, kind if kind in ("yaml", "fox") else "saved")(found["body"], words, line)
            except Wrong as fault:
                yield f"{self.path.relative_to(ROOT)}:{line}: {fault}"
        if write and new != self.text:
            self.path.write_text(new, "utf-8")

    def run(self, command: str) -> tuple[int, str]:
        """What the command prints, and its exit code."""
        self.played += 1
        done = subprocess.run(
            ["bash", "-c", command], cwd=self.folder, env=self.env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
            encoding="utf-8", timeout=120, check=False,
        )  # fmt: skip
        return done.returncode, done.stdout

    def saved(self, body: str, words: list[str], line: int) -> None:
        if words:
            target = self.folder / words[0]
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text(body, "utf-8")

    def yaml(self, body: str, words: list[str], line: int) -> None:
        name = next((w for w in words if w.endswith(".yaml")), f"piece{line}.form.yaml")
        if not re.search(r"^form:", body, re.M):
            body = f"form: example\n{body}" + ("" if re.search(r"^(fields|page):", body, re.M) else "fields: {name: {}}\n")
        self.saved(body, [name], line)
        self.subject = name
        code, told = self.run(f"idlefox outline {name} --color never")
        if (code != 0) != ("wrong" in words):
            raise Wrong(f"this sheet is {'readable' if code == 0 else 'not readable'}:\n{told}")

    def fox(self, body: str, words: list[str], line: int) -> None:
        name = next((w for w in words if w.endswith(".fox")), f"piece{line}.fox")
        if "on" in words:
            self.subject = f"{words[words.index('on') + 1]}.form.yaml"
        named = name in words
        if not re.search(r"^(scenario|routine|prelude|subject)\b", body, re.M):
            body = 'scenario "it"\n' + "".join(f"    {each}" if each.strip() else each for each in body.splitlines(keepends=True))
        if not re.search(r"^scenario\b", body, re.M):
            body += '\nscenario "it"\n    expect form is idle\n'
        if not re.search(r"^clock\b", body, re.M) and not named:
            body = f"clock 2031-05-02T09:00:00Z\n{body}"
        own = re.search(r"^subject\b", body, re.M) is not None
        self.saved(body if own or not named else f'subject "{self.subject}"\n{body}', [name], line)
        code, told = self.run(f"idlefox run {name} --trust" + ("" if own or named else f" --subject {self.subject}"))
        wanted = 1 if "fails" in words else 2 if "wrong" in words else 0
        if code != wanted:
            raise Wrong(f"this script ends with {code}, not {wanted}:\n{told}")

    def console(self, body: str, *, write: bool) -> str:
        """The block with what its commands print now. Raises Wrong where that is not what it says (unless *write*)."""
        told = ""
        for part in re.split(r"^(?=\$ )", body, flags=re.M):
            command, _, expected = part.partition("\n")
            if not command.startswith("$ "):
                continue
            _, found = self.run(command[2:])
            found = "\n".join(each.rstrip() for each in found.rstrip("\n").split("\n")) + "\n" if found.strip() else ""
            fits = _fits(expected, found)
            if not fits and not write:
                raise Wrong(f"`{command[2:]}` prints something else:\n{found}")
            told += f"{command}\n{expected if fits else found}"
            if not told.endswith("\n\n") and expected.endswith("\n\n") and not fits:
                told += "\n"
        return told


def _fits(expected: str, found: str) -> bool:
    """Return whether *found* matches the text of a page; a line ``…`` in it matches any lines, and times may differ."""
    wanted, there = (_timeless(text).strip("\n").split("\n") for text in (expected, found))
    pieces = [re.escape(line) + "\n" if line != "…" else "(?:.*\n)*?" for line in wanted]
    return re.fullmatch("".join(pieces), "\n".join(there) + "\n") is not None


def _timeless(text: str) -> str:
    for pattern, instead in _TIMES:
        text = pattern.sub(instead, text)
    return text


def main() -> None:
    write = "--write" in sys.argv[1:]
    asked = [Path(a).resolve() for a in sys.argv[1:] if not a.startswith("--")]
    wrong = 0
    for path in asked or [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]:
        with tempfile.TemporaryDirectory() as scratch:
            page = Page(path, Path(scratch))
            for fault in page.faults(write=write):
                wrong += 1
                print(fault)
            print(f"{path.name}: {page.played} played")
    raise SystemExit(bool(wrong))


if __name__ == "__main__":
    main()
