"""The cost of a suite: `python benchmarks/suite.py` prints ratios of one run, each the least of several.

It measures 2,000 scenarios in one file with one process and with two; each kind of report; and, in a watched suite of 2,000
scenarios, the seconds from saving a file to the verdict of its scenarios.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import threading
import time
from importlib import resources
from pathlib import Path

FOX = (sys.executable, "-m", "idlefox", "run")
TIMES = 3


def suite(folder: Path, scenarios: int, files: int) -> None:
    """Write *count* scenarios of the demo's booking to *files* files."""
    demo = resources.files("idlefox.demo")
    (folder / "booking.form.yaml").write_text(demo.joinpath("booking.form.yaml").read_text("utf-8"))
    head, _, rest = demo.joinpath("booking.fox").read_text("utf-8").partition("scenario ")
    blocks = re.split(r"(?m)^(?=scenario )", "scenario " + rest)
    texts = [blocks[n % len(blocks)].replace('scenario "', f'scenario "{n} ', 1).rstrip() + "\n\n" for n in range(scenarios)]
    for file in range(files):
        (folder / f"s{file:03}.fox").write_text(head + "".join(texts[file::files]))


def seconds(folder: Path, *args: str) -> float:
    least = float("inf")
    for _ in range(TIMES):
        began = time.perf_counter()
        subprocess.run([*FOX, ".", "--quiet", *args], cwd=folder, check=True, stdout=subprocess.DEVNULL)
        least = min(least, time.perf_counter() - began)
    return least


def side_by_side(folder: Path) -> float:
    """Two runs at once."""
    least = float("inf")
    for _ in range(TIMES):
        began = time.perf_counter()
        both = [subprocess.Popen([*FOX, ".", "--quiet"], cwd=folder, stdout=subprocess.DEVNULL) for _ in range(2)]
        assert [each.wait() for each in both] == [0, 0]
        least = min(least, time.perf_counter() - began)
    return least


def watched(folder: Path, file: str, old: str, new: str) -> float:
    """From saving *file* with *new* for *old* to the end of the round that plays what depends on it."""
    program = subprocess.Popen([*FOX, "--watch"], cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    told: list[float] = []
    ready = threading.Event()

    def listen() -> None:
        for line in program.stdout or ():
            if " watching " in line:
                told.append(time.perf_counter())
                ready.set()

    threading.Thread(target=listen, daemon=True).start()
    least = float("inf")
    ready.wait()
    for turn in range(TIMES * 2):
        time.sleep(0.3)
        ready.clear()
        text = (folder / file).read_text()
        began = time.perf_counter()
        (folder / file).write_text(text.replace(*((old, new) if turn % 2 == 0 else (new, old))))
        ready.wait()
        least = min(least, told[-1] - began)
    program.kill()
    return least


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        suite(folder, 2_000, 1)
        one = seconds(folder)
        print(f"2,000 scenarios in one file          {one:6.2f} s")
        two, beside = seconds(folder, "--jobs", "2"), side_by_side(folder)
        print(f"  one process / two                  {one / two:6.2f}")
        print(f"  the same twice in a row / at once  {2 * one / beside:6.2f}   (the gain that the machine allows independent processes)")
        for kind in ("json", "tap", "xml", "html"):
            print(f"  with --report {kind:<4} / without       {seconds(folder, '--report', f'{kind}=r.{kind}') / one:6.2f}")
        print(f"  the HTML report                    {(folder / 'r.html').stat().st_size / 1e6:6.2f} MB")
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        suite(folder, 2_000, 40)
        print(f"watched, 2,000 in 40 files: a script {watched(folder, 's007.fox', 'Mara Lind', 'Mara Lund'):6.2f} s")


if __name__ == "__main__":
    main()
