"""Where two surfaces meet beside an old edge: a curve that follows it, found in the planes across it.

Source: Barnhill & Kersey, "A marching method for parametric surface/surface intersection", CAGD 7 (1990).
"""

from __future__ import annotations

import numpy as np

from ...errors import ModellingError
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, interpolated_fit
from ...geometry.surface import Surface
from ...geometry.vector import Vec3
from ...topology.brep import Edge
from ..blend.joining import EXACT, FITTED, off_both, on_both

NODES = (17, 33, 65, 129, 257)
STEEP = 1e-3
"""The surfaces meet at a larger angle than this all along (its sine)."""


def beside(edge: Edge, one: Surface, two: Surface, ends: tuple[Vec3, Vec3] | None) -> FittedCurve:
    """The curve in which two surfaces meet beside an edge, over the edge's parameters, in its direction.

    ends : where it starts and ends; None for a closed edge.

    Raises ModellingError where the surfaces do not meet all along, or touch, and where the curve would turn
    back.
    """
    for count in NODES:
        t = np.linspace(edge.t0, edge.t1, count)
        points = _points(edge, t, one, two, ends)
        curve = interpolated_fit(t, points, ends is None)
        length = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
        if off_both(curve, t, one, two) <= max(FITTED * length, EXACT):
            return curve
    raise ModellingError(f"a {one.kind} and a {two.kind} would meet in no smooth curve")


def _points(
    edge: Edge, t: FloatArray, one: Surface, two: Surface, ends: tuple[Vec3, Vec3] | None
) -> FloatArray:
    old = edge.curve.points(t)
    ways = edge.curve.derivatives(t)
    ways = ways / np.linalg.norm(ways, axis=1)[:, None]
    if ends is None:
        points = _met(one, two, old, ways)
        points[-1] = points[0]
    else:
        first, last = np.array(ends) - old[[0, -1]]
        share = np.linspace(0.0, 1.0, len(t))[:, None]
        points = old + (1.0 - share) * first + share * last
        points[1:-1] = _met(one, two, points[1:-1], ways[1:-1])
    ahead = np.diff(points, axis=0)
    if ((ahead * ways[:-1]).sum(axis=1) <= 0.0).any() or ((ahead * ways[1:]).sum(axis=1) <= 0.0).any():
        raise ModellingError(f"where a {one.kind} and a {two.kind} meet the edge would turn back")
    return points


def _met(one: Surface, two: Surface, start: FloatArray, ways: FloatArray) -> FloatArray:
    """The points moved onto both surfaces, each across its direction."""
    points = on_both(one, two, start, ways)
    off = max(float(np.abs(surface.distance(points)).max()) for surface in (one, two))
    steep = np.linalg.norm(np.cross(one.normals(points), two.normals(points)), axis=1)
    if not (off <= EXACT and (steep > STEEP).all()):
        raise ModellingError(f"a {one.kind} and a {two.kind} would touch, or not meet all along an edge")
    return points
