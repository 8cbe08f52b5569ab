"""Triangles of planar faces: discs and rings in closed form, all others by constrained triangulation."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely

from ..errors import ModellingError
from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..topology.brep import Face
from ..topology.round_trim import has_round_loops
from .delaunay import triangulated
from .mesh import IntArray
from .sampling import TooCoarseError

MANY_POINTS = 10_000
"""With more points a face is triangulated by a method whose cost grows less."""


def _disc(rings: Sequence[list[int]]) -> IntArray:
    """Between points of one circle any triangles are Delaunay's: every second point is cut off, again and
    again."""
    ring, found = np.array(rings[0], dtype=np.int64), []
    while len(ring) > 2:
        onward = np.append(ring, ring[0])
        first = np.arange(0, len(ring) - 1, 2)
        found.append(np.column_stack([ring[first], ring[first + 1], onward[first + 2]]))
        ring = ring[::2]
    return np.concatenate(found)


def _annulus(face: Face, rings: Sequence[list[int]], points: FloatArray) -> IntArray | None:
    """A strip between two circles about one center whose points lie at the same angles; None for others."""
    if len(rings) != 2 or len(rings[0]) != len(rings[1]):
        return None
    outer, inner = np.array(rings[0]), np.array(rings[1][::-1])
    a, b = (face.surface.parameters(points[ring]) for ring in (outer, inner))
    center = a.mean(axis=0)
    if np.abs(b.mean(axis=0) - center).max() > RESOLUTION:
        return None
    a, b = a - center, b - center
    b, inner = (np.roll(rows, -int((b @ a[0]).argmax()), axis=0) for rows in (b, inner))
    across = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    if (across > RESOLUTION * np.abs(a).max()).any() or ((a * b).sum(axis=1) <= 0.0).any():
        return None
    a_next, b_next = np.roll(outer, -1), np.roll(inner, -1)
    halves = (outer, a_next, b_next), (outer, b_next, inner)
    return np.concatenate([np.column_stack(half) for half in halves]).astype(np.int64)


def polygon_of(face: Face, rings: Sequence[list[int]], points: FloatArray) -> shapely.Polygon:
    outer, *holes = (face.surface.parameters(points[ring]) for ring in rings)
    return shapely.Polygon(outer, holes)


def flat_triangles(face: Face, rings: Sequence[list[int]], points: FloatArray) -> IntArray:
    """Constrained Delaunay triangles of a planar face, no new vertices; shape (T, 3)."""
    if has_round_loops(face):
        found = _disc(rings) if len(rings) == 1 else _annulus(face, rings, points)
        if found is not None:
            return found
    polygon = polygon_of(face, rings, points)
    if not polygon.is_valid:
        return _by_segments(face, rings, points)
    if sum(map(len, rings)) > MANY_POINTS:
        found = _of_many(face, rings, points, polygon)
        if found is not None:
            return found
    cells = shapely.get_coordinates(shapely.constrained_delaunay_triangles(polygon))
    corners = cells.reshape(-1, 4, 2)[:, :3]
    index = {
        (u, v): i
        for ring in rings
        for i, (u, v) in zip(ring, face.surface.parameters(points[ring]).tolist(), strict=True)
    }
    triangles = np.array([index[u, v] for u, v in corners.reshape(-1, 2).tolist()], dtype=np.int64)
    triangles = triangles.reshape(-1, 3)
    count = sum(map(len, rings))
    if len(index) != count or len(triangles) != _by_euler(rings):
        raise ModellingError("a planar face could not be triangulated; please report the part")
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    clockwise = one[:, 0] * two[:, 1] < one[:, 1] * two[:, 0]
    flip = clockwise if face.outward else ~clockwise
    triangles[flip] = triangles[flip][:, ::-1]
    return triangles


def _by_euler(rings: Sequence[list[int]]) -> int:
    """How many triangles there are between rings without new points."""
    return sum(map(len, rings)) + 2 * len(rings) - 4


def _of_many(
    face: Face, rings: Sequence[list[int]], points: FloatArray, polygon: shapely.Polygon
) -> IntArray | None:
    """As `_by_segments`, if that gives as many triangles as there must be; None leaves it to another way."""
    try:
        found = _by_segments(face, rings, points, _in_holes(polygon))
    except TooCoarseError:
        return None
    return found if len(found) == _by_euler(rings) else None


def _in_holes(polygon: shapely.Polygon) -> FloatArray:
    """A place in every hole, (H, 2)."""
    return shapely.get_coordinates(shapely.point_on_surface([shapely.Polygon(r) for r in polygon.interiors]))


def _by_segments(
    face: Face, rings: Sequence[list[int]], points: FloatArray, in_holes: FloatArray | None = None
) -> IntArray:
    """As `flat_triangles`, for faces whose rings pass a point more than once or have very many points.
    in_holes : places that keep triangles of many points on one circle out of the holes, (H, 2)."""
    index = np.array(list(dict.fromkeys(i for ring in rings for i in ring)))
    place = {i: k for k, i in enumerate(index.tolist())}
    sides = [(place[a], place[b]) for ring in rings for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)]
    places = face.surface.parameters(points[index])
    if in_holes is not None:
        places = np.concatenate([places, in_holes])
    triangles = index[triangulated(places, np.array(sides))]
    return triangles if face.outward else triangles[:, ::-1]
