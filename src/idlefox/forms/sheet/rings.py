"""Finds circular conditions and derived values, such as a field that is visible only if it is visible.

Afterwards the engine can rely on an evaluation order (`model.graph`).
"""

from __future__ import annotations

from ..model.form import Form, Path, written_path
from ..model.graph import INHERITED, Graph, Unit
from .document import Document


def report_rings(form: Form, graph: Graph, document: Document) -> None:
    """Note each ring of the form as a problem at the key that closes it."""
    seen: set[frozenset[Unit]] = set()
    for ring in graph.rings():
        units = frozenset(ring)
        if units in seen:
            continue
        seen.add(units)
        names = [f"{written_path(path) or 'form'} ({'value' if what == 'value' else what})" for path, what in ring]
        path, what = next(((p, w) for p, w in ring if p and w in ("value", *INHERITED)), ring[0])
        at = _document_path(form, path)
        key = {"value": "derive"}.get(what, what)
        cause = "these depend on each other in a circle: " + " ← ".join([*names, names[0]])
        document.report((*at, key), cause, "remove one of the dependencies")


def _document_path(form: Form, path: Path) -> tuple[str, ...]:
    at: tuple[str, ...] = ()
    if path and any(p.panel == path[0] for p in form.panels):
        at, path = ("panels", path[0]), path[1:]
    for name in path:
        if name != "*":
            at = (*at, "fields", name)
    return at
