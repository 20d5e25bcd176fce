"""The up and down arrows of number and range controls (HTML, "stepUp() and stepDown()")."""

from __future__ import annotations

from decimal import ROUND_FLOOR, Decimal, localcontext
from typing import Any

from ...forms.values import whatwg
from ..plan.controls import range_bounds
from ..state.cells import FieldCell


def stepped(cell: FieldCell, by: int) -> int | float | None:
    """The value one step up (*by* 1) or down (-1) from the value of *cell*, kept between its literal bounds."""
    with localcontext(whatwg.EXACT):
        return _stepped(cell, by)


def _stepped(cell: FieldCell, by: int) -> int | float | None:
    low, high, step, base = _bounds(cell.plan.field)
    if low is not None and high is not None and low > high:
        return cell.value  # type: ignore[no-any-return]  # no value to step to
    anywhere = step is None
    step = Decimal(1) if step is None else step
    value = Decimal(str(cell.value)) if cell.value is not None else Decimal(0)
    away = Decimal(0) if anywhere else (value - base) % step
    if away:
        # From between two steps, the arrow moves to the next step in its direction.
        value = value - away + (step if (by > 0) == (away > 0) else 0) if by > 0 else value - away
    else:
        value += by * step
    before = Decimal(str(cell.value or 0))
    if low is not None and value < low:
        value = low
    if high is not None and value > high:
        value = base + ((high - base) / step).to_integral_value(ROUND_FLOOR) * step
    if value < before if by > 0 else value > before:
        return cell.value  # type: ignore[no-any-return]  # an arrow up never leads down, nor one down up
    return whatwg.tidy(float(value))


def _bounds(field: Any) -> tuple[Decimal | None, Decimal | None, Decimal | None, Decimal]:
    """The least, the most, the step (None: any, on a page) and the step base: a slider's, or the literal rules of a number field."""
    origin: Any = None
    if field.kind == "range":
        low, high, step, origin = range_bounds(field)
    else:
        found = {
            kind.name: kind.parameter
            for rule in field.rules
            for kind in rule.kinds
            if kind.name in ("min", "max", "step") and isinstance(kind.parameter, int | float)
        }
        low, high, step = found.get("min"), found.get("max"), found.get("step")
        origin = field.native.base if field.native is not None else None
    base = (0 if low is None else low) if origin is None else origin
    size = None if step is None and field.native is not None else Decimal(str(step or 1))
    return _decimal(low), _decimal(high), size, Decimal(str(base))


def _decimal(number: Any) -> Decimal | None:
    return None if number is None else Decimal(str(number))
