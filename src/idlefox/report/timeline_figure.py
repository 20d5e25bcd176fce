"""A timeline as a figure (PNG, SVG, PDF), drawn by Matplotlib."""

from __future__ import annotations

import io
from typing import Any

from .palette import BAD, DOUBT, FAINT, GOOD, GROUND, INK, QUIET, SOFT_BAD, SOFT_DOUBT
from .timeline import Drawing, Rect, Stroke

KINDS = ("png", "svg", "pdf")
_LINES = {"ink": INK, "dim": QUIET, "faint": FAINT, "invalid": BAD, "cross": BAD, "ground": GROUND}


def figure_of(drawing: Drawing, title: str, kind: str) -> bytes:
    """*drawing* under its *title*, as a file of *kind*. Raises ImportError where Matplotlib is not installed."""
    import matplotlib as mpl
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    head = 34
    width, height = drawing.width / 100, (drawing.height + head) / 100
    with mpl.rc_context({"svg.hashsalt": "idlefox", "hatch.linewidth": 1.4, "font.family": "DejaVu Sans", "text.parse_math": False}):
        figure = Figure(figsize=(width, height), dpi=150, facecolor=GROUND)
        FigureCanvasAgg(figure)
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, drawing.width)
        axes.set_ylim(drawing.height, -head)
        axes.set_axis_off()
        axes.text(6, -12, title, fontsize=11, weight="bold", color=INK, va="baseline")
        for number, shape in enumerate(drawing.shapes):
            _draw(axes, shape, number)
        file = io.BytesIO()
        figure.savefig(file, format=kind, metadata={"Date": None} if kind == "svg" else {"CreationDate": None} if kind == "pdf" else None)
    return file.getvalue()


def _draw(axes: Any, shape: Any, order: int) -> None:
    from matplotlib.patches import Rectangle

    if isinstance(shape, Rect):
        looks: dict[str, dict[str, Any]] = {
            "valid": {"facecolor": GOOD, "edgecolor": "none"},
            "unmarked": {"facecolor": FAINT, "edgecolor": "none"},
            "invalid": {"facecolor": SOFT_BAD, "edgecolor": BAD, "hatch": "////", "linewidth": 0.8},
            "marked": {"facecolor": SOFT_BAD, "edgecolor": BAD, "hatch": "////", "linewidth": 0.8},
            "asking": {"facecolor": SOFT_DOUBT, "edgecolor": DOUBT, "hatch": "....", "linewidth": 0.8},
            "unasked": {"facecolor": "none", "edgecolor": DOUBT, "linestyle": (0, (4, 3)), "linewidth": 1.2},
        }
        axes.add_patch(Rectangle((shape.x, shape.y), shape.width, shape.height, zorder=order, **looks[shape.look]))
    elif isinstance(shape, Stroke):
        xs, ys = zip(*shape.points, strict=True)
        style: Any = (0, (4, 3)) if shape.dashed else "-"
        axes.plot(xs, ys, color=_LINES[shape.look], linewidth=shape.width * 0.72, linestyle=style, solid_capstyle="butt", zorder=order)
    else:
        weight, color = "bold" if shape.bold else "normal", _LINES.get(shape.look, INK)
        axes.text(shape.x, shape.y, shape.text, fontsize=shape.size * 0.66, color=color, weight=weight, va="baseline", zorder=order)
