"""Vertices that come apart: where more than three faces move and no longer meet in one point, three meet in
each of several, and new edges join these.

Source: Aurenhammer & Walzl, "Straight skeletons and mitered offsets of nonconvex polytopes", Discrete &
Computational Geometry 56 (2016).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import shapely

from ...geometry.curves import Line
from ...geometry.placement import FloatArray
from ...geometry.surface import Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, along, distance
from ...topology.brep import Coedge, Edge, Face, Vertex
from ..refitting.crossing_loops import goes_back
from ..refitting.meeting import surfaces_between
from ..refitting.wedges import EdgeEnd, Wedge, reversed_path

NEWTON_STEPS = 60
MOST_FACES = 7
FLAT = 1e-6
"""Three faces whose normals span less than this (their smallest singular value) meet in no certain point."""

FOLDED = -1.0 + 1e-6
"""Edges go back along each other if the cosine of their directions is less."""

FAR = 50.0
"""Old edges are taken for straight within so many times as far as the corners lie apart."""

Triangle = tuple[int, int, int]


@dataclass
class Parted:
    """What vertices have become. ends : the new vertex at each end of an edge. between : the new edges of a
    face, from the end of one of its edges on."""

    ends: dict[EdgeEnd, Vertex] = field(default_factory=dict)
    between: dict[tuple[Face, EdgeEnd], list[Coedge]] = field(default_factory=dict)

    def add(self, star: Sequence[Wedge], surfaces: Sequence[Surface], start: Vec3) -> bool:
        """Part the vertex of a star, all around it sharp edges, near `start`; False where its faces cannot
        meet beside each other. surfaces : on which they are now."""
        if len(star) <= MOST_FACES:
            for triangles in triangulations(0, len(star) - 1):
                corners = _corners(triangles, surfaces, start)
                if corners is None:
                    continue
                paths = [_path(k, len(star), triangles) for k in range(len(star))]
                if all(
                    _is_simple(wedge, surface, [corners[t] for t in path])
                    for wedge, surface, path in zip(star, surfaces, paths, strict=True)
                ):
                    return self._put(star, surfaces, corners, paths)
        return False

    def _put(
        self,
        star: Sequence[Wedge],
        surfaces: Sequence[Surface],
        corners: dict[Triangle, Vertex],
        paths: Sequence[Sequence[Triangle]],
    ) -> bool:
        """Keep what a star has become; False where two of its faces meet in no curve."""
        made: dict[tuple[Triangle, Triangle], Coedge] = {}
        for k, (wedge, path) in enumerate(zip(star, paths, strict=True)):
            self.ends[wedge.exit] = corners[path[-1]]
            found = []
            for one, two in pairwise(path):
                if (two, one) in made:
                    found += reversed_path([made[two, one]])
                    continue
                (other,) = (set(one) & set(two)) - {k}
                new = _between(surfaces[k], surfaces[other], corners[one], corners[two])
                if new is None:
                    return False
                made[one, two] = new
                found.append(new)
            self.between[wedge.face, wedge.entry] = found
        return True


def triangulations(first: int, last: int) -> Iterator[list[Triangle]]:
    """All ways to part a polygon with corners first, ..., last into triangles."""
    if last - first < 2:
        yield []
    for middle in range(first + 1, last):
        for one in triangulations(first, middle):
            for two in triangulations(middle, last):
                yield [(first, middle, last), *one, *two]


def common_point(start: Vec3, surfaces: Sequence[Surface]) -> Vec3:
    """The point near `start` on all of some surfaces, if there is one, by Newton's method on the signed
    distances; planes in one step."""
    p = np.array(start)
    for _ in range(NEWTON_STEPS):
        place = (float(p[0]), float(p[1]), float(p[2]))
        gaps = np.array([surface.gap(place) for surface in surfaces])
        normals = np.array([surface.normal(place) for surface in surfaces])
        step = np.linalg.lstsq(normals, -gaps, rcond=1e-9)[0]
        p = p + step
        if np.abs(step).max() <= 1e-15 * (1.0 + np.abs(p).max()):
            break
    return (float(p[0]), float(p[1]), float(p[2]))


def _corners(
    triangles: Sequence[Triangle], surfaces: Sequence[Surface], start: Vec3
) -> dict[Triangle, Vertex] | None:
    """A vertex for each three faces; None if some of them do not meet in a point of their own."""
    found = {}
    for triangle in triangles:
        three = [surfaces[k] for k in triangle]
        point = common_point(start, three)
        if not max(abs(surface.gap(point)) for surface in three) <= RESOLUTION:
            return None
        normals = np.array([surface.normal(point) for surface in three])
        if not np.linalg.svd(normals, compute_uv=False)[-1] > FLAT:
            return None
        found[triangle] = Vertex(point)
    return found


def _path(k: int, count: int, triangles: Sequence[Triangle]) -> list[Triangle]:
    """The triangles around a corner of the polygon, from the side before it to that after it."""
    left = [triangle for triangle in triangles if k in triangle]
    side, path = (k - 1) % count, list[Triangle]()
    while left:
        following = next(triangle for triangle in left if side in triangle)
        left.remove(following)
        path.append(following)
        (side,) = set(following) - {k, side}
    return path


def _is_simple(wedge: Wedge, surface: Surface, corners: Sequence[Vertex]) -> bool:
    """Whether a face's edges do not cross near its corners, nor fold back: seen along its normal, the old
    ones straight."""
    points = np.array([vertex.point for vertex in corners])
    reach = FAR * (RESOLUTION + float(np.linalg.norm(np.ptp(points, axis=0))))
    arriving, leaving = wedge.arrives, wedge.leaves
    into = arriving.direction_at(arriving.edge.t1 if arriving.forward else arriving.edge.t0)
    out = leaving.direction_at(leaving.edge.t0 if leaving.forward else leaving.edge.t1)
    line = [along(corners[0].point, into, -reach), *points.tolist(), along(corners[-1].point, out, reach)]
    flat = _flat(np.array(line), surface.normal(corners[0].point))
    return not goes_back(flat, FOLDED) and bool(shapely.LineString(flat).is_simple)


def _flat(points: FloatArray, normal: Vec3) -> FloatArray:
    """Points seen along a normal, (n, 2)."""
    _, _, axes = np.linalg.svd(np.array([normal]))
    return np.asarray((points - points[0]) @ axes[1:].T)


def _between(one: Surface, two: Surface, p: Vertex, q: Vertex) -> Coedge | None:
    """The new edge from one vertex to another between two surfaces, perhaps without length."""
    if distance(p.point, q.point) <= RESOLUTION:
        return Coedge(Edge(Line(p.point, (1.0, 0.0, 0.0)), 0.0, 0.0, p, q), True)
    return surfaces_between(one, two, p, q)
