"""CSS colours of a colour control: HTML, "update a color well control color", for sRGB without alpha.

Colours beyond sRGB (lab(), oklch(), system colours) are not supported and become black.
"""

from __future__ import annotations

from .whatwg import is_color

BLACK = "#000000"


def simple_color(text: str) -> str:
    """Return *text* as a simple colour, ``#rrggbb`` in lower case; black if it is not a known colour."""
    if is_color(text):
        return text.lower()
    # Loaded where a colour is written in another way than colour controls write it.
    from tinycss2.color4 import parse_color

    found = parse_color(text)
    if found is None or isinstance(found, str):
        return BLACK
    try:
        channels = list(found.to("srgb"))[:3]
    except NotImplementedError:
        return BLACK
    return "#" + "".join(f"{min(max(int(c * 255 + 0.5 + 1e-9), 0), 255):02x}" for c in channels)
