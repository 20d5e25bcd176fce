"""The cost of lint compared with reading: `python benchmarks/lint.py`.

A sheet of 2,000 fields and a script of 100,000 lines, as ratios to reading them (for the script: reading it and expanding its
routines, as before a run).
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from time import perf_counter

from idlefox.forms.sheet.read import read_sheet_text
from idlefox.playing.player import RunOptions, load_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.study.lint.look import look_through
from idlefox.study.lint.of_sheet import sheet_findings
from idlefox.study.lint.sheet_places import SheetPlaces

FIELDS = 2_000
SCENARIOS = 10_000  # of ten lines each


def sheet() -> str:
    fields = "".join(
        f"  f{n}:\n    label: Field {n}\n    visible: 'f0 == \"x\" or f{max(n - 1, 0)}.touched'\n    rules:\n"
        f"      - {{required: true, say: Fill field {n}.}}\n      - {{minlength: 3, maxlength: 8, say: Three to eight characters.}}\n"
        if n else "  f0: {rules: [{required: true, say: Fill it.}]}\n"
        for n in range(FIELDS)
    )  # fmt: skip
    return f"form: large\nreveal: touched\nreport: {{first: change}}\nfields:\n{fields}"


def script() -> str:
    small = "form: small\nfields:\n  a: {rules: [{required: true, say: A.}]}\n  b: {}\n  n: {type: number}\n"
    Path("small.form.yaml").write_text(small)
    steps = (
        'type a "x{0}"', "expect a is dirty", 'retype b "y"', 'expect b = "y"', 'type n "{0}"', "expect n = {0}", "blur",
        "expect form is touched",
    )  # fmt: skip
    lines = "".join(f"    {step}\n" for step in steps)
    return 'subject "small.form.yaml"\n\n' + "".join(f'scenario "number {n}"\n' + lines.format(n) + "\n" for n in range(SCENARIOS))


def timed(act: object) -> float:
    best = 1e9
    for _ in range(3):
        start = perf_counter()
        act()  # type: ignore[operator]
        best = min(best, perf_counter() - start)
    return best


def told(what: str, reading: float, linting: float) -> None:
    print(f"{what}: reading {reading:.2f} s, with lint {linting:.2f} s: {linting / reading:.1f} of reading")


def main() -> None:
    import os

    with tempfile.TemporaryDirectory() as folder:
        os.chdir(folder)
        text = sheet()
        form = read_sheet_text(text, "large.form.yaml")
        reading = timed(lambda: read_sheet_text(text, "large.form.yaml"))
        linting = timed(lambda: list(sheet_findings(form, SheetPlaces(form, text))))
        told(f"a sheet of {FIELDS:,} fields", reading, reading + linting)
        Path("large.fox").write_text(script())
        reading = timed(lambda: load_script(SelectedScript("large.fox"), RunOptions(), Subjects()))
        linting = timed(lambda: look_through(["large.fox"]))
        told(f"a script of {SCENARIOS * 10:,} lines", reading, linting)


if __name__ == "__main__":
    main()
