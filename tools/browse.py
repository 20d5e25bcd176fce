"""Compares generated pages with browsers: `python tools/browse.py [--cases N] [--seed S]`.

Each case (`tests/generated_cases.py`; with `--around`, `tests/around_cases.py`) runs in the engine and in the browsers, and
everything observable is compared. Differences that `tests/explained.py` explains are counted by reason; all others are printed.
The exit code is 1 if there are any.
"""

from __future__ import annotations

import argparse
import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "tests"))

from around_cases import around
from browsers import program
from explained import explanation
from generated_cases import generated
from test_browser import BROWSERS, compare


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=1200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--around", action="store_true", help="pages around what browsers do in unusual ways")
    parser.add_argument("--in", dest="browsers", choices=sorted(BROWSERS), nargs="*", default=sorted(BROWSERS))
    wishes = parser.parse_args()
    unexplained = 0
    for name in wishes.browsers:
        found = program(name)
        if found is None:
            raise SystemExit(f"there is no {name} here (apt-get install chromium firefox-esr)")
        browser = BROWSERS[name](found)
        reasons: Counter[str] = Counter()
        for case in (around if wishes.around else generated)(wishes.cases, wishes.seed):
            mine, theirs = compare(browser, case)
            if mine == theirs:
                continue
            why = explanation(case, name, mine, theirs)
            reasons[why] += 1
            if not why:
                print(f"{name}: {case.title}\n  {case.markup}\n  {case.steps}")
                print("".join(f"  {key}: {mine[key]} here, {theirs[key]} there\n" for key in mine if mine[key] != theirs[key]))
        browser.close()
        unexplained += reasons.pop("", 0)
        print(f"{name}: {wishes.cases} cases of seed {wishes.seed}, {sum(reasons.values())} differ for a reason")
        for why, count in reasons.most_common():
            print(f"  {count}  {why}")
    print(f"{unexplained} differ for none")
    sys.exit(unexplained > 0)


if __name__ == "__main__":
    main()
