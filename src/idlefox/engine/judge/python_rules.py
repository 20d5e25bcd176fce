"""Python rules: functions of a file that the sheet names, run only where the person running says so."""

from __future__ import annotations

import importlib.util
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

from ...forms.model.form import Form
from ...problems import Place, Problem, Unreadable, suggestion
from ..state.cells import Container, FieldCell, ListCell, value_of
from ..state.live import Live


class FormView(Mapping[str, Any]):
    """A read-only view of a form's (or group's) values, as a Python rule sees them."""

    def __init__(self, box: Any) -> None:
        self._box = box

    def __getitem__(self, name: str) -> Any:
        for part in self._box.parts:
            if part.plan.field.name == name:
                return _view(part)
        raise KeyError(name)

    def __iter__(self) -> Iterator[str]:
        return iter([part.plan.field.name for part in self._box.parts])

    def __len__(self) -> int:
        return len(self._box.parts)


def _view(cell: Any) -> Any:
    if isinstance(cell, ListCell):
        return tuple(FormView(row) for row in cell.parts)
    if isinstance(cell, Container):
        return FormView(cell)
    value = value_of(cell)
    return tuple(value) if isinstance(value, list) else value


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
    if not path.is_file():
        raise Unreadable([Problem(place, f"there is no file {form.python!r} beside the sheet", "check `python:`")])
    spec = importlib.util.spec_from_file_location("idlefox_rules_" + path.stem, path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    try:
        spec.loader.exec_module(module)
    except Exception as fault:
        cause = f"{form.python} cannot be loaded: {type(fault).__name__}: {fault}"
        raise Unreadable([Problem(place, cause, "mend the file")]) from None
    functions = {name: value for name, value in vars(module).items() if callable(value) and not name.startswith("_")}
    missing = [
        Problem(place, f"{form.python} has no function {name!r}", suggestion(name, functions))
        for name in sorted(wanted - functions.keys())
    ]
    if missing:
        raise Unreadable(missing)
    return {name: functions[name] for name in wanted}


def broken(live: Live, name: str, cell: Any) -> bool:
    """Whether the function *name* finds fault with *cell*. What it returns as text is the message."""
    function = live.python.get(name)
    check = next(c for c in cell.plan.checks if c.kind == "python" and c.parameters.get("python") == name)
    live.python_said.pop((cell, check.index), None)
    if function is None:
        return False
    root = cell
    while root.up is not None:
        root = root.up
    try:
        verdict = function(value_of(cell) if not isinstance(cell, FieldCell) else cell.value, FormView(root))
    except Exception as fault:
        live.warn(cell, f"the Python rule {name} raised {type(fault).__name__}: {fault}")
        return True
    if isinstance(verdict, str):
        live.python_said[cell, check.index] = verdict
        return True
    return verdict is False
