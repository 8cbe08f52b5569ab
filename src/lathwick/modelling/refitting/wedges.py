"""Vertices as the faces and edges around them.

A vertex is seen as its star: the faces around it, clockwise from outside, each with the coedge by which its
loop arrives and the one by which it leaves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...geometry.vector import Vec3, cross, dot, norm, scaled
from ...topology.brep import Coedge, Edge, Face, Vertex

CONTINUES = 1e-4

EdgeEnd = tuple[Edge, bool]
"""An edge, and whether its end is meant or its start."""

Uses = dict[Edge, list[tuple[Face, Coedge]]]


@dataclass(frozen=True, eq=False)
class Wedge:
    """A face at a vertex: its loop arrives by one coedge and leaves by the other."""

    face: Face
    arrives: Coedge
    leaves: Coedge

    @property
    def entry(self) -> EdgeEnd:
        return self.arrives.edge, self.arrives.forward

    @property
    def exit(self) -> EdgeEnd:
        return self.leaves.edge, not self.leaves.forward


def reversed_path(path: Sequence[Coedge]) -> list[Coedge]:
    """A chain of coedges the other way."""
    return [Coedge(c.edge, not c.forward) for c in reversed(path)]


def stars_at(faces: Sequence[Face], vertices: set[Vertex]) -> dict[Vertex, list[list[Wedge]]]:
    """The stars of some vertices; more than one where parts of the body touch in a vertex."""
    entries: dict[Vertex, dict[EdgeEnd, Wedge]] = {}
    for face in faces:
        for loop in face.loops:
            for k, leaves in enumerate(loop.coedges):
                vertex = leaves.start
                if vertex is not None and vertex in vertices:
                    wedge = Wedge(face, loop.coedges[k - 1], leaves)
                    entries.setdefault(vertex, {})[wedge.entry] = wedge
    return {vertex: _cycles(wedges) for vertex, wedges in entries.items()}


def _cycles(wedges: dict[EdgeEnd, Wedge]) -> list[list[Wedge]]:
    left = dict(wedges)
    found = []
    while left:
        first = next(iter(left.values()))
        ring = [left.pop(first.entry)]
        while ring[-1].exit != first.entry:
            ring.append(left.pop(ring[-1].exit))
        found.append(ring)
    return found


def continues(one: EdgeEnd, two: EdgeEnd) -> bool:
    """Whether two edges that meet at these ends go on in one direction."""
    arriving, leaving = _way_to(one), _way_to(two)
    return norm(cross(arriving, leaving)) <= CONTINUES and dot(arriving, leaving) < 0.0


def _way_to(end: EdgeEnd) -> Vec3:
    """The direction in which an edge comes to its end."""
    edge, at_end = end
    return edge.curve.tangent(edge.t1) if at_end else scaled(edge.curve.tangent(edge.t0), -1.0)


def touching_sides(star: list[Wedge]) -> tuple[Wedge, Wedge] | None:
    """The two faces, of four, along each of which two edges go on in one direction: they touch there, and
    the faces between them end in cusps. None for other stars."""
    if len(star) == 4:
        for one, two in ((star[0], star[2]), (star[1], star[3])):
            if continues(one.entry, one.exit) and continues(two.entry, two.exit):
                return one, two
    return None


def star_after(uses: Uses, face: Face, coedge: Coedge) -> list[Wedge]:
    """The star of the vertex to which a coedge of a face comes; that face is the first."""
    ring = [_wedge_after(face, coedge)]
    while ring[-1].leaves.edge is not coedge.edge:
        leaves = ring[-1].leaves
        (one, c), (two, d) = uses[leaves.edge]
        ring.append(_wedge_after(two, d) if c.forward is leaves.forward else _wedge_after(one, c))
    return ring


def _wedge_after(face: Face, coedge: Coedge) -> Wedge:
    for loop in face.loops:
        for k, other in enumerate(loop.coedges):
            if other.edge is coedge.edge and other.forward is coedge.forward:
                return Wedge(face, other, loop.coedges[(k + 1) % len(loop.coedges)])
    raise ValueError("the face has no such edge")
