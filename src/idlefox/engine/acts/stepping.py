"""The up and down arrows of number and range controls (HTML, "stepUp() and stepDown()")."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from ...forms.values import whatwg
from ..plan.controls import range_bounds


def stepped(cell: Any, by: int) -> int | float | None:
    """The value one step up (*by* 1) or down (-1) from the value of *cell*, kept between its literal bounds."""
    field = cell.plan.field
    found: dict[str, Any] = {}
    origin: Any = None
    for rule in field.rules:
        for kind in rule.kinds:
            if kind.name in ("min", "max", "step") and isinstance(kind.parameter, int | float):
                found[kind.name] = kind.parameter
    if field.kind == "range":
        found["min"], found["max"], found["step"], origin = range_bounds(field)
    elif field.native is not None:
        origin = field.native.base
    step = Decimal(str(found.get("step") or 1))
    base = Decimal(str(found.get("min", 0) if origin is None else origin))
    value = Decimal(str(cell.value)) if cell.value is not None else Decimal(0)
    low, high = found.get("min"), found.get("max")
    away = (value - base) % step
    if away:
        # From between two steps the arrow goes to the next one in its direction.
        value = value - away + (step if (by > 0) == (away > 0) else 0) if by > 0 else value - away
    else:
        value += by * step
    if low is not None and value < Decimal(str(low)):
        value = Decimal(str(low))
    if high is not None and value > Decimal(str(high)):
        value = base + (Decimal(str(high)) - base) // step * step
    return whatwg.tidy(float(value))
