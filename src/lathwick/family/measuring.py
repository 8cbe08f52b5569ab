"""Measuring between things: distances, angles, the volume that two bodies share."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from typing import TypeAlias

import numpy as np

from ..errors import ModellingError
from ..gate import shown_value
from ..geometry import vector
from ..geometry.placement import Axis, FloatArray, Plane
from ..geometry.vector import Vec3
from ..modelling.boolean.operations import combined
from ..modelling.combine import half_space
from ..modelling.references import PlaneLike, plane_of
from ..topology.body import Body, BodyEdge, BodyFace, BodyVertex
from ..topology.selection import Selection

Measured: TypeAlias = BodyFace | BodyEdge | BodyVertex | Body | Iterable[float]
"""A face, an edge, a vertex, a whole body, a selection of one of these, or a point (x, y, z)."""

SECTION = "section"
"""The step under which the faces of a section are called."""

STARTS = 6
"""From so many pairs of samples the nearest points are looked for."""
SAMPLES = 24
ROUNDS = 400
SETTLED = 1e-13


def distance(a: Measured, b: Measured) -> float:
    """The least distance between two things; 0 where they touch or cross.

    Method: alternating projections (von Neumann) between nearest points from the best of sampled starts, each
    sequence sped up by Aitken's process. Raises ModellingError for what cannot be measured.
    """
    one, two = _Thing(a), _Thing(b)
    return min(vector.distance(*_nearest(one, two, start)) for start in _starts(one, two))


def nearest_points(a: Measured, b: Measured) -> tuple[Vec3, Vec3]:
    """The points of two things that are nearest to each other, by the same method."""
    one, two = _Thing(a), _Thing(b)
    return min(
        (_nearest(one, two, start) for start in _starts(one, two)), key=lambda pair: vector.distance(*pair)
    )


def angle(a: BodyFace | BodyEdge | Plane | Axis, b: BodyFace | BodyEdge | Plane | Axis) -> float:
    """Degrees from 0 to 90 between two planes or planar faces, two straight lines, or a line and a plane."""
    (one, flat_one), (two, flat_two) = _direction(a), _direction(b)
    cosine = abs(vector.dot(one, two))
    between = math.degrees(math.atan2(vector.norm(vector.cross(one, two)), cosine))
    return between if flat_one is flat_two else 90.0 - between


def interference(a: Body, b: Body) -> float:
    """The volume that two bodies share, in their cubic unit; 0 where they only touch.

    Raises ModellingError for what is no body, and where the common part cannot be told apart.
    """
    for body in (a, b):
        if not isinstance(body, Body):
            raise ModellingError(f"interference is between two bodies, got {shown_value(body)}")
    (low_a, high_a), (low_b, high_b) = a.bounds, b.bounds
    ends = zip((*low_a, *low_b), (*high_b, *high_a), strict=True)
    if any(low > high for low, high in ends):
        return 0.0
    common = combined(a, b, "intersect")
    return 0.0 if common is None else common.volume


def section(body: Body, plane: PlaneLike) -> Selection[BodyFace]:
    """The faces in which a plane cuts a body: their areas, edges and centers are those of the cut.

    Empty where the plane does not cut it. Raises ModellingError for what is no body and no plane, and where
    the cut cannot be told apart.
    """
    if not isinstance(body, Body):
        raise ModellingError(f"a section is of a body, got {shown_value(body)}")
    wall = plane_of(plane, "a section lies in")
    left = combined(body, half_space(body, wall, 1.0, SECTION), "cut")
    if left is None or left.volume >= body.volume * (1.0 - 1e-12):
        return Selection()
    return Selection(face for face in left.faces() if any(n.step == SECTION for n in face.brep.names))


class _Thing:
    """One of the two: its points nearest to others, and samples of it."""

    def __init__(self, thing: object) -> None:
        if isinstance(thing, Selection) and len(thing) == 1:
            thing = thing[0]
        self._thing: BodyFace | BodyEdge | BodyVertex | Body | Vec3
        self.nearest: Callable[[Vec3], Vec3]
        if isinstance(thing, (BodyFace, BodyEdge, BodyVertex)):
            self._thing, self.nearest = thing, thing.nearest
        elif isinstance(thing, Body):
            self._thing, self.nearest = thing, self._nearest_of_body
        else:
            try:
                place = vector.vec3(thing)  # type: ignore[arg-type]
            except (TypeError, ValueError):
                what = "faces, edges, vertices, bodies and points"
                raise ModellingError(f"distances are between {what}, got {shown_value(thing)}") from None
            self._thing = place
            self.nearest = lambda point: place

    def _nearest_of_body(self, point: Vec3) -> Vec3:
        body = self._thing
        assert isinstance(body, Body)
        if body.contains([point])[0]:
            return point
        return min((f.nearest(point) for f in body.faces()), key=lambda p: vector.distance(p, point))

    def samples(self) -> list[Vec3]:
        thing = self._thing
        if isinstance(thing, BodyVertex):
            return [thing.point]
        if isinstance(thing, BodyEdge):
            return _points_along(thing)
        if isinstance(thing, BodyFace):
            return _points_of_face(thing)
        if isinstance(thing, Body):
            return [p for face in thing.faces() for p in _points_of_face(face)]
        return [thing]


def _points_along(edge: BodyEdge) -> list[Vec3]:
    t = np.linspace(edge.brep.t0, edge.brep.t1, SAMPLES + 1)
    return _triples(edge.brep.curve.points(t))


def _points_of_face(face: BodyFace) -> list[Vec3]:
    """Points of its edges, and what the face has nearest to points between them."""
    rim = [p for edge in face.edges() for p in _points_along(edge)[::3]]
    if not rim:
        low, high = face.body.bounds
        corners = [(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
        return [face.nearest(p) for p in corners]
    places = np.array(rim)
    middles = 0.5 * (places + np.roll(places, len(places) // 2, axis=0))
    return [*rim, *(face.nearest(p) for p in _triples(middles)), face.nearest(face.center)]


def _triples(points: FloatArray) -> list[Vec3]:
    return [(x, y, z) for x, y, z in points.tolist()]


def _starts(one: _Thing, two: _Thing) -> list[Vec3]:
    """The samples of one thing that are nearest to the other."""
    return sorted(one.samples(), key=lambda p: vector.distance(p, two.nearest(p)))[:STARTS]


def _nearest(one: _Thing, two: _Thing, start: Vec3) -> tuple[Vec3, Vec3]:
    """The points that projecting to and fro settles at."""
    found, best = math.inf, (start, start)
    trail: list[FloatArray] = []
    p = start
    for _ in range(ROUNDS):
        q = two.nearest(p)
        p = one.nearest(q)
        gap = vector.distance(p, q)
        if gap < found:
            best = (p, q)
        if gap == 0.0 or found - gap <= SETTLED * max(gap, 1e-9):
            return best
        found = gap
        trail = [*trail[-2:], np.array(p)]
        if len(trail) == 3:
            p = one.nearest(_triples(_sped_up(trail)[None])[0])
            trail = []
    return best


def _sped_up(trail: list[FloatArray]) -> FloatArray:
    """The limit of three points of a sequence that converges linearly (Aitken)."""
    first, second = trail[1] - trail[0], trail[2] - trail[1]
    change = second - first
    size = float(change @ change)
    if size <= 1e-300:
        return trail[2]
    return trail[2] - second * float(second @ change) / size


def _direction(thing: object) -> tuple[Vec3, bool]:
    """The direction of a line or the normal of a plane, and whether it is a plane."""
    if isinstance(thing, Selection) and len(thing) == 1:
        thing = thing[0]
    if isinstance(thing, Plane):
        return thing.normal, True
    if isinstance(thing, Axis):
        return thing.direction, False
    if isinstance(thing, BodyFace):
        return thing.normal, True
    if isinstance(thing, BodyEdge):
        return thing.direction, False
    raise ModellingError(
        f"angles are between planar faces, straight edges, planes and axes, got {shown_value(thing)}"
    )
