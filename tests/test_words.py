"""The table of words is complete and correct, and agrees with the schema and the reference pages."""

from __future__ import annotations

import shutil
import subprocess
import sys
from itertools import pairwise
from pathlib import Path

import pytest
from conftest import Fox
from hypothesis import given, settings
from hypothesis import strategies as st
from pygments.lexers import get_lexer_by_name

from idlefox.forms.expressions.parse import FUNCTIONS
from idlefox.forms.model.form import RULE_KINDS
from idlefox.forms.names.states import FIELD_STATES, FORM_ONLY
from idlefox.playing.capabilities import needs
from idlefox.playing.subject import CAPABILITIES
from idlefox.pygments_lexer import FoxLexer
from idlefox.report.wording import expected_text, found_text, reason_text
from idlefox.script.checks import NOUNS
from idlefox.script.colors import KINDS, spans
from idlefox.script.reader import read_script_text
from idlefox.script.steps import STEPS
from idlefox.words.table import Word, find, said, words

ROOT = Path(__file__).parent.parent
DEMO = ROOT / "src" / "idlefox" / "demo"


@pytest.mark.parametrize("word", words(), ids=lambda word: f"{word.group} {word.place} {word.word}")
def test_every_example_passes(fox: Fox, word: Word) -> None:
    for file in DEMO.iterdir():
        shutil.copy(file, fox.folder)
    fox.write(rules__py=word.python, codes__csv=word.csv.lstrip())
    sheet = f"form: example\n{word.sheet}"
    script = word.example
    if not word.whole_script:
        script = 'scenario "it"\n' + "\n".join(f"    {line}" for line in script.split("\n"))
    if word.whole_script and "subject" in script:
        fox.write(a__fox=script)
        done = fox("run", "a.fox", "--verbose")
        assert done.returncode == 0, done.stdout
        return
    result = fox.play(sheet, script, "form.form.yaml" if word.sheet else f"{word.on}.form.yaml", trust=bool(word.python))
    assert not result.errors, [(p.cause, p.remedy) for p in result.errors]
    told = [(f.text, expected_text(f), found_text(f), reason_text(f)) for s in result.scenarios for f in s.failures]
    assert not told
    assert "expect" in script


def test_everything_that_can_be_written_has_a_word() -> None:
    there = {(word.group, word.word) for word in words()}
    nouns = {"submit is" if noun == "submit" else noun for noun in NOUNS}
    assert {word for group, word in there if group == "steps"} == set(STEPS)
    assert {word for group, word in there if group == "nouns"} == {*nouns, "ADDR"}
    assert {word for group, word in there if group == "predicates"} == {p for known in NOUNS.values() for p in known} | {
        "reads", "offers", "has", "allows", "any",
    }  # fmt: skip
    assert {word for group, word in there if group == "states"} == {*FIELD_STATES, *FORM_ONLY}
    assert {word for group, word in there if group == "rules"} == set(RULE_KINDS)
    assert {word for group, word in there if group == "functions"} > set(FUNCTIONS)


def test_words_and_examples_need_the_same_capabilities() -> None:
    for word in words():
        if word.needs:
            script = read_script_text('scenario "it"\n' + "\n".join(f"    {line}" for line in word.example.strip().split("\n")), "a.fox")
            assert word.needs in CAPABILITIES
            assert word.needs in {need for block in script.blocks for s in block.body.statements for need in needs(s.act)}, word.word


def test_the_schema_and_the_reference_pages_are_in_step_with_the_table() -> None:
    done = subprocess.run([sys.executable, "tools/reference.py", "--check"], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize(("asked", "says"), [
    ("", "steps: what a person does"), ("steps", 'type ADDR "TEXT"'), ("breaks only", "breaks nothing"), ("and", "A and B"),
    ("keys", "keys of a reply"), ("minlength", "Breaks tooShort"), ("dirty", "Default: compare"), ("settle", "let virtual time pass"),
])  # fmt: skip
def test_words_are_shown(fox: Fox, asked: str, says: str) -> None:
    done = fox("words", *asked.split())
    assert says in done.stdout
    assert done.returncode == 0
    assert max(map(len, done.stdout.split("\n"))) <= 100


@pytest.mark.parametrize(("asked", "says"), [("clik", "press a button with `submit`"), ("mark", "did you mean 'marked'?"), ("zzz", "idlefox words")])
def test_unknown_words_suggest_the_nearest(fox: Fox, asked: str, says: str) -> None:
    done = fox("words", asked)
    assert (done.returncode, done.stdout) == (2, "")
    assert says in done.stderr


def test_synonyms_are_not_keywords() -> None:
    for word in said():
        assert not [w for w in find(word) if w.group in ("steps", "blocks", "headers", "checks")], word


@given(st.sampled_from([path.read_text("utf-8") for path in sorted(DEMO.glob("*.fox"))]), st.data())
@settings(max_examples=60, deadline=None)
def test_colours_cover_any_text_in_order(text: str, data: st.DataObject) -> None:
    """Also of a half-written script; the lexer gives back the text, whatever it is."""
    text = text[: data.draw(st.integers(0, len(text)))] + data.draw(st.text(max_size=20))
    found = list(spans(text))
    assert all(span.start < span.end and span.kind in KINDS for span in found)
    assert all(one.end <= other.start for one, other in pairwise(found))
    assert "".join(part for _, _, part in FoxLexer().get_tokens_unprocessed(text)) == text


def test_what_each_word_is_coloured_as() -> None:
    text = 'scenario "of $day" [page]\n    fill\n        type "x"  # not a step\n    expect cannot type a.b[0] "x"\n    expect a is not touched, valid within 200ms\n    expect a shows like /^x/\n'
    named = [(text[span.start : span.end], span.kind) for span in spans(text)]
    assert named == [
        ("scenario", "keyword"), ('"of ', "string"), ("$day", "parameter"), ('"', "string"), ("[page]", "tag"), ("fill", "keyword"), ("type", "address"), ('"x"', "string"),
        ("# not a step", "comment"), ("expect", "keyword"), ("cannot", "word"), ("type", "step"), ("a.b[0]", "address"), ('"x"', "string"), ("expect", "keyword"), ("a", "address"),
        ("is", "word"), ("not", "word"), ("touched", "state"), ("valid", "state"), ("within", "word"), ("200ms", "number"), ("expect", "keyword"), ("a", "address"),
        ("shows", "word"), ("like", "word"), ("/^x/", "regex"),
    ]  # fmt: skip
    assert get_lexer_by_name("fox").name == "Idle Fox script"


def test_the_grammar_of_the_extension_is_current() -> None:
    """Its tests hold it to these colours; this one needs no Node.js."""
    done = subprocess.run([sys.executable, "tools/grammar.py", "--check"], cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
