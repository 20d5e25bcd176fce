"""The observable state of a served page: the engine's state of its controls, combined with the server's messages; for fields of a
sheet, the elements that its map finds.
"""

from __future__ import annotations

from typing import Any

from ...forms.names.addresses import called
from ...forms.names.shapes import write_address
from ...playing.simulated import SimulatedForm
from ...playing.subject import FieldState, NotObservable
from ...refusals import Refusal
from ...script.tree import Address, Noun
from .served_map import Segments, ServedMap
from .served_page import ServedPage


class ServedSnapshot:
    """Observes *page*, which *engine* simulates. *map* locates a sheet's fields; None if scripts use the page's names.

    *began* is the time on the clock at which the scenario began. Of a page without a form the *engine* still plays the one before.
    """

    def __init__(self, page: ServedPage, engine: SimulatedForm, served_map: ServedMap | None, began: int, live: Any = None) -> None:
        self._page, self._engine, self._map, self._began = page, engine, served_map, began
        self._live = served_map.form.live if served_map is not None else live

    def look(self, noun: Noun, asked: str, word: Any) -> Any:
        """Observe *noun*, as `Subject.look` describes."""
        if noun.kind == "notice":
            return self._notice(asked, word)
        if noun.kind == "errors":
            return self._errors()
        if noun.kind == "values" and self._map is not None and self._page.form is not None:
            return self._container(self._map, (), "", "value", None)
        if noun.kind == "view" and (view := self._view()) is not None:
            return view == word if asked == "is" else view
        if noun.kind != "address":
            return self._engine.look(noun, asked, word)
        assert noun.address is not None
        if self._map is None:
            return self._at(noun.address.segments, asked, word)
        return self._by_map(self._map, noun.address.segments, asked, word)

    def _notice(self, asked: str, word: Any) -> Any:
        live = self._live
        if live is not None and live.notice is not None:
            texts = [text for node in self._page.found(live.notice, self._page.root) if (text := self._page.text_of(node))]
            return (bool(texts) and word == "success") if asked == "is" else next(iter(texts), None)
        notice = self._page.notices[0] if self._page.notices else None
        if asked == "is":
            return notice is not None and word == {"alert": "error", "status": "success"}[notice[0]]
        return notice[1] if notice is not None else None

    def _view(self) -> str | None:
        """Return the view that the map of the sheet finds on the page, if any."""
        views = self._live.views.items() if self._live is not None else ()
        return next((name for name, find in views if self._page.found(find, self._page.root)), None)

    def _at(self, segments: Segments, asked: str, word: Any) -> Any:
        """Combine the state of the page's form with the server's messages."""
        name = called(self._page.form.shape, write_address(segments)) if self._page.form is not None else None
        said = self._page.messages.get(name or write_address(segments), [])
        marked = (name or write_address(segments)) in self._page.marked
        return _with_markup(self._engine.look(Noun("address", Address(segments)), asked, word), asked, word, said, marked)

    def _by_map(self, there: ServedMap, segments: Segments, asked: str, word: Any) -> Any:
        """Observe a field of the sheet on the page."""
        text = write_address(segments)
        if asked == "name":
            return text
        field = there.field(segments)
        if isinstance(segments[-1], int) or (field is not None and field.kind in ("group", "rows")):
            return self._container(there, segments, text, asked, word)
        name = there.control(segments) if self._page.form is not None else None
        if name is None:
            if asked == "is" and word in ("hidden", "visible"):
                return word == "hidden"
            if asked == "shows":
                return []
            why = f"no control on the page has that name or label; locate it with live.find.{text}"
            return NotObservable(Refusal("unseen", text, facts={"why": why}), there=True)
        seen = self._engine.look(Noun("address", Address((name,))), asked, word)
        if asked == "is" and word in ("required", "optional") and there.required(segments):
            return word == "required"
        seen = _with_markup(seen, asked, word, there.messages(segments), there.marked(segments))
        return seen._replace(address=text) if isinstance(seen, FieldState) else seen

    def _container(self, there: ServedMap, segments: Segments, text: str, asked: str, word: Any) -> Any:
        """Observe a group, list or row on the page."""
        here = self._page.form is not None
        inside = [each for each in there.addresses() if each[: len(segments)] == segments and each != segments] if here else []
        if asked == "rows":
            return there.count(segments) if here else 0
        if asked == "shows":
            return there.messages(segments) if here else []
        if asked == "value":
            fields = (each for each in inside if there.control(each) is not None)
            return _nested(segments, [(each, self._by_map(there, each, "value", None)) for each in fields])
        if asked == "is" and word in ("visible", "hidden"):
            return bool(inside or (here and there.group(segments) is not None)) == (word == "visible")
        if asked == "allows" and word in ("add", "remove"):
            last = (*segments, there.count(segments) - 1)
            button = there.add_button(segments) if word == "add" else there.remove_button(last)
            return None if button is not None else Refusal("no row button", text, word)
        if asked == "state":
            shows = tuple(there.messages(segments)) if here else ()
            ms = self._engine.session.live.now - self._began
            return FieldState(text, "rows", None, None, there.count(segments), (), (), shows, ms, 0)
        why = "a page drawn by a server does not show that for a group of fields; check the fields in it"
        return NotObservable(Refusal("unseen", text, facts={"why": why}), there=True)

    def _errors(self) -> dict[str, list[str]]:
        found = {"": list(self._page.own)} if self._page.own else {}
        if self._map is not None and self._page.form is not None:
            for segments in self._map.addresses():
                texts = self._by_map(self._map, segments, "shows", None)
                if texts:
                    found[write_address(segments)] = list(texts)
            return found
        found |= {name: list(texts) for name, texts in self._page.messages.items()}
        for name, texts in self._engine.look(Noun("errors"), "value").items():
            found.setdefault(name, []).extend(each for each in texts if each not in found[name])
        return found


def _with_markup(seen: Any, asked: str, word: Any, said: list[str], marked: bool) -> Any:
    """Combine the engine's state of a control, *seen*, with the server's messages *said* and its mark *marked*."""
    if asked == "shows":
        return [*said, *(each for each in seen if each not in said)]
    if asked == "is" and word == "marked":
        return seen or marked
    if asked == "state" and isinstance(seen, FieldState):
        return seen._replace(shows=(*said, *(each for each in seen.shows if each not in said)))
    return seen


def _nested(above: Segments, found: list[tuple[Segments, Any]]) -> Any:
    """The values at addresses below *above*, as objects and lists."""
    at: dict[Any, list[tuple[Segments, Any]]] = {}
    for segments, value in found:
        if segments == above:
            return value
        at.setdefault(segments[len(above)], []).append((segments, value))
    inner = {name: _nested((*above, name), parts) for name, parts in at.items()}
    return [inner[n] for n in sorted(inner)] if inner and all(isinstance(n, int) for n in inner) else inner
