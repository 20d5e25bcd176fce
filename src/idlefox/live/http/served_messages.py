"""The messages and marks of a served page, by field: by ARIA, by the sheet's locators, and by their places.

The page in a browser is read by the same rules (`live/page/agent/messages.js`); a test compares the two on generated pages.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from ...forms.html.nodes import selected
from ...forms.model.form import Field
from ...forms.model.live import ANY, WHOLE, FieldLocators, Find, LivePage
from ...forms.names.shapes import write_address
from ...records import NamedTuple
from ..page.message_patterns import CALM, is_count
from .nodes import above, bare, holds, is_shown, is_true, own_text, shown_text
from .served_page import ServedPage, role_of

Segments = tuple[Any, ...]
_ALERTS = "[role=alert],[aria-live=assertive]"
_LOUD = f"{_ALERTS},[aria-live=polite]"
_SETS = "fieldset,[role=radiogroup],[role=group]"
_QUIET = "[role=status],[role=log],[aria-live=polite]"
_NOTICES = "[role=status],[role=alert],[role=log],dialog[open],[role=alertdialog],[aria-live]"
_NO_MESSAGE = (
    "button,option,select,textarea,script,style,template,title,datalist,[role=button],[role=alert],[role=status],output,"
    "dialog,[role=dialog],h1,h2,h3"
)
_calm = re.compile(CALM, re.IGNORECASE)


class FirstLook(NamedTuple):
    """What the first page of a scenario had: descriptions, quiet live regions, and by address the texts and classes of each
    field's part of the page.

    *uses_invalid*: whether a page of the scenario has said ``aria-invalid`` so far.
    """

    descriptions: frozenset[str] = frozenset()
    quiet: frozenset[str] = frozenset()
    texts: Mapping[str, frozenset[str]] = {}
    classes: Mapping[str, frozenset[str]] = {}
    uses_invalid: bool = False


class ServedMessages:
    """What *there*, a map of a form on a page, shows. *first* is the scenario's first page; None: this is the first."""

    def __init__(self, there: Any, first: FirstLook | None) -> None:
        self._map, self._first = there, first
        self._page: ServedPage = there.page
        self._live: LivePage = there.form.live or LivePage()
        self._general = self._live.find.get(ANY, FieldLocators())
        self._whole = self._live.find.get(WHOLE, FieldLocators())
        self._of_page = there.form.page is not None  # no sheet tells which texts are messages
        self._here = self._page.form is not None
        self._scope = next(iter(self._page.form_nodes()), self._page.root)
        self._claimed: set[int] = set()
        self._order = {node.mem_id: i for i, node in enumerate(self._page.root.css("*"))}
        self._followed: set[tuple[int, str]] = set()  # the links that lead to a field or a group
        self._links = list(self._summary_links())
        described = (node.attributes["aria-describedby"] for node in self._described_nodes())
        self._describing = {each.mem_id for ids in described for each in self._page.referred(ids)}
        self.fields: dict[Segments, dict[str, Any]] = {}
        self.groups: dict[Segments, list[str]] = {}
        self.own: list[str] = []
        self.texts: dict[str, frozenset[str]] = {}
        self.classes: dict[str, frozenset[str]] = {}
        uses_invalid = any(node.attributes.get("aria-invalid") for node in self._page.root.css("[aria-invalid]"))
        self.uses_invalid = uses_invalid or (first is not None and first.uses_invalid)
        addresses = list(there.addresses()) if self._here else []
        found = ((each, self._page.controls(there.control(each))) for each in addresses)
        self._controls: dict[Segments, list[Any]] = {each: nodes for each, nodes in found if nodes}
        self._owners = self._owned()
        if self._here:
            self._read(addresses)
        self.notices = list(self._notices())

    def _read(self, addresses: list[Segments]) -> None:
        for segments in self._controls:
            self.fields[segments] = self._field(segments)
        containers = [each for each in self._with_rows(addresses) if each not in self._controls]
        for segments in sorted(containers, key=len, reverse=True):  # inner ones first: an alert belongs to the nearest
            self.groups[segments] = self._group(segments)
        self.own = self._own()
        self._by_place()

    def first_look(self) -> FirstLook:
        """Return what later pages are compared with."""
        described = [node for node in self._described_nodes() if not is_true(node, "aria-invalid")]
        texts = (shown_text(each) for node in described for each in self._page.referred(node.attributes["aria-describedby"]))
        quiet = frozenset(filter(None, map(shown_text, selected(self._page.root, _QUIET))))
        return FirstLook(frozenset(texts), quiet, self.texts, self.classes, self.uses_invalid)

    def _described_nodes(self) -> list[Any]:
        return selected(self._page.root, "[aria-describedby]")

    # the part of the page that belongs to one field alone
    def _owned(self) -> dict[int, Any]:
        """For each element, the address of the only field in it, or None where there are several."""
        found: dict[int, Any] = {}
        known = {node.mem_id: segments for segments, nodes in self._controls.items() for node in nodes}
        for node in self._page.all_controls():
            owner = known.get(node.mem_id, node.mem_id)
            while node is not None:
                found[node.mem_id] = owner if found.get(node.mem_id, owner) == owner else None
                node = above(node)
        return found

    def _part(self, segments: Segments) -> Any:
        """The greatest part of the page with no other field's control in it; None if there is none."""
        control = self._controls[segments][0]
        around = self._place(segments).around or self._general.around
        given = self._page.closest(control, around) if around else None
        if given is not None:
            return given
        box, node = None, control
        while node is not None and node.mem_id != self._scope.mem_id and node.tag not in ("body", "html"):
            if self._owners.get(node.mem_id) != segments:
                break
            box, node = node, above(node)
        return box

    def _place(self, segments: Segments) -> FieldLocators:
        found: FieldLocators = self._map.place(segments)
        return found

    def _with_rows(self, addresses: list[Segments]) -> Iterator[Segments]:
        for segments in addresses:
            yield segments
            for row in range(self._map.count(segments) if segments not in self._controls else 0):
                yield (*segments, row)

    # a field
    def _field(self, segments: Segments) -> dict[str, Any]:
        place, nodes, part = self._place(segments), self._controls[segments], self._part(segments)
        groups = self._groups_around(nodes, part)
        by_map = place.marked or self._general.marked
        marked = any(is_true(each, "aria-invalid") for each in (*groups, *nodes))
        marked = marked or (by_map is not None and self._is_marked(segments, by_map, part))
        shows = list(dict.fromkeys(self._shown(segments, place, [*groups, *nodes], part, marked=marked)))
        fresh, classes = self._fresh(segments, self._texts_in(segments, part)), self._fresh_classes(segments, part)
        if place.shows is None and not shows:
            for text, node in fresh:
                if marked or self._map.is_said(segments, text) or (self._of_page and classes):
                    shows.append(text)
                    self._claimed.add(node.mem_id)
        unseen: dict[str, Any] = {}
        if not marked and by_map is None and not self.uses_invalid and classes:
            unseen["marked"] = classes
        if not shows and place.shows is None and self._general.shows is None:
            if marked and not self._map.is_native(segments):
                unseen["shows"] = {"why": "marked", "texts": [text for text, _ in fresh]}
            elif fresh and not self._of_page:
                unseen["shows"] = {"why": "text", "texts": [text for text, _ in fresh], "at": _selector(fresh[0][1])}
        required = any(is_true(each, "aria-required") for each in (*groups, *nodes))
        return {"shows": shows, "marked": marked, "unseen": unseen, "required": required}

    def _groups_around(self, nodes: list[Any], part: Any) -> list[Any]:
        """The groups that hold a set of radio buttons or checkboxes, and no other field."""
        found: list[Any] = []
        if len(nodes) < 2 and (nodes[0].attributes.get("type") or "").lower() not in ("radio", "checkbox"):
            return found
        node = above(nodes[0])
        while node is not None and part is not None and holds(part, node):
            if self._page.matches(node, _SETS):
                found.append(node)
            node = above(node)
        nearest = self._page.closest(nodes[0], _SETS) if len(nodes) > 1 else None
        return found if nearest is None or any(each.mem_id == nearest.mem_id for each in found) else [nearest, *found]

    def _shown(self, segments: Segments, place: FieldLocators, holders: list[Any], part: Any, *, marked: bool) -> Iterator[str]:
        """The messages of a field by the map, by ARIA, by alerts in its part of the page, and by the links of a summary."""
        if place.shows is not None:
            row = self._map.row(segments)
            inside = self._page.found(place.shows, row if row is not None else self._scope)
            yield from self._take(inside or ([] if row is not None else self._page.found(place.shows, self._page.root)))
            return
        for holder in holders:
            yield from self._described(holder, wrong=marked)
        if self._general.shows is not None and part is not None:
            yield from self._take(self._page.found(self._general.shows, part))
        of_groups = [self._map.as_said(segments[:i], text) for i in range(1, len(segments)) for text in self._of_group(segments[:i])]
        nodes = self._controls[segments]
        yield from (text for text in self._linked(lambda target: _leads_to(target, nodes)) if text not in of_groups)
        if part is not None:
            yield from self._alerts(part)

    def _described(self, holder: Any, *, wrong: bool = False) -> Iterator[str]:
        """The messages that ARIA joins to a control or a group; *wrong*: it is marked."""
        wrong = wrong or is_true(holder, "aria-invalid")
        for node in self._page.referred(holder.attributes.get("aria-errormessage")) if wrong else ():
            yield from self._take([node])
        for node in self._page.referred(holder.attributes.get("aria-describedby")):
            loud, text = self._page.closest(node, _LOUD) is not None, shown_text(node)
            if self._page.closest(node, "[role=status],output") is None and (
                loud or (wrong if self._first is None else text not in self._first.descriptions)
            ):
                yield from self._take([node])

    def _linked(self, leads_there: Callable[[Any], bool]) -> list[str]:
        """The texts of the summaries' links whose target *leads_there*."""
        found = [(target.mem_id, text) for target, text in self._links if target is not None and leads_there(target)]
        self._followed.update(found)
        return [text for _, text in found]

    def _take(self, nodes: list[Any]) -> Iterator[str]:
        for node in nodes:
            self._claimed.add(node.mem_id)
            yield from messages_in(node)

    def _alerts(self, box: Any) -> Iterator[str]:
        for alert in selected(box, _ALERTS):
            if not self._is_claimed(alert):
                self._claimed.add(alert.mem_id)
                yield from messages_in(alert)

    def _is_claimed(self, node: Any) -> bool:
        return any(each.mem_id in self._claimed for each in node.css("*")) or self._is_inside_claimed(node)

    def _is_inside_claimed(self, node: Any) -> bool:
        while node is not None:
            if node.mem_id in self._claimed:
                return True
            node = above(node)
        return False

    def _is_marked(self, segments: Segments, mark: Find, part: Any) -> bool:
        """A mark by the map: on the control, in it, or on an element around it alone."""
        if not mark.css:
            row = self._map.row(segments)
            return bool(self._page.found(mark, row if row is not None else self._page.root))
        return any(self._page.matches(node, mark.css) for control in self._controls[segments] for node in _up_to(control, part))

    def is_marked_box(self, segments: Segments, box: Any) -> bool:
        """Return whether *box*, the element of a group, list or row, is marked: by ARIA, or by the map."""
        by_map = self._place(segments).marked or self._general.marked
        if by_map is not None and by_map.css and self._page.matches(box, by_map.css):
            return True
        return is_true(box, "aria-invalid")

    def complains(self) -> bool:
        """Return whether the page shows a message or a mark anywhere in the form."""
        return bool(self.own or any(self.groups.values()) or any(each["shows"] or each["marked"] for each in self.fields.values()))

    def has_mark(self, segments: Segments, name: str) -> bool | None:
        """Return whether the page marks the field as *name* (dirty, touched); None if the sheet does not name that mark."""
        mark = getattr(self._place(segments), name) or getattr(self._general, name)
        return self._is_marked(segments, mark, self._part(segments)) if mark is not None else None

    # what has come since the first page
    def _texts_in(self, segments: Segments, part: Any) -> list[tuple[str, Any]]:
        """The texts in the field's own part of the page, without its label and its options."""
        if part is None:
            return []
        label = bare(self._map.field(segments).label)
        found: dict[str, Any] = {}
        for node in part.css("*"):
            direct = own_text(node)
            if not re.search(r"[^\W_]", direct) or self._page.closest(node, _NO_MESSAGE) is not None or not is_shown(node):
                continue
            if self._page.closest(node, "label,legend") is not None and bare(direct) == label:
                continue
            hint = node.mem_id in self._describing if self._first is None else direct in self._first.descriptions
            if hint or self._is_inside_claimed(node):
                continue
            found.setdefault(direct, node)
        return list(found.items())

    def _fresh(self, segments: Segments, texts: list[tuple[str, Any]]) -> list[tuple[str, Any]]:
        key = _any_row(segments)
        self.texts[key] = frozenset([bare(self._map.field(segments).label), *(text for text, _ in texts)])
        if self._first is None:
            return []
        known = self._first.texts.get(key, self.texts[key] if self._first.texts else frozenset())
        counters = {re.sub(r"\d+", "#", text) for text in known}
        field: Field = self._map.field(segments)
        offered = {option.label for option in field.options} if isinstance(field.options, tuple) else set()
        return [
            (text, node)
            for text, node in texts
            if text not in known and bare(text) not in known and not (re.search(r"\d", text) and re.sub(r"\d+", "#", text) in counters)
            and text not in offered and not is_count(text, None)
        ]  # fmt: skip

    def _fresh_classes(self, segments: Segments, part: Any) -> list[str]:
        key = _any_row(segments)
        found = [name for node in _up_to(self._controls[segments][0], part) for name in (node.attributes.get("class") or "").split()]
        self.classes[key] = frozenset(found)
        if self._first is None:
            return []
        known = self._first.classes.get(key, self.classes[key])
        return [name for name in dict.fromkeys(found) if name not in known and not _calm.search(name)]

    # groups and the form itself
    def _of_group(self, segments: Segments) -> list[str]:
        """The messages of a group by the map or by ARIA."""
        place, box = self._place(segments), self._map.group(segments)
        if place.shows is not None:
            return [text for node in self._page.found(place.shows, self._page.root) for text in messages_in(node)]
        return list(self._described(box)) if box is not None else []

    def _group(self, segments: Segments) -> list[str]:
        place, box = self._place(segments), self._map.group(segments)
        if place.shows is not None:
            return list(dict.fromkeys(self._take(self._page.found(place.shows, self._page.root))))
        if box is None:
            return []
        linked = self._linked(lambda target: target.mem_id == box.mem_id)
        return list(dict.fromkeys([*self._described(box), *linked, *self._alerts(box)]))

    def _summary_links(self) -> Iterator[tuple[Any, str]]:
        """The links of error summaries: the element that each leads to, and its text. The summaries are no messages themselves."""
        if self._live.summary is not None:
            boxes = self._page.found(self._live.summary, self._page.root)
        else:
            nodes = selected(self._page.root, "[role=alert],[role=alertdialog],[tabindex='-1']")
            boxes = [node for node in nodes if node.tag not in ("input", "button", "a")]
        for box in boxes:
            for link in box.css("a[href^='#']"):
                target = self._page.by_id((link.attributes.get("href") or "")[1:])
                if is_shown(link):
                    self._claimed.add(box.mem_id)
                    yield target, shown_text(link)

    def _own(self) -> list[str]:
        if self._whole.shows is not None:
            return list(dict.fromkeys(self._take(self._page.found(self._whole.shows, self._page.root))))
        known = {text for each in (*self._controls, *self.groups) for text in self._map.messages_of(self, each)}
        unfollowed = [
            text for target, text in self._links if (target is None or (target.mem_id, text) not in self._followed) and text not in known
        ]  # fmt: skip
        return list(dict.fromkeys([*unfollowed, *self._alerts(self._scope)]))

    def _notices(self) -> Iterator[tuple[str, str]]:
        """The notices: their roles and texts. What was there at load is none, nor is a status in the form that the sheet does not know."""
        known = self._map.notice_texts()
        for node in selected(self._page.root, _NOTICES):
            role, text = role_of(node), shown_text(node)
            if not text or node.tag == "output" or self._is_claimed(node) or not is_shown(node):
                continue
            inside = self._here and holds(self._scope, node)
            quiet = role != "alert" and self._first is not None and text in self._first.quiet
            if text in known or not (inside or quiet or self._first is None):
                yield ("alert" if role in ("alert", "alertdialog") else "status", text)

    # by place
    def _by_place(self) -> None:
        """Visible texts that are messages of the sheet, and that no other source has claimed."""
        for node in self._scope.css("*"):
            direct = own_text(node)
            if not direct or node.tag in ("label", "form") or self._page.closest(node, f"{_NO_MESSAGE},legend") is not None:
                continue
            if self._is_inside_claimed(node) or not is_shown(node):
                continue
            said = next((text for text in (shown_text(node), direct) if self._map.is_known(text)), None)
            if said is None:
                continue
            self._claimed.add(node.mem_id)
            shows = self._nearest(node, said)
            if said not in shows:
                shows.append(said)

    def _nearest(self, node: Any, said: str) -> list[str]:
        """The messages of the field that *node* is next to, of the group around it, or of the form itself."""
        for segments in self._next_to(node):
            if self._map.is_said(segments, said):
                shows: list[str] = self.fields[segments]["shows"]
                return shows
        around = [each for each in self.groups if self._map.is_said(each, said)]
        boxes = [each for each in around if (box := self._map.group(each)) is not None and holds(box, node)]
        at = max(boxes, key=len, default=around[0] if len(around) == 1 else None)
        return self.groups[at] if at is not None else self.own

    def _next_to(self, node: Any) -> list[Segments]:
        """The field that is alone with *node* in the smallest part of the page with a control, else those before and after it."""
        owners: dict[int, Segments | None] = {control.mem_id: None for control in self._page.all_controls()}
        owners |= {control.mem_id: segments for segments, nodes in self._controls.items() for control in nodes}
        child, box = node, above(node)
        while box is not None:
            controls = [each for each in box.css("input,select,textarea") if each.mem_id in owners]
            inside = {owners[each.mem_id] for each in controls}
            if len(inside) == 1:
                return [each for each in inside if each is not None]
            if inside:
                beside = [each for each in controls if _is_child(each, box)]
                at = self._order[child.mem_id]
                before = [owners[each.mem_id] for each in beside if self._order[each.mem_id] < at][-1:]
                after = [owners[each.mem_id] for each in beside if self._order[each.mem_id] > at][:1]
                return [each for each in (*before, *after) if each is not None]
            if box.mem_id == self._scope.mem_id:
                break
            child, box = box, above(box)
        return []


def messages_in(node: Any) -> list[str]:
    """The texts of a message: its list items or paragraphs, else all of it."""
    if not shown_text(node) or not is_shown(node):
        return []
    children = [each for each in node.iter() if each.tag != "-text"]
    parts = selected(node, "li") or (children if len(children) > 1 and all(each.tag in ("p", "div") for each in children) else [node])
    return [text for part in parts if is_shown(part) and (text := shown_text(part))]


def _leads_to(target: Any, nodes: list[Any]) -> bool:
    """Return whether a link to *target* leads to the field with these controls."""
    ident = target.attributes.get("id")
    if any(node.mem_id == target.mem_id or node.attributes.get("name") == ident for node in nodes):
        return True
    return len(nodes) > 1 and target.tag != "form" and any(holds(target, node) for node in nodes)


def _up_to(control: Any, part: Any) -> Iterator[Any]:
    """*control* and the elements around it, up to *part*; without a part, the control alone."""
    node = control
    while node is not None:
        yield node
        node = above(node) if part is not None and node.mem_id != part.mem_id else None


def _is_child(control: Any, box: Any) -> bool:
    parent = above(control)
    if parent is not None and parent.tag == "label" and parent.mem_id != box.mem_id:
        parent = above(parent)
    return parent is not None and parent.mem_id == box.mem_id


def _any_row(segments: Segments) -> str:
    return write_address(tuple("*" if isinstance(s, int) else s for s in segments))


def _selector(node: Any) -> str:
    """A selector that a person would write for *node*."""
    names = [each for each in (node.attributes.get("class") or "").split() if re.fullmatch(r"[a-zA-Z][\w-]*", each)]
    ident = node.attributes.get("id") or ""
    return f".{names[0]}" if names else f"#{ident}" if ident and not re.search(r"\d{2,}|^:", ident) else str(node.tag)
