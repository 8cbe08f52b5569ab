"""Planes, axes and directions taken from faces and edges of bodies."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import ModellingError
from ..geometry.curves import Circle, Line
from ..geometry.placement import Axis, Plane, as_direction
from ..geometry.vector import Vec3
from ..sketch.pieces import Piece
from ..topology.body import Body, BodyEdge, BodyFace
from ..topology.selection import Selection, single
from .flat_faces import plane_of_face, region_of_face

PlaneLike = Plane | BodyFace | Selection[BodyFace]
"""A plane, or a planar face: its plane, the normal out of the body."""

AxisLike = Axis | BodyFace | BodyEdge | Selection[BodyFace] | Selection[BodyEdge]
"""An axis, a round face (its own), a straight edge, or a circular one (through its center)."""

DirectionLike = Iterable[float] | AxisLike


def plane_of(place: PlaneLike, what: str) -> Plane:
    """The plane; see `PlaneLike`. what : "a body is mirrored in", for the message of the ModellingError that
    is raised for anything else."""
    one = single(place)
    if isinstance(one, Plane):
        return one
    if isinstance(one, BodyFace):
        return plane_of_face(one.brep)
    raise ModellingError(f"{what} a Plane or a planar face, got {place!r}")


def face_of(body: Body, face: object, what: str) -> BodyFace:
    """The one face of a body. what : "a thread is cut into", for the message of the ModellingError that is
    raised for anything else."""
    one = single(face)
    if not isinstance(one, BodyFace):
        raise ModellingError(f"{what} one face of a body, got {face!r}")
    if not any(own is one.brep for own in body.brep_faces):
        raise ModellingError(f"{what} a face of the body itself, not of another or an earlier one: {one!r}")
    return one


def backdrop_of(place: PlaneLike, unit: str) -> tuple[Piece, ...]:
    """The outline of a planar face, in its plane; nothing for a plane."""
    one = single(place)
    if not isinstance(one, BodyFace):
        return ()
    return tuple(
        p for patch in region_of_face(one.brep, unit).patches for loop in patch.loops for p in loop.pieces
    )


def axis_of(place: AxisLike, what: str) -> Axis:
    """The axis; see `AxisLike`. what : as for `plane_of`."""
    one = single(place)
    if isinstance(one, Axis):
        return one
    found = None
    if isinstance(one, BodyFace):
        meridian = one.brep.surface.meridian
        found = None if meridian is None or meridian.axis is None else (meridian.origin, meridian.axis)
    elif isinstance(one, BodyEdge) and isinstance(one.brep.curve, Circle):
        found = (one.brep.curve.frame.origin, one.brep.curve.frame.normal)
    elif isinstance(one, BodyEdge) and isinstance(one.brep.curve, Line):
        return Axis(one.brep.curve.point(one.brep.t0), one.brep.curve.direction)
    if found is None:
        raise ModellingError(f"{what} an Axis, a round face, or a straight or circular edge, got {place!r}")
    return Axis(*found)


def direction_of(way: DirectionLike, what: str) -> Vec3:
    """Unit vector along an axis, an edge, or three numbers. what : its name, for the message of the
    ModellingError that is raised for anything else."""
    if isinstance(way, BodyFace | BodyEdge | Selection):
        return axis_of(way, f"the {what} is that of").direction
    return as_direction(way, what)
