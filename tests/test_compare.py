"""One suite on two forms: no difference if there is none, otherwise the first difference by layer."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest
from conftest import Fox

DEMO = Path(__file__).parent.parent / "src" / "idlefox" / "demo"


@pytest.fixture
def two(fox: Fox) -> Fox:
    shutil.copy(DEMO / "booking.fox", fox.folder / "booking.fox")
    text = (DEMO / "booking.form.yaml").read_text("utf-8")
    fox.write(booking__form__yaml=text, same__form__yaml=text)
    return fox


def test_a_form_does_not_differ_from_itself(two: Fox) -> None:
    done = two("compare", "booking.form.yaml", "same.form.yaml", "booking.fox", "--explore", "--walks", "5", "--report", "json=c.json")
    assert done.returncode == 0, done.stdout
    data = json.loads((two.folder / "c.json").read_text())
    assert (data["format"], data["scenarios"], data["differences"], data["left_out"]) == (1, 23, [], [])
    assert data["walks"] > 50
    assert done.stdout == f" no difference in 23 scenarios, {data['walks']} walks, {data['states']} states\n"


@pytest.mark.parametrize(("old", "new", "layer", "told"), [
    ("max: 120", "max: 119", "state", "passengers[0].age breaks"), ("say: Choose a sailing.", "say: Choose one.", "reported", "sailing reported rules"),
    ("messages: one\n", "reveal: attempted\nmessages: one\n", "shown", "messages"), ("visible: vehicle.bringing", "visible: not vehicle.bringing", "state", "vehicle.plate breaks"),
    ("takes: 2s", "takes: 3s", "time", "milliseconds since load"), ("to: /bookings\n", "to: /book\n", "sent", "request"), ("most: 6", "most: 5", "state", "the step"),
])  # fmt: skip
def test_differences_are_found_by_layer(two: Fox, old: str, new: str, layer: str, told: str) -> None:
    text = (DEMO / "booking.form.yaml").read_text("utf-8")
    assert old in text
    two.write(same__form__yaml=text.replace(old, new))
    done = two("compare", "booking.form.yaml", "same.form.yaml", "booking.fox", "--explore", "--walks", "5", "--report", "json=c.json")
    assert done.returncode == 1
    differences = json.loads((two.folder / "c.json").read_text())["differences"]
    assert any(each["layer"] == layer and told in f"{each['address']} {each['what']}".strip() for each in differences), differences[:3]
    assert f"{layer} " in done.stdout.rsplit("difference", 1)[1]


def test_names_that_differ_are_mapped(two: Fox) -> None:
    text = (DEMO / "booking.form.yaml").read_text("utf-8")
    renamed = text.replace("  voucher:\n    label", "  coupon:\n    label").replace("forget: [voucher]", "forget: [coupon]").replace("    voucher: {touched", "    coupon: {touched")
    two.write(same__form__yaml=renamed)
    done = two("compare", "booking.form.yaml", "same.form.yaml", "booking.fox")
    assert done.returncode == 1
    assert "not possible on B" in done.stdout
    done = two("compare", "booking.form.yaml", "same.form.yaml", "booking.fox", "--map", "voucher=coupon", "--explore", "--walks", "5")
    assert done.returncode == 0, done.stdout
    assert two("compare", "booking.form.yaml", "same.form.yaml").returncode == 2
    assert two("compare", "booking.form.yaml", "nix.form.yaml", "booking.fox").returncode == 2
    assert two("compare", "booking.form.yaml", "same.form.yaml", "--map", "x").returncode == 2


def test_differences_are_grouped_by_cause_and_shortened(fox: Fox) -> None:
    first = """form: a
fields:
  nights: {type: number, rules: [{required: true}, {min: 1}]}
  why: {visible: nights > 2, rules: [{required: true, say: Why?}]}
  rows: {type: rows, start: 2, fields: {n: {rules: [{maxlength: 4}]}}}
server: {replies: [{when: 'nights == 9', status: 422, errors: {nights: Full.}}, {status: 201}]}
"""
    fox.write(a__form__yaml=first, b__form__yaml=first.replace("nights > 2", "nights > 3").replace("{nights: Full.}", "{why: Full.}").replace("maxlength: 4", "maxlength: 5"))
    done = fox("compare", "a.form.yaml", "b.form.yaml", "--explore", "--walks", "0", "--report", "json=c.json", "--report", "html=c.html", COLUMNS="200")
    found = json.loads((fox.folder / "c.json").read_text())["differences"]
    assert {(each["layer"], each["address"], each["what"], len(each["steps"])) for each in found} >= {
        ("state", "rows[0].n", "breaks", 1), ("state", "why", "breaks", 1), ("shown", "nights", "messages", 3),
    }, done.stdout  # fmt: skip
    assert len(found) == 3
    assert all(each["count"] > 1 for each in found)
    assert 'after: fill nights "3"\n   state     why breaks\n       A  ["valueMissing"]\n       B  []\n   and ' in done.stdout
    assert " 3 differences (state 2, shown 1) " in done.stdout
