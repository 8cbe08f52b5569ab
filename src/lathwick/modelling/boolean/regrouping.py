"""Whole faces: neighbours on one surface become one face, and edges on one curve one edge."""

from __future__ import annotations

from ...geometry.contacts import SAME
from ...geometry.intersections import intersection
from ...geometry.vector import dot
from ...topology.body import Body
from ...topology.brep import Coedge, Edge, Face
from .cells import Cycle, Half
from .fragments import Fragment, Nodes
from .sew import Cell, sewn


def with_whole_faces(body: Body) -> Body:
    """The body with neighbouring faces on one surface joined; the body itself if there are none."""
    if not any(_divides_a_face(edge, uses) for edge, uses in body.faces_of_edge.items()):
        return body
    nodes = Nodes()
    fragments = {edge: _fragment(edge, nodes) for edge in body.faces_of_edge}
    cells = [
        Cell(face, Cycle(_halves(face, k, fragments)), False, whole=True)
        for face in body.brep_faces
        for k in range(max(1, len(face.loops)))
    ]
    return Body.made(sewn(cells, nodes), body.unit)


def _divides_a_face(edge: Edge, uses: list[tuple[Face, Coedge]]) -> bool:
    (one, _), (two, _) = uses
    if one.surface.kind != two.surface.kind:
        return False
    if one.surface is not two.surface and intersection(one.surface, two.surface) is not SAME:
        return False
    p = edge.midpoint()
    return dot(one.outward_normal(p), two.outward_normal(p)) > 0.0


def _fragment(edge: Edge, nodes: Nodes) -> Fragment:
    a, b = (-1 if v is None else nodes.at(v.point) for v in (edge.start, edge.end))
    return Fragment(edge.curve, edge.t0, edge.t1, a, b, edges=[edge])


def _halves(face: Face, number: int, fragments: dict[Edge, Fragment]) -> tuple[Half, ...]:
    if not face.loops:
        return ()
    return tuple((fragments[c.edge], c.forward) for c in face.loops[number].coedges)
