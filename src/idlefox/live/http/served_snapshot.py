"""The observable state of a served page: the engine's state of its controls, combined with the server's messages; for fields of a
sheet, the elements that its map finds.
"""

from __future__ import annotations

from typing import Any

from ...forms.model.form import Field
from ...forms.model.live import LivePage
from ...forms.names.addresses import called
from ...forms.names.shapes import write_address
from ...playing.simulated import SimulatedForm
from ...playing.subject import FieldState, NotObservable
from ...refusals import Refusal
from ...script.tree import Address, Noun
from ..page.snapshot import value_of
from ..page.unseen import not_observable, silent, unseen_message, unsure_mark
from .nodes import shown_text
from .served_map import Segments, ServedMap

_OPPOSITE = {"hidden": ("visible", False), "disabled": ("enabled", False)}


class ServedSnapshot:
    """Observes the page of *there*, the map of a sheet or of the page's own form; *engine* simulates the page's form.

    *began* is the time on the clock at which the scenario began. *bubble*: a browser would now say why the focused control is
    invalid. Of a page without a form the *engine* still plays the one before.
    """

    def __init__(self, there: ServedMap, engine: SimulatedForm, began: int, *, bubble: bool = False) -> None:
        self._there, self._page, self._engine, self._began, self._bubble = there, there.page, engine, began, bubble
        self._live: LivePage = there.form.live or LivePage()
        self._of_page = there.form.page is not None

    def look(self, noun: Noun, asked: str, word: Any) -> Any:
        """Observe *noun*, as `Subject.look` describes."""
        if noun.kind == "notice":
            return self._notice(asked, word)
        if noun.kind == "errors":
            return self._errors()
        if noun.kind == "form" and asked == "shows":
            return list(self._there.look().own)
        if noun.kind == "values" and not self._of_page and self._page.form is not None:
            return self._container(self._there, (), "", "value", None)
        if noun.kind == "view" and (view := self._view()) is not None:
            return view == word if asked == "is" else view
        if noun.kind in ("dirty", "touched") and (found := self._marked(noun.kind)) is not None:
            return found
        if noun.kind != "address":
            return self._engine.look(noun, asked, word)
        assert noun.address is not None
        segments = noun.address.segments
        if self._of_page:
            segments = (called(self._there.form.shape, write_address(segments)) or segments[0],)
        return self._by_map(self._there, segments, asked, word)

    def _notice(self, asked: str, word: Any) -> Any:
        if self._live.notice is not None:
            texts = [text for node in self._page.found(self._live.notice, self._page.root) if (text := shown_text(node))]
            return (bool(texts) and word == "success") if asked == "is" else next(iter(texts), None)
        notice = next(iter(self._there.look().notices), None)
        if asked == "is":
            return notice is not None and word == {"alert": "error", "status": "success"}[notice[0]]
        return notice[1] if notice is not None else None

    def _view(self) -> str | None:
        """Return the view that the map of the sheet finds on the page, if any."""
        return next((name for name, find in self._live.views.items() if self._page.found(find, self._page.root)), None)

    def _marked(self, name: str) -> Any:
        """The fields that the page marks as dirty or touched."""
        there = [each for each in self._there.addresses() if each in self._there.look().fields]
        marks = {each: self._there.look().has_mark(each, name) for each in there}
        silent_one = next((each for each, mark in marks.items() if mark is None), None)
        if silent_one is not None:
            return silent(self._there.written(silent_one), name)
        return [self._there.written(each) for each, mark in marks.items() if mark]

    def _by_map(self, there: ServedMap, segments: Segments, asked: str, word: Any) -> Any:
        """Observe a field on the page."""
        text = there.written(segments)
        if asked == "name":
            return text
        field = there.field(segments)
        if isinstance(segments[-1], int) or (field is not None and field.kind in ("group", "rows")):
            return self._container(there, segments, text, asked, word)
        name = there.control(segments) if self._page.form is not None else None
        if name is None:
            if asked == "is" and word in ("hidden", "visible", "marked", "focused"):
                return word == "hidden"
            if asked == "shows":
                return []
            why = f"no control on the page has that name or label; locate it with live.find.{text}"
            return NotObservable(Refusal("unseen", text, facts={"why": why}), there=True)
        if asked == "is" and word in ("dirty", "clean", "touched", "not touched"):
            return self._by_mark(there, segments, text, word)
        return self._control(there, segments, Noun("address", Address((name,))), asked, word)

    def _control(self, there: ServedMap, segments: Segments, control: Noun, asked: str, word: Any) -> Any:
        """Observe the *control* of a field of the sheet."""
        text, facts, said = there.written(segments), there.facts(segments), there.messages(segments)
        seen = self._by_browser(control, asked, word)
        if asked == "value":
            return self._value(there.field(segments), control, seen)
        if asked == "is" and word in ("required", "optional") and facts["required"]:
            return word == "required"
        if asked == "is" and word == "marked" and not seen and (classes := facts["unseen"].get("marked")):
            return unsure_mark(text, classes)
        if asked == "shows" and not said and not seen and (unseen := unseen_message(text, facts)) is not None:
            return unseen
        if asked == "is" and word == "marked" and not there.is_native(segments):
            seen = False
        seen = _with_markup(seen, asked, word, said, facts["marked"])
        return seen._replace(address=text) if isinstance(seen, FieldState) else seen

    def _value(self, field: Field | None, control: Noun, seen: Any) -> Any:
        """The value of the page's control, as the sheet's field would have it."""
        if field is None or isinstance(seen, bool):
            return seen
        raw = self._engine.look(control, "reads") if isinstance(seen, int | float) else seen
        return value_of(field, {"value": raw})

    def _by_mark(self, there: ServedMap, segments: Segments, text: str, word: str) -> Any:
        """Return whether the page marks a field as dirty or touched. The steps of the scenario do not count."""
        name, wanted = {"clean": ("dirty", False), "not touched": ("touched", False)}.get(word, (word, True))
        marked = there.look().has_mark(segments, name)
        return silent(text, name) if marked is None else marked is wanted

    def _container(self, there: ServedMap, segments: Segments, text: str, asked: str, word: Any) -> Any:
        """Observe a group, list or row on the page."""
        here = self._page.form is not None
        inside = [each for each in there.addresses() if each[: len(segments)] == segments and each != segments] if here else []
        if asked == "is":
            return self._container_is(there, segments, inside, word)
        if asked == "rows":
            return there.count(segments) if here else 0
        if asked == "shows":
            return there.messages(segments) if here else []
        if asked == "value":
            fields = (each for each in inside if there.control(each) is not None)
            return _nested(segments, [(each, self._by_map(there, each, "value", None)) for each in fields])
        if asked == "allows" and word in ("add", "remove"):
            last = (*segments, there.count(segments) - 1)
            button = there.add_button(segments) if word == "add" else there.remove_button(last)
            return None if button is not None else Refusal("no row button", text, word)
        if asked == "state":
            shows = tuple(there.messages(segments)) if here else ()
            ms = self._engine.session.live.now - self._began
            return FieldState(text, "rows", None, None, there.count(segments), (), (), shows, ms, 0)
        return self._not_of_group(text)

    def _not_of_group(self, text: str) -> NotObservable:
        return not_observable(text, "a page drawn by a server does not show that for a group of fields; check the fields in it")

    def _container_is(self, there: ServedMap, segments: Segments, inside: list[Segments], word: str) -> Any:
        """Whether a group, list or row is *word*, by its element and the controls in it."""
        box = there.group(segments) if self._page.form is not None else None
        name, wanted = _OPPOSITE.get(word, (word, True))
        if name == "visible":
            return bool(inside or box is not None) == wanted
        if name == "marked":
            return box is not None and there.look().is_marked_box(segments, box)
        if name == "asking":
            return False
        if name in ("enabled", "focused"):
            leaves = [each for each in inside if there.control(each) is not None]
            return any(self._by_map(there, each, "is", name) is True for each in leaves) == wanted
        return self._not_of_group(write_address(segments))

    def _errors(self) -> Any:
        there = self._there
        found = {"": list(there.look().own)} if there.look().own else {}
        for segments in there.addresses() if self._page.form is not None else ():
            texts = self._by_map(there, segments, "shows", None)
            if isinstance(texts, NotObservable):
                return texts
            if texts:
                found[there.written(segments)] = list(texts)
        return found

    def _by_browser(self, control: Noun, asked: str, word: Any) -> Any:
        """Observe a *control* as a browser would show it: its only message is the one in the bubble."""
        seen = self._engine.look(control, asked, word)
        if asked not in ("shows", "state") or (self._bubble and self._engine.look(control, "is", "focused") is True):
            return seen
        return [] if asked == "shows" else seen._replace(shows=()) if isinstance(seen, FieldState) else seen


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
