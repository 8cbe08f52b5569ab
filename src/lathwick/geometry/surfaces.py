"""Planes, cylinders, and profiles moved along a straight line."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar

import numpy as np

from .curve import curvature
from .curve_offset import offset_curve
from .curves import Ellipse
from .motion import Motion
from .placement import FloatArray, IntArray, Plane
from .search import filled_rows
from .spline import BSpline, SplineCurve
from .spline_surface import SplineSurface, extruded_spline
from .surface import DirectSurface, Foot, Interval, Meridian, Surface
from .tolerance import NOWHERE, RESOLUTION
from .vector import Vec3, along, cross, dot, sub, unit

WHOLE = (-math.inf, math.inf)


def quadratic_roots(a: float, b: FloatArray, c: FloatArray) -> FloatArray:
    """Roots of a t^2 + 2 b t + c, shape (N, 2), stable (Numerical Recipes, 5.6); NaN where there are none."""
    if abs(a) < 1e-14:
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.where(b != 0.0, -0.5 * c / b, np.nan)
        return np.column_stack([t, np.full_like(t, np.nan)])
    with np.errstate(divide="ignore", invalid="ignore"):
        root = np.sqrt(b * b - a * c)
        q = -(b + np.copysign(root, b))
        return np.column_stack([q / a, np.where(q != 0.0, c / q, 0.0)])


def turned_into(frame: Plane, d: FloatArray) -> FloatArray:
    """A direction in the coordinates of a frame, (3,)."""
    return np.array([frame.x, frame.y, frame.normal]) @ d


@dataclass(frozen=True, slots=True)
class PlaneSurface(DirectSurface):
    """A plane; (u, v) are the local coordinates of `frame`, the normal is `frame.normal`."""

    frame: Plane
    kind: ClassVar[str] = "plane"
    search_order: ClassVar[int] = 90

    @property
    def plane(self) -> Plane:
        return self.frame

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return WHOLE, WHOLE

    @property
    def straight(self) -> int:
        return 1

    def least_radius(self) -> float:
        return math.inf

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        x, y, nought = (
            np.tile(np.asarray(d), (len(uv), 1)) for d in (self.frame.x, self.frame.y, (0.0,) * 3)
        )
        table = [[self.points(uv), y, nought], [x, nought], [nought]]
        return [row[: most + 1 - i] for i, row in enumerate(table[: most + 1])]

    def normals_at(self, uv: FloatArray) -> FloatArray:
        return np.tile(np.asarray(self.frame.normal), (len(uv), 1))

    def local_feet(self, point: Vec3) -> FloatArray:
        return self.parameters(np.array([point]))

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        local = self.frame.locals(corners)
        return _ends(local[:, 0]), _ends(local[:, 1])

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        return np.full(len(cells), 0.5 * du), np.full(len(cells), 0.5 * dv)

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        slope = float(direction @ np.asarray(self.frame.normal))
        if abs(slope) < 1e-12:
            return np.full((len(origins), 1), np.nan)
        return (-self.distance(origins) / slope)[:, None]

    def moved(self, motion: Motion) -> tuple[PlaneSurface, bool]:
        return PlaneSurface(motion.frame(self.frame)), not motion.is_mirror

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> PlaneSurface:
        f = self.frame
        return PlaneSurface(Plane(along(f.origin, f.normal, distance), f.normal, f.x))

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
class CylinderSurface(DirectSurface):
    """A round cylinder about the normal of `frame`; u is the angle from `frame.x` in radians, v the
    height above `frame.origin`. The normal points away from the axis."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "cylinder"
    search_order: ClassVar[int] = 60

    @property
    def prism_way(self) -> Vec3:
        return self.frame.normal

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return (-math.pi, math.pi), WHOLE

    @property
    def periods(self) -> tuple[float, float]:
        return math.tau, 0.0

    @property
    def straight(self) -> int:
        return 1

    @property
    def meridian(self) -> Meridian:
        return Meridian(self.frame.origin, self.frame.normal, (self.radius, 0.0), (0.0, 1.0))

    def least_radius(self) -> float:
        return self.radius

    def thickness(self) -> float:
        return self.radius

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        out = self.normals_at(uv)
        up = np.tile(np.asarray(self.frame.normal), (len(uv), 1))
        around, nought = self.radius * np.cross(up, out), np.zeros_like(up)
        table = [[self.points(uv), up, nought], [around, nought], [-self.radius * out]]
        return [row[: most + 1 - i] for i, row in enumerate(table[: most + 1])]

    def normals_at(self, uv: FloatArray) -> FloatArray:
        ring = np.column_stack([np.cos(uv[:, 0]), np.sin(uv[:, 0])])
        return ring @ np.array([self.frame.x, self.frame.y])

    def local_feet(self, point: Vec3) -> FloatArray:
        return self.parameters(np.array([point]))

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return (-math.pi, math.pi), _ends(self.frame.locals(corners)[:, 2])

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        return np.full(len(cells), 0.5 * du * self.radius), np.full(len(cells), 0.5 * dv)

    @property
    def simple_spans(self) -> tuple[float, float]:
        return 0.5 * math.pi, math.inf

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        local, way = self.frame.locals(origins), turned_into(self.frame, direction)
        a = float(way[0] ** 2 + way[1] ** 2)
        if a < 1e-20:
            return np.full((len(origins), 2), np.nan)
        b = local[:, 0] * way[0] + local[:, 1] * way[1]
        c = local[:, 0] ** 2 + local[:, 1] ** 2 - self.radius**2
        return quadratic_roots(a, b, c)

    def moved(self, motion: Motion) -> tuple[CylinderSurface, bool]:
        return CylinderSurface(motion.frame(self.frame), motion.factor * self.radius), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> CylinderSurface | None:
        radius = self.radius + distance
        return replace(self, radius=radius) if radius > RESOLUTION else None

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
        radial = local[:, :2] / np.maximum(np.hypot(local[:, 0], local[:, 1]), NOWHERE)[:, None]
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
class ExtrudedSurface(Surface):
    """A profile curve moved along a straight direction; it is a B-spline surface, linear in v.

    `frame` has its normal along the direction and the profile in its plane; u is the parameter of
    the profile, v the height. The normal is (profile tangent) cross (direction).
    """

    profile: Ellipse | SplineCurve
    frame: Plane
    kind: ClassVar[str] = "extruded"
    search_order: ClassVar[int] = 80

    @property
    def prism_way(self) -> Vec3:
        return self.frame.normal

    @property
    def called(self) -> str:
        return "spline"

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return self.profile.domain, WHOLE

    @property
    def periods(self) -> tuple[float, float]:
        return self.profile.period, 0.0

    @property
    def straight(self) -> int:
        return 1

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        return self.profile.smooth_breaks(*self.profile.domain), ()

    @cached_property
    def _fastest(self) -> float:
        """The largest length of profile per unit of u, about."""
        t = self.profile.samples(*self.profile.domain)
        return 1.1 * float(np.linalg.norm(self.profile.derivatives(t), axis=1).max())

    @cached_property
    def _least_radius(self) -> float:
        t = self.profile.samples(*self.profile.domain)
        d1, d2 = self.profile.derivatives(t), self.profile.second(t)
        return 1.0 / max(1.1 * float(curvature(d1, d2).max()), NOWHERE)

    def least_radius(self) -> float:
        return self._least_radius

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        up = np.tile(np.asarray(self.frame.normal), (len(uv), 1))
        nought = np.zeros_like(up)
        rows = [self.points(uv), self.profile.derivatives(uv[:, 0]), self.profile.second(uv[:, 0])]
        table = [[rows[0], up, nought], [rows[1], nought], [rows[2]]]
        return [row[: most + 1 - i] for i, row in enumerate(table[: most + 1])]

    def normals_at(self, uv: FloatArray) -> FloatArray:
        ways = np.cross(self.profile.derivatives(uv[:, 0]), np.asarray(self.frame.normal))
        return np.asarray(ways / np.linalg.norm(ways, axis=1)[:, None])

    def touch_from(self, point: Vec3, near: Foot | None) -> tuple[float, Vec3, Foot]:
        u, v, height = self.frame.local(point)
        flat = self.frame.point(u, v)
        t = self.profile.parameter_near(flat, near[0]) if near else self.profile.parameter(flat)
        normal = unit(cross(self.profile.tangent(t), self.frame.normal))
        return dot(sub(flat, self.profile.point(t)), normal), normal, (t, height)

    def touches(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        """As for any surface; beyond the ends of an open profile the distances are from the planes that go on
        there."""
        feet = self._feet(points)
        normals = self.normals_at(feet[:, None])
        return ((points - self.profile.points(feet)) * normals).sum(axis=1), normals

    def parameters(self, points: FloatArray) -> FloatArray:
        """(profile parameter, height) of `points`, shape (N, 3); returns shape (N, 2)."""
        return np.column_stack([self._feet(points), self.frame.locals(points)[:, 2]])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        return self.profile.points(uv[:, 0]) + uv[:, 1:2] * np.asarray(self.frame.normal)

    def local_feet(self, point: Vec3) -> FloatArray:
        u, v, height = self.frame.local(point)
        feet = self.profile.local_feet(self.frame.point(u, v), *self.profile.domain)
        return np.column_stack([feet, np.full(len(feet), height)])

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return self.profile.domain, _ends(self.frame.locals(corners)[:, 2])

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        return np.full(len(cells), 0.5 * du * self._fastest), np.full(len(cells), 0.5 * dv)

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        """The profile crossed by the shadow of each ray."""
        way = turned_into(self.frame, direction)
        size = math.hypot(way[0], way[1])
        if size < 1e-10:
            return np.full((len(origins), 1), np.nan)
        ahead, aside = np.array([way[0], way[1]]) / size, np.array([-way[1], way[0]]) / size
        local = self.frame.locals(origins)[:, :2]
        aside_3d = np.array([self.frame.x, self.frame.y]).T @ aside
        shift = (np.asarray(self.frame.origin) @ aside_3d) + local @ aside
        rows, t = self._crossings(aside_3d, shift)
        places = self.frame.locals(self.profile.points(t))[:, :2]
        return filled_rows(rows, (places - local[rows]) @ ahead / size, len(origins))

    def _crossings(self, aside: FloatArray, heights: FloatArray) -> tuple[IntArray, FloatArray]:
        """Where the profile has each of some heights, (N,), along a direction: their numbers, and
        parameters."""
        if isinstance(self.profile, BSpline):
            return self.profile.level_places(aside, heights)
        f = self.profile.frame
        u, v = self.profile.major * float(aside @ f.x), self.profile.minor * float(aside @ f.y)
        off, reach = heights - float(aside @ f.origin), math.hypot(u, v)
        (rows,) = np.nonzero(np.abs(off) <= reach)
        half = np.arccos(off[rows] / reach)
        return np.tile(rows, 2), math.atan2(v, u) + np.concatenate([-half, half])

    def moved(self, motion: Motion) -> tuple[ExtrudedSurface, bool]:
        return ExtrudedSurface(self.profile.moved(motion), motion.frame(self.frame)), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> ExtrudedSurface:
        """The offset profile, moved likewise."""
        return ExtrudedSurface(offset_curve(self.profile, self.frame.normal, distance), self.frame)

    def exact_spline(self, us: Interval, vs: Interval) -> SplineSurface:
        """The same points (Piegl & Tiller 8.3)."""
        return extruded_spline(self.profile, self.frame.normal, us, vs)

    def _feet(self, points: FloatArray) -> FloatArray:
        """Parameters of the profile below `points`."""
        local = self.frame.locals(points)
        return self.profile.nearest(self.frame.points(local[:, :2]))


def _ends(values: FloatArray) -> Interval:
    return float(values.min()), float(values.max())
