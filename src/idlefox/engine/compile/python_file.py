"""The file of Python functions that a sheet names, loaded only where the person running says so."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from types import ModuleType
from typing import Any

from ... import disk
from ...forms.model.form import Form
from ...problems import OUTSIDE_SAYS, Place, Problem, Unreadable, path_problem, read_bytes, suggestion
from ...roots import is_outside_roots, note_read
from ..judge.python_rules import said_of


def load(form: Form) -> dict[str, Callable[..., Any]]:
    """The functions that the rules of *form* name. Raises Unreadable where the file or a function is not there."""
    path = Path(form.file).parent / form.python
    place = Place(form.file, 1, 1)
    wanted = {
        kind.parameter
        for one in (form, *form.panels)
        for rules in [one.rules, *(f.rules for f in one.walk())]
        for rule in rules
        for kind in rule.kinds
        if kind.name == "python"
    }
    if is_outside_roots(str(path)):
        raise Unreadable([Problem(place, f"{form.python}: {OUTSIDE_SAYS[0]}", OUTSIDE_SAYS[1])])
    note_read(str(path))
    if path_problem(str(path)) or disk.size_of(str(path)) is None:
        raise Unreadable([Problem(place, f"file not found beside the sheet: {form.python!r}", "check `python:`")])
    if path.suffix != ".py":
        raise Unreadable([Problem(place, f"{form.python} is not a Python file", "give it a name that ends in .py")])
    module = ModuleType("idlefox_rules_" + path.stem)
    module.__file__ = str(path)
    code = read_bytes(str(path))
    try:
        exec(compile(code, str(path), "exec"), vars(module))
    except KeyboardInterrupt:
        raise
    except BaseException as fault:
        cause = f"{form.python} cannot be loaded: {said_of(fault)}"
        raise Unreadable([Problem(place, cause, "fix the file")]) from None
    functions = {name: value for name, value in vars(module).items() if callable(value) and not name.startswith("_")}
    missing = [
        Problem(place, f"{form.python} has no function {name!r}", suggestion(name, functions))
        for name in sorted(wanted - functions.keys())
    ]
    if missing:
        raise Unreadable(missing)
    return {name: functions[name] for name in wanted}
