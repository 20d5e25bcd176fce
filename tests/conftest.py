"""Helpers: run the built program on files in a temporary folder, and scripts in the core. Selects the quick tests."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.results import ScriptResult
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.report.wording import expected_text, found_text, reason_text

# In CI the same examples every time: a change is judged by itself, not by the luck of the draw.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")

# Who starts the tests in the background has SIGINT ignored, and so would all that they start: a program that is to be
# interrupted would go on for ever.
signal.signal(signal.SIGINT, signal.default_int_handler)


# Of these files, the quick tests are only those whose id contains one of the words; of all others, every test is quick.
QUICK = {
    "test_browser.py": (), "test_cluster.py": ("[weaken]",), "test_compare.py": ("does_not_differ",),
    "test_coverage.py": ("reaches", "independent", "[crew]"), "test_docs.py": ("link", "telltale", "[run.md]", "[studies.md]", "[reports.md]", "[python.md]"),
    "test_journals.py": (".fox]",), "test_live.py": ("without_a_sheet_runs",), "test_manners.py": ("break_none[crew", "[once"),
    "test_odd.py": ("[0]",), "test_probe.py": ("[booking.form.yaml]", "cannot_be_probed"), "test_report_page.py": ("without_scripts", "[a.png", "[a.html"),
    "test_weaken.py": ("checked_parts", "come_with"),
}  # fmt: skip
# Of the other files, these tests are not quick: they start the program many times, or draw many examples.
LONG = (
    "options_select_items", "bad_file_is_a_located", "misuse", "missing_or_of_another_kind", "malformed_files", "unusable_input", "renaming_a_field",
    "half_written", "sheet_cache", "processes_change", "never_hold_on_a_walk", "walks_and_tables", "survives_the_formatter", "a_pipe_and_a_first_script",
    "shards", "shuffled_order", "cannot_be_meant", "grant_trust", "line_moved", "cannot_be_rehearsed", "configuration_is_found", "does_not_fit_its_page",
    "page_that_cannot", "collection_error", "every_difference", "two_runs_at_once", "chosen_by_line_tag", "other_commands",
)  # fmt: skip
LONGEST = ("test_live.py", "test_docs.py", "test_manners.py", "test_weaken.py")  # they start first, so that none runs alone at the end


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--rest", action="store_true", help="Run the tests that are left out by default.")


def is_quick(item: pytest.Item) -> bool:
    words = QUICK.get(item.path.name)
    return not any(word in item.name for word in LONG) if words is None else any(word in item.name for word in words)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Keep the quick tests, or the others with `--rest`; keep all if the command line names files or tests."""
    if config.args_source != pytest.Config.ArgsSource.ARGS:
        left_out = [item for item in items if is_quick(item) == config.getoption("--rest")]
        config.hook.pytest_deselected(items=left_out)
        items[:] = [item for item in items if item not in set(left_out)]
    items.sort(key=lambda item: item.path.name not in LONGEST)


def free_port() -> int:
    """A port of the loopback interface that is free now."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        number: int = free.getsockname()[1]
    return number


def answers(port: int) -> bool:
    """Return whether something accepts connections at *port*."""
    try:
        socket.create_connection(("127.0.0.1", port)).close()
    except OSError:
        return False
    return True


def waited(process: subprocess.Popen[Any], until: Callable[[], object]) -> None:
    """Waits until *until* is so, or *process* is over."""
    while not until():
        try:
            process.wait(0.02)
            return
        except subprocess.TimeoutExpired:
            pass


def pytest_make_parametrize_id(val: object) -> str | None:
    """Ids that can be read: of a long text its first line, of bytes how they begin."""
    if isinstance(val, bytes):
        val = val[:60].decode("utf-8", "replace")
    if not isinstance(val, str):
        return None
    first = val.strip().split("\n")[0]
    return first if len(first) <= 60 else first[:57] + "…"


class Fox:
    """The installed `idlefox` in a folder of its own."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def write(self, **files: str) -> Fox:
        """Writes files; a double underscore in a name is a dot: ``a__fox``."""
        for name, text in files.items():
            (self.folder / name.replace("__", ".")).write_text(text, encoding="utf-8")
        return self

    def __call__(self, *args: str, piped: str | None = None, **env: str) -> subprocess.CompletedProcess[str]:
        clean = {k: v for k, v in os.environ.items() if k not in ("COLUMNS", "NO_COLOR")}
        return subprocess.run(
            [sys.executable, "-m", "idlefox", *args], cwd=self.folder, capture_output=True, text=True, encoding="utf-8",
            input=piped, env={**clean, "PYTHONIOENCODING": "utf-8", **env}, timeout=120, check=False,
        )  # fmt: skip

    def play(self, sheet: str, script: str, subject: str = "form.form.yaml", **wishes: bool) -> ScriptResult:
        """Plays *script* on *sheet* in the core, without the command line."""
        self.write(form__form__yaml=sheet, a__fox=f'subject "{subject}"\nclock 2031-05-02T09:00:00Z\n\n' + script)
        trust = bool(wishes.get("trust"))
        return play_script(SelectedScript(str(self.folder / "a.fox")), RunOptions(trust=trust), Subjects(trust=trust))

    def holds(self, sheet: str, body: str) -> None:
        """Asserts that one scenario with *body* (unindented) holds on *sheet*."""
        lines = "\n".join("    " + line if line else "" for line in body.strip("\n").split("\n"))
        result = self.play(sheet, f'scenario "it"\n{lines}\n')
        assert not result.errors, [(p.place.line - 4, p.cause, p.remedy) for p in result.errors]
        failures = [(f.place.line - 4, f.source.strip(), expected_text(f), found_text(f), reason_text(f)) for s in result.scenarios for f in s.failures]
        assert not failures, failures


@pytest.fixture(scope="session", autouse=True)
def _cache(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What the program keeps of sheets it has read goes where the tests' other files go."""
    os.environ["XDG_CACHE_HOME"] = str(tmp_path_factory.mktemp("cache"))


@pytest.fixture
def fox(tmp_path: Path) -> Fox:
    return Fox(tmp_path)
