"""Walls that lean: draft about a neutral plane."""

from __future__ import annotations

import math
from collections.abc import Iterable
from numbers import Real

from ...errors import ModellingError, naming_its_step
from ...geometry.contacts import SAME
from ...geometry.fitting import leaning
from ...geometry.intersections import intersection
from ...geometry.placement import Plane
from ...geometry.round_surfaces import ConeSurface
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface, ExtrudedSurface, PlaneSurface
from ...geometry.vector import Vec3, along, cross, distance, dot, negated, norm, scaled, sub
from ...topology.body import Body, BodyFace
from ...topology.brep import Face, Lump, Shell
from ..combine import half_space, intersect, union
from ..limits import made_or_limited
from ..references import PlaneLike, plane_of
from .resurface import Moved, resurfaced, turned_normal
from .walls import inside_planes, less_walls, moves_inwards

PARALLEL = 1e-9
BEYOND = 0.05
"""A leaning wall over a curve reaches so far beyond its face, as a share of the height of that."""


@naming_its_step
def draft(
    body: Body,
    faces: Iterable[BodyFace] | BodyFace,
    angle: float | tuple[float, float],
    neutral: PlaneLike,
    split: bool = False,
    *,
    step: str = "",
) -> Body:
    """The body with walls that lean by `angle` degrees, turned about where they meet the plane `neutral`.

    A positive angle makes the body narrower, and its holes wider, along the normal of `neutral`; where that
    is a planar face, away from the face, into its body. Planar walls stay planes; cylinders, and cones, about
    that normal become cones; walls over ellipses and splines get a surface of even slope (to 1e-9 of their
    size).

    split : the walls lean both ways from the neutral plane, narrower away from it on either side; then
        `angle` may be two angles, in front of the plane and behind it. Where the parting line steps from one
        plane to another, the walls of each plane are drafted in a step of their own.

    Walls may close up in an edge or a point. Raises ModellingError for faces of other kinds, and for an
    angle that does not fit; it names the largest that works.
    """
    chosen, level = _chosen(body, faces), plane_of(neutral, "walls lean about")
    if not isinstance(neutral, Plane):
        level = Plane(level.origin, negated(level.normal))
    if split:
        both = angle if isinstance(angle, tuple) else (angle, angle)
        if len(both) != 2:
            raise ModellingError(f"a split draft takes one angle or two, got {angle!r}")
        return _split_draft(body, chosen, (_checked(both[0]), _checked(both[1])), level, step)
    if isinstance(angle, tuple):
        raise ModellingError("two angles are for a draft that is split at the neutral plane")
    return _drafted(body, chosen, _checked(angle), level)


def _checked(angle: object) -> float:
    if isinstance(angle, bool) or not isinstance(angle, Real) or not abs(float(angle)) < 90.0:
        raise ModellingError(f"the angle of a draft lies between -90 and 90 degrees, got {angle!r}")
    return float(angle)


def _chosen(body: Body, faces: Iterable[BodyFace] | BodyFace) -> list[Face]:
    items = [faces] if isinstance(faces, BodyFace) else list(faces)
    if not items:
        raise ModellingError("no face is selected")
    for item in items:
        if not isinstance(item, BodyFace):
            raise ModellingError(f"faces are wanted, got {item!r}")
        if item.brep not in body.brep_faces:
            raise ModellingError("a face belongs to another body; select faces of the body that is passed")
    return list(dict.fromkeys(item.brep for item in items))


def _split_draft(
    body: Body, faces: list[Face], angles: tuple[float, float], neutral: Plane, step: str
) -> Body:
    """Both halves are drafted away from the plane and put together again."""
    behind = Plane(neutral.origin, scaled(neutral.normal, -1.0), neutral.x)
    halves = []
    for side, angle, plane in ((1.0, angles[0], neutral), (-1.0, angles[1], behind)):
        half = intersect(body, half_space(body, neutral, side, step))
        walls = [f for f in half.brep_faces if any(_same_wall(f, wall) for wall in faces)]
        halves.append(_drafted(half, walls, angle, plane) if walls and angle else half)
    return union(*halves)


def _same_wall(face: Face, wall: Face) -> bool:
    return face.surface is wall.surface and face.outward is wall.outward


def _drafted(body: Body, faces: list[Face], angle: float, neutral: Plane) -> Body:
    return made_or_limited(
        lambda value: _leaning(body, faces, value, neutral), angle, f"an angle of {angle:g} degrees"
    )


def _leaning(body: Body, faces: list[Face], angle: float, neutral: Plane) -> Body:
    if angle == 0.0:
        return body
    moved = {face: _leaned(face, math.radians(angle), neutral) for face in faces}
    try:
        return resurfaced(body, moved)
    except ModellingError:
        closed = _closed_up(body, moved)
        if closed is None:
            raise
        return closed


def _closed_up(body: Body, moved: Moved) -> Body | None:
    """Walls that meet before they reach the end of a body: what lies inside all faces of a convex one, else
    what walls that lean inwards leave. None for bodies or walls of another kind."""
    if any(wall.surface.plane is None for wall in moved):
        return None
    planes = {face: (face.surface, face.outward) for face in body.brep_faces} | dict(moved)
    left = inside_planes(body, planes)
    if left is None and all(moves_inwards(wall, *plane) for wall, plane in moved.items()):
        left = less_walls(body, moved)
    return None if left is None else _named_again(left, planes)


def _named_again(body: Body, moved: Moved) -> Body:
    """The body whose faces on the surfaces of moved faces have the names of those."""

    def named(face: Face) -> Face:
        if face.names and any(name.step for name in face.names):
            return face
        for old, (surface, _) in moved.items():
            if intersection(surface, face.surface) is SAME:
                return Face(face.surface, face.outward, face.loops, old.names)
        return face

    def again(shell: Shell) -> Shell:
        return Shell(tuple(named(face) for face in shell.faces))

    return Body(tuple(Lump(again(p.outer), tuple(map(again, p.voids))) for p in body.pieces), body.unit)


def _leaned(face: Face, angle: float, neutral: Plane) -> tuple[Surface, bool]:
    """The surface of a wall that leans by an angle (radians) about the neutral plane."""
    surface, pull = face.surface, neutral.normal
    c, s = math.cos(angle), math.sin(angle)
    if surface.plane is not None:
        normal = turned_normal(face.outward_normal(surface.plane.origin), pull, s, c)
        hinge = _hinge(surface.plane, neutral)
        return PlaneSurface(Plane(hinge, normal)), True
    if isinstance(surface, CylinderSurface | ConeSurface):
        return _leaned_round(face, surface, angle, neutral), face.outward
    if isinstance(surface, ExtrudedSurface):
        return _leaned_prism(face, surface, s / c, neutral), face.outward
    raise ModellingError(
        f"a {surface.called} face cannot be drafted; planes, cylinders, cones and extruded curves can"
    )


def _leaned_prism(face: Face, surface: ExtrudedSurface, slope: float, neutral: Plane) -> Surface:
    """A wall over an ellipse or a spline, of even slope about the neutral plane, a little beyond its face."""
    way, pull = surface.frame.normal, neutral.normal
    if norm(cross(way, pull)) > PARALLEL:
        raise ModellingError(
            "a wall over a curve is drafted along its straight lines; the neutral plane is not across them"
        )
    origin = surface.frame.origin
    height = dot(sub(neutral.origin, origin), way)
    ends = [dot(sub(p, origin), way) for c in face.coedges() for p in c.edge.bounds.tolist()]
    room = BEYOND * (max(ends) - min(ends))
    out = 1.0 if face.outward else -1.0
    return leaning(
        surface, height, -out * slope * dot(way, pull), (min(*ends, height) - room, max(*ends, height) + room)
    )


def _hinge(wall: Plane, neutral: Plane) -> Vec3:
    """A point of the line in which a wall meets the neutral plane, next to the wall's origin."""
    way = cross(wall.normal, neutral.normal)
    if norm(way) <= PARALLEL:
        raise ModellingError("a face along the neutral plane has no wall to draft")
    level = cross(way, wall.normal)
    height = dot(sub(neutral.origin, wall.origin), neutral.normal)
    return along(wall.origin, level, height / dot(level, neutral.normal))


def _leaned_round(
    face: Face, surface: CylinderSurface | ConeSurface, angle: float, neutral: Plane
) -> Surface:
    axis, pull = surface.frame.normal, neutral.normal
    if norm(cross(axis, pull)) > PARALLEL:
        raise ModellingError(
            f"a {surface.kind} is drafted about its axis; the neutral plane is not across it"
        )
    center = along(surface.frame.origin, pull, dot(sub(neutral.origin, surface.frame.origin), pull))
    if isinstance(surface, CylinderSurface):
        radius = surface.radius
    else:
        radius = distance(center, surface.frame.origin) * math.tan(surface.half_angle)
    lean = angle if face.outward else -angle
    if lean == 0.0:
        return CylinderSurface(surface.frame.moved_to(center), radius)
    up = pull if lean < 0.0 else scaled(pull, -1.0)
    half = abs(lean)
    apex = along(center, up, -radius / math.tan(half))
    return ConeSurface(Plane(apex, up, surface.frame.x), half)
