"""Cones, spheres and tori. Normals point away from the axis, the center, or the ring through the tube."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from .curve import AXES
from .motion import Motion
from .placement import FloatArray, Plane
from .surface import DirectSurface, Interval, Meridian, Tip
from .surfaces import quadratic_roots, turned_into
from .tolerance import NOWHERE, RESOLUTION
from .vector import Vec3, along, negated, unit

POLISH = 3
"""Newton steps that take the hits of a ray with a torus to rounding."""

SPINDLE = 0.2
"""Of a spindle torus the least radius counts as so much of the tube's: elsewhere it is nought on the axis."""

TURN = (-math.pi, math.pi)


def _level(u: float, v: float) -> tuple[float, float]:
    """The direction of (u, v), (1, 0) if it has none."""
    size = math.hypot(u, v)
    return (u / size, v / size) if size > 1e-12 else (1.0, 0.0)


def _table(rows: list[list[FloatArray]], most: int) -> list[list[FloatArray]]:
    return [row[: most + 1 - i] for i, row in enumerate(rows[: most + 1])]


@dataclass(frozen=True, slots=True)
class ConeSurface(DirectSurface):
    """The nappe of a round cone with its apex at `frame.origin` that opens along `frame.normal`.

    half_angle : between axis and wall, radians, between 0 and pi/2. u is the angle from `frame.x` in
    radians, v the height above the apex.
    """

    frame: Plane
    half_angle: float
    kind: ClassVar[str] = "cone"

    search_order: ClassVar[int] = 70

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return TURN, (0.0, math.inf)

    @property
    def periods(self) -> tuple[float, float]:
        return math.tau, 0.0

    @property
    def straight(self) -> int:
        return 1

    @property
    def meridian(self) -> Meridian:
        way = (math.sin(self.half_angle), math.cos(self.half_angle))
        return Meridian(self.frame.origin, self.frame.normal, (0.0, 0.0), way, from_apex=True)

    def least_radius(self) -> float:
        """Infinite: it is as small as one likes at the apex alone."""
        return math.inf

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        c, s, steep = np.cos(uv[:, 0]), np.sin(uv[:, 0]), math.tan(self.half_angle)
        axes = np.array([self.frame.x, self.frame.y])
        out, around = np.column_stack([c, s]) @ axes, np.column_stack([-s, c]) @ axes
        line, reach = steep * out + np.asarray(self.frame.normal), steep * uv[:, 1:]
        nought = np.zeros_like(line)
        rows = [[self.points(uv), line, nought], [reach * around, steep * around], [-reach * out]]
        return _table(rows, most)

    def normals_at(self, uv: FloatArray) -> FloatArray:
        c, s = math.cos(self.half_angle), math.sin(self.half_angle)
        ring = np.column_stack([np.cos(uv[:, 0]), np.sin(uv[:, 0])])
        return c * ring @ np.array([self.frame.x, self.frame.y]) - s * np.asarray(self.frame.normal)

    def local_feet(self, point: Vec3) -> FloatArray:
        """The foot, or the apex where the point lies beyond it."""
        return np.maximum(self.parameters(np.array([point])), [[-math.inf, 0.0]])

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        heights = self.frame.locals(corners)[:, 2]
        return TURN, (max(0.0, float(heights.min())), max(1e-9, float(heights.max())))

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        reach = math.tan(self.half_angle) * (cells[:, 1] + 0.5 * dv)
        return 0.5 * du * reach, np.full(len(cells), 0.5 * dv / math.cos(self.half_angle))

    @property
    def simple_spans(self) -> tuple[float, float]:
        return 0.5 * math.pi, math.inf

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        local, way = self.frame.locals(origins), turned_into(self.frame, direction)
        k = math.tan(self.half_angle) ** 2
        a = float(way[0] ** 2 + way[1] ** 2 - k * way[2] ** 2)
        b = local[:, 0] * way[0] + local[:, 1] * way[1] - k * local[:, 2] * way[2]
        c = local[:, 0] ** 2 + local[:, 1] ** 2 - k * local[:, 2] ** 2
        t = quadratic_roots(a, b, c)
        height = local[:, 2:3] + t * way[2]
        return np.where(height >= 0.0, t, np.nan)

    def moved(self, motion: Motion) -> tuple[ConeSurface, bool]:
        frame = motion.frame(self.frame)
        frame = Plane(frame.origin, motion.direction(self.frame.normal), frame.x)
        return ConeSurface(frame, self.half_angle), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> ConeSurface:
        apex = along(self.frame.origin, self.frame.normal, -distance / math.sin(self.half_angle))
        return ConeSurface(self.frame.moved_to(apex), self.half_angle)

    @property
    def singular_points(self) -> tuple[Tip, ...]:
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
        radial = local[:, :2] / np.maximum(np.hypot(local[:, 0], local[:, 1]), NOWHERE)[:, None]
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
        """(angle, height) of the feet of `points`, shape (N, 3), on the straight lines of the cone, also
        beyond its apex, where the height is negative; returns shape (N, 2), angle in (-pi, pi]."""
        local = self.frame.locals(points)
        c, s = math.cos(self.half_angle), math.sin(self.half_angle)
        height = c * (np.hypot(local[:, 0], local[:, 1]) * s + local[:, 2] * c)
        return np.column_stack([np.arctan2(local[:, 1], local[:, 0]), height])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        reach = math.tan(self.half_angle) * uv[:, 1]
        ring = np.column_stack([reach * np.cos(uv[:, 0]), reach * np.sin(uv[:, 0])])
        return self.frame.points(ring) + uv[:, 1:2] * np.asarray(self.frame.normal)


@dataclass(frozen=True, slots=True)
class SphereSurface(DirectSurface):
    """A sphere about `frame.origin`; u is the longitude from `frame.x`, v the latitude, radians."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "sphere"
    search_order: ClassVar[int] = 50

    @property
    def meridian(self) -> Meridian:
        return Meridian(self.frame.origin, None, (0.0, 0.0), radius=self.radius)

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return TURN, (-math.pi / 2, math.pi / 2)

    @property
    def periods(self) -> tuple[float, float]:
        return math.tau, 0.0

    @property
    def singular_points(self) -> tuple[()]:
        """None: a sphere has a normal everywhere, and poles wherever one likes."""
        return ()

    def least_radius(self) -> float:
        return self.radius

    def thickness(self) -> float:
        return self.radius

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        (c, s), (d, e) = ((f(uv[:, k])[:, None] for f in (np.cos, np.sin)) for k in (0, 1))
        x, y, up = (self.radius * np.asarray(a) for a in (self.frame.x, self.frame.y, self.frame.normal))
        out, around = c * x + s * y, c * y - s * x
        rows = [[self.points(uv), d * up - e * out, -d * out - e * up],
                [d * around, -e * around], [-d * out]]  # fmt: skip
        return _table(rows, most)

    def normals_at(self, uv: FloatArray) -> FloatArray:
        return (self.points(uv) - np.asarray(self.frame.origin)) / self.radius

    def local_feet(self, point: Vec3) -> FloatArray:
        return self.parameters(np.array([point]))

    def whole_box(self) -> FloatArray:
        center = np.asarray(self.frame.origin)
        return np.array([center - self.radius, center + self.radius])

    def extreme_points(self, ways: FloatArray = AXES) -> FloatArray:
        center, steps = np.asarray(self.frame.origin), self.radius * ways
        return np.concatenate([center + steps, center - steps])

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return self.domain

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        level = np.cos(np.maximum(np.abs(cells[:, 1]) - 0.5 * dv, 0.0))
        return 0.5 * du * self.radius * level, np.full(len(cells), 0.5 * dv * self.radius)

    @property
    def simple_spans(self) -> tuple[float, float]:
        return 0.5 * math.pi, 0.5 * math.pi

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        off = origins - np.asarray(self.frame.origin)
        return quadratic_roots(1.0, off @ direction, (off * off).sum(axis=1) - self.radius**2)

    def moved(self, motion: Motion) -> tuple[SphereSurface, bool]:
        return SphereSurface(motion.frame(self.frame), motion.factor * self.radius), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> SphereSurface | None:
        radius = self.radius + distance
        return replace(self, radius=radius) if radius > RESOLUTION else None

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`; ValueError at the center."""
        o = self.frame.origin
        return unit((point[0] - o[0], point[1] - o[1], point[2] - o[2]))

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        off = points - np.asarray(self.frame.origin)
        return off / np.maximum(np.linalg.norm(off, axis=1), NOWHERE)[:, None]

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
class TorusSurface(DirectSurface):
    """A ring about the normal of `frame`: a tube of radius `minor` whose middle runs on a circle of radius
    `major`. Where that is less than `minor`, the part of it outside its spindle; where it is negative, the
    spindle: the middle of its profile lies beyond the axis. u is the angle about the axis from `frame.x`, v
    the angle about the tube from outside towards the normal; radians."""

    frame: Plane
    major: float
    minor: float
    kind: ClassVar[str] = "torus"
    search_order: ClassVar[int] = 40

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return TURN, (-self.half_turn, self.half_turn)

    @property
    def periods(self) -> tuple[float, float]:
        return math.tau, 0.0 if self.meets_axis else math.tau

    @property
    def meridian(self) -> Meridian:
        return Meridian(self.frame.origin, self.frame.normal, (self.major, 0.0), radius=self.minor)

    @property
    def tube(self) -> float:
        return self.minor

    def least_radius(self) -> float:
        return min(self.minor, max(self.major - self.minor, SPINDLE * self.minor))

    def thickness(self) -> float:
        return self.minor

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        (c, s), (d, e) = ((f(uv[:, k])[:, None] for f in (np.cos, np.sin)) for k in (0, 1))
        x, y, up = (np.asarray(a) for a in (self.frame.x, self.frame.y, self.frame.normal))
        out, around, r = c * x + s * y, c * y - s * x, self.minor
        reach = self.major + r * d
        rows = [[self.points(uv), r * (d * up - e * out), -r * (d * out + e * up)],
                [reach * around, -r * e * around], [-reach * out]]  # fmt: skip
        return _table(rows, most)

    def normals_at(self, uv: FloatArray) -> FloatArray:
        ring = np.column_stack([np.cos(uv[:, 0]), np.sin(uv[:, 0])]) @ np.array([self.frame.x, self.frame.y])
        up = np.asarray(self.frame.normal)
        return np.asarray(np.cos(uv[:, 1:]) * ring + np.sin(uv[:, 1:]) * up)

    def local_feet(self, point: Vec3) -> FloatArray:
        """The foot, and where it lies beyond a tip that tip."""
        uv = self.parameters(np.array([point]))
        return np.clip(uv, [-math.inf, -self.half_turn], [math.inf, self.half_turn])

    def whole_box(self) -> FloatArray:
        center = np.asarray(self.frame.origin)
        level = np.sqrt(np.maximum(1.0 - np.asarray(self.frame.normal) ** 2, 0.0))
        reach = self.major * level + self.minor
        return np.array([center - reach, center + reach])

    def extreme_points(self, ways: FloatArray = AXES) -> FloatArray:
        center, axis, found = np.asarray(self.frame.origin), np.asarray(self.frame.normal), []
        for way in ways:
            level = way - (way @ axis) * axis
            size = math.hypot(*level)
            ring = level / size if size > 1e-12 else np.asarray(self.frame.x)
            for side in (1.0, -1.0):  # on both sides of the tube, of a ring that leans
                reach = self.major * ring + side * self.minor * way
                found += [center + reach, center - reach]
        found += [np.array(tip.point) for tip in self.singular_points]
        places = np.array(found)  # of a spindle some may lie on what is not of it
        return places[np.abs(self.distance(places)) <= RESOLUTION]

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return self.domain

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        reach = self.major + self.minor
        return np.full(len(cells), 0.5 * du * reach), np.full(len(cells), 0.5 * dv * self.minor)

    @property
    def simple_spans(self) -> tuple[float, float]:
        return 0.5 * math.pi, 0.5 * math.pi

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        return _torus_ray_hits(self, origins, direction)

    def moved(self, motion: Motion) -> tuple[TorusSurface, bool]:
        k = motion.factor
        return TorusSurface(motion.frame(self.frame), k * self.major, k * self.minor), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> TorusSurface | None:
        minor = self.minor + distance
        is_left = min(minor, self.major + minor) > RESOLUTION
        return TorusSurface(self.frame, self.major, minor) if is_left else None

    @property
    def meets_axis(self) -> bool:
        """Whether it is a spindle, or what lies outside of one: v does not go all round then."""
        return self.major < self.minor

    @property
    def half_turn(self) -> float:
        """The largest v, radians: half a turn, or less where the surface meets its axis."""
        return math.acos(max(-1.0, -self.major / self.minor))

    @property
    def singular_points(self) -> tuple[Tip, ...]:
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
        reach = np.maximum(np.hypot(x, y), NOWHERE)
        out = np.column_stack([(reach - self.major) * x / reach, (reach - self.major) * y / reach, z])
        out /= np.maximum(np.linalg.norm(out, axis=1), NOWHERE)[:, None]
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


def _torus_ray_hits(surface: TorusSurface, o: FloatArray, d: FloatArray) -> FloatArray:
    """Eigenvalues of the companion matrix of the quartic, polished by Newton on the distance."""
    local, way = surface.frame.locals(o), turned_into(surface.frame, d)
    near = -(local @ way)
    p = local + near[:, None] * way
    big, small = surface.major, surface.minor
    s = (p * p).sum(axis=1) + big * big - small * small
    flat = way[0] ** 2 + way[1] ** 2
    pd = p[:, 0] * way[0] + p[:, 1] * way[1]
    pp = p[:, 0] ** 2 + p[:, 1] ** 2
    four = 4.0 * big * big
    # (t^2 + s)^2 = 4 R^2 (flat t^2 + 2 pd t + pp), as p is at right angles to the way
    matrix = np.zeros((len(o), 4, 4))
    matrix[:, 1:, :3] = np.eye(3)
    matrix[:, 0, 3] = -(s * s - four * pp)
    matrix[:, 1, 3] = four * 2.0 * pd
    matrix[:, 2, 3] = -(2.0 * s - four * flat)
    roots: Any = np.linalg.eigvals(matrix)
    scale = big + small
    t = np.where(np.abs(roots.imag) < 1e-6 * scale, roots.real, np.nan)
    if surface.meets_axis:  # the quartic is of the spindle and of what lies outside of it together
        places = (o[:, None, :] + (t + near[:, None])[:, :, None] * d).reshape(-1, 3)
        t = np.where(np.abs(surface.distance(places).reshape(t.shape)) < 1e-5 * scale, t, np.nan)
    for _ in range(POLISH):
        places = o[:, None, :] + (t + near[:, None])[:, :, None] * d
        flat_places = places.reshape(-1, 3)
        with np.errstate(invalid="ignore", divide="ignore"):
            gap = surface.distance(flat_places).reshape(t.shape)
            slope = (surface.normals(flat_places) @ d).reshape(t.shape)
            step = np.where(np.abs(slope) > 1e-7, gap / slope, 0.0)
        t = t - np.clip(step, -0.1 * small, 0.1 * small)
    gap = surface.distance((o[:, None, :] + (t + near[:, None])[:, :, None] * d).reshape(-1, 3))
    t = np.where(np.abs(gap.reshape(t.shape)) < 1e-7 * scale, t, np.nan)
    return t + near[:, None]
