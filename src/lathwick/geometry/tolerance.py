"""The one tolerance policy. Every other module takes its limits from here.

Two points closer than `RESOLUTION` (in the length unit of the design) are the same point; two
directions closer than `ANGULAR` (in radians) are the same direction. Anything that a user gives
and that is not larger than the resolution is refused by name, never silently dropped.
"""

from __future__ import annotations

from typing import Final

RESOLUTION: Final = 1e-6
"""Lengths up to this are zero; unit: the design's length unit."""

JOIN: Final = 2.0 * RESOLUTION
"""Where two bodies meet, places this near become one vertex or edge; so those of a result may lie this far
off the curves and surfaces they belong to."""

ANGULAR: Final = 1e-9
"""Angles up to this are zero; unit: radian."""

LARGEST: Final = 1e7
"""No coordinate may exceed this; beyond it doubles no longer hold the resolution with room to spare."""

SMOOTH: Final = 1e-6
"""Faces whose normals differ by less (radians) meet smoothly: the edge is neither convex nor concave."""

GRAZING: Final = 1e-4
"""A ray or a path that crosses at a smaller angle (its sine) grazes, and does not tell sides apart."""

NOWHERE: Final = 1e-300
"""Less than any length: what is divided by a length that may be nought is divided by this at least."""
