"""Points inside faces, and directions all round."""

from __future__ import annotations

import math

import numpy as np

from ..geometry.placement import FloatArray
from ..topology.brep import Face
from ..topology.trim import INSIDE, region_of

CLEARANCE = 0.35
SPREAD = 400
"""Directions among which one is looked for that a face does not cover."""


def directions() -> FloatArray:
    """Directions spread evenly all round (Fibonacci's spiral), shape (SPREAD, 3)."""
    k = np.arange(SPREAD) + 0.5
    height, turn = 1.0 - 2.0 * k / SPREAD, math.pi * (1.0 + math.sqrt(5.0)) * k
    level = np.sqrt(1.0 - height * height)
    return np.column_stack([level * np.cos(turn), level * np.sin(turn), height])


def well_inside(face: Face, points: FloatArray, spacing: float) -> FloatArray:
    """Those of the points on the surface, (N, 3), that keep away from the boundary by a share of their
    spacing."""
    region = region_of(face)
    kept = [
        part[region.states(part, CLEARANCE * spacing) == INSIDE]
        for part in (points[k : k + 2000] for k in range(0, len(points), 2000))
    ]
    return np.concatenate(kept) if kept else points
