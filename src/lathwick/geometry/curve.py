"""The protocol of curves, and answers to all of it from points and derivatives.

A curve is immutable and knows its own parameter. A new kind says its `kind`, and gives `points`,
`derivatives`, `second` and `moved`; if it is not straight for ever also `breaks`. Curves of a kind that
differ in three vectors alone give a `form` and their `axes`, and are evaluated together. All else a kind has
from here, and overrides where it knows better. A class that lacks one of them is refused when it is defined.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import ClassVar, NamedTuple, Self

import numpy as np

from .motion import Motion
from .placement import FloatArray
from .roots import monotone_zeros
from .tolerance import NOWHERE
from .vector import Vec3, unit

PER_PART = 5
"""Samples on each smooth part of a curve, to begin a search with."""

NEWTON_ROUNDS = 60
SETTLED = 1e-15
FLAT = 1e-3
"""Where the curve bends towards a point, a Newton step counts at least this share of the speed squared."""

STRAY = 1.5
"""How much farther than at its middle a part between samples may leave its chord."""

ROUNDING, NOUGHT = 1e-9, 1e-9
"""Distances that differ by such a share may be equal."""

CHUNK = 2_000_000
AXES: FloatArray = np.eye(3)
GAUSS_NODES, GAUSS_WEIGHTS = np.polynomial.legendre.leggauss(16)


def required(cls: type, base: type, *names: str) -> None:
    """Raises TypeError where a kind lacks one of the rules that nothing else can answer."""
    missing = [name for name in names if getattr(cls, name, None) in (None, getattr(base, name, None))]
    if missing:
        raise TypeError(f"{cls.__name__} lacks {', '.join(missing)}: see {base.__name__}")


class Form(NamedTuple):
    """Two functions f and g of curves o + f(t) x + g(t) y, and their derivatives: curves that differ in o, x
    and y alone are evaluated at once."""

    f: Callable[[FloatArray], FloatArray]
    g: Callable[[FloatArray], FloatArray]
    f_rate: Callable[[FloatArray], FloatArray]
    g_rate: Callable[[FloatArray], FloatArray]


class Curve:
    """What the rest of the package asks of a curve. `period` is 0.0 for an open curve."""

    __slots__ = ()
    kind: ClassVar[str]
    form: ClassVar[Form | None] = None
    """The form of all curves of a kind, if they have one; then they know their `axes`."""

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        required(cls, Curve, "kind", "points", "derivatives", "second", "moved")

    # ------------------------------------------------------------------ what a kind gives

    def points(self, t: FloatArray) -> FloatArray:
        """Points at parameters `t`, shape (N,); returns shape (N, 3)."""
        raise NotImplementedError

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        raise NotImplementedError

    def second(self, t: FloatArray) -> FloatArray:
        """Second derivatives at `t`, shape (N,); returns shape (N, 3)."""
        raise NotImplementedError

    def moved(self, motion: Motion) -> Self:
        """The image under a motion, with the same parameters (on lines times the factor)."""
        raise NotImplementedError

    # ------------------------------------------------------------------ what follows

    @property
    def period(self) -> float:
        """Length of the parameter range of a closed curve that may be passed round; 0.0 of others."""
        return 0.0

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        """o, x and y of a curve that has a `form`."""
        raise NotImplementedError

    @property
    def domain(self) -> tuple[float, float]:
        """The least and the largest parameter; infinite where it goes on for ever."""
        return -math.inf, math.inf

    @property
    def center(self) -> Vec3 | None:
        """The point about which a closed curve lies alike on both sides; None of other kinds."""
        return None

    def point(self, t: float) -> Vec3:
        x, y, z = self.points(np.array([t]))[0].tolist()
        return (x, y, z)

    def tangent(self, t: float) -> Vec3:
        """Unit direction of growing parameter."""
        x, y, z = self.derivatives(np.array([t]))[0].tolist()
        return unit((x, y, z))

    def breaks(self, t0: float, t1: float) -> list[float]:
        """t0, the parameters between at which the curve is not smooth or which keep the parts short, and
        t1."""
        return [t0, t1]

    def smooth_breaks(self, t0: float, t1: float) -> list[float]:
        """The parameters between t0 and t1 at which the curve need not be smooth to any order."""
        return []

    def parts(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1 between which a Gauss rule of 16 nodes is accurate."""
        return self.breaks(t0, t1)

    def samples(self, t0: float, t1: float, each: int = PER_PART) -> FloatArray:
        """Parameters from t0 to t1, several on each of `parts`."""
        stops = np.array(self.parts(t0, t1))
        inner = stops[:-1, None] + np.diff(stops)[:, None] * (np.arange(each - 1) / (each - 1))
        return np.append(inner.ravel(), stops[-1])

    def length(self, t0: float, t1: float) -> float:
        """Length from t0 to t1, by quadrature on each of `parts`."""
        stops = np.array(self.parts(t0, t1))
        half = 0.5 * np.diff(stops)
        t = stops[:-1, None] + half[:, None] * (GAUSS_NODES + 1.0)
        speed = np.linalg.norm(self.derivatives(t.ravel()), axis=1).reshape(t.shape)
        return float(half @ (speed @ GAUSS_WEIGHTS))

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        """Parameters inside (t0, t1) at which the curve can reach farthest along one of the `ways`, shape
        (K, 3): nowhere else between the ends. Others may be among them."""
        stops = self.samples(t0, t1)
        t = np.sort(np.concatenate([stops, *(self._level(way, stops) for way in ways)]))
        found: list[float] = t[(t > t0) & (t < t1)].tolist()
        return found

    def _level(self, way: FloatArray, stops: FloatArray) -> FloatArray:
        """Where the curve runs at right angles to a direction."""
        return monotone_zeros(lambda t: self.derivatives(t) @ way, lambda t: self.second(t) @ way, stops)

    def box(self, t0: float, t1: float) -> FloatArray:
        """Exact smallest box around the piece from t0 to t1, shape (2, 3)."""
        points = self.points(np.array([t0, t1, *self.extremes(t0, t1)]))
        return np.array([points.min(axis=0), points.max(axis=0)])

    def reach(self, t0: float, t1: float, way: FloatArray) -> tuple[float, float]:
        """The least and the largest component along a direction, (3,), of the piece from t0 to t1."""
        t = np.array([t0, t1, *self.extremes(t0, t1, way[None])])
        heights = self.points(t) @ way
        return float(heights.min()), float(heights.max())

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point of the whole curve."""
        return float(self.feet_between(np.array([point]), *self.domain)[0])

    def parameter_near(self, point: Vec3, t: float) -> float:
        """As `parameter`, of a point close by one whose parameter is `t`."""
        return self.parameter(point)

    def nearest_between(self, point: Vec3, t0: float, t1: float) -> float:
        """Parameter of the nearest point of the piece from t0 to t1: the foot on the whole curve, or if that
        lies elsewhere the best one on the piece."""
        t = self.parameter(point)
        if self.period:
            t = t0 + (t - t0) % self.period
        return t if t0 <= t <= t1 else float(self.feet_between(np.array([point]), t0, t1)[0])

    def feet_between(self, points: FloatArray, t0: float, t1: float) -> FloatArray:
        """Parameters of the points of the piece from t0 to t1 nearest to `points`, shape (N, 3); (N,).

        A part of the curve lies within a known distance of its chord: where that is farther away than some
        point of the curve it is left out, and in each of the others Newton's method, kept in brackets, finds
        the foot. Source: Patrikalakis & Maekawa, Shape Interrogation, ch. 7.
        """
        t = self.samples(t0, t1)
        places = self.points(t)
        rows = max(1, CHUNK // max(1, len(t)))
        found = [self._feet(points[k : k + rows], t, places) for k in range(0, len(points), rows)]
        return np.concatenate(found) if found else np.zeros(0)

    def local_feet(self, point: Vec3, t0: float, t1: float) -> FloatArray:
        """Parameters of all points of the piece that are nearer than those beside them, shape (K,)."""
        target, stops = np.array(point), self.samples(t0, t1)

        def rise(t: FloatArray) -> FloatArray:
            return np.asarray(((self.points(t) - target) * self.derivatives(t)).sum(axis=1))

        def bend(t: FloatArray) -> FloatArray:
            d = self.derivatives(t)
            off = ((self.points(t) - target) * self.second(t)).sum(axis=1)
            return np.asarray((d * d).sum(axis=1) + off)

        return np.concatenate([monotone_zeros(rise, bend, stops), [t0, t1]])

    def _feet(self, points: FloatArray, t: FloatArray, places: FloatArray) -> FloatArray:
        start, way = places[:-1], np.diff(places, axis=0)
        square = np.maximum((way * way).sum(axis=1), NOWHERE)
        middles = self.points(0.5 * (t[:-1] + t[1:]))
        stray = STRAY * np.linalg.norm(middles - start - 0.5 * way, axis=1)
        off = points[:, None] - start
        share = np.clip(np.einsum("nmk,mk->nm", off, way) / square, 0.0, 1.0)
        chords = np.linalg.norm(off - share[:, :, None] * way, axis=2)
        best = np.linalg.norm(points[:, None] - places, axis=2).min(axis=1)
        rows, columns = np.nonzero(chords - stray <= best[:, None] * (1.0 + ROUNDING) + NOUGHT)
        low, high = t[columns], t[columns + 1]
        u = low + share[rows, columns] * (high - low)
        u = self._foot_within(points[rows], u, low, high)
        away = np.linalg.norm(self.points(u) - points[rows], axis=1)
        order = np.lexsort((away, rows))
        first = np.unique(rows[order], return_index=True)[1]
        return np.asarray(u[order][first])

    def _foot_within(
        self, points: FloatArray, u: FloatArray, low: FloatArray, high: FloatArray
    ) -> FloatArray:
        """Newton's method for the feet of points (N, 3) from `u`, each in its interval; shape (N,)."""
        least, most = low, high
        tried = np.zeros((2, len(u)), dtype=bool)
        for _ in range(NEWTON_ROUNDS):
            off, d1 = self.points(u) - points, self.derivatives(u)
            rise = (off * d1).sum(axis=1)
            bend = (d1 * d1).sum(axis=1) + (off * self.second(u)).sum(axis=1)
            least, most = np.where(rise <= 0.0, u, least), np.where(rise >= 0.0, u, most)
            tried |= np.stack([rise <= 0.0, rise >= 0.0])
            moved = np.clip(u - rise / np.maximum(bend, FLAT * (d1 * d1).sum(axis=1)), least, most)
            stuck = ((moved == least) & tried[0]) | ((moved == most) & tried[1])
            moved = np.where(stuck & (rise != 0.0), 0.5 * (least + most), moved)
            done = np.abs(moved - u) <= SETTLED * np.maximum(np.abs(u), high - low)
            u = moved
            if done.all():
                break
        return u


def curvature(first: FloatArray, second: FloatArray) -> FloatArray:
    """Curvatures of a curve from its derivatives, (N, 3) each; shape (N,). Infinite where it stands still."""
    speed = np.maximum(np.linalg.norm(first, axis=1), 1e-100)
    return np.asarray(np.linalg.norm(np.cross(first, second), axis=1) / speed**3)


def even_breaks(t0: float, t1: float, widest: float) -> list[float]:
    """Parameters from t0 to t1, at equal steps of at most `widest`."""
    count = max(1, math.ceil((t1 - t0) / widest - 1e-9))
    return [t0 + (t1 - t0) * k / count for k in range(count)] + [t1]


def turns_between(first: float, t0: float, t1: float) -> list[float]:
    """The parameters first + k pi, k a whole number, inside (t0, t1)."""
    k, found = math.ceil((t0 - first) / math.pi), []
    while (t := first + k * math.pi) < t1:
        found.append(t)
        k += 1
    return found
