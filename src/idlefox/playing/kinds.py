"""The kind of a file by its suffix, and the command that accepts it."""

from __future__ import annotations

from ..disk import size_of
from ..problems import KIND, Place, Problem, listed, path_problem

_ENDINGS = {
    ".fox": "script", ".form.yaml": "sheet", ".yaml": "sheet", ".yml": "sheet", ".html": "page", ".htm": "page", ".csv": "table",
    ".json": "schema",
}  # fmt: skip
_CALLED = {
    "script": "a script", "sheet": "a form sheet", "page": "an HTML page", "table": "a table", "schema": "a JSON Schema",
    "": "not a file of Idle Fox",
}  # fmt: skip
_TAKEN = {
    "script": "run it with: idlefox run {0}",
    "sheet": "idlefox outline {0} shows it; to run a script on it: idlefox run SCRIPT --subject {0}; to start one: idlefox scaffold {0}",
    "page": "idlefox outline {0} shows it; to run a script on it: idlefox run SCRIPT --subject {0}; to start one: idlefox scaffold {0}",
    "table": "to run one of its rows: idlefox run SCRIPTS… {0}:LINE",
    "schema": "to make a starter sheet and script from a JSON Schema: idlefox scaffold {0}",
    "": "scripts are *.fox, form sheets *.form.yaml, pages *.html",
}


def kind_of(path: str) -> str:
    """Return the kind of *path* by its suffix: script, sheet, page, table or schema; "" for anything else."""
    name = path.partition("#")[0].lower()
    return next((kind for ending, kind in _ENDINGS.items() if name.endswith(ending)), "")


def misplaced(path: str, *wanted: str) -> Problem | None:
    """Return a problem if the existing file *path* is of another kind than those *wanted*; else None."""
    file = path.partition("#")[0]
    kind = kind_of(path)
    if kind in wanted or path_problem(file) or size_of(file) is None:
        return None
    needs = listed(_CALLED[each] for each in wanted)
    return Problem(Place(path, 1, 1), f"this is {_CALLED[kind]}, but {needs} is needed here", _TAKEN[kind].format(path), code=KIND)
