"""YAML 1.2 core documents as plain data, with the position of every part.

libyaml composes the nodes, which carry their marks; this module resolves plain scalars by YAML 1.2's core schema (PyYAML alone
would read `no` as false and 0123 as octal) and finds positions when a message needs one.
"""

from __future__ import annotations

import re
from typing import Any

import yaml
from yaml.composer import Composer
from yaml.cyaml import CParser  # type: ignore[attr-defined]
from yaml.nodes import MappingNode, Node, ScalarNode, SequenceNode
from yaml.resolver import BaseResolver

from ...problems import Place, Problem, Unreadable, line_of

_DEEPEST, _ENDLESS = 200, 5_000
_MOST_COPIED = 50_000  # parts repeated by aliases, read as if written out
_PLAIN = "plain"
_CORE = "tag:yaml.org,2002:"
_STR = _CORE + "str"
# YAML 1.2.2, 10.3.2 "Tag Resolution" of the core schema.
_CONSTANTS: dict[str, Any] = {
    "": None, "~": None, "null": None, "Null": None, "NULL": None,
    "true": True, "True": True, "TRUE": True, "false": False, "False": False, "FALSE": False,
    ".inf": float("inf"), ".Inf": float("inf"), ".INF": float("inf"), "+.inf": float("inf"), "-.inf": float("-inf"),
    ".nan": float("nan"), ".NaN": float("nan"), ".NAN": float("nan"),
}  # fmt: skip
_INT = re.compile(r"[-+]?[0-9]+")
_HEX = re.compile(r"0x[0-9a-fA-F]+")
_OCT = re.compile(r"0o[0-7]+")
_FLOAT = re.compile(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?")
_BRACKET, _BETWEEN = re.compile(r"[\[\]{}]"), bytes(set(range(256)).difference(b"[]{}"))
_DASHES = re.compile(rf"(?:[-?] ){{{_ENDLESS}}}")
_NUMERIC = frozenset("-+.0123456789")


class _Loader(CParser, Composer, BaseResolver):  # type: ignore[misc]
    """libyaml's parser and PyYAML's composer; the resolver only notes which scalars were plain."""

    def __init__(self, stream: str) -> None:
        CParser.__init__(self, stream)
        Composer.__init__(self)
        BaseResolver.__init__(self)

    def resolve(self, kind: Any, value: Any, implicit: Any) -> str:
        if kind is ScalarNode:
            return _PLAIN if implicit[0] else _STR
        return _CORE + ("seq" if kind is SequenceNode else "map")

    # The composer calls these at every node, for path resolvers, which are unused here.
    def descend_resolver(self, current_node: Any, current_index: Any) -> None:
        return None

    def ascend_resolver(self) -> None:
        return None


class Nodes:
    """The nodes of a YAML document: its *data*, the *lines* of its mappings by identity, and the position of every part."""

    def __init__(self, file: str, text: str) -> None:
        self.file = file
        self.text = text
        self.problems: list[Problem] = []
        self._root = self._compose()
        self.has_fractions = False  # whether a number is written with a point or an exponent
        self._anchors = "&" in text
        self._size = self._copied = 0
        self._made: dict[int, Any] = {}
        self.lines: dict[int, int] = {}
        self.data = self._value(self._root, 0)

    def _compose(self) -> Node:
        # libyaml and the composer recurse in C: what nests too deep is found before it can overflow the stack; what nests deeper
        # than any sheet is not even given to them.
        brackets = _nesting(self.text)
        if (place := _far_too_deep(self.file, self.text, brackets)) is not None:
            raise Unreadable([self._problem(place, f"nested deeper than {_DEEPEST}", "flatten the sheet")])
        if brackets > _DEEPEST or _may_be_deep(self.text):
            self._check_depth()
        try:
            loader = _Loader(self.text)
            root = loader.get_single_node()
        except yaml.MarkedYAMLError as fault:
            raise Unreadable([self._slip(fault)]) from None
        except (yaml.YAMLError, RecursionError) as fault:
            place = Place(self.file, 1, 1)
            position = getattr(fault, "position", None)
            if isinstance(position, int):
                line = self.text.count("\n", 0, position)
                place = Place(self.file, line + 1, 1)
            reason = getattr(fault, "reason", None) or "it cannot be parsed"
            raise Unreadable([self._problem(place, f"invalid YAML: {reason}", "")]) from None
        if root is None:
            place = Place(self.file, 1, 1)
            raise Unreadable([self._problem(place, "the sheet is empty", "begin with `form: NAME` and `fields:`")])
        return root

    def _slip(self, fault: Any) -> Problem:
        """Return the problem in a person's words, or else in the parser's."""
        from .yaml_problems import diagnose  # imported only for unreadable files

        slip = diagnose(self.text, fault)
        if slip is not None:
            place = Place(self.file, slip.line + 1, slip.column + 1, max(1, slip.length))
            return self._problem(place, f"invalid YAML: {slip.cause}", slip.remedy)
        place = _marked(self.file, fault.problem_mark or fault.context_mark)
        remedy = "put texts that contain `: `, `#`, quotes or brackets in quotes"
        return self._problem(place, f"invalid YAML: {fault.problem}", remedy)

    def _check_depth(self) -> None:
        depth = 0
        try:
            for event in yaml.parse(self.text, Loader=yaml.CSafeLoader):
                if isinstance(event, yaml.CollectionStartEvent):
                    depth += 1
                    if depth > _DEEPEST:
                        place = _marked(self.file, event.start_mark)
                        raise Unreadable([self._problem(place, f"nested deeper than {_DEEPEST}", "flatten the sheet")])
                elif isinstance(event, yaml.CollectionEndEvent):
                    depth -= 1
        except yaml.MarkedYAMLError as fault:
            # A libyaml with a limit of its own may stop before ours does.
            if "nesting depth" in str(fault.problem):
                place = _marked(self.file, fault.problem_mark or fault.context_mark)
                raise Unreadable([self._problem(place, f"nested deeper than {_DEEPEST}", "flatten the sheet")]) from None
            return  # composing reports this with a place
        except yaml.YAMLError:
            return

    def _problem(self, place: Place, cause: str, remedy: str) -> Problem:
        return Problem(place, cause, remedy, line_of(self.text, place.line))

    # data
    def _value(self, node: Node, depth: int) -> Any:
        if type(node) is ScalarNode:
            self._size += 1
            return self._scalar(node)
        if depth > _DEEPEST:
            raise Unreadable([self._problem(_place(self.file, node), f"nested deeper than {_DEEPEST}", "flatten the sheet")])
        return self._shared(node, depth) if self._anchors else self._collection(node, depth)

    def _shared(self, node: Node, depth: int) -> Any:
        """Convert a node that aliases may refer to once, and count its parts as if they were written out."""
        self._size += 1
        known = self._made.get(id(node), self)
        if known is not self:
            if known is None:
                raise Unreadable([self._problem(_place(self.file, node), "this part contains itself", "remove the alias")])
            size, value = known
            self._size += size
            self._copied += size
            if self._copied > _MOST_COPIED:
                cause = f"aliases copy this into more than {_MOST_COPIED:,} parts"
                raise Unreadable([self._problem(_place(self.file, node), cause, "do not nest aliases")])
            return value
        self._made[id(node)] = None
        before = self._size
        value = self._collection(node, depth)
        self._made[id(node)] = (self._size - before, value)
        return value

    def _collection(self, node: Node, depth: int) -> Any:
        return self._mapping(node, depth) if type(node) is MappingNode else [self._value(i, depth + 1) for i in node.value]

    def _mapping(self, node: MappingNode, depth: int) -> dict[str, Any]:
        data: dict[str, Any] = {}
        self.lines[id(data)] = node.start_mark.line + 1
        for key_node, value_node in node.value:
            key = key_node.value
            if type(key_node) is not ScalarNode or (key == "" and key_node.tag == _PLAIN):
                place = _place(self.file, key_node)
                self.problems.append(self._problem(place, "a key must be a word or a string in quotes", ""))
                continue
            if key in data:
                place = _place(self.file, key_node)
                self.problems.append(self._problem(place, f"the key {key!r} appears twice", "keep one of them"))
                continue
            data[key] = self._value(value_node, depth + 1)
        return data

    def _scalar(self, node: ScalarNode) -> Any:
        text: str = node.value
        tag = node.tag
        if tag == _PLAIN:
            return self._plain(node, text)
        if tag == _STR:
            return text
        kind = tag.removeprefix(_CORE)
        if kind == "!":
            return text
        value = self._plain(node, text)
        wanted: Any = {"int": int, "float": (int, float), "bool": bool, "null": type(None)}.get(kind)
        if wanted is None or not isinstance(value, wanted):
            self.problems.append(self._problem(_place(self.file, node), f"the tag !!{kind} does not match {text!r}", "remove it"))
        return value

    def _plain(self, node: ScalarNode, text: str) -> Any:
        if text in _CONSTANTS:
            value = _CONSTANTS[text]
            if isinstance(value, float):
                self.problems.append(self._problem(_place(self.file, node), f"{text} is not a JSON number", "write a number"))
                return 0
            return value
        if text[0] not in _NUMERIC:
            return text
        if len(text) < 16 and text.isdigit() and text.isascii():
            return int(text)
        if _INT.fullmatch(text):
            number: int | float = int(text) if len(text) < 400 else float("inf")
        elif _HEX.fullmatch(text):
            number = int(text, 16) if len(text) < 300 else float("inf")
        elif _OCT.fullmatch(text):
            number = int(text, 8) if len(text) < 300 else float("inf")
        elif _FLOAT.fullmatch(text):
            number = float(text)
            self.has_fractions = True
        else:
            return text
        if (isinstance(number, int) and abs(number) > 10**308) or number in (float("inf"), float("-inf")):
            short = text if len(text) < 30 else text[:20] + "…"
            self.problems.append(
                self._problem(_place(self.file, node), f"the number {short} ({len(text)} characters) is too large", "")
            )
            return 0
        return number

    def parted(self, path: tuple[str | int, ...]) -> str:
        """Return the line with the text that a comma has split put in quotes, if the key at *path* (without a value) is the rest
        of it.
        """
        node: Any = self._root
        for step in path[:-1]:
            found = _child(node, step)
            if found is None:
                return ""
            node = found[1]
        members = node.value if isinstance(node, MappingNode) and node.flow_style else []
        at = next((i for i, (key, _) in enumerate(members) if key.value == path[-1]), 0)
        if at == 0:
            return ""
        (key, rest), (_, text) = members[at], members[at - 1]
        start, end = text.start_mark, key.end_mark
        plain = isinstance(text, ScalarNode) and text.style not in ("'", '"', "|", ">")
        if rest.value != "" or not plain or start.line != end.line:
            return ""
        from .yaml_problems import quoted

        line = line_of(self.text, start.line + 1)
        return (line[: start.column] + quoted(line[start.column : end.column]) + line[end.column :]).strip()

    # places
    def place(self, path: tuple[str | int, ...], *, key: bool = False) -> Place:
        """Return the position of the part at *path*, or with *key*, of its key."""
        node = self._root
        for i, step in enumerate(path):
            found = _child(node, step)
            if found is None:
                break
            key_node, value_node = found
            if key and i == len(path) - 1 and key_node is not None:
                return _place(self.file, key_node)
            node = value_node
        return _place(self.file, node)

    def inside(self, path: tuple[str | int, ...], offset: int, length: int) -> Place:
        """The place of character *offset* in the text of the scalar at *path*, as far as its style lets it be known."""
        node: Any = self._root
        for step in path:
            found = _child(node, step)
            if found is None:
                return _place(self.file, node)
            node = found[1]
        place = _place(self.file, node)
        single = isinstance(node, ScalarNode) and node.start_mark.line == node.end_mark.line and node.style not in ("|", ">")
        if not single:
            return place
        quoted = 1 if node.style in ("'", '"') else 0
        shift = node.value.count("'", 0, offset) if node.style == "'" else 0
        if node.style == '"':
            shift = node.value.count('"', 0, offset) + node.value.count("\\", 0, offset)
        return Place(self.file, place.line, place.column + quoted + offset + shift, max(1, length))


def _child(node: Node, step: str | int) -> tuple[Node | None, Node] | None:
    if isinstance(node, MappingNode):
        for key_node, value_node in node.value:
            if key_node.value == step:
                return key_node, value_node
    elif isinstance(node, SequenceNode) and isinstance(step, int) and step < len(node.value):
        return None, node.value[step]
    return None


def _place(file: str, node: Node) -> Place:
    start, end = node.start_mark, node.end_mark
    length = end.column - start.column if start.line == end.line else 1
    return Place(file, start.line + 1, start.column + 1, max(1, length))


def _marked(file: str, mark: Any) -> Place:
    return Place(file, mark.line + 1, mark.column + 1) if mark else Place(file, 1, 1)


def _far_too_deep(file: str, text: str, brackets: int) -> Place | None:
    """Return the offset at which brackets or dashes nest too deeply, ignoring quotes and comments; None if they do not. *brackets*
    is the allowed depth of brackets.
    """
    at = -1
    if any(two in text for two in ("- - ", "? ? ", "- ? ", "? - ")) and (found := _DASHES.search(text)) is not None:
        at = found.start()
    elif brackets > _ENDLESS:
        depth = 0
        for bracket in _BRACKET.finditer(text):
            depth = max(0, depth + (1 if bracket[0] in "[{" else -1))
            if depth > _ENDLESS:
                at = bracket.start()
                break
    return Place(file, text.count("\n", 0, at) + 1, at - text.rfind("\n", 0, at)) if at >= 0 else None


def _may_be_deep(text: str) -> bool:
    """Return whether dashes or indentation could nest deep, quotes and comments not looked at."""
    return text.count("- -") > _DEEPEST or "\n" + " " * _DEEPEST in text or text.startswith(" " * _DEEPEST)


def _nesting(text: str) -> int:
    """Return how deep brackets nest, ignoring quotes and comments; for few brackets, their number."""
    count = text.count("[") + text.count("{")
    if count <= _DEEPEST:
        return count
    depth = deepest = 0
    for bracket in text.encode("utf-8", "surrogatepass").translate(None, _BETWEEN):  # far quicker than by a regular expression
        if bracket in b"[{":
            depth += 1
            if depth > deepest:
                deepest = depth
        elif depth:
            depth -= 1
    return deepest
