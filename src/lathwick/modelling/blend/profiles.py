"""Faces beside an edge as curves in the plane across it.

Beside a straight edge planes and parallel cylinders are lines and circles in every plane across it; beside
a circular one planes across its axis and surfaces of revolution about it are so in every half-plane of
the axis, or the curve that is turned. A ball that touches both is then a problem in that plane alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ...geometry.curve import Curve
from ...geometry.curves import Circle, Line
from ...geometry.placement import FloatArray, Plane
from ...geometry.surface import Surface
from ...geometry.tolerance import RESOLUTION
from ...geometry.turned import TurnedSurface
from ...geometry.vector import Vec2, Vec3, along, cross, dot, norm, scaled, sub

PARALLEL = 1e-9


@dataclass(frozen=True, slots=True)
class LineProfile:
    """The line normal . p = offset; the normal looks out of the body."""

    normal: Vec2
    offset: float

    def gap(self, p: Vec2) -> float:
        """Signed distance, positive outside the body."""
        return self.normal[0] * p[0] + self.normal[1] * p[1] - self.offset

    def shifted(self, d: float) -> LineProfile:
        """The line moved out by d."""
        return LineProfile(self.normal, self.offset + d)

    def foot(self, p: Vec2) -> Vec2:
        """The nearest point."""
        g = self.gap(p)
        return p[0] - g * self.normal[0], p[1] - g * self.normal[1]

    def tangent(self, p: Vec2) -> Vec2:
        """Unit direction at a point."""
        return -self.normal[1], self.normal[0]


@dataclass(frozen=True, slots=True)
class CircleProfile:
    """A circle; sign is 1 if the body is inside it, -1 if outside."""

    center: Vec2
    radius: float
    sign: float

    def gap(self, p: Vec2) -> float:
        """Signed distance, positive outside the body."""
        return self.sign * (math.dist(p, self.center) - self.radius)

    def shifted(self, d: float) -> CircleProfile | None:
        """The circle moved out of the body by d; None if it vanishes."""
        radius = self.radius + self.sign * d
        return CircleProfile(self.center, radius, self.sign) if radius > RESOLUTION else None

    def foot(self, p: Vec2) -> Vec2:
        """The nearest point."""
        size = math.dist(p, self.center)
        k = self.radius / size
        return self.center[0] + k * (p[0] - self.center[0]), self.center[1] + k * (p[1] - self.center[1])

    def tangent(self, p: Vec2) -> Vec2:
        """Unit direction at a point."""
        x, y = p[0] - self.center[0], p[1] - self.center[1]
        size = math.hypot(x, y)
        return -y / size, x / size


@dataclass(frozen=True, slots=True)
class CurveProfile:
    """A curve that is turned about the axis of the edge; sign is 1 if the normal of its surface looks out of
    the body. Its heights are `base` and up times those of the surface."""

    surface: TurnedSurface
    base: float
    up: float
    sign: float

    def _place(self, p: Vec2) -> Vec3:
        frame = self.surface.frame
        return along(along(frame.origin, frame.x, p[0]), frame.normal, self.up * (p[1] - self.base))

    def gap(self, p: Vec2) -> float:
        """Signed distance, positive outside the body."""
        return self.sign * self.surface.gap(self._place(p))

    def at(self, t: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Points at parameters, (N,), and unit normals out of the body; (N, 2) each."""
        (r, z), (dr, dz) = self.surface.flat(t, 1)
        normals = self.sign * np.column_stack([dz, -self.up * dr]) / np.hypot(dr, dz)[:, None]
        return np.column_stack([r, self.base + self.up * z]), normals

    def _one(self, t: float) -> tuple[Vec2, Vec2]:
        (point,), (normal,) = (rows.tolist() for rows in self.at(np.array([t])))
        return (point[0], point[1]), (normal[0], normal[1])

    def foot(self, p: Vec2) -> Vec2:
        """The nearest point."""
        return self._one(self.surface.foot(self._place(p))[1])[0]

    def normal(self, p: Vec2) -> Vec2:
        """The unit normal out of the body at a point."""
        return self._one(self.surface.foot(self._place(p))[1])[1]

    def centers(self, other: Profile, d: float) -> list[Vec2]:
        """Places d outside of this and of another profile."""

        def moved(t: float) -> Vec2:
            (x, y), (a, b) = self._one(t)
            return x + d * a, y + d * b

        found = [moved(t) for t in self._roots(lambda t: other.gap(moved(t)) - d)]
        return [p for p in found if abs(self.gap(p) - d) <= RESOLUTION]  # else on what has folded back

    def away(self, p: Vec2, way: Vec2, size: float) -> list[Vec2]:
        """Points of the curve at a distance from one of it, in a direction."""
        found = [self._one(t)[0] for t in self._roots(lambda t: math.dist(self._one(t)[0], p) - size)]
        return [q for q in found if (q[0] - p[0]) * way[0] + (q[1] - p[1]) * way[1] > 0.0]

    def _roots(self, rule: Callable[[float], float]) -> list[float]:
        """Where a function of the parameter changes its sign."""
        from scipy.optimize import brentq

        curve, span = self.surface.reaching
        t = curve.samples(*span).tolist()
        values = [rule(s) for s in t]
        pairs = zip(pairwise(t), pairwise(values), strict=True)
        return [float(brentq(rule, a, b, xtol=1e-15, rtol=1e-15)) for (a, b), (f, g) in pairs if f * g < 0.0]


Profile = LineProfile | CircleProfile | CurveProfile


@dataclass(frozen=True, slots=True)
class Across:
    """The plane across an edge: of a straight one that at `origin`, of a circular one a half-plane of its
    axis, with the distance from the axis and the height over `origin` as coordinates."""

    origin: Vec3
    x: Vec3
    y: Vec3
    circle: Circle | None

    @classmethod
    def of(cls, curve: Curve) -> Across | None:
        """None for a curve that is neither straight nor a circle."""
        if isinstance(curve, Line):
            frame = Plane(curve.origin, curve.direction)
            return cls(curve.origin, frame.x, frame.y, None)
        if isinstance(curve, Circle):
            return cls(curve.frame.origin, curve.frame.x, curve.frame.normal, curve)
        return None

    def local(self, p: Vec3) -> Vec2:
        """Coordinates of a point."""
        d = sub(p, self.origin)
        if self.circle is None:
            return dot(d, self.x), dot(d, self.y)
        h = dot(d, self.y)
        return norm(sub(d, scaled(self.y, h))), h

    def path(self, p: Vec2) -> Curve:
        """What a point becomes along the edge: a line or a circle that keeps the edge's parameter; on the
        axis a circle of no radius."""
        if self.circle is None:
            moved = along(along(self.origin, self.x, p[0]), self.y, p[1])
            return Line(moved, cross(self.x, self.y))
        radius = p[0] if p[0] > RESOLUTION else 0.0
        return Circle(self.circle.frame.moved_to(along(self.origin, self.y, p[1])), radius)

    def profile(self, surface: Surface, outward: bool) -> Profile | None:
        """A surface in this plane; None if it is another one in other places along the edge."""
        sign = 1.0 if outward else -1.0
        return self._straight(surface, sign) if self.circle is None else self._round(surface, sign)

    def _straight(self, surface: Surface, sign: float) -> Profile | None:
        way, plane, meridian = cross(self.x, self.y), surface.plane, surface.meridian
        if plane is not None:
            n = scaled(plane.normal, sign)
            if abs(dot(n, way)) > PARALLEL:
                return None
            return LineProfile((dot(n, self.x), dot(n, self.y)), dot(n, sub(plane.origin, self.origin)))
        if meridian is None or meridian.axis is None or meridian.way != (0.0, 1.0):
            return None  # only a cylinder, and only along its axis, is the same everywhere
        if norm(cross(meridian.axis, way)) > PARALLEL:
            return None
        return CircleProfile(self.local(meridian.origin), meridian.point[0], sign)

    def _round(self, surface: Surface, sign: float) -> Profile | None:
        axis, plane, meridian = self.y, surface.plane, surface.meridian
        if plane is not None:
            if norm(cross(plane.normal, axis)) > PARALLEL:
                return None
            up = math.copysign(1.0, dot(plane.normal, axis)) * sign
            return LineProfile((0.0, up), up * dot(sub(plane.origin, self.origin), axis))
        if isinstance(surface, TurnedSurface):
            return self._turned(surface, sign)
        if meridian is None:
            return None
        off = sub(meridian.origin, self.origin)
        height = dot(off, axis)
        if norm(sub(off, scaled(axis, height))) > RESOLUTION:
            return None
        if meridian.axis is not None and norm(cross(meridian.axis, axis)) > PARALLEL:
            return None
        up = 1.0 if meridian.axis is None else math.copysign(1.0, dot(meridian.axis, axis))
        place = (meridian.point[0], height + up * meridian.point[1])
        if meridian.way is None:
            return CircleProfile(place, meridian.radius, sign)
        normal = (sign * meridian.way[1], -sign * up * meridian.way[0])
        return LineProfile(normal, normal[0] * place[0] + normal[1] * place[1])

    def _turned(self, surface: TurnedSurface, sign: float) -> CurveProfile | None:
        off, axis = sub(surface.frame.origin, self.origin), surface.frame.normal
        base = dot(off, self.y)
        if norm(sub(off, scaled(self.y, base))) > RESOLUTION or norm(cross(axis, self.y)) > PARALLEL:
            return None
        return CurveProfile(surface, base, math.copysign(1.0, dot(axis, self.y)), sign)


def touching_centers(one: Profile, two: Profile, d: float) -> list[Vec2]:
    """Where the centers of circles lie that are d outside of (if negative, -d inside) both profiles."""
    if isinstance(one, CurveProfile):
        return one.centers(two, d)
    if isinstance(two, CurveProfile):
        return two.centers(one, d)
    a, b = one.shifted(d), two.shifted(d)
    if a is None or b is None:
        return []
    if isinstance(a, LineProfile) and isinstance(b, LineProfile):
        return _lines(a, b)
    if isinstance(a, CircleProfile) and isinstance(b, CircleProfile):
        return _circles(a, b)
    line, circle = (a, b) if isinstance(a, LineProfile) else (b, a)
    assert isinstance(line, LineProfile) and isinstance(circle, CircleProfile)
    h = line.gap(circle.center)
    rest = circle.radius**2 - h * h
    if rest < 0.0:
        return []
    foot, way, size = line.foot(circle.center), line.tangent(circle.center), math.sqrt(rest)
    return [(foot[0] + k * way[0], foot[1] + k * way[1]) for k in (size, -size)]


def _lines(a: LineProfile, b: LineProfile) -> list[Vec2]:
    turn = a.normal[0] * b.normal[1] - a.normal[1] * b.normal[0]
    if abs(turn) < PARALLEL:
        return []
    x = (a.offset * b.normal[1] - b.offset * a.normal[1]) / turn
    y = (b.offset * a.normal[0] - a.offset * b.normal[0]) / turn
    return [(x, y)]


def _circles(a: CircleProfile, b: CircleProfile) -> list[Vec2]:
    d = math.dist(a.center, b.center)
    if d < RESOLUTION:
        return []
    t = 0.5 * (d + (a.radius - b.radius) * (a.radius + b.radius) / d)
    rest = a.radius**2 - t * t
    if rest < 0.0:
        return []
    x, y = (b.center[0] - a.center[0]) / d, (b.center[1] - a.center[1]) / d
    h = math.sqrt(rest)
    return [(a.center[0] + t * x - k * y, a.center[1] + t * y + k * x) for k in (h, -h)]
