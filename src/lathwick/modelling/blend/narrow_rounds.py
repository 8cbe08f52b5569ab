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

Sides = tuple[Face, Face]

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


def _narrow_rounds(graph: EdgeGraph, sizes: Mapping[Edge, float], make: Maker) -> dict[Face, Sides]:
    """Rounds in which there is no room for a strip, convex ones at convex edges and hollow ones at concave
    edges, and those that continue them."""
    found: dict[Face, Sides] = {}
    for edge, size in sizes.items():
        faces = sides_of(graph.uses[edge])
        try:
            make(edge, faces, size)
        except TooLargeError:
            bent = graph.turn(edge) > 0.0
            for face in faces:
                if face.surface.kind != "plane" and face.outward is bent:
                    found |= _along(graph, edge, face)
    return found


def _along(graph: EdgeGraph, edge: Edge, face: Face) -> dict[Face, Sides]:
    """The round that lies across an edge, and those that continue it smoothly beyond its other end, each with
    the faces at its two sides."""
    found: dict[Face, Sides] = {}
    while face.surface.kind != "plane" and face not in found and len(face.loops) == 1:
        edges = [coedge.edge for coedge in face.loops[0].coedges]
        if len(edges) != 4 or len(set(edges)) != 4:
            break
        k = edges.index(edge)
        sides = edges[k - 1], edges[k - 3]
        one, two = (_beyond(graph, side, face) for side in sides)
        if one is two or any(graph.turn(side) != 0.0 for side in sides):
            break
        found[face] = (one, two)
        edge = edges[k - 2]
        if graph.turn(edge) != 0.0:
            break
        face = _beyond(graph, edge, face)
    return found


def _beyond(graph: EdgeGraph, edge: Edge, face: Face) -> Face:
    return next(other for other, _ in graph.uses[edge] if other is not face)


def _without(
    body: Body, rounds: Mapping[Face, Sides], sizes: Mapping[Edge, float]
) -> tuple[Body, dict[Edge, float]]:
    """The body with sharp edges instead of rounds, and the sizes of its edges."""
    gone = {coedge.edge for face in rounds for coedge in face.coedges()}
    sharp = resurfaced(body, {}, list(rounds), rounds)
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
