"""Elements of a page, by CSS selectors."""

from __future__ import annotations

from typing import Any


def selected(box: Any, selector: str) -> list[Any]:
    """The elements inside of *box* that *selector* chooses, each once, in tree order.

    The library gives an element again for every part of a list of selectors that fits it. Raises what the library raises where
    *selector* is none.
    """
    return list({node.mem_id: node for node in box.css(selector)}.values())
