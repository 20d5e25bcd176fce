"""The language server (LSP 3.17 over standard input and output): passes requests of an editor to the right module."""

from __future__ import annotations

import asyncio
import os
import sys
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from typing import Any

from lsprotocol import converters, types
from pygls.exceptions import JsonRpcException
from pygls.lsp.server import LanguageServer

from .. import __version__
from ..playing.player import RunOptions, play_script
from ..playing.results import ScenarioResult
from ..playing.select import SelectedScript
from ..playing.tracing import trace_scenario
from ..problems import Place, Unreadable
from ..report.styled import unstyled
from ..report.terminal import scenario_failures
from ..report.traced import trace_lines
from ..roots import project_root, reading_below
from ..script.reader import read_script_text
from ..script.writer import write_script
from . import help as at_cursor
from . import outline
from .coloring import LEGEND, semantic_tokens
from .diagnostics import Diagnostic, Diagnostics, as_diagnostics, fixes
from .project import SHEETS, Project
from .search import CannotRename, Search
from .texts import TextLines, Texts, path_of

_IDLE = 0.25  # seconds without a key until all of a script is looked at again
_MOST = 200  # diagnostics of a document
_WIDTH = 100
_made = converters.get_converter()


def _as(kind: Any, data: Any) -> Any:
    """Plain data of the protocol as the library's type *kind*."""
    return _made.structure(data, kind)


def _plain(position: types.Position) -> dict[str, int]:
    return {"line": position.line, "character": position.character}


class FoxLanguageServer(LanguageServer):
    """The language server of one workspace."""

    def __init__(self) -> None:
        sys.setswitchinterval(0.001)  # seconds: a request is not to wait long for the thread that looks through documents
        super().__init__("idlefox", __version__, text_document_sync_kind=types.TextDocumentSyncKind.Incremental)
        self.texts = Texts()
        self.project = Project(self.texts)
        self.faults = Diagnostics(self.project)
        self.search = Search(self.project)
        self.played: dict[str, list[Diagnostic]] = {}  # failures of the last run, by file
        self.waiting: dict[str, asyncio.TimerHandle] = {}
        self.background = ThreadPoolExecutor(1)  # looks through whole documents, while requests are answered here

    def began(self, folders: list[str]) -> None:
        """Load the workspace *folders*."""
        self.texts.folders = tuple(folders)

    # documents
    def took(self, uri: str, *, fresh: bool = False) -> None:
        """The document *uri* has been opened or changed."""
        path = path_of(uri)
        document = self.workspace.get_text_document(uri)
        self.texts.put(path, document.source)
        self.project.changed(path)
        self.played.pop(path, None)
        if fresh:
            self.look_through(uri)
            return
        self.look_through(uri, whole=False)
        if path in self.waiting:
            self.waiting.pop(path).cancel()
        self.waiting[path] = asyncio.get_running_loop().call_later(_IDLE, self.rested, uri)

    def rested(self, uri: str) -> None:
        """Nobody has typed for a while."""
        self.waiting.pop(path_of(uri), None)
        self.look_through(uri)
        if path_of(uri).endswith(SHEETS):
            for other in list(self.workspace.text_documents):
                path = path_of(other)
                script = self.project.head(path) if path.endswith(".fox") else None
                if script is not None and os.path.realpath(self.project.subject_path(script)) == path_of(uri):
                    self.look_through(other)

    def look_through(self, uri: str, *, whole: bool = True) -> None:
        """Find the diagnostics of the document *uri* in another thread, and publish them unless the document has changed since.

        Unless the *whole* of it is looked through, those that are found at once.
        """
        path = path_of(uri)
        if not path.endswith((".fox", *SHEETS)):
            return
        text, loop = self.texts.text(path), asyncio.get_running_loop()
        coming = self.background.submit(copy_context().run, self._found_in, path, text, whole)
        coming.add_done_callback(lambda done: loop.call_soon_threadsafe(self._looked_through, uri, text, done))

    def _found_in(self, path: str, text: str | None, whole: bool) -> list[types.Diagnostic] | None:
        if self.texts.text(path) != text:
            return None  # it is typed in: there will be another look
        faults = self.faults.of(path, whole=whole)
        return self.made(path, faults) if faults is not None else None

    def _looked_through(self, uri: str, text: str | None, done: Future[list[types.Diagnostic] | None]) -> None:
        self._publish(uri, text, done.result())

    def _publish(self, uri: str, text: str | None, found: list[types.Diagnostic] | None) -> None:
        if found is not None and self.texts.text(path_of(uri)) == text and uri in self.workspace.text_documents:
            version = self.workspace.get_text_document(uri).version
            self.text_document_publish_diagnostics(types.PublishDiagnosticsParams(uri, found, version))

    def made(self, path: str, faults: list[Diagnostic]) -> list[types.Diagnostic]:
        """Return *faults* of the file at *path*, and those of its last run, as the protocol has them."""
        text = self.texts.text(path) or ""
        more = len(faults) - _MOST
        told = as_diagnostics(faults[:_MOST], text) + as_diagnostics(self.played.get(path, []), text, "idlefox play")
        found = [_as(types.Diagnostic, each) for each in told]
        if more > 0:
            found[_MOST - 1].message += f"\n({more:,} more in this file: idlefox lint)"
        return found

    def closed(self, uri: str) -> None:
        """Forget the closed document *uri*."""
        path = path_of(uri)
        self.texts.drop(path)
        self.project.changed(path)
        self.played.pop(path, None)
        if path in self.waiting:
            self.waiting.pop(path).cancel()
        self.text_document_publish_diagnostics(types.PublishDiagnosticsParams(uri, []))

    # playing
    def play(self, uri: str, line: int) -> str:
        """Run the scenario at *line* and report failures as diagnostics. Return a summary."""
        path = path_of(uri)
        text = self.texts.text(path) or ""
        with self.texts.reading(), reading_below((project_root(path),)):
            result = play_script(SelectedScript(path, (line,), text=text), RunOptions(), self.project.subjects)
        failures = [(s, failure) for s in result.scenarios for failure in s.failures]
        self.played[path] = [_fault(each.place, _told(s)) for s, each in failures if each.place.file == path]
        self._publish(uri, text, self._found_in(path, text, True))
        if result.errors:
            return f"it cannot run: {result.errors[0].cause}"
        held = sum(s.verdict == "pass" for s in result.scenarios)
        return f"{held} of {len(result.scenarios)} passed" if len(result.scenarios) != 1 else "passed" if held else "failed"

    def trace(self, uri: str, line: int) -> str:
        """The trace of the scenario at *line*, as `idlefox trace` prints it."""
        path = path_of(uri)
        text = self.texts.text(path) or ""
        try:
            with self.texts.reading(), reading_below((project_root(path),)):
                traced = trace_scenario(SelectedScript(path, (line,), text=text), RunOptions())
        except Unreadable as fault:
            return f"it cannot run: {fault.problems[0].cause}"
        return unstyled(trace_lines(traced, _WIDTH))


def _told(result: ScenarioResult) -> str:
    return "\n".join(line for line in unstyled(scenario_failures(result, _WIDTH)).split("\n") if line.strip())


def _fault(place: Place, message: str) -> Diagnostic:
    """Return why a scenario failed."""
    return Diagnostic(place.line, place.column, place.length, "error", message, "")


server = FoxLanguageServer()


@server.feature(types.INITIALIZE)
def _initialize(params: types.InitializeParams) -> None:
    folders = [path_of(folder.uri) for folder in params.workspace_folders or ()]
    root = params.root_uri
    server.began(folders or ([path_of(root)] if root else []))


@server.feature(types.TEXT_DOCUMENT_DID_OPEN)
def _opened(params: types.DidOpenTextDocumentParams) -> None:
    server.took(params.text_document.uri, fresh=True)


@server.feature(types.TEXT_DOCUMENT_DID_CHANGE)
def _changed(params: types.DidChangeTextDocumentParams) -> None:
    server.took(params.text_document.uri)


@server.feature(types.TEXT_DOCUMENT_DID_CLOSE)
def _closed(params: types.DidCloseTextDocumentParams) -> None:
    server.closed(params.text_document.uri)


@server.feature(types.TEXT_DOCUMENT_COMPLETION, types.CompletionOptions(trigger_characters=[" ", ".", "$", '"', "{", ","]))
def _completion(params: types.CompletionParams) -> types.CompletionList:
    path, position = path_of(params.text_document.uri), _plain(params.position)
    text = server.texts.text(path) or ""
    if path.endswith(".fox"):
        forms = server.project.forms_of(path)
        script = server.project.around(path, position["line"] + 1)
        found = at_cursor.script_completion(text, position, script, forms[0][1] if forms else None)
    else:
        found = at_cursor.sheet_completion(text, position, server.project.form(path))
    return types.CompletionList(False, [_as(types.CompletionItem, each) for each in found])


@server.feature(types.TEXT_DOCUMENT_HOVER)
def _hover(params: types.HoverParams) -> types.Hover | None:
    path, position = path_of(params.text_document.uri), _plain(params.position)
    name = server.search.at(path, position)
    told = ""
    if name is not None and name.key.kind == "field":
        form = server.project.form(name.key.where)
        told = at_cursor.field_hover(form, name.key.name) if form is not None else ""
    elif name is not None and name.key.kind != "file":
        called = name.key.name if isinstance(name.key.name, str) else name.key.name[-1]
        told = f"**{called}**, a {name.key.kind} of {os.path.basename(name.key.where)}"
    told = told or at_cursor.word_hover(server.texts.text(path) or "", position, sheet=not path.endswith(".fox"))
    return types.Hover(types.MarkupContent(types.MarkupKind.Markdown, told)) if told else None


@server.feature(types.TEXT_DOCUMENT_DEFINITION)
def _definition(params: types.DefinitionParams) -> list[types.Location]:
    found = server.search.definition(path_of(params.text_document.uri), _plain(params.position))
    return [_as(types.Location, each) for each in found]


@server.feature(types.TEXT_DOCUMENT_REFERENCES)
def _references(params: types.ReferenceParams) -> list[types.Location]:
    path, position = path_of(params.text_document.uri), _plain(params.position)
    found = server.search.references(path, position, definitions=params.context.include_declaration)
    return [_as(types.Location, each) for each in found]


@server.feature(types.TEXT_DOCUMENT_PREPARE_RENAME)
def _prepare_rename(params: types.PrepareRenameParams) -> types.Range | None:
    path, position = path_of(params.text_document.uri), _plain(params.position)
    found = server.search.at(path, position)
    if found is None or found.key.kind == "file":
        return None
    range_: types.Range = _as(types.Range, TextLines(server.texts.text(path) or "").between(found.start, found.end))
    return range_


@server.feature(types.TEXT_DOCUMENT_RENAME, types.RenameOptions(prepare_provider=True))
def _rename(params: types.RenameParams) -> types.WorkspaceEdit:
    try:
        found = server.search.renamed(path_of(params.text_document.uri), _plain(params.position), params.new_name)
    except CannotRename as fault:
        raise JsonRpcException(str(fault), types.ErrorCodes.InvalidParams) from None
    edit: types.WorkspaceEdit = _as(types.WorkspaceEdit, found)
    return edit


@server.feature(types.TEXT_DOCUMENT_DOCUMENT_SYMBOL)
def _symbols(params: types.DocumentSymbolParams) -> list[types.DocumentSymbol]:
    path = path_of(params.text_document.uri)
    if path.endswith(".fox"):
        script = server.project.script(path)
        found = outline.script_symbols(script) if script is not None else []
    else:
        form = server.project.form(path)
        found = outline.sheet_symbols(server.texts.text(path) or "", path, form) if form is not None else []
    return [_as(types.DocumentSymbol, each) for each in found]


@server.feature(types.TEXT_DOCUMENT_FOLDING_RANGE)
def _foldings(params: types.FoldingRangeParams) -> list[types.FoldingRange]:
    path = path_of(params.text_document.uri)
    script = server.project.script(path) if path.endswith(".fox") else None
    return [_as(types.FoldingRange, each) for each in outline.foldings(server.texts.text(path) or "", script)]


@server.feature(types.TEXT_DOCUMENT_SEMANTIC_TOKENS_FULL, types.SemanticTokensLegend(list(LEGEND), []))
def _tokens(params: types.SemanticTokensParams) -> types.SemanticTokens:
    path = path_of(params.text_document.uri)
    text = server.texts.text(path) if path.endswith(".fox") else None
    return types.SemanticTokens(semantic_tokens(text or ""))


@server.feature(types.TEXT_DOCUMENT_FORMATTING)
def _formatting(params: types.DocumentFormattingParams) -> list[types.TextEdit] | None:
    path = path_of(params.text_document.uri)
    text = server.texts.text(path)
    if text is None or not path.endswith(".fox"):
        return None
    try:
        made = write_script(read_script_text(text, path))
    except Unreadable:
        return None
    lines = TextLines(text)
    return [types.TextEdit(_as(types.Range, lines.between(0, len(text))), made)] if made != text else []


@server.feature(types.TEXT_DOCUMENT_CODE_LENS)
def _lenses(params: types.CodeLensParams) -> list[types.CodeLens]:
    uri = params.text_document.uri
    script = server.project.script(path_of(uri)) if uri.endswith(".fox") else None
    return [_as(types.CodeLens, each) for each in outline.lenses(script, uri)] if script is not None else []


@server.feature(types.TEXT_DOCUMENT_CODE_ACTION, types.CodeActionOptions(code_action_kinds=[types.CodeActionKind.QuickFix]))
def _actions(params: types.CodeActionParams) -> list[types.CodeAction]:
    uri = params.text_document.uri
    told: list[dict[str, Any]] = [_made.unstructure(each) for each in params.context.diagnostics]
    return [_as(types.CodeAction, each) for each in fixes(uri, server.texts.text(path_of(uri)) or "", told)]


@server.command("idlefox.play")
def _play(uri: str, line: int) -> str:
    told = server.play(uri, line)
    server.window_show_message(types.ShowMessageParams(types.MessageType.Info, told))
    return told


@server.command("idlefox.trace")
def _trace(uri: str, line: int) -> str:
    told = server.trace(uri, line)
    server.window_log_message(types.LogMessageParams(types.MessageType.Info, told))
    return told
