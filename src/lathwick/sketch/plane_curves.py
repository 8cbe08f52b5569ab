"""Plane curves that have no closed form for everything: ellipses and splines, and their pieces."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from ..geometry.curves import Ellipse, ellipse_length, nearest_on_ellipse
from ..geometry.placement import FloatArray, Plane
from ..geometry.spline import BSpline, SplineCurve
from ..geometry.vector import Vec2

Box: TypeAlias = tuple[float, float, float, float]
NODES, WEIGHTS = np.polynomial.legendre.leggauss(20)
CURVATURE_SAMPLES = 33


@dataclass(frozen=True, slots=True)
class PlaneEllipse:
    """An ellipse about `center`; `major` lies at `angle` (radians) from the x axis."""

    center: Vec2
    major: float
    minor: float
    angle: float

    @property
    def period(self) -> float:
        return math.tau

    def points(self, t: FloatArray) -> FloatArray:
        return np.array(self.center) + self._turned(self.major * np.cos(t), self.minor * np.sin(t))

    def derivatives(self, t: FloatArray) -> FloatArray:
        return self._turned(-self.major * np.sin(t), self.minor * np.cos(t))

    def second(self, t: FloatArray) -> FloatArray:
        return self._turned(-self.major * np.cos(t), -self.minor * np.sin(t))

    def _turned(self, u: FloatArray, v: FloatArray) -> FloatArray:
        c, s = math.cos(self.angle), math.sin(self.angle)
        return np.column_stack([c * u - s * v, s * u + c * v])

    def breaks(self, t0: float, t1: float) -> list[float]:
        count = max(1, math.ceil((t1 - t0) / (math.pi / 4) - 1e-9))
        return [t0 + (t1 - t0) * k / count for k in range(count)] + [t1]

    def extremes(self, t0: float, t1: float) -> list[float]:
        c, s = math.cos(self.angle), math.sin(self.angle)
        found = []
        for first in (
            math.atan2(-s * self.minor, c * self.major),
            math.atan2(c * self.minor, s * self.major),
        ):
            k = math.ceil((t0 - first) / math.pi)
            while (t := first + k * math.pi) < t1:
                found.append(t)
                k += 1
        return found

    def nearest(self, spot: Vec2) -> float:
        dx, dy = spot[0] - self.center[0], spot[1] - self.center[1]
        c, s = math.cos(self.angle), math.sin(self.angle)
        return nearest_on_ellipse(c * dx + s * dy, c * dy - s * dx, self.major, self.minor)

    def length(self, t0: float, t1: float) -> float:
        return ellipse_length(self.major, self.minor, t0, t1)

    def lifted(self, plane: Plane) -> Ellipse:
        """The same curve in space, lying in `plane`."""
        c, s = math.cos(self.angle), math.sin(self.angle)
        base = Plane((0, 0, 0), plane.normal, plane.x)
        frame = Plane(plane.point(*self.center), plane.normal, base.point(c, s))
        return Ellipse(frame, self.major, self.minor)


@dataclass(frozen=True, eq=False)
class PlaneSpline(BSpline):
    """A B-spline in a sketch plane."""

    @property
    def period(self) -> float:
        return (self.high - self.low) if self.is_closed else 0.0

    def at(self, spot: Vec2) -> float:
        return float(self.nearest(np.array([spot]))[0])

    def length(self, t0: float, t1: float) -> float:
        return self.length_between(t0, t1)

    def lifted(self, plane: Plane) -> SplineCurve:
        """The same curve in space, lying in `plane`."""
        return SplineCurve(self.degree, self.knots, plane.points(self.controls))


PlaneCurve: TypeAlias = PlaneEllipse | PlaneSpline


@dataclass(frozen=True, eq=False)
class CurvePiece:
    """A plane curve from parameter `a` to `b`, against its own direction where b < a.

    `ends` is None for a whole closed curve. Integrals are by Gauss quadrature on each smooth part.
    """

    curve: PlaneCurve
    a: float
    b: float
    name: str
    ends: tuple[Vec2, Vec2] | None = None

    @property
    def is_closed(self) -> bool:
        return self.ends is None

    @property
    def start(self) -> Vec2:
        return self.point(0.0) if self.ends is None else self.ends[0]

    @property
    def end(self) -> Vec2:
        return self.point(1.0) if self.ends is None else self.ends[1]

    @property
    def low(self) -> float:
        return min(self.a, self.b)

    @property
    def high(self) -> float:
        return max(self.a, self.b)

    @cached_property
    def length(self) -> float:
        return self.curve.length(self.low, self.high)

    @cached_property
    def curvature(self) -> float:
        """The largest curvature, sampled."""
        t = np.linspace(self.low, self.high, CURVATURE_SAMPLES)
        (x1, y1), (x2, y2) = self.curve.derivatives(t).T, self.curve.second(t).T
        return float((np.abs(x1 * y2 - y1 * x2) / np.maximum(np.hypot(x1, y1), 1e-12) ** 3).max())

    @cached_property
    def box(self) -> Box:
        t = np.array([self.low, self.high, *self.curve.extremes(self.low, self.high)])
        x, y = self.curve.points(t).T
        return (float(x.min()), float(y.min()), float(x.max()), float(y.max()))

    def point(self, s: float) -> Vec2:
        """The point at the share `s` of the parameter range."""
        x, y = self.curve.points(np.array([self.parameter(s)]))[0].tolist()
        return (x, y)

    def parameter(self, s: float) -> float:
        """Parameter of the curve at the share `s`; past 1 a closed curve starts again."""
        t = self.a + s * (self.b - self.a)
        if self.is_closed and not self.low <= t <= self.high:
            t = self.low + (t - self.low) % (self.high - self.low)
        return t

    def points(self, s: FloatArray) -> FloatArray:
        """Points at shares `s`, shape (N,); returns shape (N, 2)."""
        return self.curve.points(self.a + s * (self.b - self.a))

    def slopes(self, s: FloatArray) -> FloatArray:
        """Derivatives by the share at `s`, shape (N, 2)."""
        return self.curve.derivatives(self.a + s * (self.b - self.a)) * (self.b - self.a)

    def departure(self) -> tuple[float, float]:
        """Direction (radians) at the start, and the curvature there, positive to the left."""
        t, k = np.array([self.a]), self.b - self.a
        (x1, y1), (x2, y2) = self.curve.derivatives(t)[0] * k, self.curve.second(t)[0] * k * k
        return math.atan2(y1, x1), float((x1 * y2 - y1 * x2) / math.hypot(x1, y1) ** 3)

    def reversed(self) -> CurvePiece:
        ends = None if self.ends is None else (self.ends[1], self.ends[0])
        return CurvePiece(self.curve, self.b, self.a, self.name, ends)

    def share_of(self, spot: Vec2) -> float:
        """The share of the range at the point nearest to `spot`."""
        if isinstance(self.curve, PlaneEllipse):
            t = self.curve.nearest(spot)
            t = self.low + (t - self.low) % math.tau
            if t > self.high and t - self.high > self.low + math.tau - t:
                t -= math.tau
        else:
            t = self.curve.at(spot)
        return (t - self.a) / (self.b - self.a)

    def part(self, a: float, b: float, start: Vec2, end: Vec2) -> CurvePiece:
        """The piece between two shares, with its ends; b may pass 1 on a closed curve."""
        t0, t1 = self.a + a * (self.b - self.a), self.a + b * (self.b - self.a)
        return CurvePiece(self.curve, t0, t1, self.name, (start, end))

    def as_spline(self) -> PlaneSpline:
        """A piece of a spline as a spline of its own, by inserting knots. Raises TypeError for an ellipse."""
        if not isinstance(self.curve, PlaneSpline):
            raise TypeError("a piece of an ellipse is no polynomial spline")
        return self.curve.between(self.low, self.high)

    def moments(self, o: Vec2) -> tuple[float, float, float]:
        """What the piece adds, by Green's theorem, to the integrals of 1, x - ox and y - oy."""
        stops = np.array(self.curve.breaks(self.low, self.high))
        half = 0.5 * np.diff(stops)[:, None]
        t = (stops[:-1, None] + half * (NODES + 1)).ravel()
        w = (half * WEIGHTS).ravel() * (1.0 if self.b > self.a else -1.0)
        (x, y), (dx, dy) = (self.curve.points(t) - np.array(o)).T, self.curve.derivatives(t).T
        return (
            float(0.5 * ((x * dy - y * dx) * w).sum()),
            float(0.5 * (x * x * dy * w).sum()),
            float(-0.5 * (y * y * dx * w).sum()),
        )

    def winding(self, p: Vec2) -> float:
        """Angle (radians) that the direction from `p` to the piece turns through, start to end."""
        shares = self._fine_shares(p)
        x, y = (self.points(shares) - np.array(p)).T
        turns = np.arctan2(x[:-1] * y[1:] - y[:-1] * x[1:], x[:-1] * x[1:] + y[:-1] * y[1:])
        return float(turns.sum())

    def _fine_shares(self, p: Vec2) -> FloatArray:
        """Shares so dense that the curve between two of them stays on one side as seen from `p`.

        Each step is halved until the curve strays from its chord by less than the distance of `p`.
        """
        stops = (np.array(self.curve.breaks(self.low, self.high)) - self.a) / (self.b - self.a)
        shares = np.unique(np.concatenate([np.linspace(s, e, 17) for s, e in pairwise(stops.tolist())]))
        for _ in range(40):
            ends, middles = self.points(shares), self.points(0.5 * (shares[:-1] + shares[1:]))
            stray = np.linalg.norm(middles - 0.5 * (ends[:-1] + ends[1:]), axis=1)
            reach = np.minimum(
                *(np.linalg.norm(ends[k:][: len(stray)] - np.array(p), axis=1) for k in (0, 1))
            )
            span = np.linalg.norm(np.diff(ends, axis=0), axis=1)
            coarse = np.flatnonzero((2 * stray + 0.5 * span > reach) & (span > 1e-9 * (1 + reach)))
            if not len(coarse):
                break
            shares = np.sort(np.concatenate([shares, 0.5 * (shares[coarse] + shares[coarse + 1])]))
        return shares
