"""The length units a design can be in."""

from __future__ import annotations

from typing import Final

MILLIMETRES: Final = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
"""How many millimetres one unit is; exact by definition."""


def conversion(source: str, target: str) -> float:
    """How many `target` units one `source` unit is. Raises KeyError for an unknown unit."""
    return 1.0 if source == target else MILLIMETRES[source] / MILLIMETRES[target]
