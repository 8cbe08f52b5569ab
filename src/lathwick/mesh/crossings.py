"""Where triangles of different faces pass through or lie on each other, and where two faces share one.

Chords of a curved face that comes close to another face, or leaves it at a small angle, can run through
that one. Faces are told apart first, then triangles by their distance from the other's exact surface and by
their boxes, in a sort-tile-recursive tree; the rest by the sides of one and the inside of the other.

Source: Moller & Trumbore, "Fast, minimum storage ray/triangle intersection", J. Graphics Tools 2 (1997).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..geometry.surface import Surface
from ..geometry.surfaces import CylinderSurface
from ..geometry.tolerance import NOWHERE
from ..geometry.vector import cross, norm
from ..topology.body import Body
from ..topology.boxes import overlapping
from ..topology.brep import Face
from .mesh import IntArray

INNER = 1e-9
CHUNK = 200_000
STEEP = 0.3
"""Faces that meet along all of their common edges at a larger angle (its sine) do not cross beside them
unless their chords are coarse."""

FLAT = 2.0**-22
"""In 32-bit numbers, triangles nearer to a plane than this share of the largest coordinate lie in it."""

FEW = 2000
"""Of faces of more triangles than this, where they stand steeply on each other, only those along edges are
looked at."""

BoolArray = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Triangles:
    """points (N, 3), of which the first `border` lie on edges; rows (T, 3) of their indices; of face number k
    those from starts[k] to starts[k+1]."""

    points: FloatArray
    border: int
    rows: IntArray
    starts: IntArray


def crossing_faces(body: Body, mesh: Triangles, chords: Sequence[float]) -> dict[Face, FloatArray]:
    """Faces whose triangles pass through those of another face or lie on them. Of two flat faces those do
    only where one has chords of a curved edge. With the corners of those triangles, shape (N, 3).

    chords : how far the triangles of each face may lie from it.
    """
    faces = body.brep_faces
    corners = mesh.points[mesh.rows]
    first, all_corners = 3 * mesh.starts[:-1], corners.reshape(-1, 3)
    flat = FLAT * float(np.abs(mesh.points).max(initial=0.0))
    low, high = (f.reduceat(all_corners, first) for f in (np.minimum, np.maximum))
    boxes = np.stack([low - 0.5 * flat, high + 0.5 * flat], axis=1)
    boxed: dict[int, FloatArray] = {}
    safe = _steep_pairs(body)
    chorded = [_has_chords(face) for face in faces]
    doubtful: list[tuple[int, int, IntArray]] = []
    for i, j in overlapping(boxes, boxes):
        flats = (faces[i].surface.plane is not None) + (faces[j].surface.plane is not None)
        if i >= j or (flats == 2 and (not (chorded[i] or chorded[j]) or _parallel(faces[i], faces[j]))):
            continue
        if flats == 1 and (i, j) in safe and _upright(faces[i], faces[j]):
            wall, end = (j, i) if faces[i].surface.plane is not None else (i, j)
            of_wall = corners[mesh.starts[wall] : mesh.starts[wall + 1]]
            if not _in_plane(of_wall, faces[end].surface, flat).any():
                continue
        sizes = [int(mesh.starts[k + 1] - mesh.starts[k]) for k in (i, j)]
        fine = (i, j) in safe and (max(sizes) > FEW or sizes[0] * sizes[1] > FEW * FEW // 4)
        reach = 2.0 * (chords[i] + chords[j])
        if _nested_tubes(faces[i].surface, faces[j].surface, reach):
            continue
        order = ((i, j), (j, i)) if faces[j].surface.plane is not None else ((j, i), (i, j))
        sets = []
        for k, other in order:
            rows = slice(mesh.starts[k], mesh.starts[k + 1])
            if k not in boxed:
                boxed[k] = np.stack([corners[rows].min(axis=1), corners[rows].max(axis=1)])
            meets = (boxed[k][0] - 0.5 * flat <= boxes[other, 1]).all(axis=1)
            meets &= (boxed[k][1] + 0.5 * flat >= boxes[other, 0]).all(axis=1)
            if fine:
                meets &= (mesh.rows[rows] < mesh.border).sum(axis=1) > 1
            chosen = rows.start + np.flatnonzero(meets)
            if faces[other].surface.plane is not None:
                chosen = _beside(corners, chosen, faces[other], (reach, flat))
            sets.append(chosen)
            if not len(chosen):
                break
        else:
            pairs = _near(corners, sets[0], sets[1], flat)
            for side, (_, other) in enumerate(order):
                if faces[other].surface.plane is None:
                    some = np.unique(pairs[:, side])
                    left = _beside(corners, some, faces[other], (reach, flat))
                    pairs = pairs[np.isin(pairs[:, side], left)]
            if len(pairs):
                doubtful.append((i, j, pairs))
    wrong = _which_cross((corners, mesh.rows, flat), [pairs for _, _, pairs in doubtful])
    found: dict[Face, list[FloatArray]] = {}
    for n, pairs in wrong.items():
        for k in doubtful[n][:2]:
            found.setdefault(faces[k], []).append(corners[pairs].reshape(-1, 3))
    return {face: np.unique(np.concatenate(places), axis=0) for face, places in found.items()}


def repeated(triangles: IntArray, border: int) -> IntArray:
    """Numbers of pairs of triangles that have all three corners, of the first `border` points, in common,
    shape (2, K)."""
    among = np.flatnonzero(triangles.max(axis=1) < border)
    a, b, c = np.sort(triangles[among], axis=1).T
    order = np.lexsort((c, b, a))
    same = (np.diff(np.column_stack([a, b, c])[order], axis=0) == 0).all(axis=1)
    return among[np.stack([order[:-1][same], order[1:][same]])]


def crowded_sides(triangles: IntArray, owner: IntArray, border: int) -> IntArray:
    """Sides inside one face, shape (K, 3) with the face, that run along an edge of the body elsewhere: more
    than two triangles have them. Both ends are of the first `border` points."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    faces = np.tile(owner, 3)
    among = (sides < border).all(axis=1)
    sides, faces = np.sort(sides[among], axis=1), faces[among]
    keys = sides[:, 0] * border + sides[:, 1]
    order = np.argsort(keys)
    ordered = keys[order]
    third = np.flatnonzero(ordered[2:] == ordered[:-2])
    if not len(third):
        return np.zeros((0, 3), dtype=np.int64)
    crowded = np.isin(keys, ordered[third])
    rows, twice = np.unique(np.column_stack([sides, faces])[crowded], axis=0, return_counts=True)
    return rows[twice == 2]


def _steep_pairs(body: Body) -> set[tuple[int, int]]:
    """Pairs of numbers of faces with common edges that all stand steeply on each other along them."""
    number = {face: i for i, face in enumerate(body.brep_faces)}
    steep: dict[tuple[int, int], bool] = {}
    for edge, uses in body.faces_of_edge.items():
        one, two = (face for face, _ in uses)
        if one.surface.plane is not None and two.surface.plane is not None:
            continue
        key = (min(number[one], number[two]), max(number[one], number[two]))
        if steep.get(key, True):
            places = [edge.curve.point(edge.t0 + s * (edge.t1 - edge.t0)) for s in (0.02, 0.3, 0.6, 0.98)]
            steep[key] = all(
                norm(cross(one.surface.normal(p), two.surface.normal(p))) > STEEP for p in places
            )
    return {key for key, is_steep in steep.items() if is_steep}


def _has_chords(face: Face) -> bool:
    return any(coedge.edge.curve.kind != "line" for coedge in face.coedges())


def _parallel(one: Face, two: Face) -> bool:
    """Whether two flat faces are parallel; those in one plane have been told apart before."""
    planes = (one.surface.plane, two.surface.plane)
    return all(planes) and norm(cross(*(plane.normal for plane in planes if plane))) < INNER


def _upright(one: Face, two: Face) -> bool:
    """Whether one of two faces is flat, and the other a cylinder at a right angle to it."""
    for flat, tube in ((one.surface, two.surface), (two.surface, one.surface)):
        if flat.plane is not None and isinstance(tube, CylinderSurface):
            return norm(cross(flat.plane.normal, tube.frame.normal)) < INNER
    return False


def _nested_tubes(one: Surface, two: Surface, reach: float) -> bool:
    """Whether two surfaces are cylinders one in the other, or side by side, farther apart than `reach`."""
    if not (isinstance(one, CylinderSurface) and isinstance(two, CylinderSurface)):
        return False
    if norm(cross(one.frame.normal, two.frame.normal)) > INNER:
        return False
    between = math.hypot(*one.frame.local(two.frame.origin)[:2])
    return abs(one.radius - two.radius) > between + reach or between > one.radius + two.radius + reach


def _beside(corners: FloatArray, chosen: IntArray, other: Face, near: tuple[float, float]) -> IntArray:
    """Those of the chosen triangles that may pass through another face's or lie on them. near : how far
    they may be from a curved face, and from a flat one in which they lie."""
    reach, flat = near
    places = corners[chosen]
    if not len(chosen):
        return chosen
    if other.surface.plane is not None:
        gaps = other.surface.distance(places.reshape(-1, 3)).reshape(-1, 3)
        across = (gaps.min(axis=1) < -INNER) & (gaps.max(axis=1) > INNER)
        hinged = ((np.abs(gaps) <= flat).sum(axis=1) >= 2) & (np.abs(gaps).max(axis=1) <= reach)
        return chosen[across | hinged]
    middles = places.mean(axis=1)
    spans = np.linalg.norm(places - middles[:, None], axis=2).max(axis=1)
    return chosen[np.abs(other.surface.distance(middles)) <= spans + reach]


def _in_plane(places: FloatArray, plane: Surface, flat: float) -> BoolArray:
    """Whether triangles, (N, 3, 3), lie in a plane."""
    gaps = plane.distance(places.reshape(-1, 3)).reshape(-1, 3)
    return np.asarray(np.abs(gaps).max(axis=1) <= flat)


def _which_cross(mesh: tuple[FloatArray, IntArray, float], groups: Sequence[IntArray]) -> dict[int, IntArray]:
    """By the number of their group, the pairs of triangles of the groups, (N, 2) each, that pass through or
    lie on each other. mesh : corners and rows of all triangles, and how far from a plane they lie in it."""
    corners, rows, flat = mesh
    pairs = np.concatenate([np.zeros((0, 2), dtype=np.int64), *groups])
    owner = np.repeat(np.arange(len(groups)), [len(group) for group in groups])
    bad = np.zeros(len(pairs), dtype=bool)
    for k in range(0, len(pairs), CHUNK):
        some = pairs[k : k + CHUNK]
        a, b = corners[some[:, 0]], corners[some[:, 1]]
        bad[k : k + CHUNK] = _cross(corners, rows, some) | _lie_on(a, b, flat) | _lie_on(b, a, flat)
    pairs, owner = pairs[bad], owner[bad]
    return {n: pairs[owner == n] for n in np.unique(owner).tolist()}


def _near(corners: FloatArray, one: IntArray, two: IntArray, reach: float) -> IntArray:
    """Pairs of triangles whose boxes overlap or are no farther apart than `reach`; seen along the shortest
    axis by a tree."""
    low = [corners[which].min(axis=1) - 0.5 * reach for which in (one, two)]
    high = [corners[which].max(axis=1) + 0.5 * reach for which in (one, two)]
    spans = np.maximum(high[0].max(axis=0), high[1].max(axis=0)) - np.minimum(
        low[0].min(axis=0), low[1].min(axis=0)
    )
    x, y, z = np.argsort(-spans)
    flat = [shapely.box(a[:, x], a[:, y], b[:, x], b[:, y]) for a, b in zip(low, high, strict=True)]
    i, j = shapely.STRtree(flat[1]).query(flat[0])
    keep = (low[0][i, z] <= high[1][j, z]) & (low[1][j, z] <= high[0][i, z])
    return np.column_stack([one[i[keep]], two[j[keep]]])


def _cross(corners: FloatArray, triangles: IntArray, pairs: IntArray) -> BoolArray:
    """Whether a side of one triangle runs through the inside of the other, from side to side. A side that
    ends at a common corner meets the other one's plane there, and nowhere else."""
    a, b = corners[pairs[:, 0]], corners[pairs[:, 1]]
    same = triangles[pairs[:, 0]][:, :, None] == triangles[pairs[:, 1]][:, None, :]
    common = (same.any(axis=2), same.any(axis=1))
    apart = common[0].sum(axis=1) < 2
    found = np.zeros(len(pairs), dtype=bool)
    for k in range(3):
        for sides, other, shared in ((a, b, common[0]), (b, a, common[1])):
            todo = np.flatnonzero(apart & ~shared[:, k] & ~shared[:, (k + 1) % 3])
            found[todo] |= _pierces(sides[todo, k], sides[todo, (k + 1) % 3], other[todo])
    return found


def _lie_on(one: FloatArray, two: FloatArray, flat: float) -> BoolArray:
    """Whether the second of two triangles, each (N, 3, 3), lies in the plane of the first, and on it, by more
    than `flat`: then no side of either has the other one beyond it."""
    ways = np.cross(one[:, 1] - one[:, 0], one[:, 2] - one[:, 0])
    sizes = np.linalg.norm(ways, axis=1)
    normals = ways / np.maximum(sizes, NOWHERE)[:, None]
    off = np.abs(((two - one[:, :1]) * normals[:, None]).sum(axis=2)).max(axis=1)
    found = (off <= flat) & (sizes > 0.0)
    todo = np.flatnonzero(found)
    for a in (one, two):
        for k in range(3):
            along = a[todo, (k + 1) % 3] - a[todo, k]
            across = np.cross(normals[todo], along)
            across /= np.maximum(np.linalg.norm(across, axis=1), NOWHERE)[:, None]
            reach = [(t[todo] * across[:, None]).sum(axis=2) for t in (one, two)]
            common = np.minimum(*(r.max(axis=1) for r in reach)) - np.maximum(*(r.min(axis=1) for r in reach))
            found[todo] &= common > flat
    return found


def _pierces(p: FloatArray, q: FloatArray, triangle: FloatArray) -> BoolArray:
    """Whether the segment pq passes the inside of a triangle, row by row; ends and sides do not count, nor
    does a segment in its plane."""
    e1, e2, d = triangle[:, 1] - triangle[:, 0], triangle[:, 2] - triangle[:, 0], q - p
    h = np.cross(d, e2)
    det = (e1 * h).sum(axis=1)
    s = p - triangle[:, 0]
    g = np.cross(s, e1)
    steep = np.abs(det) > INNER * np.linalg.norm(np.cross(e1, e2), axis=1) * np.linalg.norm(d, axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        u, v = (s * h).sum(axis=1) / det, (d * g).sum(axis=1) / det
        t = (e2 * g).sum(axis=1) / det
        inside = (u > INNER) & (v > INNER) & (u + v < 1.0 - INNER) & (t > INNER) & (t < 1.0 - INNER)
    return np.asarray(inside & steep & np.isfinite(t))
