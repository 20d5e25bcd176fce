"""The prompt of `idlefox rehearse`: completion with meanings, history across sessions, statements over several lines."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator
from contextlib import nullcontext
from typing import TYPE_CHECKING, Any

from prompt_toolkit import PromptSession
from prompt_toolkit.completion import CompleteEvent, Completer, Completion
from prompt_toolkit.document import Document
from prompt_toolkit.history import FileHistory, History, InMemoryHistory
from prompt_toolkit.key_binding import KeyBindings, KeyPressEvent

from ..playing.rehearsal import Rehearsal
from ..script.complete import KnownNames, complete
from ..script.tree import Address, Noun
from .config import state_folder
from .console import Console

if TYPE_CHECKING:
    from threading import RLock


def prompted(
    rehearsal: Rehearsal, own: list[str], is_whole: Callable[[str], bool], console: Console, lock: RLock | None = None
) -> Iterator[str]:
    """Yield the statements that a person types at the prompt. With a *lock*, another thread uses the form meanwhile."""
    session: PromptSession[str] = PromptSession(
        history=_history(), completer=_Completer(rehearsal, own, lock), complete_while_typing=False, multiline=True,
        key_bindings=_keys(is_whole), prompt_continuation="  ",
    )  # fmt: skip
    while True:
        try:
            yield session.prompt("> ", handle_sigint=lock is None).rstrip()
        except KeyboardInterrupt:
            continue  # the line is given up
        except EOFError:
            return


def _history() -> History:
    folder = state_folder()
    try:
        os.makedirs(folder, exist_ok=True)
        return FileHistory(os.path.join(folder, "rehearse-history"))
    except OSError:
        return InMemoryHistory()


def _keys(is_whole: Callable[[str], bool]) -> KeyBindings:
    """Enter ends a complete statement; a statement that starts a block continues until an empty line."""
    keys = KeyBindings()

    @keys.add("enter")
    def _(event: KeyPressEvent) -> None:
        buffer = event.current_buffer
        text = buffer.text
        if is_whole(text) or text.endswith("\n") or (text.rstrip(" ").endswith("\n") and buffer.document.is_cursor_at_the_end):
            buffer.validate_and_handle()
        else:
            buffer.insert_text("\n    ")

    return keys


class _Completer(Completer):
    def __init__(self, rehearsal: Rehearsal, own: list[str], lock: RLock | None) -> None:
        self.rehearsal, self.own, self.lock = rehearsal, own, lock or nullcontext()
        script = rehearsal.script
        self.routines = tuple((b.name, b.parameters) for b in script.blocks if b.kind == "routine") if script is not None else ()

    def _rows(self, path: Any) -> int:
        with self.lock:
            count = self.rehearsal.subject.look(Noun("address", Address(tuple(path))), "rows")
        return min(count, 20) if isinstance(count, int) else 0

    def get_completions(self, document: Document, complete_event: CompleteEvent) -> Iterable[Completion]:
        line = document.current_line_before_cursor
        known = KnownNames(self.rehearsal.form, self.routines, rows=self._rows)
        in_fill = document.text.lstrip().startswith("fill") and "\n" in document.text_before_cursor
        word = line.strip()
        if not in_fill and " " not in word:
            for each in self.own:
                if each.startswith(word):
                    yield Completion(each.partition(" ")[0], -len(word), display=each, display_meta="of the rehearsal")
        if word.startswith("look "):
            line = "expect " + line.partition("look ")[2]
            found = [c for c in complete(line, known) if c.kind == "address"]
            start = len("expect ") - len("look ")
            yield from (Completion(c.text, c.start - start - len(document.current_line_before_cursor), display_meta=c.means) for c in found)
            return
        for c in complete(line.lstrip(), known, in_fill=in_fill):
            yield Completion(c.text, c.start - len(line.lstrip()), display_meta=c.means)
