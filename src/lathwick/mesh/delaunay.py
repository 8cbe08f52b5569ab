"""Constrained Delaunay triangulation of points and segments in a plane.

Qhull triangulates the points; a segment that it has not made is put in by clearing the triangles that
it crosses and filling the two polygons that are left beside it.

Source: Anglada, "An improved incremental algorithm for constructing restricted Delaunay
triangulations", Computers & Graphics 21 (1997).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from .groups import connected
from .mesh import IntArray
from .sampling import TooCoarseError

MOST_CROSSED = 100_000
BENDS = (1e-5, 1e-7, 0.0)
"""How much the plane is bent, one after the other."""

Edge = tuple[int, int]


def triangulated(points: FloatArray, segments: IntArray) -> IntArray:
    """Triangles, shape (T, 3), counter-clockwise, of the region that closed chains of segments bound.

    points : shape (N, 2). segments : shape (M, 2), indices of points; none may cross. A place is in the
    region if a way out of it crosses the segments an odd number of times. Raises ModellingError where
    that cannot be done.
    """
    for bend in BENDS:
        try:
            return _attempted(points if not bend else _bent(points, bend), segments)
        except TooCoarseError:
            continue
    raise _failed()


def _attempted(points: FloatArray, segments: IntArray) -> IntArray:
    from scipy.spatial import Delaunay

    triangles = Delaunay(points, qhull_options="Qbb Qc Qz Q12 Qt").simplices.astype(np.int64)
    triangles = _turned(points, triangles)
    triangles = triangles[_areas(points, triangles) > 0.0]
    missing = _missing(triangles, segments, len(points))
    if len(missing):
        triangles = _with_segments(points, triangles, missing)
        if len(_missing(triangles, segments, len(points))):
            raise _failed()  # one segment has pushed out another
    return _inner(points, triangles, segments)


def _bent(points: FloatArray, bend: float) -> FloatArray:
    """The points on a plane bent by very little, so that no three in a row are quite collinear: what Qhull
    makes of collinear points is no triangulation."""
    span = float(np.ptp(points, axis=0).max())
    x, y = ((points - points.min(axis=0)) / span).T
    return points + bend * span * np.column_stack([y * y, x * x])


def _areas(points: FloatArray, triangles: IntArray) -> FloatArray:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return 0.5 * ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))


def _turned(points: FloatArray, triangles: IntArray) -> IntArray:
    clockwise = _areas(points, triangles) < 0.0
    triangles[clockwise] = triangles[clockwise][:, ::-1]
    return triangles


def _keys(pairs: IntArray, count: int) -> IntArray:
    return pairs.min(axis=1) * count + pairs.max(axis=1)


def _missing(triangles: IntArray, segments: IntArray, count: int) -> IntArray:
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    there = np.isin(_keys(segments, count), _keys(sides, count))
    return segments[~there]


# ---------------------------------------------------------------------- segments


def _with_segments(points: FloatArray, triangles: IntArray, missing: IntArray) -> IntArray:
    mesh = _Mesh(points, triangles)
    for a, b in missing.tolist():
        mesh.put_in(a, b)
    return np.array(sorted(mesh.triangles), dtype=np.int64)


class _Mesh:
    """Triangles by their directed edges."""

    def __init__(self, points: FloatArray, triangles: IntArray) -> None:
        self._points = [(x, y) for x, y in points.tolist()]
        self._apex: dict[Edge, int] = {}
        self.triangles: set[tuple[int, int, int]] = set()
        self._around: dict[int, set[int]] = {}
        for a, b, c in triangles.tolist():
            self._add(a, b, c)

    def _add(self, a: int, b: int, c: int) -> None:
        for p, q, r in ((a, b, c), (b, c, a), (c, a, b)):
            self._apex[p, q] = r
            self._around.setdefault(p, set()).add(q)
        self.triangles.add(_canonical(a, b, c))

    def _drop(self, a: int, b: int, c: int) -> None:
        for p, q in ((a, b), (b, c), (c, a)):
            del self._apex[p, q]
            self._around[p].discard(q)
        self.triangles.discard(_canonical(a, b, c))

    def _side(self, a: int, b: int, p: int) -> float:
        (ax, ay), (bx, by), (px, py) = self._points[a], self._points[b], self._points[p]
        return (bx - ax) * (py - ay) - (by - ay) * (px - ax)

    def put_in(self, a: int, b: int) -> None:
        """Make ab an edge, if it is none."""
        if (a, b) in self._apex or (b, a) in self._apex:
            return
        p, q = self._first_crossed(a, b)
        left, right, dropped = [q], [p], [(a, p, q)]
        for _ in range(MOST_CROSSED):
            r = self._apex.get((q, p))
            if r is None:
                raise _failed()
            dropped.append((q, p, r))
            if r == b:
                break
            side = self._side(a, b, r)
            if side == 0.0:
                raise _failed()
            if side > 0.0:
                left.append(r)
                q = r
            else:
                right.append(r)
                p = r
        for triangle in dropped:
            self._drop(*triangle)
        self._fill(a, b, left)
        self._fill(b, a, right[::-1])

    def _first_crossed(self, a: int, b: int) -> Edge:
        """The edge pq opposite `a` that ab crosses, with p on its right and q on its left."""
        for p in sorted(self._around.get(a, ())):
            q = self._apex.get((a, p))
            if (
                q is not None
                and self._side(a, b, p) < 0.0 < self._side(a, b, q)
                and (self._side(p, q, a) * self._side(p, q, b) < 0.0)
            ):
                return p, q
        raise _failed()

    def _fill(self, a: int, b: int, chain: list[int]) -> None:
        """Triangles of the polygon a, b and the chain from a to b on the left of ab."""
        stack = [(a, b, chain)]
        while stack:
            p, q, rest = stack.pop()
            if not rest:
                continue
            best = 0
            for k in range(1, len(rest)):
                if self._in_circle(p, q, rest[best], rest[k]):
                    best = k
            c = rest[best]
            if not self._side(p, q, c) > 0.0:
                raise _failed()
            self._add(p, q, c)
            stack += [(p, c, rest[:best]), (c, q, rest[best + 1 :])]

    def _in_circle(self, a: int, b: int, c: int, d: int) -> bool:
        dx, dy = self._points[d]
        rows = [(x - dx, y - dy) for x, y in (self._points[i] for i in (a, b, c))]
        (ax, ay), (bx, by), (cx, cy) = rows
        return (
            (ax * ax + ay * ay) * (bx * cy - cx * by)
            - (bx * bx + by * by) * (ax * cy - cx * ay)
            + (cx * cx + cy * cy) * (ax * by - bx * ay)
        ) > 0.0


def _canonical(a: int, b: int, c: int) -> tuple[int, int, int]:
    return (a, b, c) if a < b and a < c else (b, c, a) if b < c else (c, a, b)


def _failed() -> TooCoarseError:
    return TooCoarseError("the boundary of a face crosses itself when it is meshed; use a finer chord")


# ---------------------------------------------------------------------- inside


def _inner(points: FloatArray, triangles: IntArray, segments: IntArray) -> IntArray:
    """The triangles inside: groups that no segment divides, told by how many segments a way out crosses."""
    count, number = len(points), len(triangles)
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    owner = np.tile(np.arange(number), 3)
    keys = _keys(sides, count)
    barriers, uses = np.unique(_keys(segments, count), return_counts=True)
    order = np.argsort(keys, kind="stable")
    twice = keys[order][1:] == keys[order][:-1]
    same = np.flatnonzero(twice)
    one, two, shared = owner[order[same]], owner[order[same + 1]], keys[order[same]]
    open_ = ~np.isin(shared, barriers)
    groups, label = connected(one[open_], two[open_], number)
    rim = order[~(np.append(twice, False) | np.insert(twice, 0, False))]
    first = np.concatenate([label[one[~open_]], label[owner[rim]]])
    second = np.concatenate([label[two[~open_]], np.full(len(rim), groups)])
    crossed = np.concatenate([shared[~open_], keys[rim]])
    place = np.minimum(np.searchsorted(barriers, crossed), len(barriers) - 1)
    odd = (barriers[place] == crossed) & (uses[place] % 2 == 1)
    inside = _odd_ways(first, second, odd, groups + 1)
    if not inside.any():
        raise _failed()
    return triangles[inside[label]]


def _odd_ways(one: IntArray, two: IntArray, odd: NDArray[np.bool_], count: int) -> NDArray[np.bool_]:
    """Which groups a way from the last one reaches by an odd number of crossings, from pairs of neighbours
    and whether going from one to the other is odd."""
    beside: list[list[tuple[int, bool]]] = [[] for _ in range(count)]
    pairs = np.unique(np.column_stack([one, two, odd]), axis=0)
    for i, j, crossing in pairs.tolist():
        beside[i].append((j, bool(crossing)))
        beside[j].append((i, bool(crossing)))
    found, todo = np.zeros(count, dtype=bool), [count - 1]
    seen = {count - 1}
    while todo:
        here = todo.pop()
        for there, crossing in beside[here]:
            if there not in seen:
                seen.add(there)
                found[there] = found[here] ^ crossing
                todo.append(there)
    return found
