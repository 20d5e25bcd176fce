"""A picture of a running page with a frame and a number on every part that was found, and a legend of their addresses."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import Any

from .palette import BAD, DOUBT, GOOD, GROUND, INK, QUIET

_DPI = 110
_LEGEND = 320  # pixels
_MARGIN = 60  # pixels of the page around the outermost frames
_LINE = 19
# kind -> its colour, line style, and how the legend calls it
KINDS = {
    "control": (GOOD, "-", ""), "message": (DOUBT, ":", "message of "), "button": (INK, "-.", "button: "),
    "unknown": (BAD, "--", "belongs to no field: "),
}  # fmt: skip


def page_figure(picture: bytes, frames: Sequence[Mapping[str, Any]], title: str, kind: str) -> bytes:
    """Return the figure of the page in *picture* (PNG). Each frame has kind, name, x, y, width and height in pixels of the picture.

    Raises ImportError without Matplotlib.
    """
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # noqa: F401
    from matplotlib.figure import Figure
    from matplotlib.image import imread
    from matplotlib.patches import Rectangle

    page = imread(io.BytesIO(picture), format="png")
    left = int(max(0, min((frame["x"] for frame in frames), default=0) - _MARGIN))
    right = int(min(page.shape[1], max((frame["x"] + frame["width"] for frame in frames), default=page.shape[1]) + _MARGIN))
    bottom = int(min(page.shape[0], max((frame["y"] + frame["height"] for frame in frames), default=page.shape[0]) + _MARGIN))
    page, wide = page[:bottom, left:right], right - left
    height = max(bottom + 12, (len(frames) + 3) * _LINE + 40)
    figure = Figure(figsize=((wide + _LEGEND) / _DPI, (height + 40) / _DPI), dpi=_DPI, facecolor=GROUND)
    axes = figure.add_axes((0, 0, wide / (wide + _LEGEND), height / (height + 40)))
    axes.imshow(page, extent=(0, wide, page.shape[0], 0), aspect="equal", interpolation="antialiased")
    axes.set_xlim(0, wide)
    axes.set_ylim(height, 0)
    axes.axis("off")
    side = figure.add_axes((wide / (wide + _LEGEND), 0, _LEGEND / (wide + _LEGEND), height / (height + 40)))
    side.set_xlim(0, _LEGEND)
    side.set_ylim(height, 0)
    side.axis("off")
    figure.text(14 / (wide + _LEGEND), 1 - 26 / (height + 40), title, fontsize=11, color=INK)
    for number, frame in enumerate(frames, 1):
        colour, style, called = KINDS[frame["kind"]]
        x, y, w, h = frame["x"] - left, frame["y"], frame["width"], frame["height"]
        axes.add_patch(Rectangle((x - 2, y - 2), w + 4, h + 4, fill=False, edgecolor=colour, linestyle=style, linewidth=1.6))
        badge = {"boxstyle": "round,pad=0.2", "facecolor": colour, "edgecolor": "none"}
        axes.text(min(x + w, wide - 14), max(y - 2, 8), str(number), fontsize=7, color="white", ha="center", va="center", bbox=badge)
        at = 20 + number * _LINE
        side.text(26, at, str(number), fontsize=7, color="white", ha="center", va="center", bbox=badge)
        side.text(46, at, f"{called}{frame['name']}", fontsize=8, color=INK, va="center")
    odd = sum(frame["kind"] == "unknown" for frame in frames)
    sums = f"{sum(frame['kind'] == 'control' for frame in frames)} controls found" + (f", {odd} that belong to no field" if odd else "")
    side.text(14, 18, sums, fontsize=8, color=QUIET, va="center")
    out = io.BytesIO()
    figure.savefig(out, format=kind, dpi=_DPI, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()
