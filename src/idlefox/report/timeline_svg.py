"""A timeline as SVG inside a page. Colours are the CSS variables of the page, so that it follows light and dark mode."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

from .timeline import Drawing, Rect, Stroke, Words

# Patterns by which states differ also without colour; once in a page.
PATTERNS = """<svg width="0" height="0" aria-hidden="true" style="position:absolute"><defs>
<pattern id="tl-invalid" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
<rect width="6" height="6" class="tl-soft-invalid"/><rect width="2.4" height="6" class="tl-invalid"/></pattern>
<pattern id="tl-asking" width="5" height="5" patternUnits="userSpaceOnUse"><circle cx="2.5" cy="2.5" r="1.3" class="tl-asking"/></pattern>
</defs></svg>"""


def svg_of(drawing: Drawing) -> str:
    """*drawing* as one `svg` element, with its words as its label."""
    inner = "".join(_shapes(drawing))
    size = f'viewBox="0 0 {drawing.width:g} {drawing.height:g}" width="{drawing.width:g}" height="{drawing.height:g}"'
    return f'<svg class="tl" role="img" aria-label="{escape(f"Timeline: {drawing.says}")}" {size}>{inner}</svg>'


def _shapes(drawing: Drawing) -> Iterator[str]:
    for shape in drawing.shapes:
        if isinstance(shape, Rect):
            yield f'<rect x="{shape.x:g}" y="{shape.y:g}" width="{shape.width:g}" height="{shape.height:g}" class="tl-bar-{shape.look}"/>'
        elif isinstance(shape, Stroke):
            points = " ".join(f"{x:g},{y:g}" for x, y in shape.points)
            dashed = ' stroke-dasharray="4 3"' if shape.dashed else ""
            yield f'<polyline points="{points}" fill="none" stroke-width="{shape.width:g}"{dashed} class="tl-line-{shape.look}"/>'
        else:
            yield _words(shape)


def _words(words: Words) -> str:
    bold = ' font-weight="600"' if words.bold else ""
    text = escape(words.text, quote=False)
    return f'<text x="{words.x:g}" y="{words.y:g}" font-size="{words.size:g}"{bold} class="tl-text-{words.look}">{text}</text>'
