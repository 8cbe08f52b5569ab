"""Curves across strips, between known points, in which they meet other surfaces."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve
from ...geometry.surface import Surface
from ...geometry.vector import Vec3, add, along, cross, dot, norm, scaled, sub, vec3
from ...topology.brep import Coedge, Edge, Face, Vertex
from ..refitting.errors import TooLargeError
from ..refitting.meeting import (
    EXACT,
    FITTED,
    NODES,
    Feet,
    exact_between,
    off_and_enough,
    off_both,
    one_on_both,
    through_tables,
)
from ..refitting.nearness import CLOSE
from ..refitting.smooth_pieces import crossings
from .strips import Strip

BESIDE = 0.05
"""The middle of a curve on a strip lies at most so far outside of it, as a share of its width."""


Spot = tuple[Vertex, float, float]
"""A vertex on a strip, its share of the way across, and the parameter of the edge."""


def across(strip: Strip, share: float, t: float) -> Vec3:
    """The point of a strip at a share of the way across it, from its first contact, and a parameter of the
    edge."""
    p, q = (contact.point(t) for contact in strip.contacts)
    if strip.spine is None:
        return add(scaled(p, 1.0 - share), scaled(q, share))
    center = strip.spine.point(t)
    a, b = sub(p, center), sub(q, center)
    angle = math.atan2(norm(cross(a, b)), dot(a, b))
    s = math.sin(angle)
    k, m = math.sin((1.0 - share) * angle) / s, math.sin(share * angle) / s
    return along(along(center, a, k), b, m)


def share_of(strip: Strip, point: Vec3, t: float) -> float:
    """How far across a strip, at a parameter of the edge, a point of it lies."""
    p, q = (contact.point(t) for contact in strip.contacts)
    if strip.spine is None:
        way = sub(q, p)
        return dot(sub(point, p), way) / dot(way, way)
    center = strip.spine.point(t)
    a, b, c = sub(p, center), sub(q, center), sub(point, center)
    return math.atan2(norm(cross(a, c)), dot(a, c)) / math.atan2(norm(cross(a, b)), dot(a, b))


def strip_curve(
    strip: Strip,
    other: Surface,
    ends: tuple[Spot, Spot],
    face: Face,
) -> Coedge:
    """The curve across a strip in which it meets another surface.

    ends : the vertices, each with its share of the way across and the parameter of the edge. face : what
    limits the size if there is no such curve.
    """
    (p, s0, t0), (q, s1, t1) = ends
    exact = exact_between(strip.surface, other, p, q, across(strip, 0.5 * (s0 + s1), 0.5 * (t0 + t1)))
    if exact is not None:
        return exact
    try:
        return _curve_by_shares(strip, other, ends, face)
    except TooLargeError:
        slanting = _curve_by_chord(strip, other, ends)
        if slanting is None:
            raise
        return slanting


def _curve_by_shares(strip: Strip, other: Surface, ends: tuple[Spot, Spot], face: Face) -> Coedge:
    """As `strip_curve`, a point at every so much of the way across."""
    (p, s0, t0), (q, s1, t1) = ends
    guesses = np.linspace(t0, t1, NODES[0])
    coarse = _marched(strip, other, np.linspace(s0, s1, NODES[0]), guesses, face)[0]
    from scipy.interpolate import make_interp_spline

    nearby = make_interp_spline(np.linspace(0.0, 1.0, NODES[0]), coarse, 3)

    def spots(w: FloatArray) -> list[Spot]:
        step = _small_step(strip, t0)
        shares, near = (s0 + (s1 - s0) * w).tolist(), nearby(w).tolist()
        met = [_met(strip, other, s, (t, step), face) for s, t in zip(shares, near, strict=True)]
        return [(Vertex(across(strip, s, t)), s, t) for s, t in zip(shares, met, strict=True)]

    def track(w: FloatArray) -> tuple[FloatArray, ...]:
        return (np.array([vertex.point for vertex, _, _ in spots(w)]),)

    stops = crossings(track, [0.0, 1.0], [(0, strip.surface), (0, other)], (True, True))
    between = [ends[0], *spots(np.array(stops[1:-1])), ends[1]]
    tables = [_points_by_shares(strip, other, pair, face) for pair in pairwise(between)]
    return through_tables(tables, p, q)


def _points_by_shares(strip: Strip, other: Surface, ends: tuple[Spot, Spot], face: Face) -> FloatArray:
    """Points at equal shares of the way across between two spots, so many that a curve through them is near
    enough, (N, 3); or comes no nearer, since what a strip ends on is only so near to its faces."""
    (p, s0, t0), (q, s1, t1) = ends
    guesses, off = np.linspace(t0, t1, NODES[0]), math.inf
    for count in NODES:
        shares = np.linspace(s0, s1, count)
        guesses, points = _marched(strip, other, shares, guesses, face)
        points[0], points[-1] = p.point, q.point
        before, (off, enough) = off, off_and_enough(points, strip.surface, other)
        if off <= enough or 0.5 * before < off <= CLOSE:
            return points
        from scipy.interpolate import make_interp_spline

        guesses = make_interp_spline(np.arange(count), guesses, 3)(np.arange(2 * count - 1) / 2)
    raise TooLargeError("the end of the new face cannot be found", face)


def _curve_by_chord(strip: Strip, other: Surface, ends: tuple[Spot, Spot]) -> Coedge | None:
    """As `strip_curve`, a point at every so much of the chord, from the second end to the first: for a curve
    that runs along the strip more than across it. None where it leaves the strip on the way."""
    (p, s0, t0), (q, s1, t1) = ends
    start, way = np.array(p.point), np.array(q.point) - np.array(p.point)
    size = float(np.linalg.norm(way))
    low, high = min(s0, s1) - BESIDE, max(s0, s1) + BESIDE
    for count in NODES:
        lengths = np.linspace(0.0, size, count)
        points = start + np.linspace(0.0, 1.0, count)[:, None] * way
        off = np.zeros((2, 3))
        feet: Feet = (None, None)
        for k in range(count - 2, 0, -1):
            guess = points[k] + 2.0 * off[0] - off[1]
            found, feet = one_on_both(strip.surface, other, vec3(guess), vec3(way / size), feet)
            off = np.array([found - points[k], off[0]])
            points[k] = found
        from scipy.interpolate import make_interp_spline

        made = make_interp_spline(lengths, points, 5)
        curve = FittedCurve(5, tuple(made.t.tolist()), made.c)
        worst = off_both(curve, lengths, strip.surface, other)
        if not worst <= size:
            break
        if worst <= max(FITTED * size, EXACT):
            middle = curve.point(0.5 * size)
            share = share_of(strip, middle, strip.parameter(middle, 0.5 * (t0 + t1)))
            kept = low <= share <= high
            return Coedge(Edge(curve, 0.0, size, p, q), True) if kept else None
    return None


def _marched(
    strip: Strip, other: Surface, shares: FloatArray, guesses: FloatArray, face: Face
) -> tuple[FloatArray, FloatArray]:
    """Parameters, near guesses, and points at which the curves along a strip, at shares of the way across it,
    meet another surface; from the end where they cross more steeply to where they may come to touch."""
    found = guesses.copy()
    inner = np.arange(1, len(shares) - 1)
    ends = (_steepness(strip, other, float(shares[k]), float(guesses[k])) for k in (0, -1))
    drifts, h = [0.0, 0.0], _small_step(strip, float(guesses[0]))
    for k in inner if next(ends) >= next(ends) else inner[::-1]:
        ahead = 2.0 * drifts[-1] - drifts[-2]
        found[k] = _met(strip, other, float(shares[k]), (float(guesses[k]) + ahead, h), face)
        drifts.append(float(found[k] - guesses[k]))
    return found, np.array([across(strip, float(s), float(t)) for s, t in zip(shares, found, strict=True)])


def _steepness(strip: Strip, other: Surface, share: float, t: float) -> float:
    """The sine of the angle at which a strip meets another surface at a place."""
    p = across(strip, share, t)
    return norm(cross(strip.surface.normal(p), other.normal(p)))


def _small_step(strip: Strip, t: float) -> float:
    """A step of the parameter that is short beside both the strip's length and its size."""
    speed = max(float(np.linalg.norm(c.derivatives(np.array([t]))[0])) for c in strip.contacts)
    along = abs(strip.span[1] - strip.span[0])
    return 1e-4 * min(along, abs(strip.size) / speed if speed else along)


def _met(strip: Strip, other: Surface, share: float, start: tuple[float, float], face: Face) -> float:
    """The parameter at which a curve along the strip meets a surface, by the secant method, from a parameter
    nearby and a step."""
    a, b = start[0], start[0] + start[1]
    fa, _, foot = other.touch_from(across(strip, share, a), None)
    fb, _, foot = other.touch_from(across(strip, share, b), foot)
    for _ in range(40):
        if fa == fb or abs(fb) <= 1e-14:
            break
        a, b, fa = b, b - fb * (b - a) / (fb - fa), fb
        fb, _, foot = other.touch_from(across(strip, share, b), foot)
    if not abs(fb) <= EXACT:
        raise TooLargeError("the new face does not end on its neighbour", face)
    return b
