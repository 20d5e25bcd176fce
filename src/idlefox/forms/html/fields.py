"""Turns the elements of a form into fields.

Addresses are names. Radio buttons with one name are one choice; several checkboxes with one name are one multiple choice; any
other repeated name gets a number.
"""

from __future__ import annotations

from collections import Counter
from itertools import count
from typing import Any

from ..expressions.tree import FALSE, TRUE
from ..model.form import Field, Option, Report
from ..model.messages import label_of
from ..names.addresses import parse_address
from ..names.shapes import Shape, segment_text, write_address
from ..values.colors import simple_color
from ..values.values import RepeatedValue, written
from ..values.whatwg import (
    ASCII_WHITE_SPACE,
    DATE_KINDS,
    parse_number,
    sanitise_date,
    sanitise_range,
    strip_newlines,
    tidy,
    with_ascii_domain,
)
from .elements import (
    BUTTON_TYPES,
    DIRNAME,
    LENGTHS,
    LINES,
    READONLY,
    Attributes,
    accept_of,
    given,
    integer,
    type_of,
    whole_number,
)
from .model import Control, Native, PageButton
from .rules import native_rules, required_rule, span_of, step_base
from .tree import Tree, collapsed

_ON_SUBMIT = Report("submit", "submit")
_NATIVE_AT = Field._fields.index("native")
_METHODS = {"post": "POST", "dialog": "DIALOG"}
_ENCODINGS = {"multipart/form-data": "multipart", "text/plain": "text"}


def method_of(text: str | None) -> str | None:
    """Return the request method of an attribute's *text*."""
    return None if text is None else _METHODS.get(text.lower(), "GET")


def encoding_of(text: str | None) -> str | None:
    """Return the encoding of an attribute's *text*."""
    return None if text is None else _ENCODINGS.get(text.lower(), "urlencoded")


class Element:
    """A control of the form with its context. *node* is its node of the tree.

    *attributes* does not include id and name, so that many elements can share it.
    """

    __slots__ = ("attributes", "disabled", "hidden", "id", "kind", "label", "listed", "name", "node", "value")

    def __init__(self, node: Any, attributes: Attributes, kind: str) -> None:
        self.node = node
        self.attributes = attributes
        self.kind = kind
        self.id: str = attributes.pop("id", None) or ""
        self.name: str = attributes.pop("name", None) or ""
        self.disabled = ""
        self.hidden = ""
        self.listed = False  # in a datalist
        self.label = ""
        self.value: Any = None  # of one of several


class FieldMaker:
    """Makes the fields and the elements in tree order of one form of *tree*."""

    def __init__(self, tree: Tree) -> None:
        self.tree = tree
        self.by_fieldset = tree.disabled_by_fieldset()
        self.by_page = tree.hidden_by_page()
        self.in_datalist = tree.inside("datalist", "<datalist")
        self.for_id, self.for_node = tree.label_texts()
        self.aria = "aria-" in tree.folded
        self.passed_over = tree.folded_away()
        self.tabs = "tabindex" in tree.folded or bool(self.passed_over)
        self.fields: list[Field] = []
        self.shapes: dict[str, Shape] = {}
        self.names: dict[str, str] = {}
        self.counted: set[str] = set()  # addresses of those whose names repeat
        self.elements: list[Control | PageButton] = []
        self.autofocus = -1
        self._templates: dict[Any, tuple[list[Any], list[Any], bool]] = {}

    def make(self, nodes: list[tuple[Any, Attributes]]) -> None:
        """Read *nodes*, the controls that the form owns with their attributes, in tree order."""
        found = [self._element(node, attributes) for node, attributes in nodes]
        if "autofocus" in self.tree.folded:
            able = (i for i, e in enumerate(found) if "autofocus" in e.attributes and not e.disabled and not e.hidden)
            self.autofocus = next((i for i in able if found[i].kind != "hidden"), -1)
        counts = Counter([e.name for e in found if e.kind not in BUTTON_TYPES])
        groups, entries = _groups(found, counts)
        made: dict[Any, str] = {}
        self.counted = {
            f"{segment_text(name, first=True)}[{index}]"
            for name, keys in entries.items() if len(keys) > 1 for index in range(-len(keys), len(keys))
        }  # fmt: skip
        for number, each in enumerate(found):
            if each.kind in BUTTON_TYPES:
                self.elements.append(self._button(each))
                continue
            key = _key(each, number) if groups else number
            members = groups.get(key)
            if members is None:  # a name of its own: by far the most
                name = self._single(each) if each.name else self._unnamed(each, len(self.fields))
            elif key in made:
                name = made[key]
            else:
                name = made[key] = self._one_of(each, key, members, entries[each.name])
            self.elements.append(self._control(each, name))

    def _element(self, node: Any, attributes: Attributes) -> Element:
        each = Element(node, attributes, type_of(node.tag, attributes))
        mark = node.mem_id
        if "disabled" in attributes:
            each.disabled = "it has the attribute disabled"
        elif self.by_fieldset and mark in self.by_fieldset:
            each.disabled = self.by_fieldset[mark]
        if self.by_page:
            each.hidden = self.by_page.get(mark, "")
        if self.in_datalist:
            each.listed = mark in self.in_datalist
        texts = self.for_node.get(mark)
        if each.id in self.for_id:
            texts = [*self.for_id[each.id], *(texts or ())]
        if texts:
            each.label = texts[0] if len(texts) == 1 else " ".join(t for t in texts if t)
        if self.aria:
            named = self.tree.text_of_ids(attributes.get("aria-labelledby"))
            each.label = named or (attributes.get("aria-label") or "").strip() or each.label
        return each

    # names and addresses
    def _single(self, each: Element) -> str:
        """A field whose name no other has. A name that reads as an address may be written as one: contact.email."""
        name = each.name
        address = plain = segment_text(name, first=True)
        if name in self.counted:
            # As an address, this name would mean one of several controls of another name, so it is quoted.
            return self._field(plain, plain, [each])
        if plain != name and (segments := parse_address(name)) is not None and "*" not in segments:
            address = write_address(segments)
            self.names[plain] = name
        return self._field(name, address, [each])

    def _unnamed(self, each: Element, number: int) -> str:
        name = f"#{each.id}" if each.id else f"control {number}"
        return self._field(name, segment_text(name, first=True), [each])

    def _one_of(self, each: Element, key: Any, members: list[Element], entries: list[Any]) -> str:
        """Radio buttons or checkboxes of a name, or one of several fields that have the same."""
        if len(entries) == 1:
            return self._field(each.name, segment_text(each.name, first=True), members)
        plain = segment_text(each.name, first=True)
        index = entries.index(key)
        address = f"{plain}[{index}]"
        self.names[f"{plain}[{index - len(entries)}]"] = address
        return self._field(address, address, members)

    # fields
    def _field(self, name: str, address: str, members: list[Element]) -> str:
        """Add the field *name* and return its final name, which differs if an id is repeated or is a name as well."""
        if name in self.shapes:
            name = next(other for n in count(2) if (other := f"{name} ({n})") not in self.shapes)
            address = segment_text(name, first=True)
        first = members[0]
        kind = first.kind
        if len(members) == 1 and kind != "radio":
            values, native, many = self._template(first)
        else:
            parts, own, many = self._parts(members)
            values, native = list(parts), list(own)
        path = (name,)
        values[0], values[2], values[3] = name, path, self._label(members)
        native[0], native[1], native[-2] = address, first.name, name != first.name and first.name != ""
        if self.aria:
            native[-1] = self.tree.text_of_ids(first.attributes.get("aria-describedby"))
        values[_NATIVE_AT] = tuple.__new__(Native, native)
        self.fields.append(tuple.__new__(Field, values))
        self.shapes[name] = Shape(name, kind, path, None, many)
        self.names[address] = name
        return name

    def _template(self, each: Element) -> tuple[list[Any], list[Any], bool]:
        """The field of one element but for its names and texts: the same for elements with the same attributes."""
        inner = each.node.inner_html if each.kind in ("select", "textarea") else ""
        key = (each.kind, tuple(each.attributes.items()), inner, each.disabled, each.hidden, each.listed)
        known = self._templates.get(key)
        if known is None:
            field, native, many = self._parts([each])
            known = self._templates[key] = (list(field), list(native._replace(like=len(self._templates) + 1)), many)
        return known

    def _parts(self, members: list[Element]) -> tuple[Field, Native, bool]:
        first = members[0]
        kind = first.kind
        many = kind == "checkbox" and len(members) > 1
        native = self._native(members)
        values: dict[str, Any] = {}
        if kind == "select":
            values = _select(first)
            many = "multiple" in first.attributes
        elif kind == "radio" or many:
            values = self._choice(members, many)
        elif kind == "checkbox":
            values = {"initial": "checked" in first.attributes}
            if not native.barred and "required" in first.attributes:
                values["rules"] = (required_rule(),)
        elif kind == "file":
            values = {"initial": [], "multiple": "multiple" in first.attributes, "accept": accept_of(first.attributes)}
            if not native.barred:
                values["rules"] = native_rules(kind, first.attributes)
        else:
            native, values = _text_like(first, native)
        if native.disabled:
            values["enabled"] = FALSE
        if native.fixed:
            values["readonly"] = TRUE
        return Field("", kind, (), "", report=_ON_SUBMIT, has_initial="initial" in values, **values), native, many

    def _native(self, members: list[Element]) -> Native:
        first = members[0]
        attributes = first.attributes
        disabled = first.disabled if all(e.disabled for e in members) else ""
        hidden = first.hidden if all(e.hidden for e in members) else ""
        readonly = "readonly" in attributes
        fixed = readonly and first.kind in READONLY
        barred = ""
        if first.kind == "hidden":
            barred = "it is a hidden field"
        elif disabled:
            barred = "it is disabled"
        elif readonly and first.kind != "select":
            # HTML bars every input with the attribute, even those that it does not make read-only.
            barred = "it is read-only"
        elif all(e.listed for e in members):
            barred = "it is inside a datalist"
        suggests = self._suggestions(attributes["list"] or "") if "list" in attributes else ()
        return Native("", "", "", disabled, hidden, barred, fixed, None, None, suggests)

    def _label(self, members: list[Element]) -> str:
        first = members[0]
        if len(members) > 1 or first.kind == "radio":
            legend = self.tree.legend_around(first.node)
            if legend:
                return legend
        if first.label and len(members) == 1:
            return first.label
        for name in ("title", "placeholder"):
            if len(members) == 1 and (text := collapsed(first.attributes.get(name) or "")):
                return text
        return label_of(first.name or first.id or first.kind)

    def _suggestions(self, name: str) -> tuple[str, ...]:
        """The values of the datalist that a list attribute names."""
        node = self.tree.with_id(name)
        if node is None or node.tag != "datalist":
            return ()
        found = (_option(o) for o in node.css("option"))
        return tuple(value for value, _, disabled in found if value and not disabled)

    def _choice(self, members: list[Element], many: bool) -> dict[str, Any]:
        """Radio buttons or checkboxes of one name."""
        for each, value in zip(members, _told_apart([_on(e) for e in members]), strict=True):
            each.value = value
        options = (Option(e.value, e.label or e.value, FALSE if e.disabled or e.hidden else None) for e in members)
        chosen = [e.value for e in members if "checked" in e.attributes]
        values: dict[str, Any] = {"options": tuple(options)}
        if many:
            values["initial"] = chosen
            barred = {id(e) for e in members if e.disabled or e.listed or "readonly" in e.attributes}
            needed = tuple(e.value for e in members if "required" in e.attributes and id(e) not in barred)
            if needed:
                values["rules"] = (required_rule(needed),)
            return values
        values["initial"] = chosen[-1] if chosen else None
        # HTML, "Radio Button state": one required button makes the whole group required, even if it is disabled itself.
        if any("required" in e.attributes for e in members) and not all(
            e.disabled or e.listed or "readonly" in e.attributes for e in members
        ):
            values["rules"] = (required_rule(),)
        return values

    # elements
    def _control(self, each: Element, field: str) -> Control:
        attributes, kind = each.attributes, each.kind
        value = (_on(each) if each.value is None else each.value) if kind in ("checkbox", "radio") else ""
        off = each.disabled != "" or each.listed
        if not value and type(value) is str and not off and not self.tabs and "required" not in attributes and "dirname" not in attributes:
            return Control(field, kind, each.name)
        tab = self._tab(each)
        dirname, direction = "", "ltr"
        if "dirname" in attributes and kind in DIRNAME:
            dirname = attributes["dirname"] or ""
            direction = self.tree.direction(each.node) if dirname else "ltr"
        return Control(field, kind, each.name, value, off, "required" in attributes, tab, dirname, direction)

    def _tab(self, each: Element) -> int:
        """The place in the order of Tab (HTML, "tabindex"), below 0 for none."""
        if each.node.mem_id in self.passed_over:
            return -1
        return (integer(each.attributes, "tabindex") if "tabindex" in each.attributes else None) or 0

    def _button(self, each: Element) -> PageButton:
        attributes = each.attributes
        if each.node.tag == "button":
            text = collapsed(each.node.text())
        else:
            usual = {"submit": "Submit", "reset": "Reset"}.get(each.kind, "")
            text = attributes.get("alt" if each.kind == "image" else "value", usual) or ""
        known = tuple(n for n in (each.name, f"#{each.id}" if each.id else "") if n)
        return PageButton(
            each.kind, each.name, attributes.get("value") or "", text or each.label, known, each.disabled, each.hidden, self._tab(each),
            given(attributes, "formaction"), method_of(given(attributes, "formmethod")), encoding_of(given(attributes, "formenctype")),
            "formnovalidate" in attributes,
        )  # fmt: skip


def _key(each: Element, number: int) -> Any:
    """Return the key that groups elements into a field: the name of radio buttons and checkboxes, else the element's number."""
    return (each.kind, each.name) if each.name and each.kind in ("radio", "checkbox") else number


def _groups(found: list[Element], counts: Counter[str]) -> tuple[dict[Any, list[Element]], dict[str, list[Any]]]:
    """The elements whose names are not theirs alone, by what makes them one field; and those keys by name."""
    groups: dict[Any, list[Element]] = {}
    entries: dict[str, list[Any]] = {}
    if len(counts) + counts[""] == sum(counts.values()) + ("" in counts):
        return groups, entries  # every name occurs once
    for number, each in enumerate(found):
        if each.name and counts[each.name] > 1 and each.kind not in BUTTON_TYPES:
            key = _key(each, number)
            if key not in groups:
                groups[key] = []
                entries.setdefault(each.name, []).append(key)
            groups[key].append(each)
    return groups, entries


def _on(each: Element) -> str:
    """The value a checkbox or radio button sends."""
    return each.attributes["value"] or "" if "value" in each.attributes else "on"


def _told_apart(values: list[str]) -> list[str]:
    """*values* of options: one that others before it have is another choice of the same text."""
    met: Counter[str] = Counter()
    found = []
    for value in values:
        found.append(RepeatedValue(value, met[value]) if met[value] else value)
        met[value] += 1
    return found


# selects
def _option(node: Any) -> tuple[str, str, bool]:
    """Value, label and whether it is disabled (HTML, "The option element")."""
    attributes = node.attributes
    text = collapsed(node.text())
    value = attributes["value"] or "" if "value" in attributes else text
    disabled = "disabled" in attributes
    if not disabled:
        parent = node.parent
        disabled = parent.tag == "optgroup" and "disabled" in parent.attributes
    return value, attributes.get("label") or text, disabled


def _select(each: Element) -> dict[str, Any]:
    """Return the options, those chosen at load, and the placeholder label option (HTML, "The select element")."""
    attributes = each.attributes
    nodes = each.node.css("option")
    found = [_option(o) for o in nodes]
    chosen = [i for i, o in enumerate(nodes) if "selected" in o.attributes]
    many = "multiple" in attributes
    size = whole_number(attributes, "size") or (4 if many else 1)
    options = _told_apart([value for value, _, _ in found])
    offered = tuple(Option(v, label, FALSE if off else None) for v, (_, label, off) in zip(options, found, strict=True))
    values: dict[str, Any] = {"options": offered, "multiple": many}
    if many:
        values["initial"] = [options[i] for i in chosen]
    else:
        at = chosen[-1] if chosen else -1
        if at < 0 and size == 1:
            # HTML, "selectedness setting algorithm": a drop-down shows its first enabled option.
            at = next((i for i, (_, _, disabled) in enumerate(found) if not disabled), -1)
        values["initial"] = options[at] if at >= 0 else None
    if "required" in attributes and not each.disabled and not each.listed:
        placeholder = not many and size == 1 and found and found[0][0] == "" and nodes[0].parent.tag == "select"
        values["rules"] = (required_rule("" if placeholder else True),)
    return values


# texts, numbers, dates
def _text_like(each: Element, native: Native) -> tuple[Native, dict[str, Any]]:
    """A control whose value is a text, a number or a date, sanitised as HTML says."""
    attributes, kind = each.attributes, each.kind
    # HTML, "textarea": the markup contains a raw value; the API value has each line break as one character.
    written_raw = each.node.text().replace("\r\n", "\n").replace("\r", "\n") if kind == "textarea" else attributes.get("value") or ""
    read = _number_like if kind in ("number", "range") else _line if kind in LINES else _other
    raw, native, values = read(kind, written_raw, attributes, native)
    if kind in LENGTHS and (limit := whole_number(attributes, "maxlength")) is not None:
        values["limit"] = limit
    rules = native_rules(kind, attributes) if not native.barred else ()
    if rules:
        values["rules"] = rules
    return native._replace(raw=raw), values


_Read = tuple[str, Native, dict[str, Any]]


def _line(kind: str, raw: str, attributes: Attributes, native: Native) -> _Read:
    """HTML, the value sanitization algorithms of one-line texts, of url and of email."""
    raw = strip_newlines(raw)
    if kind == "url":
        raw = raw.strip(ASCII_WHITE_SPACE)
    if kind != "email":
        return raw, native, {"initial": raw}
    several = "multiple" in attributes
    raw = ",".join(with_ascii_domain(p.strip(ASCII_WHITE_SPACE)) for p in (raw.split(",") if several else [raw]))
    return raw, native, {"multiple": several, "initial": raw}


def _number_like(kind: str, raw: str, attributes: Attributes, native: Native) -> _Read:
    if kind == "number":
        raw = raw if parse_number(raw) is not None else ""
        return raw, native._replace(base=step_base(kind, attributes)), {"initial": parse_number(raw)}
    span = span_of(attributes)
    value = sanitise_range(raw, *span)
    raw = raw if parse_number(raw) == value else written(tidy(value))
    return raw, native._replace(span=span, base=span[3]), {"initial": value}


def _other(kind: str, raw: str, attributes: Attributes, native: Native) -> _Read:
    if kind in DATE_KINDS:
        raw, native = sanitise_date(kind, raw), native._replace(base=step_base(kind, attributes))
    elif kind == "color":
        raw = simple_color(raw)
    return raw, native, {"initial": raw}
