"""Feeds malformed input to the core: `python tools/fuzz.py [--inputs N] [--seed S] [--keep DIR]`.

Scripts, sheets, pages, JSON Schemas, configurations, expressions and patterns of the demo and the tests are changed at random
(words, lines and blocks swapped, doubled, nested, filled with odd values), read, compiled and run. Errors must be `Unreadable`
or part of the results. Any other exception, a dead process, five seconds of CPU time or 500 MB is a finding: it is printed, and
its input is kept. Readable input must keep the invariants: formatting changes nothing, and the journal rebuilds the state. The
exit code is 1 if there are findings.
"""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from fuzz_harness import main

ROOT = Path(__file__).resolve().parent.parent
ODD = [
    "", "0", "-1", "1e400", "1e-400", "99999999999999999999", "null", "true", '""', "'", '"', "\\", "\0", "\ud800", "🔦", "é", "²",
    "\u202e", "\r", "\t", "[", "]", "{", "}",
    "(", ")", ":", "#", "&a", "*a", "<<", "!!int", "---", "$x", "$", "*", "a.b[0].c", "[-1]", "#id", "nan",
    "1.5.2", "0x1f", "2031-02-30", "9999-12-31", "10000-01-01", "3s", "-3s", "1e3ms", "(a+)+b", "\\k<n>", "[^", "<form>", "</form>", "<!--",
    "&#0;", "&notanentity;", "x" * 3000, "é" * 700, "()" * 150, "[" * 150, "- " * 150,
]  # fmt: skip
WORDS = re.compile(r"\w+|\s+|[^\w\s]")


def corpus() -> dict[str, list[str]]:
    """What is changed, by kind."""
    found: dict[str, list[str]] = {kind: [] for kind in ("script", "sheet", "page", "schema", "config", "expression", "pattern", "pair")}
    for folder in (ROOT / "src" / "idlefox" / "demo", ROOT / "tests" / "samples"):
        for file in sorted(folder.iterdir()):
            kind = {".fox": "script", ".yaml": "sheet", ".html": "page", ".json": "schema"}.get(file.suffix)
            if kind:
                found[kind].append(file.read_text("utf-8"))
            form = next((f for f in (file.with_suffix(".form.yaml"), file.with_suffix(".html")) if f.exists()), None)
            if kind == "script" and form is not None:
                found["pair"].append(f"{form.read_text('utf-8')}\0{file.read_text('utf-8')}")
    for file in sorted((ROOT / "tests" / "played").glob("*.txt")):
        shared = ""
        for case in file.read_text("utf-8").split("=== ")[1:]:
            head, _, body = case.partition("\n")
            sheet, dashes, steps = body.partition("---\n")
            if head in ("page", "sheet"):
                shared = body if head == "page" else f"form: f\n{body}"
                found[head].append(shared)
            elif dashes:
                whole = f"form: f\n{sheet}" if sheet else shared
                found["sheet"] += [whole] * (not whole.startswith("<") and "python" not in whole)
                found["script"].append(steps if steps.startswith(("scenario", "routine")) else scenario(steps))
                found["pair"].append(f"{whole}\0{found['script'][-1]}")
    sheets = "\n".join(found["sheet"])
    found["expression"] = sorted(set(re.findall(r"""(?:holds|when|visible|enabled|from): ["'](.+?)["']""", sheets)))
    found["pattern"] = sorted(set(re.findall(r"""pattern: ["'](.+?)["']""", sheets)))
    found["pattern"] += [r"(?:(a)|b)*\1", r"[\w--\d]+", r"(?<n>a|b)\k<n>", r"(?i:\u212a)", r"(?=.*\d).{8,}"]
    found["config"] = [
        'scripts = ["a.fox"]\njobs = 2\nreport = ["json=out.json"]\n', 'subject = "f.form.yaml"\n[tool]\nidlefox = 3\n',
        'jobs = "auto"\ntrust = true\n',
    ]  # fmt: skip
    part = {"type": "object", "properties": {"a": {"type": "string", "minLength": 2}, "b": {"$ref": "#/$defs/x"}}}
    found["schema"].append(json.dumps({**part, "$defs": {"x": {"enum": [1, "b"]}}}))
    return found


def scenario(steps: str) -> str:
    lines = [line for line in steps.split("\n") if not line.startswith(("cannot: ", "fails: ", "fault: ", "unreadable: "))]
    return 'scenario "it"\n' + "".join(f"    {line}\n" if line else "\n" for line in lines)


class Changer:
    """Changes texts by their words and lines."""

    def __init__(self, chance: random.Random, known: dict[str, list[str]]) -> None:
        self.chance = chance
        self.known = known
        self.pairs = [pair.split("\0") for pair in known["pair"]]

    def text(self, kind: str, text: str = "") -> str:
        text = text or self.chance.choice(self.known[kind])
        for _ in range(self.chance.choice((0, 1, 1, 1, 2, 2, 3, 6))):
            text = self.chance.choice((self.words, self.words, self.lines, self.lines, self.odd, self.splice, self.nest))(text, kind)
        return text[:200_000].encode("utf-8", "replace").decode()  # no file decodes to half an emoji

    def words(self, text: str, kind: str) -> str:
        words = WORDS.findall(text) or [""]
        at = self.chance.randrange(len(words))
        other = WORDS.findall(self.chance.choice(self.known[kind])) or [""]
        choice = self.chance.randrange(5)
        if choice == 0:
            del words[at]
        elif choice == 1:
            words[at] = self.chance.choice(other)
        elif choice == 2:
            words.insert(at, self.chance.choice(other))
        elif choice == 3:
            words[at] *= self.chance.choice((2, 3, 50))
        else:
            to = self.chance.randrange(len(words))
            words[at], words[to] = words[to], words[at]
        return "".join(words)

    def lines(self, text: str, kind: str) -> str:
        lines = text.split("\n")
        at = self.chance.randrange(len(lines))
        choice = self.chance.randrange(5)
        if choice == 0:
            del lines[at]
        elif choice == 1:
            lines.insert(at, lines[self.chance.randrange(len(lines))])
        elif choice == 2:
            lines[at] = " " * self.chance.randrange(9) + lines[at].lstrip()
        elif choice == 3:
            to = min(len(lines), at + self.chance.randint(1, 6))
            lines[to:to] = lines[at:to] * self.chance.choice((1, 1, 5))
        else:
            lines = lines[at:] + lines[:at]
        return "\n".join(lines)

    def odd(self, text: str, kind: str) -> str:
        at = self.chance.randrange(len(text) + 1)
        return text[:at] + self.chance.choice(ODD) + text[at + self.chance.choice((0, 0, 1, 8)) :]

    def splice(self, text: str, kind: str) -> str:
        other = self.chance.choice(self.known[kind])
        return text[: self.chance.randrange(len(text) + 1)] + other[self.chance.randrange(len(other) + 1) :]

    def nest(self, text: str, kind: str) -> str:
        around = (("(", ")"), ("[", "]"), ("{a: ", "}"), ("<div>", "</div>"), ("not ", ""), ("'", "'"), ('"', '"'), ("(?:", ")*"))
        before, after = self.chance.choice(around)
        start = self.chance.randrange(len(text) + 1)
        end = min(len(text), start + self.chance.randrange(30))
        times = self.chance.choice((1, 2, 40, 300))
        return text[:start] + before * times + text[start:end] + after * times + text[end:]


class Inputs:
    """Reads, compiles and plays an input. Every exception that is not allowed is a finding."""

    kinds: tuple[str, ...] = (*("script", "sheet", "page", "expression", "form") * 2, *("whole",) * 3, "schema", "config", "pattern")

    def __init__(self, folder: str) -> None:
        self.folder, self.known = Path(folder), corpus()

    def play(self, kind: str, chance: random.Random) -> str:
        """What became of it, in a word."""
        self.input = ""
        result: str = getattr(self, f"_{kind}")(Changer(chance, self.known))
        return result

    def _made(self, text: str) -> str:
        self.input += text
        return text

    def _allowed(self, act: Callable[[], Any]) -> Any:
        """What *act* gives; None where it says what is wrong in the way that it should."""
        from idlefox.problems import Unreadable

        try:
            return act()
        except Unreadable as fault:
            if not fault.problems or not all(p.cause and p.place.line >= 1 for p in fault.problems):
                raise AssertionError(f"what is wrong is not told: {fault.problems}") from None
            return None

    def _script(self, changer: Changer) -> str:
        from idlefox.script.expand import expand
        from idlefox.script.reader import read_script_text
        from idlefox.script.writer import write_script

        text = self._made(changer.text("script"))
        script = self._allowed(lambda: read_script_text(text, "a.fox"))
        if script is None:
            return "refused"
        _, problems = expand(script)
        laid_out = write_script(script)
        assert write_script(read_script_text(laid_out, "a.fox")) == laid_out, "laid out twice it is another"
        return "wrong" if problems else "read"

    def _sheet(self, changer: Changer) -> str:
        from idlefox.forms.sheet.read import read_sheet_text

        text = self._made(changer.text("sheet"))
        return self._compiled(lambda: read_sheet_text(text, "f.form.yaml"))

    def _page(self, changer: Changer) -> str:
        from idlefox.forms.html.read import read_page_text

        text = self._made(changer.text("page"))
        return self._compiled(lambda: read_page_text(text, "p.html"))

    def _compiled(self, read: Callable[[], Any]) -> str:
        from idlefox.engine.compile.compiler import compile_form
        from idlefox.engine.session.session import SessionFactory
        from idlefox.report.outline import outline_lines

        form = self._allowed(read)
        if form is None:
            return "refused"
        if form.python:
            return "read"
        plan = self._allowed(lambda: compile_form(form))
        if plan is None:
            return "refused"
        SessionFactory(plan)
        outline_lines(form, 80)
        return "read"

    def _schema(self, changer: Changer) -> str:
        from idlefox.forms.schema.read import read_schema

        text = self._made(changer.text("schema"))
        return "refused" if self._allowed(lambda: read_schema(self._file("s.json", text))) is None else "read"

    def _config(self, changer: Changer) -> str:
        from idlefox.commands.config import read_config

        text = self._made(changer.text("config"))
        self._file("idlefox.toml", text)
        return "refused" if self._allowed(lambda: read_config(str(self.folder))) is None else "read"

    def _expression(self, changer: Changer) -> str:
        from idlefox.forms.expressions.parse import ExpressionError, parse

        text = self._made(changer.text("expression"))
        try:
            parse(text)
        except ExpressionError:
            return "refused"
        quoted = json.dumps(text)
        rows = "{type: rows, start: 2, fields: {t: {}, n: {type: number}}}"
        fields = f"a: {{}}, b: {{type: number}}, k: {{type: checkbox}}, r: {rows}, d: {{visible: {quoted}}}"
        return self._played(f"form: f\nfields: {{{fields}}}\n", changer)

    def _pattern(self, changer: Changer) -> str:
        from idlefox.forms.values.patterns import PatternError, PatternTooSlow, finds, whole_match

        text = self._made(changer.text("pattern"))
        try:
            found = changer.chance.choice((whole_match, lambda p: finds(p, "v")))(text)
            for each in ("", "a", "ab" * 20, "SK4711", "a\nb", "é🔦", "x" * 500):
                found(each)
        except PatternError:
            return "refused"
        except PatternTooSlow:
            return "given up"
        return "read"

    def _whole(self, changer: Changer) -> str:
        """A sheet or page with a script, through the player."""
        from idlefox.playing.player import RunOptions, play_script
        from idlefox.playing.select import SelectedScript
        from idlefox.playing.subjects import Subjects
        from idlefox.report.wording import expected_text, found_text, reason_text

        form, script = changer.chance.choice(changer.pairs)
        page = form.lstrip().startswith("<")
        if changer.chance.random() < 0.5:
            form = changer.text("page" if page else "sheet", form)
        if changer.chance.random() < 0.8:
            script = changer.text("script", script)
        self._file("p.html" if page else "f.form.yaml", self._made(form))
        body = "\n".join(line for line in script.split("\n") if not line.startswith(("subject", "clock", "use")))
        path = self._file("a.fox", self._made(f'subject "{"p.html" if page else "f.form.yaml"}"\nclock 2031-05-02T09:00:00Z\n\n{body}'))
        result = play_script(SelectedScript(path), RunOptions(), Subjects())
        for each in result.scenarios:
            assert each.verdict != "error", each.fault
            for failure in each.failures:
                expected_text(failure), found_text(failure), reason_text(failure)
        return "played" if result.scenarios else "refused"

    def _form(self, changer: Changer) -> str:
        """A valid form, and steps that have nothing to do with it."""
        sheet = self._made(changer.chance.choice(changer.known["sheet"]))
        return self._played(sheet, changer)

    def _played(self, sheet: str, changer: Changer) -> str:
        """Takes steps by chance; the journal must rebuild the state."""
        from idlefox.engine.compile.compiler import compile_form
        from idlefox.engine.session.session import Session, SessionFactory
        from idlefox.engine.state.cells import everything
        from idlefox.engine.state.journal import rebuild
        from idlefox.forms.names.addresses import parse_address
        from idlefox.forms.sheet.read import read_sheet_text

        form = self._allowed(lambda: read_sheet_text(sheet, "f.form.yaml"))
        if form is None or form.python:
            return "refused"
        session = Session(SessionFactory(compile_form(form)))
        if session.load(0) is not None:
            return "no end"
        initial = session.state()
        chance = changer.chance
        texts, values = ("x", "1", "2031-05-02", "", *ODD[3:14]), (None, 5, "x", [1], {"a": 2}, True, 1e300)
        acts: dict[str, Callable[[Any], Any]] = {
            "type": lambda at: session.type(at, chance.choice(texts)), "erase": lambda at: session.erase(at, 1), "clear": session.clear,
            "turn": lambda at: session.turn(at, None), "focus": session.focus, "blur": lambda at: session.leave_field(None),
            "set": lambda at: session.set(at, chance.choice(values)), "add": lambda at: session.add(at, None, None),
            "remove": lambda at: session.remove((*at, 0)), "submit": lambda at: session.submit("", ""), "reset": lambda at: session.reset(),
            "wait": lambda at: session.advance(chance.choice((1, 400, 90_000_000))), "leave": lambda at: session.leave(),
            "return": lambda at: session.come_back(), "reload": lambda at: session.reload(),
        }  # fmt: skip
        for number in range(1, chance.randint(1, 12)):
            cells = [cell for whole in session.live.roots_by_panel.values() for cell in everything(whole)]
            verb = chance.choice(list(acts))
            fit = [cell for cell in cells if FITTING.get(verb, lambda cell: True)(cell)]
            if not fit:
                continue
            at = parse_address(chance.choice(fit).address()) or ()
            session.live.step = number
            self._made(f"\n# {verb} {at}")
            acts[verb](at)
        state = session.state()
        assert rebuild(initial, session.journal().changes, 99) == state, "the journal does not rebuild the state"
        return "played"

    def _file(self, name: str, text: str) -> str:
        path = self.folder / name
        path.write_text(text, "utf-8", "surrogatepass", newline="")
        return str(path)


TEXTS = frozenset({"text", "search", "tel", "email", "url", "password", "textarea", "number"})
# On what a step can be taken, which a script says before it is played.
FITTING: dict[str, Callable[[Any], bool]] = {
    **dict.fromkeys(("type", "erase", "clear"), lambda cell: cell.plan.kind in TEXTS),
    "turn": lambda cell: cell.plan.kind == "checkbox" and not cell.plan.field.many,
    "set": lambda cell: cell.plan.kind in ("date", "time", "range", "month", "week", "color"),
    "focus": lambda cell: hasattr(cell, "raw"),
    "add": lambda cell: hasattr(cell, "next_id"),
    "remove": lambda cell: hasattr(cell, "next_id") and bool(cell.parts),
}  # fmt: skip

if __name__ == "__main__":
    main(__doc__, Inputs)
