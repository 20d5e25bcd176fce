"""The import rules: dependencies point inward, without cycles, and the core does not import the interface.

All imports count: at the top of a module, inside functions, for types only, and `from .. import name`.
"""

from __future__ import annotations

import ast
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest
from packaging.version import Version

ROOT = Path(__file__).parent.parent / "src" / "idlefox"
SHARED = {"disk", "problems", "records", "refusals", "roots", "stamp"}
ALLOWED = {
    "words": set(),
    "forms": set(),
    "engine": {"forms"},
    "script": {"forms", "words"},
    "playing": {"script", "engine", "forms"},
    "study": {"playing", "script", "engine", "forms"},
    "live": {"playing", "script", "engine", "forms"},
    "report": {"playing", "script", "forms", "study", "words"},
    "editor": {"report", "playing", "study", "script", "forms", "words", "__init__"},
    "commands": {"editor", "report", "playing", "study", "live", "script", "engine", "forms", "words", "demo", "__init__"},
}
# The layers of a package, lowest first: each imports only those below it.
LAYERS = {
    "engine": ["plan", "state", "judge", "world", "acts", "compile", "session"],
    "forms": ["values", "names", "expressions", "model", "html", "schema", "sheet"],
    "live": ["messages", "processes", "servers", "browser", "page", "http", "surveying", "signing_in", "loading"],
}
CORE = ("words", "forms", "engine", "script", "playing", "study")
DRAWING = {"click", "rich", "matplotlib", "jinja2", "curses", "shutil"}


def name_of(path: Path) -> str:
    """The module at *path*, from the package on: ``engine.state.cells``."""
    parts = path.relative_to(ROOT).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" and len(parts) > 1 else parts)


MODULES = {name_of(path): path for path in ROOT.rglob("*.py")}


def imports_of(module: str) -> Iterator[str]:
    """The modules of the package, and the top-level packages, that *module* imports anywhere in it."""
    path = MODULES[module]
    package = module.split(".") if path.name == "__init__.py" else module.split(".")[:-1]
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            yield from (alias.name.partition(".")[0] for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.level == 0:
            yield (node.module or "").partition(".")[0]
        elif isinstance(node, ast.ImportFrom):
            base = [p for p in package[: len(package) - node.level + 1] if p != "__init__"]
            target = ".".join([*base, *([node.module] if node.module else [])])
            for alias in node.names:
                inner = f"{target}.{alias.name}" if target else alias.name
                yield inner if inner in MODULES else target or "__init__"


GRAPH = {module: {m for m in imports_of(module) if m in MODULES and m != module} for module in MODULES}


def test_imports_have_no_cycles() -> None:
    try:
        TopologicalSorter(GRAPH).prepare()
    except CycleError as fault:
        pytest.fail(" → ".join(reversed(fault.args[1])))


@pytest.mark.parametrize("package", ALLOWED)
def test_a_package_imports_only_what_it_may(package: str) -> None:
    allowed = ALLOWED[package] | SHARED | {package}
    for module, known in GRAPH.items():
        if module.split(".")[0] == package:
            assert {k.split(".")[0] for k in known} <= allowed, module


@pytest.mark.parametrize("package", LAYERS)
def test_a_layer_imports_only_the_layers_below(package: str) -> None:
    layers = LAYERS[package]
    there = {m.split(".")[1] for m in MODULES if m.startswith(f"{package}.")}
    assert there == set(layers), "a layer that this test does not know"
    for module, known in GRAPH.items():
        parts = module.split(".")
        if parts[0] == package and len(parts) > 1:
            above = layers[layers.index(parts[1]) + 1 :]
            assert not {k for k in known if k.split(".")[0] == package and k.split(".")[1:2] and k.split(".")[1] in above}, module


def test_outside_code_uses_only_entry_points_of_the_engine() -> None:
    """Other packages use the session, the compiler and a few read-only views; journals are plain data."""
    entry_points = {"engine.session.session", "engine.session.look", "engine.session.page_view", "engine.session.introspection", "engine.session.stub_server", "engine.plan.controls", "engine.world.typed", "engine.compile.compiler", "engine.compile.python_file",
             "engine.state.journal", "engine.plan.plans"}  # fmt: skip
    hands_on = {"playing.simulated"}  # the subject that runs forms in the engine
    for module, known in GRAPH.items():
        if module.split(".")[0] not in ("engine", "tests") and module not in hands_on:
            assert {k for k in known if k.startswith("engine.")} <= entry_points, module


@pytest.mark.parametrize("package", CORE)
def test_the_core_never_imports_the_interface(package: str) -> None:
    for module, path in MODULES.items():
        if module.split(".")[0] == package:
            assert not set(imports_of(module)) & DRAWING, module
            assert "print(" not in path.read_text(encoding="utf-8"), module


def test_ci_tries_the_lowest_versions_that_the_package_allows() -> None:
    repository = Path(__file__).parent.parent
    project = tomllib.loads((repository / "pyproject.toml").read_text("utf-8"))["project"]
    bounds = [*project["dependencies"], *(each for extra in project["optional-dependencies"].values() for each in extra)]
    allowed = {name: Version(bound) for name, _, bound in (b.partition(">=") for b in bounds) if bound}
    lines = (repository / ".ci" / "lowest.txt").read_text("utf-8").splitlines()
    tried = {name: Version(bound) for name, _, bound in (line.partition("==") for line in lines) if bound}
    assert tried == allowed


def test_the_drawing_of_the_layers_is_current() -> None:
    repository = Path(__file__).parent.parent
    done = subprocess.run([sys.executable, "tools/layers.py"], cwd=repository, capture_output=True, text=True, check=True)
    assert done.stdout == (repository / "docs" / "layers.svg").read_text("utf-8"), "draw it again: python tools/layers.py > docs/layers.svg"


def test_a_keystroke_passes_the_layers_in_one_direction() -> None:
    repository = Path(__file__).parent.parent
    done = subprocess.run([sys.executable, "tools/hops.py"], cwd=repository, capture_output=True, text=True, check=True)
    assert "9 calls between layers, 0 of them upward" in done.stdout, "docs/how-it-works.md describes these calls"


def test_live_modules_load_without_optional_libraries() -> None:
    """A missing optional library is reported when it is needed, so importing these modules must not require it."""
    extras = "h11 httpx websockets matplotlib watchfiles"
    code = f"import sys\nfor name in {extras.split()!r}: sys.modules[name] = None\nimport idlefox.live.loading, idlefox.live.servers.serving, idlefox.commands.serve, idlefox.commands.run, idlefox.commands.trace, idlefox.commands.watching"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
