"""Strips that reach over the border of a plane face, past a plane side of the body.

The side is moved out, so that there is room; the edges are blended there; and what lies beyond the side is
cut off again. A foot ends at the side, which goes on upwards, and a rim is cut away up to it.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

import numpy as np

from ...errors import ModellingError
from ...geometry.placement import Plane
from ...geometry.surfaces import PlaneSurface
from ...geometry.vector import along, negated
from ...topology.body import Body, renamed
from ...topology.brep import Edge, Face
from ...topology.names import FaceName
from ..boolean.operations import combined
from ..combine import half_space
from ..local.resurface import resurfaced
from .narrow_rounds import found_again
from .passes import Blend, all_passes
from .selecting import EdgeGraph, with_chains

ROOM = 2.0
"""A side is moved out by so many sizes."""

SPOTS = 9
ALIKE = 1e-9
"""Cut off again at its sides without a blend, a body has its own volume but for this share."""


def past_sides(body: Body, sizes: Mapping[Edge, float], blend: Blend) -> Body:
    """All passes with room beyond the sides that the strips come near. Raises ModellingError where there are
    no such sides, and where they cannot be moved."""
    graph = EdgeGraph(body)
    left, changing = with_chains(graph, sizes, {})
    sides = _sides(graph, left)
    if changing or not sides:
        raise ModellingError("no strip reaches past a plane side")
    room = ROOM * max(left.values())
    moved = {side: (_out(side, room), side.outward) for side in sides}
    wide = resurfaced(body, moved)
    if abs(_cut_off(wide, sides).volume - body.volume) > ALIKE * body.volume:
        raise ModellingError("beyond the sides of the body there are others")
    return _cut_off(all_passes(wide, found_again(wide, left), blend), sides)


def _sides(graph: EdgeGraph, sizes: Mapping[Edge, float]) -> list[Face]:
    """Plane faces across an outer edge from one in which strips run round holes or feet, nearer to one of
    those than its size."""
    blended = dict.fromkeys(face for edge in sizes for face, _ in graph.uses[edge])
    found: dict[Face, None] = {}
    for face in blended:
        mine = [c.edge for loop in face.loops if loop not in face.outlines for c in loop.coedges]
        mine = [edge for edge in mine if edge in sizes]
        if face.surface.plane is None or not mine:
            continue
        spots = np.concatenate([e.curve.points(np.linspace(e.t0, e.t1, SPOTS)) for e in mine])
        near = np.repeat([sizes[edge] for edge in mine], SPOTS)
        for border in (coedge.edge for coedge in face.coedges() if coedge.edge not in sizes):
            beyond = next(other for other, _ in graph.uses[border] if other is not face)
            if beyond in blended or beyond in found or beyond.surface.plane is None:
                continue
            depths = -_plane_of(beyond).locals(spots)[:, 2]
            if graph.turn(border) > 0.0 and ((depths > 0.0) & (depths < near)).any():
                found[beyond] = None
    return list(found)


def _plane_of(face: Face) -> Plane:
    """The plane of a face, its normal out of the body."""
    plane = face.surface.plane
    assert plane is not None
    return plane if face.outward else Plane(plane.origin, negated(plane.normal), plane.x)


def _out(face: Face, room: float) -> PlaneSurface:
    plane = face.surface.plane
    assert plane is not None
    way = room if face.outward else -room
    return PlaneSurface(plane.moved_to(along(plane.origin, plane.normal, way)))


def _cut_off(wide: Body, sides: list[Face]) -> Body:
    """What of a body lies behind its former sides; these have their names again."""
    left = wide
    for side in sides:
        block = renamed(half_space(left, _plane_of(side), 1.0), partial(_names_of, side))
        made = combined(left, block, "cut")
        if made is None:
            raise ModellingError("nothing is left behind a side")
        left = made
    return left


def _names_of(side: Face, _: Face) -> tuple[FaceName, ...]:
    return side.names
