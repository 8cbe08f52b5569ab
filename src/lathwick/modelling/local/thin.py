"""Whether walls are anywhere thinner than they should be, or hollows lost behind them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ...geometry.placement import FloatArray
from ...geometry.tolerance import NOWHERE
from ...topology.body import Body
from ...topology.brep import Face
from ...topology.looking import over_a_square
from ...topology.trim import INSIDE, ON, region_of
from ..limits import SizeError

PER_EDGE, PER_BORDER = 7, 65
SPREAD = 24
"""Places on each face that are looked at from behind."""

BEHIND = 1e-2
"""Places are looked at so much behind a wall, as a share of its thickness."""
SLACK = 1e-5
"""A wall may be thinner by so much, as a share of its thickness and of the longest side of the box."""


def refuse_thin_walls(other: Body, walls: Mapping[Face, float], opened: Sequence[Face]) -> None:
    """Raise ModellingError where the other side of the walls of some faces comes nearer to one than the
    thinnest wall is; beside open faces it may.

    other : the body whose edges are looked at, inside or outside. walls : the thickness at each face.
    """
    thickness = min(abs(value) for value in walls.values())
    low, high = np.array(other.bounds)
    slack = SLACK * (thickness + float((high - low).max()))
    shares = np.linspace(0.0, 1.0, PER_EDGE)
    points = np.concatenate(
        [np.zeros((0, 3)), *(e.curve.points(e.t0 + shares * (e.t1 - e.t0)) for e in other.faces_of_edge)]
    )
    for face in opened:
        points = points[~_is_near(points, face, thickness + slack)]
        points = points[~_is_beside(points, face, thickness + slack)]
    for face in walls:
        near = _is_near(points, face, thickness - slack)
        if near.any():
            x, y, z = points[near][0].tolist()
            error = SizeError(f"the wall would be too thin near ({x:.6g}, {y:.6g}, {z:.6g})")
            error.face = face
            raise error


def refuse_lost_hollows(other: Body, walls: Mapping[Face, float], opened: Sequence[Face]) -> None:
    """Raise SizeError where there is no hollow behind the wall of a face, at places as far as the walls from
    all of their surfaces, which bound the hollow also where they go on beyond the faces.

    other : the hollow. walls : the thickness at each face. opened : faces beside which it may end elsewhere.
    """
    behind = {face: _behind(face, thickness) for face, thickness in walls.items()}
    points = np.concatenate(list(behind.values()))
    faces = [face for face, some in behind.items() for _ in some]
    near = np.zeros(len(points), dtype=bool)
    mouths = dict.fromkeys(opened, (1.0 + 2.0 * BEHIND) * max(walls.values()))
    for face, thickness in {**walls, **mouths}.items():
        near |= np.abs(face.surface.distance(points)) < thickness
    lost = np.flatnonzero(~near & ~np.asarray(other.contains(points)))
    if len(lost):
        x, y, z = points[lost[0]].tolist()
        error = SizeError(f"the hollow would be lost near ({x:.6g}, {y:.6g}, {z:.6g})")
        error.face = faces[lost[0]]
        raise error


def _behind(face: Face, thickness: float) -> FloatArray:
    """Places behind the wall of a face, (N, 3), from some within its border."""
    if not face.loops:
        return np.zeros((0, 3))
    shares = np.linspace(0.0, 1.0, PER_BORDER)
    edges = [coedge.edge for coedge in face.coedges()]
    border = face.surface.parameters(
        np.concatenate([e.curve.points(e.t0 + shares * (e.t1 - e.t0)) for e in edges])
    )
    low, high = border.min(axis=0), border.max(axis=0)
    places = face.surface.points(low + over_a_square(SPREAD) * (high - low))
    inside = places[region_of(face).states(places) == INSIDE]
    inwards = face.surface.normals(inside) * (-1.0 if face.outward else 1.0)
    return np.asarray(inside + (1.0 + BEHIND) * thickness * inwards)


def _is_beside(points: FloatArray, face: Face, reach: float) -> NDArray[np.bool_]:
    """Whether points lie nearer than that to an edge of a face."""
    near = np.zeros(len(points), dtype=bool)
    for coedge in face.coedges():
        edge = coedge.edge
        line = edge.curve.points(np.linspace(edge.t0, edge.t1, PER_BORDER))
        starts, ways = line[:-1], np.diff(line, axis=0)
        lengths = np.maximum((ways**2).sum(axis=1), NOWHERE)
        off = points[:, None] - starts
        share = np.clip((off * ways).sum(axis=2) / lengths, 0.0, 1.0)
        near |= (np.linalg.norm(off - share[:, :, None] * ways, axis=2) < reach).any(axis=1)
    return near


def _is_near(points: FloatArray, face: Face, reach: float) -> NDArray[np.bool_]:
    """Whether points lie nearer than that to a face, seen along its normal."""
    gaps = face.surface.distance(points)
    near = np.abs(gaps) < reach
    if near.any():
        some = points[near]
        feet = some - gaps[near][:, None] * face.surface.normals(some)
        near[near] = np.isin(region_of(face).states(feet), (INSIDE, ON))
    return near
