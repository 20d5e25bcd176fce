"""Reads one step: a verb and what follows it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .scan import ParseError, Scanner
from .tree import (
    Act,
    Add,
    Answer,
    AnswerBox,
    Blur,
    Clear,
    Close,
    Dismiss,
    Do,
    Erase,
    Focus,
    Go,
    Leave,
    Move,
    Note,
    Open,
    Paste,
    Pick,
    Press,
    Reload,
    Remove,
    Reset,
    Return,
    Retype,
    Set,
    Settle,
    Submit,
    Toggle,
    Turn,
    Type,
    Upload,
    UploadFile,
    Wait,
)  # fmt: skip

# UI Events, "Keyboard events": the named keys a form knows.
KEYS = (
    "Enter", "Tab", "Shift+Tab", "Escape", "Space", "Backspace", "ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight",
)  # fmt: skip


def _type(s: Scanner) -> Act:
    address, text = s.address(), s.string("the text to type, in double quotes")
    return Type(address, text, s.duration() if s.take_word("every") else None)


def _retype(s: Scanner) -> Act:
    return Retype(s.address(), s.string("the text to type, in double quotes"))


def _paste(s: Scanner) -> Act:
    return Paste(s.address(), s.string("the text to paste, in double quotes"))


def _erase(s: Scanner) -> Act:
    address = s.address()
    return Erase(address) if s.at_end() else Erase(address, s.integer("how many backspaces", 1))


def _blur(s: Scanner) -> Act:
    return Blur(None if s.at_end() else s.address())


def _set(s: Scanner) -> Act:
    return Set(s.address(), s.value())


def _pick(s: Scanner) -> Act:
    address = s.address()
    mode = s.take_word("also", "except")
    return Pick(address, mode, _values(s))


def _values(s: Scanner) -> tuple[Any, ...]:
    values = [s.value()]
    while s.take(","):
        values.append(s.value())
    return tuple(values)


def _turn(s: Scanner) -> Act:
    address = s.address()
    s.space()
    if s.text.startswith("$", s.at):
        return Turn(address, s.parameter())
    return Turn(address, s.need_word("on or off", "on", "off") == "on")


def _upload(s: Scanner) -> Act:
    address = s.address()
    files = [_file(s)]
    while s.take(","):
        files.append(_file(s))
    return Upload(address, tuple(files))


def _file(s: Scanner) -> UploadFile:
    name = s.string("a file's name in double quotes")
    size = None
    s.space()
    if s.text[s.at : s.at + 1].isdigit() or s.text.startswith("$", s.at):
        size = s.integer("the file's size")
        s.need_word("bytes", "bytes", "byte")
    s.space()
    media_type = s.string() if s.text.startswith('"', s.at) else None
    return UploadFile(name, size, media_type)


def _press(s: Scanner) -> Act:
    key = s.name("the name of a key").text
    start = s.at - len(key)
    if s.text.startswith("+", s.at):
        s.at += 1
        key += "+" + s.name("the name of a key").text
    if key.lower() in ("submit", "button", "save", "send"):
        remedy = "press the submit button with `submit`, another one with: submit by \"NAME\""
        raise ParseError(f"unknown key {key!r}", start, remedy, len(key))
    if key not in KEYS:
        from ..problems import listed, suggestion

        raise ParseError(f"unknown key {key!r}", start, suggestion(key, KEYS, f"the keys are {listed(KEYS, 'and')}"), len(key))
    return Press(key, s.address() if s.take_word("in") else None)


def _add(s: Scanner) -> Act:
    address = s.address()
    at = s.integer("the row's number") if s.take_word("at") else None
    if s.take_word("with"):
        return Add(address, at, s.value(pattern=True), True)
    return Add(address, at)


def _move(s: Scanner) -> Act:
    address = s.address()
    s.need_word("to", "to")
    return Move(address, s.integer("the row's new number", None))


def _submit(s: Scanner) -> Act:
    panel = button = None
    past = False
    while not s.at_end():
        if s.take_word("past"):
            s.need_word("checks", "checks")
            past = True
        elif s.take_word("by"):
            button = s.string("the button's name in double quotes")
        elif panel is None and button is None and not past:
            panel = s.name("a panel, `by \"BUTTON\"` or `past checks`")
        else:
            raise s.expected("the end of the line")
    return Submit(panel, button, past)


def _answer(s: Scanner) -> Act:
    name = s.name("`submit` or the name of a lookup")
    lookup = None if name.text == "submit" else name
    s.need_word("with", "with")
    if (box := _box(s, name.text)) is not None:
        return box
    kind = s.take_word("nothing", "failure")
    status: Any = None
    value: Any = None
    if not kind and lookup is None:
        kind, status = "status", s.integer("an HTTP status, nothing or failure", 100)
        if isinstance(status, int) and status > 599:
            width = len(str(status))
            raise ParseError(f"{status} is not an HTTP status", s.at - width, "a status is between 100 and 599", width)
        if not s.at_end() and s.peek_word() != "after":
            value = s.value()
    elif not kind:
        kind = s.need_word("accept, refuse, nothing or failure", "accept", "refuse")
        if not s.at_end() and s.peek_word() != "after":
            value = s.string("a message in double quotes")
    after = s.duration() if s.take_word("after") else None
    return Answer(lookup, kind, status, value, after)


def _box(s: Scanner, name: str) -> Act | None:
    """The reply to a box of the browser; None if the words are not about one (a lookup may have its name)."""
    if name == "confirm" and s.peek_word() in ("ok", "cancel"):
        return AnswerBox(name, s.take_word("ok", "cancel") == "ok")
    if name == "prompt" and s.peek_word() == "cancel":
        s.take_word("cancel")
        return AnswerBox(name, None)
    quoted = name == "prompt" and s.text[s.at :].lstrip(" ").startswith('"')
    return AnswerBox(name, s.string("the text in double quotes, or cancel")) if quoted else None


def _go(s: Scanner) -> Act:
    at = s.at
    path = s.string("a path in double quotes")
    if isinstance(path, str) and not path.startswith("/"):
        raise ParseError(f"{path!r} is not a path of this site", at + 1, "a path starts with a slash: go \"/help\"", len(path) + 2)
    return Go(path)


def _do(s: Scanner) -> Act:
    name = s.name("the name of a routine")
    values: tuple[Any, ...] = ()
    if s.take("(") and not s.take(")"):
        cells = [s.cell()]
        while s.take(","):
            cells.append(s.cell())
        values = tuple(cells)
        s.need(")", "after the values")
    return Do(name, values)


STEPS: dict[str, Callable[[Scanner], Act]] = {
    "type": _type,
    "retype": _retype,
    "paste": _paste,
    "erase": _erase,
    "clear": lambda s: Clear(s.address()),
    "set": _set,
    "pick": _pick,
    "toggle": lambda s: Toggle(s.address()),
    "turn": _turn,
    "upload": _upload,
    "focus": lambda s: Focus(s.address()),
    "blur": _blur,
    "press": _press,
    "add": _add,
    "remove": lambda s: Remove(s.address("the address of a row")),
    "move": _move,
    "open": lambda s: Open(s.name("the name of a panel")),
    "close": lambda s: Close(s.name("the name of a panel")),
    "submit": _submit,
    "reset": lambda s: Reset(),
    "dismiss": lambda s: Dismiss(),
    "leave": lambda s: Leave(),
    "return": lambda s: Return(),
    "reload": lambda s: Reload(),
    "wait": lambda s: Wait(s.duration()),
    "settle": lambda s: Settle(s.duration() if s.take_word("within") else None),
    "answer": _answer,
    "go": _go,
    "do": _do,
    "note": lambda s: Note(s.string()),
}
