"""The round of any edge: a canal about the ball's centers in the planes across each point of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import BSpline, PPoly, make_interp_spline

from ...errors import ModellingError
from ...geometry.canal import CanalSurface
from ...geometry.placement import FloatArray
from ...geometry.spline import FittedCurve, SplineCurve
from ...geometry.tolerance import RESOLUTION
from ...geometry.tracing import interpolated_fit
from ...topology.brep import Edge, Face
from .strips import Strip, TooLargeError, turn_at

NODES = (17, 33, 65, 129, 257, 513)
FITTED = 2e-8
"""The canal is so near to both faces, as a share of the radius; but never farther than `CLOSE`."""

CLOSE = 0.05 * RESOLUTION

BEYOND = 3.0
"""A canal is laid out so many radii beyond the ends of its edge."""

SHARES = (1.0, 0.6, 0.3, 0.1, 0.0)
GUIDED = 0.1
"""A guide is so near to its edge, as a share of the radius and in radians."""

DEGREES = (3, 4, 5, 6, 8, 10, 13, 16)
NEWTON_STEPS = 40
TURN_KEPT = 1e-3

Guide = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""From parameters, shape (N,), to points and directions, (N, 3). The ball rolls in the planes across."""


def canal_strip(edge: Edge, faces: tuple[Face, Face], radius: float) -> Strip:
    """The round of an edge by a ball that touches both faces in the plane across every point of it.

    Raises TooLargeError where there is no such ball, or where the canal would fold back on itself, and
    ModellingError for an edge that turns from convex to concave.
    """
    turns = [turn_at(edge, faces, edge.t0 + s * (edge.t1 - edge.t0)) for s in (0.0, 0.25, 0.5, 0.75, 1.0)]
    if min(turns) * max(turns) <= 0.0 or min(abs(t) for t in turns) < TURN_KEPT:
        raise ModellingError("an edge that is convex here and concave or smooth there cannot be rounded")
    convex = turns[0] > 0.0
    d = -radius if convex else radius
    (low, high), guide = _laid_out(edge, radius, faces, d)
    for count in NODES:
        t = np.linspace(low, high, count)
        centers, feet = _centers(guide, t, faces, d)
        curves = [_fitted(t, table, edge.is_closed) for table in (centers, *feet)]
        if (
            _off(curves, 0.5 * (t[1:] + t[:-1]) - (t[0] if edge.is_closed else 0.0), faces, d)
            <= FITTED * radius
        ):
            break
    else:
        raise TooLargeError("the round bends too sharply", faces[0])
    spine, one, two = curves
    surface = CanalSurface(spine, one, radius)
    span = (0.0, edge.t1 - edge.t0) if edge.is_closed else (edge.t0, edge.t1)
    strip = Strip(edge, faces, convex, radius, surface, convex, (one, two), spine, span)
    _refuse_folds(strip, surface)
    return strip


def _laid_out(edge: Edge, radius: float, faces: tuple[Face, Face], d: float) -> tuple[FloatArray, Guide]:
    """The parameters from which to which a canal is laid out, and the planes in which the ball rolls.

    A canal reaches beyond the ends of its edge, less far where no ball touches both faces there.
    """
    guide = _guide(edge, radius)
    if edge.is_closed:
        return np.array([edge.t0, edge.t1]), guide
    speeds = np.linalg.norm(edge.curve.derivatives(np.array([edge.t0, edge.t1])), axis=1)
    rooms = BEYOND * radius / speeds
    if edge.curve.period:
        rooms = np.minimum(rooms, max(0.0, 0.45 * (edge.curve.period - (edge.t1 - edge.t0))))
    ends = []
    for t, side, room in ((edge.t0, -1.0, rooms[0]), (edge.t1, 1.0, rooms[1])):
        for share in SHARES:
            try:
                _centers(guide, t + side * share * room * np.linspace(0.0, 1.0, 9), faces, d)
            except TooLargeError:
                continue
            break
        ends.append(t + side * share * room)
    return np.array(ends), guide


def _guide(edge: Edge, radius: float) -> Guide:
    """Points and directions of an edge, also beyond its ends.

    A fitted curve is followed nearly by one polynomial, which touches it at both ends.
    """
    curve = edge.curve
    if not isinstance(curve, SplineCurve) or curve.period:
        return lambda t: (curve.points(t), curve.derivatives(t))
    middle, half = 0.5 * (edge.t0 + edge.t1), 0.5 * (edge.t1 - edge.t0)
    x = np.cos(np.linspace(0.0, np.pi, 129))
    points, ways = curve.points(middle + half * x), half * curve.derivatives(middle + half * x)
    for degree in DEGREES:
        made = _touching_polynomial(x, points, ways, degree)
        near = np.linalg.norm(made(x) - points, axis=1).max() <= GUIDED * radius
        turned = np.linalg.norm(np.cross(_units(made.derivative()(x)), _units(ways)), axis=1).max()
        if near and turned <= GUIDED:
            slope = made.derivative()
            return lambda t: (made((t - middle) / half), slope((t - middle) / half) / half)
    whole = BSpline(np.array(curve.knots), curve.controls, curve.degree, extrapolate=True)
    return lambda t: (np.asarray(whole(t)), np.asarray(whole(t, nu=1)))


def _units(ways: FloatArray) -> FloatArray:
    return np.asarray(ways / np.linalg.norm(ways, axis=1)[:, None])


def _touching_polynomial(x: FloatArray, points: FloatArray, ways: FloatArray, degree: int) -> PPoly:
    """The polynomial on [-1, 1] that has the first and last point and direction (at x = 1 and -1), and
    comes nearest to all others."""
    ends = np.array([points[-1], ways[-1], points[0], ways[0]])
    rows = np.array([[1, -1, 1, -1], [0, 1, -2, 3], [1, 1, 1, 1], [0, 1, 2, 3]], dtype=float)
    cubic = np.linalg.solve(rows, ends)
    low = np.polynomial.polynomial.polyval(x, cubic).T
    table = np.zeros((degree + 1, 3))
    table[:4] = cubic
    if degree > 3:
        bump = (1.0 - x * x) ** 2
        powers = bump[:, None] * np.polynomial.polynomial.polyvander(x, degree - 4)
        found = np.linalg.lstsq(powers, points - low, rcond=None)[0]
        for k, row in enumerate(found):
            table[k : k + 5] += np.outer([1.0, 0.0, -2.0, 0.0, 1.0], row)
    return PPoly(table[::-1, None, :], np.array([0.0, 1.0]), extrapolate=True)


def _centers(
    guide: Guide, t: FloatArray, faces: tuple[Face, Face], d: float
) -> tuple[FloatArray, tuple[FloatArray, FloatArray]]:
    """Where the ball's center is across points of a guide, by Newton's method, and where it touches."""
    p, way = guide(t)
    way = way / np.linalg.norm(way, axis=1)[:, None]
    c = p.copy()
    out = [1.0 if face.outward else -1.0 for face in faces]
    # the first guess keeps off the edge, where the distance of a narrow corner has no slope
    normals = [s * face.surface.normals(p) for s, face in zip(out, faces, strict=True)]
    both = normals[0] + normals[1]
    c = p + d * both / np.maximum(1.0 + (normals[0] * normals[1]).sum(axis=1), 0.1)[:, None]
    for _ in range(NEWTON_STEPS):
        gaps = [s * face.surface.distance(c) - d for s, face in zip(out, faces, strict=True)]
        normals = [s * face.surface.normals(c) for s, face in zip(out, faces, strict=True)]
        rows = np.stack([normals[0], normals[1], way], axis=1)
        right = -np.stack([gaps[0], gaps[1], ((c - p) * way).sum(axis=1)], axis=1)
        if (np.abs(np.linalg.det(rows)) < 1e-9).any():
            raise TooLargeError("no ball of that radius touches both faces", faces[0])
        step = np.linalg.solve(rows, right[:, :, None])[:, :, 0]
        size = np.linalg.norm(step, axis=1)
        c = c + step * np.minimum(1.0, abs(d) / np.maximum(size, 1e-300))[:, None]
        if size.max() <= 1e-14 * (1.0 + np.abs(c).max()):
            break
    worst = max(
        float(np.abs(s * face.surface.distance(c) - d).max()) for s, face in zip(out, faces, strict=True)
    )
    if not worst <= 1e-3 * RESOLUTION or not np.isfinite(c).all():
        raise TooLargeError("no ball of that radius touches both faces", faces[0])
    feet = [c - d * s * face.surface.normals(c) for s, face in zip(out, faces, strict=True)]
    return c, (feet[0], feet[1])


def _fitted(t: FloatArray, points: FloatArray, closed: bool) -> FittedCurve:
    if closed:
        return interpolated_fit(t - t[0], points, True)
    made = make_interp_spline(t, points, 5)
    return FittedCurve(5, tuple(made.t.tolist()), made.c)


def _off(curves: list[FittedCurve], t: FloatArray, faces: tuple[Face, Face], d: float) -> float:
    """How far the ball about the spine is from touching both faces, and where the contacts are not on both
    the ball and the face, at most."""
    center = curves[0].points(t)
    worst = 0.0
    for face, contact in zip(faces, curves[1:], strict=True):
        foot, sign = contact.points(t), 1.0 if face.outward else -1.0
        gaps = (
            sign * face.surface.distance(center) - d,
            face.surface.distance(foot),
            np.linalg.norm(foot - center, axis=1) - abs(d),
        )
        worst = max(worst, *(float(np.abs(gap).max()) for gap in gaps))
    return worst


def _refuse_folds(strip: Strip, surface: CanalSurface) -> None:
    """Raise TooLargeError where the canal is folded, or lies on the wrong side of the edge."""
    t = np.linspace(*strip.span, 65)
    centers = surface.spine.points(t)
    for face, contact in zip(strip.faces, strip.contacts, strict=True):
        feet = contact.points(t)
        if not (surface.stretch(t, (feet - centers) / surface.radius) > 0.0).all():
            raise TooLargeError("the round would fold back on itself", face)
        s = strip.edge.t0 + (t - strip.span[0])
        edge_points, ways = strip.edge.curve.points(s), strip.edge.curve.derivatives(s)
        sign = 1.0 if face.outward else -1.0
        along = ways if face is strip.faces[0] else -ways
        inward = np.cross(sign * face.surface.normals(edge_points), along)
        if not (((feet - edge_points) * inward).sum(axis=1) > 0.0).all():
            raise TooLargeError("no ball of that radius touches both faces", face)
