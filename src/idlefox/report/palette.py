"""The colours of figures: one palette, which page.css and drawn.html use too. Shapes and hatching repeat what colours say."""

from __future__ import annotations

GROUND = "#fbfaf7"
INK = "#24211c"
QUIET = "#565e67"
FAINT = "#e3e1da"
GOOD = "#1b6ca8"
BAD = "#a5380a"
SOFT_BAD = "#fbe3d6"
DOUBT = "#7a5c00"
SOFT_DOUBT = "#f4ecd2"
