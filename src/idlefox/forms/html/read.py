"""Reads a form of an HTML page into the model, by the HTML Living Standard, without running scripts.

`read_page` is the entry point: bytes to text (`decode`), text to a tree with owners and labels (`tree`), the controls of one
form to fields and native rules (`fields`, `rules`).
"""

from __future__ import annotations

from pathlib import PurePath
from typing import Any
from urllib.parse import quote, urlsplit

from ...problems import Place, Problem, Unreadable, listed, read_bytes, suggestion
from ..model.form import Form, Report, SubmitSettings
from ..names.shapes import Shape
from ..values.patterns import PatternTooLong
from .decode import decode_page
from .elements import BLOCKING
from .fields import FieldMaker, encoding_of, method_of
from .model import Control, HtmlPage
from .tree import Tree


def read_page(name: str) -> Form:
    """Read the form of the page *name* (``page.html``, or ``page.html#id`` if it has several). Raises Unreadable."""
    file, _, wanted = name.partition("#")
    text, charset = decode_page(read_bytes(file), file)
    return read_page_text(text, file, wanted, charset)


def read_page_text(text: str, file: str, wanted: str = "", charset: str = "UTF-8") -> Form:
    """The form with the id *wanted* of the page *text* ("": its only one); *file* is its name in messages."""
    tree = Tree(text)
    number = _choose(tree, file, wanted)
    owners = tree.owners()
    nodes = [(n, a) for n, a, owner in zip(tree.controls, tree.attributes, owners, strict=True) if owner == number]
    return _form(tree, number, nodes, file, charset)


def _choose(tree: Tree, file: str, wanted: str) -> int:
    """The number of the form that is meant. Raises Unreadable, saying which forms there are."""
    forms = tree.forms
    if not forms:
        cause = "this page has no form"
        remedy = "name a page that contains a <form>" if "<" in tree.text else "name an HTML page"
        raise Unreadable([Problem(Place(file, 1, 1), cause, remedy)])
    ids = [f.attributes.get("id") or "" for f in forms]
    if wanted:
        if wanted in ids:
            return ids.index(wanted)
        known = [i for i in ids if i]
        there = f"the page's forms are {listed('#' + i for i in known)}" if known else _written_forms(tree, file)
        remedy = suggestion(wanted, known, there)
        node = tree.with_id(wanted)
        cause = f"this page has no form with the id {wanted!r}"
        if node is not None:
            cause = f"#{wanted} is not a form but a {node.tag}"
        raise Unreadable([Problem(Place(file, 1, 1), cause, remedy)])
    if len(forms) == 1:
        return 0
    raise Unreadable([Problem(Place(file, 1, 1), f"this page has {len(forms)} forms; name one of them", _written_forms(tree, file))])


def _written_forms(tree: Tree, file: str) -> str:
    """The forms of the page, by id or line."""
    short = PurePath(file).name
    named, bare = [], []
    for form, line in zip(tree.forms, tree.form_lines(), strict=False):
        name = form.attributes.get("id") or ""
        named.append(f"{short}#{name} (line {line})") if name else bare.append(f"line {line}")
    texts = [f"name {listed(named)}"] if named else []
    if bare:
        which, what = ("form", "it an id") if len(bare) == 1 else ("forms", "them ids")
        texts.append(f"to name the {which} at {listed(bare, 'and')}, give {what}")
    return "; ".join(texts)


def _form(tree: Tree, number: int, nodes: list[tuple[Any, dict[str, Any]]], file: str, charset: str) -> Form:
    form = tree.forms[number]
    attributes = {k: v if v is not None else "" for k, v in form.attributes.items()}
    maker = FieldMaker(tree)
    try:
        maker.make(nodes)
    except PatternTooLong as fault:
        raise Unreadable([Problem(Place(file, 1, 1), f"in a pattern of this page: {fault.cause}", fault.remedy)]) from None
    home = urlsplit(file).path or "/" if "://" in file else "/" + quote(PurePath(file).name)
    method = method_of(attributes.get("method")) or "GET"
    send = encoding_of(attributes.get("enctype")) or "urlencoded"
    page = HtmlPage(
        file=file,
        home=home,
        base=tree.base(),
        elements=tuple(maker.elements),
        names=maker.names,
        action=attributes.get("action", "").strip(),
        method=method,
        send=send,
        novalidate="novalidate" in attributes,
        charset=_charset(attributes, charset),
        autofocus=maker.autofocus,
        blocking=sum(isinstance(e, Control) and e.kind in BLOCKING for e in maker.elements),
        dialog=_in_dialog(form),
        scripts=tree.scripts(),
        form_id=attributes.get("id") or attributes.get("name") or "",
    )
    shape = Shape("", "form", (), maker.shapes)
    shape.named = maker.names
    name = attributes.get("id") or attributes.get("name") or PurePath(file).stem
    aria = tree.text_of_ids(attributes.get("aria-labelledby")) or attributes.get("aria-label", "").strip()
    return Form(
        id=name,
        label=aria or tree.title() or name,
        fields=tuple(maker.fields),
        shape=shape,
        report=Report("submit", "submit"),
        submit=SubmitSettings(page.action or home, method, send),
        file=file,
        page=page,
    )


def _charset(attributes: dict[str, str], charset: str) -> str:
    """HTML, "Picking an encoding for the form": accept-charset's first known label, else the page's; no UTF-16."""
    if "accept-charset" in attributes:
        from ..values.charsets import charset_of

        charset = next((c for label in attributes["accept-charset"].split() if (c := charset_of(label)) is not None), "UTF-8")
    return "UTF-8" if charset.startswith("UTF-16") else charset


def _in_dialog(form: Any) -> bool:
    each = form.parent
    while each is not None:
        if each.tag == "dialog":
            return True
        each = each.parent
    return False
