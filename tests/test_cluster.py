"""A cluster of a real scheduler and workers on loopback, in separate folders, has exactly the results of a single process."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from importlib import resources
from pathlib import Path
from typing import NamedTuple

import pytest
from conftest import Fox

from idlefox import run

DEMO = resources.files("idlefox.demo")
SHEET = """form: f
python: r.py
fields:
  a: {label: A, rules: [{required: true}, {python: takes_a_worker}]}
"""
# Whoever plays this first is killed by its id, if it is a worker; two that play it at the same moment are not both the first.
RULES = """import os, signal

def takes_a_worker(value, form):
    mark = os.environ.get("A_WORKER", "")
    if mark:
        try:
            open(mark, "x").close()
        except FileExistsError:
            return
        os.kill(os.getpid(), signal.SIGKILL)
"""


class Cluster(NamedTuple):
    address: str
    folder: Path
    workers: list[subprocess.Popen[bytes]]
    mark: Path

    def worker(self) -> None:
        folder = self.folder / f"worker {len(self.workers)}"
        folder.mkdir()
        options = ("--nthreads", "2", "--no-nanny", "--no-dashboard", "--local-directory", str(folder))
        env = {**os.environ, "A_WORKER": str(self.mark)}
        self.workers.append(_started(("worker", self.address, *options), folder, env))


def _started(words: tuple[str, ...], folder: Path, env: dict[str, str]) -> subprocess.Popen[bytes]:
    return subprocess.Popen([sys.executable, "-m", "dask", *words], cwd=folder, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    folder = tmp_path_factory.mktemp("cluster")
    told = folder / "scheduler.json"
    options = ("--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(told))
    scheduler = _started(("scheduler", *options), folder, dict(os.environ))
    until = time.monotonic() + 60
    while not told.exists() or not told.read_text("utf-8"):
        assert scheduler.poll() is None, "the scheduler did not start"
        assert time.monotonic() < until, "the scheduler did not say where it is"
    made = Cluster(json.loads(told.read_text("utf-8"))["address"], folder, [], folder / "killed")
    for _ in range(2):
        made.worker()
    yield made
    for process in (*made.workers, scheduler):
        process.kill()
        process.wait()


def _demo(fox: Fox, *names: str) -> None:
    for name in names:
        (fox.folder / name).write_text(DEMO.joinpath(name).read_text("utf-8"), encoding="utf-8")


def _told(done: subprocess.CompletedProcess[str]) -> list[str]:
    """The exit code, and the lines that were printed but for how long it took."""
    text = re.sub(r'"(seconds|started)": *("[^"]*"|[\d.e-]+)|duration_ms: [\d.e-]+|\b[\d.]+ s\b', "", done.stdout + done.stderr, flags=re.MULTILINE)
    return [str(done.returncode), *text.split("\n")]


@pytest.mark.parametrize("command", [
    pytest.param(("run", ".", "missing.fox", "--report", "json=-"), id="a suite, with what fails and what cannot be read"),
    pytest.param(("run", ".", "--order", "shuffled", "--seed", "4", "--stop-after", "1", "-v"), id="shuffled, to the first that fails"),
    pytest.param(("run", "long.fox", "-q", "--report", "tap=-"), id="one script in parts"),
    pytest.param(("coverage", "crew.fox", "--unreached"), id="coverage"),
    pytest.param(("weaken", "small.fox"), id="weaken"),
    pytest.param(("manners", "broken.form.yaml", "--walks", "120"), id="manners"),
    pytest.param(("probe", "small.form.yaml"), id="probe"),
    pytest.param(("compare", "crew.form.yaml", "other.form.yaml", "crew.fox", "--explore", "--walks", "10"), id="compare"),
])  # fmt: skip
def test_a_cluster_without_a_shared_folder_finds_what_one_process_finds(fox: Fox, cluster: Cluster, command: tuple[str, ...]) -> None:
    _demo(fox, "crew.form.yaml", "crew.fox", "broken.form.yaml")
    fox.write(
        small__form__yaml="form: s\nfields:\n  a: {rules: [{required: true}, {maxlength: 3}]}\n",
        small__fox='subject "small.form.yaml"\nscenario "a"\n    submit\n    expect outcome is refused\n',
        fails__fox='subject "small.form.yaml"\nscenario "no"\n    expect a = "x"\nscenario "nor this"\n    expect a = "y"\n',
        odd__fox='subject "smal.form.yaml"\nuse "routines.fox"\nscenario "no"\n    type b "x"\n',
    )
    crew = (fox.folder / "crew.fox").read_text("utf-8")
    (fox.folder / "long.fox").write_text(crew + "".join(f'\nscenario "more {n}"\n    expect form not is dirty\n' for n in range(1500)))
    (fox.folder / "other.form.yaml").write_text((fox.folder / "crew.form.yaml").read_text("utf-8").replace("Which boat?", "Which one?", 1))
    alone, there = fox(*command), fox(*command, "--on", cluster.address)
    assert _told(there) == _told(alone)
    assert alone.stdout


def test_a_worker_that_is_killed_costs_no_result(fox: Fox, cluster: Cluster) -> None:
    scenarios = "".join(f'scenario "{n}"\n    type a "x{n}"\n    expect a = "x{n if n % 7 else 0}"\n' for n in range(60))
    fox.write(f__form__yaml=SHEET, r__py=RULES, **{f"s{n}__fox": 'subject "f.form.yaml"\n' + scenarios for n in range(4)})
    command = ("run", ".", "--trust", "--report", "json=-")
    alone, there = fox(*command), fox(*command, "--on", cluster.address)
    assert _told(there) == _told(alone)
    assert alone.returncode == 1
    assert cluster.mark.exists()
    assert sorted(worker.poll() is None for worker in cluster.workers) == [False, True]


def test_a_cluster_runs_scripts_from_python(fox: Fox, cluster: Cluster) -> None:
    _demo(fox, "crew.form.yaml", "crew.fox")
    result = run(fox.folder, on=cluster.address)
    assert (result.passed, len(result.scenarios)) == (True, 9), result.text
    assert "no scheduler answers there" in run(fox.folder, on="nowhere").text


@pytest.mark.parametrize(("words", "told"), [
    (("run", "f.fox", "--on", "tcp://127.0.0.1:1"), "--on tcp://127.0.0.1:1: no scheduler answers there"),
    (("coverage", "f.fox", "--on", "nowhere"), "--on nowhere: no scheduler answers there"),
    (("run", "f.fox", "--on", "tcp://127.0.0.1:1", "--jobs", "2"), "--jobs cannot be combined with --on"),
    (("run", "f.fox", "--on", "tcp://127.0.0.1:1", "--live"), "--on cannot be combined with --live"),
    (("manners", "f.form.yaml", "--jobs", "2", "--live"), "--jobs cannot be combined with --live"),
])  # fmt: skip
def test_invalid_addresses_and_options_are_errors(fox: Fox, words: tuple[str, ...], told: str) -> None:
    fox.write(f__form__yaml="form: f\nfields:\n  a: {}\n", f__fox='subject "f.form.yaml"\nscenario "a"\n    expect a = ""\n')
    done = fox(*words)
    assert (done.returncode, told in done.stderr) == (2, True), done.stderr
