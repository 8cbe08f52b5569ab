"""Faces on tori that meet their axis: drawn on a sphere, tips as poles, for triangulating them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from ..geometry.placement import FloatArray, Plane
from ..geometry.round_surfaces import TorusSurface
from ..topology.brep import Face
from ..topology.trim import INSIDE, OUTSIDE, region_of
from .inner import directions, well_inside
from .mesh import IntArray
from .sampling import Tolerance, TooCoarseError

LEAST = 6
"""The fewest steps about the axis, and from tip to tip."""


def globe_map(
    face: Face, surface: TorusSurface, rings: Sequence[FloatArray]
) -> Callable[[FloatArray], FloatArray]:
    """Maps points of the face, (N, 3), to the plane, (N, 2): their stereographic picture, from a point that
    the face does not cover. rings : points of the boundary."""
    x, y, z = _uncovered_way(face, surface, [_on_globe(surface, ring) for ring in rings]).tolist()
    frame = Plane((0.0, 0.0, 0.0), (x, y, z))

    def flat(points: FloatArray) -> FloatArray:
        local = frame.locals(_on_globe(surface, points))
        return local[:, :2] / (1.0 - local[:, 2])[:, None]

    return flat


def _uncovered_way(face: Face, surface: TorusSurface, rings: Sequence[FloatArray]) -> FloatArray:
    """A direction from the middle of the sphere, on which the rings lie, to what the face does not cover."""
    middles = [ring.mean(axis=0) for ring in rings]
    middles = [middle / np.linalg.norm(middle) for middle in middles if np.linalg.norm(middle) > 0.0]
    ways = np.concatenate([directions(), *(middle[None] for middle in middles)])
    u, lat = np.arctan2(ways[:, 1], ways[:, 0]), np.arcsin(np.clip(ways[:, 2], -1.0, 1.0))
    places = surface.points(np.column_stack([u, lat * (2.0 / math.pi) * surface.half_turn]))
    free = ways[region_of(face).states(places) == OUTSIDE]
    if not len(free):
        raise TooCoarseError("a face covers so much of its torus that it cannot be meshed yet")
    return np.asarray(free[int((free @ np.concatenate(rings).T).max(axis=1).argmin())])


def _on_globe(surface: TorusSurface, points: FloatArray) -> FloatArray:
    """Directions, shape (N, 3): tips become poles."""
    u, v = surface.parameters(points).T
    lat = np.clip(v / surface.half_turn, -1.0, 1.0) * (math.pi / 2)
    level = np.cos(lat)
    return np.column_stack([level * np.cos(u), level * np.sin(u), np.sin(lat)])


def spindle_points(face: Face, surface: TorusSurface, tolerance: Tolerance, reach: float) -> FloatArray:
    """Points well inside the face that the tolerance asks for, in rings about the axis, and its tips."""
    step = tolerance.span(surface.minor, reach) / math.sqrt(2.0)
    rows = max(LEAST, math.ceil(2.0 * surface.half_turn / step))
    found = []
    for k in range(1, rows):
        v = surface.half_turn * (2.0 * k / rows - 1.0)
        radius = surface.major + surface.minor * math.cos(v)
        count = max(3, math.ceil(math.tau * math.sqrt(2.0) / tolerance.span(radius, reach)))
        u = (np.arange(count) + 0.5 * (k % 2)) * (math.tau / count)
        found.append(np.column_stack([u, np.full(count, v)]))
    tips = np.array([tip.point for tip in surface.singular_points])
    rings = well_inside(face, surface.points(np.concatenate(found)), step * surface.minor)
    return np.concatenate([rings, tips[region_of(face).states(tips) == INSIDE]])


def whole_spindle(surface: TorusSurface, tolerance: Tolerance, reach: float) -> tuple[FloatArray, IntArray]:
    """Points, (N, 3), and triangles, (T, 3), of a whole torus that meets its axis: rings, and a star at each
    tip."""
    widest = surface.major + surface.minor
    count = max(LEAST, math.ceil(math.tau * math.sqrt(2.0) / tolerance.span(widest, reach)))
    step = tolerance.span(surface.minor, reach) / math.sqrt(2.0)
    rows = max(LEAST, math.ceil(2.0 * surface.half_turn / step))
    v = surface.half_turn * (2.0 * np.arange(1, rows) / rows - 1.0)
    u = np.arange(count) * (math.tau / count)
    grid = surface.points(np.column_stack([np.tile(u, len(v)), np.repeat(v, count)]))
    low, high = (tip.point for tip in surface.singular_points)
    k, after = np.arange(count), (np.arange(count) + 1) % count
    steps = count * np.arange(len(v) - 1)[:, None]
    a, b = (steps + k).ravel(), (steps + after).ravel()
    last, bottom, top = count * (len(v) - 1), len(grid), len(grid) + 1
    triangles = [
        np.column_stack([a, b, b + count]),
        np.column_stack([a, b + count, a + count]),
        np.column_stack([after, k, np.full(count, bottom)]),
        np.column_stack([last + k, last + after, np.full(count, top)]),
    ]
    return np.concatenate([grid, [low, high]]), np.concatenate(triangles).astype(np.int64)
