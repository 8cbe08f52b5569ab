"""Where strips cannot share corners: groups of edges are blended by themselves and put together."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from ...errors import ModellingError
from ...topology.body import Body
from ...topology.brep import Edge, Vertex
from ..combine import intersect, union
from ..outcomes import Made, first_made, outcome_of, value_of
from ..refitting.errors import FitError
from .selecting import EdgeGraph, chains_of, with_chains

Blended = Callable[[Mapping[Edge, float]], Body]
"""Blends some edges of the body; raises ModellingError if it cannot."""


def apart_at_corners(body: Body, sizes: Mapping[Edge, float], at_once: Blended, in_turn: Blended) -> Body:
    """Groups of edges are blended by themselves, parted at the corners that cannot be closed; a group that
    still cannot be, not even with one edge after the other, is parted into its chains. What all strips leave,
    or what they fill together, is the result.

    Raises ModellingError for edges of both kinds.
    """
    graph = EdgeGraph(body)
    left, _ = with_chains(graph, sizes, {})
    convex = {graph.turn(edge) > 0.0 for edge in left}
    if len(convex) > 1:
        raise ModellingError("convex and concave edges that cannot share their corners are not parted")
    parted: set[Vertex] = set()
    made: list[Body] = []
    while left:
        group = _group(graph, left, parted)
        found = outcome_of(partial(at_once, group))
        if isinstance(found, Made):
            made.append(found.value)
        else:
            corners = found.error.corners if isinstance(found.error, FitError) else frozenset()
            if not corners <= parted:
                parted |= corners
                continue
            whole, chains = partial(_each, in_turn, [group]), partial(_each, in_turn, chains_of(graph, group))
            made += value_of(first_made([whole, chains]))
        left = {edge: size for edge, size in left.items() if edge not in group}
    if len(made) == 1:
        return made[0]
    return intersect(*made) if True in convex else union(*made)


def _each(blended: Blended, groups: Sequence[Mapping[Edge, float]]) -> list[Body]:
    return [blended(group) for group in groups]


def _group(graph: EdgeGraph, sizes: Mapping[Edge, float], parted: set[Vertex]) -> dict[Edge, float]:
    """The first edge and those that meet it, directly or by way of others, but at parted corners; chains
    stay whole."""
    found, todo = set[Edge](), [next(iter(sizes))]
    while todo:
        edge = todo.pop()
        if edge in found:
            continue
        found.add(edge)
        todo += [other for other in graph.chain(edge) if other in sizes]
        for vertex in (edge.start, edge.end):
            if vertex is not None and vertex not in parted:
                todo += [
                    w.leaves.edge for star in graph.stars[vertex] for w in star if w.leaves.edge in sizes
                ]
    return {edge: size for edge, size in sizes.items() if edge in found}
