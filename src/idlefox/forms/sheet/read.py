"""Reads a form sheet (`*.form.yaml`) into the model, or reports all its errors at once.

Three passes: YAML to data (`yaml12`), validation with the JSON Schema (`check`), and data to model with every address,
expression and message checked.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ...problems import Unreadable, read_text, suggestion
from ..expressions.bind import Scope
from ..expressions.tree import FALSE, TRUE, Expression
from ..model.faults import NO_FAULTS, KnownFaults
from ..model.form import Form, Gives, Message, Path, Report
from ..model.graph import Graph
from ..model.messages import STOCK
from ..names.shapes import Shape
from .check import check, count_whole, mend
from .document import Document
from .fields import FieldReader, shape_of
from .reading import At, Reading
from .rings import report_rings
from .rules import RuleReader
from .server import ServerReader, payload_shape
from .sheet_cache import keep, known, written

if TYPE_CHECKING:
    from .over_page import PageFields


def read_sheet(file: str) -> Form:
    """The form that the sheet *file* describes. Raises Unreadable with every problem found."""
    text = read_text(file)
    document = known(file, text)
    if document is not None:
        return _form(document)
    document = _fitting(Document(file, text))
    what = written(document)
    form = _form(document)
    keep(text, what)
    return form


def read_sheet_text(text: str, file: str) -> Form:
    """The form that the sheet *text* describes; *file* is its name in messages."""
    return _form(_fitting(Document(file, text)))


def _fitting(document: Document) -> Document:
    """Validate *document* with the schema."""
    if not isinstance(document.data, dict):
        document.report((), "a sheet must be a mapping of keys", "start with `form: NAME` and `fields:`")
        raise Unreadable(document.problems)
    fits = check(document)
    if document.problems and (fits or not mend(document)):
        raise Unreadable(document.problems)
    if document.nodes.has_fractions:
        count_whole(document.data)
    return document


def _form(document: Document) -> Form:
    form = _SheetReader(document).form()
    if document.problems:
        raise Unreadable(document.problems)
    return form


class _SheetReader:
    def __init__(self, document: Document) -> None:
        self.document = document
        self.data: dict[str, Any] = document.data
        self.reading = Reading(document)
        self.reading.python = self.data.get("python", "")
        self.page: PageFields | None = None

    def form(self) -> Form:
        data, reading = self.data, self.reading
        if "page" in data:
            from .over_page import PageFields, read_page_of

            page = read_page_of(reading, data["page"])
            if page is None:
                raise Unreadable(self.document.problems)
            reading.root = page.shape
            self.page = PageFields(reading, page, data)
        else:
            reading.root.children = self._shapes(("fields",), data.get("fields", {}), ())
        for name, panel in data.get("panels", {}).items():
            if name in (reading.root.children or {}):
                reading.report(("panels", name), f"{name!r} is already the name of a field", "give the panel another name", key=True)
            shape = Shape(name, "form", (name,))
            shape.children = self._shapes(("panels", name, "fields"), panel["fields"], (name,))
            reading.panels.append(shape)
        reading.texts.update(self._texts())
        lookups = frozenset(data.get("lookups", {}))
        form = self._one((), data, reading.root, None, RuleReader(reading, lookups))
        if "live" in data:
            from .live import LiveReader

            form = form._replace(live=LiveReader(reading).live(data["live"], data.get("views", {})))
        graph = Graph(form)
        report_rings(form, graph, self.document)
        return form._replace(graph=graph)

    def _shapes(self, at: At, data: dict[str, Any], path: Path) -> dict[str, Shape]:
        return {name: shape_of(name, each, (*path, name)) for name, each in data.items()}

    def _one(self, at: At, data: dict[str, Any], shape: Shape, panel: Shape | None, rules: RuleReader) -> Form:
        """The form at *at*: the sheet's own, or a panel."""
        reading = self.reading
        fields_data = data.get("fields", {})
        fields = FieldReader(reading, rules, panel, data)
        fields.reveal_at = at
        server = ServerReader(reading, rules, panel)
        page = self.page if panel is None else None
        if page is not None:
            payload = page.payload()
        else:
            payload = payload_shape(fields_data, shape.children or {}, data.get("buttons", {}))
        views = {name: tuple(v["shows"]) for name, v in data.get("views", {}).items()}
        for name, view in views.items():
            for i, address in enumerate(view):
                reading.target(("views", name, "shows", i), address)
        return Form(
            id=data.get("form", shape.name),
            label=data.get("label", data.get("form", shape.name)),
            fields=page.fields(fields) if page is not None else fields.fields((*at, "fields"), fields_data, shape.children or {}),
            shape=shape,
            rules=rules.rules((*at, "rules"), data["rules"], shape, panel) if "rules" in data else (),
            report=reading.report_times(data, page.page.report if page is not None else Report()),
            reveal=self._reveal(at, data, panel),
            messages=data.get("messages", "one"),
            dirty=data.get("dirty", "compare"),
            lookups=server.lookups(data) if panel is None else {},
            submit=server.submit(at, data) if page is None else page.submit(server.submit(at, data)),
            buttons=server.buttons(at, data) if page is None else (),
            server=server.server(at, data, payload),
            after=server.after(at, data, views),
            views=views,
            panels=tuple(
                self._one(("panels", p.name), self.data["panels"][p.name], p, p, rules) for p in reading.panels
            ) if panel is None else (),
            panel=panel.name if panel is not None else "",
            gives=self._gives((*at, "gives"), data["gives"], shape) if "gives" in data else None,
            draft=data.get("draft", "drop"),
            faults=self._faults(data["faults"]) if "faults" in data else NO_FAULTS,
            python=data.get("python", ""),
            texts=dict(reading.texts),
            file=self.document.file,
            page=page.page.page._replace(bare=False) if page is not None else None,
        )  # fmt: skip

    def _reveal(self, at: At, data: dict[str, Any], panel: Shape | None) -> Expression:
        """The form's own reveal: bare words mean the form itself."""
        given = data.get("reveal", True)
        if isinstance(given, bool):
            return TRUE if given else FALSE
        return self.reading.expression((*at, "reveal"), given, Scope(self.reading.root, panel, bare=True))

    def _texts(self) -> dict[str, Message]:
        texts = self.data.get("texts", {})
        locale = self.data.get("locale", next(iter(texts), ""))
        if texts and locale not in texts:
            self.reading.report(("locale",), f"no texts for the locale {locale!r}", f"the locales with texts are {', '.join(texts)}")
        found: dict[str, Message] = {}
        for language, messages in texts.items():
            for name, text in messages.items():
                at: At = ("texts", language, name)
                if name not in STOCK:
                    self.reading.report(at, f"unknown rule {name!r}", suggestion(name, STOCK), key=True)
                    continue
                message = self.reading.message(at, text, frozenset({name}))
                if language == locale:
                    found[name] = message
        return found

    def _faults(self, data: dict[str, Any]) -> KnownFaults:
        given: dict[str, Any] = {}
        for name, value in data.items():
            if isinstance(value, bool):
                given[name] = value
                continue
            found = [self.reading.target(("faults", name, i), address) for i, address in enumerate(value)]
            paths = {each[0].path for each in found if each is not None}
            if name == "sends_hidden":  # and their containers
                paths |= {path[:size] for path in paths for size in range(1, len(path))}
            given[name] = frozenset(paths)
        return NO_FAULTS._replace(**given)

    def _named(self, name: str, key: str, children: dict[str, Shape]) -> str:
        return suggestion(name, children, f"name one of its fields: {key}: {' or '.join(children)}")

    def _gives(self, at: At, data: dict[str, Any], shape: Shape) -> Gives | None:
        target = self.reading.target((*at, "to"), data["to"])
        if target is None:
            return None
        if data["as"] not in ("option", "row"):
            self.reading.report((*at, "as"), f"{data['as']!r} is not one of option or row", "write as: option, or as: row")
            return None
        wanted = target[0].shape
        fits = wanted.kind == "rows" and not target[0].row if data["as"] == "row" else wanted.kind in ("select", "radio", "checkbox")
        if not fits:
            kind = "a list of rows" if data["as"] == "row" else "a choice"
            self.reading.report((*at, "to"), f"{data['to']!r} is not {kind}", f"name {kind} of the form")
        value, label = data.get("value", "value"), data.get("label", "label")
        if data["as"] == "option":
            children = shape.children or {}
            label = data.get("label", "label" if "label" in children else value)
            for key, name in (("value", value), ("label", label)):
                if name not in children:
                    here = (*at, key) if key in data else at
                    self.reading.report(here, f"the panel has no field {name!r}", self._named(name, key, children))
        return Gives(target[0].path, data["as"], value, label)
