"""Where two surfaces meet beside an old edge: a curve that follows it, found in the planes across it.

Source: Barnhill & Kersey, "A marching method for parametric surface/surface intersection", CAGD 7 (1990).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...errors import ModellingError
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, interpolated_fit, joined
from ...geometry.surface import Surface
from ...geometry.vector import Vec3
from ...topology.brep import Edge
from ..refitting.meeting import EXACT, FITTED, off_both, on_both
from ..refitting.nearness import closing
from ..refitting.smooth_pieces import crossings

NODES = (9, 17, 33, 65, 129, 257)
"""On each piece."""

STEEP = 1e-3
"""The surfaces meet at a larger angle than this all along (its sine)."""


def beside(edge: Edge, one: Surface, two: Surface, ends: tuple[Vec3, Vec3] | None) -> FittedCurve:
    """The curve in which two surfaces meet beside an edge, over the edge's parameters, in its direction.

    ends : where it starts and ends; None for a closed edge.

    Raises ModellingError where the surfaces do not meet all along, or touch, and where the curve would turn
    back.
    """

    def track(t: FloatArray) -> tuple[FloatArray, ...]:
        return (_points(edge, t, one, two, ends),)

    smooth = [edge.t0, *edge.curve.smooth_breaks(edge.t0, edge.t1), edge.t1]
    is_open = ends is not None
    stops = crossings(track, smooth, [(0, one), (0, two)], (is_open, is_open))
    for count in NODES:
        t = _nodes(stops, count)
        points = _points(edge, t, one, two, ends)
        _refuse_turning_back(edge, t, points, one, two)
        curve = _through(t, points, count, len(stops) - 1, ends is None)
        length = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
        if off_both(curve, t, one, two) <= max(FITTED * length, EXACT):
            return curve
    raise ModellingError(f"a {one.kind} and a {two.kind} would meet in no smooth curve")


def carried(edge: Edge, one: Surface, two: Surface, room: float) -> FittedCurve | None:
    """The curve along which two surfaces touch beside an edge along which others did: that of the feet of its
    points, over its parameters, and beyond its open ends as far as they touch there, up to `room`. None where
    they do not touch all along.
    """

    def track(t: FloatArray) -> tuple[FloatArray, ...]:
        old = edge.curve.points(t)
        first, second = (surface.points(surface.parameters(old)) for surface in (one, two))
        return (0.5 * (first + second),)

    def off(points: FloatArray) -> FloatArray:
        return np.maximum(*(np.abs(surface.distance(points)) for surface in (one, two)))

    (points,) = track(np.linspace(edge.t0, edge.t1, NODES[0]))
    least = max(FITTED * float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum()), EXACT)
    ends = (edge.t0, edge.t1) if edge.is_closed else _as_far(edge, room, lambda t: off(track(t)[0]) <= least)
    if not (ends[0] <= edge.t0 and edge.t1 <= ends[1]):
        return None
    stops = crossings(
        track, [ends[0], *edge.curve.smooth_breaks(edge.t0, edge.t1), ends[1]], [(0, one), (0, two)]
    )
    for count in NODES:
        t = _nodes(stops, count)
        (points,) = track(t)
        if edge.is_closed:
            points[-1] = points[0]
        if off(points).max() > least:
            return None
        curve = _through(t, points, count, len(stops) - 1, edge.is_closed)
        if off_both(curve, t, one, two) <= least:
            return curve
    return None


def _nodes(stops: Sequence[float], count: int) -> FloatArray:
    """So many parameters evenly between each stop and the next, in one row."""
    pieces = [np.linspace(a, b, count) for a, b in pairwise(stops)]
    return np.concatenate([pieces[0], *(piece[1:] for piece in pieces[1:])])


def _as_far(edge: Edge, room: float, touch: Callable[[FloatArray], NDArray[np.bool_]]) -> tuple[float, float]:
    """The parameters beyond the ends of an edge up to which surfaces touch, at most `room` from them; inside
    the edge where they do not at an end."""
    speeds = np.linalg.norm(edge.curve.derivatives(np.array([edge.t0, edge.t1])), axis=1)
    found = []
    for end, speed, way in ((edge.t0, speeds[0], -1.0), (edge.t1, speeds[1], 1.0)):
        beyond = end + way * (room / speed) * np.linspace(0.0, 1.0, NODES[1])
        count = int(touch(beyond).cumprod().sum())
        found.append(float(beyond[count - 1]) if count else 0.5 * (edge.t0 + edge.t1))
    return found[0], found[1]


def _through(t: FloatArray, points: FloatArray, each: int, pieces: int, closed: bool) -> FittedCurve:
    """The curve through points, in so many pieces with `each` of them."""
    if pieces == 1:
        return interpolated_fit(t, points, closed)
    parts = [slice(k * (each - 1), (k + 1) * (each - 1) + 1) for k in range(pieces)]
    return closing(joined([(t[part], points[part]) for part in parts]), closed)


def _points(
    edge: Edge, t: FloatArray, one: Surface, two: Surface, ends: tuple[Vec3, Vec3] | None
) -> FloatArray:
    """The points of both surfaces beside those of an edge at its parameters, (N,); its ends are known."""
    old = edge.curve.points(t)
    ways = edge.curve.derivatives(t)
    ways = ways / np.linalg.norm(ways, axis=1)[:, None]
    if ends is None:
        points = _met(one, two, old, ways)
        if t[0] == edge.t0 and t[-1] == edge.t1:
            points[-1] = points[0]
        return points
    first, last = (np.array(p) - edge.curve.point(s) for p, s in zip(ends, (edge.t0, edge.t1), strict=True))
    share = ((t - edge.t0) / (edge.t1 - edge.t0))[:, None]
    points = old + (1.0 - share) * first + share * last
    inner = (t != edge.t0) & (t != edge.t1)
    points[inner] = _met(one, two, points[inner], ways[inner])
    return points


def _refuse_turning_back(edge: Edge, t: FloatArray, points: FloatArray, one: Surface, two: Surface) -> None:
    """Raise ModellingError where points run against the edge."""
    ahead, ways = np.diff(points, axis=0), edge.curve.derivatives(t)
    if ((ahead * ways[:-1]).sum(axis=1) <= 0.0).any() or ((ahead * ways[1:]).sum(axis=1) <= 0.0).any():
        raise ModellingError(f"where a {one.kind} and a {two.kind} meet the edge would turn back")


def _met(one: Surface, two: Surface, start: FloatArray, ways: FloatArray) -> FloatArray:
    """The points moved onto both surfaces, each across its direction."""
    points = on_both(one, two, start, ways)
    off = max(float(np.abs(surface.distance(points)).max()) for surface in (one, two))
    steep = np.linalg.norm(np.cross(one.normals(points), two.normals(points)), axis=1)
    if not (off <= EXACT and (steep > STEEP).all()):
        raise ModellingError(f"a {one.kind} and a {two.kind} would touch, or not meet all along an edge")
    return points
