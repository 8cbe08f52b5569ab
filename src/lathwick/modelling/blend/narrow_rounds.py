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

Blended = Callable[[Body, Mapping[Edge, float]], Body]

MOST_TIMES = 4
"""So many times faces are taken off, as the edges beyond them may be in the way too."""


def past_narrow_rounds(
    body: Body,
    sizes: Mapping[Edge, float],
    make: Maker,
    blended: Blended,
) -> Body:
    """The body with strips that pass over rounds too narrow for them.

    make : makes the strip of an edge. blended : blends edges of a body.

    Convex and concave edges go one after the other, those that pass over such rounds first. Raises
    ModellingError where no such round is in the way; for edges of changing size; and where the faces beside a
    round do not meet without it.
    """
    graph = EdgeGraph(body)
    left, changing = with_chains(graph, sizes, {})
    if changing:
        raise ModellingError("edges of changing size do not pass over narrow rounds")
    kinds = {
        convex: {edge: size for edge, size in left.items() if (graph.turn(edge) > 0.0) is convex}
        for convex in (True, False)
    }
    passing = [convex for convex, of_kind in kinds.items() if _narrow_rounds(graph, of_kind, make)]
    if not passing:
        raise ModellingError("no round is in the way")
    made = body
    for convex in passing:
        made = _past(made, _found_again(made, kinds.pop(convex)), convex, make, blended)
    others = {edge: size for of_kind in kinds.values() for edge, size in of_kind.items()}
    return blended(made, _found_again(made, others)) if others else made


def _past(body: Body, sizes: Mapping[Edge, float], convex: bool, make: Maker, blended: Blended) -> Body:
    """As `past_narrow_rounds`, for edges of one kind."""
    sharp, left = body, sizes
    for _ in range(MOST_TIMES):
        graph = EdgeGraph(sharp)
        left, _ = with_chains(graph, left, {})
        narrow = _narrow_rounds(graph, left, make)
        if not narrow:
            break
        gone = {coedge.edge for face in narrow for coedge in face.coedges()}
        sharp = resurfaced(sharp, {}, list(narrow), narrow)
        left = _found_again(sharp, {edge: size for edge, size in left.items() if edge not in gone})
    if (sharp.volume > body.volume) is not convex:
        raise ModellingError("the faces beside a round in the way meet on its other side")
    made = blended(sharp, left)
    return intersect(made, body) if convex else union(made, body)


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
        if len(edges) not in (3, 4) or len(set(edges)) != len(edges):
            break
        k = edges.index(edge)
        sides = edges[k - 1], edges[(k + 1) % len(edges)]
        one, two = (_beyond(graph, side, face) for side in sides)
        if one is two or any(graph.turn(side) != 0.0 for side in sides):
            break
        found[face] = (one, two)
        edge = edges[k - 2]
        if len(edges) == 3 or graph.turn(edge) != 0.0:  # it ends in a point, or at another face
            break
        face = _beyond(graph, edge, face)
    return found


def _beyond(graph: EdgeGraph, edge: Edge, face: Face) -> Face:
    return next(other for other, _ in graph.uses[edge] if other is not face)


def _found_again(body: Body, sizes: Mapping[Edge, float]) -> dict[Edge, float]:
    """The sizes of a body's edges that pass through the middles of some others."""
    edges = list(body.faces_of_edge)
    found: dict[Edge, float] = {}
    for edge, size in sizes.items():
        middle = edge.midpoint()
        same = [e for e in edges if e is edge or distance(e.nearest(middle), middle) <= RESOLUTION]
        if len(same) != 1:
            raise ModellingError("an edge is lost where narrow rounds are in the way")
        found[same[0]] = size
    return found
