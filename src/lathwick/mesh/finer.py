"""Finer chords along the edges of a face whose polygon is not sound."""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray
from ..geometry.tolerance import RESOLUTION
from ..geometry.vector import dot, norm, sub
from ..topology.brep import Edge, Face, Vertex

SLOWLY = 0.9
"""The cosine of the angle below which two edges part slowly from a common end."""

MATCHED = 8
"""So many chords from such an end are made alike."""

SAME = 1e-9
"""Distances from the end that differ by less than this share are one."""

TWINS = 5.0 * RESOLUTION
"""Points nearer to each other are one."""

MOST_SHORTER = 6
"""So many times chords half as long are halved too."""

NEAR = 0.2
"""A point is moved to another distance that differs by less than this share."""


def halve(face: Face, parameters: dict[Edge, FloatArray], places: FloatArray | None = None) -> None:
    """Halve the longest chords of a face's curved edges, and those at least half as long; or only those near
    the places, (N, 3), nearer than the chord is long. Where two edges part slowly from a common end, their
    polygons keep apart only if their chords are alike; where that takes the new points away again, shorter
    chords are halved too."""
    curved = list(dict.fromkeys(c.edge for c in face.coedges() if c.edge.curve.kind != "line"))
    before = {edge: parameters[edge] for edge in curved}
    chords = {
        edge: np.linalg.norm(np.diff(edge.curve.points(t), axis=0), axis=1) for edge, t in before.items()
    }
    if places is not None:
        for edge, t in before.items():
            chords[edge][_away(edge.curve.points(t), chords[edge], places)] = 0.0
    limit = 0.5 * max((float(c.max()) for c in chords.values()), default=0.0)
    for _ in range(MOST_SHORTER):
        for edge, t in before.items():
            middles = 0.5 * (t[:-1] + t[1:])[chords[edge] > limit]
            parameters[edge] = np.sort(np.concatenate([t, middles]))
        _match(curved, parameters)
        if not all(np.array_equal(parameters[edge], t) for edge, t in before.items()):
            return
        limit *= 0.5


def _away(points: FloatArray, chords: FloatArray, places: FloatArray) -> NDArray[np.bool_]:
    """Whether chords between consecutive points are farther from all places than they are long."""
    gaps = np.linalg.norm(points[:, None] - places, axis=2).min(axis=1)
    return np.asarray(np.minimum(gaps[:-1], gaps[1:]) > chords)


def _match(curved: list[Edge], parameters: dict[Edge, FloatArray]) -> None:
    ends: dict[Vertex, list[tuple[Edge, bool]]] = {}
    for edge in curved:
        for vertex, at_start in ((edge.start, True), (edge.end, False)):
            if vertex is not None:
                ends.setdefault(vertex, []).append((edge, at_start))
    for vertex, uses in ends.items():
        for one, two in combinations(uses, 2):
            if one[0] is not two[0] and dot(_way(*one), _way(*two)) > SLOWLY:
                _make_alike(vertex, one, two, parameters)
                _without_twins(vertex, (one, two), parameters)


def _way(edge: Edge, at_start: bool) -> tuple[float, float, float]:
    """The direction in which an edge leaves one of its ends."""
    x, y, z = edge.curve.tangent(edge.t0 if at_start else edge.t1)
    sign = (1.0 if at_start else -1.0) / math.hypot(x, y, z)
    return sign * x, sign * y, sign * z


def _make_alike(
    vertex: Vertex, one: tuple[Edge, bool], two: tuple[Edge, bool], parameters: dict[Edge, FloatArray]
) -> None:
    """Points at the same distances from a common end on both edges: those of the second that nearly are
    where the first has some are moved there; others are added to both."""
    for use, other in ((two, one), (one, two)):
        mine, wanted = (_distances(vertex, u, parameters) for u in (use, other))
        last = min(float(mine[-1]), float(wanted[-1]))
        for d in wanted[wanted < last].tolist():
            _put(vertex, use, d, parameters, 0.0 if use is one else NEAR)


def _without_twins(
    vertex: Vertex, uses: tuple[tuple[Edge, bool], tuple[Edge, bool]], parameters: dict[Edge, FloatArray]
) -> None:
    """Without the first points of both edges that lie in one place: the edges part too slowly to tell."""
    for _ in range(MATCHED):
        places = []
        for edge, at_start in uses:
            t = parameters[edge]
            places.append(np.array(edge.curve.point(float(t[1] if at_start else t[-2]))))
        if any(len(parameters[edge]) < 4 for edge, _ in uses) or math.dist(*places) > TWINS:
            return
        for edge, at_start in uses:
            parameters[edge] = np.delete(parameters[edge], 1 if at_start else -2)


def _put(
    vertex: Vertex, use: tuple[Edge, bool], d: float, parameters: dict[Edge, FloatArray], near: float
) -> None:
    """A point at the distance d from an end, in place of one that is as near to it as a share of d."""
    edge, at_start = use
    known = _distances(vertex, use, parameters, 4 * MATCHED)  # with those that were added before
    k = int(np.abs(known - d).argmin())
    off = abs(float(known[k]) - d)
    if off <= SAME * d:
        return
    t = _at(vertex, use, d, known, parameters[edge])
    kept = parameters[edge]
    inner = k + 1 < len(kept) - 1  # the far end of the edge is not moved
    if off <= near * d and inner:
        kept = np.delete(kept, k + 1 if at_start else len(kept) - 2 - k)
    parameters[edge] = np.union1d(kept, [t])


def _distances(
    vertex: Vertex, use: tuple[Edge, bool], parameters: dict[Edge, FloatArray], most: int = MATCHED
) -> FloatArray:
    """Distances of the first points of an edge from its end, as far as they grow."""
    edge, at_start = use
    t = parameters[edge] if at_start else parameters[edge][::-1]
    found = np.linalg.norm(edge.curve.points(t[1 : most + 1]) - np.array(vertex.point), axis=1)
    falls = np.flatnonzero(np.diff(found) <= 0.0)
    return found[: falls[0] + 1] if len(falls) else found


def _at(vertex: Vertex, use: tuple[Edge, bool], distance: float, known: FloatArray, t: FloatArray) -> float:
    """The parameter at a distance from an end; `known` are the distances of the points next to it."""
    edge, at_start = use
    k = int(np.searchsorted(known, distance))
    low, high = (t if at_start else t[::-1])[k : k + 2].tolist()
    from scipy.optimize import brentq

    return float(brentq(lambda s: norm(sub(edge.curve.point(s), vertex.point)) - distance, low, high))
