"""Elements of a served page: what is around them, and what of them a person reads. Style sheets are not applied."""

from __future__ import annotations

import re
from typing import Any

from ...forms.html.tree import collapsed

_HIDES = re.compile(r"display\s*:\s*none|visibility\s*:\s*hidden", re.IGNORECASE)
_ALOUD = re.compile(r"(visually-?hidden|screen-?reader|sr-only)(?!-focusable)", re.IGNORECASE)  # classes for what only screen readers get
_NEVER_SHOWN = frozenset({"script", "style", "template", "head", "title", "noscript"})
_AFTER_NAME = re.compile(r"(\s*(\((required|optional)\)|[*:]|[\u2217\u2731\ufe61\uff0a]))+$", re.IGNORECASE)


def above(node: Any) -> Any:
    """The parent of *node*; None for the document's element."""
    parent = node.parent
    return parent if parent is not None and not parent.tag.startswith("-") else None


def holds(box: Any, node: Any) -> bool:
    """Return whether *node* is *box* or in it."""
    while node is not None and node.mem_id != box.mem_id:
        node = above(node)
    return node is not None


def _hides(node: Any) -> bool:
    attributes = node.attributes
    return "hidden" in attributes or bool(_HIDES.search(attributes.get("style") or "")) or node.tag in _NEVER_SHOWN


def is_shown(node: Any) -> bool:
    """Return whether neither *node* nor anything around it is hidden by its own markup."""
    while node is not None:
        if _hides(node):
            return False
        node = above(node)
    return True


def own_text(node: Any) -> str:
    """The text of *node* itself, without that of the elements in it."""
    return collapsed(node.text(deep=False))


def shown_text(node: Any) -> str:
    """The text of *node* without the elements in it that are hidden by their own markup, or by a class that tells so."""
    return collapsed("".join(_parts(node)))


def _parts(node: Any) -> list[str]:
    found: list[str] = []
    for each in node.iter(include_text=True):
        if each.tag == "-text":
            found.append(each.text(deep=False))
        elif not each.tag.startswith("-") and not _hides(each) and not _ALOUD.search(each.attributes.get("class") or ""):
            found += _parts(each)
    return found


def is_true(node: Any, attribute: str) -> bool:
    """Return whether an ARIA attribute of *node* has another value than ``false``."""
    return (node.attributes.get(attribute) or "false") != "false"


def bare(name: str) -> str:
    """A label without the sign that its field is required or optional."""
    return collapsed(_AFTER_NAME.sub("", collapsed(name))).removeprefix("* ")
