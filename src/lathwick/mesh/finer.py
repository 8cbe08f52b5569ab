"""Finer chords along the edges of a face whose polygon is not sound."""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
from scipy.optimize import brentq

from ..geometry.placement import FloatArray
from ..geometry.vector import dot, norm, sub
from ..topology.brep import Edge, Face, Vertex

SLOWLY = 0.9
"""The cosine of the angle below which two edges part slowly from a common end."""

MATCHED = 8
"""So many chords from such an end are made alike."""

SAME = 1e-6
"""Distances from the end that differ by less than this share are one."""


def halve(face: Face, parameters: dict[Edge, FloatArray]) -> None:
    """Halve the longest chords of a face's curved edges, and those at least half as long. Where two edges
    part slowly from a common end, their polygons keep apart only if their chords are alike."""
    curved = list(dict.fromkeys(c.edge for c in face.coedges() if c.edge.curve.kind != "line"))
    chords = {
        edge: np.linalg.norm(np.diff(edge.curve.points(parameters[edge]), axis=0), axis=1) for edge in curved
    }
    longest = max((float(c.max()) for c in chords.values()), default=0.0)
    for edge, lengths in chords.items():
        t, long = parameters[edge], lengths > 0.5 * longest
        parameters[edge] = np.sort(np.concatenate([t, 0.5 * (t[:-1] + t[1:])[long]]))
    _match(curved, parameters)


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


def _way(edge: Edge, at_start: bool) -> tuple[float, float, float]:
    """The direction in which an edge leaves one of its ends."""
    x, y, z = edge.curve.tangent(edge.t0 if at_start else edge.t1)
    sign = (1.0 if at_start else -1.0) / math.hypot(x, y, z)
    return sign * x, sign * y, sign * z


def _make_alike(
    vertex: Vertex, one: tuple[Edge, bool], two: tuple[Edge, bool], parameters: dict[Edge, FloatArray]
) -> None:
    """Points at the same distances from a common end on both edges."""
    gaps = [_distances(vertex, use, parameters) for use in (one, two)]
    last = min(float(g[-1]) for g in gaps)
    for use, mine, others in ((one, gaps[0], gaps[1]), (two, gaps[1], gaps[0])):
        edge = use[0]
        wanted = [d for d in others.tolist() if d < last and np.abs(mine - d).min() > SAME * d]
        parameters[edge] = np.union1d(
            parameters[edge], [_at(vertex, use, d, mine, parameters[edge]) for d in wanted]
        )


def _distances(vertex: Vertex, use: tuple[Edge, bool], parameters: dict[Edge, FloatArray]) -> FloatArray:
    """Distances of the first points of an edge from its end, as far as they grow."""
    edge, at_start = use
    t = parameters[edge] if at_start else parameters[edge][::-1]
    found = np.linalg.norm(edge.curve.points(t[1 : MATCHED + 1]) - np.array(vertex.point), axis=1)
    falls = np.flatnonzero(np.diff(found) <= 0.0)
    return found[: falls[0] + 1] if len(falls) else found


def _at(vertex: Vertex, use: tuple[Edge, bool], distance: float, known: FloatArray, t: FloatArray) -> float:
    """The parameter at a distance from an end; `known` are the distances of the points next to it."""
    edge, at_start = use
    k = int(np.searchsorted(known, distance))
    low, high = (t if at_start else t[::-1])[k : k + 2].tolist()
    return float(brentq(lambda s: norm(sub(edge.curve.point(s), vertex.point)) - distance, low, high))
