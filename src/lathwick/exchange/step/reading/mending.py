"""Edges and corners that lie a little beside their surfaces, put onto them.

Many writers state curves of intersection to a thousandth only. Corners are moved onto all surfaces that meet
there, by the Gauss-Newton method with the least move; edges become the exact curve in which their surfaces
meet, where there is one, else a spline that lies on both.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ....errors import LathwickError
from ....geometry.curve import Curve
from ....geometry.curves import Circle, Line, circle_through
from ....geometry.fitted_path import PathFit
from ....geometry.intersections import intersection
from ....geometry.placement import FloatArray
from ....geometry.surface import Surface
from ....geometry.tolerance import JOIN, RESOLUTION
from ....geometry.vector import Vec3, distance, dot, sub, unit, vec3
from .faces import RawEdge

SAMPLES = 33
ROUNDS = 12
FLAT = 0.05
"""Surfaces that meet at a smaller angle (radians) do not tell where their curve is: it is put onto each."""

SURELY_ON = 0.25 * RESOLUTION
"""An edge so near to its surfaces is on them."""

SETTLED = 1e-13


def off_surfaces(edge: RawEdge, surfaces: Sequence[Surface]) -> float:
    """How far an edge is from its surfaces, at samples."""
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, SAMPLES))
    return max((float(np.abs(s.distance(points)).max()) for s in surfaces), default=0.0)


def settled(points: FloatArray, surfaces: Sequence[Surface]) -> FloatArray:
    """Points near several surfaces, (N, 3), moved onto them all as far as there is such a place."""
    p = points.copy()
    for _ in range(ROUNDS):
        found = [surface.touches(p) for surface in surfaces]
        gaps, normals = np.stack([f[0] for f in found], axis=1), np.stack([f[1] for f in found], axis=1)
        move = (np.linalg.pinv(normals, rcond=FLAT) @ gaps[:, :, None])[:, :, 0]
        p = p - move
        if np.abs(move).max(initial=0.0) <= SETTLED * (1.0 + np.abs(p).max(initial=0.0)):
            break
    return p


def mended_corner(place: Vec3, surfaces: Iterable[Surface], gap: float) -> Vec3:
    """A corner on all of its surfaces; as it is where that would move it by more than the gap."""
    found = vec3(settled(np.array([place]), list(dict.fromkeys(surfaces)))[0])
    return found if distance(found, place) <= gap else place


def mended_edge(
    edge: RawEdge, surfaces: Sequence[Surface], ends: tuple[Vec3, Vec3], gap: float
) -> tuple[RawEdge, bool] | None:
    """An edge on both of its surfaces between two corners, and whether it runs as before; None where none is
    found within the gap."""
    points = edge.curve.points(np.linspace(edge.t0, edge.t1, SAMPLES))
    best, least = None, 2.0 * JOIN
    for find in (_exact, _alike, _fitted):
        curve = find(edge, surfaces, points, ends, gap)
        made = None if curve is None else _between(curve, edge, points, ends)
        if made is not None:
            new, same = made
            feet = zip((new.point(0.0), new.point(1.0)), ends if same else ends[::-1], strict=True)
            off = max(off_surfaces(new, surfaces), *(distance(p, q) for p, q in feet))
            if off < least:
                best, least = made, off
        if least <= SURELY_ON:
            break
    return best


def _between(
    curve: Curve, edge: RawEdge, points: FloatArray, ends: tuple[Vec3, Vec3]
) -> tuple[RawEdge, bool] | None:
    """The piece of a curve beside the points of an edge, and whether it runs as that does."""
    closed = edge.start == edge.end
    middle = curve.tangent(curve.parameter(vec3(points[SAMPLES // 2])))
    same = dot(middle, edge.curve.tangent(0.5 * (edge.t0 + edge.t1))) > 0.0
    corners = (edge.start, edge.end) if same else (edge.end, edge.start)
    t0, t1 = (curve.parameter(p) for p in (ends if same else ends[::-1]))
    if curve.period:
        t1 = t0 + ((0.0 if closed else t1 - t0) % curve.period or curve.period)
    elif closed:
        t0, t1 = curve.domain
    return (RawEdge(curve, t0, t1, *corners), same) if t1 > t0 else None


def _exact(
    edge: RawEdge, surfaces: Sequence[Surface], points: FloatArray, ends: tuple[Vec3, Vec3], gap: float
) -> Curve | None:
    """The curve of a closed form in which two surfaces meet, next to the points."""
    if len(surfaces) != 2:
        return None
    found = intersection(*surfaces)
    if found is None or found.same:
        return None
    for curve in (*found.curves, *found.touches):
        t = np.array([curve.parameter(vec3(p)) for p in points])
        if np.linalg.norm(curve.points(t) - points, axis=1).max() <= gap:
            return curve
    return None


def _alike(
    edge: RawEdge, surfaces: Sequence[Surface], points: FloatArray, ends: tuple[Vec3, Vec3], gap: float
) -> Curve | None:
    """A line or a circle as before, between the corners."""
    if edge.curve.kind == "line":
        return Line(ends[0], unit(sub(ends[1], ends[0])))
    if isinstance(edge.curve, Circle) and edge.start != edge.end:
        middle = vec3(settled(points[SAMPLES // 2][None], surfaces)[0])
        return circle_through(ends[0], middle, ends[1])
    return None


def _fitted(
    edge: RawEdge, surfaces: Sequence[Surface], points: FloatArray, ends: tuple[Vec3, Vec3], gap: float
) -> Curve | None:
    """A spline on both surfaces."""
    both = (surfaces[0], surfaces[-1])

    def settle(p: FloatArray) -> FloatArray:
        return settled(p, both)

    def ways(p: FloatArray) -> FloatArray:
        made = np.cross(both[0].normals(p), both[1].normals(p))
        sizes = np.linalg.norm(made, axis=1)[:, None]
        return np.asarray(np.where(sizes > FLAT, made / np.maximum(sizes, FLAT), 0.0))

    on = settle(points)
    if np.linalg.norm(on - points, axis=1).max() > gap:
        return None
    on[0], on[-1] = ends
    try:
        return PathFit(both, settle, ways, float(np.abs(on).max()) + 1.0).curve(on, edge.start == edge.end)
    except LathwickError:
        return None
