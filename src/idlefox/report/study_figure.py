"""The totals of a study as a bar chart: the share of each kind, field or manner."""

from __future__ import annotations

import io
from typing import Any

from .palette import BAD, FAINT, GOOD, GROUND, INK
from .study_page import StudyPage, Table

KINDS = ("png", "svg", "pdf")


def study_figure(page: StudyPage, kind: str) -> bytes:
    """The tables of *page* as bars, in a file of *kind*. Raises ImportError without Matplotlib."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg  # noqa: F401
    from matplotlib.figure import Figure

    tables = [table for table in page.tables if table.rows]
    heights = [len(table.rows) + 2 for table in tables] or [1]
    figure = Figure(figsize=(8.0, 1.0 + 0.22 * sum(heights)), layout="constrained", facecolor=GROUND)
    figure.suptitle(f"{page.title}: {page.told}", fontsize=10, x=0.01, ha="left", color=INK)
    if tables:
        axes = figure.subplots(len(tables), 1, gridspec_kw={"height_ratios": heights}, squeeze=False)
        for place, table in zip(axes[:, 0], tables, strict=True):
            _bars(place, table)
    out = io.BytesIO()
    figure.savefig(out, format=kind, dpi=150, metadata={"Date": None} if kind == "svg" else None)
    return out.getvalue()


def _bars(place: Any, table: Table) -> None:
    """Draw one table on the axes *place*: a bar for each row, filled by its share."""
    names, parts, wholes = ([row[at] for row in table.rows] for at in (0, 1, -1))
    where = range(len(names))
    shares = [100 * part / whole if whole else 0 for part, whole in zip(parts, wholes, strict=True)]
    place.barh(where, [100] * len(names), color=FAINT, height=0.7)
    look = {"color": BAD, "hatch": "////"} if table.bad else {"color": GOOD}
    place.barh(where, shares, edgecolor=GROUND, linewidth=0, height=0.7, **look)
    place.set_yticks(where, names, fontsize=7)
    for at, (part, whole) in enumerate(zip(parts, wholes, strict=True)):
        place.text(101, at, f"{part} of {whole}", va="center", fontsize=7, color=INK)
    place.set_title(f"{table.title}: {table.columns[0]}, in percent", fontsize=8, loc="left", color=INK)
    place.set_facecolor(GROUND)
    place.set_xlim(0, 118)
    place.set_xticks([0, 25, 50, 75, 100])
    place.spines["bottom"].set_bounds(0, 100)
    place.tick_params(axis="x", labelsize=7)
    place.tick_params(axis="y", length=0)
    place.invert_yaxis()
    for side in ("top", "right", "left"):
        place.spines[side].set_visible(False)
