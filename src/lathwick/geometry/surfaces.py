"""Surfaces in space. Each is immutable, has parameters (u, v) and a normal on a known side."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Protocol

import numpy as np

from .curves import Ellipse
from .placement import FloatArray, Plane
from .spline import SplineCurve
from .vector import Vec3, cross, unit


class Surface(Protocol):
    """What the rest of the package asks of a surface."""

    kind: ClassVar[str]

    @property
    def frame(self) -> Plane: ...
    def normal(self, point: Vec3) -> Vec3: ...
    def normals(self, points: FloatArray) -> FloatArray: ...
    def gap(self, point: Vec3) -> float: ...
    def distance(self, points: FloatArray) -> FloatArray: ...
    def parameters(self, points: FloatArray) -> FloatArray: ...
    def points(self, uv: FloatArray) -> FloatArray: ...


@dataclass(frozen=True, slots=True)
class PlaneSurface:
    """A plane; (u, v) are the local coordinates of `frame`, the normal is `frame.normal`."""

    frame: Plane
    kind: ClassVar[str] = "plane"

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal; the same everywhere."""
        return self.frame.normal

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at `points`, shape (N, 3); returns shape (N, 3)."""
        return np.broadcast_to(np.asarray(self.frame.normal), points.shape)

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive on the normal's side."""
        o, n = self.frame.origin, self.frame.normal
        return (point[0] - o[0]) * n[0] + (point[1] - o[1]) * n[1] + (point[2] - o[2]) * n[2]

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive on the normal's side; returns (N,)."""
        return (points - np.asarray(self.frame.origin)) @ np.asarray(self.frame.normal)

    def parameters(self, points: FloatArray) -> FloatArray:
        """(u, v) of `points`, shape (N, 3); returns shape (N, 2), length unit."""
        return self.frame.locals(points)[:, :2]

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.frame.points(uv)


@dataclass(frozen=True, slots=True)
class CylinderSurface:
    """A round cylinder about the normal of `frame`; u is the angle from `frame.x` in radians, v the
    height above `frame.origin`. The normal points away from the axis."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "cylinder"

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`; on the axis itself that at u = 0."""
        u, v, _ = self.frame.local(point)
        size = math.hypot(u, v)
        a, b = (u / size, v / size) if size > 1e-12 else (1.0, 0.0)
        x, y = self.frame.x, self.frame.y
        return (a * x[0] + b * y[0], a * x[1] + b * y[1], a * x[2] + b * y[2])

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3), 0 for one on the axis."""
        local = self.frame.locals(points)
        radial = local[:, :2] / np.maximum(np.hypot(local[:, 0], local[:, 1]), 1e-300)[:, None]
        return radial @ np.array([self.frame.x, self.frame.y])

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive outside."""
        o, n = self.frame.origin, self.frame.normal
        d0, d1, d2 = point[0] - o[0], point[1] - o[1], point[2] - o[2]
        h = d0 * n[0] + d1 * n[1] + d2 * n[2]
        return math.hypot(d0 - h * n[0], d1 - h * n[1], d2 - h * n[2]) - self.radius

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive outside; returns (N,)."""
        local = self.frame.locals(points)
        return np.hypot(local[:, 0], local[:, 1]) - self.radius

    def parameters(self, points: FloatArray) -> FloatArray:
        """(angle, height) of `points`, shape (N, 3); returns shape (N, 2), angle in (-pi, pi]."""
        local = self.frame.locals(points)
        return np.column_stack([np.arctan2(local[:, 1], local[:, 0]), local[:, 2]])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        ring = self.radius * np.column_stack([np.cos(uv[:, 0]), np.sin(uv[:, 0])])
        return self.frame.points(ring) + uv[:, 1:2] * np.asarray(self.frame.normal)


@dataclass(frozen=True, eq=False)
class ExtrudedSurface:
    """A profile curve moved along a straight direction; it is a B-spline surface, linear in v.

    `frame` has its normal along the direction and the profile in its plane; u is the parameter of
    the profile, v the height. The normal is (profile tangent) cross (direction).
    """

    profile: Ellipse | SplineCurve
    frame: Plane
    kind: ClassVar[str] = "spline"

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`."""
        return unit(cross(self.profile.tangent(self.profile.parameter(point)), self.frame.normal))

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        slopes = self.profile.derivatives(self._feet(points))
        normals = np.cross(slopes, np.asarray(self.frame.normal))
        return normals / np.linalg.norm(normals, axis=1)[:, None]

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive on the normal's side."""
        return float(self.distance(np.array([point]))[0])

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive on the normal's side; returns (N,). Beyond the
        ends of an open profile from the planes that go on there."""
        feet = self._feet(points)
        normal = np.asarray(self.frame.normal)
        across = np.cross(self.profile.derivatives(feet), normal)
        side = ((points - self.profile.points(feet)) * across).sum(axis=1)
        return np.asarray(side / np.linalg.norm(across, axis=1))

    def parameters(self, points: FloatArray) -> FloatArray:
        """(profile parameter, height) of `points`, shape (N, 3); returns shape (N, 2)."""
        return np.column_stack([self._feet(points), self.frame.locals(points)[:, 2]])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.profile.points(uv[:, 0]) + uv[:, 1:2] * np.asarray(self.frame.normal)

    def _feet(self, points: FloatArray) -> FloatArray:
        """Parameters of the profile below `points`."""
        local = self.frame.locals(points)
        flat = self.frame.points(local[:, :2])
        if isinstance(self.profile, SplineCurve):
            return self.profile.nearest(flat)
        return np.array([self.profile.parameter((x, y, z)) for x, y, z in flat.tolist()])
