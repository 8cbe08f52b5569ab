"""Cones, spheres and tori. Normals point away from the axis, the center, or the ring through the tube."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from .placement import FloatArray, Plane
from .surfaces import Surface
from .vector import Vec3, along, negated, unit


def _level(u: float, v: float) -> tuple[float, float]:
    """The direction of (u, v), (1, 0) if it has none."""
    size = math.hypot(u, v)
    return (u / size, v / size) if size > 1e-12 else (1.0, 0.0)


@dataclass(frozen=True, slots=True)
class Tip:
    """A point of a surface without a normal, and the mean of the normals about it."""

    point: Vec3
    way: Vec3


@dataclass(frozen=True, slots=True)
class ConeSurface:
    """The nappe of a round cone with its apex at `frame.origin` that opens along `frame.normal`.

    half_angle : between axis and wall, radians, between 0 and pi/2. u is the angle from `frame.x` in
    radians, v the height above the apex.
    """

    frame: Plane
    half_angle: float
    kind: ClassVar[str] = "cone"

    @property
    def tips(self) -> tuple[Tip, ...]:
        """The apex."""
        return (Tip(self.frame.origin, negated(self.frame.normal)),)

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`; on the axis that at u = 0."""
        u, v, _ = self.frame.local(point)
        x, y = _level(u, v)
        c, s = math.cos(self.half_angle), math.sin(self.half_angle)
        fx, fy, fn = self.frame.x, self.frame.y, self.frame.normal
        a, b = c * x, c * y
        return (
            a * fx[0] + b * fy[0] - s * fn[0],
            a * fx[1] + b * fy[1] - s * fn[1],
            a * fx[2] + b * fy[2] - s * fn[2],
        )

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        local = self.frame.locals(points)
        radial = local[:, :2] / np.maximum(np.hypot(local[:, 0], local[:, 1]), 1e-300)[:, None]
        c, s = math.cos(self.half_angle), math.sin(self.half_angle)
        return c * radial @ np.array([self.frame.x, self.frame.y]) - s * np.asarray(self.frame.normal)

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive outside the cone."""
        u, v, w = self.frame.local(point)
        return math.hypot(u, v) * math.cos(self.half_angle) - w * math.sin(self.half_angle)

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive outside; returns (N,)."""
        local = self.frame.locals(points)
        c, s = math.cos(self.half_angle), math.sin(self.half_angle)
        return np.hypot(local[:, 0], local[:, 1]) * c - local[:, 2] * s

    def parameters(self, points: FloatArray) -> FloatArray:
        """(angle, height) of `points`, shape (N, 3); returns shape (N, 2), angle in (-pi, pi]."""
        local = self.frame.locals(points)
        return np.column_stack([np.arctan2(local[:, 1], local[:, 0]), local[:, 2]])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        reach = math.tan(self.half_angle) * uv[:, 1]
        ring = np.column_stack([reach * np.cos(uv[:, 0]), reach * np.sin(uv[:, 0])])
        return self.frame.points(ring) + uv[:, 1:2] * np.asarray(self.frame.normal)


@dataclass(frozen=True, slots=True)
class SphereSurface:
    """A sphere about `frame.origin`; u is the longitude from `frame.x`, v the latitude, radians."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "sphere"

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`; ValueError at the center."""
        o = self.frame.origin
        return unit((point[0] - o[0], point[1] - o[1], point[2] - o[2]))

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        off = points - np.asarray(self.frame.origin)
        return off / np.maximum(np.linalg.norm(off, axis=1), 1e-300)[:, None]

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive outside."""
        return math.dist(point, self.frame.origin) - self.radius

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive outside; returns (N,)."""
        return np.linalg.norm(points - np.asarray(self.frame.origin), axis=1) - self.radius

    def parameters(self, points: FloatArray) -> FloatArray:
        """(longitude, latitude) of `points`, shape (N, 3); returns shape (N, 2)."""
        x, y, z = self.frame.locals(points).T
        return np.column_stack([np.arctan2(y, x), np.arctan2(z, np.hypot(x, y))])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        u, v = uv.T
        c = self.radius * np.cos(v)
        local = np.column_stack([c * np.cos(u), c * np.sin(u)])
        return self.frame.points(local) + (self.radius * np.sin(v))[:, None] * np.asarray(self.frame.normal)


@dataclass(frozen=True, slots=True)
class TorusSurface:
    """A ring about the normal of `frame`: a tube of radius `minor` whose middle runs on a circle of radius
    `major`. Where that is less than `minor`, the part of it outside its spindle; where it is negative, the
    spindle: the middle of its profile lies beyond the axis. u is the angle about the axis from `frame.x`, v
    the angle about the tube from outside towards the normal; radians."""

    frame: Plane
    major: float
    minor: float
    kind: ClassVar[str] = "torus"

    @property
    def meets_axis(self) -> bool:
        """Whether it is a spindle, or what lies outside of one: v does not go all round then."""
        return self.major < self.minor

    @property
    def half_turn(self) -> float:
        """The largest v, radians: half a turn, or less where the surface meets its axis."""
        return math.acos(max(-1.0, -self.major / self.minor))

    @property
    def tips(self) -> tuple[Tip, ...]:
        """Where the surface meets its axis, the lower end first."""
        if not self.meets_axis:
            return ()
        up, top = self.frame.normal, self.minor * math.sin(self.half_turn)
        low, high = (along(self.frame.origin, up, h) for h in (-top, top))
        return Tip(low, negated(up)), Tip(high, up)

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`; any one on the axis and in the middle of the tube."""
        u, v, w = self.frame.local(point)
        x, y = _level(u, v)
        r, h = _level(math.hypot(u, v) - self.major, w)
        fx, fy, fn = self.frame.x, self.frame.y, self.frame.normal
        a, b = r * x, r * y
        return (
            a * fx[0] + b * fy[0] + h * fn[0],
            a * fx[1] + b * fy[1] + h * fn[1],
            a * fx[2] + b * fy[2] + h * fn[2],
        )

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        x, y, z = self.frame.locals(points).T
        reach = np.maximum(np.hypot(x, y), 1e-300)
        out = np.column_stack([(reach - self.major) * x / reach, (reach - self.major) * y / reach, z])
        out /= np.maximum(np.linalg.norm(out, axis=1), 1e-300)[:, None]
        return out @ np.array([self.frame.x, self.frame.y, self.frame.normal])

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive outside the tube."""
        u, v, w = self.frame.local(point)
        return math.hypot(math.hypot(u, v) - self.major, w) - self.minor

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive outside the tube; returns (N,)."""
        x, y, z = self.frame.locals(points).T
        return np.hypot(np.hypot(x, y) - self.major, z) - self.minor

    def parameters(self, points: FloatArray) -> FloatArray:
        """(angle about the axis, angle about the tube) of `points`, shape (N, 3); returns shape (N, 2)."""
        x, y, z = self.frame.locals(points).T
        return np.column_stack([np.arctan2(y, x), np.arctan2(z, np.hypot(x, y) - self.major)])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        u, v = uv.T
        reach = self.major + self.minor * np.cos(v)
        ring = self.frame.points(np.column_stack([reach * np.cos(u), reach * np.sin(u)]))
        return ring + (self.minor * np.sin(v))[:, None] * np.asarray(self.frame.normal)


def tips_of(surface: Surface) -> tuple[Tip, ...]:
    """The points of a surface without a normal: of a cone, or of a torus that meets its axis."""
    return surface.tips if isinstance(surface, ConeSurface | TorusSurface) else ()
