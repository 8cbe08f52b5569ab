"""A body less its walls, where walls meet that do not meet on the body.

Faces moved inwards can lose neighbours and get new ones: a bevel narrower than the wall, a hole near a side.
What is left is still the common part of the body with one group of faces moved at a time. A group holds
faces joined by inside corners, or smoothly; groups meet in outside corners, where each wall ends at the
surface of the other face. Where a group cannot be moved by itself, its wall is cut out of the body: the part
of the body beyond all of the moved surfaces, as far as it hangs together with the faces.

Source: Rossignac & Requicha, "Offsetting operations in solid modelling", Computer Aided Geometric Design 3
(1986).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import singledispatch

import numpy as np

from ...errors import ModellingError
from ...geometry.placement import XY, Plane
from ...geometry.round_surfaces import ConeSurface, SphereSurface
from ...geometry.surface import Surface
from ...geometry.surfaces import CylinderSurface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import along, scaled
from ...topology.body import Body, BodyEdge
from ...topology.brep import Coedge, Edge, Face, Lump
from ...topology.sets import Sets
from ...topology.trim import INSIDE, ON, region_of
from ..boolean.operations import combined
from ..combine import half_space, reach_along
from ..primitives import box, cone, cylinder, sphere
from .resurface import Moved, resurfaced

UNMADE = "walls would meet others that they are far from on the body; this cannot be made yet"
WHOLE = 1e-9
SPOTS = 9
NOTHING = "nothing is left between the walls"
ROOM = (3.0, 10.0, 100.0)
"""Bodies are looked for in blocks so many times as large; they do not grow beyond the last."""


def less_walls(body: Body, moved: Moved, swallowed: Sequence[Face] = ()) -> Body:
    """What is left of a body inside faces that move inwards.

    moved : the surfaces inside, and whether their normals look out of the body. swallowed : faces whose
    moved surface has no size.

    Raises ModellingError where nothing is left, and where the walls of a group cannot be made.
    """
    left = inside_planes(body, moved)
    if left is None:
        left = _less_walls(body, _groups(body, [*moved, *swallowed]), moved)
    return left


def inside_planes(body: Body, moved: Moved) -> Body | None:
    """What lies inside all of the moved planes of a convex body with planar faces; None for another body.

    Where planes move outwards too, all faces of the body must be given. Raises ModellingError where nothing
    is left, or where planes that part leave the space open.
    """
    if any(face.surface.plane is None for face in body.brep_faces) or body.lumps > 1:
        return None
    if any(edge.is_convex is False for edge in body.edges()):
        return None
    if all(moves_inwards(face, *plane) for face, plane in moved.items()):
        return _inside(body, moved)
    for room in ROOM:
        block = _block_around(body, room)
        left = _inside(block, moved)
        if (np.abs(np.subtract(left.bounds, block.bounds)) > RESOLUTION).all():
            return left
    raise ModellingError("the walls part and leave the body open")


def _inside(block: Body, moved: Moved) -> Body:
    left = block
    for surface, outward in moved.values():
        if surface.plane is not None:
            left = _less(left, half_space(block, surface.plane, -1.0 if outward else 1.0), "intersect")
    return left


def moves_inwards(face: Face, surface: Surface, outward: bool) -> bool:
    """Whether a planar face moves into the body, or stays, at all of its corners."""
    sign = 1.0 if outward else -1.0
    corners = [p for coedge in face.coedges() for p in coedge.edge.end_points()]
    return all(sign * surface.gap(p) >= -RESOLUTION for p in corners)


def _block_around(body: Body, room: float) -> Body:
    """A block so many times as large as a body, about its middle."""
    low, high = np.array(body.bounds)
    size = room * float(np.linalg.norm(high - low))
    corner = 0.5 * (low + high) - 0.5 * size
    return box(size, size, size, on=XY.moved_to((corner[0], corner[1], corner[2])), unit=body.unit)


def _less_walls(body: Body, groups: Sequence[Sequence[Face]], moved: Moved) -> Body:
    """The body with all groups moved together where that can be; else what two halves of them leave."""
    faces = [face for group in groups for face in group]
    try:
        return resurfaced(
            body, {face: moved[face] for face in faces if face in moved}, [f for f in faces if f not in moved]
        )
    except ModellingError:
        if len(groups) == 1:
            return _less(body, _wall(body, faces, moved), "cut")
    half = len(groups) // 2
    one, two = (_less_walls(body, some, moved) for some in (groups[:half], groups[half:]))
    return _less(one, two, "intersect")


def _less(one: Body, two: Body, operation: str) -> Body:
    left = combined(one, two, operation)
    if left is None:
        raise ModellingError(NOTHING)
    return left


def _groups(body: Body, faces: Sequence[Face]) -> list[list[Face]]:
    """Faces in groups joined by inside corners or smooth edges."""
    number = {face: k for k, face in enumerate(faces)}
    sets = Sets(len(faces))
    for edge in body.edges():
        one, two = (face for face, _ in body.faces_of_edge[edge.brep])
        if one in number and two in number and edge.is_convex is not True:
            sets.join(number[one], number[two])
    groups: dict[int, list[Face]] = {}
    for face, k in number.items():
        groups.setdefault(sets.find(k), []).append(face)
    return list(groups.values())


def _wall(body: Body, group: Sequence[Face], moved: Moved) -> Body:
    """The part of a body beyond the moved surfaces of a group that hangs together with its faces."""
    inner = set(group)
    for edge in body.edges():
        if edge.is_convex is not False and inner.issuperset(f for f, _ in body.faces_of_edge[edge.brep]):
            raise ModellingError(UNMADE)
    wall: Body | None = body
    for face in group:
        if face in moved:
            solid, operation = _beyond(body, *moved[face])
            wall = None if wall is None else combined(wall, solid, operation)
    for plane in _bounds(body, group[0]) if len(group) == 1 else ():
        solid = half_space(body, plane, -1.0)
        wall = None if wall is None else combined(wall, solid, "intersect")
    pieces = [] if wall is None else [lump for lump in wall.pieces if _parts(lump, group)]
    if not pieces:
        raise ModellingError("a wall has no thickness")
    made = Body(tuple(pieces), body.unit)
    known = _beside(body, group) | _behind(body, group, made) | _outside(body, group, made)
    for lump in pieces:
        beyond = _parts(lump, [face for face in body.brep_faces if face not in known])
        if beyond - _parts(lump, list(known)):
            raise ModellingError(UNMADE)
    return made


def _behind(body: Body, group: Sequence[Face], wall: Body) -> set[Face]:
    """What meets faces that a wall takes whole, as far as it lies behind a group of planar faces."""
    if any(face.surface.plane is None for face in group):
        return set()
    found, todo = set(group), list(group)
    while todo:
        for other in _neighbours(body, todo.pop()):
            if other not in found and _is_behind(other, group):
                found.add(other)
                if _is_whole(body, other, wall):
                    todo.append(other)
    return found


def _outside(body: Body, group: Sequence[Face], wall: Body) -> set[Face]:
    """Planes that have a hole and all of its wall behind them: the wall breaks through to the outside."""
    if not any(isinstance(face.surface, CylinderSurface) and not face.outward for face in group):
        return set()
    planes = [face for face in body.brep_faces if face.surface.plane is not None]
    return {plane for plane in planes if all(_is_behind(f, [plane]) for f in (*group, *wall.brep_faces))}


def _is_behind(face: Face, planes: Sequence[Face]) -> bool:
    """Whether the edges of a face lie behind planes; not so for one without edges."""
    edges = [coedge.edge for coedge in face.coedges()]
    if not edges:
        return False
    points = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, SPOTS)) for e in edges])
    signed = [p.surface.distance(points) * (1.0 if p.outward else -1.0) for p in planes]
    return bool((np.array(signed) <= RESOLUTION).all())


def _is_whole(body: Body, face: Face, wall: Body) -> bool:
    """Whether a wall has all of a face of the body."""
    parts = {part for lump in wall.pieces for part in _parts(lump, [face])}
    area = body.face_area(face)
    return abs(sum(wall.face_area(part) for part in parts) - area) <= WHOLE * area


def _neighbours(body: Body, face: Face) -> list[Face]:
    """The faces that meet a face, in the order of its edges."""
    return list(
        dict.fromkeys(f for c in face.coedges() for f, _ in body.faces_of_edge[c.edge] if f is not face)
    )


def _bounds(body: Body, face: Face) -> list[Plane]:
    """Planes, looking outwards, of faces that meet a face in outside corners and have all of it behind them:
    its wall ends there."""
    corners = [p for c in face.coedges() for p in c.edge.end_points()]
    planes = []
    for other in _neighbours(body, face):
        frame = other.surface.plane
        if frame is not None:
            plane = frame if other.outward else Plane(frame.origin, scaled(frame.normal, -1.0))
            if all(plane.local(p)[2] <= RESOLUTION for p in corners):
                planes.append(plane)
    return planes


def _beside(body: Body, group: Sequence[Face]) -> set[Face]:
    """The faces of a group, those that meet them, and the holes in these: all that its wall may reach. What
    lies farther away has walls of its own."""
    found = set(group)
    for face in group:
        found |= set(_neighbours(body, face))
    rims = [c.edge for face in found if face.surface.plane is not None for c in _inner_coedges(face)]
    holes = [f for rim in rims if _is_rim(body, rim) for f, _ in body.faces_of_edge[rim] if f not in found]
    while holes:
        face = holes.pop()
        found.add(face)
        holes += [other for other in _neighbours(body, face) if other not in found]
    return found


def _inner_coedges(face: Face) -> list[Coedge]:
    return [coedge for loop in face.loops[1:] for coedge in loop.coedges]


def _is_rim(body: Body, edge: Edge) -> bool:
    """Whether an edge inside a face is the rim of a hole, and not the foot of what stands on it."""
    return BodyEdge(body, edge).is_convex is True


def _parts(lump: Lump, faces: Sequence[Face]) -> set[Face]:
    """The faces of a lump that are parts of some faces of the body it was cut from."""
    found = set()
    for made in (made for shell in lump.shells for made in shell.faces):
        spots = [coedge.edge.midpoint() for coedge in made.coedges()]
        for face in faces:
            if made.surface != face.surface or made.outward is not face.outward:
                continue
            region = region_of(face)
            if not spots or all(region.state(p) in (INSIDE, ON) for p in spots):
                found.add(made)
    return found


def _beyond(body: Body, surface: Surface, outward: bool) -> tuple[Body, str]:
    """A solid bounded by a surface, as far as the body reaches, and what keeps the part of the body on the
    side to which the faces look."""
    if surface.plane is not None:
        return half_space(body, surface.plane, 1.0 if outward else -1.0), "intersect"
    return _filled(surface, body), "cut" if outward else "intersect"


@singledispatch
def _filled(surface: Surface, body: Body) -> Body:
    """The solid within a surface, as far as the body reaches."""
    raise ModellingError(f"the wall of a {surface.called} face would meet others; this cannot be made yet")


@_filled.register
def _(surface: SphereSurface, body: Body) -> Body:
    return sphere(surface.radius, on=surface.frame, unit=body.unit)


@_filled.register
def _(surface: ConeSurface, body: Body) -> Body:
    _, ahead = reach_along(body, surface.frame)
    return cone(0.0, ahead * math.tan(surface.half_angle), ahead, on=surface.frame, unit=body.unit)


@_filled.register
def _(surface: CylinderSurface, body: Body) -> Body:
    behind, ahead = reach_along(body, surface.frame)
    foot = surface.frame.moved_to(along(surface.frame.origin, surface.frame.normal, -behind))
    return cylinder(surface.radius, behind + ahead, on=foot, unit=body.unit)
