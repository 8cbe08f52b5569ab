"""Polynomial B-splines in the plane and in space, and how to find places on them.

Evaluation by `scipy.interpolate.BSpline` (de Boor's algorithm); the nearest point by Newton's method
from a dense sample. Source: Piegl & Tiller, The NURBS Book, ch. 2, 6.1 and 9.2.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Any, ClassVar, Self, TypeAlias

import numpy as np

from .placement import FloatArray
from .vector import Vec3, unit

GRID = 192
"""About as many places along a curve start the search for its nearest point."""

NEWTON_ROUNDS = 12
SETTLED = 1e-10
"""A step of Newton's method, as a share of the curve, after which the next would be lost in rounding."""

HALVINGS = 50
SPANS_TOGETHER = 4
SHORTEST_SPAN = 1e-11
"""A knot so near to an end, as a share of the curve, does not divide it."""

SMOOTH_COSINE = 1.0 - 1e-6
QUADRATURE = np.polynomial.legendre.leggauss(24)


@dataclass(frozen=True, eq=False)
class BSpline:
    """A clamped polynomial B-spline: `controls`, shape (n, 2) or (n, 3), over `knots`, length
    n + degree + 1. Parameters run from the first to the last knot."""

    degree: int
    knots: tuple[float, ...]
    controls: FloatArray

    @cached_property
    def _curve(self) -> Any:
        from scipy.interpolate import BSpline as Evaluator

        return Evaluator(np.array(self.knots), self.controls, self.degree)

    @property
    def low(self) -> float:
        return self.knots[0]

    @property
    def high(self) -> float:
        return self.knots[-1]

    @cached_property
    def is_closed(self) -> bool:
        """Whether the curve ends where it starts."""
        gap = np.abs(self.controls[0] - self.controls[-1]).max()
        return bool(gap <= 1e-12 * (1 + np.abs(self.controls).max()))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at parameters `t`, shape (N,); returns shape (N, 2 or 3)."""
        return self._curve(t)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,)."""
        return self._curve(t, nu=1)

    def second(self, t: FloatArray) -> FloatArray:
        """Second derivatives at `t`, shape (N,)."""
        return self._curve(t, nu=2)

    def breaks(self, t0: float, t1: float) -> list[float]:
        """t0, the knots between, and t1: in between the curve is one polynomial."""
        least = SHORTEST_SPAN * (self.high - self.low)
        return [t0, *(k for k in dict.fromkeys(self.knots) if t0 + least < k < t1 - least), t1]

    def parts(self, t0: float, t1: float) -> list[float]:
        """Each polynomial piece in four."""
        stops = self.breaks(t0, t1)
        return [a + (b - a) * k / 4 for a, b in _pairs(stops) for k in range(4)] + [t1]

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Parameters inside (t0, t1) where a coordinate is largest or smallest."""
        found = []
        for a, b in _pairs(self.breaks(t0, t1)):
            nodes = 0.5 * (a + b) + 0.5 * (b - a) * np.cos(
                np.pi * (np.arange(self.degree) + 0.5) / self.degree
            )
            for values in self.derivatives(nodes).T:
                slope = np.polynomial.Polynomial.fit(nodes, values, self.degree - 1, domain=[a, b])
                scale = np.abs(values).max()
                if scale > 0 and self.degree > 1:
                    roots = slope.trim(1e-13 * scale).roots()
                    real = [float(r.real) for r in roots if abs(r.imag) < 1e-9 * (b - a)]
                    found += [t for t in real if a <= t <= b and t0 < t < t1]
        return sorted(found)

    @cached_property
    def _grid(self) -> tuple[FloatArray, Any]:
        """Parameters close together along the whole curve, and a tree of the points there."""
        from scipy.spatial import cKDTree

        stops = self.breaks(self.low, self.high)
        each = max(4, -(-GRID // (len(stops) - 1)))
        spans = [np.linspace(a, b, each) for a, b in _pairs(stops)]
        t = np.unique(np.concatenate(spans))
        return t, cKDTree(self.points(t))

    def nearest(self, points: FloatArray) -> FloatArray:
        """Parameters of the points of the curve nearest to `points`, shape (N, d); returns (N,)."""
        t, tree = self._grid
        best = np.asarray(tree.query(points)[1], dtype=np.intp)
        u = t[best]
        for _ in range(NEWTON_ROUNDS):
            off, d1, d2 = self.points(u) - points, self.derivatives(u), self.second(u)
            slope = (off * d1).sum(axis=1)
            bend = (d1 * d1).sum(axis=1) + (off * d2).sum(axis=1)
            safe = np.where(bend > 0, bend, np.maximum((d1 * d1).sum(axis=1), 1e-300))
            moved = self.kept(u - slope / safe)
            done = np.abs(moved - u).max(initial=0.0) <= SETTLED * (self.high - self.low)
            u = moved
            if done:
                break
        return u

    def kept(self, u: FloatArray) -> FloatArray:
        """Parameters brought into the range: round a closed curve, else to its nearer end."""
        if self.is_closed:
            over = (u < self.low) | (u > self.high)
            return np.where(over, self.low + (u - self.low) % (self.high - self.low), u)
        return np.clip(u, self.low, self.high)

    def between(self, t0: float, t1: float) -> Self:
        """The part from t0 to t1 as a clamped spline (Boehm's knot insertion, Piegl & Tiller 5.2)."""
        from scipy.interpolate import insert

        knots, controls, k = np.array(self.knots), self.controls, self.degree
        for t in (t0, t1):
            need = k - int((np.abs(knots - t) < 1e-14).sum())
            if need > 0 and self.low < t < self.high:
                padded = np.vstack([controls, np.zeros((k + 1, controls.shape[1]))])
                knots, columns, _ = insert(t, (knots, list(padded.T), k), m=need)
                controls = np.array(columns).T[: len(knots) - k - 1]
        first = int(np.searchsorted(knots, t0 - 1e-14))
        inner = knots[(knots > t0 + 1e-14) & (knots < t1 - 1e-14)]
        begin = 0 if t0 <= self.low else first - 1
        count = len(inner) + k + 1
        ends = (t0,) * (k + 1), (t1,) * (k + 1)
        return type(self)(k, (*ends[0], *inner.tolist(), *ends[1]), controls[begin : begin + count])

    def length_between(self, t0: float, t1: float) -> float:
        """Length from t0 to t1, by quadrature on each of `parts`."""
        nodes, weights = QUADRATURE
        stops = np.array(self.parts(t0, t1))
        half = 0.5 * np.diff(stops)
        t = stops[:-1, None] + half[:, None] * (nodes + 1)
        speed = np.linalg.norm(self.derivatives(t.ravel()), axis=1).reshape(t.shape)
        return float(half @ (speed @ weights))


def _pairs(stops: Sequence[float]) -> list[tuple[float, float]]:
    return list(pairwise(stops))


Polynomials: TypeAlias = tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]
"""Coefficients of x, y and z, of the highest power first."""


def _value(coefficients: tuple[float, ...], h: float) -> float:
    """A polynomial's value, by Horner's scheme."""
    value = 0.0
    for c in coefficients:
        value = value * h + c
    return value


def _slopes(coefficients: tuple[float, ...], h: float) -> Vec3:
    """A polynomial's value, first and second derivative, by Horner's scheme."""
    value = first = half = 0.0
    for c in coefficients:
        half = half * h + first
        first = first * h + value
        value = value * h + c
    return value, first, 2.0 * half


@dataclass(frozen=True, eq=False)
class SplineCurve(BSpline):
    """A B-spline in space, as an edge's curve; answers the protocol of `curves.Curve`."""

    kind: ClassVar[str] = "spline"

    @property
    def period(self) -> float:
        """Length of the parameter range of a closed curve, which may be passed round; 0.0 of an open one."""
        return self.high - self.low if self.is_closed else 0.0

    def points(self, t: FloatArray) -> FloatArray:
        return super().points(self._wrapped(t))

    def derivatives(self, t: FloatArray) -> FloatArray:
        return super().derivatives(self._wrapped(t))

    def second(self, t: FloatArray) -> FloatArray:
        return super().second(self._wrapped(t))

    def breaks(self, t0: float, t1: float) -> list[float]:
        if t1 <= self.high or not self.period:
            return super().breaks(t0, t1)
        turns = {k + lap for lap in self._laps(t0, t1) for k in self.knots}
        least = SHORTEST_SPAN * self.period
        return [t0, *(k for k in sorted(turns) if t0 + least < k < t1 - least), t1]

    def extremes(self, t0: float, t1: float) -> list[float]:
        if t1 <= self.high or not self.period:
            return super().extremes(t0, t1)
        found = set[float]()
        for lap in self._laps(t0, t1):
            start, end = max(t0 - lap, self.low), min(t1 - lap, self.high)
            inner = super().extremes(start, end) if start < end else []
            found |= {t + lap for t in (*inner, self.high)}
        return sorted(t for t in found if t0 < t < t1)

    def _laps(self, t0: float, t1: float) -> list[float]:
        """What is added to the parameters of a closed curve on each of its rounds from t0 to t1."""
        first, last = (math.floor((t - self.low) / self.period) for t in (t0, t1))
        return [n * self.period for n in range(first, last + 1)]

    def _wrapped(self, t: FloatArray) -> FloatArray:
        if not self.period or (t <= self.high).all():
            return t
        return np.where(t > self.high, self.low + (t - self.low) % self.period, t)

    @cached_property
    def _pieces(self) -> tuple[list[float], list[Polynomials]]:
        """Where the polynomials of the curve begin, and their coefficients for one point at a time."""
        begins = np.unique(self.knots)[:-1]
        powers = range(self.degree, -1, -1)
        rows = np.array([self._curve(begins, nu=m) / math.factorial(m) for m in powers])
        table = rows.transpose(1, 2, 0).tolist()
        return begins.tolist(), [(tuple(x), tuple(y), tuple(z)) for x, y, z in table]

    def _place(self, t: float) -> tuple[Polynomials, float]:
        """The polynomials of the coordinates at a parameter, and how far it is from where they begin."""
        if self.period and t > self.high:
            t = self.low + (t - self.low) % self.period
        begins, table = self._pieces
        k = max(0, bisect_right(begins, t) - 1)
        return table[k], float(t) - begins[k]

    def point(self, t: float) -> Vec3:
        (x, y, z), h = self._place(t)
        return (_value(x, h), _value(y, h), _value(z, h))

    def tangent(self, t: float) -> Vec3:
        (x, y, z), h = self._place(t)
        return unit((_slopes(x, h)[1], _slopes(y, h)[1], _slopes(z, h)[1]))

    def parameter(self, point: Vec3) -> float:
        """As `nearest`, of one point."""
        t, tree = self._grid
        u = float(t[tree.query(point)[1]])
        for _ in range(NEWTON_ROUNDS):
            polynomials, h = self._place(u)
            slope = square = bend = 0.0
            for coefficients, target in zip(polynomials, point, strict=True):
                value, d1, d2 = _slopes(coefficients, h)
                slope += (value - target) * d1
                square += d1 * d1
                bend += (value - target) * d2
            safe = square + bend if square + bend > 0.0 else max(square, 1e-300)
            moved = self._kept_one(u - slope / safe)
            if abs(moved - u) <= SETTLED * (self.high - self.low):
                return moved
            u = moved
        return u

    def _kept_one(self, u: float) -> float:
        """As `kept`, of one parameter."""
        if not self.is_closed:
            return min(max(u, self.low), self.high)
        if self.low <= u <= self.high:
            return u
        return self.low + (u - self.low) % (self.high - self.low)

    def length(self, t0: float, t1: float) -> float:
        return self.length_between(t0, t1)


@dataclass(frozen=True, eq=False)
class FittedCurve(SplineCurve):
    """A spline fitted so closely to a smooth curve that it counts as smooth across its knots."""

    @cached_property
    def period(self) -> float:
        """As for any spline; but a curve whose ends meet at an angle cannot be passed round."""
        if not self.is_closed:
            return 0.0
        first, last = BSpline.derivatives(self, np.array([self.low, self.high]))
        smooth = first @ last > SMOOTH_COSINE * float(np.linalg.norm(first) * np.linalg.norm(last))
        return self.high - self.low if smooth else 0.0

    @cached_property
    def joints(self) -> list[float]:
        """Inner knots at which pieces are joined that need not bend alike."""
        counts = Counter(self.knots)
        return [k for k, many in counts.items() if self.low < k < self.high and many >= self.degree]

    def breaks(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, every fourth knot, and all joints."""
        stops = super().breaks(t0, t1)
        kept = {*stops[:-1:SPANS_TOGETHER], stops[-1]}
        laps = self._laps(t0, t1) if self.period and t1 > self.high else [0.0]
        joints = {k + lap for k in self.joints for lap in laps}
        return [t for t in stops if t in kept or t in joints]

    def parts(self, t0: float, t1: float) -> list[float]:
        """As `breaks`."""
        return self.breaks(t0, t1)

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Where a coordinate's slope changes sign between samples."""
        t = np.linspace(t0, t1, max(17, len(self.knots)))
        slopes = self.derivatives(t)
        rows, axes = np.nonzero(slopes[:-1] * slopes[1:] < 0.0)
        which = np.arange(len(rows))

        def slope(middle: FloatArray) -> FloatArray:
            return self.derivatives(middle)[which, axes]

        return sorted(halved(slope, t[rows], t[rows + 1], slopes[rows, axes]).tolist())


Ways = tuple[FloatArray | None, FloatArray | None]
"""Unit tangents, (3,), of a curve at its start and its end, as far as they are known."""


def joined(
    pieces: Sequence[tuple[FloatArray, FloatArray]], degree: int = 5, ways: Sequence[Ways] = ()
) -> FittedCurve:
    """The curve that runs through the points of each piece, (n,) parameters and (n, 3), n > degree + 2. Each
    starts at the end of the one before and is a spline by itself: where they join it need not bend alike.
    ways : of each piece."""
    knots, controls = [float(pieces[0][0][0])] * (degree + 1), [pieces[0][1][:1]]
    known = ways or [(None, None)] * len(pieces)
    for (t, points), ends in zip(pieces, known, strict=True):
        made = _through(t, points, degree, ends)
        knots += made.t[degree + 1 : -1].tolist()
        controls.append(made.c[1:])
    return FittedCurve(degree, (*knots, knots[-1]), np.concatenate(controls))


def _through(t: FloatArray, points: FloatArray, degree: int, ways: Ways) -> Any:
    """SciPy's spline through points, with the tangents at its ends that are known. Those take the place of
    "not a knot" conditions; how fast the curve runs there is as without them."""
    from scipy.interpolate import make_interp_spline

    free = make_interp_spline(t, points, degree)
    if ways[0] is None and ways[1] is None:
        return free
    slopes = []
    for place, way in ((t[0], ways[0]), (t[-1], ways[1])):
        slopes.append(None if way is None else [(1, way * float(free(place, 1) @ way))])
    half = degree // 2 + 1
    inner = t[half - (ways[0] is not None) : len(t) - half + (ways[1] is not None)]
    knots = np.concatenate([[t[0]] * (degree + 1), inner, [t[-1]] * (degree + 1)])
    conditions: Any = tuple(slopes)
    return make_interp_spline(t, points, degree, t=knots, bc_type=conditions)


def sign_changes(rule: Callable[[FloatArray], FloatArray], stops: FloatArray) -> FloatArray:
    """Where a function of arrays changes sign between increasing stops, by bisection; shape (N,)."""
    values = rule(stops)
    (rows,) = np.nonzero(values[:-1] * values[1:] < 0.0)
    return halved(rule, stops[rows], stops[rows + 1], values[rows])


def halved(
    rule: Callable[[FloatArray], FloatArray], low: FloatArray, high: FloatArray, first: FloatArray
) -> FloatArray:
    """Where a function of (N,) changes sign between `low` and `high`, its values at `low` given; (N,)."""
    for _ in range(HALVINGS if len(low) else 0):
        middle = 0.5 * (low + high)
        before = rule(middle) * first > 0.0
        low, high = np.where(before, middle, low), np.where(before, high, middle)
    return np.asarray(0.5 * (low + high))


def interpolated(points: FloatArray, closed: bool = False) -> BSpline:
    """The cubic spline through `points`, shape (N, d), with parameters by chord length (centripetal).

    Open ends are natural (no curvature); a closed one runs smoothly through its first point. With
    two points it is a line. Source: Piegl & Tiller 9.2; Lee (1989) for the centripetal parameters.
    """
    from scipy.interpolate import CubicSpline, make_interp_spline

    through = np.vstack([points, points[:1]]) if closed else points
    steps = np.sqrt(np.linalg.norm(np.diff(through, axis=0), axis=1))
    t = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
    if len(through) == 2:
        return BSpline(1, (0.0, 0.0, 1.0, 1.0), through)
    if closed:
        return _clamped(CubicSpline(t, through, bc_type="periodic"))
    natural = make_interp_spline(t, through, 3, bc_type="natural")
    return BSpline(3, tuple(natural.t.tolist()), natural.c)


def _clamped(spline: Any) -> BSpline:
    """A piecewise cubic as a clamped B-spline, its pieces in Bernstein form joined at triple knots."""
    h = np.diff(spline.x)[:, None]
    c3, c2, c1, c0 = spline.c
    one, two = c0 + c1 * h / 3, c0 + 2 * c1 * h / 3 + c2 * h * h / 3
    last = c0 + c1 * h + c2 * h * h + c3 * h**3
    controls = np.vstack([c0[:1], np.stack([one, two, last], axis=1).reshape(-1, c0.shape[1])])
    controls[-1] = controls[0]
    inner = tuple(float(x) for x in spline.x[1:-1] for _ in range(3))
    return BSpline(3, (0.0,) * 4 + inner + (1.0,) * 4, controls)


def through_controls(controls: FloatArray, degree: int = 3) -> BSpline:
    """The clamped spline of `degree` with uniform inner knots over a control polygon, shape (N, d)."""
    degree = min(degree, len(controls) - 1)
    inner = np.arange(1, len(controls) - degree) / (len(controls) - degree)
    knots = (0.0,) * (degree + 1) + tuple(inner.tolist()) + (1.0,) * (degree + 1)
    return BSpline(degree, knots, controls)
