"""Measuring between things: distances, angles, the volume that two bodies share."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from functools import partial
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
from ..topology.brep import Edge
from ..topology.nearest import boxes_around, distances_to_boxes, nearest_in_face, nearest_in_faces
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
    """One of the two: its points nearest to others, samples of it, and boxes that hold it."""

    def __init__(self, thing: object) -> None:
        if isinstance(thing, Selection) and len(thing) == 1:
            thing = thing[0]
        self._thing: BodyFace | BodyEdge | BodyVertex | Body | Vec3
        self.nearest: Callable[[Vec3], Vec3]
        if isinstance(thing, BodyFace):
            self._thing, self.nearest = thing, partial(nearest_in_face, thing.brep)
            self.boxes = boxes_around([thing.brep])
        elif isinstance(thing, BodyEdge):
            self._thing, self.nearest = thing, thing.brep.nearest
            self.boxes = np.array([thing.brep.bounds])
        elif isinstance(thing, Body):
            self._thing, self.nearest = thing, self._nearest_of_body
            self.boxes = boxes_around(thing.brep_faces)
        else:
            place = thing.point if isinstance(thing, BodyVertex) else _place(thing)
            self._thing, self.nearest = place, lambda point: place
            self.boxes = np.array([(place, place)])

    def _nearest_of_body(self, point: Vec3) -> Vec3:
        body = self._thing
        assert isinstance(body, Body)
        inside = body.contains([point])[0]
        return point if inside else nearest_in_faces(body.brep_faces, self.boxes, point)

    def samples(self) -> FloatArray:
        """Some of its points, (N, 3)."""
        thing = self._thing
        if isinstance(thing, BodyEdge):
            return _points_along(thing.brep)
        if isinstance(thing, BodyFace):
            return _points_of_face(thing)
        if isinstance(thing, Body):
            return np.concatenate([_points_of_face(face) for face in thing.faces()])
        return np.array([thing])


def _place(thing: object) -> Vec3:
    try:
        return vector.vec3(thing)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        what = "faces, edges, vertices, bodies and points"
        raise ModellingError(f"distances are between {what}, got {shown_value(thing)}") from None


def _points_along(edge: Edge) -> FloatArray:
    return edge.curve.points(np.linspace(edge.t0, edge.t1, SAMPLES + 1))


def _points_of_face(face: BodyFace) -> FloatArray:
    """Points of its edges, and what the face has nearest to points between them."""
    edges = [coedge.edge for coedge in face.brep.coedges()]
    if not edges:
        low, high = face.body.bounds
        corners = [(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
        return np.array([nearest_in_face(face.brep, p) for p in corners])
    rim = np.concatenate([_points_along(edge)[::3] for edge in edges])
    middles = 0.5 * (rim + np.roll(rim, len(rim) // 2, axis=0))
    amid = [nearest_in_face(face.brep, p) for p in [*_triples(middles), face.center]]
    return np.concatenate([rim, np.array(amid)])


def _triples(points: FloatArray) -> list[Vec3]:
    return [(x, y, z) for x, y, z in points.tolist()]


def _starts(one: _Thing, two: _Thing) -> list[Vec3]:
    """The samples of one thing that are nearest to the other. Those whose distance from its boxes is more
    than that of enough others are not looked at."""
    samples = one.samples()
    bounds = distances_to_boxes(samples, two.boxes).min(axis=1)
    found: list[tuple[float, Vec3]] = []
    for k in np.argsort(bounds, kind="stable").tolist():
        if len(found) == STARTS and bounds[k] >= found[-1][0]:
            break
        p = _triples(samples[k : k + 1])[0]
        found = sorted([*found, (vector.distance(p, two.nearest(p)), p)])[:STARTS]
    return [p for _, p in found]


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
