"""A starter sheet and script for a running page, from a survey of it: its fields, rows, dialogs and buttons as data.

The survey is made elsewhere (in a browser). Scenarios are tried on the sheet and on the page before they are kept.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Mapping
from difflib import SequenceMatcher
from typing import Any

from ..engine.compile.compiler import compile_form
from ..engine.session.session import SessionFactory
from ..forms.model.form import Field, Form
from ..forms.sheet.read import read_sheet_text
from ..forms.values.values import reads_as, written
from ..playing.player import DEFAULT_CLOCK, play_scenario
from ..playing.simulated import SimulatedForm
from ..playing.subject import Subject
from ..records import NamedTuple
from ..script.against import check_ops
from ..script.expand import expand
from ..script.reader import read_script_text
from .starter_files import StarterFiles
from .starter_sheet import sheet_text

_LIKE = 0.5  # from here on, a control is taken for a field's
_FAR = 2**53 - 1  # the default bound of a number: none
_SAMPLES = {
    "text": "word", "textarea": "a few words", "email": "mara@fjordmail.example", "url": "https://skerry.example/", "tel": "0555 123",
    "password": "gannet-42", "number": 2, "date": "2030-05-17", "month": "2030-05", "week": "2030-W20", "time": "10:30",
    "datetime-local": "2030-05-17T10:30", "color": "#336699",
}  # fmt: skip
Survey = Mapping[str, Any]


class SurveyedSheet(NamedTuple):
    """The *data* of a sheet, and the survey's facts about each address."""

    name: str
    data: dict[str, Any]
    found: dict[str, Mapping[str, Any]]
    unread: tuple[str, ...]


def key_for(label: str, taken: set[str], otherwise: str = "field") -> str:
    """A key for a field called *label* that is not among the *taken* ones: words in lower case, joined by underscores."""
    folded = unicodedata.normalize("NFKD", label).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "_", folded).strip("_") or otherwise
    base = base if base[0].isalpha() else f"{otherwise}_{base}"
    base = "_".join(base.split("_")[:5])
    key, number = base, 2
    while key in taken:
        key, number = f"{base}_{number}", number + 1
    taken.add(key)
    return key


def surveyed_sheet(survey: Survey, page: str, name: str = "") -> SurveyedSheet:
    """The sheet for what *survey* found on *page*: a URL, or a file beside the sheet."""
    found: dict[str, Mapping[str, Any]] = {}
    taken: set[str] = {"form", "values", "errors", "submit", "button", "outcome", "requests", "request", "payload", "body", "location",
                       "status", "record", "notice", "alert", "view", "focus", "dirty", "touched"}  # fmt: skip
    fields: dict[str, Any] = {}
    panels: dict[str, Any] = {}
    find: dict[str, Any] = {}
    for each in survey["fields"]:
        key = key_for(each["label"] or each.get("name", ""), taken)
        fields[key], found[key] = _field(each), each
    for each in survey["rows"]:
        key = key_for(each["label"] or _stem(each["add"]), taken, "rows")
        keys = _keyed(each["fields"])
        inside = {k: _field(v) for k, v in keys.items()}
        fields[key] = {"type": "rows", "label": each["label"] or key.capitalize(), "start": each["start"], "fields": inside}
        found[key] = each
        found |= {f"{key}[*].{k}": v for k, v in keys.items()}
    for each in survey["panels"]:
        key, keys = key_for(each["label"], taken, "panel"), _keyed(each["fields"])
        inside = {k: _field(v) for k, v in keys.items()}
        panels[key] = {"label": each["label"], "fields": inside, "submit": {"label": each["submit"] or "OK"}}
        found[key] = each
        found |= {f"{key}.{k}": v for k, v in keys.items()}
        if each["label"].lower() not in each["open"].lower():
            find[key] = {"open": {"role": "button", "name": each["open"]}}
    title = survey["heading"] or survey["title"] or "A form"
    name = name or key_for(survey["id"] or title, set(), "form").replace("_", "-")
    data: dict[str, Any] = {"form": name, "label": title, "report": {"first": "blur", "again": "change"}, "fields": fields}
    if panels:
        data["panels"] = panels
    data["submit"] = _submission(survey, name)
    if survey["sends"]:  # without scripts, messages come with the server's answer
        data["report"] = {"first": "submit", "again": "submit"}
    data["live"] = {"page": page, **({"requests": "real"} if "://" in page else {}), "check_delay": "500ms", "find": find}
    if not find:
        del data["live"]["find"]
    unread = tuple(f"{each['what'] or 'a control without a label'}: {each['why']}" for each in survey["unread"])
    return SurveyedSheet(name, data, found, unread)


def _submission(survey: Survey, name: str) -> dict[str, Any]:
    sends = survey["sends"] or {"to": survey["action"] or f"/{name}"}
    usual = {"method": "POST", "send": "json"}
    said = {key: value for key, value in sends.items() if usual.get(key) != value}
    return said | ({"label": survey["submit"]} if survey["submit"] else {})


def _keyed(fields: list[Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    taken: set[str] = set()
    return {key_for(each["label"], taken): each for each in fields}


def _stem(adding: str) -> str:
    """Return the plural noun of a button's name: "passengers" for "Add a passenger"."""
    words = [word for word in re.findall(r"[^\W_]+", adding) if word.lower() not in ("add", "a", "an", "another", "new", "more")]
    return f"{words[-1]}s" if words else ""


def _field(facts: Mapping[str, Any]) -> dict[str, Any]:
    said: dict[str, Any] = {} if facts["type"] == "text" else {"type": facts["type"]}
    if facts["type"] == "select" and facts.get("many"):
        said["multiple"] = True
    said["label"] = facts["label"] or facts.get("name") or "Without a label"
    if "options" in facts and facts["type"] in ("select", "radio", "checkbox"):
        said["options"] = [value if value == label else {"value": value, "label": label} for value, label in facts["options"]]
    elif facts["type"] == "select":
        said["options"] = []
    rules: list[dict[str, Any]] = [{"required": True}] if facts.get("required") else []
    for key in ("min", "max"):
        bound = facts.get(key)
        if bound is not None and not (facts["type"] in ("number", "range") and abs(float(bound)) >= _FAR):
            rules.append({key: _number(bound) if facts["type"] in ("number", "range") else bound})
    rules += [{key: facts[key]} for key in ("minlength", "maxlength", "pattern") if facts.get(key)]
    if rules:
        said["rules"] = rules
    return said


def _number(text: Any) -> Any:
    value = float(text)
    return int(value) if value.is_integer() else value


def text_of(sheet: SurveyedSheet, page: str) -> str:
    """Return the sheet as YAML."""
    comment = [
        f"A starter sheet for {page}, with what the running page shows.",
        "Add the rules with their messages (say), and when they appear (report, reveal).",
    ]
    if sheet.unread:
        comment += ["", "Not read, or only in part:", *(f"  {each}" for each in sheet.unread)]
    return sheet_text(sheet.data, comment)


def matched(form: Form, survey: Survey, unfound: Iterable[str]) -> tuple[dict[str, Any], list[str]]:
    """The `find` for the *unfound* fields of *form*, from the nearest controls of the *survey*, and what remains."""
    known = {field.label for field in form.walk()}
    free = [each for each in (*survey["fields"], *(f for row in survey["rows"] for f in row["fields"])) if each["label"] not in known]
    find: dict[str, Any] = {}
    odd: list[str] = []
    for address in unfound:
        field = form.find(tuple("*" if part.isdigit() else part for part in re.findall(r"[^.\[\]]+", address)))
        if field is None:
            continue
        ranked = sorted(((_likeness(field, each), each) for each in free), key=lambda pair: -pair[0])
        if ranked and ranked[0][0] >= _LIKE and ranked[0][1].get("at"):
            find[re.sub(r"\[\d+\]", "[*]", address)] = ranked[0][1]["at"]
            free.remove(ranked[0][1])
        else:
            near = ", ".join(each["label"] or "a control without a label" for _, each in ranked[:2])
            odd.append(f"{address}" + (f"; the nearest controls are {near}" if near else ""))
    return find, odd


def _likeness(field: Field, facts: Mapping[str, Any]) -> float:
    """How like the sheet's *field* a control is, from 0 to 1: by its label or name, its type and its options."""
    words = [facts["label"].lower(), str(facts.get("name", "")).lower()]
    called = (field.label.lower(), field.name.replace("_", " "))
    label = max(SequenceMatcher(None, one, other).ratio() for one in called for other in words)
    offered = {text for pair in facts.get("options", ()) for text in pair}
    options_there = field.options if isinstance(field.options, tuple) else ()
    own = {text for option in options_there for text in (reads_as(option.value), option.label)}
    options = len(offered & own) / len(offered | own) if offered and own else 0.0
    return float(max(0.6 * label + 0.2 * (facts["type"] == field.kind) + 0.2 * options, options))


class _Scenario(NamedTuple):
    title: str
    lines: tuple[str, ...]


def _scenarios(sheet: SurveyedSheet) -> Iterator[_Scenario]:
    data = sheet.data
    for key, field in data["fields"].items():
        if field.get("type") == "rows":
            yield from _of_rows(key, field)
        else:
            yield from _of_field(f"{field['label']} takes a value", key, field, ())
    for key, panel in data.get("panels", {}).items():
        name, inner = _first(panel["fields"])
        if name:
            opened = (f"open {key}", f"expect {key} is visible")
            yield from _of_field(f"{panel['label']} opens and takes a value", f"{key}.{name}", inner, opened)


def _first(fields: Mapping[str, Any]) -> tuple[str, Mapping[str, Any]]:
    return next(iter(fields.items()), ("", {}))


def _of_field(title: str, address: str, field: Mapping[str, Any], before: tuple[str, ...]) -> Iterator[_Scenario]:
    kind = field.get("type", "text")
    options = [o["value"] if isinstance(o, dict) else o for o in field.get("options", [])]
    if options:
        value = options[-1]
        many = field.get("multiple") or kind == "checkbox"
        expected = written([value] if many else value)
        yield _Scenario(title, (*before, f"pick {address} {written(value)}", f"expect {address} = {expected}"))
    elif kind == "checkbox":
        yield _Scenario(title, (*before, f"turn {address} on", f"expect {address} is on"))
    elif kind in _SAMPLES:
        value = _within(field, _SAMPLES[kind])
        yield _Scenario(title, (*before, "fill", f"    {address} {written(value)}", f"expect {address} = {written(value)}"))


def _within(field: Mapping[str, Any], value: Any) -> Any:
    """*value*, moved into the bounds of *field*."""
    for rule in field.get("rules", ()):
        if "min" in rule and isinstance(rule["min"], int | float) and value < rule["min"]:
            value = rule["min"]
        if "max" in rule and isinstance(rule["max"], int | float) and value > rule["max"]:
            value = rule["max"]
        if "maxlength" in rule and isinstance(value, str):
            value = value[: rule["maxlength"]]
    return value


def _of_rows(key: str, field: Mapping[str, Any]) -> Iterator[_Scenario]:
    start = field["start"]
    count = f"{start + 1} row{'s' if start else ''}"
    lines = [f"add {key}", f"expect {key} has {count}"]
    name, inner = _first(field["fields"])
    if name and inner.get("type", "text") in _SAMPLES:
        value = _SAMPLES[inner.get("type", "text")]
        lines += ["fill", f"    {key}[{start}].{name} {written(value)}", f"expect {key}[{start}].{name} = {written(value)}"]
    lines += [f"remove {key}[{start}]", f"expect {key} has {start} row{'s' if start != 1 else ''}"]
    yield _Scenario(f"{field['label']} come and go", tuple(lines))


def files_for(sheet: SurveyedSheet, page: str, folder: str, pages: Callable[[Form], Subject]) -> StarterFiles:
    """The sheet, and a script of those scenarios that pass on the sheet and on the page; *pages* opens it. Raises Unreadable."""
    file, text = f"{sheet.name}.form.yaml", text_of(sheet, page)
    form = read_sheet_text(text, f"{folder}/{file}" if folder else file)
    kept, left_out = [], list(sheet.unread)
    plan = SessionFactory(compile_form(form))
    there = pages(form)
    try:
        for each in _scenarios(sheet):
            why = _fails(each, form, SimulatedForm(plan, ".")) or _fails(each, form, there)
            if why:
                left_out.append(f"{each.title}: {why}")
            else:
                kept.append(_block(each))
    finally:
        there.close()
    head = f"# A starter script for {form.label}. Every scenario passes on the sheet and on the page.\nsubject {written(file)}\n"
    fields = sum(f.kind not in ("group", "rows") for f in form.walk())
    return StarterFiles(sheet.name, text, head + "".join(f"\n{block}" for block in kept), fields, len(kept), tuple(left_out))


def _block(scenario: _Scenario) -> str:
    return f"scenario {written(scenario.title)}\n" + "".join(f"    {line}\n" for line in scenario.lines)


def _fails(scenario: _Scenario, form: Form, subject: Subject) -> str:
    """Why *scenario* does not pass on *subject*, "" if it does."""
    found, problems = expand(read_script_text(_block(scenario), "first.fox"))
    problems += check_ops((op for each in found for op in each.ops), form)
    if problems:
        return problems[0].cause
    result = play_scenario(found[0], subject, DEFAULT_CLOCK, "first.fox")
    if result.verdict == "pass":
        return ""
    failure = result.failures[0] if result.failures else None
    return f"`{failure.text}` does not hold" if failure is not None else "it does not run"
