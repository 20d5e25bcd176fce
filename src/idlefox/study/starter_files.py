"""A starter sheet and a starter script, made together and checked against each other."""

from __future__ import annotations

from ..forms.model.form import Form
from ..forms.schema.read import SchemaForm
from ..forms.sheet.read import read_sheet, read_sheet_text
from ..records import NamedTuple
from .boundaries import first_script
from .starter_sheet import name_of, sheet_of_page, sheet_text


class StarterFiles(NamedTuple):
    """The texts of a sheet and a script under their common name; *left_out*: what they leave out, and why."""

    name: str
    sheet: str
    script: str
    fields: int
    scenarios: int
    left_out: tuple[str, ...]
    page: str = ""  # the text of a page next to them


def from_page(form: Form, page: str, folder: str, name: str = "", url: str = "") -> StarterFiles:
    """Make starter files for the form of a page; *page* is its path from the sheet in *folder*, *url* that of a live page.

    Raises Unreadable.
    """
    name = name or name_of(form)
    return _with_script(name, sheet_of_page(form._replace(id=name), page, url), folder, ())


def from_schema(schema: SchemaForm, name: str, folder: str) -> StarterFiles:
    """For the payload that a JSON Schema describes. Raises Unreadable."""
    data = {
        "form": name,
        "label": schema.title or name,
        "report": {"first": "blur", "again": "change"},
        "submit": {"to": f"/{name}", "method": "POST", "send": "json", "empty": "omit"},
        "fields": schema.fields,
    }
    comment = ["A starter sheet from a JSON Schema of the payload. Change the labels and give each rule a message (say)."]
    notes = tuple(dict.fromkeys(schema.notes))
    if notes:
        comment += ["", "Parts of the schema that this form leaves out:", *(f"  {note}" for note in notes)]
    return _with_script(name, sheet_text(data, comment), folder, notes)


def from_sheet(file: str, subject: str, name: str) -> StarterFiles:
    """A script alone, for the sheet *file* of one's own; *subject* is how the script names it. Raises Unreadable."""
    form = read_sheet(file)
    script = first_script(form, subject)
    fields = sum(f.kind not in ("group", "rows") for f in form.walk())
    return StarterFiles(name, "", script.text, fields, script.scenarios, script.left_out)


def _with_script(name: str, sheet: str, folder: str, notes: tuple[str, ...]) -> StarterFiles:
    file = f"{name}.form.yaml"
    form = read_sheet_text(sheet, f"{folder}/{file}" if folder else file)
    script = first_script(form, file)
    fields = sum(f.kind not in ("group", "rows") for f in form.walk())
    return StarterFiles(name, sheet, script.text, fields, script.scenarios, (*notes, *script.left_out))
