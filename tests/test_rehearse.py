"""The interactive prompt: pipes, exact undo, saved scenarios that pass, and completion."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from click.shell_completion import ShellComplete
from conftest import Fox
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from idlefox.commands.main import cli
from idlefox.playing.player import DEFAULT_CLOCK
from idlefox.playing.rehearsal import Rehearsal, is_whole
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.subjects import Subjects
from idlefox.script.complete import KnownNames, complete
from idlefox.script.reader import read_script_text

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"


@pytest.fixture
def demo(fox: Fox) -> Fox:
    for each in DEMO.iterdir():
        if each.suffix in (".fox", ".yaml", ".html"):
            shutil.copy(each, fox.folder / each.name)
    return fox


def test_steps_and_checks_run_as_they_arrive(demo: Fox) -> None:
    said = """type contact.email "mara@"
expect contact.email is dirty
blur
offer
expect contact.email is valid
type contact.emial "x"
remove passengers[0]
look contact.email
back 3
where
fill
    passengers[0].full_name "Mara $5"

    passengers[0].age 41
expect values includes {
  "passengers": [
{"full_name": "Mara $5"}]
}
submit
offer
keep new.fox "what $ a day"
again
lok
help back
quit
never
"""
    done = demo("rehearse", "booking.form.yaml", piped=said)
    assert done.returncode == 2
    told = done.stdout
    for line in (
        '        state     contact.email reads                "" → "mara@"\n', "> expect contact.email is dirty\n   holds\n",
        '   expect contact.email shows "That is not an email address."\n', "   does not hold\n      expected  valid\n      found     invalid\n",
        "   'contact' has no field 'emial'\n 1 │ type contact.emial", "→ did you mean 'email'?",
        "   not possible; nothing changed\n      passengers does not allow remove: it has 1 row", ' contact.email  "mara@"   dirty, touched, invalid, marked, breaks typeMismatch\n',
        "> where\n   1  type contact.email \"mara@\"\n   2  expect contact.email is dirty\n   3  blur\n   4  expect contact.email is touched\n> fill",
        "   expect outcome is refused\n   expect focus = sailing\n", " saved: new.fox:3", " replayed\n", "   → or did you mean look?\n", "  back [N]            undo the last",
    ):  # fmt: skip
        assert line in told, line
    assert "never" not in told
    kept = (demo.folder / "new.fox").read_text()
    assert 'scenario "what $$ a day"\n    type contact.email "mara@"\n' in kept
    assert '    fill\n        passengers[0].full_name "Mara $5"\n' in kept
    assert "1 passed" in demo("run", "new.fox").stdout
    assert demo("format", "--check", "new.fox").returncode == 0


def test_rehearse_continues_a_scenario_and_saves_it(demo: Fox) -> None:
    before = (demo.folder / "booking.fox").read_text()
    done = demo("rehearse", "booking.form.yaml", "--from", "booking.fox:60", piped='where\nretype passengers[0].age "40"\nadd passengers\ndo passenger(1, "Ada", "40")\nexpect passengers is valid\nkeep booking.fox "she grew up"\n')
    assert done.returncode == 0, done.stdout
    assert "   6  type passengers[0].age \"7\"\n" in done.stdout
    after = (demo.folder / "booking.fox").read_text()
    assert after.startswith(before)
    assert after.endswith('    add passengers\n    type passengers[1].full_name "Ada"\n    type passengers[1].age "40"\n    expect passengers is valid\n'), after[len(before) :]
    assert "1 passed" in demo("run", "booking.fox:226").stdout
    refused = demo("rehearse", "booking.form.yaml", piped='keep booking.fox "x"\nkeep claims.fox "x"\nkeep x "y"\n')
    assert "this script has a prelude, which did not run here" in refused.stderr + refused.stdout
    assert "this script is about claims.form.yaml" in refused.stderr + refused.stdout
    assert "keep needs a script and a title" in refused.stdout


@pytest.mark.parametrize(("call", "says"), [
    (("none.form.yaml",), "file not found"), (("booking.fox",), "a form sheet or an HTML page is needed here"), (("booking.form.yaml", "--from", "booking.fox"), "a script and a line are needed"),
    (("booking.form.yaml", "--from", "booking.fox:3"), "no scenario at line 3"), (("booking.form.yaml", "--clock", "noon"), "'noon' is not an RFC 3339 time"),
])  # fmt: skip
def test_forms_that_cannot_be_rehearsed(demo: Fox, call: tuple[str, ...], says: str) -> None:
    done = demo("rehearse", *call, piped="")
    assert done.returncode == 2
    assert says in done.stdout + done.stderr


LINES = [
    'type contact.email "mara@fjordmail.example"', 'retype voucher "WEST0001"', 'retype voucher "ISLE1234"', "blur", "wait 1s", "settle", "submit", "add passengers",
    "remove passengers[0]", "move passengers[0] to 1", 'type passengers[0].age "40"', 'type passengers[1].full_name "Ivo"', "turn vehicle.bringing on", 'type vehicle.plate "sk47"',
    'pick sailing "night"', "pick extras \"cabin\", \"bicycle\"", "reset", "leave", "return", "reload", "answer submit with 422", "answer voucher_book with failure", "dismiss",
    "expect form is dirty", "expect voucher is asking within 2s", "expect outcome is refused", 'set day "2030-02-01"', "press Enter in voucher",
    'fill\n    sailing "noon"\n    contact.email_again "mara@fjordmail.example"',
]  # fmt: skip


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture])
@given(first=st.lists(st.sampled_from(LINES), max_size=12), undone=st.lists(st.sampled_from(LINES), max_size=8), after=st.lists(st.sampled_from(LINES), max_size=6))
def test_back_undoes_everything_and_saved_scenarios_pass(first: list[str], undone: list[str], after: list[str]) -> None:
    def begun() -> Rehearsal:
        return Rehearsal(Subjects().load("booking.form.yaml", str(DEMO)), str(DEMO / "booking.form.yaml"), ".", DEFAULT_CLOCK)

    def state(rehearsal: Rehearsal) -> object:
        assert isinstance(rehearsal.subject, SimulatedForm)
        return rehearsal.subject.state(), rehearsal.subject.journal(), rehearsal.subject.elapsed()

    one, other = begun(), begun()
    for line in first:
        assert one.take(line).held == other.take(line).held
    there = len(one.entries)
    for line in undone:
        one.take(line)
    one.offer()
    assert one.back(len(one.entries) - there) == len(one.entries[there:]) or len(one.entries) == there
    assert state(one) == state(other)
    for line in after:
        came, same = one.take(line), other.take(line)
        assert (came.held, came.changed) == (same.held, same.changed)
        assert state(one) == state(other)
    one.offer()
    before = state(one)
    assert one.again() is None
    assert state(one) == before
    if one.entries:
        assert 'scenario "it"' in one.kept(str(DEMO / "kept.fox"), None, "it")


@pytest.mark.parametrize(("text", "whole"), [
    ('type a "[x"', True), ("set a [1,", False), ("set a [1,\n2]", True), ("fill", False), ("fill\n    a 1", False), ("inside passengers[0]", False), ("expect a like /[a-z]/", True),
    ("do it with", False), ("do it with a, b", False), ('add r with {"a": 1}', True), ('add r with {', False), ("expect x = 1 # {", True),
])  # fmt: skip
def test_where_a_statement_ends(text: str, whole: bool) -> None:
    assert is_whole(text) is whole


@pytest.mark.parametrize(("line", "offered"), [
    ("ret", ["retype", "return"]), ("type pass", ["passengers[0].full_name", "passengers[0].age"]), ("pick sailing ", ['"morning"', '"noon"', '"night"', "also", "except"]),
    ('pick sailing "ni', ['"night"']), ("turn v", ["vehicle.bringing"]), ("turn vehicle.bringing o", ["on", "off"]), ("remove p", ["passengers[0]"]), ("press Arrow", ["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"]),
    ("answer v", ["voucher_book"]), ("answer voucher_book with re", ["refuse"]), ("expect vouc", ["voucher"]), ("expect outcome is ref", ["refused"]), ("expect sailing is vis", ["visible"]),
    ("expect voucher breaks look", ["lookup"]), ("expect passengers has 2 r", ["rows"]), ("expect passengers al", ["allows"]), ("expect view is d", ["done"]), ("do pa", ["passenger(index)"]),
    ("expect cannot sub", ["submit"]), ("expect voucher is valid w", ["within"]), ("expect extras offers c", ['"cabin"']), ('expect sailing shows "Ch', ['"Choose a sailing."']), ("type voucher $in", ["$index"]),
    ("expect errors no", ["nothing", "not"]), ("expect submit is en", ["enabled"]), ("submit p", ["past checks"]),
])  # fmt: skip
def test_how_a_line_can_go_on(line: str, offered: list[str]) -> None:
    form = Subjects().load("booking.form.yaml", str(DEMO)).form
    known = KnownNames(form, (("passenger", ("index",)),), ("index",))
    assert [each.text for each in complete(line, known)] == offered


@pytest.mark.parametrize(("args", "incomplete", "offered"), [
    ((), "re", ["rehearse", "rename"]), (("run",), "booking.f", ["booking.form.yaml", "booking.fox"][1:]), (("run",), "booking.fox:17", ["booking.fox:17", "booking.fox:177"]), (("run", "--tag"), "vou", ["voucher"]),
    (("lint", "--only"), "nags,never-", ["nags,never-breaks", "nags,never-true"]), (("words",), "unas", ["unasked"]), (("rehearse",), "cr", ["crew.form.yaml"]),
    (("trace", "booking.fox:17", "--only"), "contact.", ["contact.email", "contact.email_again"]), (("run",), "nix/", []), (("no-command",), "ty", []),
])  # fmt: skip
def test_shell_completion(demo: Fox, monkeypatch: pytest.MonkeyPatch, args: tuple[str, ...], incomplete: str, offered: list[str]) -> None:
    monkeypatch.chdir(demo.folder)
    monkeypatch.setenv("COMP_WORDS", " ".join(("idlefox", *args)))
    found = ShellComplete(cli, {}, "idlefox", "_IDLEFOX_COMPLETE").get_completions(list(args), incomplete)
    assert [each.value for each in found] == offered


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_shell_completion_scripts(fox: Fox, shell: str) -> None:
    done = fox("completion", shell)
    assert done.returncode == 0
    assert "_IDLEFOX_COMPLETE=" in done.stdout
    if shutil.which(shell):
        (fox.folder / "it").write_text(done.stdout)
        import subprocess

        subprocess.run([shell, "-n", "it"], cwd=fox.folder, check=True)


def test_routines_of_the_script_keep_their_places(fox: Fox) -> None:
    fox.write(form__form__yaml="form: f\nfields: {a: {}}\n")
    text = 'subject "form.form.yaml"\nscenario "first"\n    type a "x"\n    blur\n\nroutine wrong\n    expect a is filled\nscenario "last"\n    blur\n'
    script = read_script_text(text, str(fox.folder / "a.fox"))
    hand = Rehearsal(Subjects().load("form.form.yaml", str(fox.folder)), "form.form.yaml", str(fox.folder), 0, script)
    (failure,) = hand.take("do wrong").failures
    assert failure.place.line == 7
