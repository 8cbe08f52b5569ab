"""Do the loops of faces that were made anew cross? What the validity checks of a body do not look at."""

from __future__ import annotations

from collections.abc import Container, Iterable, Sequence

import numpy as np
import shapely

from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...topology.brep import Coedge, Edge, Face, Loop, Vertex
from ...topology.round_trim import RoundLoops, has_round_loops
from ...topology.trim import region_of
from .errors import TooLargeError
from .meeting_edges import PER_EDGE, meet, near_pairs

FINE = 513
"""Points along an edge that is neither a line nor a circle."""

CORNERS = 3
"""A ring of fewer points bounds nothing."""

BACK = -1.0 + 1e-12
"""A ring goes back along itself if the cosine between two of its ways is less."""

SHORTEST = 20.0 * RESOLUTION


def refuse_short_edges(faces: Iterable[Face], known: Container[Edge]) -> None:
    """Raise TooLargeError for an edge that is not one of those known and so short that other programs take it
    for none."""
    for face in faces:
        if any(c.edge.length < SHORTEST for c in face.coedges() if c.edge not in known):
            raise TooLargeError("an edge has hardly any length left", face)


def refuse_crossing_loops(faces: Iterable[Face], closed_strips: Container[Face] = ()) -> None:
    """Raise TooLargeError for a face whose edges cross or touch but at common ends, or whose loops have gone
    past each other, as those of the strips of closed edges never do."""
    curved, flat = [], []
    for face in faces:
        if face.surface.plane is not None:
            _refuse_bad_polygon(face)
            if any(coedge.edge.curve.kind != "line" for coedge in face.coedges()):
                flat.append(face)  # arcs reach beyond their chords
            continue
        several = len(face.loops) > 1 and face not in closed_strips
        if several and region_of(face).stray_loop() is not None:
            raise TooLargeError("the edges of a face would pass each other", face)
        curved.append(face)
    _refuse_meeting_edges(curved)
    _refuse_meeting_edges(flat, crossing=True)


def rings_of(face: Face) -> list[FloatArray]:
    """The loops of a plane face as polygons in its parameters, (N, 2) each."""
    return [
        face.surface.parameters(
            np.concatenate([_points(c.edge)[:: 1 if c.forward else -1][:-1] for c in ring])
        )
        for loop in face.loops
        for ring in _simple_rings(loop)
    ]


def area_of(rings: Sequence[FloatArray]) -> tuple[shapely.Polygon, int]:
    """What lies within the largest of some rings and outside of the others, and the number of that ring."""
    shapes = [shapely.Polygon(ring) for ring in rings]
    outer = max(range(len(shapes)), key=lambda k: shapes[k].area)
    return shapely.Polygon(rings[outer], [ring for k, ring in enumerate(rings) if k != outer]), outer


def _refuse_bad_polygon(face: Face) -> None:
    if has_round_loops(face) and RoundLoops(face).is_disc():
        return
    rings = rings_of(face)
    if (
        not rings
        or min(map(len, rings)) < CORNERS
        or any(goes_back(np.concatenate([ring, ring[:2]]), BACK) for ring in rings)
    ):
        raise TooLargeError("the edges of a face would cross", face)
    whole, outer = area_of(rings)
    sign = 1.0 if face.outward else -1.0
    turned = [sign * _area(ring) > 0.0 for ring in rings]
    if not whole.is_valid or not turned[outer] or sum(turned) != 1:
        raise TooLargeError("the edges of a face would cross", face)


def _simple_rings(loop: Loop) -> list[list[Coedge]]:
    """A loop in parts that pass no vertex twice, as it does where a corner stands on an edge; without edges
    that lie between two of these alone."""
    rings: list[list[Coedge]] = []
    path: list[Coedge] = []
    begins: dict[Vertex | None, int] = {}
    for coedge in loop.coedges:
        begins[coedge.start] = len(path)
        path.append(coedge)
        if coedge.end in begins:
            ring = path[begins[coedge.end] :]
            if len(ring) != 2 or ring[0].edge is not ring[1].edge:
                rings.append(ring)
            del path[begins[coedge.end] :]
            for passed in ring:
                del begins[passed.start]
    return [*rings, path] if path else rings


def goes_back(points: FloatArray, least: float) -> bool:
    """Whether a line through points, (N, 2), goes back along itself, which rounding may hide from other
    tests: where the cosine between two of its ways is less than that."""
    ways = np.diff(points, axis=0)
    sizes = np.linalg.norm(ways, axis=1)
    ways = ways[sizes > RESOLUTION] / sizes[sizes > RESOLUTION, None]
    return bool(((ways[1:] * ways[:-1]).sum(axis=1) < least).any())


def _area(ring: FloatArray) -> float:
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)


def _points(edge: Edge) -> FloatArray:
    count = {"line": 2, "circle": PER_EDGE}.get(edge.curve.kind, FINE)
    return edge.curve.points(np.linspace(edge.t0, edge.t1, count))


def _refuse_meeting_edges(faces: Sequence[Face], crossing: bool = False) -> None:
    borders = [list(dict.fromkeys(c.edge for c in face.coedges())) for face in faces]
    for number, one, two in near_pairs(borders):
        if meet(one, two, crossing):
            raise TooLargeError("the edges of a face would cross", faces[number])
