"""How much of what one plants in the code the tests catch: `python tools/mutate.py [--sample N] [--seed S]`.

A random, seeded sample of mutants of `engine`, `forms`, `script` and `play` is made by a mutation tester
(`pip install cosmic-ray`), each is planted in a copy of the repository and the tests are run against it, those that
catch most first, until one fails. Not part of CI: a sample of 300 takes the better part of an hour on two cores.

Left out of the sample are mutants that cannot show: those in annotations, which nothing evaluates, and in docstrings.
What survives is printed with its line, to be explained or caught.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parent.parent
ROOMS = ("engine", "forms", "script", "play")
TESTS = ("core", "played", "timing", "server", "forms", "pages", "invariants", "run", "language", "rooms")
SECONDS = 300  # a mutant that never ends is caught


class Mutant(NamedTuple):
    path: Path
    operator: str
    occurrence: int
    line: int


def mutants(path: Path) -> Iterator[Mutant]:
    """Every mutant of the module at *path* that could show."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator, operator_names

    source = path.read_text(encoding="utf-8")
    hidden = _unevaluated(ast.parse(source))
    tree = get_ast(source)
    for name in sorted(operator_names()):
        operator_class = get_operator(name)
        if operator_class.arguments():
            continue  # needs to be told what to replace by what
        operator, occurrence = operator_class(), 0
        for node in ast_nodes(tree):
            for (line, column), _ in operator.mutation_positions(node):
                if not any(start <= (line, column) <= end for start, end in hidden):
                    yield Mutant(path, name, occurrence, line)
                occurrence += 1


def _unevaluated(tree: ast.AST) -> list[tuple[tuple[int, int], tuple[int, int]]]:
    """The stretches of a module that nothing evaluates: annotations."""
    found: list[Any] = []
    for node in ast.walk(tree):
        if isinstance(node, ast.arg | ast.AnnAssign) and node.annotation is not None:
            found.append(node.annotation)
        elif isinstance(node, ast.FunctionDef) and node.returns is not None:
            found.append(node.returns)
    return [((n.lineno, n.col_offset), (n.end_lineno, n.end_col_offset)) for n in found]


def caught(mutant: Mutant, folder: Path) -> bool:
    """Whether a test fails with *mutant* planted in the copy of the repository at *folder*."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    target = folder / mutant.path.relative_to(ROOT)
    original = target.read_text(encoding="utf-8")
    changed = mutate_code(original, get_operator(mutant.operator)(), mutant.occurrence)
    if changed is None:
        return True
    try:
        target.write_text(changed, encoding="utf-8")
        tests = [f"tests/test_{name}.py" for name in TESTS]
        env = {**os.environ, "PYTHONPATH": str(folder / "src"), "CI": "true", "PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests], cwd=folder, env=env,
            capture_output=True, timeout=SECONDS, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return True
    finally:
        target.write_text(original, encoding="utf-8")
    return done.returncode != 0


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sample", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=2)
    asked = parser.parse_args()
    modules = sorted(path for room in ROOMS for path in (ROOT / "src" / "idlefox" / room).rglob("*.py"))
    everything = [mutant for path in modules for mutant in mutants(path)]
    sample = random.Random(asked.seed).sample(everything, min(asked.sample, len(everything)))
    print(f"{len(everything)} mutants, {len(sample)} of them tried (seed {asked.seed})", flush=True)
    survivors = 0
    with tempfile.TemporaryDirectory() as scratch:
        folders = []
        for number in range(asked.jobs):
            folder = Path(scratch) / str(number)
            shutil.copytree(ROOT, folder, ignore=shutil.ignore_patterns(".git", ".venv*", "*.egg-info", "__pycache__", ".*cache"))
            folders.append(folder)
        with ThreadPoolExecutor(asked.jobs) as pool:
            lanes = [pool.submit(_lane, sample[i :: asked.jobs], folder) for i, folder in enumerate(folders)]
            for lane in lanes:
                survivors += lane.result()
    print(f"{len(sample) - survivors} of {len(sample)} caught: {(len(sample) - survivors) / max(len(sample), 1):.0%}")


def _lane(sample: list[Mutant], folder: Path) -> int:
    survivors = 0
    for mutant in sample:
        if not caught(mutant, folder):
            survivors += 1
            source = mutant.path.read_text(encoding="utf-8").split("\n")[mutant.line - 1].strip()
            where = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
            print(f"survived  {where}  {mutant.operator.removeprefix('core/')} #{mutant.occurrence}  {source}", flush=True)
    return survivors


if __name__ == "__main__":
    main()
