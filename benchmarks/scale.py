"""The gain from more processes: `python benchmarks/scale.py` prints ratios of one run, each the median of several.

10,000 different scenarios of 20 steps, in 20 scripts, run in one process, in two, and on two workers of a scheduler on
loopback. Then 10,000 scenarios whose first eleven steps come from a prelude. With a number (`python benchmarks/scale.py
100000`), that many run once in one process, and the memory is measured.
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

FOX = (sys.executable, "-m", "idlefox", "run", ".", "--quiet")
TIMES = 5
HEAD = 'subject "booking.form.yaml"\nclock 2030-04-01T09:00:00Z\n'
FIRST = """
    pick sailing "noon"
    set day "2030-04-1{1}"
    blur
    type contact.email "m{0}@a.example"
    blur
    expect contact.email shows nothing
    erase contact.email 3
    retype contact.email "o{0}@b.example"
    expect contact.email = "o{0}@b.example"
    turn vehicle.bringing on
    turn vehicle.bringing off
"""
LAST = """
    type voucher "{0}"
    clear voucher
    blur
    add passengers
    type passengers[1].full_name "Ib"
    blur
    remove passengers[1]
    pick extras "cabin"
    expect passengers has 1 row
"""


def suite(folder: Path, scenarios: int, files: int = 20, *, prelude: bool = False) -> None:
    """Write *count* scenarios to *files* files; with a *prelude*, all of them begin with the same steps."""
    sheet = resources.files("idlefox.demo").joinpath("booking.form.yaml").read_text("utf-8")
    (folder / "booking.form.yaml").write_text(sheet, encoding="utf-8")
    for file in range(files):
        text = HEAD + ("prelude" + FIRST.format(file, 3) if prelude else "")
        for number in range(file, scenarios, files):
            steps = LAST if prelude else FIRST.rstrip("\n") + LAST
            text += f'scenario "booking {number}"' + steps.format(number, number % 9)
        (folder / f"s{file:03}.fox").write_text(text, encoding="utf-8")


def seconds(folder: Path, *args: str) -> float:
    began = time.perf_counter()
    subprocess.run([*FOX, *args], cwd=folder, check=True)
    return time.perf_counter() - began


def at_once(folder: Path) -> float:
    """Return the seconds for two runs at once in two independent processes: the gain that the machine allows."""
    began = time.perf_counter()
    running = [subprocess.Popen(FOX, cwd=folder) for _ in range(2)]
    codes = [process.wait() for process in running]
    assert codes == [0, 0]
    return time.perf_counter() - began


@contextmanager
def cluster() -> Iterator[str]:
    """The address of a scheduler with two workers, each in a folder of its own."""
    with tempfile.TemporaryDirectory() as scratch:
        told = Path(scratch) / "scheduler.json"
        dask, quiet = (sys.executable, "-m", "dask"), subprocess.DEVNULL
        options = ("--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(told))
        running = [subprocess.Popen([*dask, "scheduler", *options], cwd=scratch, stdout=quiet, stderr=quiet)]
        while not told.exists() or not told.read_text("utf-8"):
            time.sleep(0.05)
        address = json.loads(told.read_text("utf-8"))["address"]
        for _ in range(2):
            worker = (*dask, "worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard")
            env = {**os.environ, "DASK_DISTRIBUTED__WORKER__PROFILE__ENABLED": "False"}  # as docs/scale.md has it
            running.append(subprocess.Popen(worker, cwd=scratch, env=env, stdout=quiet, stderr=quiet))
        time.sleep(5)  # both are there
        try:
            yield address
        finally:
            for process in running:
                process.kill()
                process.wait()


def memory_of(folder: Path) -> tuple[float, float]:
    """How long one run takes, and the most memory it held, in megabytes."""
    began = time.perf_counter()
    running = subprocess.Popen([*FOX, "--report", "json=r.json"], cwd=folder)
    _, status, used = os.wait4(running.pid, 0)
    assert status == 0
    return time.perf_counter() - began, used.ru_maxrss / 1024


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        if sys.argv[1:]:
            count = int(sys.argv[1])
            suite(folder, count, max(count // 500, 1))
            took, most = memory_of(folder)
            print(f"{count:,} scenarios with a JSON report: {took:.1f} s, {count / took:,.0f} a second, at most {most:.0f} MB")
            return
        suite(folder, 10_000)
        with cluster() as address:
            seconds(folder, "--on", address)  # the workers have loaded what they need
            found = [
                (seconds(folder), seconds(folder, "--jobs", "2"), seconds(folder, "--on", address), at_once(folder)) for _ in range(TIMES)
            ]  # fmt: skip
        one = min(each[0] for each in found)
        print(f"10,000 scenarios, one process        {one:6.2f} s   {10_000 / one:,.0f} a second")
        print(f"  one process / two                  {statistics.median(a / b for a, b, _, _ in found):6.2f}")
        print(f"  two processes / two workers        {statistics.median(b / c for _, b, c, _ in found):6.2f}")
        print(f"  two that share nothing, at once    {statistics.median(2 * a / d for a, _, _, d in found):6.2f}")
    with tempfile.TemporaryDirectory() as scratch:
        suite(Path(scratch), 10_000, prelude=True)
        one = min(seconds(Path(scratch)) for _ in range(TIMES))
        print(f"10,000 with a prelude, one process   {one:6.2f} s   {10_000 / one:,.0f} a second")


if __name__ == "__main__":
    main()
