"""Edges that cross rounds in which their own ball finds no room: a rim above upright edges of smaller radius.

The strips beside such a round run on and meet as they would without it, and it ends on them: it is taken off,
its sharp edges and corners are blended, and what the whole body has there is all that is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ...errors import ModellingError
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import distance
from ...topology.body import Body
from ...topology.brep import Edge, Face
from ..combine import intersect, union
from ..local.resurface import resurfaced
from .selecting import EdgeGraph, with_chains
from .strips import Maker, TooLargeError, sides_of

MOST_TIMES = 4
"""So many times faces are taken off, as the edges beyond them may be in the way too."""


def past_narrow_rounds(
    body: Body,
    sizes: Mapping[Edge, float],
    make: Maker,
    blended: Callable[[Body, Mapping[Edge, float]], Body],
) -> Body:
    """The body with strips that pass over rounds too narrow for them.

    make : makes the strip of an edge. blended : blends edges of a body.

    Raises ModellingError where no such round is in the way, for edges of both kinds, and where the faces
    beside a round do not meet without it.
    """
    sharp, left = body, sizes
    convex: set[bool] = set()
    for _ in range(MOST_TIMES):
        graph = EdgeGraph(sharp)
        left, changing = with_chains(graph, left, {})
        convex |= {graph.turn(edge) > 0.0 for edge in left}
        narrow = _narrow_rounds(graph, left, make)
        if changing or len(convex) > 1:
            raise ModellingError("edges of both kinds, or of changing size, do not pass over narrow rounds")
        if not narrow:
            break
        sharp, left = _without(sharp, narrow, left)
    if sharp is body:
        raise ModellingError("no round is in the way")
    made = blended(sharp, left)
    return intersect(made, body) if True in convex else union(made, body)


def _narrow_rounds(graph: EdgeGraph, sizes: Mapping[Edge, float], make: Maker) -> list[Face]:
    """Curved faces that join others smoothly on two sides and in which there is no room for a strip: convex
    ones for convex edges, hollow ones for concave edges."""
    found: dict[Face, None] = {}
    for edge, size in sizes.items():
        faces = sides_of(graph.uses[edge])
        try:
            make(edge, faces, size)
        except TooLargeError:
            bent = graph.turn(edge) > 0.0
            curved = [face for face in faces if face.surface.kind != "plane" and face.outward is bent]
            found |= dict.fromkeys(face for face in curved if len(_joined(graph, face)) > 1)
    return list(found)


def _joined(graph: EdgeGraph, face: Face) -> set[Face]:
    """The faces that a face joins smoothly."""
    uses = (graph.uses[c.edge] for c in face.coedges() if graph.turn(c.edge) == 0.0)
    return {other for pair in uses for other, _ in pair if other is not face}


def _without(body: Body, rounds: list[Face], sizes: Mapping[Edge, float]) -> tuple[Body, dict[Edge, float]]:
    """The body with sharp edges instead of rounds, and the sizes of its edges."""
    gone = {coedge.edge for face in rounds for coedge in face.coedges()}
    sharp = resurfaced(body, {}, rounds)
    edges = list(sharp.faces_of_edge)
    found: dict[Edge, float] = {}
    for edge, size in sizes.items():
        if edge in gone:
            continue
        middle = edge.midpoint()
        same = [e for e in edges if e is edge or distance(e.nearest(middle), middle) <= RESOLUTION]
        if len(same) != 1:
            raise ModellingError("an edge is lost without the rounds in the way")
        found[same[0]] = size
    return sharp, found
