"""Polynomial B-splines in the plane and in space, and how to find places on them.

Evaluation by `scipy.interpolate.BSpline` (de Boor's algorithm); the nearest point by Newton's method
from a dense sample. Source: Piegl & Tiller, The NURBS Book, ch. 2, 6.1 and 9.2.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Any, ClassVar, Self, TypeAlias

import numpy as np

from .curve import Curve
from .motion import Motion
from .placement import FloatArray, IntArray
from .roots import chebyshev, on_pieces, polynomial_roots
from .tolerance import NOWHERE
from .vector import Vec3, unit

GRID = 192
"""About as many places along a curve start the search for its nearest point."""

NEAREST_SAMPLES = 4
"""So many samples next to a point are looked at: another branch of the curve may be the nearer one."""

NEWTON_ROUNDS = 12
SETTLED = 1e-10
"""A step of Newton's method, as a share of the curve, after which the next would be lost in rounding."""

SPANS_TOGETHER = 4
SAME_KNOT, ULPS = 1e-14, 8
"""Parameters that differ by less of the whole range, or by so many steps of rounding, are the same."""

SHORTEST_SPAN = 1e-11
"""A knot so near to an end, as a share of the curve, does not divide it."""

SAME_PLACE = 1e-12
"""Parameters that differ by so small a share of the curve are of one root."""

OVERLAP = 10
"""So many points beyond its ends a closed fit is led through again."""

TAYLOR = 3
"""The order of the polynomial by which a curve or surface goes on beyond an end: a cubic one by its own."""

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

    @cached_property
    def is_smoothly_closed(self) -> bool:
        """Whether the curve ends where it starts, and runs on there in the same direction."""
        if not self.is_closed:
            return False
        first, last = BSpline.derivatives(self, np.array([self.low, self.high]))
        return bool(first @ last > SMOOTH_COSINE * float(np.linalg.norm(first) * np.linalg.norm(last)))

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
        """As `spans`."""
        return self.spans(t0, t1)

    def spans(self, t0: float, t1: float) -> list[float]:
        """t0, the knots between, and t1: in between the curve is one polynomial."""
        least = SHORTEST_SPAN * (self.high - self.low)
        knots = self._distinct_knots
        return [t0, *knots[bisect_right(knots, t0 + least) : bisect_left(knots, t1 - least)], t1]

    @cached_property
    def _distinct_knots(self) -> tuple[float, ...]:
        return tuple(dict.fromkeys(self.knots))

    def smooth_breaks(self, t0: float, t1: float) -> list[float]:
        return self.spans(t0, t1)[1:-1]

    def parts(self, t0: float, t1: float) -> list[float]:
        """Each polynomial piece in four."""
        stops = self.breaks(t0, t1)
        return [a + (b - a) * k / 4 for a, b in _pairs(stops) for k in range(4)] + [t1]

    def extremes(self, t0: float, t1: float, ways: FloatArray | None = None) -> list[float]:
        """Parameters inside (t0, t1) at which the curve can reach farthest along one of the `ways`, shape
        (K, d), by default the axes: zeros of its slope, and its knots."""
        stops = np.array(self.spans(t0, t1))
        low, high, table = self._slopes(stops, ways)
        t = (low + polynomial_roots(_from_bernstein(table)) * (high - low)).ravel()
        found: list[float] = np.union1d(t[(t > t0) & (t < t1)], stops[1:-1]).tolist()
        return found

    def _slopes(
        self, stops: FloatArray, ways: FloatArray | None
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Ends of the pieces between stops, (N, 1) each, and their slopes along directions as Bernstein
        polynomials, (N, degree): those that may pass nought, by the hull of their controls."""
        slopes = self._bernstein(self.derivatives, self.degree - 1, stops)
        along = slopes if ways is None else np.einsum("npc,kc->npk", slopes, ways)
        count, _, sides = along.shape
        table = along.transpose(0, 2, 1).reshape(count * sides, -1)
        changes = (table.min(axis=1) <= 0.0) & (table.max(axis=1) >= 0.0)
        low, high = (np.repeat(ends, sides)[changes, None] for ends in (stops[:-1], stops[1:]))
        return low, high, table[changes]

    def spread(self, stops: FloatArray, t: FloatArray) -> FloatArray:
        """The box, (2, d), of the places at stops and at such of some parameters as lie between them."""
        points = self.points(np.concatenate([stops, t[(t > stops[0]) & (t < stops[-1])]]))
        return np.array([points.min(axis=0), points.max(axis=0)])

    def level_places(self, way: FloatArray, heights: FloatArray) -> tuple[IntArray, FloatArray]:
        """Where the curve has each of some heights, (N,), along a direction, (d,): the numbers of the heights
        and the parameters, (M,) each."""
        stops = np.array(self.spans(self.low, self.high))
        table = self._bernstein(self.points, self.degree, stops) @ way
        low, high = table.min(axis=1), table.max(axis=1)
        rows, columns = np.nonzero((low <= heights[:, None]) & (heights[:, None] <= high))
        roots = polynomial_roots(_from_bernstein(table[columns] - heights[rows, None]))
        t = stops[columns, None] + roots * (stops[columns + 1] - stops[columns])[:, None]
        which, k = np.nonzero(~np.isnan(t))
        rows, t = rows[which], t[which, k]
        order = np.lexsort((t, rows))
        rows, t = rows[order], t[order]
        again = (np.diff(rows) == 0) & (np.diff(t) <= SAME_PLACE * (self.high - self.low))
        kept = np.append(True, ~again)[: len(t)]  # a root at a knot belongs to both spans
        return rows[kept], t[kept]

    def _bernstein(
        self, rule: Callable[[FloatArray], FloatArray], degree: int, stops: FloatArray
    ) -> FloatArray:
        """A function that is polynomial between stops as Bernstein polynomials, shape (N, degree + 1, d)."""
        places = stops[:-1, None] + np.diff(stops)[:, None] * chebyshev(degree)
        values = rule(places.ravel()).reshape(len(stops) - 1, degree + 1, -1)
        flat = values.transpose(0, 2, 1).reshape(-1, degree + 1)
        made = on_pieces(flat) @ _to_bernstein(degree).T
        return np.asarray(made.reshape(len(stops) - 1, -1, degree + 1).transpose(0, 2, 1))

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
        near = np.asarray(tree.query(points, NEAREST_SAMPLES)[1], dtype=np.intp)
        u = self.feet_near(points, t[near[:, 0]])
        near.sort(axis=1)
        apart = np.diff(near, axis=1) > NEAREST_SAMPLES  # samples of another branch
        for k in np.flatnonzero(apart.any(axis=0)).tolist():
            rows = np.flatnonzero(apart[:, k])
            for other in (t[near[rows, k]], t[near[rows, k + 1]]):
                v = self.feet_near(points[rows], other)
                away = [np.linalg.norm(self.points(w) - points[rows], axis=1) for w in (u[rows], v)]
                u[rows] = np.where(away[1] < away[0], v, u[rows])
        return u

    def feet_near(self, points: FloatArray, u: FloatArray) -> FloatArray:
        """Newton's method for the feet of points from parameters near them, within the curve."""
        u, left = u.copy(), np.arange(len(u))
        for _ in range(NEWTON_ROUNDS):
            place, d1, d2 = self._jet(u[left])
            off = place - points[left]
            slope, square = (off * d1).sum(axis=1), (d1 * d1).sum(axis=1)
            bend = square + (off * d2).sum(axis=1)
            moved = self.kept(u[left] - slope / np.where(bend > 0, bend, np.maximum(square, NOWHERE)))
            far = np.abs(moved - u[left]) > SETTLED * (self.high - self.low)
            u[left], left = moved, left[far]
            if not len(left):
                break
        return u

    @cached_property
    def _powers(self) -> tuple[FloatArray, FloatArray]:
        """Where the polynomials of the curve begin, and their coefficients there, the highest first, shape
        (spans, degree + 1, d)."""
        begins = np.unique(self.knots)[:-1]
        rows = [self._curve(begins, nu=m) / math.factorial(m) for m in range(self.degree, -1, -1)]
        return begins, np.array(rows).transpose(1, 0, 2)

    def _jet(self, t: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Points, first and second derivatives at parameters within the curve, (N, d) each, by
        Horner's rule."""
        begins, table = self._powers
        k = np.maximum(np.searchsorted(begins, t, side="right") - 1, 0)
        h, rows = (t - begins[k])[:, None], table[k]
        value, slope, bend = rows[:, 0], np.zeros_like(rows[:, 0]), np.zeros_like(rows[:, 0])
        for j in range(1, rows.shape[1]):
            bend = bend * h + slope
            slope = slope * h + value
            value = value * h + rows[:, j]
        return value, slope, 2.0 * bend

    def kept(self, u: FloatArray) -> FloatArray:
        """Parameters brought into the range: round a smoothly closed curve, else to the nearer end."""
        if self.is_smoothly_closed:
            over = (u < self.low) | (u > self.high)
            return np.where(over, self.low + (u - self.low) % (self.high - self.low), u)
        return np.clip(u, self.low, self.high)

    def between(self, t0: float, t1: float) -> Self:
        """The part from t0 to t1 as a clamped spline (Boehm's knot insertion, Piegl & Tiller 5.2). Of a
        closed curve both may lie beyond its ends, where it goes on with another round."""
        from scipy.interpolate import insert

        lap = self.high - self.low
        turn = lap * math.floor((t0 - self.low) / lap + SAME_KNOT) if self.is_closed else 0.0
        if turn:
            return self.between(max(t0 - turn, self.low), t1 - turn).shifted(turn)
        if t1 > self.high + SHORTEST_SPAN * lap:
            return self.between(t0, self.high).followed_by(self.between(self.low, t1 - lap).shifted(lap))
        t1 = min(t1, self.high)
        t0, t1 = self._at_knot(t0), self._at_knot(t1)

        knots, controls, k = np.array(self.knots), self.controls, self.degree
        hair = self._hair
        for t in (t0, t1):
            need = k - int((np.abs(knots - t) <= hair).sum())
            if need > 0 and self.low < t < self.high:
                padded = np.vstack([controls, np.zeros((k + 1, controls.shape[1]))])
                knots, columns, _ = insert(t, (knots, list(padded.T), k), m=need)
                controls = np.array(columns).T[: len(knots) - k - 1]
        first = int(np.searchsorted(knots, t0 - hair))
        inner = knots[(knots > t0 + hair) & (knots < t1 - hair)]
        begin = 0 if t0 <= self.low else first - 1
        count = len(inner) + k + 1
        ends = (t0,) * (k + 1), (t1,) * (k + 1)
        return type(self)(k, (*ends[0], *inner.tolist(), *ends[1]), controls[begin : begin + count])

    def _at_knot(self, t: float) -> float:
        """A parameter that is a knot but for rounding, as that knot: or the part would have both."""
        nearest = min(self.knots, key=lambda k: abs(k - t))
        return nearest if abs(nearest - t) <= self._hair else t

    @property
    def _hair(self) -> float:
        """Parameters nearer to each other are one: a share of the range, or what rounding makes of them."""
        rounding = ULPS * float(np.spacing(max(abs(self.low), abs(self.high))))
        return max(SHORTEST_SPAN * (self.high - self.low), rounding)

    def shifted(self, by: float) -> Self:
        """The same curve with parameters that are larger by so much."""
        return replace(self, knots=tuple(k + by for k in self.knots))

    def followed_by(self, other: BSpline) -> Self:
        """This curve and another one, of its degree, that starts where it ends."""
        knots = (*self.knots[:-1], *other.knots[self.degree + 1 :])
        return replace(self, knots=knots, controls=np.vstack([self.controls, other.controls[1:]]))

    def continued(self, before: float, after: float) -> Self:
        """The curve with a piece before it and one after it, over so much of the parameter: the Taylor
        polynomials of third order at its ends."""
        made = self
        if after > 0.0:
            made = made.followed_by(self._ahead(self.high, self.high, after))
        if before > 0.0:
            made = self._ahead(self.low, self.low - before, before).followed_by(made)
        return made

    def _ahead(self, at: float, start: float, length: float) -> Self:
        """The Taylor polynomial at an end, from `start` on, as a spline of one span."""
        k = self.degree
        orders = range(min(TAYLOR, k) + 1)
        rows = [self._curve(at, nu=m) / math.factorial(m) for m in orders]
        shift = (start - at) / length
        powers = np.zeros((k + 1, self.controls.shape[1]))
        for m, row in zip(orders, rows, strict=True):  # (x + shift) ** m in powers of x, from 0 to 1
            for j in range(m + 1):
                powers[j] += math.comb(m, j) * shift ** (m - j) * length**m * row
        knots = (start,) * (k + 1) + (start + length,) * (k + 1)
        return replace(self, knots=knots, controls=_to_bernstein(k) @ powers)

    def length_between(self, t0: float, t1: float) -> float:
        """Length from t0 to t1, by quadrature on each of `parts`."""
        nodes, weights = QUADRATURE
        stops = np.array(self.parts(t0, t1))
        half = 0.5 * np.diff(stops)
        t = stops[:-1, None] + half[:, None] * (nodes + 1)
        speed = np.linalg.norm(self.derivatives(t.ravel()), axis=1).reshape(t.shape)
        return float(half @ (speed @ weights))


def _to_bernstein(degree: int) -> FloatArray:
    """The matrix from coefficients of powers, the constant first, to those of Bernstein polynomials."""
    n = degree
    return np.array([[math.comb(i, j) / math.comb(n, j) for j in range(n + 1)] for i in range(n + 1)])


def _from_bernstein(table: FloatArray) -> FloatArray:
    """Coefficients of powers, the constant first, of rows of Bernstein coefficients."""
    return np.asarray(np.linalg.solve(_to_bernstein(table.shape[1] - 1), table.T).T)


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
class SplineCurve(BSpline, Curve):
    """A B-spline in space, as an edge's curve."""

    kind: ClassVar[str] = "spline"

    @cached_property
    def period(self) -> float:
        """Length of the parameter range of a closed curve, which may be passed round; 0.0 of an open one and
        of one whose ends meet at an angle."""
        return self.high - self.low if self.is_smoothly_closed else 0.0

    @property
    def domain(self) -> tuple[float, float]:
        return self.low, self.high

    def moved(self, motion: Motion) -> Self:
        return replace(self, controls=motion.points(self.controls))

    def points(self, t: FloatArray) -> FloatArray:
        return super().points(self._wrapped(t))

    def derivatives(self, t: FloatArray) -> FloatArray:
        return super().derivatives(self._wrapped(t))

    def second(self, t: FloatArray) -> FloatArray:
        return super().second(self._wrapped(t))

    def spans(self, t0: float, t1: float) -> list[float]:
        if t1 <= self.high or not self.period:
            return super().spans(t0, t1)
        turns = {k + lap for lap in self._laps(t0, t1) for k in self.knots}
        least = SHORTEST_SPAN * self.period
        return [t0, *(k for k in sorted(turns) if t0 + least < k < t1 - least), t1]

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
        begins, rows = self._powers
        table = rows.transpose(0, 2, 1).tolist()
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
        first, *others = tree.query(point, NEAREST_SAMPLES)[1].tolist()
        found = [self._settled_one(float(t[first]), point)]
        branches = [k for k in others if abs(k - first) > NEAREST_SAMPLES]
        found += [self._settled_one(float(t[k]), point) for k in branches]
        if len(found) == 1:
            return found[0]
        return min(found, key=lambda u: math.dist(self.point(u), point))

    def parameter_near(self, point: Vec3, t: float) -> float:
        return self._settled_one(t, point)

    def _settled_one(self, u: float, point: Vec3) -> float:
        """As `feet_near`, of one point."""
        for _ in range(NEWTON_ROUNDS):
            polynomials, h = self._place(u)
            slope = square = bend = 0.0
            for coefficients, target in zip(polynomials, point, strict=True):
                value, d1, d2 = _slopes(coefficients, h)
                slope += (value - target) * d1
                square += d1 * d1
                bend += (value - target) * d2
            safe = square + bend if square + bend > 0.0 else max(square, NOWHERE)
            moved = self._kept_one(u - slope / safe)
            if abs(moved - u) <= SETTLED * (self.high - self.low):
                return moved
            u = moved
        return u

    def _kept_one(self, u: float) -> float:
        """As `kept`, of one parameter."""
        if not self.is_smoothly_closed:
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
    def joints(self) -> list[float]:
        """Inner knots at which pieces are joined that need not bend alike."""
        counts = Counter(self.knots)
        return [k for k, many in counts.items() if self.low < k < self.high and many >= self.degree]

    def breaks(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, every fourth knot, and all joints."""
        stops = self.spans(t0, t1)
        kept = {*stops[:-1:SPANS_TOGETHER], stops[-1], *self.smooth_breaks(t0, t1)}
        return [t for t in stops if t in kept]

    def smooth_breaks(self, t0: float, t1: float) -> list[float]:
        """The joints between t0 and t1; where a closed curve comes back to its start is one as well."""
        laps = self._laps(t0, t1) if self.period and t1 > self.high else [0.0]
        joints = {k + lap for k in (*self.joints, self.high) for lap in laps}
        return [t for t in self.spans(t0, t1)[1:-1] if t in joints]

    def parts(self, t0: float, t1: float) -> list[float]:
        """As `breaks`."""
        return self.breaks(t0, t1)


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
        made = piece_through(t, points, degree, ends)
        knots += made.t[degree + 1 : -1].tolist()
        controls.append(made.c[1:])
    return FittedCurve(degree, (*knots, knots[-1]), np.concatenate(controls))


def piece_through(t: FloatArray, points: FloatArray, degree: int, ways: Ways) -> Any:
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


def interpolated_fit(t: FloatArray, points: FloatArray, closed: bool) -> FittedCurve:
    """The spline of degree 5 (3 for a few points) through `points` at parameters `t`, clamped at its ends."""
    from scipy.interpolate import make_interp_spline

    degree = 5 if len(points) > 6 else min(3, len(points) - 1)
    if not closed:
        made = make_interp_spline(t, points, degree)
        return FittedCurve(degree, tuple(made.t.tolist()), made.c)
    lap, extra = t[-1], min(OVERLAP, len(points) - 2)
    around = np.concatenate([t[-1 - extra : -1] - lap, t, t[1 : 1 + extra] + lap])
    places = np.concatenate([points[-1 - extra : -1], points, points[1 : 1 + extra]])
    made = make_interp_spline(around, places, degree)
    whole = FittedCurve(degree, tuple(made.t.tolist()), made.c).between(0.0, float(lap))
    controls = whole.controls.copy()
    controls[-1] = controls[0] = points[0]
    return FittedCurve(degree, whole.knots, controls)


@dataclass(frozen=True, slots=True)
class Interpolants:
    """Open splines with the same knots. controls : (K, N, 3)."""

    degree: int
    knots: tuple[float, ...]
    controls: FloatArray

    def points(self, t: FloatArray) -> FloatArray:
        """Points at parameters, (M,), on each of them, (N, M, 3)."""
        from scipy.interpolate import BSpline as ScipySpline

        return np.asarray(ScipySpline(np.array(self.knots), self.controls, self.degree)(t).transpose(1, 0, 2))

    def curve(self, number: int) -> FittedCurve:
        return FittedCurve(self.degree, self.knots, self.controls[:, number])


def interpolated_fits(t: FloatArray, rows: FloatArray) -> Interpolants:
    """As `interpolated_fit`, open, of many rows of points, (N, M, 3), at the same parameters."""
    from scipy.interpolate import make_interp_spline

    degree = 5 if len(t) > 6 else min(3, len(t) - 1)
    made = make_interp_spline(t, rows.transpose(1, 0, 2), degree)
    return Interpolants(degree, tuple(made.t.tolist()), made.c)


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


def spline_boxes(pieces: Sequence[tuple[BSpline, float, float]]) -> list[FloatArray]:
    """The exact boxes, (2, d), of pieces of curves from t0 to t1, as each tells; all slopes of a degree are
    searched at once."""
    stops = [np.array(curve.spans(t0, t1)) for curve, t0, t1 in pieces]
    slopes = [curve._slopes(row, None) for (curve, _, _), row in zip(pieces, stops, strict=True)]
    places: list[FloatArray] = [np.zeros(0)] * len(pieces)
    for degree in {curve.degree for curve, _, _ in pieces}:
        members = [k for k, (curve, _, _) in enumerate(pieces) if curve.degree == degree]
        low, high, table = (np.concatenate([slopes[k][i] for k in members]) for i in range(3))
        t = low + polynomial_roots(_from_bernstein(table)) * (high - low)
        rows = np.split(t, np.cumsum([len(slopes[k][0]) for k in members])[:-1])
        for k, row in zip(members, rows, strict=True):
            places[k] = row.ravel()
    return [curve.spread(row, t) for (curve, _, _), row, t in zip(pieces, stops, places, strict=True)]


def through_controls(controls: FloatArray, degree: int = 3) -> BSpline:
    """The clamped spline of `degree` with uniform inner knots over a control polygon, shape (N, d)."""
    degree = min(degree, len(controls) - 1)
    inner = np.arange(1, len(controls) - degree) / (len(controls) - degree)
    knots = (0.0,) * (degree + 1) + tuple(inner.tolist()) + (1.0,) * (degree + 1)
    return BSpline(degree, knots, controls)
