"""Curves between known points on two surfaces, and hits of curves with surfaces near a known place."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from ...geometry.curve import Curve
from ...geometry.intersections import intersection
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, joined
from ...geometry.surface import Foot, Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.vector import Vec3, along, cross, distance, dot
from ...topology.brep import Coedge, Edge, Face, Vertex
from .errors import TooLargeError
from .smooth_pieces import Track, crossings

NEWTON_STEPS = 12
REACH = 8.0
FAR = 50.0
STEPS = 64
EXACT = 1e-3 * RESOLUTION
FITTED = 1e-9
"""A fitted curve lies so near to both surfaces, as a share of its length."""

SETTLED = 3e-14

LEAST_ANGLE = 1e-6
"""Less than that (the product of the sines) does not tell which way to both surfaces."""

NEAR_STEPS = tuple(np.linspace(0.0, REACH, STEPS + 1)[1:].tolist())
FAR_STEPS = tuple(np.geomspace(REACH, FAR, STEPS + 1)[1:].tolist())

NODES = (9, 17, 33, 65, 129)

Feet = tuple[Foot | None, Foot | None]


def hit_near(
    curve: Curve,
    t: float,
    surface: Surface,
    size: float,
    face: Face,
    sides: tuple[float, ...] = (1.0, -1.0),
    reach: float = REACH,
) -> float:
    """The parameter nearest to t at which a curve meets a surface, at most `reach` times `size` away; before
    t and behind it, or on one side.

    Raises TooLargeError, limited by `face`, if there is none.
    """

    start, _, foot = surface.touch_from(curve.point(t), None)
    if abs(start) <= EXACT:
        return _polished(curve, t, surface, foot)
    speed = float(np.linalg.norm(curve.derivatives(np.array([t]))[0]))
    if speed <= RESOLUTION * abs(size):  # a curve that is only a point
        raise TooLargeError("the new face does not end on its neighbour", face)
    before = {1.0: (t, start, foot), -1.0: (t, start, foot)}
    for off in (*NEAR_STEPS, *(k for k in FAR_STEPS if k <= reach)):
        for side in sides:
            s = t + side * off * size / speed
            last, value, near = before[side]
            now, _, foot = surface.touch_from(curve.point(s), near)
            if value * now <= 0.0:
                return _polished(curve, _root(curve, surface, (last, s), foot), surface, foot)
            before[side] = (s, now, foot)
    raise TooLargeError("the new face does not end on its neighbour", face)


def _root(curve: Curve, surface: Surface, between: tuple[float, float], near: Foot | None) -> float:
    from scipy.optimize import brentq

    def gap(s: float) -> float:
        return surface.touch_from(curve.point(s), near)[0]

    low, high = sorted(between)
    return float(brentq(gap, low, high, xtol=1e-15)) if gap(low) * gap(high) < 0.0 else between[1]


def _polished(curve: Curve, t: float, surface: Surface, foot: Foot | None) -> float:
    for _ in range(NEWTON_STEPS):
        gap, normal, foot = surface.touch_from(curve.point(t), foot)
        d = curve.derivatives(np.array([t]))[0]
        slope = float(d @ np.array(normal))
        if abs(slope) <= 1e-9 * float(np.linalg.norm(d)):
            break
        step = gap / slope
        t -= step
        if abs(step) <= 1e-15 * max(1.0, abs(t)):
            break
    return t


def exact_between(one: Surface, two: Surface, p: Vertex, q: Vertex, toward: Vec3) -> Coedge | None:
    """The piece of a line or conic in which two surfaces meet, from p to q; of two pieces of a closed one
    that which passes nearer to `toward`. None where there is no such curve."""
    found = intersection(one, two)
    if found is None:
        return None
    made = [coedge for curve in (*found.curves, *found.touches) for coedge in _pieces(curve, p, q)]
    return min(made, key=lambda c: distance(c.edge.midpoint(), toward)) if made else None


def _pieces(curve: Curve, p: Vertex, q: Vertex) -> list[Coedge]:
    """The pieces of a curve from p to q, if both lie on it."""
    s, t = curve.parameter(p.point), curve.parameter(q.point)
    if max(distance(curve.point(s), p.point), distance(curve.point(t), q.point)) > RESOLUTION:
        return []
    if not curve.period:
        return [Coedge(Edge(curve, s, t, p, q), True) if s < t else Coedge(Edge(curve, t, s, q, p), False)]
    ahead, back = (t - s) % curve.period, (s - t) % curve.period
    pieces = []
    if ahead > 0.0:
        pieces.append(Coedge(Edge(curve, s, s + ahead, p, q), True))
    if back > 0.0:
        pieces.append(Coedge(Edge(curve, t, t + back, q, p), False))
    return pieces


def closest(a: Curve, s: float, b: Curve, t: float) -> tuple[float, float]:
    """Parameters of the common point of two curves near s and t, by Gauss-Newton."""
    for _ in range(30):
        gap = np.array(a.point(s)) - np.array(b.point(t))
        slopes = np.column_stack([a.derivatives(np.array([s]))[0], -b.derivatives(np.array([t]))[0]])
        step = np.linalg.lstsq(slopes, -gap, rcond=None)[0]
        s, t = s + float(step[0]), t + float(step[1])
        if np.abs(step).max() <= 1e-15 * max(1.0, abs(s), abs(t)):
            break
    return s, t


def curve_between(one: Face, two: Face, p: Vertex, q: Vertex) -> Coedge:
    """The curve in which the surfaces of two faces meet, from p to q; both lie near each other on it.

    Raises TooLargeError if there is none.
    """
    found = surfaces_between(one.surface, two.surface, p, q)
    if found is None:
        raise TooLargeError("two neighbours of the new face do not meet", two)
    return found


def surfaces_between(one: Surface, two: Surface, p: Vertex, q: Vertex) -> Coedge | None:
    """As `curve_between`, for surfaces alone; None if there is no such curve."""
    exact = exact_between(one, two, p, q, q.point)
    if exact is not None:
        return exact
    start, way = np.array(p.point), np.array(q.point) - np.array(p.point)
    size = float(np.linalg.norm(way))
    if size <= RESOLUTION:
        return None

    def track(w: FloatArray) -> tuple[FloatArray, ...]:
        return (on_both(one, two, start + w[:, None] * way, way / size),)

    tables, stops = [], crossings(track, [0.0, 1.0], [(0, one), (0, two)], (True, True))
    for a, b in pairwise(stops):
        points = _points_by_chord(track, (a, b), one, two)
        if points is None:
            return None
        tables.append(points)
    tables[0][0], tables[-1][-1] = p.point, q.point
    return through_tables(tables, p, q)


def _points_by_chord(
    track: Track, ends: tuple[float, float], one: Surface, two: Surface
) -> FloatArray | None:
    """Points of a track, so many that a curve through them is near enough to both surfaces, (N, 3)."""
    for count in NODES:
        points = track(np.linspace(*ends, count))[0]
        off, enough = off_and_enough(points, one, two)
        if off <= enough:
            return points
    return None


def on_both(one: Surface, two: Surface, points: FloatArray, way: FloatArray) -> FloatArray:
    """Points, (N, 3), moved onto both surfaces by Newton's method, across a unit direction, (3,), or one for
    each, (N, 3). Whether they got there is for the caller to see."""
    for _ in range(NEWTON_STEPS):
        (f, m), (g, n) = one.touches(points), two.touches(points)
        rows = np.stack([m, n, np.broadcast_to(way, points.shape)], axis=1)
        gaps = np.stack([f, g, np.zeros(len(points))], axis=1)
        if np.abs(gaps).max() <= SETTLED * (1.0 + np.abs(points).max()):
            break
        points = points - np.einsum("nij,nj->ni", np.linalg.pinv(rows), gaps)
    return points


def one_on_both(one: Surface, two: Surface, point: Vec3, way: Vec3, feet: Feet) -> tuple[FloatArray, Feet]:
    """As `on_both`, of one point, with its feet; those of a point beside it are where they are sought."""
    p, (first, second) = point, feet
    for _ in range(NEWTON_STEPS):
        (f, m, first), (g, n, second) = one.touch_from(p, first), two.touch_from(p, second)
        if max(abs(f), abs(g)) <= SETTLED * (1.0 + max(map(abs, p))):
            break
        across = cross(n, way)
        size = dot(m, across)
        if abs(size) < LEAST_ANGLE:
            return on_both(one, two, np.array([point]), np.array(way))[0], (None, None)
        p = along(along(p, across, -f / size), cross(way, m), -g / size)
    return np.array(p), (first, second)


def off_and_enough(points: FloatArray, one: Surface, two: Surface) -> tuple[float, float]:
    """How far a curve through points lies from two surfaces, and how far it may."""
    lengths = _lengths(points)
    worst = off_both(joined([(lengths, points)]), lengths, one, two)
    return worst, max(FITTED * float(lengths[-1]), EXACT)


def off_both(curve: FittedCurve, lengths: FloatArray, one: Surface, two: Surface) -> float:
    """How far a curve lies from two surfaces, at most, in the middles between some parameters, (N,)."""
    middles = curve.points(0.5 * (lengths[:-1] + lengths[1:]))
    return float(max(np.abs(s.distance(middles)).max() for s in (one, two)))


def _lengths(points: FloatArray) -> FloatArray:
    """The lengths of the chain of points up to each, (N,)."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def through_tables(tables: Sequence[FloatArray], p: Vertex, q: Vertex) -> Coedge:
    """The curve from p to q through tables of points, by its length, about; each is a piece by itself."""
    start, pieces = 0.0, []
    for points in tables:
        lengths = start + _lengths(points)
        pieces.append((lengths, points))
        start = float(lengths[-1])
    return Coedge(Edge(joined(pieces), 0.0, start, p, q), True)
