"""Steps that several scenarios share at their start run once; each scenario has the same result as when it runs alone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from idlefox.playing.player import RunOptions, load_script, play_script
from idlefox.playing.prefix_cache import PrefixCache
from idlefox.playing.select import SelectedScript
from idlefox.playing.subjects import Subjects
from idlefox.script.ops import ExpandedScenario

SHEET = """
form: boats
draft: keep
fields:
  name: {label: Name, rules: [{required: true, say: Which?}, {lookup: names, say: Gone.}]}
  old: {type: checkbox}
  crew: {type: rows, fields: {who: {rules: [{required: true, say: 'Row {row}.'}]}}}
lookups: {names: {takes: 2s, refuse: [x]}}
submit: {to: /boats}
server: {takes: 1s, replies: [{when: old, status: 422, errors: {name: Too old.}}]}
"""
LINES = (
    'type name "x"', 'retype name "Alken"', "blur", "turn old on", "toggle old", "add crew", 'type crew[0].who "Una"', "remove crew[0]",
    "submit", "settle", "wait 500ms", 'answer names with accept "" after 3s', "answer submit with failure", "leave", "return", "reset",
    'do put("Una", 1)', 'do put("Una", true)', 'fill\n        name "x"\n        old true', "expect name is valid", "expect outcome is waiting within 3s", 'expect name shows "Gone."', "expect cannot submit", "expect crew has 1 row",
)  # fmt: skip
WAYS = st.lists(st.sampled_from(LINES), min_size=3, max_size=6)
SUITES = st.lists(
    st.tuples(st.integers(0, 2), st.lists(st.sampled_from(LINES), max_size=5), st.sampled_from(["", "", "", ' known "why"', ' aside "why"'])),
    min_size=2, max_size=8,
)  # fmt: skip


def played(file: Path, repeats: bool) -> Any:
    def ready(chosen: SelectedScript, wishes: RunOptions, subjects: Subjects) -> Any:
        found = load_script(chosen, wishes, subjects)
        assert found.loaded is not None
        assert found.loaded.repeats
        return found._replace(loaded=found.loaded._replace(repeats=repeats))

    return [each._replace(seconds=0) for each in play_script(SelectedScript(str(file)), RunOptions(), Subjects(), prepared=ready).scenarios]


@settings(max_examples=120, deadline=None)
@given(ways=st.tuples(WAYS, WAYS, WAYS), suite=SUITES)
def test_shared_prefixes_change_no_result(ways: tuple[list[str], ...], suite: list[tuple[int, list[str], str]], tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = tmp_path_factory.mktemp("alike")
    (folder / "boats.form.yaml").write_text(SHEET)
    text = 'subject "boats.form.yaml"\nroutine put(who, what)\n    retype name "$who $what"\n    fill\n        name $who\n    expect name != $what\n'
    for way, lines, fate in suite:
        text += f'scenario "s"{fate}\n' + "".join(f"    {line}\n" for line in (*ways[way], *lines))
    (folder / "a.fox").write_text(text)
    assert played(folder / "a.fox", True) == played(folder / "a.fox", False)


class Counted:
    """What is played, step by step: its copies know what led to them."""

    made = 0

    def trial(self, *, alone: bool = False) -> Counted:
        Counted.made += 1
        return Counted()


def scenario(acts: str, clock: int | None = None, fate: str = "") -> ExpandedScenario:
    class Op:
        def __init__(self, act: str) -> None:
            self.act = act  # one letter: the same object wherever it stands

    return ExpandedScenario("s", (), 1, 1, 0, tuple(map(Op, acts)), clock, fate)  # type: ignore[arg-type]


# Scenarios -> with what number of steps each begins, and how many forms are kept.
SHARED: list[tuple[list[ExpandedScenario], list[int], int]] = [
    ([scenario("abcx"), scenario("abcy"), scenario("abcz")], [0, 3, 3], 1),
    ([scenario("abx"), scenario("aby")], [0, 0], 0),  # a form is copied as quickly
    ([scenario("abcdef"), scenario("abcdef")], [0, 6], 1),
    ([scenario("abcxx"), scenario("q"), scenario("abc"), scenario("abcxxzzz"), scenario("abcxxzz")], [0, 0, 3, 3, 7], 2),
    ([scenario("abcx"), scenario("abcy", 5), scenario("abcz", 5), scenario("abc", fate="aside")], [0, 0, 3, 0], 1),
    ([scenario("abc"), scenario("abcdef"), scenario("abcdefg"), scenario("abcdefh")], [0, 3, 6, 6], 2),
]


@pytest.mark.parametrize("scenarios, begins, kept", SHARED)
def test_prefixes_that_are_shared(scenarios: list[ExpandedScenario], begins: list[int], kept: int) -> None:
    Counted.made, found = 0, []
    beginnings = PrefixCache(scenarios, 0)
    for number, each in enumerate(scenarios):
        beginning = beginnings.of(number)
        begun = beginning.begun.number if beginning is not None and beginning.begun is not None else 0
        found.append(begun)
        for at in range(begun + 1, len(each.ops) + 1):
            if beginning is not None and beginning.mark == at:
                beginning.keep(Counted(), 0, 0)  # type: ignore[arg-type]
    assert found == begins
    assert Counted.made == kept
    assert beginnings.held == 0


def test_equal_lines_keep_their_own_places(fox: Any) -> None:
    (fox.folder / "boats.form.yaml").write_text(SHEET)
    wrong = '    type nobody "x"  # so\n    inside crew[0]\n        fill\n            whom $p\n            .who $p\n    do nothing_known\n'
    fox.write(a__fox=f'subject "boats.form.yaml"\nscenario "a"\n{wrong}{wrong}', b__fox='subject "boats.form.yaml"\n' + 2 * 'scenario "a"\n    expect name = "y"\n')
    told = fox("run", "a.fox").stdout
    assert [word for word in told.split() if word.startswith("a.fox:")] == [
        f"a.fox:{line}:{column}:" for first in (3, 9) for line, column in ((first, 10), (first + 3, 18), (first + 4, 18), (first + 5, 8))
    ], told
    assert [word for word in fox("run", "b.fox").stdout.split() if word.startswith("b.fox:")] == ["b.fox:2", "b.fox:3:17", "b.fox:4", "b.fox:5:17"]
