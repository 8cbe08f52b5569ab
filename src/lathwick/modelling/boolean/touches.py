"""Does a result touch itself where two of its faces only graze each other?

A hole that reaches a wall from inside along a line, or a roller that lies on its own base, leaves two
faces back to back along a curve. No edge is there to show it, so it is looked for where surfaces touch.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...errors import ModellingError
from ...geometry.contacts import Intersection
from ...geometry.curve import Curve
from ...geometry.intersections import intersection
from ...geometry.marching import marched
from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, distance
from ...topology.body import Body
from ...topology.boxes import outer_box, overlapping, patch_boxes
from ...topology.brep import Edge, Face, Lump, Vertex
from ...topology.parting import are_parted
from ...topology.trim import INSIDE, ON, OUTSIDE, region_of

NEAR = 2.0 * RESOLUTION
KNOWN = 10.0 * RESOLUTION
"""Where two surfaces meet along a known edge, their common points are found this near to it."""

PER_TURN = 12
ALONG = 9


def intersection_in(one: Face, two: Face, known: Sequence[Edge] = ()) -> Intersection:
    """How the surfaces of two faces meet, where both faces are. known : edges along which they do."""
    found = intersection(one.surface, two.surface)
    if found is None:
        box = _common_box(one, two)
        if box is None or are_parted(one, two):
            return Intersection()
        unknown = _unknown(one, two, known) if known else None
        return marched(one.surface, two.surface, box, unknown, partial(_near, one, two))
    return found


def _near(one: Face, two: Face, points: FloatArray, reach: float) -> NDArray[np.bool_]:
    """Which points of both surfaces lie within a distance of both faces."""
    found = np.ones(len(points), dtype=bool)
    for face in (one, two):
        if found.any():
            found[found] = region_of(face).near(points[found], reach)
    return found


def _unknown(one: Face, two: Face, known: Sequence[Edge]) -> Callable[[FloatArray], NDArray[np.bool_]]:
    """Tells which points lie in both faces and on none of the edges along which these are known to meet."""

    def unknown(points: FloatArray) -> NDArray[np.bool_]:
        off = np.ones(len(points), dtype=bool)
        for edge in known:
            feet = edge.curve.points(edge.curve.feet_between(points[off], edge.t0, edge.t1))
            off[off] = np.linalg.norm(feet - points[off], axis=1) > KNOWN
        for face in (one, two):
            if off.any():
                off[off] = region_of(face).states(points[off]) != OUTSIDE
        return off

    return unknown


def _common_box(one: Face, two: Face) -> FloatArray | None:
    """A box that holds what two faces have in common; None where that is nothing."""
    box = np.array([[-np.inf] * 3, [np.inf] * 3])
    for face, other in ((one, two), (two, one)):
        of_face = outer_box(face)
        if face.surface.bulges and face.surface.whole_box() is None:
            patches, around = patch_boxes(face), outer_box(other)
            near = (patches[:, 0] <= around[1]).all(axis=1) & (patches[:, 1] >= around[0]).all(axis=1)
            if not near.any():
                return None
            of_face = np.array([patches[near, 0].min(axis=0), patches[near, 1].max(axis=0)])
        box = np.array([np.maximum(box[0], of_face[0]), np.minimum(box[1], of_face[1])])
    return box if (box[0] <= box[1]).all() else None


def touching_places(curve: Curve, one: Face, two: Face) -> list[Vec3]:
    """Places on a curve along which two surfaces touch that lie inside both faces."""
    if curve.period:
        t: FloatArray = np.linspace(0.1, 0.1 + curve.period, PER_TURN, endpoint=False)
    else:
        ends = [p for face in (one, two) for c in face.coedges() for p in c.edge.end_points()]
        stops = np.unique([curve.parameter(p) for p in ends])
        if len(stops) < 2:
            return []
        t = 0.5 * (stops[:-1] + stops[1:])
    points = curve.points(t)
    for face in (one, two):
        if len(points):
            points = points[region_of(face).states(points) == INSIDE]
    return [(x, y, z) for x, y, z in points.tolist()]


def touching_points(points: Iterable[Vec3], one: Face, two: Face) -> list[Vec3]:
    """Those of the points in which two surfaces touch that lie inside both faces."""
    return [p for p in points if all(region_of(face).state(p) == INSIDE for face in (one, two))]


TOUCHES = "touches between lumps"


def touches_between_lumps(body: Body) -> list[Vec3]:
    """Places where lumps of a body touch each other; they may be joined elsewhere now."""
    return body.remembered(TOUCHES, _touches_between_lumps)


def pass_touches_on(one: Body, two: Body, united: Body) -> None:
    """Keep with what two bodies are united to where their lumps touch: as before, and each other."""
    if united.lumps < 2:
        return
    found = touches_between_lumps(one) + touches_between_lumps(two)
    boxes = [np.array([outer_box(face) for face in body.brep_faces]) for body in (one, two)]
    for i, j in overlapping(*boxes):
        found += _touches_of(one.brep_faces[i], two.brep_faces[j])
    united.remember(TOUCHES, list(dict.fromkeys(found)))


def _touches_between_lumps(body: Body) -> list[Vec3]:
    if body.lumps < 2:
        return []
    faces = [[face for shell in lump.shells for face in shell.faces] for lump in body.pieces]
    boxes = [np.array([outer_box(face) for face in of_lump]) for of_lump in faces]
    around = np.array([[b[:, 0].min(axis=0), b[:, 1].max(axis=0)] for b in boxes])
    found: list[Vec3] = []
    for m, n in overlapping(around, around):
        if m < n:
            for i, j in overlapping(boxes[m], boxes[n]):
                found += _touches_of(faces[m][i], faces[n][j])
    return found


def _touches_of(one: Face, two: Face) -> list[Vec3]:
    """Places where two faces touch."""
    met = intersection_in(one, two)
    places = [p for curve in met.touches for p in touching_places(curve, one, two)]
    places += touching_points(met.points, one, two)
    return places + _edges_on_face(one, two) + _edges_on_face(two, one)


def _edges_on_face(one: Face, two: Face) -> list[Vec3]:
    """Places of the edges of a face, their ends too, that lie inside another face, or on an edge of it."""
    shares = np.linspace(0.0, 1.0, ALONG + 2)
    found: list[Vec3] = []
    for coedge in one.coedges():
        edge = coedge.edge
        points = edge.curve.points(edge.t0 + shares * (edge.t1 - edge.t0))
        points = points[np.abs(two.surface.distance(points)) <= NEAR]
        if len(points):
            states = region_of(two).states(points)
            found += [(x, y, z) for x, y, z in points[(states == INSIDE) | (states == ON)].tolist()]
    return found


def refuse_touching(body: Body, places: Iterable[Vec3]) -> None:
    """Raise ModellingError where one lump is at one of the places twice: inside two of its faces, inside one
    and on an edge or a vertex of others, or on two edges or vertices."""
    for p in dict.fromkeys(places):
        for lump in body.pieces:
            inside, edges, vertices = _at(lump, p)
            if inside + edges + vertices > 1:
                how = "at a vertex" if vertices else "along an edge" if edges else "inside two of its faces"
                raise ModellingError(
                    f"the result would touch itself at ({p[0]:.6g}, {p[1]:.6g}, {p[2]:.6g}), {how}, "
                    "which no solid can"
                )


def _at(lump: Lump, p: Vec3) -> tuple[int, int, int]:
    """In how many faces of a lump a place lies, on how many edges, their ends left out, and vertices."""
    spot, inside, edges, vertices = np.array(p), 0, set[Edge](), set[Vertex]()
    for shell in lump.shells:
        for face in shell.faces:
            low, high = outer_box(face)
            near = bool((spot >= low - NEAR).all() and (spot <= high + NEAR).all())
            if not near or abs(face.surface.gap(p)) > NEAR:
                continue
            state = region_of(face).state(p)
            inside += state == INSIDE
            if state == ON:
                edges |= {c.edge for c in face.coedges() if _is_on(c.edge, p)}
                vertices |= {v for c in face.coedges() for v in _ends(c.edge) if distance(v.point, p) <= NEAR}
    return inside, len(edges), len(vertices)


def _is_on(edge: Edge, p: Vec3) -> bool:
    far = all(distance(vertex.point, p) > 2.0 * NEAR for vertex in _ends(edge))
    return far and distance(edge.nearest(p), p) <= NEAR


def _ends(edge: Edge) -> list[Vertex]:
    return [vertex for vertex in (edge.start, edge.end) if vertex is not None]
