"""The two faces at an edge, and how they meet there."""

from __future__ import annotations

import math

from ...geometry.vector import cross, dot, norm
from ...topology.brep import Coedge, Edge, Face

FADED = 1e-3
"""Radians. At an end where an edge turns by less than this its faces meet smoothly."""


def sides_of(uses: list[tuple[Face, Coedge]]) -> tuple[Face, Face]:
    """Of the two faces at an edge the one that runs along it, then the one that runs against it."""
    (one, coedge), (two, _) = uses
    return (one, two) if coedge.forward else (two, one)


def way_out(face: Face) -> float:
    """1.0 where the normal of the surface looks out of the body, -1.0 where it looks into it."""
    return 1.0 if face.outward else -1.0


def turn_at(edge: Edge, faces: tuple[Face, Face], t: float) -> float:
    """The angle (radians) between the outward normals of an edge's faces, positive at an outside corner."""
    p = edge.curve.point(t)
    n, m = faces[0].outward_normal(p), faces[1].outward_normal(p)
    turn = cross(n, m)
    size = math.atan2(norm(turn), dot(n, m))
    return math.copysign(size, dot(turn, edge.curve.tangent(t)))


def pointed_ends(edge: Edge, faces: tuple[Face, Face]) -> tuple[bool, bool]:
    """At which of its ends the faces of an edge come to meet smoothly: there a round has no width."""
    if edge.is_closed:
        return False, False
    at_start, at_end = (abs(turn_at(edge, faces, t)) <= FADED for t in (edge.t0, edge.t1))
    return at_start, at_end
