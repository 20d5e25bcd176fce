"""Pages compared with browsers: flags, values, entries, focus, marks, and the request as sent.

Needs Chromium and Firefox (Debian's packages `chromium` and `firefox-esr`). Without them, each case is compared with the last
known answers (`page_answers.jsonl`, written by `python tests/test_browser.py`, which needs both browsers). Where a browser
differs from the standard, `explained.py` and `docs/pages.md` say so.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from browsers import Browser, Chromium, Firefox, NoBrowser, body_of, program
from explained import EXPLANATIONS, explanation
from page_cases import Case, all_cases

from idlefox.engine.compile.compiler import compile_form
from idlefox.engine.session.session import SessionFactory
from idlefox.engine.state.cells import is_marked
from idlefox.engine.world.encode import File
from idlefox.engine.world.page_request import page_entries, page_text
from idlefox.forms.html.model import Control
from idlefox.forms.html.read import read_page_text
from idlefox.playing.simulated import SimulatedForm
from idlefox.playing.steps import take_step
from idlefox.script.expand import expand
from idlefox.script.reader import read_script_text

HEAD = "<!doctype html><title>case</title>"
BROWSERS = {"chromium": Chromium, "firefox": Firefox}


@pytest.fixture(scope="module", params=BROWSERS)
def browser(request: pytest.FixtureRequest) -> Iterator[tuple[str, Browser]]:
    found = program(request.param)
    if found is None:
        pytest.skip(f"there is no {request.param} here: nothing was compared (apt-get install chromium firefox-esr)")
    try:
        started = BROWSERS[request.param](found)
    except NoBrowser as fault:
        pytest.skip(f"{fault}: nothing was compared with it")
    yield request.param, started
    started.close()


def steps_of(case: Case) -> list[Any]:
    body = "".join(f"    {step.strip()}\n" for step in case.steps.split(";") if step.strip()) or "    note \"\"\n"
    scenarios, problems = expand(read_script_text(f'scenario "x"\n{body}', "case.fox"))
    assert not problems, problems
    return [op.act for op in scenarios[0].ops if case.steps]


def page_text_of(case: Case) -> str:
    charset = "" if "charset=" in case.markup.partition("<form")[0] else "<meta charset=utf-8>"
    return HEAD + charset + case.markup


def ours(case: Case, form: Any, steps: list[Any]) -> dict[str, Any]:
    """What the engine says, in the browser's terms."""
    subject = SimulatedForm(SessionFactory(compile_form(form)), ".")
    subject.load(0)
    for number, act in enumerate(steps, 1):
        take_step(subject, act, number)
    live = subject.session.live
    fields = {part.plan.field.name: part for part in live.root.parts}
    focused = live.focus
    sent = live.requests[-1] if live.requests else None
    return {
        "flags": {name: sorted({c.flag for c in cell.plan.checks if cell.broken & c.bit}) for name, cell in fields.items()},
        "values": {name: _value(cell) for name, cell in fields.items()},
        "valid": live.root.tally[3] == 0,
        "marked": {name: is_marked(cell) for name, cell in fields.items()},
        "entries": [[n, v.name if isinstance(v, File) else v.replace("\r\n", "\n")] for n, v in page_entries(live.root, None)],
        "focus": focused.plan.field.name if focused is not None else "",
        "sent": (sent.method, sent.target, *body_of(sent.media_type, sent.body.encode())) if sent is not None else None,
    }


def _value(cell: Any) -> Any:
    kind = cell.plan.kind
    if kind in ("checkbox", "radio", "select"):
        return cell.value
    return "" if kind == "file" else page_text(cell)


def theirs(found: dict[str, Any], form: Any) -> dict[str, Any]:
    """What the browser says, by our fields."""
    elements = form.page.elements
    assert len(elements) == len(found["elements"]), ("owners", [e["kind"] for e in found["elements"]])
    flags: dict[str, set[str]] = {f.name: set() for f in form.fields}
    values: dict[str, Any] = {f.name: [] if f.many else None for f in form.fields}
    marked = {f.name: False for f in form.fields}
    for each, theirs_ in zip(elements, found["elements"], strict=True):
        if not isinstance(each, Control):
            continue
        field = form.find((each.field,))
        if theirs_["candidate"]:
            flags[each.field] |= set(theirs_["flags"])
        marked[each.field] |= theirs_["marked"]
        if each.kind == "checkbox" and field.many:
            values[each.field] += [theirs_["value"]] if theirs_["checked"] else []
        elif each.kind == "checkbox":
            values[each.field] = theirs_["checked"]
        elif each.kind == "radio":
            values[each.field] = theirs_["value"] if theirs_["checked"] else values[each.field]
        elif each.kind == "select":
            chosen = theirs_["chosen"]
            values[each.field] = chosen if field.many else chosen[0] if chosen else None
        else:
            values[each.field] = theirs_["value"]
    at = found["focus"]
    sent = found["sent"][-1] if found["sent"] else None
    return {
        "flags": {name: sorted(f) for name, f in flags.items()},
        "values": values,
        "valid": found["valid"],
        "marked": marked,
        "entries": found["entries"],
        "focus": elements[at].field if at >= 0 and isinstance(elements[at], Control) else "",
        "sent": (sent[0], sent[1], *body_of(sent[2], sent[3])) if sent else None,
    }


def page_of(case: Case) -> tuple[bytes, Any]:
    """The bytes of the case's page, and its form as we read it."""
    text = page_text_of(case)
    charset = "windows-1252" if "charset=windows-1252" in text.partition("<form")[0] else "UTF-8"
    data = text.encode(charset, "xmlcharrefreplace")
    return data, read_page_text(data.decode(charset), "case.html", "f" if "id=f" in text.replace("'", "") else "", charset)


def compare(browser: Browser, case: Case) -> tuple[dict[str, Any], dict[str, Any]]:
    data, form = page_of(case)
    steps = steps_of(case)
    numbers: dict[str, list[int]] = {}
    buttons: dict[str, int] = {}
    default = form.page.default_button
    for number, each in enumerate(form.page.elements):
        if isinstance(each, Control):
            field = form.find((each.field,))
            assert field is not None
            for name in {field.address, each.field}:
                numbers.setdefault(name, []).append(number)
        else:
            for word in (*each.known, each.text):
                buttons.setdefault(word, number)
            if each is default:
                buttons[""] = number
    return ours(case, form, steps), theirs(browser.play(data, steps, numbers, buttons), form)


@pytest.mark.parametrize("case", all_cases(), ids=lambda c: c.title[:90])
def test_a_page_behaves_as_in_a_browser(browser: tuple[str, Browser], case: Case) -> None:
    name, started = browser
    mine, theirs_ = compare(started, case)
    shown = [e.why for e in EXPLANATIONS if e.shown == case.title and name in e.browsers]
    holds = mine != theirs_ if shown else mine == theirs_ or explanation(case, name, mine, theirs_)
    if not holds and 0 < started.version < HELD_AGAINST.get(name, 0):
        pytest.skip(f"{name} {started.version} has it otherwise; what is explained is that of {HELD_AGAINST[name]}")
    assert holds, shown


# What browsers were when the explanations were written: an older one may differ in more.
HELD_AGAINST = {"firefox": 153}


def test_every_explained_difference_has_a_case() -> None:
    assert {e.shown for e in EXPLANATIONS} <= {case.title for case in all_cases()}


ANSWERS = Path(__file__).parent / "page_answers.jsonl"


def brief(answer: dict[str, Any]) -> dict[str, Any]:
    """An answer as JSON, without what says nothing."""
    found = {key: {n: v for n, v in value.items() if v} if key in ("flags", "marked") else value for key, value in answer.items()}
    if found["sent"] is not None:
        found["sent"] = [part.decode("latin-1") if isinstance(part, bytes) else part for part in found["sent"]]
    return {key: value for key, value in found.items() if value not in ({}, [], "", None)}


def answers() -> dict[str, Any]:
    lines = ANSWERS.read_text("utf-8").splitlines()
    return {title: answer for line in lines for title, answer in json.loads(line).items()}


@pytest.fixture(scope="module")
def known() -> dict[str, Any]:
    return answers()


@pytest.mark.parametrize("case", all_cases(), ids=lambda c: c.title[:90])
def test_a_page_matches_the_last_known_answers(known: dict[str, Any], case: Case) -> None:
    assert brief(ours(case, page_of(case)[1], steps_of(case))) == known[case.title]


if __name__ == "__main__":
    both = {name: kind(program(name) or name) for name, kind in BROWSERS.items()}
    groups: dict[str, dict[str, Any]] = {}
    for each in all_cases():
        for called, started in both.items():
            mine, found = compare(started, each)
            assert mine == found or explanation(each, called, mine, found), (called, each.title, mine, found)
        groups.setdefault(each.title.split(" = ")[0], {})[each.title] = brief(mine)
    for started in both.values():
        started.close()
    ANSWERS.write_text("".join(json.dumps(group, ensure_ascii=False) + "\n" for group in groups.values()), "utf-8")
