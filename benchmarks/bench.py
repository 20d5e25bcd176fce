"""Speed as ratios within one run: `python benchmarks/bench.py [NAME …]`. See README.md in this folder.

Each pair is timed alternately, A B A B …, and the ratio is the median of the ratios of the pairs, so that a machine that slows
down halfway does not distort it.
"""

from __future__ import annotations

import gc
import io
import os
import statistics
import subprocess
import sys
import tempfile
import time
import tokenize
import tracemalloc
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import yaml
from handwritten import Form as HandForm

from idlefox.engine.acts import hands, rows
from idlefox.engine.acts.enter import type_text
from idlefox.engine.acts.focus import blur, focus
from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.due import advance
from idlefox.engine.session.session import Session, SessionFactory, built
from idlefox.engine.state.form_state import FormState
from idlefox.forms.sheet.read import read_sheet_text
from idlefox.playing.checks import judge_check
from idlefox.playing.player import RunOptions, play_script
from idlefox.playing.select import SelectedScript
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.subjects import Subjects
from idlefox.script.reader import read_script_text
from idlefox.script.tree import Check, Noun, WordToken

gc.set_threshold(100_000, 20, 20)  # as `idlefox` itself has it
TEXTS = ("mara.lind@fjordmail.example", "SK4711", "ISLE1234", "Mara Lind of Tarvik")


def timed(work: Callable[[], object]) -> float:
    gc.collect()
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def ratio(a: Callable[[], object], b: Callable[[], object], pairs: int = 9) -> tuple[float, float, float]:
    """Median of A/B over *pairs* pairs, and the medians of both in seconds."""
    a(), b()
    found = [(timed(a), timed(b)) for _ in range(pairs)]
    return statistics.median(x / y for x, y in found), statistics.median(x for x, _ in found), statistics.median(y for _, y in found)


def say(name: str, value: float, most: float | None, more: str) -> None:
    limit = f"at most {most:g}" if most is not None else ""
    print(f"{name:<44} {value:8.2f}   {limit:<14} {more}")


# keystrokes
SMALL = """
form: small
report: {first: blur, again: change}
reveal: touched or attempted
fields:
  email:
    type: email
    trim: true
    rules:
      - {required: true, say: We need an address.}
      - {email: true, say: That is not an address.}
      - {maxlength: 60, say: At most 60.}
  plate:
    case: upper
    rules: [{required: true, say: We need the plate.}, {pattern: '[A-Z]{2}[0-9]{3,5}', say: A plate looks like SK4711.}]
  voucher: {rules: [{minlength: 8, maxlength: 8, say: Eight characters.}]}
  name: {rules: [{required: true, say: 'A name, please.'}]}
submit: {enabled: form.valid and form.dirty}
"""


def keystroke() -> None:
    stage = SessionFactory(compile_form(read_sheet_text(SMALL, "small")))
    keys = 2 * sum(map(len, TEXTS)) * 40

    def engine() -> None:
        for _ in range(40):
            live = stage.fresh(0)
            for cell, text in zip(live.root.parts, TEXTS, strict=True):
                focus(live, cell)
                hands.press_keys(live, cell, text)
                blur(live)
                focus(live, cell)
                hands.press_keys(live, cell, text)

    def by_hand() -> None:
        for _ in range(40):
            form = HandForm()
            for field, text in zip((form.email, form.plate, form.voucher, form.name), TEXTS, strict=True):
                form.type(field, text)
                form.blur(field)
                form.type(field, text)

    found, a, b = ratio(engine, by_hand)
    say("a key, engine / written by hand", found, 2, f"{a / keys * 1e6:.2f} µs / {b / keys * 1e6:.2f} µs")


def many_fields(count: int) -> str:
    lines = ["form: many", "fields:"]
    for i in range(count):
        lines += [
            f"  field_{i}:",
            f"    label: Field {i}",
            "    rules:",
            "      - {required: true, say: '{label} is needed.'}",
            "      - {minlength: 3, maxlength: 40, say: 'Between {minlength} and {maxlength}.'}",
            "      - {pattern: '[a-z ]+', say: Use lower-case letters only.}",
        ]
    lines.append("submit: {enabled: form.valid and form.dirty}")
    return "\n".join(lines) + "\n"


def typing(live: FormState, index: int) -> Callable[[], None]:
    cell = live.root.parts[index]
    enabled = live.root.plan.form.submit.enabled
    focus(live, cell)

    def work() -> None:
        for _ in range(200):
            for character in "abcdefghij":
                hands.press_keys(live, cell, character)
                enabled(live.root, None)
            hands.step_clear(live, cell)
        live.trace.clear()

    return work


def size_of_form() -> None:
    large = SessionFactory(compile_form(read_sheet_text(many_fields(2000), "many"))).fresh(0)
    small = SessionFactory(compile_form(read_sheet_text(many_fields(20), "many"))).fresh(0)
    found, a, b = ratio(typing(large, 1999), typing(small, 19))
    say("a key, form of 2,000 fields / of 20", found, 1.3, f"{a / 2000 * 1e6:.2f} µs / {b / 2000 * 1e6:.2f} µs")


def address_of_field() -> None:
    """A step by its address, as scripts take it: `type field_1999 "a"`."""

    def typed(count: int) -> Callable[[], None]:
        session = Session(SessionFactory(compile_form(read_sheet_text(many_fields(count), "many"))))
        session.load(0)
        at = (f"field_{count - 1}",)

        def work() -> None:
            for _ in range(1000):
                session.type(at, "a")
            session.clear(at)
            session.live.trace.clear()

        return work

    found, a, b = ratio(typed(2000), typed(10))
    say("a step, last of 2,000 fields / of 10", found, 1.2, f"{a * 1e3:.2f} µs / {b * 1e3:.2f} µs")


def copies() -> None:
    session = Session(SessionFactory(compile_form(read_sheet_text(many_fields(40), "many"))))
    session.load(0)
    session.type(("field_7",), "ab")
    kept = session.copy()
    rounds = 200
    for name, work in (("copying", session.copy), ("restoring", lambda: session.restore(kept))):
        best = min(timed(lambda work=work: [work() for _ in range(rounds)]) for _ in range(9)) / rounds
        key = min(timed(lambda: [session.type(("field_7",), "a") for _ in range(20)]) for _ in range(9)) / 20
        say(f"{name} a form of 40 fields, µs", best * 1e6, 100, f"{best / key:.1f} keys")


# rows
def with_rows(count: int) -> str:
    return f"""
form: rows
fields:
  list:
    type: rows
    start: {count}
    fields:
      a: {{rules: [{{required: true}}, {{maxlength: 20}}]}}
      b: {{type: number, rules: [{{min: 0}}]}}
      c: {{type: checkbox}}
      d: {{visible: row.c, rules: [{{required: true}}]}}
      e: {{rules: [{{unique: true}}]}}
submit: {{enabled: form.valid and form.dirty}}
"""


def row_key() -> None:
    def last(count: int) -> Callable[[], None]:
        live = SessionFactory(compile_form(read_sheet_text(with_rows(count), "rows"))).fresh(0)
        row = live.root.parts[0].parts[-1]
        enabled = live.root.plan.form.submit.enabled

        def work() -> None:
            for part in (row.parts[0], row.parts[4]):
                focus(live, part)
                for _ in range(100):
                    for character in "abcdefghij":
                        hands.press_keys(live, part, character)
                        enabled(live.root, None)
                    hands.step_clear(live, part)
            live.trace.clear()

        return work

    found, a, b = ratio(last(10_000), last(10))
    say("a key in the last of 10,000 rows / of 10", found, 1.5, f"{a / 2000 * 1e6:.2f} µs / {b / 2000 * 1e6:.2f} µs")


def asking_validity() -> None:
    """`expect form is invalid` on a form of many rows."""

    def asked(count: int) -> Callable[[], None]:
        plan = compile_form(read_sheet_text(with_rows(count), "rows"))
        subject = SimulatedForm(SessionFactory(plan), ".")
        subject.load(0)
        check = Check(Noun("form"), False, "is", (WordToken("invalid"),))

        def work() -> None:
            for _ in range(1000):
                judge_check(subject, check)

        return work

    found, a, b = ratio(asked(10_000), asked(10))
    say("`form is invalid`, 10,000 rows / 10", found, 1.5, f"{a * 1e3:.2f} µs / {b * 1e3:.2f} µs")


def row_removed() -> None:
    def first_of(count: int) -> tuple[Callable[[], float], int]:
        live = SessionFactory(compile_form(read_sheet_text(with_rows(count), "rows"))).fresh(0)
        many = live.root.parts[0]

        def work() -> float:
            begin = time.perf_counter()
            rows.step_remove(live, many.parts[0])
            return time.perf_counter() - begin

        return work, count

    large, _ = first_of(10_000)
    pairs = []
    for _ in range(30):
        small, _ = first_of(10)
        small()  # the first removal of each makes the list dirty
        large()
        pairs.append((statistics.median(large() for _ in range(5)), statistics.median(small() for _ in range(5))))
    found = statistics.median(x / y for x, y in pairs)
    a, b = (statistics.median(p[i] for p in pairs) for i in (0, 1))
    say("removing the first of 10,000 rows / of 10", found, 3, f"{a * 1e6:.1f} µs / {b * 1e6:.1f} µs")


def row_memory() -> None:
    plan = compile_form(read_sheet_text(with_rows(10_000), "rows"))
    tracemalloc.start()
    live = SessionFactory(plan).fresh(0)
    used = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    say("10,000 rows of 5 fields, MB", used / 1e6, 150, f"with the seed they are copied from; {len(live.root.parts[0].parts)} rows")


# reading
def script_lines() -> str:
    scenario = Path(__file__).parent.parent.joinpath("src/idlefox/demo/messages.fox").read_text(encoding="utf-8")
    head, _, body = scenario.partition("scenario")
    body = "scenario" + body
    return head + body * (100_000 // body.count("\n") + 1)


def reading_script() -> None:
    text = script_lines()

    def tokens() -> None:
        for _ in tokenize.generate_tokens(io.StringIO(text).readline):
            pass

    found, a, b = ratio(lambda: read_script_text(text, "big.fox"), tokens, 5)
    say(f"reading {text.count(chr(10)):,} lines / tokenize", found, 0.6, f"{a:.2f} s / {b:.2f} s")


def reading_sheet() -> None:
    text = many_fields(2000)
    found, a, b = ratio(
        lambda: compile_form(read_sheet_text(text, "many.form.yaml")), lambda: yaml.compose(text, Loader=yaml.CSafeLoader), 5
    )
    say("a sheet of 2,000 fields, ready / YAML compose", found, 2.5, f"{a:.2f} s / {b:.2f} s")


def large_page(count: int) -> str:
    """A page of *count* controls of five kinds as people write them: labelled, classed, with a hint and bounds of its own."""
    parts = [
        "<!doctype html>\n<html lang=en>\n<head><meta charset=utf-8><title>Large</title></head>\n<body>\n",
        '<form id="f" class="wide" action="/go" method="post">\n',
    ]
    for i in range(count):
        name = f'id="c{i}" name="c{i}" class="field-input"'
        control = (
            f'<input type="text" {name} required minlength="{i % 7}" maxlength="{30 + i % 11}" pattern="[a-z ]+">',
            f'<input type="number" {name} min="{i % 9}" max="{100 + i % 13}" step="5" value="{i % 90}">',
            f'<select {name} required><option value="">Choose</option><option>A</option><option>B</option></select>',
            f'<input type="checkbox" {name} value="yes">',
            f'<textarea {name} maxlength="200" rows="3"></textarea>',
        )[i % 5]
        parts.append(
            f'  <div class="field">\n    <label for="c{i}" class="field-label">Field number {i}</label>\n    {control}\n'
            '    <p class="field-hint">Ask the office on board if you are not sure.</p>\n  </div>\n'
        )
    return "".join(parts) + '  <p><button class="main">Send</button></p>\n</form>\n</body>\n</html>\n'


def reading_page() -> None:
    from selectolax.lexbor import LexborHTMLParser

    from idlefox.forms.html.read import read_page_text

    text = large_page(5000)
    found, a, b = ratio(lambda: compile_form(read_page_text(text, "large.html")), lambda: LexborHTMLParser(text), 9)
    say("a page of 5,000 controls, ready / parsing it", found, 10, f"{a * 1e3:.0f} ms / {b * 1e3:.0f} ms")
    plan = compile_form(read_page_text(text, "large.html"))
    found, a, b = ratio(lambda: built(plan, 0, None), lambda: LexborHTMLParser(text), 9)
    say("  its first state, and / parsing it", found, None, f"{a * 1e3:.0f} ms / {b * 1e3:.0f} ms")


# time
def many_lookups() -> None:
    def waiting(count: int) -> float:
        sheet = f"""
form: f
fields: {{r: {{type: rows, start: {count}, fields: {{v: {{rules: [{{lookup: l, start: change}}]}}}}}}}}
lookups: {{l: {{takes: 1s}}}}
"""
        live = SessionFactory(compile_form(read_sheet_text(sheet, "f"))).fresh(0)
        cells = [row.parts[0] for row in live.root.parts[0].parts]
        begin = time.perf_counter()
        for cell in cells:
            type_text(live, cell, "x")
        advance(live, live.now + 2000)
        assert live.queue.under_way == 0
        return (time.perf_counter() - begin) / count

    large, small = waiting(10_000), waiting(1_000)
    say("one of 10,000 lookups / of 1,000", large / small, None, f"{large * 1e6:.1f} µs / {small * 1e6:.1f} µs")


def an_hour() -> None:
    sheet = "form: f\nfields: {a: {rules: [{lookup: l, start: change}]}}\nlookups: {l: {takes: 1s}}\n"

    def scenario(wait: str) -> Callable[[], object]:
        folder = Path(tempfile.mkdtemp())
        folder.joinpath("f.form.yaml").write_text(sheet, encoding="utf-8")
        body = "".join(f'    type a "x"\n    wait {wait}\n    expect a is valid\n' for _ in range(60))
        folder.joinpath("a.fox").write_text(f'subject "f.form.yaml"\nscenario "s"\n{body}', encoding="utf-8")
        return lambda: play_script(SelectedScript(str(folder / "a.fox")), RunOptions(), Subjects())

    found, a, b = ratio(scenario("1m"), scenario("2s"))
    say("an hour of virtual time / two minutes of it", found, None, f"{a * 1e3:.1f} ms / {b * 1e3:.1f} ms")


# starting
def starting() -> None:
    folder = Path(tempfile.mkdtemp())
    folder.joinpath("f.form.yaml").write_text(SMALL, encoding="utf-8")
    scenarios = "".join(
        f'scenario "number {i}"\n    type voucher "ISLE{i}"\n    blur\n    expect voucher breaks tooShort\n' for i in range(10)
    )
    folder.joinpath("a.fox").write_text(f'subject "f.form.yaml"\n{scenarios}', encoding="utf-8")
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def call(*args: str, **more: str) -> Callable[[], object]:
        return lambda: subprocess.run([sys.executable, *args], cwd=folder, env={**env, **more}, check=True, capture_output=True)

    bare, run = call("-c", "import click"), ("-m", "idlefox", "run", "a.fox")
    nothing_kept = call(*run, XDG_CACHE_HOME=str(folder / "a.fox"))  # no folder: no sheet was ever read before
    for name, most, work in (
        ("idlefox --help", 1.5, call("-m", "idlefox", "--help")), ("idlefox run, ten scenarios", 2.5, call(*run)),
        ("  the first time", None, nothing_kept),
    ):  # fmt: skip
        found, a, b = ratio(work, bare, 15)
        say(f"{name} / import click", found, most, f"{a * 1e3:.0f} ms / {b * 1e3:.0f} ms")


def guards() -> None:
    """What guards cost: patterns that cannot run away, and files that must lie below the project, against none."""
    from idlefox import problems
    from idlefox.forms.values import patterns

    sheet = "form: f\nfields: {a: {rules: [{pattern: '[A-Z]{2}[0-9]{4}(-[0-9]{2})?', say: No.}]}}\n"
    kept = patterns._finder
    guarded = built(compile_form(read_sheet_text(sheet, "f.form.yaml")), 0, None)
    patterns._finder = lambda source, flags, written: patterns._engine(source, flags)  # type: ignore[assignment]
    bare = built(compile_form(read_sheet_text(sheet, "f.form.yaml")), 0, None)
    patterns._finder = kept
    found, a, b = ratio(*(typing_of(live) for live in (guarded, bare)))
    say("a key under a pattern, guarded / not", found, 1.1, f"{a / 3600 * 1e6:.2f} µs / {b / 3600 * 1e6:.2f} µs")

    folder = Path(tempfile.mkdtemp())
    folder.joinpath("f.form.yaml").write_text(SMALL, encoding="utf-8")
    folder.joinpath("a.fox").write_text('subject "f.form.yaml"\nscenario "s"\n    type voucher "ISLE1"\n', encoding="utf-8")
    play = lambda: play_script(SelectedScript(str(folder / "a.fox")), RunOptions(), Subjects())  # noqa: E731

    def unguarded() -> None:
        known, problems.is_outside_roots = problems.is_outside_roots, lambda path: False
        play()
        problems.is_outside_roots = known

    found, a, b = ratio(play, unguarded)
    say("a run with checks of file paths / without", found, 1.1, f"{a * 1e3:.2f} ms / {b * 1e3:.2f} ms")


def typing_of(live: FormState) -> Callable[[], None]:
    cell = live.root.parts[0]

    def work() -> None:
        for _ in range(400):
            type_text(live, cell, "AB1234-12", over=True)
        live.trace.clear()

    return work


def records() -> None:
    """Making the classes of a run: `records.NamedTuple` against `typing.NamedTuple`."""
    import typing

    from idlefox.records import NamedTuple

    text = "class A(Base):\n    a: int\n    b: str = ''\n    c: tuple = ()\n"
    code = compile(text, "a", "exec", dont_inherit=True)

    def made(base: object) -> Callable[[], object]:
        return lambda: [exec(code, {"Base": base, "__name__": "a"}) for _ in range(76)]

    found, a, b = ratio(made(NamedTuple), made(typing.NamedTuple))
    say("76 record classes / of typing.NamedTuple", found, 0.5, f"{a * 1e3:.1f} ms / {b * 1e3:.1f} ms")


ALL = [
    keystroke, size_of_form, address_of_field, copies, row_key, asking_validity, row_removed, row_memory, reading_script,
    reading_sheet, reading_page, many_lookups, an_hour, guards, records, starting,
]  # fmt: skip

if __name__ == "__main__":
    asked = sys.argv[1:]
    for bench in ALL:
        if not asked or bench.__name__ in asked:
            bench()
