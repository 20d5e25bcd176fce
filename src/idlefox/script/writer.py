"""Formats a script's syntax tree; parsing the result gives an equal tree.

Comments and blank lines stay (several blank lines become one). Blocks are indented by four spaces, tables are aligned in
columns, and long lines are broken inside brackets.
"""

from __future__ import annotations

import json
from typing import Any

from ..forms.names.shapes import write_address
from ..forms.values.durations import write_duration
from ..forms.values.values import written
from . import tree
from .checks import NOUNS
from .tree import (
    Address,
    Block,
    Body,
    Cannot,
    Check,
    Collection,
    Do,
    Duration,
    Fill,
    Header,
    Inside,
    Like,
    Parameter,
    Script,
    Template,
    With,
    WordToken,
)

_STEP = 4
_WIDTH = 100


def write_script(script: Script) -> str:
    """The text of *script*."""
    lines: list[str] = []
    for header in script.headers:
        _lead(lines, header.lead, 0)
        lines.append(_tailed(_header(header), header.tail))
    for block in script.blocks:
        lead = block.lead
        if lines and (not lead or lead[0]):
            lead = ("", *lead)
        _lead(lines, lead, 0)
        lines.append(_tailed(_block_head(block), block.tail))
        _body(lines, block.body, _STEP)
    _lead(lines, script.end, 0)
    while lines and not lines[-1]:
        lines.pop()
    return "\n".join(lines) + "\n" if lines else ""


def _lead(lines: list[str], lead: tuple[str, ...], indent: int) -> None:
    for text in lead:
        if text:
            lines.append(" " * indent + text)
        elif lines and lines[-1]:
            lines.append("")


def _tailed(text: str, tail: str) -> str:
    return f"{text}  {tail}" if tail else text


def _header(header: Header) -> str:
    return f"{header.kind} {header.text if header.kind == 'clock' else _string(header.text)}"


def _block_head(block: Block) -> str:
    if block.kind == "routine":
        return f"routine {block.name}" + (f"({', '.join(block.parameters)})" if block.parameters else "")
    if block.kind == "scenario":
        fate = f" {block.fate} {_value(block.why)}" if block.fate else ""
        return f"scenario {_value(block.title)}" + (f" [{', '.join(block.tags)}]" if block.tags else "") + fate
    return block.kind


def _body(lines: list[str], body: Body, indent: int) -> None:
    if body.clock is not None:
        _lead(lines, body.clock.lead, indent)
        lines.append(_tailed(" " * indent + _header(body.clock), body.clock.tail))
    if body.table is not None:
        _table(lines, body.table, indent)
    for statement in body.statements:
        _lead(lines, statement.lead, indent)
        act = statement.act
        pad = " " * indent
        if isinstance(act, Inside):
            lines.append(_tailed(f"{pad}inside {_address(act.address)}", statement.tail))
            _body(lines, act.body, indent + _STEP)
        elif isinstance(act, Fill):
            lines.append(_tailed(f"{pad}fill", statement.tail))
            for line in act.lines:
                _lead(lines, line.lead, indent + _STEP)
                inner = " " * (indent + _STEP)
                text = f"{_address(line.address)} {_value(line.value, indent + _STEP, len(_address(line.address)) + 1)}"
                lines.extend(_tailed(inner + text, line.tail).split("\n"))
            _lead(lines, act.end, indent + _STEP)
        elif isinstance(act, Do) and act.table is not None:
            _with(lines, f"{pad}do {act.routine.text} with", act.table, indent)
        else:
            text = _check(act, indent) if isinstance(act, Check | Cannot) else _step(act, indent)
            lines.extend(_tailed(pad + text, statement.tail).split("\n"))
    _lead(lines, body.end, indent)


def _table(lines: list[str], table: With, indent: int) -> None:
    pad = " " * indent
    _lead(lines, table.lead, indent)
    _with(lines, f"{pad}with", table, indent)


def _with(lines: list[str], head: str, table: With, indent: int) -> None:
    """*head* with what follows it: a file, or names and rows in columns."""
    if table.file:
        lines.append(_tailed(f"{head} {table.kind} {_string(table.file)}", table.tail))
        return
    lines.append(_tailed(f"{head} {', '.join(table.names)}".rstrip(), table.tail))
    cells = [[_cell(v) for v in row.values] for row in table.rows]
    widths = [max((len(row[i]) for row in cells if i < len(row)), default=0) for i in range(max(map(len, cells), default=0))]
    inner = " " * (indent + _STEP)
    for row, texts in zip(table.rows, cells, strict=True):
        _lead(lines, row.lead, indent + _STEP)
        padded = [text + "," + " " * (widths[i] - len(text)) for i, text in enumerate(texts[:-1])]
        lines.append(_tailed(inner + "  ".join([*padded, texts[-1]]), row.tail))
    _lead(lines, table.end, indent + _STEP)


def _cell(value: Any) -> str:
    return _value(value, None)


# values
def _string(text: str) -> str:
    """*text* as a JSON string; half of a surrogate pair as an escape, for no file can hold it."""
    return json.dumps(text) if any("\ud800" <= c <= "\udfff" for c in text) else written(text)


def _value(value: Any, indent: int | None = None, taken: int = 0) -> str:
    """*value* on one line if it fits (or *indent* is None), else broken inside its brackets."""
    if isinstance(value, Collection):
        flat = _flat(value)
        if flat is not None and (indent is None or indent + taken + len(flat) <= _WIDTH):
            return flat
        return _broken(value, indent or 0)
    if isinstance(value, Parameter):
        return f"${value.name}"
    if isinstance(value, Template):
        return _string(value.source)
    if isinstance(value, Like):
        return f"like /{value.pattern}/{value.flags}"
    if isinstance(value, tree.Anything | tree.Nothing):
        return "any" if isinstance(value, tree.Anything) else "nothing"
    if isinstance(value, WordToken):
        return value.text
    if isinstance(value, Duration):
        return write_duration(value.ms)
    return _string(value) if isinstance(value, str) else written(value)


def _flat(value: Any) -> str | None:
    """Return *value* on one line; None if it contains a comment."""
    if not isinstance(value, Collection):
        return _value(value)
    if value.end or any(m.lead or m.tail for m in value.members):
        return None
    parts: list[str] = []
    for member in value.members:
        text = _flat(member.value)
        if text is None:
            return None
        parts.append(text if member.key is None else f"{_value(member.key)}: {text}")
    opening, closing = ("[", "]") if value.kind == "list" else ("{", "}")
    return opening + ", ".join(parts) + closing


def _broken(value: Collection, indent: int) -> str:
    opening, closing = ("[", "]") if value.kind == "list" else ("{", "}")
    inner = indent + _STEP
    lines = [opening]
    for i, member in enumerate(value.members):
        lines += [" " * inner + comment for comment in member.lead if comment]
        key = "" if member.key is None else f"{_value(member.key)}: "
        comma = "," if i < len(value.members) - 1 else ""
        lines.append(_tailed(" " * inner + key + _value(member.value, inner, len(key) + 1) + comma, member.tail))
    lines += [" " * inner + comment for comment in value.end]
    return "\n".join([*lines, " " * indent + closing])


def _address(address: Address) -> str:
    text = ""
    for segment in address.segments:
        if isinstance(segment, Parameter):
            text += f"${segment.name}" if not text else f"[${segment.name}]"
        else:
            one = write_address((segment,))
            text += one if isinstance(segment, int) or one.startswith("[") or not text else f".{one}"
    return f".{text}" if address.relative else text


def _values(values: tuple[Any, ...], indent: int) -> str:
    return ", ".join(_value(v, indent) for v in values)


# steps
def _step(act: Any, indent: int) -> str:
    return str(_STEPS[type(act)](act, indent))


def _pick(act: tree.Pick, indent: int) -> str:
    return f"pick {_address(act.address)} {act.mode + ' ' if act.mode else ''}{_values(act.values, indent)}"


def _upload(act: tree.Upload, indent: int) -> str:
    files = []
    for file in act.files:
        size = f" {_value(file.size)} bytes" if file.size is not None else ""
        media_type = f" {_value(file.type)}" if file.type is not None else ""
        files.append(_value(file.name) + size + media_type)
    return f"upload {_address(act.address)} {', '.join(files)}"


def _add(act: tree.Add, indent: int) -> str:
    text = f"add {_address(act.address)}" + (f" at {_value(act.at)}" if act.at is not None else "")
    return f"{text} with {_value(act.value, indent, len(text) + 6)}" if act.filled else text


def _submit(act: tree.Submit, indent: int) -> str:
    text = "submit" + (f" {act.panel.text}" if act.panel is not None else "")
    text += f" by {_value(act.button)}" if act.button is not None else ""
    return text + (" past checks" if act.past_checks else "")


def _answer(act: tree.Answer, indent: int) -> str:
    text = f"answer {act.lookup.text if act.lookup is not None else 'submit'} with "
    text += _value(act.status) if act.kind == "status" else act.kind
    if act.value is not None:
        text += " " + _value(act.value, indent, len(text) + 1)
    return text + (f" after {_value(act.after)}" if act.after is not None else "")


def _answer_box(act: tree.AnswerBox, indent: int) -> str:
    text = _value(act.answer) if act.box == "prompt" and act.answer is not None else "ok" if act.answer else "cancel"
    return f"answer {act.box} with {text}"


def _do(act: tree.Do, indent: int) -> str:
    return f"do {act.routine.text}" + (f"({_values(act.values, indent)})" if act.values else "")


def _turn(act: tree.Turn, indent: int) -> str:
    on = _value(act.on) if isinstance(act.on, Parameter) else "on" if act.on else "off"
    return f"turn {_address(act.address)} {on}"


def _type(act: tree.Type, indent: int) -> str:
    return f"type {_address(act.address)} {_value(act.text)}" + (f" every {_value(act.every)}" if act.every is not None else "")


_STEPS: dict[type, Any] = {
    tree.Type: _type,
    tree.Retype: lambda a, i: f"retype {_address(a.address)} {_value(a.text)}",
    tree.Paste: lambda a, i: f"paste {_address(a.address)} {_value(a.text)}",
    tree.Erase: lambda a, i: f"erase {_address(a.address)}" + (f" {_value(a.times)}" if a.times != 1 else ""),
    tree.Clear: lambda a, i: f"clear {_address(a.address)}",
    tree.Toggle: lambda a, i: f"toggle {_address(a.address)}",
    tree.Focus: lambda a, i: f"focus {_address(a.address)}",
    tree.Blur: lambda a, i: f"blur {_address(a.address)}" if a.address is not None else "blur",
    tree.Set: lambda a, i: f"set {_address(a.address)} {_value(a.value, i)}",
    tree.Pick: _pick,
    tree.Turn: _turn,
    tree.Upload: _upload,
    tree.Press: lambda a, i: f"press {a.key}" + (f" in {_address(a.address)}" if a.address is not None else ""),
    tree.Add: _add,
    tree.Remove: lambda a, i: f"remove {_address(a.address)}",
    tree.Move: lambda a, i: f"move {_address(a.address)} to {_value(a.to)}",
    tree.Open: lambda a, i: f"open {a.panel.text}",
    tree.Close: lambda a, i: f"close {a.panel.text}",
    tree.Submit: _submit,
    tree.Reset: lambda a, i: "reset",
    tree.Dismiss: lambda a, i: "dismiss",
    tree.Leave: lambda a, i: "leave",
    tree.Return: lambda a, i: "return",
    tree.Reload: lambda a, i: "reload",
    tree.Wait: lambda a, i: f"wait {_value(a.duration)}",
    tree.Settle: lambda a, i: "settle" + (f" within {_value(a.within)}" if a.within is not None else ""),
    tree.Answer: _answer,
    tree.AnswerBox: _answer_box,
    tree.Go: lambda a, i: f"go {_value(a.path)}",
    tree.Do: _do,
    tree.Note: lambda a, i: f"note {_value(a.text)}",
}


_IN_TIME = frozenset({"every", "duration", "within", "after", "lasting"})
_NO_TEXT = frozenset({"mode", "key", "kind", "predicate"})  # words of the language: nothing in them is a parameter


def write_step(act: Any) -> str:
    """Return a resolved step as script text."""
    if isinstance(act, tree.FillLine):
        return f"{_address(act.address)} {_value(act.value)}"
    return _step(_in_time(act), 0)


def _in_time(act: Any) -> Any:
    return act._replace(**{name: Duration(v) for name, v in zip(act._fields, act, strict=True) if name in _IN_TIME and type(v) is int})


def write_played(act: Any) -> str:
    """Return a resolved step or check as a statement with the same effect."""
    if isinstance(act, tree.FillLine):
        return f"fill\n{' ' * _STEP}{_address(act.address)} {_value(_as_written(act.value), _STEP)}"
    if isinstance(act, Cannot):
        return f"expect cannot {write_played(act.step)}"
    known = {name: v if name in _NO_TEXT else _as_written(v) for name, v in zip(act._fields, act, strict=True)}
    act = _in_time(act._replace(**known))
    return _check(act, 0) if isinstance(act, Check) else _step(act, 0)


def quoted(value: Any) -> str:
    """A plain value as a script has it: a $ in its texts twice."""
    return written(value).replace("$", "$$")


def called(address: str) -> str:
    """An address as a step or check has it: a field named like a noun of the language gets a leading dot."""
    return f".{address}" if address in NOUNS else address


def _as_written(value: Any) -> Any:
    """Return a plain value as the tree writes it, with each $ of a string doubled."""
    if isinstance(value, str):
        return value.replace("$", "$$")
    if isinstance(value, dict):
        return Collection("object", tuple(tree.Member(_as_written(key), _as_written(each)) for key, each in value.items()))
    if isinstance(value, list):
        return Collection("list", tuple(tree.Member(None, _as_written(each)) for each in value))
    if type(value) is tuple:
        return tuple(map(_as_written, value))
    return value._replace(name=_as_written(value.name)) if isinstance(value, tree.Noun | tree.UploadFile) and value.name else value


# checks
def _check(check: Check | Cannot, indent: int) -> str:
    if isinstance(check, Cannot):
        return f"expect cannot {_step(check.step, indent)}"
    noun = check.noun
    if noun.kind == "address":
        assert noun.address is not None
        text = _address(noun.address)
        if text in NOUNS:
            text = f"[{_string(text)}]"  # a field called like a noun
    else:
        text = f"button {_value(noun.name)}" if noun.kind == "button" else noun.kind
    text = f"expect {text}{' not' if check.negated else ''} "
    text += _predicate(check, indent, len(text))
    if check.within is not None:
        text += f" within {_value(check.within)}"
    return text + (f" for {_value(check.lasting)}" if check.lasting is not None else "")


def _predicate(check: Check, indent: int, taken: int) -> str:
    word, given = check.predicate, check.arguments
    if word in ("breaks nothing", "shows nothing", "nothing"):
        return word
    if word in ("has rows", "has options"):
        what = word[4:-1] if given[0] == 1 else word[4:]
        return f"has {_value(given[0])} {what}"
    if word in ("shows like", "like"):
        return f"{'shows ' if word.startswith('shows') else ''}{_value(given[0])}"
    if word == "is":
        return "is " + ", ".join(f"not {_value(g.word)}" if isinstance(g, tree.Not) else _value(g) for g in given)
    if word == "allows":
        return f"allows {given[0]}"
    if word.startswith("offers"):
        return f"offers {_value(given[0], indent, taken + 7)}"
    if given and isinstance(given[0], Address):
        return f"{word} {', '.join(map(_address, given))}"
    return f"{word} {', '.join(_value(g, indent, taken + len(word) + 1) for g in given)}"
