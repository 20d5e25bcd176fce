"""The language server, through a client of the protocol; and its parts, on files and on incomplete texts."""

from __future__ import annotations

import asyncio
import shutil
import sys
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from lsprotocol import types as t
from pygls.exceptions import JsonRpcException
from pygls.lsp.client import LanguageClient

from idlefox.editor import help as at_cursor
from idlefox.editor import outline
from idlefox.editor.diagnostics import Diagnostics, as_diagnostics, fixes
from idlefox.editor.project import Project
from idlefox.editor.search import CannotRename, Search
from idlefox.editor.sheet_spot import spot
from idlefox.editor.texts import TextLines, Texts, path_of
from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"
SAMPLES = Path(__file__).parent / "samples"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for each in (*DEMO.iterdir(), *SAMPLES.iterdir()):
        if each.suffix in (".fox", ".yaml", ".html", ".csv"):
            shutil.copy(each, tmp_path / each.name)
    return tmp_path.resolve()


class Client:
    """An editor, as far as the protocol goes."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.client = folder, LanguageClient("test", "1")
        self.told: dict[str, list[t.Diagnostic]] = {}
        self.heard = asyncio.Event()
        self.version = 1
        self.versions: dict[str, int | None] = {}

        @self.client.feature(t.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)  # type: ignore[untyped-decorator]
        def _(params: t.PublishDiagnosticsParams) -> None:
            self.told[Path(path_of(params.uri)).name] = list(params.diagnostics)
            self.versions[Path(path_of(params.uri)).name] = params.version
            self.heard.set()

        @self.client.feature(t.WINDOW_SHOW_MESSAGE)  # type: ignore[untyped-decorator]
        @self.client.feature(t.WINDOW_LOG_MESSAGE)  # type: ignore[untyped-decorator]
        def _(params: Any) -> None: ...

    def uri(self, name: str) -> str:
        return (self.folder / name).as_uri()

    def about(self, name: str) -> t.TextDocumentIdentifier:
        return t.TextDocumentIdentifier(self.uri(name))

    async def hears(self, name: str, version: int | None) -> None:
        while self.versions.get(name, 0) != version:
            self.heard.clear()
            await asyncio.wait_for(self.heard.wait(), 60)

    async def open(self, name: str) -> str:
        text = (self.folder / name).read_text(encoding="utf-8")
        self.client.text_document_did_open(t.DidOpenTextDocumentParams(t.TextDocumentItem(self.uri(name), "idlefox", 1, text)))
        await self.hears(name, 1)
        return text

    async def change(self, name: str, text: str) -> list[str]:
        self.version += 1
        document = t.VersionedTextDocumentIdentifier(version=self.version, uri=self.uri(name))
        self.client.text_document_did_change(t.DidChangeTextDocumentParams(document, [t.TextDocumentContentChangeWholeDocument(text)]))
        await self.hears(name, self.version)
        return [each.message for each in self.told[name]]


def with_client(folder: Path, use: Callable[[Client], Awaitable[None]]) -> None:
    async def main() -> None:
        client = Client(folder)
        await client.client.start_io(sys.executable, "-m", "idlefox", "language-server")
        root = t.WorkspaceFolder(folder.as_uri(), "it")
        await client.client.initialize_async(t.InitializeParams(capabilities=t.ClientCapabilities(), root_uri=root.uri, workspace_folders=[root]))
        client.client.initialized(t.InitializedParams())
        try:
            await use(client)
        finally:
            await client.client.shutdown_async(None)
            client.client.exit(None)

    asyncio.run(main())


def at(text: str, word: str, behind: str = "") -> t.Position:
    """The position in the middle of *word*, the first one after *behind*."""
    offset = text.index(word, text.index(behind)) + len(word) // 2
    return t.Position(**TextLines(text).at(offset))


def test_an_editor_is_served(folder: Path) -> None:
    async def use(it: Client) -> None:
        text, script, c = await it.open("booking.fox"), it.about("booking.fox"), it.client
        assert it.told["booking.fox"] == []
        slip = text.replace("expect voucher is asking", "expect vouchr is asking", 1)
        assert await it.change("booking.fox", slip) == ["the form has no field 'vouchr'\n→ did you mean 'voucher'?"]
        diagnostic = it.told["booking.fox"][0]
        actions = await c.text_document_code_action_async(t.CodeActionParams(script, diagnostic.range, t.CodeActionContext(it.told["booking.fox"])))
        assert actions is not None
        (edit,) = actions[0].edit.changes[it.uri("booking.fox")]  # type: ignore[union-attr, index]
        assert (actions[0].title, edit.new_text, edit.range) == ("Change to voucher", "voucher", diagnostic.range)
        assert await it.change("booking.fox", text) == []

        place = at(text, "voucher", "type voucher")
        hover = await c.text_document_hover_async(t.HoverParams(script, place))
        assert "“A voucher code has 8 characters.”" in hover.contents.value  # type: ignore[union-attr]
        hover = await c.text_document_hover_async(t.HoverParams(script, at(text, "settle")))
        assert "**settle" in hover.contents.value  # type: ignore[union-attr]
        definition: Any = (await c.text_document_definition_async(t.DefinitionParams(script, place)) or [None])[0]  # type: ignore[index]
        sheet = (folder / "booking.form.yaml").read_text("utf-8")
        assert (path_of(definition.uri), definition.range.start) == (str(folder / "booking.form.yaml"), t.Position(sheet[: sheet.index("  voucher:")].count("\n"), 2))
        found: Any = await c.text_document_definition_async(t.DefinitionParams(script, at(text, "crossing", "do crossing")))
        (definition,) = found
        assert text.split("\n")[definition.range.start.line].startswith("routine crossing(")
        references = await c.text_document_references_async(t.ReferenceParams(t.ReferenceContext(True), script, place))
        assert {Path(path_of(each.uri)).name for each in references or ()} >= {"booking.fox", "booking.form.yaml", "by-post.fox", "crossing.fox"}

        offered = await c.text_document_completion_async(t.CompletionParams(script, t.Position(text.count("\n"), 0)))
        assert "scenario" in [each.label for each in offered.items]  # type: ignore[union-attr]
        symbols = await c.text_document_document_symbol_async(t.DocumentSymbolParams(script))
        assert [each.name for each in symbols or ()][:3] == ["prelude", "passenger", "crossing"]
        symbols = await c.text_document_document_symbol_async(t.DocumentSymbolParams(it.about("booking.form.yaml")))
        assert [each.name for each in symbols or ()][2:5] == ["contact", "vehicle", "passengers"]
        assert await c.text_document_folding_range_async(t.FoldingRangeParams(script))
        lenses = await c.text_document_code_lens_async(t.CodeLensParams(script))
        play, trace = lenses[0].command, lenses[1].command  # type: ignore[index]
        assert await c.workspace_execute_command_async(t.ExecuteCommandParams(play.command, play.arguments)) == "passed"  # type: ignore[union-attr]
        traced: Any = await c.workspace_execute_command_async(t.ExecuteCommandParams(trace.command, trace.arguments))  # type: ignore[union-attr]
        assert "contact.email reads" in traced
        broken = text.replace('expect request = "POST /bookings"', 'expect request = "POST /x"')
        await it.change("booking.fox", broken)
        await c.workspace_execute_command_async(t.ExecuteCommandParams(play.command, play.arguments))  # type: ignore[union-attr]
        assert [each.source for each in it.told["booking.fox"]] == ["idlefox play"]
        assert 'expected  "POST /x"' in it.told["booking.fox"][0].message

        colors = await c.text_document_semantic_tokens_full_async(t.SemanticTokensParams(script))
        assert colors is not None
        assert list(colors.data[:10]) == [0, 0, len(text.split("\n")[0]), 0, 0, 1, 0, len("subject"), 6, 0]

        unformatted = text.replace("    settle\n", "    settle   # so\n", 1)
        await it.change("booking.fox", unformatted)
        (edit,) = await c.text_document_formatting_async(t.DocumentFormattingParams(script, t.FormattingOptions(4, True)))  # type: ignore[misc]
        assert edit.new_text == text.replace("    settle\n", "    settle  # so\n", 1)
        await it.change("booking.fox", text)
        renamed = await c.text_document_rename_async(t.RenameParams(new_name="coupon", text_document=script, position=place))
        assert renamed is not None
        with pytest.raises(JsonRpcException, match="a field or panel named day already exists"):
            await c.text_document_rename_async(t.RenameParams(new_name="day", text_document=script, position=place))

        other = await it.open("booking.form.yaml")
        told = await it.change("booking.form.yaml", other.replace("limit: 12", "limit: 8"))
        assert [message.split("\n")[0] for message in told] == ["no value that voucher can have breaks maxlength 8: it takes at most 8 characters"]
        it.client.text_document_did_close(t.DidCloseTextDocumentParams(script))
        await it.hears("booking.fox", None)

    with_client(folder, use)


# Renaming
def applied(folder: Path, edit: dict[str, Any]) -> None:
    for uri, edits in edit["changes"].items():
        path = Path(path_of(uri))
        text = path.read_text("utf-8")
        lines = TextLines(text)
        for each in sorted(edits, key=lambda e: -lines.offset(e["range"]["start"])):
            start, end = lines.offset(each["range"]["start"]), lines.offset(each["range"]["end"])
            text = text[:start] + each["newText"] + text[end:]
        path.write_text(text, "utf-8")


def verdicts(folder: Path, sheet: str) -> dict[str, list[str]]:
    """What comes of the scripts that name *sheet*, and of those that use them."""
    found = {}
    for path in sorted(folder.glob("*.fox")):
        if f'"{sheet}.form.yaml"' not in path.read_text("utf-8"):
            continue
        result = play_script(SelectedScript(str(path)), RunOptions(), Subjects())
        # Of the request as sent as text nobody knows what in it is a field's name.
        found[path.name] = [*(s.verdict for s in result.scenarios if s.title != "the request as sent"), *(f"{e.place.line}: {e.cause}" for e in result.errors)]
    return found


def test_positions_and_files_that_do_not_exist_have_no_help(folder: Path) -> None:
    async def use(it: Client) -> None:
        for uri in (it.about("booking.fox"), it.about("booking.form.yaml"), t.TextDocumentIdentifier("file:///%00.fox")):
            assert await it.client.text_document_hover_async(t.HoverParams(uri, t.Position(10**6, 1))) is None

    with_client(folder, use)



@pytest.mark.parametrize("sheet", ["booking", "claims", "crew", "cheese-register", "lighthouse-log", "museum-loan"])
def test_renaming_a_field_changes_every_occurrence(folder: Path, sheet: str) -> None:
    before = verdicts(folder, sheet)
    assert before
    path = str(folder / f"{sheet}.form.yaml")
    while True:
        text = Path(path).read_text("utf-8")
        search = Search(Project(Texts((str(folder),))))
        left = [f for f in search.names(path) if f.defines and not text[f.start : f.end].endswith("_anew")]
        if not left:
            break
        name = text[left[0].start : left[0].end]
        applied(folder, search.renamed(path, TextLines(text).at(left[0].start + 1), f"{name}_anew"))
        assert verdicts(folder, sheet) == before, (left[0].key, name)


def test_routines_and_parameters_are_renamed(folder: Path) -> None:
    before = verdicts(folder, "booking")
    for word, behind, new in (("passenger", "routine passenger", "traveller"), ("index", "routine traveller(", "row"), ("day", "scenario \"the day against", "when")):
        path = folder / "booking.fox"
        text = path.read_text("utf-8")
        position = TextLines(text).at(text.index(word, text.index(behind) + len("scenario " if word == "day" else "")) + 1)
        if word == "day":
            position = TextLines(text).at(text.index("$day") + 2)
        applied(folder, Search(Project(Texts((str(folder),)))).renamed(str(path), position, new))
        assert verdicts(folder, "booking") == before, word
    assert "routine traveller(row, name, age)" in (folder / "booking.fox").read_text("utf-8")
    with pytest.raises(CannotRename):
        Search(Project(Texts((str(folder),)))).renamed(str(folder / "booking.fox"), {"line": 0, "character": 3}, "x")


# Half-written
SHEET = (DEMO / "crew.form.yaml").read_text("utf-8")
SCRIPT = (DEMO / "booking.fox").read_text("utf-8")


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_nothing_half_written_is_too_much(tmp_path: Path, data: st.DataObject) -> None:
    name, text = data.draw(st.sampled_from([("crew.form.yaml", SHEET), ("a.fox", SCRIPT.replace("booking.form", "crew.form"))]))
    cut = data.draw(st.integers(0, len(text)))
    text = text[:cut] + data.draw(st.sampled_from(["", "{", '"', "\n  x", "[", "expect ", "😀", "\t", "- ", ": "])) + text[data.draw(st.integers(cut, len(text))) :]
    (tmp_path / "crew.form.yaml").write_text(SHEET)
    path = str((tmp_path / name).resolve())
    texts = Texts((str(tmp_path.resolve()),))
    texts.put(path, text)
    project = Project(texts)
    faults = Diagnostics(project)
    lines = TextLines(text)
    position = lines.at(data.draw(st.integers(0, len(text))))
    whole, quick = faults.of(path, whole=True), faults.of(path, whole=False)
    assert whole is not None
    assert quick is None or {f for f in whole if f.severity == "error"} <= {*quick} or name.endswith(".yaml")
    fixes("file:///x", text, as_diagnostics(whole, text))
    search = Search(project)
    search.definition(path, position)
    search.references(path, position, definitions=True)
    script, form = project.script(path) if name.endswith(".fox") else None, project.form(str((tmp_path / "crew.form.yaml").resolve()))
    at_cursor.word_hover(text, position, sheet=script is None)
    outline.foldings(text, script)
    if script is not None:
        at_cursor.script_completion(text, position, script, form)
        outline.script_symbols(script)
        outline.lenses(script, "file:///x")
    else:
        at_cursor.sheet_completion(text, position, form)
        if form is not None:
            outline.sheet_symbols(text, path, form)


def test_positions_count_utf_16(folder: Path) -> None:
    text = 'scenario "😀é"\n    type a "😀" every x\n'
    lines = TextLines(text)
    assert lines.range(1, 11, 1) == {"start": {"line": 0, "character": 10}, "end": {"line": 0, "character": 12}}
    for offset in range(len(text)):
        assert lines.offset(lines.at(offset)) == offset
    assert lines.offset({"line": 99, "character": 99}) == len(text)


@pytest.mark.parametrize(("before", "offered"), [
    ("", {"form: ", "fields: ", "server: "}), ("fields:\n  a:\n    ", {"type: ", "rules: ", "visible: "}), ("fields:\n  a: {ty", {"type: "}), ("fields:\n  a: {type: te", {"text", "tel"}),
    ("fields:\n  a:\n    rules:\n      - {re", {"required: ", "repeats: ", "remember: "}), ("fields:\n  a:\n    rules:\n    - requ", {"required: "}), ("fields: {a: {trim: ", {"true", "false"}),
    ("fields:\n  a: {visible: bo", {"boat"}), ("fields:\n  a:\n    visible: not first.tou", set()), ("rules:\n  - {holds: 'x', at: ra", {"ranks", "ranks[*].name"}), ("submit: {send: u", {"urlencoded"}),
    ("report: {first: ", {"load", "change", "blur", "submit"}), ("panels:\n  p:\n    fields:\n      x: {la", {"label: "}), ("server:\n  replies:\n    - {stat", {"status: "}),
    ("fields:\n  g:\n    type: group\n    fields:\n      h: {rules: [{required: true, s", {"say: ", "start: "}), ("fields:\n  a: {visible: 'filled(fir", {"first"}),
])  # fmt: skip
def test_how_a_sheet_can_go_on(before: str, offered: set[str]) -> None:
    form = Project(Texts()).form(str(DEMO / "crew.form.yaml"))
    found = [each["label"] for each in at_cursor.sheet_completion(before, TextLines(before).at(len(before)), form)]
    assert offered <= set(found), (spot(before), found)
    assert len(found) < 40


@pytest.mark.parametrize(("line", "column", "found"), [
    ("    wait 3s", 5, "**wait"), ('    type a "wait for it"', 14, ""), ('    type a "x" wait', 16, "**wait"), ('    type a "say \\"wait\\" now"', 20, ""), ("    nosuch", 6, ""),
])  # fmt: skip
def test_hover_explains_keywords_but_not_words_in_strings(line: str, column: int, found: str) -> None:
    told = at_cursor.word_hover(line, {"line": 0, "character": column}, sheet=False)
    assert told.startswith(found) if found else told == ""
