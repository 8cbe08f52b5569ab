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
GOOD: Final = "#2e7d4f"

FONT: Final = "DejaVu Sans"  # comes with matplotlib, so it is there everywhere
DPI: Final = 100
SIZE: Final = (1280, 800)
