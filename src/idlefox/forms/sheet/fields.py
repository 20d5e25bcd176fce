"""The fields of a sheet: first their shape (names, kinds, nesting), then the model of each."""

from __future__ import annotations

import json
from typing import Any

from ...problems import listed
from ..expressions.bind import Scope
from ..expressions.tree import FALSE, TRUE, Expression
from ..model.form import CHOICE_KINDS, TEXT_KINDS, Derive, Field, Option, OptionsFrom, Path, Report
from ..model.messages import label_of
from ..names.addresses import AddressError, locate, parse_address
from ..names.shapes import Shape
from ..values.fitting import misfit
from ..values.limits import ROWS
from .reading import At, Reading
from .rules import RuleReader

# Keys limited to some types -> those types.
_ONLY: dict[str, frozenset[str]] = {
    "options": CHOICE_KINDS | {"checkbox"},
    "multiple": frozenset({"select", "file", "email"}),
    "accept": frozenset({"file"}),
    "fields": frozenset({"group", "rows"}),
    "start": frozenset({"rows"}), "least": frozenset({"rows"}), "most": frozenset({"rows"}),
    "add": frozenset({"rows"}), "remove": frozenset({"rows"}),
    "trim": TEXT_KINDS | {"hidden"}, "case": TEXT_KINDS | {"hidden"},
    "limit": TEXT_KINDS,
}  # fmt: skip
_EMPTY_TEXT: dict[Any, str] = {"keep": "keep", "null": "null", "omit": "omit", None: "null"}


def shape_of(name: str, data: dict[str, Any], path: Path) -> Shape:
    """The shape of the field *name* that *data* describes, with all that is nested in it."""
    kind = data.get("type", "text")
    many = bool(data.get("multiple")) if kind == "select" else kind == "checkbox" and "options" in data
    shape = Shape(name, kind, path, None, many)
    if kind in ("group", "rows"):
        inner = (*path, "*") if kind == "rows" else path
        shape.children = {n: shape_of(n, d, (*inner, n)) for n, d in data.get("fields", {}).items()}
    return shape


def _initially(shape: Shape, shown: str) -> str:
    """Suggest a replacement for an initial value that the control cannot hold."""
    if shape.kind in TEXT_KINDS and shown[:1] not in ('[', '{', '"'):
        return f'put it in quotes: "{shown}"'
    if shape.kind in ("number", "range") and shown.strip('"').replace(".", "", 1).lstrip("-").isdigit():
        return f"write it without quotes: {shown.strip(chr(34))}"
    if shape.many or shape.kind == "rows":
        return f"write a list: [{shown}]" if shown[:1] != "[" else "list the possible values"
    return "write such a value, or remove `initial`"


class FieldReader:
    """Builds the model of the fields of one form of the sheet."""

    def __init__(self, reading: Reading, rules: RuleReader, panel: Shape | None, defaults: dict[str, Any]) -> None:
        self.reading = reading
        self.rules = rules
        self.panel = panel
        self.report = reading.report_times(defaults, Report())
        self.messages = defaults.get("messages", "one")
        self.reveal = defaults.get("reveal", True)
        self.reveal_at: At = ()
        self.empty = _EMPTY_TEXT[defaults.get("submit", {}).get("empty", "keep")]

    def fields(self, at: At, data: dict[str, Any], shapes: dict[str, Shape]) -> tuple[Field, ...]:
        """Return the fields in *data*, which is at *at*."""
        return tuple(self.field((*at, name), each, shapes[name]) for name, each in data.items())

    def field(self, at: At, data: dict[str, Any], shape: Shape, *, of_page: bool = False) -> Field:
        """Read the field that *data* describes. *of_page*: a page defines its type, and *data* is added."""
        reading = self.reading
        kind = shape.kind
        for key in data:
            only = _ONLY.get(key)
            if only is not None and kind not in only:
                reading.report((*at, key), f"{key!r} does not apply to type {kind}", f"it is for {listed(sorted(only))}", key=True)
        scope = Scope(reading.root, self.panel, shape, value=True)
        bare = Scope(reading.root, self.panel, shape, bare=True, value=True)
        initial = self._initial(at, data, shape)
        inner: tuple[Field, ...] = ()
        if kind in ("group", "rows") and not of_page:
            if not data.get("fields"):
                reading.report(at, f"a {kind} needs fields", "add `fields:`", key=True)
            inner = self.fields((*at, "fields"), data.get("fields", {}), shape.children or {})
        options = self._options(at, data, shape) if not of_page else None
        send = data.get("send", True)
        accept = data.get("accept", ())
        return Field(
            name=shape.name,
            kind=kind,
            path=shape.path,
            label=data["label"] if "label" in data else label_of(shape.name),
            initial=initial,
            has_initial=initial is not None,
            rules=self.rules.rules((*at, "rules"), data["rules"], shape, self.panel) if "rules" in data else (),
            visible=reading.condition(at, data, "visible", scope) if "visible" in data else None,
            enabled=reading.condition(at, data, "enabled", bare) if "enabled" in data else None,
            readonly=TRUE if data.get("readonly") is True else reading.condition(at, data, "readonly", scope),
            forget_when_hidden=data.get("when_hidden") == "forget",
            trim=data.get("trim", False),
            case=data.get("case", ""),
            limit=data.get("limit"),
            derive=self._derive(at, data, shape, scope),
            send=send is not False,
            send_name=send if isinstance(send, str) else "",
            empty=_EMPTY_TEXT[data["empty"]] if "empty" in data else self.empty,
            report=reading.report_times(data, self.report),
            reveal=self._reveal(at, data, bare),
            messages=data.get("messages", self.messages),
            options=options,
            multiple=data.get("multiple", False),
            accept=tuple(a.strip() for a in accept.split(",")) if isinstance(accept, str) else tuple(accept),
            fields=inner,
            start=self._count_of_rows(at, data, initial) if kind == "rows" else None,
            least=data.get("least", 0),
            most=data.get("most"),
            add=reading.condition(at, data, "add", scope) if "add" in data else None,
            remove=reading.condition(at, data, "remove", scope) if "remove" in data else None,
        )

    def _reveal(self, at: At, data: dict[str, Any], scope: Scope) -> Expression:
        if "reveal" in data:
            return self.reading.expression((*at, "reveal"), data["reveal"], scope)
        if isinstance(self.reveal, bool):
            return TRUE if self.reveal else FALSE
        return self.reading.expression((*self.reveal_at, "reveal"), self.reveal, scope)

    def _derive(self, at: At, data: dict[str, Any], shape: Shape, scope: Scope) -> Derive | None:
        given = data.get("derive")
        if given is None:
            return None
        if shape.kind in ("group", "rows", "file", "hidden"):
            self.reading.report((*at, "derive"), f"a {shape.kind} cannot be derived", "derive its parts instead", key=True)
            return None
        when = given.get("when", "always")
        if when not in ("always", "focus"):
            self.reading.report((*at, "derive", "when"), f"{when!r} is not one of always or focus")
        # `value` would be the derived value itself, so here the word can name a field.
        scope = scope._replace(value=False)
        return Derive(self.reading.expression((*at, "derive", "from"), given["from"], scope, condition=False), when)

    def _count_of_rows(self, at: At, data: dict[str, Any], initial: Any) -> int | None:
        least, most = data.get("least", 0), data.get("most")
        start = data.get("start")
        many = next((key for key in ("start", "least") if data.get(key, 0) > ROWS), None)
        if many is not None:
            self.reading.report((*at, many), f"{data[many]} rows are more than a form may start with", f"use at most {ROWS:,}")
            return None
        if most is not None and most < least:
            self.reading.report((*at, "most"), f"most ({most}) is below least ({least})", "make `most` at least as large as `least`")
        elif start is not None and (start < least or (most is not None and start > most)):
            bounds = f"least {least}" + (f", most {most}" if most is not None else "")
            self.reading.report((*at, "start"), f"start ({start}) is outside the limits ({bounds})", "choose a start within them")
        return start

    # initial values
    def _initial(self, at: At, data: dict[str, Any], shape: Shape) -> Any:
        """Return the field's `initial`, None if it is missing or null."""
        if "initial" not in data:
            return None
        wrong = misfit(shape.kind, shape.many, data["initial"])
        if wrong:
            shown = json.dumps(data["initial"], ensure_ascii=False)
            cause = f"the initial value of a {shape.kind} field is {wrong}, not {shown}"
            self.reading.report((*at, "initial"), cause, _initially(shape, shown))
            return None
        return data["initial"]

    # options
    def _options(self, at: At, data: dict[str, Any], shape: Shape) -> tuple[Option, ...] | OptionsFrom | None:
        given = data.get("options")
        if given is None:
            if shape.kind in CHOICE_KINDS:
                self.reading.report(at, f"a {shape.kind} needs options", "add `options:`", key=True)
            return None
        at = (*at, "options")
        if isinstance(given, dict):
            return self._options_from(at, given)
        options: list[Option] = []
        scope = Scope(self.reading.root, self.panel, shape, value=True)
        for i, each in enumerate(given):
            if isinstance(each, dict):
                enabled = self.reading.condition((*at, i), each, "enabled", scope)
                options.append(Option(each["value"], each.get("label", _text(each["value"])), enabled))
            else:
                options.append(Option(each, _text(each)))
        seen: list[Any] = []
        for i, option in enumerate(options):
            if any(o == option.value and type(o) is type(option.value) for o in seen):
                self.reading.report((*at, i), f"the option {option.value!r} is listed twice", "keep one of them")
            seen.append(option.value)
        return tuple(options)

    def _options_from(self, at: At, given: dict[str, Any]) -> OptionsFrom | None:
        segments = parse_address(given["from"])
        try:
            if segments is None:
                raise AddressError(f"{given['from']!r} is not an address", "name a list of rows", 0)
            target = locate(self.reading.root, segments)
        except AddressError as fault:
            self.reading.report((*at, "from"), fault.cause, fault.remedy)
            return None
        children = target.shape.children or {}
        if target.shape.kind != "rows" or target.row or "*" in target.path:
            self.reading.report((*at, "from"), f"{given['from']!r} is not a list of rows of the form", "name a list of rows")
            return None
        first = next(iter(children), "value")
        value = given.get("value", "value" if "value" in children else first)
        label = given.get("label", "label" if "label" in children else value)
        for key, name in (("value", value), ("label", label)):
            if name not in children:
                self.reading.report((*at, key), f"a row of {given['from']!r} has no field {name!r}", f"it has {listed(children)}")
                return None
        return OptionsFrom(target.path, value, label)


def _text(value: Any) -> str:
    return value if isinstance(value, str) else str(value).lower() if isinstance(value, bool) else str(value)
