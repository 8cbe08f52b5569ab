"""A planar face of a body as a region of its plane."""

from __future__ import annotations

import math

import numpy as np

from ..errors import ModellingError
from ..geometry.curves import Circle, Ellipse, Line
from ..geometry.placement import Plane
from ..geometry.spline import SplineCurve
from ..geometry.vector import Vec2, dot, negated, scaled
from ..sketch.loops import Patch, PlaneLoop
from ..sketch.pieces import ArcPiece, LinePiece, Piece
from ..sketch.plane_curves import CurvePiece, PlaneEllipse, PlaneSpline
from ..sketch.region import Region
from ..topology.brep import Coedge, Face


def plane_of_face(face: Face) -> Plane:
    """The plane of a planar face, its normal out of the body.

    The origin is the foot of (0, 0, 0) on the plane. On a level face x is +X; else x lies level and
    y points up. So the planes of faces agree with XY, XZ and YZ, and depend neither on the step that
    made the face nor on its size. Raises ModellingError for a face that is not planar.
    """
    frame = face.surface.plane
    if frame is None:
        raise ModellingError(
            f"a {face.surface.called} face is not flat; only a planar face is a plane or a profile"
        )
    normal = frame.normal if face.outward else negated(frame.normal)
    height = dot(frame.origin, normal)
    return Plane(scaled(normal, height), normal)


def region_of_face(face: Face, unit: str) -> Region:
    """The area of a planar face, on its own plane (see `plane_of_face`).

    Pieces are called "edge1", "edge2", ... in the order of the face's edges. Raises ModellingError
    for a face that is not planar.
    """
    plane = plane_of_face(face)
    number = 0
    loops = []
    for loop in face.loops:
        pieces = []
        for coedge in loop.coedges:
            number += 1
            pieces.append(_flattened(coedge, plane, f"edge{number}"))
        loops.append(PlaneLoop(tuple(pieces)))
    loops.sort(key=lambda loop: -loop.signed_area)
    return Region((Patch(loops[0], tuple(loops[1:])),), plane, unit)


def _flattened(coedge: Coedge, plane: Plane, name: str) -> Piece:
    edge = coedge.edge
    places = [_flat(plane, p) for p in edge.end_points()]
    start, end = places if coedge.forward else places[::-1]
    ends = None if edge.is_closed else (start, end)
    curve = edge.curve
    if isinstance(curve, Line):
        return LinePiece(start, end, name)
    first, last = (edge.t0, edge.t1) if coedge.forward else (edge.t1, edge.t0)
    if isinstance(curve, SplineCurve):
        flat = PlaneSpline(curve.degree, curve.knots, plane.locals(curve.controls)[:, :2])
        return CurvePiece(flat, first, last, name, ends)
    assert isinstance(curve, (Circle, Ellipse))
    way = 1.0 if dot(curve.frame.normal, plane.normal) > 0 else -1.0
    center = _flat(plane, curve.frame.origin)
    x = np.array([dot(curve.frame.x, plane.x), dot(curve.frame.x, plane.y)])
    turn = math.atan2(x[1], x[0])
    if isinstance(curve, Circle):
        return ArcPiece(center, curve.radius, turn + way * first, way * (last - first), name, ends)
    return CurvePiece(
        PlaneEllipse(center, curve.major, curve.minor, turn), way * first, way * last, name, ends
    )


def _flat(plane: Plane, point: tuple[float, float, float]) -> Vec2:
    u, v, _ = plane.local(point)
    return (u, v)
