"""The request of a page's form: the entry list in tree order, the submitter's attributes, the URL.

Implements HTML, "Constructing the entry list" and "Form submission algorithm" as far as a form without scripts needs them. The
encodings are in `encode`.
"""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import urlsplit, urlunsplit

from ...forms.expressions.tree import FALSE
from ...forms.html.model import ORIGIN, Control, HtmlPage, PageButton
from ...forms.values.direction import first_strong
from ...forms.values.values import is_chosen, reads_as, same_choice, stringify
from ..state.cells import FieldCell, FormCell
from .encode import (
    EncodedRequest,
    Entry,
    File,
    chosen_files,
    decode_multipart,
    decode_plain_text,
    decode_urlencoded,
    is_sent,
    multipart,
    plain_text,
    urlencoded,
)


def page_request(form: FormCell, button: PageButton | None) -> EncodedRequest:
    """The request that submitting the page's form *form* with *button* (None: without a submitter) makes now."""
    page: HtmlPage = form.plan.form.model.page
    submit = form.plan.form.model.submit
    method = (button.method if button is not None else None) or submit.method
    if method == "DIALOG":
        return EncodedRequest("DIALOG", "", "", "", {}, {})
    send = (button.send if button is not None else None) or submit.send
    action = button.action if button is not None and button.action is not None else submit.to
    url = resolve(page, action)
    if not url:
        return EncodedRequest("", "", "", "", {}, {})  # HTML, "Form submission algorithm": an invalid action URL ends it
    values = page_values(form, button)
    if send == "json":  # only a sheet for the page can set this
        body = stringify(values)
        return EncodedRequest(method, shown_url(url), body, "application/json", json.loads(body), values)
    entries = page_entries(form, button)
    if method == "GET":
        query = urlencoded(entries, page.charset)
        # HTML, "Mutate action URL": the query is replaced.
        target = shown_url(urlunsplit(urlsplit(url)._replace(query=query, fragment="")))
        return EncodedRequest("GET", target if query else f"{target}?", "", "", decode_urlencoded(query, page.charset), values)
    target = shown_url(url)
    if page.charset != "UTF-8" and send in ("multipart", "text"):
        entries = _sayable(entries, page.charset)
    if send == "multipart":
        body, boundary = multipart(entries)
        return EncodedRequest("POST", target, body, f"multipart/form-data; boundary={boundary}", decode_multipart(body, boundary), values)
    if send == "text":
        body = plain_text(entries)
        return EncodedRequest("POST", target, body, "text/plain", decode_plain_text(body), values)
    body = urlencoded(entries, page.charset)
    return EncodedRequest("POST", target, body, "application/x-www-form-urlencoded", decode_urlencoded(body, page.charset), values)


def _sayable(entries: list[Entry], charset: str) -> list[Entry]:
    """*entries* with character references for what *charset* cannot say."""
    from ...forms.values.charsets import sayable

    return [(sayable(name, charset), value if isinstance(value, File) else sayable(value, charset)) for name, value in entries]


def resolve(page: HtmlPage, action: str) -> str:
    """The absolute URL of *action*, which resolves against the page's base; "" means the page itself."""
    import ada_url

    home = ORIGIN + page.home
    if not action:
        return home
    base = (_joined(ada_url, home, page.base) if page.base else "") or home
    return _joined(ada_url, base, action)


def _joined(ada_url: Any, base: str, reference: str) -> str:
    """Resolve *reference* against *base*; "" if the result is not a URL."""
    try:
        return str(ada_url.join_url(base, reference))
    except ValueError:
        return ""


def shown_url(url: str) -> str:
    """A URL as people see it: on the page's own host the path alone; never the fragment."""
    parts = urlsplit(url)._replace(fragment="")
    text = urlunsplit(parts)
    if not parts.query and url.partition("#")[0].endswith("?"):
        text += "?"  # an empty query is a query
    return text.removeprefix(ORIGIN) if text.startswith(ORIGIN + "/") else text


def page_entries(form: FormCell, button: PageButton | None) -> list[Entry]:
    """HTML, "Constructing the entry list" for *button* as the submitter, in tree order."""
    page: HtmlPage = form.plan.form.model.page
    fields: dict[str, FieldCell] = {part.plan.field.name: part for part in form.parts}
    found: list[Entry] = []
    for each in page.elements:
        if isinstance(each, PageButton):
            if each is button:
                found += _submitter(each)
            continue
        cell = fields[each.field]
        if each.disabled or not is_sent(cell):
            continue
        name = cell.plan.field.send_name or each.name
        if name:
            found += [(name, value) for value in _values(each, cell, page)]
            if each.dirname:
                found.append((each.dirname, each.direction or first_strong(page_text(cell))))
    return found


def _submitter(button: PageButton) -> list[Entry]:
    if button.kind == "image":
        # The coordinates of the press in the image: without a screen, its corner.
        prefix = f"{button.name}." if button.name else ""
        return [(prefix + "x", "0"), (prefix + "y", "0")]
    return [(button.name, button.value)] if button.name else []


def _values(control: Control, cell: FieldCell, page: HtmlPage) -> list[str | File]:
    kind, value = control.kind, cell.value
    if kind == "select":
        closed = [o.value for o in cell.plan.field.options if o.enabled is FALSE]
        chosen = value if isinstance(value, list) else [] if value is None else [value]
        return [reads_as(v) for v in chosen if not is_chosen(v, closed)]
    if kind == "checkbox":
        on = is_chosen(control.value, value) if isinstance(value, list) else bool(value)
        return [control.value] if on else []
    if kind == "radio":
        return [control.value] if same_choice(value, control.value) else []
    if kind == "file":
        return list(chosen_files(cell))
    if kind == "hidden" and control.name.lower() == "_charset_":
        return [page.charset]
    return [page_text(cell)]


def page_text(cell: FieldCell) -> str:
    """Return a control's value as HTML defines it: a string, "" if the typed text is not a value."""
    if cell.bad_input:
        return ""
    as_written = cell.plan.kind in ("number", "range") and not cell.raw.endswith(".")
    return cell.raw if as_written else reads_as(cell.value)


def page_values(form: FormCell, button: PageButton | None) -> dict[str, Any]:
    """Return the typed payload by name, with a list for a repeated name. The stub server checks and stores it."""
    found: dict[str, Any] = {}
    for part in form.parts:
        facts = part.plan.facts
        name = part.plan.field.send_name or facts.name
        if not name or not is_sent(part) or facts.disabled:
            continue
        if facts.repeats:
            found.setdefault(name, []).append(part.value)
        else:
            found[name] = part.value
    if button is not None and button.name:
        found[button.name] = button.value
    return found
