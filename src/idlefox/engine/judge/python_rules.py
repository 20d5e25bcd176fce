"""Python rules: functions of a file that the sheet names, run only where the person running says so."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from ..state.cells import Cell, Container, FieldCell, ListCell, form_of, value_of
from ..state.form_state import FormState


class FormView(Mapping[str, Any]):
    """A read-only view of a form's (or group's) values, as a Python rule sees them."""

    def __init__(self, container: Container) -> None:
        self._container = container

    def __getitem__(self, name: str) -> Any:
        for part in self._container.parts:
            if part.plan.field.name == name:
                return _view(part)
        raise KeyError(name)

    def __iter__(self) -> Iterator[str]:
        return iter([part.plan.field.name for part in self._container.parts])

    def __len__(self) -> int:
        return len(self._container.parts)


def _view(cell: Cell) -> Any:
    if isinstance(cell, ListCell):
        return tuple(FormView(row) for row in cell.parts)
    if isinstance(cell, Container):
        return FormView(cell)
    value = value_of(cell)
    return tuple(value) if isinstance(value, list) else value


def said_of(fault: BaseException) -> str:
    """Describe an exception, even one whose text fails."""
    try:
        text = str(fault)
    except Exception:
        text = ""
    return f"{type(fault).__name__}: {text}" if text else type(fault).__name__


def broken(live: FormState, name: str, cell: Cell) -> bool:
    """Return whether the function *name* rejects *cell*. A string that it returns is the message."""
    function = live.plan.python.get(name)
    check = next(c for c in cell.plan.checks if c.kind == "python" and c.parameters.get("python") == name)
    live.python_said.pop((cell, check.index), None)
    if function is None:
        return False
    try:
        verdict = function(value_of(cell) if not isinstance(cell, FieldCell) else cell.value, FormView(form_of(cell)))
    except KeyboardInterrupt:
        raise
    except BaseException as fault:  # `sys.exit` in a rule is the rule's fault, and no end of the run
        live.warn(cell, f"the Python rule {name} raised {said_of(fault)}")
        return True
    if isinstance(verdict, str):
        live.python_said[cell, check.index] = verdict
        return True
    return verdict is False
