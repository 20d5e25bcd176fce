"""Who may know whom: dependencies point inward, and the core knows no terminal."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent / "src" / "idlefox"
ALLOWED = {
    "forms": set(),
    "engine": {"forms"},
    "script": {"forms"},
    "play": {"script", "engine", "forms"},
    "study": {"play", "script", "engine", "forms"},
    "live": {"play", "script", "engine", "forms"},
    "report": {"play", "forms", "study"},
    "commands": {"report", "play", "study", "live", "script", "engine", "forms"},
}
CORE = ("forms", "engine", "script", "play", "study")
DRAWING = {"click", "rich", "matplotlib", "jinja2", "curses", "shutil"}


def imports_of(path: Path) -> set[str]:
    """The rooms (``room:NAME``) and top-level packages that a module imports."""
    found: set[str] = set()
    depth = len(path.relative_to(ROOT).parts)
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found.update(alias.name.partition(".")[0] for alias in node.names)
        elif isinstance(node, ast.ImportFrom) and node.level == 0:
            found.add((node.module or "").partition(".")[0])
        elif isinstance(node, ast.ImportFrom) and node.level == depth and node.module:
            found.add("room:" + node.module.partition(".")[0])
    return found


@pytest.mark.parametrize("room", ALLOWED)
def test_a_room_knows_only_the_rooms_further_in(room: str) -> None:
    allowed = {f"room:{r}" for r in ALLOWED[room] | {room}} | {"room:problems", "room:collector", "room:records"}
    for path in (ROOT / room).rglob("*.py"):
        rooms = {i for i in imports_of(path) if i.startswith("room:")}
        assert rooms <= allowed, f"{path.relative_to(ROOT)} knows {rooms - allowed}"


@pytest.mark.parametrize("room", CORE)
def test_the_core_never_imports_the_interface(room: str) -> None:
    for path in (ROOT / room).rglob("*.py"):
        assert not imports_of(path) & DRAWING, path
        assert "print(" not in path.read_text(encoding="utf-8"), path
