"""Open conics: hyperbolas (one branch) and parabolas."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from .curve import AXES, Curve, Form, even_breaks
from .motion import Motion
from .placement import FloatArray, Plane
from .vector import Vec3, scaled

WIDEST = 0.5
"""Parts of a conic are at most so wide, in its parameter."""

ON = 1e-12
"""A point so near to a conic, as a share of its size, is taken for its own foot."""


def _is_on(curve: Hyperbola | Parabola, point: Vec3, level: float, size: float) -> bool:
    """Whether a point lies on the curve; `level` is the parameter of the point at the same height."""
    return math.dist(curve.point(level), point) <= ON * size


def _nearest(curve: Hyperbola | Parabola, point: Vec3, level: float, stops: list[float]) -> float:
    """The parameter of the foot of a point, of those where the distance can be least."""
    return min(stops, key=lambda t: math.dist(curve.point(t), point), default=level)


def _real(coefficients: list[float]) -> list[float]:
    roots = np.roots(coefficients)
    return [float(r.real) for r in roots if abs(r.imag) <= 1e-7 * (1.0 + abs(r))]


@dataclass(frozen=True, slots=True)
class Hyperbola(Curve):
    """The branch a cosh t along `frame.x`, b sinh t along `frame.y`, with a = `major`, b = `minor`."""

    frame: Plane
    major: float
    minor: float
    kind: ClassVar[str] = "hyperbola"
    form: ClassVar[Form] = Form(np.cosh, np.sinh, np.sinh, np.cosh)

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        return self.frame.origin, scaled(self.frame.x, self.major), scaled(self.frame.y, self.minor)

    def moved(self, motion: Motion) -> Hyperbola:
        k = motion.factor
        return Hyperbola(motion.frame(self.frame), k * self.major, k * self.minor)

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.major * math.cosh(t), self.minor * math.sinh(t))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at `t`, shape (N,); returns shape (N, 3)."""
        return self.frame.points(np.column_stack([self.major * np.cosh(t), self.minor * np.sinh(t)]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        axes = np.array([self.frame.x, self.frame.y])
        return np.column_stack([self.major * np.sinh(t), self.minor * np.cosh(t)]) @ axes

    def second(self, t: FloatArray) -> FloatArray:
        return self.points(t) - np.asarray(self.frame.origin)

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point, by a quartic for the exponential of the parameter."""
        u, v, _ = self.frame.local(point)
        a, b = self.major, self.minor
        level = math.asinh(v / b)
        if _is_on(self, point, level, math.hypot(u, v, a, b)):
            return level
        square = a * a + b * b
        quartic = [square, -2.0 * (a * u + b * v), 0.0, 2.0 * (a * u - b * v), -square]
        stops = [math.log(z) for z in _real(quartic) if z > 0.0]
        return _nearest(self, point, level, stops)

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        found = []
        for u, v in (ways @ np.array([self.frame.x, self.frame.y]).T).tolist():
            if abs(self.major * u) > abs(self.minor * v):
                t = math.atanh(-self.minor * v / (self.major * u))
                found += [t] if t0 < t < t1 else []
        return found

    def parts(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most one half apart."""
        return even_breaks(t0, t1, WIDEST)


@dataclass(frozen=True, slots=True)
class Parabola(Curve):
    """f t^2 along `frame.x` and 2 f t along `frame.y`, with the focal distance f = `focal`."""

    frame: Plane
    focal: float
    kind: ClassVar[str] = "parabola"
    form: ClassVar[Form] = Form(
        np.square, lambda t: 2.0 * t, lambda t: 2.0 * t, lambda t: np.full_like(t, 2.0)
    )

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        return self.frame.origin, scaled(self.frame.x, self.focal), scaled(self.frame.y, self.focal)

    def moved(self, motion: Motion) -> Parabola:
        return Parabola(motion.frame(self.frame), motion.factor * self.focal)

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.focal * t * t, 2.0 * self.focal * t)

    def points(self, t: FloatArray) -> FloatArray:
        """Points at `t`, shape (N,); returns shape (N, 3)."""
        return self.frame.points(self.focal * np.column_stack([t * t, 2.0 * t]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        axes = np.array([self.frame.x, self.frame.y])
        return 2.0 * self.focal * np.column_stack([t, np.ones(len(t))]) @ axes

    def second(self, t: FloatArray) -> FloatArray:
        return np.tile(2.0 * self.focal * np.asarray(self.frame.x), (len(t), 1))

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point, by a cubic."""
        u, v, _ = self.frame.local(point)
        f = self.focal
        level = 0.5 * v / f
        if _is_on(self, point, level, math.hypot(u, v, f)):
            return level
        return _nearest(self, point, level, _real([f, 0.0, 2.0 * f - u, -v]))

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        flat = (ways @ np.array([self.frame.x, self.frame.y]).T).tolist()
        return [t for t in (-v / u for u, v in flat if u != 0.0) if t0 < t < t1]

    def parts(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most one half apart."""
        return even_breaks(t0, t1, WIDEST)
