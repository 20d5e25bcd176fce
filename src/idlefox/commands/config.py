"""The configuration: `idlefox.toml`, or `[tool.idlefox]` in `pyproject.toml`, found upwards from a folder."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from ..problems import CALL, Place, Problem, Unreadable, listed, read_text, suggestion
from ..records import NamedTuple
from ..roots import is_below, project_root
from .console import Console
from .reports import report_of

_KEYS: dict[str, tuple[type, ...]] = {
    "scripts": (str, list), "subject": (str,), "jobs": (int, str), "report": (str, list), "trust": (bool,),
    "live": (dict,), "lint": (dict,),
}  # fmt: skip


def jobs_of(text: str) -> int:
    """Return the number of processes for *text*: a number from 1 to 256, or auto for one per core. Raises ValueError."""
    if text == "auto":
        return os.cpu_count() or 1
    if not (text.isascii() and text.isdigit() and len(text) < 4) or not 1 <= int(text) <= 256:
        raise ValueError(f"must be a number from 1 to 256 or auto, not {text!r}")
    return int(text)


def _each_report(value: Any) -> None:
    for each in [value] if isinstance(value, str) else value:
        report_of(each)


_LIVE: dict[str, tuple[type, ...]] = {"browser": (str,), "show": (bool,), "hands": (str,), "deadline": (str,), "retries": (int,)}


def _live_options(value: dict[str, Any]) -> None:
    for key, each in value.items():
        if key not in _LIVE:
            raise ValueError(f"unknown key {key!r}; the keys are {listed(_LIVE, 'and')}")
        if not isinstance(each, _LIVE[key]) or (isinstance(each, bool) and bool not in _LIVE[key]):
            raise ValueError(f"{each!r} is not a valid value of {key}")


def _lint_options(value: dict[str, Any]) -> None:
    for key, each in value.items():
        if key != "except" or not isinstance(each, list) or not all(isinstance(code, str) for code in each):
            raise ValueError('the only key is except, for example except = ["CODE"]')


_READ: dict[str, Any] = {"jobs": lambda value: jobs_of(str(value)), "report": _each_report, "live": _live_options, "lint": _lint_options}


class Config(NamedTuple):
    """The settings of the configuration. Paths are relative to the working directory."""

    scripts: tuple[str, ...] = ()
    subject: str = ""
    jobs: str = "1"
    reports: tuple[str, ...] = ()
    lint: tuple[str, ...] = ()  # codes of findings to skip
    live: dict[str, Any] = {}  # options for live runs, unless given on the command line
    trust: bool = False  # a wish of the project; `trusts` decides
    file: str = ""
    folder: str = ""


def read_config(folder: str) -> Config:
    """The configuration that holds in *folder*. Raises Unreadable for a file that cannot be used."""
    here = Path(folder).resolve()
    for each in (here, *here.parents):
        own, project = each / "idlefox.toml", each / "pyproject.toml"
        if own.is_file():
            return _config(own, _load(own), here)
        if project.is_file():
            tools = _load(project).get("tool") if "idlefox" in read_text(str(project)) else None
            table = tools.get("idlefox") if isinstance(tools, dict) else None
            if table is not None and not isinstance(table, dict):
                shown = os.path.relpath(project)
                cause, remedy = "the configuration must be a table", "start it with [tool.idlefox]"
                raise Unreadable([Problem(Place(shown, 1, 1), cause, remedy, code=CALL)])
            if table is not None:
                return _config(project, table, here)
    return Config()


def further_roots(roots: tuple[str, ...], subject: str | None) -> tuple[str, ...]:
    """The folders that a person allows: those of --root, and the project of the subject named in the call."""
    return (*roots, project_root(subject)) if subject else roots


def far_report(config: Config, reports: list[tuple[str, str]]) -> Problem | None:
    """A problem if a report of the configuration would be written outside its folder, which nobody has reviewed on checkout."""
    odd = next(((kind, file) for kind, file in reports if file != "-" and not is_below(file, config.folder)), None)
    if odd is None:
        return None
    kind, file = odd
    remedy = f"name a file below that folder, or use --report {kind}={file}"
    return Problem(Place(config.file, 1, 1), f"the report {file} is outside the project", remedy, code=CALL)


def own_config() -> Path:
    """The path of the person's own configuration, outside any project (XDG Base Directory Specification)."""
    home = os.environ.get("XDG_CONFIG_HOME") or os.path.join(os.path.expanduser("~"), ".config")
    return Path(home) / "idlefox" / "config.toml"


def state_folder() -> str:
    """The folder for state that is kept between sessions (XDG Base Directory Specification)."""
    home = os.environ.get("XDG_STATE_HOME") or os.path.join(os.path.expanduser("~"), ".local", "state")
    return os.path.join(home, "idlefox")


def trusts(config: Config, asked: bool | None) -> tuple[bool, str]:
    """Return whether sheets may run code (Python rules, dev servers), and a notice for the person ("" for none).

    *asked* is the choice on the command line. A project cannot trust itself: nobody has reviewed it when it is checked out.
    Raises Unreadable if the person's own configuration is invalid.
    """
    if asked is not None:
        return asked, "sheets may run code: --trust" if asked else ""
    own = own_config()
    folder = os.path.realpath(config.folder or ".")
    table = _load(own) if own.is_file() else {}
    trusted = table.get("trusted", [])
    if not isinstance(trusted, list) or not all(isinstance(each, str) for each in trusted):
        remedy = 'write trusted = ["/home/mara/forms"]'
        raise Unreadable([Problem(Place(str(own), 1, 1), "trusted must be a list of folders", remedy, code=CALL)])
    if any(os.path.realpath(os.path.expanduser(each)) == folder for each in trusted):
        return True, f"sheets may run code: {own} trusts this project"
    if config.trust:
        return False, f"{config.file} cannot grant itself trust: use --trust, or list {folder} under `trusted` in {own}"
    return False, ""


def begin(trust: bool | None, console: Console) -> tuple[Config, bool]:
    """Read the configuration and decide about trust, with a notice to the person. Raises Unreadable."""
    config = read_config(".")
    trusted, told = trusts(config, trust)
    if told:
        console.lines([[(told, "dim")]], err=True)
    return config, trusted


def _load(path: Path) -> dict[str, Any]:
    import tomllib

    shown = os.path.relpath(path)
    text = read_text(shown)
    try:
        return tomllib.loads(text)
    except RecursionError:
        raise Unreadable([Problem(Place(shown, 1, 1), "the file is nested too deeply", "remove some of its levels", code=CALL)]) from None
    except tomllib.TOMLDecodeError as fault:
        message = str(fault)
        line, column = 1, 1
        if "(at line " in message:
            numbers = message.rpartition("(at line ")[2].rstrip(")").split(", column ")
            line, column = int(numbers[0]), int(numbers[-1])
        source = text.split("\n")[line - 1] if line <= text.count("\n") + 1 else ""
        cause = "invalid TOML: " + message.partition(" (at")[0].lower()
        raise Unreadable([Problem(Place(shown, line, column), cause, "the format is described at toml.io", source)]) from None


def _config(path: Path, table: dict[str, Any], here: Path) -> Config:
    shown = os.path.relpath(path)
    problems: list[Problem] = []
    lines = read_text(shown).split("\n")

    def report(key: str, cause: str, remedy: str) -> None:
        number = next((i for i, line in enumerate(lines, 1) if line.strip().startswith(key)), 1)
        problems.append(Problem(Place(shown, number, 1, len(key)), cause, remedy, lines[number - 1]))

    for key, value in table.items():
        if key not in _KEYS:
            report(key, f"unknown key {key!r}", suggestion(key, _KEYS, f"the keys are {listed(_KEYS, 'and')}"))
        elif not isinstance(value, _KEYS[key]) or (isinstance(value, bool) and bool not in _KEYS[key]):
            report(key, f"{value!r} is not a valid value of {key}", "docs/run.md lists the keys and their values")
        elif isinstance(value, list) and not all(isinstance(v, str) for v in value):
            report(key, f"{key} must be a list of strings", "")
        else:
            try:
                _READ.get(key, str)(value)
            except ValueError as fault:
                report(key, f"{key}: {fault}", "")
    if problems:
        raise Unreadable(problems)

    def found(name: str) -> str:
        return os.path.relpath(path.parent / name, here)

    scripts = table.get("scripts", [])
    far = [s for s in ([scripts] if isinstance(scripts, str) else scripts) if not is_below(str(path.parent / s), str(path.parent))]
    if far:
        report("scripts", f"{far[0]} is outside the folder of this configuration", "name it on the command line: idlefox run PATH")
        raise Unreadable(problems)
    reports = table.get("report", [])
    subject = table.get("subject", "")
    return Config(
        scripts=tuple(found(s) for s in ([scripts] if isinstance(scripts, str) else scripts)),
        subject=found(subject) if subject and "://" not in subject else subject,
        jobs=str(table.get("jobs", 1)),
        reports=tuple([reports] if isinstance(reports, str) else reports),
        live=table.get("live", {}),
        lint=tuple(table.get("lint", {}).get("except", ())),
        trust=table.get("trust", False),
        file=shown,
        folder=str(path.parent),
    )
