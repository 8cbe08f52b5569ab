"""Do new faces run into others that are not their neighbours?"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...geometry.contacts import SAME
from ...geometry.curve_surface import curve_surface_intersections
from ...geometry.intersections import intersection
from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import dot
from ...topology.boxes import may_hit, outer_box, overlapping
from ...topology.brep import Edge, Face, Lump, Vertex
from ...topology.trim import INSIDE, region_of
from .errors import TooLargeError
from .meeting_edges import meet

ALONG = 1e-3
"""An edge whose tangent is so level with a face runs along it."""


def refuse_collisions(lumps: Sequence[Lump], new: Sequence[tuple[Face, Edge | None]]) -> None:
    """Raise TooLargeError where a new face, with the edge that it replaces, meets a face that is not its
    neighbour."""
    lump_of = {f: lump for lump in lumps for shell in lump.shells for f in shell.faces}
    faces = list(lump_of)
    box_of = {face: _box(face, edge) for face, edge in new}
    mine = np.array(list(box_of.values()))
    box_of |= {face: outer_box(face) for face in faces if face not in box_of}
    ends = {face: _ends_of(face) for face in faces}
    known: dict[Face, tuple[list[Edge], FloatArray]] = {}

    def border(face: Face) -> tuple[list[Edge], FloatArray]:
        """The edges of a face, and their boxes, (N, 2, 3)."""
        if face not in known:
            edges = [coedge.edge for coedge in face.coedges()]
            known[face] = edges, np.array([edge.bounds for edge in edges]).reshape(-1, 2, 3)
        return known[face]

    for i, j in overlapping(mine, np.array([box_of[face] for face in faces])):
        one, two = new[i][0], faces[j]
        if one is two or not ends[one].isdisjoint(ends[two]):
            continue
        touching = lump_of[one] is not lump_of[two]  # separate lumps may touch
        if any(
            _hits(face, _near_edges(*border(face), box), other, touching)
            for face, other, box in ((one, two, box_of[two]), (two, one, mine[i]))
        ):
            raise TooLargeError("the new face runs into another face", two)


def _box(face: Face, edge: Edge | None) -> FloatArray:
    """A strip lies between its contacts and the edge that it replaces."""
    if edge is None:
        return outer_box(face)
    table = np.concatenate([*(c.edge.bounds for c in face.coedges()), edge.bounds])
    return np.array([table.min(axis=0), table.max(axis=0)])


def _ends_of(face: Face) -> set[Vertex | Edge | None]:
    """The vertices and closed edges of a face: its neighbours have some of them."""
    ends: set[Vertex | Edge | None] = set()
    for coedge in face.coedges():
        edge = coedge.edge
        ends |= {edge} if edge.is_closed else {edge.start, edge.end}
    return ends


def _near_edges(edges: Sequence[Edge], boxes: FloatArray, box: FloatArray) -> list[Edge]:
    """Those edges whose boxes, (N, 2, 3), come near a box."""
    near = ((boxes[:, 0] <= box[1] + RESOLUTION) & (boxes[:, 1] >= box[0] - RESOLUTION)).all(axis=1)
    return [edges[k] for k in np.flatnonzero(near).tolist()]


def _hits(one: Face, edges: Sequence[Edge], two: Face, touching: bool) -> bool:
    """Whether one of some edges of a face passes through another face, or only touches it, unless they may.
    On one surface they never may."""
    touching = touching and bool(edges) and intersection(one.surface, two.surface) is not SAME
    for edge in edges:
        if not may_hit(edge, two):
            continue
        ends = edge.t0, edge.t1, edge.is_closed
        found = curve_surface_intersections(edge.curve, *ends, two.surface, outer_box(two))
        if found is None and not touching and _crosses_border(edge, two):
            return True
        spots = [0.5 * (edge.t0 + edge.t1)] if found is None else found
        if touching:
            spots = [] if found is None else [t for t in found if not _touches(edge, t, two)]
        if spots and _any_inside(two, edge.curve.points(np.array(spots))):
            return True
    return False


def _any_inside(face: Face, points: FloatArray) -> bool:
    """Whether any of some points of its surface lies in a face."""
    low, high = outer_box(face)
    near = points[((points > low - RESOLUTION) & (points < high + RESOLUTION)).all(axis=1)]
    return bool(len(near) and (region_of(face).states(near) == INSIDE).any())


def _crosses_border(edge: Edge, face: Face) -> bool:
    """Whether an edge on the surface of a face crosses its border."""
    others = list(dict.fromkeys(c.edge for c in face.coedges()))
    boxes = np.array([edge.bounds, *(other.bounds for other in others)])
    return any(meet(edge, others[k]) for _, k in overlapping(boxes[:1], boxes[1:]))


def _touches(edge: Edge, t: float, face: Face) -> bool:
    """Whether an edge runs along a face where it meets it."""
    return abs(dot(edge.curve.tangent(t), face.outward_normal(edge.curve.point(t)))) <= ALONG
