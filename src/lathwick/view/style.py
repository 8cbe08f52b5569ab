"""Colors and sizes that the pictures share."""

from __future__ import annotations

from typing import Final

PAPER: Final = "#fbfaf7"
INK: Final = "#233238"
QUIET: Final = "#8a979c"
FAINT: Final = "#dfe3e1"
FIXED: Final = "#14606b"
FREE: Final = "#d2691e"
DIMENSION: Final = "#5a5f86"
RELATION: Final = "#9a6b1f"
GROUND: Final = "#c3cac9"
GOOD: Final = "#2e7d4f"

FONT: Final = "DejaVu Sans"  # comes with matplotlib, so it is there everywhere
DPI: Final = 100
SIZE: Final = (1280, 800)

BODY_COLORS: Final = (
    (0.55, 0.65, 0.74),
    (0.80, 0.66, 0.42),
    (0.52, 0.70, 0.60),
    (0.74, 0.55, 0.52),
    (0.62, 0.58, 0.74),
    (0.70, 0.72, 0.68),
)
"""For the bodies of a part that have no color of their own, in turn."""
