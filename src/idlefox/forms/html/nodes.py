"""Elements of a page, by CSS selectors."""

from __future__ import annotations

from typing import Any


def selected(box: Any, selector: str) -> list[Any]:
    """Return the elements inside *box* that match *selector*, each once, in tree order.

    The library repeats an element for every part of a selector list that matches it. Raises the library's errors for an invalid
    selector.
    """
    return list({node.mem_id: node for node in box.css(selector)}.values())
