"""Surfaces as B-splines, and offset: exactly where their kind can, else by fits.

Source: Piegl & Tiller, The NURBS Book, 9.2 (interpolation by a net of points); Piegl & Tiller, "Computing
offsets of NURBS curves and surfaces", Computer-Aided Design 31 (1999), for sampling, fitting, and checking
half way between.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from ..errors import ModellingError
from .curve import Curve
from .placement import FloatArray
from .spline import SplineCurve
from .spline_surface import SplineSurface
from .surface import Interval, Surface, Tip, curvatures

DEGREE = 7
FIT = 1e-9
"""A fitted surface is so near, as a share of its size."""

STEPS = (8, 12, 18, 22, 27, 40, 60, 90, 140)
"""Steps between two breaks, one number after the other until the fit is near enough."""


FOLD_SPOTS = 400
"""At so many places it is looked whether a surface folds back."""

CROWDING = 0.8
"""How far the places through which a fit runs are drawn towards the breaks, from even ones to Chebyshev's."""


def as_spline(surface: Surface, us: Interval, vs: Interval) -> SplineSurface:
    """The part of a surface over a range of parameters as a B-spline surface with the same parameters: the
    same points where its kind can be written so, else as near as 1e-9 of its size.

    Raises ModellingError where no such fit is found.
    """
    exact = surface.exact_spline(us, vs)
    if isinstance(exact, SplineSurface):
        return exact
    return _fitted(surface, surface.points, us, vs, surface.straight)


def curve_as_spline(curve: Curve, t0: float, t1: float) -> SplineCurve:
    """The piece of a curve from t0 to t1 as a B-spline, as near as 1e-9 of its size."""
    if isinstance(curve, SplineCurve):
        return curve.between(t0, t1)
    side = [t0, *curve.smooth_breaks(t0, t1), t1]
    for steps in STEPS:
        t = _stops(side, steps)
        points = curve.points(t)
        knots, controls = _through(t, points[:, None], side, DEGREE)
        made = SplineCurve(DEGREE, knots, controls[:, 0])
        half = 0.5 * (t[1:] + t[:-1])
        off = np.linalg.norm(made.points(half) - curve.points(half), axis=1).max()
        if off <= FIT * float(np.ptp(points, axis=0).max()):
            return made
    x, y, z = curve.point(t0)
    raise ModellingError(f"no B-spline is near enough to a {curve.kind} from ({x:.6g}, {y:.6g}, {z:.6g}) on")


def offset(surface: Surface, distance: float) -> Surface | None:
    """The surface at a signed distance along the normals of another: exact where its kind has such, else a
    B-spline as near as 1e-9 of its size, over its domain. None where nothing of it is left.

    Raises ModellingError for a distance at which it would fold back on itself, with the place and the largest
    one.
    """
    if surface.has_exact_offset:
        return surface.exact_offset(distance)
    uv = surface.spread().reshape(-1, 2)
    low, high = curvatures(surface, uv)
    folds = np.maximum(distance * low, distance * high)
    worst = int(folds.argmax())
    if folds[worst] >= 1.0:
        x, y, z = surface.points(uv[worst : worst + 1])[0].tolist()
        raise ModellingError(
            f"a {surface.called} face that is moved by {distance:g} folds back at "
            f"({x:.6g}, {y:.6g}, {z:.6g}); at most {abs(distance) / folds[worst]:.6g} works there"
        )

    def points(uv: FloatArray) -> FloatArray:
        return surface.points(uv) + distance * _full_normals(surface, uv)

    return _fitted(surface, points, *surface.domain)


def leaning(surface: Surface, height: float, slope: float, heights: Interval) -> SplineSurface:
    """The surface of even slope through the line at a height (v) of one extruded along v: at each height from
    there it is moved by `slope` of that along its normals. heights : least and largest v it is needed at. A
    B-spline as near as 1e-9 of its size, straight along v.

    Raises ModellingError for a slope at which it would fold back, with the place.
    """
    low, high = surface.domain[0]
    u = np.linspace(low, high, FOLD_SPOTS)
    spots = np.column_stack([u, np.full(len(u), height)])
    least, most = curvatures(surface, spots)
    moved = np.array([slope * (v - height) for v in heights])
    folds = np.maximum(np.outer(moved, least), np.outer(moved, most)).max(axis=0)
    worst = int(folds.argmax())
    if folds[worst] >= 1.0:
        x, y, z = surface.points(spots[worst : worst + 1])[0].tolist()
        raise ModellingError(
            f"a {surface.called} face that leans so much folds back on itself at ({x:.6g}, {y:.6g}, {z:.6g})"
        )

    def points(uv: FloatArray) -> FloatArray:
        return surface.points(uv) + slope * (uv[:, 1:] - height) * surface.normals_at(uv)

    return _fitted(surface, points, (low, high), heights, straight=1)


def _full_normals(surface: Surface, uv: FloatArray) -> FloatArray:
    """Unit normals, also at singular points: there the mean of those about them."""
    normals = surface.normals_at(uv)
    gone = np.linalg.norm(normals, axis=1) < 0.5
    if gone.any():
        tips: list[Tip] = list(surface.singular_points)
        places = surface.points(uv[gone])
        away = np.array([np.linalg.norm(places - np.array(tip.point), axis=1) for tip in tips])
        normals[gone] = np.array([tip.way for tip in tips])[away.argmin(axis=0)]
    return normals


def _fitted(
    surface: Surface,
    rule: Callable[[FloatArray], FloatArray],
    us: Interval,
    vs: Interval,
    straight: int | None = None,
) -> SplineSurface:
    """straight : the number of a parameter along which the points lie in lines, at even steps."""
    degrees = (1 if straight == 0 else DEGREE, 1 if straight == 1 else DEGREE)
    sides = [
        [low, *sorted(b for b in {*breaks, *ends} if low < b < high), high]
        for (low, high), breaks, ends in zip((us, vs), surface.smooth_breaks(), surface.domain, strict=True)
    ]
    tries = [0, 0]
    while max(tries) < len(STEPS):
        made = [np.array(side) if degree == 1 else _stops(side, STEPS[n])
                for side, n, degree in zip(sides, tries, degrees, strict=True)]  # fmt: skip
        fit, off, size = _interpolated(rule, made, sides, degrees)
        if max(off) <= FIT * size:
            return fit
        tries = [n + (o > 0.5 * FIT * size) for n, o in zip(tries, off, strict=True)]
    u, v = (0.5 * (side[0] + side[-1]) for side in sides)
    x, y, z = rule(np.array([[u, v]]))[0].tolist()
    raise ModellingError(
        f"no B-spline surface is near enough to a {surface.called} face about ({x:.6g}, {y:.6g}, {z:.6g})"
    )


def _stops(side: list[float], steps: int) -> FloatArray:
    """Places along a side, between two breaks so many steps, closer towards these: there a spline through
    points errs the most."""
    count = max(steps, DEGREE)
    even = np.arange(count) / count
    shares = (1.0 - CROWDING) * even + CROWDING * (0.5 - 0.5 * np.cos(np.pi * even))
    return np.append(np.concatenate([a + (b - a) * shares for a, b in pairwise(side)]), side[-1])


def _interpolated(
    rule: Callable[[FloatArray], FloatArray],
    stops: list[FloatArray],
    sides: list[list[float]],
    degrees: tuple[int, int],
) -> tuple[SplineSurface, tuple[float, float], float]:
    """The spline through a net of points, and how far it is off half way between its lines along u and v."""
    u, v = stops
    grid = _evaluated(rule, u, v)
    knots_u, rows = _through(u, grid, sides[0], degrees[0])
    knots_v, columns = _through(v, rows.transpose(1, 0, 2), sides[1], degrees[1])
    made = SplineSurface(degrees, (knots_u, knots_v), columns.transpose(1, 0, 2))
    half_u, half_v = 0.5 * (u[1:] + u[:-1]), 0.5 * (v[1:] + v[:-1])
    off = []
    for us, vs in ((half_u, v), (u, half_v), (half_u, half_v)):
        wrong = np.linalg.norm(_evaluated(made.points, us, vs) - _evaluated(rule, us, vs), axis=2)
        off.append(float(wrong.max()))
    both = 0.5 * off[2] if off[2] > off[0] + off[1] else 0.0
    return made, (max(off[0], both), max(off[1], both)), float(np.ptp(grid.reshape(-1, 3), axis=0).max())


def _evaluated(rule: Callable[[FloatArray], FloatArray], u: FloatArray, v: FloatArray) -> FloatArray:
    uv = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1)
    return rule(uv.reshape(-1, 2)).reshape(len(u), len(v), 3)


def _through(
    t: FloatArray, table: FloatArray, side: list[float], degree: int
) -> tuple[tuple[float, ...], FloatArray]:
    """Knots and controls of the splines through rows of points, (n, m, 3); joined at breaks without more than
    their being continuous there."""
    from scipy.interpolate import make_interp_spline

    knots, controls = [side[0]] * (degree + 1), [table[:1]]
    for a, b in pairwise(side):
        here = (t >= a) & (t <= b)
        made = make_interp_spline(t[here], table[here], degree)
        knots += made.t[degree + 1 : -1].tolist()
        controls.append(made.c[1:])
    return (*knots, knots[-1]), np.concatenate(controls)
