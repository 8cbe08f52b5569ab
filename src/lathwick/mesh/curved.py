"""Triangles of curved faces: tubes as strips, closed surfaces as grids, all others in a chart."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..geometry.curves import Circle
from ..geometry.placement import FloatArray
from ..geometry.round_surfaces import SphereSurface, TorusSurface
from ..geometry.surfaces import CylinderSurface, Surface
from ..geometry.tolerance import RESOLUTION
from ..topology.brep import Coedge, Face
from .charts import chart_of
from .delaunay import triangulated
from .mesh import IntArray
from .sampling import Samples, Tolerance

MOST_REFINEMENTS = 8
ROOM = 1.2


def wall_ends(face: Face) -> tuple[Coedge, Coedge] | None:
    """The two curved edges of a wall that is one profile moved along a straight line; else None.

    Their points correspond one by one, so that a strip between them has no error of its own.
    """
    if face.surface.kind not in ("cylinder", "spline"):
        return None
    curved = [c for c in face.coedges() if c.edge.curve.kind != "line"]
    if len(curved) != 2 or len(list(face.coedges())) > 4:
        return None
    one, two = curved
    if isinstance(face.surface, CylinderSurface) and not all(
        isinstance(c.edge.curve, Circle) for c in curved
    ):
        return None
    a, b = (c.edge.curve.points(np.linspace(c.edge.t0, c.edge.t1, 5)) for c in curved)
    if one.forward is two.forward:
        b = b[::-1]
    axis = np.asarray(face.surface.frame.normal)
    off = b - a
    flat = off - np.outer(off @ axis, axis)
    return (one, two) if np.linalg.norm(flat, axis=1).max() <= RESOLUTION else None


def strip(ends: tuple[Coedge, Coedge], samples: Samples) -> IntArray:
    """Triangles between the two ends of a wall; shape (T, 3)."""
    below = np.array(samples.along(ends[0]))
    above = np.array(samples.along(ends[1])[::-1])
    a, b, c, d = below[:-1], below[1:], above[1:], above[:-1]
    return np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]).astype(np.int64)


def whole(surface: Surface, outward: bool, tolerance: Tolerance, reach: float) -> tuple[FloatArray, IntArray]:
    """Points and triangles of a sphere or torus without edges."""
    if isinstance(surface, SphereSurface):
        step = tolerance.span(surface.radius, reach) / math.sqrt(2.0)
        around, rows = max(4, math.ceil(math.tau / step)), max(2, math.ceil(math.pi / step))
        points, triangles = _globe(surface, around, rows)
    else:
        assert isinstance(surface, TorusSurface)
        steps = [
            tolerance.span(r, reach) / math.sqrt(2.0) for r in (surface.major + surface.minor, surface.minor)
        ]
        points, triangles = _ring(surface, *(max(4, math.ceil(math.tau / s)) for s in steps))
    return points, triangles if outward else triangles[:, ::-1]


def _globe(surface: SphereSurface, around: int, rows: int) -> tuple[FloatArray, IntArray]:
    u = np.arange(around) * (math.tau / around)
    v = -math.pi / 2 + np.arange(1, rows) * (math.pi / rows)
    uv = np.column_stack([np.tile(u, rows - 1), np.repeat(v, around)])
    poles = np.array([[0.0, -math.pi / 2], [0.0, math.pi / 2]])
    points = surface.points(np.concatenate([uv, poles]))
    south, north = len(uv), len(uv) + 1
    i, j = np.arange(around), (np.arange(around) + 1) % around
    caps = [
        np.column_stack([np.full(around, south), j, i]),
        np.column_stack([np.full(around, north), i + (rows - 2) * around, j + (rows - 2) * around]),
    ]
    bands = [_band(i + k * around, j + k * around, around) for k in range(rows - 2)]
    return points, np.concatenate([*caps, *bands]).astype(np.int64)


def _band(a: IntArray, b: IntArray, around: int) -> IntArray:
    return np.concatenate([np.column_stack([a, b, b + around]), np.column_stack([a, b + around, a + around])])


def _ring(surface: TorusSurface, around: int, rows: int) -> tuple[FloatArray, IntArray]:
    u, v = np.arange(around) * (math.tau / around), np.arange(rows) * (math.tau / rows)
    points = surface.points(np.column_stack([np.tile(u, rows), np.repeat(v, around)]))
    i, j = np.meshgrid(np.arange(around), np.arange(rows))
    a, b = (i + j * around).ravel(), ((i + 1) % around + j * around).ravel()
    c, d = ((i + 1) % around + (j + 1) % rows * around).ravel(), (i + (j + 1) % rows * around).ravel()
    return points, np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])]).astype(np.int64)


def charted(
    face: Face, rings: Sequence[Sequence[int]], points: FloatArray, tolerance: Tolerance, reach: float
) -> tuple[FloatArray, IntArray]:
    """New points and triangles of a face between its boundary rings; new points count from len(points).

    Raises ModellingError where the boundary crosses itself at this tolerance.
    """
    chart = chart_of(face, [points[[*ring, ring[0]]] for ring in rings], tolerance, reach)
    border = [i for ring in rings for i in ring]
    flat, owners, segments = [chart.flat(points[border])], [np.array(border)], []
    start = 0
    for ring in rings:
        k = np.arange(len(ring))
        segments.append(np.column_stack([start + k, start + (k + 1) % len(ring)]))
        start += len(ring)
    added = chart.inner
    if chart.cut is not None:
        k = np.arange(len(chart.cut))
        for side in chart.sides:
            flat.append(side(chart.cut))
            owners.append(len(points) + k)
            segments.append(np.column_stack([start + k, start + (k + 1) % len(k)]))
            start += len(k)
        added = np.concatenate([chart.cut, chart.inner])
        flat.append(chart.flat(chart.inner))
        owners.append(len(points) + len(chart.cut) + np.arange(len(chart.inner)))
    else:
        flat.append(chart.flat(chart.inner))
        owners.append(len(points) + np.arange(len(chart.inner)))
    edges = np.concatenate(segments).astype(np.int64)
    places, index = np.concatenate(flat), np.concatenate(owners)
    for _ in range(MOST_REFINEMENTS):
        triangles = triangulated(places, edges)
        table = np.concatenate([points, added])
        extra = _coarse(face, triangles, index, table, edges, tolerance)
        if not len(extra):
            break
        places = np.concatenate([places, chart.flat(extra)])
        index = np.concatenate([index, len(table) + np.arange(len(extra))])
        added = np.concatenate([added, extra])
    else:
        triangles = triangulated(places, edges)
    return added, _outwards(face, index[triangles], np.concatenate([points, added]))


def _coarse(
    face: Face,
    triangles: IntArray,
    index: IntArray,
    table: FloatArray,
    segments: IntArray,
    tolerance: Tolerance,
) -> FloatArray:
    """Points of the surface over the middles of inner edges that run too far below it."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    sides.sort(axis=1)
    sides = np.unique(sides, axis=0)
    count = len(index)
    fixed = np.sort(segments, axis=1)
    inner = sides[~np.isin(sides[:, 0] * count + sides[:, 1], fixed[:, 0] * count + fixed[:, 1])]
    middles = table[index[inner]].mean(axis=1)
    gaps = face.surface.distance(middles)
    far = np.abs(gaps) > ROOM * tolerance.chord
    if not far.any():
        return np.zeros((0, 3))
    spots = middles[far]
    spots = spots - face.surface.distance(spots)[:, None] * face.surface.normals(spots)
    return np.unique(np.round(spots, 12), axis=0)


def _outwards(face: Face, triangles: IntArray, points: FloatArray) -> IntArray:
    """Triangles turned so that they look out of the body."""
    corners = points[triangles]
    areas = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    largest = int((areas**2).sum(axis=1).argmax())
    normal = face.surface.normals(corners[largest].mean(axis=0)[None])[0]
    looks_out = float(areas[largest] @ normal) > 0.0
    return triangles if looks_out is face.outward else triangles[:, ::-1]
