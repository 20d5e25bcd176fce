"""Feeds generated input to Idle Fox: `python tools/fuzz_structure.py [--inputs N] [--seed S] [--keep DIR]`.

`tools/fuzz.py` damages texts that exist. This fuzzer generates structures: scripts and expressions by their grammars; sheets by the
JSON Schema of sheets, with values of other types in some places; trees of HTML elements; records, kept sheets and checkpoints with
changed members; messages of an editor to the language server. The limits and the report are the same.
"""

from __future__ import annotations

import asyncio
import json
import logging
import pickle
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import yaml
from fuzz_grammar import FIELDS, Grammar
from fuzz_harness import main

ROOT = Path(__file__).resolve().parent.parent
SCHEMA = json.loads((ROOT / "src" / "idlefox" / "forms" / "sheet" / "sheet.schema.json").read_text("utf-8"))
BASE = yaml.safe_load("""
form: f
fields:
  a: {rules: [{required: true}, {minlength: 2, maxlength: 5}, {lookup: known, start: blur}]}
  n: {type: number, rules: [{min: 1, max: 9}]}
  k: {type: checkbox}
  pick: {type: radio, options: [p, q]}
  many: {type: checkbox, options: [x, y, z]}
  d: {type: date}
  when: {visible: k, rules: [{pattern: '[a-z]+'}]}
  g: {type: group, fields: {x: {}}}
  r: {type: rows, start: 2, most: 4, fields: {t: {rules: [{unique: true}]}, n: {type: number}}}
  up: {type: file}
  secret: {type: hidden}
lookups: {known: {takes: 1s, accept: [xy]}}
submit: {to: /f, enabled: form.dirty}
draft: keep
server: {takes: 1s, replies: [{when: 'a == "late"', status: 422, errors: {a: Late.}}, {status: 201}]}
""")
ATOMS: tuple[Any, ...] = (
    None, True, False, 0, 1, -1, 2**70, 1e300, 0.1, "", "x", "3s", "true", "a", "r[0].t", "2031-05-02", "[", "é🔦", "\ud800", "x" * 3000,
    [], {}, [1], {"a": 1}, {"expr": "n + 1"}, [[[]]], "/f", "422", "nosuch",
)  # fmt: skip
ELEMENTS = str.split("""
    div p span label fieldset legend table tr td ul li section form template dialog details datalist select optgroup option button
    textarea output input script style svg math noscript a b custom-thing
""")
TYPES = str.split("""
    text number email url checkbox radio date time month week datetime-local range color file hidden submit reset image button
    password search tel nosuch
""")
ATTRIBUTES = str.split("""
    name id for value required disabled readonly min max step pattern minlength maxlength multiple checked selected list form
    formnovalidate novalidate action method enctype dirname accept hidden style class role aria-label aria-labelledby aria-describedby
    aria-invalid tabindex inert open title formaction autofocus
""")
METHODS = str.split("""
    completion hover definition references prepareRename rename documentSymbol foldingRange formatting codeLens codeAction
""")


class Structures:
    """Makes structures and tries them. Every exception that is not allowed is a finding."""

    kinds: tuple[str, ...] = (*("script", "expression", "sheet", "page") * 3, "record", "kept", "checkpoint", *("editor",) * 2)

    def __init__(self, folder: str) -> None:
        self.folder = Path(folder)
        self.input = ""
        self.editor: Editor | None = None

    def play(self, kind: str, chance: random.Random) -> str:
        """Make and try an input of *kind*; return its outcome in a word."""
        self.input = ""
        made: Callable[[random.Random], str] = getattr(self, f"_{kind}")
        return made(chance)

    # by grammar
    def _script(self, chance: random.Random) -> str:
        return self._run(BASE, Grammar(chance).script())

    def _expression(self, chance: random.Random) -> str:
        grammar = Grammar(chance)
        sheet = json.loads(json.dumps(BASE))
        field = sheet["fields"][chance.choice(("a", "n", "when", "r"))]
        places = (
            (field, "visible", None), (field, "enabled", None), (field, "readonly", None), (sheet["submit"], "enabled", None),
            (sheet, "rules", lambda text: [{"holds": text, "id": "x", "at": chance.choice(("a", "n", "r"))}]),
            (field, "rules", lambda text: [{"holds": text, "id": "x"}, {"min": {"expr": text}, "say": "{min}"}]),
            (sheet["fields"], "made", lambda text: {"derive": {"from": text}}),
            (sheet["server"], "rules", lambda text: [{"holds": text, "id": "y", "at": "a"}]), (sheet, "reveal", None),
        )  # fmt: skip
        for owner, key, wrap in chance.sample(places, 2):
            text = grammar.expression()
            owner[key] = wrap(text) if wrap is not None else text
        return self._run(sheet, 'subject "f.form.yaml"\nscenario "s"\n' + grammar.statements(5))

    # by schema
    def _sheet(self, chance: random.Random) -> str:
        sheet = json.loads(json.dumps(BASE)) if chance.random() < 0.7 else {"form": "f", "fields": {"a": {}}}
        for _ in range(chance.randint(1, 4)):
            key = chance.choice([key for key in SCHEMA["properties"] if key not in ("page", "python")])
            sheet[key] = _of_schema(SCHEMA["properties"][key], chance, 5)
        if chance.random() < 0.3:
            _change(sheet, chance)
        from idlefox.forms.sheet.read import read_sheet_text

        text = self.input = _written(sheet, chance.choice((None, True, False)))
        return self._walk(lambda: read_sheet_text(text, "f.form.yaml"), chance)

    def _page(self, chance: random.Random) -> str:
        from idlefox.forms.html.read import read_page_text

        self.input = f"<!doctype html><title>t</title><form id=f>{_tree(chance, 5)}<button>Go</button></form>{_tree(chance, 2)}"
        return self._walk(lambda: read_page_text(self.input, "p.html"), chance)

    def _walk(self, read: Callable[[], Any], chance: random.Random) -> str:
        """Take steps by chance on the form that *read* returns."""
        from idlefox.engine.compile.compiler import compile_form
        from idlefox.playing.simulated import SimulatedForm
        from idlefox.playing.steps import take_step
        from idlefox.playing.subjects import simulated
        from idlefox.problems import Unreadable
        from idlefox.study.actions import ActionGenerator

        try:
            form = read()
            loaded = simulated(form, compile_form(form))
        except Unreadable as fault:
            found = fault.problems
            if not all(each.cause and each.place.line >= 1 for each in found):
                raise AssertionError(found) from fault
            return "refused"
        subject = loaded.begin(str(self.folder))
        assert isinstance(subject, SimulatedForm)
        if subject.load(0) is not None:
            return "no end"
        steps = ActionGenerator(form)
        for number in range(chance.randrange(10)):
            step = steps.choose(chance)
            self.input += f"\n# {step}"
            take_step(subject, step, number)
        return "played"

    # changed data
    def _record(self, chance: random.Random) -> str:
        """A record of the server and its answer, with odd members."""
        record = {"a": "xy", "n": 3, "k": True, "many": ["x"], "g": {"x": "1"}, "r": [{"t": "1", "n": 2}], "pick": "p"}
        for _ in range(chance.randint(1, 3)):
            _change(record, chance)
        text = json.dumps(record)
        steps = chance.choice(
            ("reload", "leave\n    return", f'answer submit with 422 {{"errors": {text}}}\n    submit\n    settle', "reset")
        )
        sheet = {**BASE, "server": {**BASE["server"], "record": record}}
        return self._run(sheet, f'subject "f.form.yaml"\nscenario "s"\n    {steps}\n    expect values = any\n')

    def _kept(self, chance: random.Random) -> str:
        """A changed file in the cache of sheets must not change the result of a run."""
        import os

        os.environ["XDG_CACHE_HOME"] = str(self.folder / "cache")
        text = 'subject "f.form.yaml"\nscenario "s"\n    type a "x"\n    expect a breaks tooShort\n'
        whole = self._run(BASE, text)
        for file in (self.folder / "cache").rglob("*"):
            if file.is_file():
                content = file.read_bytes()
                try:
                    data = json.loads(content)
                    _change(data, chance)
                    file.write_text(json.dumps(data))
                except (ValueError, TypeError, AttributeError):
                    at = chance.randrange(len(content) + 1)
                    file.write_bytes(content[:at] + bytes(chance.randrange(256) for _ in range(3)) + content[at + 2 :])
        assert self._run(BASE, text) == whole, "a damaged cache changes the run"
        return "played"

    def _checkpoint(self, chance: random.Random) -> str:
        from idlefox.playing.checkpoint import Checkpoint

        file = self.folder / "notes"
        file.unlink(missing_ok=True)
        kept = [[n, "x" * n] for n in range(chance.randint(1, 5))]
        notes = Checkpoint(str(file))
        for each in kept:
            notes.add([each])
        content = file.read_bytes()
        at = chance.randrange(len(content))
        odd = chance.choice((b"", b"\0", content[: chance.randrange(60)], bytes(8), pickle.dumps(1)))
        file.write_bytes(content[:at] + odd + content[at + chance.choice((0, 1, 40)) :])
        found = Checkpoint(str(file)).found()
        assert found == kept[: len(found)], "a damaged checkpoint gives other results"
        return "read"

    # the language server
    def _editor(self, chance: random.Random) -> str:
        if self.editor is None:
            self.editor = Editor(self.folder)
        self.input = "\n".join(json.dumps(each) for each in self.editor.messages(chance))
        return self.editor.take(self.input)

    def _run(self, sheet: Any, script: str) -> str:
        text = _written(sheet, None)
        (self.folder / "f.form.yaml").write_text(text, "utf-8", "replace")
        self.input = f"{text}\n# --\n{script}"
        return self._play(script)

    def _play(self, script: str) -> str:
        from idlefox.playing.player import RunOptions, play_script
        from idlefox.playing.select import SelectedScript
        from idlefox.playing.subjects import Subjects
        from idlefox.report.wording import expected_text, found_text, reason_text

        path = self.folder / "a.fox"
        path.write_text(script, "utf-8", "replace")
        result = play_script(SelectedScript(str(path)), RunOptions(), Subjects())
        assert all(each.cause and each.place.line >= 1 for each in result.errors), result.errors
        for scenario in result.scenarios:
            assert not scenario.fault, scenario.fault
            for failure in scenario.failures:
                expected_text(failure), found_text(failure), reason_text(failure)
        return "played" if result.scenarios else "refused"


class Editor:
    """The language server in this process, and an editor that sends it messages."""

    def __init__(self, folder: Path) -> None:
        from pygls.exceptions import JsonRpcException

        from idlefox.editor.server import server

        logging.disable(logging.CRITICAL)
        self.server, self.uri = server, (folder / "a.fox").as_uri()
        self.loop = asyncio.new_event_loop()
        self.faults: list[str] = []
        (folder / "f.form.yaml").write_text(yaml.dump(BASE))

        def reported(fault: Exception, source: Any) -> None:
            if not isinstance(fault.__cause__ or fault, JsonRpcException) or "Traceback" in str(getattr(fault, "data", "")):
                self.faults.append(f"{type(fault).__name__}: {fault} {getattr(fault, 'data', '')}")

        server.report_server_error = reported  # type: ignore[method-assign,assignment]
        server.protocol.set_writer(_Nowhere())
        self.take(json.dumps(_message("initialize", {"processId": None, "rootUri": folder.as_uri(), "capabilities": {}}, 1)))

    def messages(self, chance: random.Random) -> list[Any]:
        """Open a document, change it, ask about places in it, and close it; some messages are odd."""
        text = Grammar(chance).script()
        about = {"uri": self.uri}
        found = [_message("textDocument/didOpen", {"textDocument": {**about, "languageId": "idlefox", "version": 1, "text": text}})]
        lines = text.split("\n")
        for number in range(chance.randint(1, 6)):
            line = chance.randrange(len(lines) + 2)
            at = {"line": line, "character": chance.choice((0, 4, 9, 14, chance.randrange(60), 9_999))}
            if chance.random() < 0.3:
                change = {
                    "range": {"start": at, "end": {**at, "line": line + chance.randrange(3)}},
                    "text": chance.choice(("x", "\n", "", "    type ")),
                }
                found.append(
                    _message("textDocument/didChange", {"textDocument": {**about, "version": number + 2}, "contentChanges": [change]})
                )
                continue
            params: dict[str, Any] = {
                "textDocument": about, "position": at, "range": {"start": at, "end": at}, "newName": chance.choice(FIELDS), "context":
                {"includeDeclaration": True, "diagnostics": []}, "options": {"tabSize": 4, "insertSpaces": True},
            }  # fmt: skip
            if chance.random() < 0.1:
                _change(params, chance)
            found.append(_message(f"textDocument/{chance.choice(METHODS)}", params, number + 10))
        if chance.random() < 0.3:
            command = {"command": chance.choice(("idlefox.play", "idlefox.trace")), "arguments": [self.uri, chance.randrange(12)]}
            found.append(_message("workspace/executeCommand", command, 99))
        return [*found, _message("textDocument/didClose", {"textDocument": about})]

    def take(self, lines: str) -> str:
        """Handle messages, one per line. Raises AssertionError if a handler fails."""
        from pygls.exceptions import JsonRpcException

        async def handle() -> None:
            for line in lines.split("\n"):
                try:
                    self.server.protocol.handle_message(self.server.protocol.structure_message(json.loads(line)))
                except JsonRpcException:
                    pass  # a message that is not of the protocol
                await asyncio.sleep(0)
            self.server.background.submit(int).result()
            await asyncio.sleep(0)

        self.faults.clear()
        asyncio.set_event_loop(self.loop)
        self.loop.run_until_complete(handle())
        assert not self.faults, self.faults[0]
        return "played"


class _Nowhere:
    """A writer that keeps nothing."""

    def write(self, data: bytes) -> None: ...

    def close(self) -> None: ...


def _written(sheet: Any, flow: bool | None) -> str:
    text: str = yaml.dump(sheet, default_flow_style=flow, allow_unicode=True, sort_keys=False)
    return text.encode("utf-8", "replace").decode()


def _message(method: str, params: Any, number: int | None = None) -> dict[str, Any]:
    return {"jsonrpc": "2.0", "method": method, "params": params, **({} if number is None else {"id": number})}


def _of_schema(schema: dict[str, Any], chance: random.Random, depth: int) -> Any:
    """A value that *schema* describes, as far as its keywords are simple; now and then another one."""
    if depth <= 0 or chance.random() < 0.02:
        return chance.choice(ATOMS)
    if "$ref" in schema:
        return _named(schema["$ref"].rpartition("/")[2], chance, depth)
    for word in ("anyOf", "oneOf"):
        if word in schema:
            return _of_schema(chance.choice(schema[word]), chance, depth - 1)
    if "enum" in schema:
        return chance.choice(schema["enum"])
    if "const" in schema:
        return schema["const"]
    kind = schema.get("type", "string")
    kind = chance.choice(kind) if isinstance(kind, list) else kind
    if kind == "object":
        known = schema.get("properties", {})
        found = {key: _of_schema(known[key], chance, depth - 1) for key in known if chance.random() < 2 / (len(known) + 1)}
        found |= {key: _of_schema(known[key], chance, depth - 1) for key in schema.get("required", ()) if key in known}
        rest = schema.get("additionalProperties")
        if isinstance(rest, dict):
            found |= {chance.choice(("a", "n", "r", "known", "x")): _of_schema(rest, chance, depth - 1) for _ in range(chance.randrange(3))}
        return found
    if kind == "array":
        return [_of_schema(schema.get("items", {}), chance, depth - 1) for _ in range(chance.randrange(3))]
    return {"boolean": chance.random() < 0.5, "integer": chance.randrange(9), "number": chance.random() * 9, "null": None}.get(
        kind, chance.choice(FIELDS)
    )


def _named(name: str, chance: random.Random, depth: int) -> Any:
    if name == "expression":
        return Grammar(chance).expression(2)
    if name == "duration":
        return chance.choice(("0s", "1s", "400ms", "2m", "x"))
    if name == "address":
        return chance.choice(FIELDS)
    return _of_schema(SCHEMA["$defs"][name], chance, depth - 1)


def _change(data: Any, chance: random.Random) -> None:
    """Replace, remove, double or move a member somewhere in *data*."""
    places: list[tuple[Any, Any]] = []
    left = [data]
    while left:
        each = left.pop()
        keys = list(each) if isinstance(each, dict) else range(len(each)) if isinstance(each, list) else ()
        places += [(each, key) for key in keys]
        left += [each[key] for key in keys]
    if not places:
        return
    owner, key = chance.choice(places)
    how = chance.randrange(4)
    if how == 0:
        owner[key] = chance.choice(ATOMS)
    elif how == 1:
        del owner[key]
    elif how == 2:
        other, there = chance.choice(places)
        if not isinstance(other, list) or there < len(other):
            owner[key] = json.loads(json.dumps(other.get(there) if isinstance(other, dict) else other[there]))
    elif isinstance(owner, dict):
        owner[chance.choice(("x", "a", "rules", "type", "fields", ""))] = owner[key]


def _tree(chance: random.Random, depth: int) -> str:
    """HTML elements in each other, most of them closed."""
    found = ""
    for _ in range(chance.randint(1, 4)):
        name = chance.choice(("input", "input", "input", "label", "select", *ELEMENTS))
        given = "".join(f' {chance.choice(ATTRIBUTES)}="{_value(chance)}"' for _ in range(chance.randrange(5)))
        if name == "input":
            found += f'<input type="{chance.choice(TYPES)}"{given}>'
            continue
        inner = _tree(chance, depth - 1) if depth > 0 and chance.random() < 0.6 else chance.choice(("text", "", "&amp;", "<!-- x -->"))
        found += f"<{name}{given}>{inner}" + (f"</{name}>" if chance.random() < 0.93 else "")
    return found


def _value(chance: random.Random) -> str:
    return chance.choice(
        (
            "",
            "a",
            "b",
            "f",
            "1",
            "-1",
            "5",
            "0.1",
            "any",
            "2031-05-02",
            "12:30",
            "[a-z]+",
            "(",
            "post",
            "get",
            "dialog",
            "multipart/form-data",
            "true",
            "a b",
            "display:none",
            "_charset_",
            "isindex",
            ".pdf,image/*",
            "x" * 500,
            "é🔦",
            "a.dir",
            "button",
            "listbox",
            "1e400",
        )
    )


if __name__ == "__main__":
    main(__doc__, Structures)
