"""The rules of a sheet: kinds, parameters, messages, and the addresses they belong to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...problems import listed
from ..expressions.bind import Scope
from ..model.form import FLAGS, RULE_KINDS, TEXT_KINDS, Kind, Message, Rule
from ..names.addresses import named
from ..names.shapes import Shape
from ..values.patterns import PatternError, whole_match
from ..values.whatwg import DATE_KINDS, date_number
from .reading import At, Reading

_TYPE_NAMES = frozenset({"number", "date", "month", "week", "time", "datetime-local"})
_NUMERIC = frozenset({"number", "range"}) | DATE_KINDS
_KINDS = _TYPE_NAMES.union(RULE_KINDS)


def _is_text(shape: Shape) -> bool:
    return shape.kind in TEXT_KINDS or shape.kind == "hidden"


def _has_bounds(shape: Shape) -> bool:
    return shape.kind in _NUMERIC or shape.kind in ("rows", "file") or shape.many


# Rules limited to some shapes of fields: which, and why not others.
_ONLY_ON: dict[str, tuple[Callable[[Shape], bool], str]] = {
    **dict.fromkeys(("minlength", "maxlength", "pattern", "email", "url"), (_is_text, "it is for texts")),
    **dict.fromkeys(("min", "max"), (_has_bounds, "it is for numbers, dates, lists and rows")),
    "step": (lambda shape: shape.kind in _NUMERIC, "it is for numbers and dates"),
    "badInput": (lambda shape: shape.kind in _NUMERIC or shape.kind == "color", "any text typed there is a value"),
    "unique": (
        lambda shape: "*" in shape.path and shape.kind not in ("rows", "group"),
        "it compares a field of one row with the other rows",
    ),
    "lookup": (lambda shape: shape.kind not in ("rows", "group", "form"), "a lookup checks the value of one field"),
    "required": (lambda shape: shape.kind not in ("group", "form"), "require its parts instead"),
}  # fmt: skip
_ANYWHERE = (lambda shape: True, "")


class RuleReader:
    """Reads lists of rules for one form of the sheet (the form itself or a panel)."""

    def __init__(self, reading: Reading, lookups: frozenset[str]) -> None:
        self.reading = reading
        self.lookups = lookups

    def rules(self, at: At, data: list[dict[str, Any]], owner: Shape, panel: Shape | None) -> tuple[Rule, ...]:
        """Read the rules in *data* at *at*, which belong to *owner* (the form's shape for form rules)."""
        found = [self.rule((*at, i), each, owner, panel) for i, each in enumerate(data)]
        return tuple(r for r in found if r is not None)

    def rule(self, at: At, data: dict[str, Any], owner: Shape, panel: Shape | None, *, server: bool = False) -> Rule | None:
        """Read one rule."""
        reading = self.reading
        placed = self._placed(at, data, owner) if "at" in data else None
        if placed is None and "at" in data and not server:
            return None
        target, path, indexes = placed if placed is not None else (owner, None, ())
        judged = target if owner.kind == "form" else owner
        scope = self._scope(judged, panel, server)
        names = [k for k in data if k in _KINDS]
        if not names:
            reading.report(at, "this rule has no kind", f"name one of {listed(RULE_KINDS, most=30)}")
            return None
        kinds = [k for n in names if (k := self._kind(at, n, data[n], judged, scope, server)) is not None]
        if not kinds:
            return None
        say = self._say(at, data, kinds)
        return Rule(
            kinds=tuple(kinds),
            say=say,
            when=reading.condition(at, data, "when", scope) if "when" in data else None,
            id=data.get("id", ""),
            at=path,
            at_index=indexes,
            on_empty=data.get("on_empty", False),
            start=data.get("start", "blur"),
            debounce=reading.duration(at, data, "debounce") if "debounce" in data else 0,
            remember=data.get("remember", False),
            line=reading.document.line_of(data),
        )

    def _scope(self, judged: Shape, panel: Shape | None, server: bool) -> Scope:
        own = None if judged.kind == "form" else judged
        if server:
            return Scope(self.reading.root, None, own, value=own is not None, payload=True)
        return Scope(self.reading.root, panel, own, False, own is not None)

    def _placed(self, at: At, data: dict[str, Any], owner: Shape) -> Any:
        found = self.reading.target((*at, "at"), data["at"])
        if found is None:
            return None
        target, segments = found
        if target.row:
            self.reading.report((*at, "at"), "a row as a whole cannot have messages", "name one of its fields")
            return None
        if named(self.reading.root, segments) is not None:
            return target.shape, target.path, ()
        indexes = tuple(None if s == "*" else s for s in segments if s == "*" or isinstance(s, int))
        return target.shape, target.path, tuple(i if isinstance(i, int) else None for i in indexes)

    def _kind(self, at: At, name: str, value: Any, judged: Shape, scope: Scope, server: bool) -> Kind | None:
        report = self.reading.report
        here = (*at, name)
        if name in _TYPE_NAMES:
            if judged.kind != name and not (name == "number" and judged.kind == "range"):
                cause = f"{name!r} sets the message of a field of type {name}; this field is of type {judged.kind}"
                report(here, cause, f"remove it, or give the field the type {name}", key=True)
                return None
            name = "badInput"
        if value is False and name in ("required", "email", "url", "unique", "badInput"):
            return None
        fits, why = _ONLY_ON.get(name, _ANYWHERE)
        if not server and not fits(judged):
            what = "the form" if judged.kind == "form" else f"a field of type {judged.kind}"
            report(here, f"{name} does not apply to {what}: {why}", "remove it, or change the type of the field", key=True)
            return None
        parameter = self._parameter(here, name, value, judged, scope)
        return None if parameter is _WRONG else Kind(name, FLAGS.get(name, "customError"), parameter)

    def _parameter(self, at: At, name: str, value: Any, judged: Shape, scope: Scope) -> Any:
        reading = self.reading
        if isinstance(value, dict):
            return reading.expression((*at, "expr"), value["expr"], scope, condition=False)
        if name == "holds":
            return reading.expression(at, value, scope)
        if name == "pattern":
            try:
                whole_match(value)
            except PatternError as fault:
                remedy = fault.remedy or "with flag v, ( ) [ ] { } / - | need a backslash inside [ ]"
                reading.report(at, fault.cause, remedy)
                return _WRONG
            return value
        if name == "repeats":
            return self._repeats(at, value, scope)
        if name == "lookup" and value not in self.lookups:
            from ...problems import suggestion

            reading.report(at, f"unknown lookup {value!r}", suggestion(value, self.lookups, "define it under `lookups:`"))
            return _WRONG
        if name == "python" and not reading.python:
            reading.report(at, "the sheet has no `python:` file", "add `python: FILE.py` to the sheet")
            return _WRONG
        if name in ("min", "max"):
            return self._bound(at, name, value, judged)
        return tuple(value) if name == "among" else value

    def _bound(self, at: At, name: str, value: Any, judged: Shape) -> Any:
        if judged.kind in DATE_KINDS:
            if not isinstance(value, str) or date_number(judged.kind, value) is None:
                cause = f"{name} of a {judged.kind} field is a {judged.kind}, not {value!r}"
                self.reading.report(at, cause, "write it as HTML does, for example 2031-05-02")
                return _WRONG
        elif isinstance(value, str):
            self.reading.report(at, f"{name} must be a number here, not {value!r}", "write a number or {expr: …}")
            return _WRONG
        elif judged.kind not in ("number", "range") and (value < 0 or value != int(value)):
            self.reading.report(at, f"{name} limits the number of items; {value} is not a count", "write a whole number from 0")
            return _WRONG
        return value

    def _repeats(self, at: At, value: str, scope: Scope) -> Any:
        expression = self.reading.expression(at, value, scope, condition=False)
        from ..expressions.tree import Reference

        if isinstance(expression.node, Reference) and expression.node.member == "value":
            return expression
        if expression.text != "true":
            self.reading.report(at, f"{value!r} is not the address of a field", "for example contact.email")
        return _WRONG

    def _say(self, at: At, data: dict[str, Any], kinds: list[Kind]) -> Message | None:
        if "say" not in data:
            return None
        return self.reading.message((*at, "say"), data["say"], [k.name for k in kinds])


_WRONG = object()
