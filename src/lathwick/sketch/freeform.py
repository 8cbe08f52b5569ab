"""Ellipses and splines as functions of their points, for equations.

Everything here also takes complex numbers, so that derivatives by any coordinate come from the
complex step method, exact to the last digits (Squire & Trapp, SIAM Review 40, 1998). Arrays carry
a leading axis of variants, shape (B, ...).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..geometry.placement import FloatArray

Array = NDArray[Any]

ELLIPSE, OPEN, CLOSED, CONTROLLED, KNOTTED = 0.0, 1.0, 2.0, 3.0, 4.0
"""Sorts of curve, as a parameter of an equation; a knotted one is followed by its degree and knots."""

Sort = tuple[float, ...]

STEP = 1e-30
NODES, WEIGHTS = np.polynomial.legendre.leggauss(24)


def sort_of(closed: bool, controlled: bool, basis: tuple[int, tuple[float, ...]] | None) -> Sort:
    """The sort of a spline."""
    if basis is not None:
        return (KNOTTED, float(basis[0]), *basis[1])
    return (CONTROLLED if controlled else CLOSED if closed else OPEN,)


def place_and_slope(sort: Sort, points: Array, t: Array) -> tuple[Array, Array]:
    """Point and derivative at parameter `t`, shape (B,), of the curve given by `points`, (B, n, 2).

    An ellipse is given by center, tip and side, and t in radians; a spline by the points it goes
    through or by its control points, and t from 0 to 1. Returns two arrays of shape (B, 2).
    """
    place, slope = _curve(sort, points)(t[:, None])
    return place[:, 0], slope[:, 0]


Curve = Callable[[Array], tuple[Array, Array]]
"""From parameters within one smooth span, shape (B, m), to points and derivatives, (B, m, 2) each."""


def _curve(sort: Sort, points: Array) -> Curve:
    if sort[0] == ELLIPSE:
        return lambda t: _on_ellipse(points, t)
    if sort[0] in (CONTROLLED, KNOTTED):
        basis = _basis(sort, points.shape[1])
        return lambda t: _de_boor(points, t, *basis)
    return _Cubic(points, sort[0] == CLOSED).at


def _on_ellipse(points: Array, t: Array) -> tuple[Array, Array]:
    c, s = np.cos(t)[..., None], np.sin(t)[..., None]
    center = points[:, :1]
    a, b = points[:, 1:2] - center, points[:, 2:3] - center
    return center + c * a + s * b, c * b - s * a


def _basis(sort: Sort, count: int) -> tuple[int, list[float]]:
    """Degree and knots of a spline over control points."""
    if sort[0] == KNOTTED:
        degree = int(sort[1])
        return degree, list(sort[2 : 2 + count + degree + 1])
    degree = min(3, count - 1)
    spans = count - degree
    return degree, [0.0] * (degree + 1) + [k / spans for k in range(1, spans)] + [1.0] * (degree + 1)


def length_share(sort: Sort, points: Array, t: Array) -> tuple[Array, Array]:
    """Length of the curve from its start to `t`, and of the whole, each of shape (B,)."""
    if sort[0] == ELLIPSE:
        stops = [np.full_like(t, k * np.pi / 4) for k in range(9)]
    elif sort[0] in (CONTROLLED, KNOTTED):
        stops = [np.full_like(t, k) for k in dict.fromkeys(_basis(sort, points.shape[1])[1])]
    else:
        cubic = _Cubic(points, sort[0] == CLOSED)
        stops = [cubic.stops[:, k] for k in range(cubic.stops.shape[1])]
    before = whole = np.zeros_like(t)
    curve = _curve(sort, points)
    for a, b in pairwise(stops):
        span = _length(curve, a, b)
        whole = whole + span
        if b[0].real <= t[0].real:
            before = before + span
        elif a[0].real < t[0].real:
            before = before + _length(curve, a, t)
    return before, whole


def _length(curve: Curve, a: Array, b: Array) -> Array:
    """Length from a to b within one smooth span, by Gauss quadrature."""
    half = 0.5 * (b - a)
    slope = curve(a[:, None] + half[:, None] * (NODES + 1.0))[1]
    return half * (np.sqrt((slope * slope).sum(axis=2)) @ WEIGHTS)


class _Cubic:
    """The cubic spline through points, natural or periodic, parametrised as `geometry.spline.interpolated`.

    Source: de Boor, A Practical Guide to Splines, ch. IV (second derivatives from a tridiagonal system).
    """

    def __init__(self, points: Array, closed: bool) -> None:
        self.points = np.concatenate([points, points[:, :1]], axis=1) if closed else points
        d = np.diff(self.points, axis=1)
        steps = np.sqrt(np.sqrt((d * d).sum(axis=2)))
        ends = np.cumsum(steps, axis=1)
        self.stops = np.concatenate([np.zeros_like(ends[:, :1]), ends], axis=1) / ends[:, -1:]
        self.bends = self._bends(closed)

    def _bends(self, closed: bool) -> Array:
        """Second derivatives at the stops, shape (B, n, 2)."""
        h = np.diff(self.stops, axis=1)
        rise = np.diff(self.points, axis=1) / h[:, :, None]
        count = h.shape[1] if closed else h.shape[1] - 1
        if count == 0:
            return np.zeros_like(self.points)
        matrix = np.zeros((len(h), count, count), dtype=h.dtype)
        right = np.zeros((len(h), count, 2), dtype=h.dtype)
        for k in range(count):
            before, after = (k - 1, k) if closed else (k, k + 1)
            matrix[:, k, k] += (h[:, before] + h[:, after]) / 3
            if closed or k > 0:
                matrix[:, k, k - 1] += h[:, before] / 6
            if closed or k < count - 1:
                matrix[:, k, (k + 1) % count] += h[:, after] / 6
            right[:, k] = rise[:, after] - rise[:, before]
        inner = np.linalg.solve(matrix, right)
        if closed:
            return np.concatenate([inner, inner[:, :1]], axis=1)
        nothing = np.zeros_like(inner[:, :1])
        return np.concatenate([nothing, inner, nothing], axis=1)

    def at(self, t: Array) -> tuple[Array, Array]:
        """Points and derivatives at parameters of one span, shape (B, m) to (B, m, 2) each."""
        last = self.stops.shape[1] - 2
        i = min(max(int(np.searchsorted(self.stops[0].real, t[0, 0].real, side="right")) - 1, 0), last)
        h = (self.stops[:, i + 1] - self.stops[:, i])[:, None, None]
        b = (t - self.stops[:, i : i + 1])[..., None] / h
        a = 1.0 - b
        p, q, m, n = (table[:, k : k + 1] for table in (self.points, self.bends) for k in (i, i + 1))
        place = a * p + b * q + ((a**3 - a) * m + (b**3 - b) * n) * h * h / 6
        slope = (q - p) / h + ((3 * b * b - 1) * n - (3 * a * a - 1) * m) * h / 6
        return place, slope


def _de_boor(controls: Array, t: Array, degree: int, knots: list[float]) -> tuple[Array, Array]:
    """Points and derivatives of a clamped spline over control points, at parameters of one span,
    shape (B, m) to (B, m, 2) each (de Boor's algorithm)."""
    inner = knots[degree : len(knots) - degree]
    i = degree + min(max(bisect_right(inner, float(t[0, 0].real)) - 1, 0), len(inner) - 2)
    rows = [controls[:, i - degree + k, None] for k in range(degree + 1)]
    slope = np.zeros_like(rows[0] + t[..., None])
    for level in range(1, degree + 1):
        if level == degree:
            width = knots[i + 1] - knots[i]
            slope = degree * (rows[degree] - rows[degree - 1]) / width + 0.0 * t[..., None]
        for k in range(degree, level - 1, -1):
            low, high = knots[i - degree + k], knots[i + 1 + k - level]
            share = ((t - low) / (high - low))[..., None]
            rows[k] = (1.0 - share) * rows[k - 1] + share * rows[k]
    return rows[degree], slope


def by_complex_step(function: Callable[[Array], Array], rows: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Values, shape (N,), and derivatives, shape (N, k), of a function of one row, shape (B, k) -> (B,)."""
    values, slopes = np.empty(len(rows)), np.empty(rows.shape)
    for number, row in enumerate(rows):
        out = function(row + 1j * STEP * np.eye(len(row)))
        values[number], slopes[number] = out[0].real, out.imag / STEP
    return values, slopes
