"""Measures how many planted faults in the code the tests catch: `python tools/mutate.py [--sample N] [--seed S]`.

A mutation tester (`pip install cosmic-ray`) makes a seeded random sample of mutants of all packages. Each is planted in a copy of
the repository, and the tests that run its line (by coverage, also in the built program) run until one fails. The recorded goldens
(`test_journals`, `test_odd`) are left out: they catch everything and explain nothing. This is not part of CI: a sample of 200 takes
an hour or two on two cores, a third of it for finding out which tests run which lines (`--lines FILE` keeps that). `--from` and
`--to` select a part of the sample, `--rooms` some packages.

Mutants without effect are left out: those in annotations and docstrings. Surviving mutants are printed with their line, to be
explained or caught.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parent.parent
GOLDENS = ("test_journals.py", "test_odd.py", "test_docs.py", "test_cluster.py")  # recorded output; the same runs on other machines
FILES = tuple(sorted(f"tests/{path.name}" for path in (ROOT / "tests").glob("test_*.py") if path.name not in GOLDENS))
NO_BROWSER = ("-k", "not in_a_browser")  # what a browser was seen to do is held without one
SECONDS = 600  # a mutant that never ends is caught; the tests of one that nothing catches may take minutes: such are named
# Leaves of what was collected what the file named in the environment lists.
CHOOSER = """
import json, os

def pytest_collection_modifyitems(items):
    with open(os.environ["MUTANT_TESTS"], encoding="utf-8") as handle:
        wanted = set(json.load(handle))
    items[:] = [item for item in items if item.nodeid in wanted or not wanted]
"""
# The built program runs in processes of its own: the test that started one stands in its environment.
CONTEXT = '\ncontext = "${PYTEST_CURRENT_TEST-}"\n'
Covering = dict[tuple[str, int], set[str]]


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
            continue  # needs arguments
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


def environment(folder: Path, **more: str) -> dict[str, str]:
    path = os.pathsep.join((str(folder / "src"), str(folder)))
    return {**os.environ, "PYTHONPATH": path, "CI": "true", "PYTHONDONTWRITEBYTECODE": "1", **more}


def covering(folder: Path) -> Covering:
    """Which tests come by each line, by module and line."""
    from coverage import CoverageData

    project = folder / "pyproject.toml"
    settings = project.read_text(encoding="utf-8")
    project.write_text(settings.replace("[tool.coverage.run]", f"[tool.coverage.run]{CONTEXT}"), encoding="utf-8")
    measured = ("--cov", "--cov-context=test", "--cov-report=")
    command = [sys.executable, "-m", "pytest", "-q", "-n", "2", "-p", "no:cacheprovider", *measured, *NO_BROWSER, *FILES]
    done = subprocess.run(command, cwd=folder, env=environment(folder), capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(f"the tests fail without a mutant:\n{done.stdout[-2000:]}")
    project.write_text(settings, encoding="utf-8")
    data = CoverageData(str(folder / ".coverage"))
    data.read()
    found: Covering = {}
    for file in data.measured_files():
        for line, contexts in data.contexts_by_lineno(file).items():
            tests = {re.split(r"\||(?<=\S) \((?:setup|call|teardown)\)", context)[0] for context in contexts if "::" in context}
            if tests:
                found[str(Path(file).relative_to(folder)), line] = tests
    return found


def _covering(folder: Path, kept: Path | None) -> Covering:
    """Return `covering`, or what *kept* has of it."""
    if kept is not None and kept.exists():
        return {(file, int(line)): set(tests) for file, line, tests in json.loads(kept.read_text("utf-8"))}
    found = covering(folder)
    if kept is not None:
        kept.write_text(json.dumps([[file, line, sorted(tests)] for (file, line), tests in found.items()]), "utf-8")
    return found


def caught(mutant: Mutant, folder: Path, known: Covering) -> bool:
    """Whether a test fails with *mutant* planted in the copy of the repository at *folder*."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    name = str(mutant.path.relative_to(ROOT))
    target = folder / name
    original = target.read_text(encoding="utf-8")
    changed = mutate_code(original, get_operator(mutant.operator)(), mutant.occurrence)
    if changed is None:
        return True
    chosen, tests = folder / "chosen.json", sorted(_near(known, name, mutant.line))
    chosen.write_text(json.dumps(tests), encoding="utf-8")
    # What runs when a module is loaded belongs to no test: then it is all of them.
    files = sorted({test.partition("::")[0] for test in tests}, key=lambda file: file == "tests/test_run.py") or FILES
    try:
        target.write_text(changed, encoding="utf-8")
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider", "-p", "mutant_chooser", *NO_BROWSER, *files],
            cwd=folder,
            env=environment(folder, MUTANT_TESTS=str(chosen)), capture_output=True, timeout=SECONDS, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        print(f"no end    {name}:{mutant.line}  {mutant.operator.removeprefix('core/')} #{mutant.occurrence}", flush=True)
        return True
    finally:
        target.write_text(original, encoding="utf-8")
    return done.returncode != 0


def _near(known: Covering, name: str, line: int) -> set[str]:
    """The tests that come by *line*; of a statement over several lines its first one is what was noted."""
    for before in range(6):
        tests = known.get((name, line - before))
        if tests:
            return tests
    return set()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sample", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--from", type=int, default=0, dest="first")
    parser.add_argument("--to", type=int, default=None)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--rooms", default="", help="packages separated by commas; all if none is given")
    parser.add_argument("--lines", type=Path, default=None, help="file to keep which tests run which lines in")
    parser.add_argument("--again", default="", help="what an earlier run printed: only what survived there is tried")
    asked = parser.parse_args()
    modules = sorted(path for room in asked.rooms.split(",") for path in (ROOT / "src" / "idlefox" / room).rglob("*.py"))
    everything = [mutant for path in modules for mutant in mutants(path)]
    sample = random.Random(asked.seed).sample(everything, min(asked.sample, len(everything)))[asked.first : asked.to]
    if asked.again:
        sample = [mutant for mutant in everything if _told(mutant) in _survived(Path(asked.again))]
    print(f"{len(everything)} mutants, {len(sample)} of them tried (seed {asked.seed})", flush=True)
    survivors = 0
    with tempfile.TemporaryDirectory() as scratch:
        folders = []
        for number in range(asked.jobs):
            folder = Path(scratch) / str(number)
            shutil.copytree(ROOT, folder, ignore=shutil.ignore_patterns(".git", ".venv*", "*.egg-info", "__pycache__", ".*cache"))
            (folder / "mutant_chooser.py").write_text(CHOOSER, encoding="utf-8")
            folders.append(folder)
        known = _covering(folders[0], asked.lines)
        with ThreadPoolExecutor(asked.jobs) as pool:
            lanes = [pool.submit(_lane, sample[i :: asked.jobs], folder, known) for i, folder in enumerate(folders)]
            for lane in lanes:
                survivors += lane.result()
    print(f"{len(sample) - survivors} of {len(sample)} caught: {(len(sample) - survivors) / max(len(sample), 1):.0%}")


def _told(mutant: Mutant) -> tuple[str, str]:
    """What a mutant is known by, in whatever line it stands."""
    return str(mutant.path.relative_to(ROOT)), f"{mutant.operator.removeprefix('core/')} #{mutant.occurrence}"


@lru_cache(maxsize=1)
def _survived(log: Path) -> frozenset[tuple[str, str]]:
    found = re.findall(r"^survived  (\S+):\d+  (\w+ #\d+)  ", log.read_text("utf-8"), re.MULTILINE)
    return frozenset(found)


def _lane(sample: list[Mutant], folder: Path, known: Covering) -> int:
    survivors = 0
    for tried, mutant in enumerate(sample, 1):
        if tried % 10 == 0:
            print(f"{tried} of {len(sample)} tried in {folder.name}, {survivors} survived", flush=True)
        if not caught(mutant, folder, known):
            survivors += 1
            source = mutant.path.read_text(encoding="utf-8").split("\n")[mutant.line - 1].strip()
            where = f"{mutant.path.relative_to(ROOT)}:{mutant.line}"
            print(f"survived  {where}  {mutant.operator.removeprefix('core/')} #{mutant.occurrence}  {source}", flush=True)
    return survivors


if __name__ == "__main__":
    main()
