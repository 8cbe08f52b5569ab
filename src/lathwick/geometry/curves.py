"""Curves in space. Each is immutable and knows its own parameter: arc length on a line, angle on a circle.

Every curve answers the same questions; a new kind of curve answers them too and needs nothing else:
`kind`, `period`, `point`, `points`, `derivatives`, `tangent`, `parameter`, `length`, `extremes`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Protocol

import numpy as np

from .placement import FloatArray, Plane
from .vector import Vec3, along, dot, sub


class Curve(Protocol):
    """What the rest of the package asks of a curve. `period` is 0.0 for an open curve."""

    kind: ClassVar[str]

    @property
    def period(self) -> float: ...
    def point(self, t: float) -> Vec3: ...
    def points(self, t: FloatArray) -> FloatArray: ...
    def derivatives(self, t: FloatArray) -> FloatArray: ...
    def tangent(self, t: float) -> Vec3: ...
    def parameter(self, point: Vec3) -> float: ...
    def length(self, t0: float, t1: float) -> float: ...
    def extremes(self, t0: float, t1: float) -> list[float]: ...


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line; the parameter is the distance from `origin` along the unit `direction`."""

    origin: Vec3
    direction: Vec3
    kind: ClassVar[str] = "line"

    @property
    def period(self) -> float:
        return 0.0

    def point(self, t: float) -> Vec3:
        return along(self.origin, self.direction, t)

    def points(self, t: FloatArray) -> FloatArray:
        """Points at parameters `t`, shape (N,); returns shape (N, 3)."""
        return np.asarray(self.origin) + t[:, None] * np.asarray(self.direction)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        return np.broadcast_to(np.asarray(self.direction), (len(t), 3))

    def tangent(self, t: float) -> Vec3:
        return self.direction

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point on the line."""
        return dot(sub(point, self.origin), self.direction)

    def length(self, t0: float, t1: float) -> float:
        return t1 - t0

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Parameters inside (t0, t1) where a coordinate can be largest or smallest: none."""
        return []


@dataclass(frozen=True, slots=True)
class Circle:
    """A circle about `frame.origin` in the plane of `frame`; the parameter is the angle from
    `frame.x` in radians, counter-clockwise seen against `frame.normal`."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "circle"

    @property
    def period(self) -> float:
        return math.tau

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.radius * math.cos(t), self.radius * math.sin(t))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at angles `t`, shape (N,), radians; returns shape (N, 3)."""
        return self.frame.points(self.radius * np.column_stack([np.cos(t), np.sin(t)]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3), length per radian."""
        axes = np.array([self.frame.x, self.frame.y])
        return (self.radius * np.column_stack([-np.sin(t), np.cos(t)])) @ axes

    def tangent(self, t: float) -> Vec3:
        x, y, c, s = self.frame.x, self.frame.y, math.cos(t), math.sin(t)
        return (c * y[0] - s * x[0], c * y[1] - s * x[1], c * y[2] - s * x[2])

    def parameter(self, point: Vec3) -> float:
        """Angle of the nearest point, in [0, 2 pi)."""
        u, v, _ = self.frame.local(point)
        return math.atan2(v, u) % math.tau

    def length(self, t0: float, t1: float) -> float:
        return self.radius * (t1 - t0)

    def extremes(self, t0: float, t1: float) -> list[float]:
        """Angles inside (t0, t1) where x, y or z is largest or smallest."""
        found = []
        for a, b in zip(self.frame.x, self.frame.y, strict=True):
            first = math.atan2(b, a)
            k = math.ceil((t0 - first) / math.pi)
            while (t := first + k * math.pi) < t1:
                found.append(t)
                k += 1
        return found
