"""Do edges come together elsewhere than at common ends?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, cross, dot, negated, norm, sub
from ...topology.boxes import overlapping
from ...topology.brep import Edge, Vertex

PER_EDGE = 65
NEAR_END = 3.0
"""Within so many of the longest chords of a common end two edges may be as near as they like."""

FEW_EDGES = 12
"""Of so many edges all pairs are looked at."""

SHORT_ARC = 3.0
"""Radians, less than half a turn."""

PARTING = 1e-3
"""The least component of a unit tangent away from a plane between two edges."""

LEVEL = 1e-9
MUCH_LONGER = 8.0
"""Times as long as another, an edge is looked at in part."""

REFINED = 30
SETTLED = 1e-13
STAYING = 0.9
AT_FIRST = 3
"""A gap that shrinks by less than this in a step, after some at first, does not close."""

TOUCHING = 1e-4
"""Edges at a smaller angle (its sine) only touch."""

Span = tuple[float, float]
"""A part of an edge, by its parameters."""


def near_pairs(borders: Sequence[Sequence[Edge]]) -> Iterator[tuple[int, Edge, Edge]]:
    """Pairs of edges of one border, by its number, whose boxes have more in common than what is near a common
    end."""
    pairs: list[tuple[int, Edge, Edge]] = []
    for number, edges in enumerate(borders):
        if len(edges) <= FEW_EDGES:
            pairs += [(number, one, two) for one, two in combinations(edges, 2)]
        else:
            boxes = np.array([edge.bounds for edge in edges])
            pairs += [(number, edges[i], edges[j]) for i, j in overlapping(boxes, boxes) if i < j]
    if not pairs:
        return
    ones, twos = np.array([(one.bounds, two.bounds) for _, one, two in pairs]).transpose(1, 0, 2, 3)
    common = np.minimum(ones[:, 1], twos[:, 1]) - np.maximum(ones[:, 0], twos[:, 0])
    sizes = [np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1) for boxes in (ones, twos)]
    near = (common >= -2.0 * RESOLUTION).all(axis=1)
    small = common.max(axis=1) < NEAR_END / PER_EDGE * np.minimum(*sizes)
    for k in np.flatnonzero(near).tolist():
        number, one, two = pairs[k]
        if not (small[k] and have_an_end_in_common(one, two)):
            yield number, one, two


def have_an_end_in_common(one: Edge, two: Edge) -> bool:
    """Whether two edges, neither of them closed, start or end in one vertex."""
    return one.start is not None and not {one.start, one.end}.isdisjoint((two.start, two.end))


def meet(one: Edge, two: Edge, crossing: bool = False) -> bool:
    """Whether two edges come together elsewhere than at common ends. crossing : at an angle, not only in
    touch."""
    if _part_for_good(one, two):
        return False
    spans = _spans_beside(one, two), _spans_beside(two, one)
    return any(_meet_within(one, a, two, b, crossing) for a in spans[0] for b in spans[1])


def _part_for_good(one: Edge, two: Edge) -> bool:
    """Whether lines or arcs of less than half a turn leave their only common end on two sides of a plane, and
    never turn back to it: a component of a tangent of such an arc has no zero between ends of one sign. The
    other end may run level with the plane."""
    if not all(edge.curve.kind == "line" or _is_short_arc(edge) for edge in (one, two)):
        return False
    common = {one.start, one.end} & {two.start, two.end} - {None}
    if len(common) != 1 or one.start is one.end or two.start is two.end:
        return False
    corner = common.pop()
    first, second = (_ways_from(edge, corner) for edge in (one, two))
    across = sub(first[0], second[0])
    (leaves, goes_on), (parts, stays) = ([dot(way, across) for way in ways] for ways in (first, second))
    return leaves > PARTING and parts < -PARTING and goes_on > -LEVEL and stays < LEVEL


def _is_short_arc(edge: Edge) -> bool:
    return edge.curve.kind == "circle" and edge.t1 - edge.t0 < SHORT_ARC


def _ways_from(edge: Edge, corner: Vertex | None) -> list[Vec3]:
    """Unit tangents at both ends of an edge, that leads away from one of them; that one first."""
    ways = [edge.curve.tangent(t) for t in (edge.t0, edge.t1)]
    return ways if edge.start is corner else [negated(way) for way in reversed(ways)]


def _spans_beside(edge: Edge, other: Edge) -> list[Span]:
    """The parts of an edge, by their parameters, near a much shorter one: samples of all of it would lie too
    far apart. Else the whole."""
    spans = [(edge.t0, edge.t1)]
    low, high = other.bounds
    while spans and edge.curve.length(*spans[0]) > MUCH_LONGER * other.length:
        found = []
        for span in spans:
            t = np.linspace(*span, PER_EDGE)
            points = edge.curve.points(t)
            reach = float(np.linalg.norm(np.diff(points, axis=0), axis=1).max())
            near = ((points >= low - reach) & (points <= high + reach)).all(axis=1)
            starts = np.maximum(np.flatnonzero(near & ~np.append(False, near[:-1])) - 1, 0)
            stops = np.minimum(np.flatnonzero(near & ~np.append(near[1:], False)) + 1, PER_EDGE - 1)
            found += list(zip(t[starts].tolist(), t[stops].tolist(), strict=True))
        if found == spans:
            break
        spans = found
    return spans


def _meet_within(one: Edge, a: Span, two: Edge, b: Span, crossing: bool) -> bool:
    """As `meet`, for parts of the edges."""
    s, t = np.linspace(*a, PER_EDGE), np.linspace(*b, PER_EDGE)
    p, q = one.curve.points(s), two.curve.points(t)
    reach = max(float(np.linalg.norm(np.diff(x, axis=0), axis=1).max()) for x in (p, q))
    from scipy.spatial import cKDTree

    gaps, nearest = (np.asarray(found) for found in cKDTree(q).query(p, distance_upper_bound=reach))
    near = gaps < reach
    ends = [np.array(v.point) for v in {one.start, one.end} & {two.start, two.end} if v is not None]
    for end in ends:
        near &= np.linalg.norm(p - end, axis=1) > NEAR_END * reach
    lowest = near & (gaps <= np.append(gaps[1:], np.inf)) & (gaps <= np.append(np.inf, gaps[:-1]))
    for k in np.flatnonzero(lowest).tolist():
        for beside in (0, -1, 1):  # two crossings close to each other are found from outside of both
            i = min(max(k + beside, 0), len(s) - 1)
            gap, place, angle = _nearest(one, two, float(s[i]), float(t[nearest[k]]))
            apart = all(np.linalg.norm(place - end) > NEAR_END * reach for end in ends)
            if gap <= RESOLUTION and apart and (angle > TOUCHING or not crossing):
                return True
    return False


def _nearest(one: Edge, two: Edge, s: float, t: float) -> tuple[float, FloatArray, float]:
    """The least distance of two edges near some parameters, where on the first, and the sine of the angle
    between them there; by Gauss-Newton."""
    last = np.inf
    for k in range(REFINED):
        gap = one.curve.points(np.array([s]))[0] - two.curve.points(np.array([t]))[0]
        size = float(np.linalg.norm(gap))
        if size <= SETTLED or (k > AT_FIRST and size > STAYING * last):  # there, or where they do not meet
            break
        last = size
        slopes = np.column_stack(
            [one.curve.derivatives(np.array([s]))[0], -two.curve.derivatives(np.array([t]))[0]]
        )
        step = np.linalg.lstsq(slopes, -gap, rcond=1e-9)[0]
        s = min(max(s + float(step[0]), one.t0), one.t1)
        t = min(max(t + float(step[1]), two.t0), two.t1)
    place = one.curve.points(np.array([s]))[0]
    angle = norm(cross(one.curve.tangent(s), two.curve.tangent(t)))
    return float(np.linalg.norm(place - two.curve.points(np.array([t]))[0])), place, angle
