"""Runs a fuzzer: inputs by number, in processes that may die, with limits of time and memory."""

from __future__ import annotations

import argparse
import json
import os
import random
import resource
import signal
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

SECONDS, MEMORY = 5, 500 << 20
BATCH = 2_000  # inputs of one process


class Player(Protocol):
    """Makes an input of a kind from *chance*, tries it, and returns the outcome in a word. *input* is what it made so far."""

    kinds: tuple[str, ...]
    input: str

    def play(self, kind: str, chance: random.Random) -> str: ...


def main(purpose: str | None, make: Callable[[str], Player]) -> None:
    """Run the command: *purpose* is its help, *make* makes a player that works in a folder."""
    parser = argparse.ArgumentParser(description=purpose)
    parser.add_argument("--inputs", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--first", type=int, default=0, help="the number of the first input")
    parser.add_argument("--keep", type=Path, default=Path(tempfile.gettempdir()) / "idlefox-findings", help="folder for inputs of findings")
    options = parser.parse_args()
    outcomes: Counter[str] = Counter()
    findings = 0
    with tempfile.TemporaryDirectory() as folder:
        for start in range(options.first, options.first + options.inputs, BATCH):
            count = min(BATCH, options.first + options.inputs - start)
            some, found = batch(make, start, count, options.seed, options.keep, folder)
            outcomes += some
            findings += found
    for what, count in sorted(outcomes.items()):
        print(f"{count:9}  {what}")
    print(f"{options.inputs} inputs of seed {options.seed}, {findings} findings")
    sys.exit(findings > 0)


def work(make: Callable[[str], Player], start: int, count: int, seed: int, told: Any, folder: str) -> None:
    """Try inputs *start* and on, in a separate process, and write the outcome of each."""
    sys.setrecursionlimit(1_000)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY + (600 << 20), MEMORY + (600 << 20)))
    signal.signal(signal.SIGPROF, _too_long)
    player = make(folder)
    for number in range(start, start + count):
        chance = random.Random(f"{seed}/{number}")
        kind = chance.choice(player.kinds)
        signal.setitimer(signal.ITIMER_PROF, SECONDS)
        signal.alarm(20 * SECONDS)  # for what cannot be interrupted
        try:
            outcome = player.play(kind, chance)
        except BaseException as fault:
            import traceback

            outcome = f"finding: {type(fault).__name__}: {str(fault)[:200]}\n{''.join(traceback.format_tb(fault.__traceback__)[-3:])}"
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.alarm(0)
        if resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 > MEMORY:
            outcome = f"finding: more than {MEMORY >> 20} MB"
        told.write(json.dumps([number, kind, outcome, player.input if outcome.startswith("finding") else ""]) + "\n")
        told.flush()
        if outcome.endswith(" MB"):
            break


def _too_long(signum: int, frame: Any) -> None:
    raise TimeoutError(f"{SECONDS} s of the processor")


def batch(make: Callable[[str], Player], start: int, count: int, seed: int, keep: Path, folder: str) -> tuple[Counter[str], int]:
    """Try *count* inputs and return the outcomes and the number of findings. The input during which the process died is one."""
    outcomes: Counter[str] = Counter()
    findings, at = 0, start
    while at < start + count:
        told = Path(folder) / f"told-{at}"
        child = os.fork()
        if not child:
            with told.open("w", encoding="utf-8", errors="surrogatepass") as handle:
                work(make, at, start + count - at, seed, handle, folder)
            os._exit(0)
        _, status = os.waitpid(child, 0)
        lines = [json.loads(line) for line in told.read_text("utf-8", "surrogatepass").splitlines()]
        told.unlink()
        for number, kind, outcome, text in lines:
            outcomes[f"{kind} {outcome.partition(':')[0]}"] += 1
            if outcome.startswith("finding"):
                findings += 1
                _tell(keep, seed, number, kind, outcome, text)
        at = lines[-1][0] + 1 if lines else at
        if status:
            findings += 1
            _tell(keep, seed, at, "?", f"finding: the process died ({status})", "")
            at += 1
    return outcomes, findings


def _tell(keep: Path, seed: int, number: int, kind: str, outcome: str, text: str) -> None:
    print(f"input {number} of seed {seed} ({kind}): {outcome}", flush=True)
    if text:
        keep.mkdir(parents=True, exist_ok=True)
        (keep / f"{seed}-{number}-{kind}.txt").write_text(text, "utf-8", "surrogatepass")
