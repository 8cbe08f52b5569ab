"""Room for a radius to change: along the edge that joins two others, or beyond it along the smaller."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ...topology.body import Body
from ...topology.brep import Coedge, Edge, Face, Loop, Lump, Shell, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.sides import sides_of
from ..refitting.wedges import EdgeEnd
from .selecting import Changing, EdgeGraph
from .strips import ChangingMaker

ROOM = 2.0
"""A radius changes along so many times the middle proportional of itself and the change."""


@dataclass(frozen=True)
class Plan:
    """The edges of a body, each with its size, and those along which it changes."""

    body: Body
    sizes: Mapping[Edge, float]
    changing: Changing


def eased(plan: Plan, make: ChangingMaker) -> Plan:
    """The plan where every changing size can change: if that fails along a whole edge between two others, it
    keeps the larger size, and the smaller of the others is divided and changes at first.

    Raises TooLargeError where the smaller one is too short for that.
    """
    for edge, ends in plan.changing.items():
        try:
            make(edge, sides_of(plan.body.faces_of_edge[edge]), ends)
        except TooLargeError:
            return eased(_beyond(plan, edge, ends), make)
    return plan


def _beyond(plan: Plan, edge: Edge, ends: tuple[float, float]) -> Plan:
    largest, smallest = max(ends), min(ends)
    other = EdgeGraph(plan.body).next_in_chain((edge, ends[1] == smallest))
    faces = sides_of(plan.body.faces_of_edge[edge])
    room = ROOM * math.sqrt(largest * (largest - smallest))
    if other is None or other[0] in plan.changing or not other[0].length > room + largest - smallest:
        raise TooLargeError("there is no room for the radius to change", faces[0])
    body, near, far = divided(plan.body, other, room)
    sizes = {**plan.sizes, edge: largest, near: largest, far: smallest}
    changing = {**plan.changing, near: (smallest, largest) if other[1] else (largest, smallest)}
    del sizes[other[0]], changing[edge]
    return Plan(body, sizes, changing)


def divided(body: Body, end: EdgeEnd, length: float) -> tuple[Body, Edge, Edge]:
    """The body with an edge divided at a distance from one of its ends, the piece there, and the other."""
    edge, at_end = end
    t = _parameter_at(edge, edge.length - length if at_end else length)
    vertex = Vertex(edge.curve.point(t))
    pieces = Edge(edge.curve, edge.t0, t, edge.start, vertex), Edge(edge.curve, t, edge.t1, vertex, edge.end)
    beside = {face for face, _ in body.faces_of_edge[edge]}

    def changed(face: Face) -> Face:
        if face not in beside:
            return face
        loops = tuple(Loop(tuple(_divided(loop, edge, pieces))) for loop in face.loops)
        return Face(face.surface, face.outward, loops, face.names)

    def shell(old: Shell) -> Shell:
        return Shell(tuple(changed(face) for face in old.faces))

    lumps = tuple(Lump(shell(lump.outer), tuple(shell(void) for void in lump.voids)) for lump in body.pieces)
    return Body.made(lumps, body.unit), pieces[at_end], pieces[not at_end]


def _divided(loop: Loop, edge: Edge, pieces: tuple[Edge, Edge]) -> list[Coedge]:
    found = []
    for coedge in loop.coedges:
        if coedge.edge is not edge:
            found.append(coedge)
        else:
            order = pieces if coedge.forward else pieces[::-1]
            found += [Coedge(piece, coedge.forward) for piece in order]
    return found


def _parameter_at(edge: Edge, length: float) -> float:
    """The parameter at a length from the start, by bisection."""
    low, high = edge.t0, edge.t1
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if edge.curve.length(edge.t0, middle) < length else (low, middle)
    return 0.5 * (low + high)
