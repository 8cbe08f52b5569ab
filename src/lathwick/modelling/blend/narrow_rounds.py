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
from ..refitting.errors import TooLargeError
from ..refitting.sides import sides_of
from .selecting import EdgeGraph, with_chains
from .strips import Maker

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

    Edges of the other kind come afterwards. Raises ModellingError where no such round is in the way, or where
    there are some at convex and at concave edges; for edges of changing size; and where the faces beside a
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
    if len(passing) != 1:
        raise ModellingError("no narrow round, or such of both kinds, is in the way")
    (convex,) = passing
    made = _past(body, kinds[convex], convex, make, blended)
    others = kinds[not convex]
    return blended(made, found_again(made, others)) if others else made


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
        sharp = resurfaced(sharp, {}, narrow)
        left = found_again(sharp, {edge: size for edge, size in left.items() if edge not in gone})
    if (sharp.volume > body.volume) is not convex:
        raise ModellingError("the faces beside a round in the way meet on its other side")
    made = blended(sharp, left)
    return intersect(made, body) if convex else union(made, body)


def _narrow_rounds(graph: EdgeGraph, sizes: Mapping[Edge, float], make: Maker) -> list[Face]:
    """Rounds in which there is no room for a strip: convex ones at convex edges, hollow ones at concave."""
    found: dict[Face, None] = {}
    for edge, size in sizes.items():
        faces = sides_of(graph.uses[edge])
        try:
            make(edge, faces, size)
        except TooLargeError:
            bent = graph.turn(edge) > 0.0
            curved = [face for face in faces if face.surface.plane is None and face.outward is bent]
            found |= dict.fromkeys(one for face in curved for one in _row_from(graph, edge, face))
    return list(found)


def _row_from(graph: EdgeGraph, edge: Edge, face: Face) -> list[Face]:
    """A round that joins others smoothly at its two sides, and, where it ends on the corner of a rounded
    foot, that corner; none if it is none, or goes on otherwise."""
    edges = [coedge.edge for coedge in face.coedges()]
    if len(edges) != 4 or len(set(edges)) != 4:
        return []
    k = edges.index(edge)
    smooth = [graph.turn(edges[k - n]) == 0.0 for n in (1, 2, 3)]
    if smooth == [True, False, True]:
        return [face]
    if smooth != [True, True, True]:
        return []
    beyond = next(other for other, _ in graph.uses[edges[k - 2]] if other is not face)
    around = [coedge.edge for coedge in beyond.coedges()]
    is_corner = len(around) in (3, 4) and all(graph.turn(one) == 0.0 for one in around)
    return [face, beyond] if is_corner and beyond.surface.plane is None else []


def found_again(body: Body, sizes: Mapping[Edge, float]) -> dict[Edge, float]:
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
