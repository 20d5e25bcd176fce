"""The speed of walks through a form, and whether they find planted faults: `python benchmarks/manners.py`.

Steps per second on the demo's booking form compared with keystrokes, then every fault that the tests plant, for five seeds.
"""

from __future__ import annotations

import sys
from pathlib import Path
from time import perf_counter

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from test_manners import BOOKING, PLANTED, form_of  # noqa: E402

from idlefox.playing.player import DEFAULT_CLOCK  # noqa: E402
from idlefox.script import tree  # noqa: E402
from idlefox.study.manners.study import manners_of  # noqa: E402

SEEDS = (1, 2, 3, 4, 5)


def keys() -> float:
    """Seconds that a key takes."""
    subject = form_of(BOOKING).begin(".")
    subject.load(DEFAULT_CLOCK)
    address, best = tree.Address(("contact", "email")), 1e9
    for _ in range(5):
        start = perf_counter()
        for _ in range(500):
            subject.perform(tree.Type(address, "a"), 1)
        best = min(best, (perf_counter() - start) / 500)
    return best


def main() -> None:
    loaded, key = form_of(BOOKING), keys()
    print(f"a key: {key * 1e6:.1f} µs")
    for manners, what in (((), "all manners"), (("once",), "one manner, no way out sought")):
        start = perf_counter()
        found = manners_of(loaded, manners, walks=2_000)
        each = (perf_counter() - start) / found.steps
        print(f"{what}: {found.steps} steps, {1 / each:,.0f} a second, a step {each * 1e6:.0f} µs = {each / key:.1f} keys")
    late = 0
    for manner, old, new, steps in PLANTED:
        seconds, sizes = [], []
        for seed in SEEDS:
            start = perf_counter()
            found = manners_of(form_of(BOOKING.replace(old, new)), (), seed=seed)
            seconds.append(perf_counter() - start)
            sizes.append(min((len(breach.steps) for breach in found.breaches if breach.manner == manner), default=-1))
        late += max(seconds) > 10 or -1 in sizes
        by = sum(size >= 0 for size in sizes)
        print(f"{manner:<14} found by {by} of {len(SEEDS)} seeds, in {max(seconds):.1f} s at most, steps {sizes} ({steps} suffice)")
    print("all within ten seconds" if not late else f"{late} were not found within ten seconds")


if __name__ == "__main__":
    main()
