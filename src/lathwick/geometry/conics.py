"""Open conics: hyperbolas (one branch) and parabolas. They answer the protocol of `curves.Curve`."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar

import numpy as np

from .placement import FloatArray, Plane
from .vector import Vec3, unit

GAUSS_NODES, GAUSS_WEIGHTS = np.polynomial.legendre.leggauss(16)
WIDEST = 0.5


def _steps(t0: float, t1: float) -> list[float]:
    count = max(1, math.ceil((t1 - t0) / WIDEST - 1e-9))
    return [t0 + (t1 - t0) * k / count for k in range(count)] + [t1]


def _quadrature(curve: Hyperbola | Parabola, t0: float, t1: float) -> float:
    total = 0.0
    stops = _steps(t0, t1)
    for a, b in pairwise(stops):
        half = 0.5 * (b - a)
        speed = np.linalg.norm(curve.derivatives(a + half * (GAUSS_NODES + 1.0)), axis=1)
        total += half * float(speed @ GAUSS_WEIGHTS)
    return total


@dataclass(frozen=True, slots=True)
class Hyperbola:
    """The branch a cosh t along `frame.x`, b sinh t along `frame.y`, with a = `major`, b = `minor`."""

    frame: Plane
    major: float
    minor: float
    kind: ClassVar[str] = "hyperbola"

    @property
    def period(self) -> float:
        return 0.0

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.major * math.cosh(t), self.minor * math.sinh(t))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at `t`, shape (N,); returns shape (N, 3)."""
        return self.frame.points(np.column_stack([self.major * np.cosh(t), self.minor * np.sinh(t)]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        axes = np.array([self.frame.x, self.frame.y])
        return np.column_stack([self.major * np.sinh(t), self.minor * np.cosh(t)]) @ axes

    def tangent(self, t: float) -> Vec3:
        x, y, z = self.derivatives(np.array([t]))[0].tolist()
        return unit((x, y, z))

    def parameter(self, point: Vec3) -> float:
        """Parameter of the point of the curve at the same height along `frame.y`."""
        return math.asinh(self.frame.local(point)[1] / self.minor)

    def length(self, t0: float, t1: float) -> float:
        return _quadrature(self, t0, t1)

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Parameters inside (t0, t1) where x, y or z is largest or smallest."""
        found = []
        for a, b in zip(self.frame.x, self.frame.y, strict=True):
            if abs(self.major * a) > abs(self.minor * b):
                t = math.atanh(-self.minor * b / (self.major * a))
                found += [t] if t0 < t < t1 else []
        return found

    def breaks(self, t0: float, t1: float) -> list[float]:
        """t0 and t1."""
        return [t0, t1]

    def parts(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most one half apart."""
        return _steps(t0, t1)


@dataclass(frozen=True, slots=True)
class Parabola:
    """f t^2 along `frame.x` and 2 f t along `frame.y`, with the focal distance f = `focal`."""

    frame: Plane
    focal: float
    kind: ClassVar[str] = "parabola"

    @property
    def period(self) -> float:
        return 0.0

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.focal * t * t, 2.0 * self.focal * t)

    def points(self, t: FloatArray) -> FloatArray:
        """Points at `t`, shape (N,); returns shape (N, 3)."""
        return self.frame.points(self.focal * np.column_stack([t * t, 2.0 * t]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        axes = np.array([self.frame.x, self.frame.y])
        return 2.0 * self.focal * np.column_stack([t, np.ones(len(t))]) @ axes

    def tangent(self, t: float) -> Vec3:
        x, y, z = self.derivatives(np.array([t]))[0].tolist()
        return unit((x, y, z))

    def parameter(self, point: Vec3) -> float:
        """Parameter of the point of the curve at the same height along `frame.y`."""
        return self.frame.local(point)[1] / (2.0 * self.focal)

    def length(self, t0: float, t1: float) -> float:
        return _quadrature(self, t0, t1)

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Parameters inside (t0, t1) where x, y or z is largest or smallest."""
        slopes = ((a, b) for a, b in zip(self.frame.x, self.frame.y, strict=True) if a != 0.0)
        return [t for t in (-b / a for a, b in slopes) if t0 < t < t1]

    def breaks(self, t0: float, t1: float) -> list[float]:
        """t0 and t1."""
        return [t0, t1]

    def parts(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most one half apart."""
        return _steps(t0, t1)
