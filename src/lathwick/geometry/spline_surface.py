"""Rational B-spline surfaces of any degree, open or closed, with poles.

Source: Piegl & Tiller, The NURBS Book: basis functions 2.2, rational derivatives 4.4, knot insertion 5.3,
ruled surfaces 8.3. Beyond its borders a surface goes on by its Taylor polynomial of third order there.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from .curves import Ellipse
from .motion import Motion
from .placement import FloatArray
from .roots import chebyshev
from .spline import SMOOTH_COSINE, TAYLOR, BSpline, SplineCurve
from .surface import BEYOND, Derivatives, Interval, Surface, spanned
from .vector import Vec3

IntArray = NDArray[np.int64]

CLOSED = 1e-12
"""Borders that differ by less, as a share of the surface, are one."""

LEAST_WEIGHT, SAMPLES = 0.3, 25
"""A rational surface goes on beyond its borders by its own polynomials where weights, at so many samples each
way, stay above this share of the least."""

HARDLY = 1e-6
"""Beyond a border by less, as a share of the last patch, its own polynomial is as good as Taylor's."""

Orders = Sequence[tuple[int, int]]
"""Of derivatives, by u and by v."""


@dataclass(frozen=True, eq=False)
class SplineSurface(Surface):
    """A tensor product of `degrees` over clamped `knots` in u and v.

    controls : shape (n, m, 3). weights : shape (n, m), all positive; None for a polynomial surface.
    The normal is (derivative along u) cross (derivative along v). A surface whose opposite borders are one
    and which runs on smoothly there has a period.
    """

    degrees: tuple[int, int]
    knots: tuple[tuple[float, ...], tuple[float, ...]]
    controls: FloatArray
    weights: FloatArray | None = None
    kind: ClassVar[str] = "spline"

    @property
    def low(self) -> tuple[float, float]:
        """The least u and v."""
        return self.knots[0][0], self.knots[1][0]

    @property
    def high(self) -> tuple[float, float]:
        """The largest u and v."""
        return self.knots[0][-1], self.knots[1][-1]

    @property
    def domain(self) -> tuple[Interval, Interval]:
        (u0, v0), (u1, v1) = self.low, self.high
        return (u0, u1), (v0, v1)

    @cached_property
    def is_closed(self) -> tuple[bool, bool]:
        """Whether the borders at the least and the largest u, and v, are one."""
        size = CLOSED * (1.0 + float(np.abs(self.controls).max()))
        ends = [(self._lifted[0], self._lifted[-1]), (self._lifted[:, 0], self._lifted[:, -1])]
        found = [bool(np.abs(a - b).max() <= size) for a, b in ends]
        return found[0], found[1]

    @cached_property
    def periods(self) -> tuple[float, float]:
        found = [self.high[k] - self.low[k] if self._runs_on(k) else 0.0 for k in (0, 1)]
        return found[0], found[1]

    def _runs_on(self, k: int) -> bool:
        if not self.is_closed[k]:
            return False
        uv = np.zeros((2, 9, 2))
        uv[:, :, 1 - k] = np.linspace(*self.domain[1 - k], 11)[1:-1]
        uv[0, :, k], uv[1, :, k] = self.domain[k]
        d = self._derived(uv.reshape(-1, 2), 1)
        first, last = (d[1][0] if k == 0 else d[0][1]).reshape(2, 9, 3)
        sizes = np.linalg.norm(first, axis=1) * np.linalg.norm(last, axis=1)
        return bool(((first * last).sum(axis=1) > SMOOTH_COSINE * sizes).all())

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        one, two = (sorted(set(knots) - {knots[0], knots[-1]}) for knots in self.knots)
        return one, two

    def joints(self) -> tuple[Sequence[float], Sequence[float]]:
        inner = self.smooth_breaks()
        if self._goes_on_by_itself:
            return inner
        ends = [() if period else border for border, period in zip(self.domain, self.periods, strict=True)]
        one, two = (sorted((*found, *more)) for found, more in zip(inner, ends, strict=True))
        return one, two

    @cached_property
    def simple_spans(self) -> tuple[float, float]:
        one, two = (float(np.diff(np.unique(knots)).min()) for knots in self.knots)
        return one, two

    @property
    def seeks_feet(self) -> bool:
        return not self.singular_points  # beside one, parameters far apart may be those of places close by

    def touches_near(self, points: FloatArray, near: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        uv = self.feet_from(points, near)
        return *self._from_feet(points, uv), uv

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.derivatives(uv, 0)[0][0]

    def elements(self, uv: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        d = self.derivatives(uv, 1)
        return (d[0][0], *spanned(d[1][0], d[0][1]))

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        uv = self.wrapped(uv)
        if self._goes_on_by_itself:
            return self._derived(uv, most)
        low, high = np.array(self.domain).T
        room = self._hardly_beyond
        beyond = (uv < low - room[0]) | (uv > high + room[1])
        rows = beyond.any(axis=1)
        found = self._derived(np.clip(uv, low - room[0], high + room[1]), most)
        if rows.any():
            outside = self._continued(uv[rows], np.clip(uv[rows], low, high), beyond[rows], most)
            for i in range(most + 1):
                for j in range(most + 1 - i):
                    found[i][j][rows] = outside[i][j]
        return found

    @cached_property
    def _hardly_beyond(self) -> FloatArray:
        """How far beyond the low and the high borders the patches there are followed, shape (2, 2)."""
        stops = [np.unique(knots) for knots in self.knots]
        return HARDLY * np.array([[s[1] - s[0] for s in stops], [s[-1] - s[-2] for s in stops]])

    @cached_property
    def _goes_on_by_itself(self) -> bool:
        """Whether its polynomials, which go on beyond the borders, are their own Taylor polynomials there,
        and weights stay well above nought as far as it is followed."""
        if max(self.degrees) > TAYLOR:
            return False
        if self.weights is None:
            return True
        sides = [np.linspace(a - BEYOND * (b - a), b + BEYOND * (b - a), SAMPLES) for a, b in self.domain]
        around = np.stack(np.meshgrid(*sides), axis=-1).reshape(-1, 2)
        return bool(
            self._lifted_derived(around, [(0, 0)])[0, 0][:, 3].min() > LEAST_WEIGHT * self.weights.min()
        )

    def _continued(
        self, uv: FloatArray, border: FloatArray, beyond: NDArray[np.bool_], most: int
    ) -> list[list[FloatArray]]:
        """Derivatives beyond the borders: those of Taylor polynomials across the border next to each
        place."""
        across, along = bool(beyond[:, 0].any()), bool(beyond[:, 1].any())
        orders = [TAYLOR if more else most for more in (across, along)]
        rows = self._at(border, [(i, j) for i in range(orders[0] + 1) for j in range(orders[1] + 1)])
        table = np.array([[rows[i, j] for j in range(orders[1] + 1)] for i in range(orders[0] + 1)])
        shares = [_shares(uv[:, k] - border[:, k], beyond[:, k]) for k in (0, 1)]
        found: list[list[FloatArray]] = []
        for i in range(most + 1):
            row = np.einsum("an,abnc->bnc", shares[0][: TAYLOR + 1 - i], table[i:]) if across else table[i]
            found.append([
                np.einsum("bn,bnc->nc", shares[1][: TAYLOR + 1 - j], row[j:]) if along else row[j]
                for j in range(most + 1 - i)
            ])  # fmt: skip
        return found

    def _derived(self, uv: FloatArray, most: int) -> list[list[FloatArray]]:
        """Derivatives inside the domain, i + j at most `most`."""
        found = self._at(uv, [(i, j) for i in range(most + 1) for j in range(most + 1 - i)])
        return [[found[i, j] for j in range(most - i + 1)] for i in range(most + 1)]

    def _at(self, uv: FloatArray, orders: Orders) -> dict[tuple[int, int], FloatArray]:
        """Derivatives of some orders, with each all lower ones, inside the domain."""
        whole = self._lifted_derived(uv, orders)
        return whole if self.weights is None else _divided(whole)

    def _lifted_derived(self, uv: FloatArray, orders: Orders) -> dict[tuple[int, int], FloatArray]:
        """As `_at`, in homogeneous coordinates for a rational surface, from the polynomial of each patch."""
        stops, table = self._patches
        places = [_placed(stops[k], uv[:, k]) for k in (0, 1)]
        most = [max(order[k] for order in orders) for k in (0, 1)]
        rows = [_powers(place, scale, self.degrees[k], most[k]) for k, (_, place, scale) in enumerate(places)]
        net = table[places[0][0], places[1][0]]
        count, height, width, size = net.shape
        across = rows[0] @ net.reshape(count, height, width * size)
        across = across.reshape(count, most[0] + 1, width, size)
        both = rows[1][:, None] @ across
        return {(i, j): both[:, i, j] for i, j in orders}

    @cached_property
    def _patches(self) -> tuple[tuple[FloatArray, FloatArray], FloatArray]:
        """The knots, and coefficients of powers on each patch, (N, M, p + 1, q + 1, 3 or 4), of parameters
        that run from -1 to 1 over it; in homogeneous coordinates for a rational surface."""
        stops = tuple(np.unique(knots) for knots in self.knots)
        lifted = self._lifted if self.weights is not None else self.controls
        table = lifted
        for k in (0, 1):
            degree, inner = self.degrees[k], 2.0 * chebyshev(self.degrees[k]) - 1.0
            places = stops[k][:-1, None] + 0.5 * np.diff(stops[k])[:, None] * (inner + 1.0)
            first, basis = _basis(self.knots[k], degree, places.ravel())
            rows = np.moveaxis(table, 2 * k, 0)[first[:, None] + np.arange(degree + 1)]
            values = np.einsum("na,na...->n...", basis, rows).reshape(*places.shape, *rows.shape[2:])
            fitted = np.linalg.inv(np.vander(inner, increasing=True))
            powers = np.einsum("ab,nb...->na...", fitted, values)
            table = np.moveaxis(powers, (0, 1), (k, 2 * k + 1)) if k else powers
        return (stops[0], stops[1]), np.ascontiguousarray(table)

    def derivatives_at(self, u: float, v: float) -> Derivatives:
        (u0, v0), (u1, v1) = self.low, self.high
        if not (u0 <= u <= u1 and v0 <= v <= v1):
            if any(self.periods):
                return super().derivatives_at(u, v)
            if not self._goes_on_by_itself:
                return self._continued_at(u, v)
        stops_u, stops_v, rows = self._scalars
        i = min(max(bisect_right(stops_u, u), 1), len(stops_u) - 1) - 1
        j = min(max(bisect_right(stops_v, v), 1), len(stops_v) - 1) - 1
        a, b = 2.0 / (stops_u[i + 1] - stops_u[i]), 2.0 / (stops_v[j + 1] - stops_v[j])
        s, t = a * (u - stops_u[i]) - 1.0, b * (v - stops_v[j]) - 1.0
        found = [_two_ways(net, s, t) for net in rows[i][j]]
        p, du, dv, duu, duv, dvv = zip(*found, strict=True)
        table = [p, _times(du, a), _times(dv, b), _times(duu, a * a), _times(duv, a * b), _times(dvv, b * b)]
        return _projected(table)

    def _continued_at(self, u: float, v: float) -> Derivatives:
        """As `_continued`, at one place."""
        (u0, v0), (u1, v1) = self.low, self.high
        border = min(max(u, u0), u1), min(max(v, v0), v1)
        steps = u - border[0], v - border[1]
        most = [TAYLOR if step else 2 for step in steps]
        table = self._one_derived(*border, most)
        shares = [[step**n / math.factorial(n) for n in range(TAYLOR + 1)] for step in steps]
        rows = [_taylor(table, shares[0], i) if steps[0] else table[i] for i in range(3)]

        def at(i: int, j: int) -> Vec3:
            return _taylor([[p] for p in rows[i]], shares[1], j)[0] if steps[1] else rows[i][j]

        return at(0, 0), at(1, 0), at(0, 1), at(2, 0), at(1, 1), at(0, 2)

    def _one_derived(self, u: float, v: float, most: Sequence[int]) -> list[list[Vec3]]:
        """Derivatives [i][j] at one place of the domain, i and j up to `most` of each."""
        stops, table = self._patches
        places = [_placed(stops[k], np.array([t])) for k, t in enumerate((u, v))]
        one, two = (_powers(place, scale, self.degrees[k], most[k])[0]
                    for k, (_, place, scale) in enumerate(places))  # fmt: skip
        net = table[places[0][0][0], places[1][0][0]]
        across = (one @ net.reshape(len(net), -1)).reshape(len(one), *net.shape[1:])
        whole = (two @ across).tolist()
        if self.weights is None:
            return [[_three(p) for p in row] for row in whole]
        return _divided_one(whole)

    @cached_property
    def _scalars(self) -> tuple[list[float], list[float], Any]:
        """As `_patches`, for one place at a time: coefficients [i][j][coordinate][power of v][power of u],
        the highest first."""
        (stops_u, stops_v), table = self._patches
        rows = table.transpose(0, 1, 4, 3, 2)[:, :, :, ::-1, ::-1]
        return stops_u.tolist(), stops_v.tolist(), rows.tolist()

    def whole_box(self) -> FloatArray | None:
        """Of the control net, which holds the surface."""
        if not self.is_ring:
            return None
        net = self.controls.reshape(-1, 3)
        return np.array([net.min(axis=0), net.max(axis=0)])

    def moved(self, motion: Motion) -> tuple[SplineSurface, bool]:
        net = motion.points(self.controls.reshape(-1, 3)).reshape(self.controls.shape)
        return replace(self, controls=net), not motion.is_mirror

    def exact_spline(self, us: Interval, vs: Interval) -> SplineSurface | None:
        """The same points, over the whole of its domain; along a parameter with a period from the start asked
        for, round to it. None beyond its borders."""
        made = self
        for k, ((a, b), (low, high)) in enumerate(zip((us, vs), self.domain, strict=True)):
            if self.periods[k]:
                made = made._between(k, a, b) if (a, b) != (low, high) else made
            elif a < low or b > high:
                return None
        return made

    def _between(self, k: int, a: float, b: float) -> SplineSurface:
        """The part from a to b along u (k = 0) or v (k = 1)."""
        rows = self._lifted if k == 0 else self._lifted.transpose(1, 0, 2)
        start = self.domain[k][0] + (a - self.domain[k][0]) % self.periods[k]
        line = BSpline(self.degrees[k], self.knots[k], rows.reshape(len(rows), -1))
        part = line.between(start, start + b - a).shifted(a - start)
        made = part.controls.reshape(len(part.controls), -1, 4)
        made = made if k == 0 else made.transpose(1, 0, 2)
        knots = (part.knots, self.knots[1]) if k == 0 else (self.knots[0], part.knots)
        weights = None if self.weights is None else made[:, :, 3]
        return SplineSurface(self.degrees, knots, made[:, :, :3] / made[:, :, 3:], weights)

    def border(self, k: int) -> tuple[int, tuple[float, ...], FloatArray, FloatArray | None]:
        """Degree, knots, controls and weights of the curve at the least u (k = 0) or v (k = 1)."""
        first = (0, slice(None)) if k == 0 else (slice(None), 0)
        weights = None if self.weights is None else self.weights[first]
        return self.degrees[1 - k], self.knots[1 - k], self.controls[first], weights

    @cached_property
    def _lifted(self) -> FloatArray:
        """Controls in homogeneous coordinates, shape (n, m, 4)."""
        weights = np.ones(self.controls.shape[:2]) if self.weights is None else self.weights
        return np.concatenate([self.controls * weights[:, :, None], weights[:, :, None]], axis=2)


def _horner(coefficients: Sequence[float], x: float) -> tuple[float, float, float]:
    """A polynomial, the highest power first, and its first and second derivatives."""
    value = first = half = 0.0
    for c in coefficients:
        half = half * x + first
        first = first * x + value
        value = value * x + c
    return value, first, 2.0 * half


def _two_ways(net: Sequence[Sequence[float]], s: float, t: float) -> tuple[float, ...]:
    """A polynomial of two variables, and its derivatives s, t, ss, st and tt."""
    values, slopes, bends = zip(*(_horner(row, s) for row in net), strict=True)
    (p, pt, ptt), (ps, pst, _) = _horner(values, t), _horner(slopes, t)
    return p, ps, pt, _horner(bends, t)[0], pst, ptt


def _times(row: tuple[float, ...], factor: float) -> tuple[float, ...]:
    return tuple(factor * x for x in row)


def _projected(table: Sequence[tuple[float, ...]]) -> Derivatives:
    """Derivatives of points from those in homogeneous coordinates, of a rational surface (Piegl & Tiller
    4.4)."""
    if len(table[0]) == 4:
        columns = list(zip(*table, strict=True))
        table = list(zip(*(_unweighted(column, columns[3]) for column in columns[:3]), strict=True))
    a, b, c, d, e, f = (_three(row) for row in table)
    return a, b, c, d, e, f


def _unweighted(x: Sequence[float], weight: Sequence[float]) -> tuple[float, ...]:
    """One coordinate, and its derivatives, of six values each times a weight."""
    w, wu, wv, wuu, wuv, wvv = weight
    p = x[0] / w
    pu, pv = (x[1] - wu * p) / w, (x[2] - wv * p) / w
    puu = (x[3] - 2.0 * wu * pu - wuu * p) / w
    puv = (x[4] - wu * pv - wv * pu - wuv * p) / w
    return p, pu, pv, puu, puv, (x[5] - 2.0 * wv * pv - wvv * p) / w


def _three(row: tuple[float, ...]) -> Vec3:
    return (row[0], row[1], row[2])


def _taylor(table: Sequence[Sequence[Vec3]], shares: Sequence[float], order: int) -> list[Vec3]:
    """The derivative of an order of Taylor polynomials with the given derivatives, a row of them for each
    order."""
    rows = table[order : TAYLOR + 1]
    return [
        _three(tuple(sum(share * p[k] for share, p in zip(shares, column, strict=False)) for k in range(3)))
        for column in zip(*rows, strict=True)
    ]


def _divided_one(whole: Sequence[Sequence[Sequence[float]]]) -> list[list[Vec3]]:
    """As `_divided`, of one place: derivatives [i][j]."""
    found: list[list[Vec3]] = []
    for i, row in enumerate(whole):
        found.append([])
        for j, p in enumerate(row):
            x, y, z = p[:3]
            for a in range(i + 1):
                for b in range(j + 1):
                    if a or b:
                        share = math.comb(i, a) * math.comb(j, b) * whole[a][b][3]
                        q = found[i - a][j - b]
                        x, y, z = x - share * q[0], y - share * q[1], z - share * q[2]
            w = whole[0][0][3]
            found[i].append((x / w, y / w, z / w))
    return found


def _shares(step: FloatArray, beyond: NDArray[np.bool_]) -> FloatArray:
    """The factors of derivatives in a Taylor polynomial along one parameter, (TAYLOR + 1, N), by how much
    higher they are than the one asked for; inside the domain that one counts alone."""
    powers = np.array([step**n / math.factorial(n) for n in range(TAYLOR + 1)])
    powers[1:, ~beyond] = 0.0
    return powers


def _placed(stops: FloatArray, t: FloatArray) -> tuple[IntArray, FloatArray, FloatArray]:
    """For parameters (N,): the number of the span, the place in it from -1 to 1, and how fast that grows."""
    span = np.clip(np.searchsorted(stops, t, side="right") - 1, 0, len(stops) - 2)
    low, high = stops[span], stops[span + 1]
    scale = 2.0 / (high - low)
    return span, scale * (t - low) - 1.0, scale


def _powers(place: FloatArray, scale: FloatArray, degree: int, most: int) -> FloatArray:
    """Powers 0 to `degree` of places (N,), derived 0 to `most` times by the parameter; (N, most + 1,
    degree + 1)."""
    found = np.zeros((len(place), most + 1, degree + 1))
    found[:, 0, 0] = 1.0
    for k in range(degree):
        found[:, 0, k + 1] = found[:, 0, k] * place
    rates = np.arange(1, degree + 1) * scale[:, None]
    for k in range(most):
        found[:, k + 1, 1:] = found[:, k, :-1] * rates
    return found


def _basis(knots: Sequence[float], degree: int, t: FloatArray) -> tuple[IntArray, FloatArray]:
    """Number of the first control that counts at each t, (N,), and the values of the degree + 1 basis
    functions, (N, degree + 1)."""
    k = np.asarray(knots)
    span: IntArray = np.clip(np.searchsorted(k, t, side="right") - 1, degree, len(k) - degree - 2)
    value = np.ones((len(t), 1))
    for p in range(1, degree + 1):
        before, value = value, np.zeros((len(t), p + 1))
        for j in range(p):
            left, right = k[span + j + 1 - p], k[span + j + 1]
            share = before[:, j] / (right - left)
            value[:, j] += (right - t) * share
            value[:, j + 1] += (t - left) * share
    return span - degree, value


def _divided(whole: dict[tuple[int, int], FloatArray]) -> dict[tuple[int, int], FloatArray]:
    """From derivatives in homogeneous coordinates to those of the points (Piegl & Tiller 4.20)."""
    w = {key: value[:, 3:] for key, value in whole.items()}
    found: dict[tuple[int, int], FloatArray] = {}
    for i, j in sorted(whole, key=sum):
        value = whole[i, j][:, :3].copy()
        for a in range(i + 1):
            for b in range(j + 1):
                if (a, b) != (0, 0):
                    value -= math.comb(i, a) * math.comb(j, b) * w[a, b] * found[i - a, j - b]
        found[i, j] = value / w[0, 0]
    return found


def extruded_spline(profile: Ellipse | SplineCurve, way: Vec3, us: Interval, vs: Interval) -> SplineSurface:
    """A part of a profile moved along a direction from one height to another, as a B-spline surface."""
    low, high = vs
    degree, knots, base, row = curve_controls(profile, us)
    weights = None if row is None else np.repeat(row[:, None], 2, axis=1)
    controls = np.stack([base + low * np.asarray(way), base + high * np.asarray(way)], axis=1)
    return SplineSurface((degree, 1), (knots, (low, low, high, high)), controls, weights)


def curve_controls(
    curve: Ellipse | SplineCurve, us: Interval
) -> tuple[int, tuple[float, ...], FloatArray, FloatArray | None]:
    """Degree, knots, controls and weights of the part of a curve over a range; of an ellipse in arcs of at
    most a quarter, each with the image of an arc of a circle (Piegl & Tiller 7.3), so that within an arc its
    parameter is not quite the angle."""
    if isinstance(curve, BSpline):
        part = curve if us == curve.domain else curve.between(*us)
        return part.degree, part.knots, part.controls, None
    count = max(1, math.ceil((us[1] - us[0]) / (0.5 * math.pi) - 1e-9))
    half = 0.5 * (us[1] - us[0]) / count
    angles = us[0] + half * np.arange(2 * count + 1)
    weights = np.where(np.arange(2 * count + 1) % 2 == 0, 1.0, math.cos(half))
    ring = np.column_stack([curve.major * np.cos(angles), curve.minor * np.sin(angles)]) / weights[:, None]
    inner = [t for t in angles[2:-1:2].tolist() for _ in (0, 1)]
    net = curve.frame.points(ring)
    if us[1] - us[0] == math.tau:
        net[-1] = net[0]
    return 2, (us[0],) * 3 + tuple(inner) + (us[1],) * 3, net, weights
