"""Lines, circles and ellipses: arc length is the parameter on a line, the angle on a circle."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from .curve import AXES, Curve, Form, even_breaks, turns_between
from .motion import Motion
from .placement import FloatArray, Plane
from .vector import Vec3, along, dot, scaled, sub, vec3

NIL = 1e-18
"""A point so near to the long axis of an ellipse, as a share of the short one, lies on it."""

IN_A_ROW = 1e-9
"""Twice the area between three places, as a share of the squares of their ways, that tells no circle."""

NEWTON_STEPS = 100
"""More than the search for the foot of a point on an ellipse takes, however slender that is."""


STRAIGHT = Form(lambda t: t, np.zeros_like, np.ones_like, np.zeros_like)
ROUND = Form(np.cos, np.sin, lambda t: -np.sin(t), np.cos)


@dataclass(frozen=True, slots=True)
class Line(Curve):
    """A straight line; the parameter is the distance from `origin` along the unit `direction`."""

    origin: Vec3
    direction: Vec3
    kind: ClassVar[str] = "line"
    form: ClassVar[Form] = STRAIGHT

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        return self.origin, self.direction, (0.0, 0.0, 0.0)

    def moved(self, motion: Motion) -> Line:
        return Line(motion.point(self.origin), motion.direction(self.direction))

    def point(self, t: float) -> Vec3:
        return along(self.origin, self.direction, t)

    def points(self, t: FloatArray) -> FloatArray:
        """Points at parameters `t`, shape (N,); returns shape (N, 3)."""
        return np.asarray(self.origin) + t[:, None] * np.asarray(self.direction)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        return np.broadcast_to(np.asarray(self.direction), (len(t), 3))

    def second(self, t: FloatArray) -> FloatArray:
        return np.zeros((len(t), 3))

    def tangent(self, t: float) -> Vec3:
        return self.direction

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point on the line."""
        return dot(sub(point, self.origin), self.direction)

    def nearest_between(self, point: Vec3, t0: float, t1: float) -> float:
        return min(max(self.parameter(point), t0), t1)

    def length(self, t0: float, t1: float) -> float:
        return t1 - t0

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        """None: a line reaches farthest at its ends."""
        return []


@dataclass(frozen=True, slots=True)
class Circle(Curve):
    """A circle about `frame.origin` in the plane of `frame`; the parameter is the angle from
    `frame.x` in radians, counter-clockwise seen against `frame.normal`."""

    frame: Plane
    radius: float
    kind: ClassVar[str] = "circle"
    form: ClassVar[Form] = ROUND

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        frame = self.frame
        return frame.origin, scaled(frame.x, self.radius), scaled(frame.y, self.radius)

    @property
    def period(self) -> float:
        return math.tau

    @property
    def domain(self) -> tuple[float, float]:
        return 0.0, math.tau

    @property
    def center(self) -> Vec3:
        return self.frame.origin

    def moved(self, motion: Motion) -> Circle:
        return Circle(motion.frame(self.frame), motion.factor * self.radius)

    def box(self, t0: float, t1: float) -> FloatArray:
        if t1 - t0 < math.tau:
            return Curve.box(self, t0, t1)
        o, x, y = self.frame.origin, self.frame.x, self.frame.y
        reach = [self.radius * math.hypot(a, b) for a, b in zip(x, y, strict=True)]
        return np.array([[c - r for c, r in zip(o, reach, strict=True)],
                         [c + r for c, r in zip(o, reach, strict=True)]])  # fmt: skip

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.radius * math.cos(t), self.radius * math.sin(t))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at angles `t`, shape (N,), radians; returns shape (N, 3)."""
        turned = np.empty((len(t), 2))
        turned[:, 0], turned[:, 1] = np.cos(t), np.sin(t)
        return self.frame.points(self.radius * turned)

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3), length per radian."""
        axes = np.array([self.frame.x, self.frame.y])
        return (self.radius * np.column_stack([-np.sin(t), np.cos(t)])) @ axes

    def second(self, t: FloatArray) -> FloatArray:
        return np.asarray(self.frame.origin) - self.points(t)

    def tangent(self, t: float) -> Vec3:
        x, y, c, s = self.frame.x, self.frame.y, math.cos(t), math.sin(t)
        return (c * y[0] - s * x[0], c * y[1] - s * x[1], c * y[2] - s * x[2])

    def parameter(self, point: Vec3) -> float:
        """Angle of the nearest point, in [0, 2 pi)."""
        u, v, _ = self.frame.local(point)
        return math.atan2(v, u) % math.tau

    def length(self, t0: float, t1: float) -> float:
        return self.radius * (t1 - t0)

    def nearest_between(self, point: Vec3, t0: float, t1: float) -> float:
        """By the turn to the foot on the whole circle: beyond an end of the piece that end is the nearest."""
        turn = (self.parameter(point) - t0) % math.tau
        if turn <= t1 - t0:
            return t0 + turn
        return t1 if turn - (t1 - t0) <= math.tau - turn else t0

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        flat = ways @ np.array([self.frame.x, self.frame.y]).T
        return [t for u, v in flat.tolist() for t in turns_between(math.atan2(v, u), t0, t1)]

    def breaks(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most a quarter turn apart."""
        return even_breaks(t0, t1, math.pi / 2)


@dataclass(frozen=True, slots=True)
class Ellipse(Curve):
    """An ellipse about `frame.origin`: `major` along `frame.x`, `minor` along `frame.y`; the parameter t
    (radians) gives the point (major cos t, minor sin t)."""

    frame: Plane
    major: float
    minor: float
    kind: ClassVar[str] = "ellipse"
    form: ClassVar[Form] = ROUND

    @property
    def axes(self) -> tuple[Vec3, Vec3, Vec3]:
        return self.frame.origin, scaled(self.frame.x, self.major), scaled(self.frame.y, self.minor)

    @property
    def period(self) -> float:
        return math.tau

    @property
    def domain(self) -> tuple[float, float]:
        return 0.0, math.tau

    @property
    def center(self) -> Vec3:
        return self.frame.origin

    def moved(self, motion: Motion) -> Ellipse:
        k = motion.factor
        return Ellipse(motion.frame(self.frame), k * self.major, k * self.minor)

    def point(self, t: float) -> Vec3:
        return self.frame.point(self.major * math.cos(t), self.minor * math.sin(t))

    def points(self, t: FloatArray) -> FloatArray:
        """Points at `t`, shape (N,); returns shape (N, 3)."""
        return self.frame.points(np.column_stack([self.major * np.cos(t), self.minor * np.sin(t)]))

    def derivatives(self, t: FloatArray) -> FloatArray:
        """First derivatives at `t`, shape (N,); returns shape (N, 3)."""
        axes = np.array([self.frame.x, self.frame.y])
        return np.column_stack([-self.major * np.sin(t), self.minor * np.cos(t)]) @ axes

    def second(self, t: FloatArray) -> FloatArray:
        return np.asarray(self.frame.origin) - self.points(t)

    def nearest(self, points: FloatArray) -> FloatArray:
        """Parameters of the points of the ellipse nearest to `points`, (N, 3), in [0, 2 pi); returns (N,)."""
        local = self.frame.locals(points)
        return nearest_on_ellipses(local[:, 0], local[:, 1], self.major, self.minor) % math.tau

    def parameter(self, point: Vec3) -> float:
        """Parameter of the nearest point of the ellipse, in [0, 2 pi)."""
        u, v, _ = self.frame.local(point)
        return nearest_on_ellipse(u, v, self.major, self.minor) % math.tau

    def length(self, t0: float, t1: float) -> float:
        return ellipse_length(self.major, self.minor, t0, t1)

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        flat = ways @ np.array([self.frame.x, self.frame.y]).T * (self.major, self.minor)
        return [t for u, v in flat.tolist() for t in turns_between(math.atan2(v, u), t0, t1)]

    def breaks(self, t0: float, t1: float) -> list[float]:
        """Parameters from t0 to t1, at most a quarter turn apart."""
        return even_breaks(t0, t1, math.pi / 2)

    def parts(self, t0: float, t1: float) -> list[float]:
        """Finer and finer towards the sharp ends of a slender ellipse."""
        return ellipse_parts(self.major, self.minor, t0, t1)


def circle_through(a: Vec3, b: Vec3, c: Vec3) -> Circle | None:
    """The circle from a by b to c, with its parameter 0 at a; None for places in a row."""
    p, q, r = (np.asarray(v) for v in (a, b, c))
    normal = np.cross(q - p, r - p)
    size = float(np.linalg.norm(normal))
    if size <= IN_A_ROW * float((q - p) @ (q - p) + (r - p) @ (r - p)):
        return None
    n = normal / size
    rows = np.array([2.0 * (q - p), 2.0 * (r - p), n])
    center = np.linalg.solve(rows, [q @ q - p @ p, r @ r - p @ p, n @ p])
    return Circle(Plane(vec3(center), vec3(n), vec3(p - center)), float(np.linalg.norm(p - center)))


def ellipse_parts(major: float, minor: float, t0: float, t1: float) -> list[float]:
    """Parameters from t0 to t1 between which the speed of an ellipse is smooth enough for a Gauss rule.

    The speed has its nearest complex zeros at about minor / major from the sharp ends, so the parts
    shrink towards those ends by halves until they are of that size.
    """
    sharp, ratio = (0.0, minor / major) if major >= minor else (math.pi / 2, major / minor)
    steps = [math.pi / 4]
    while steps[-1] > ratio / 2:
        steps.append(steps[-1] / 2)
    offsets = [0.0, *(sign * step for step in steps for sign in (1, -1)), math.pi / 2]
    stops = set()
    for k in range(math.floor((t0 - sharp) / math.pi) - 1, math.ceil((t1 - sharp) / math.pi) + 2):
        stops |= {sharp + k * math.pi + offset for offset in offsets}
    return [t0, *sorted(t for t in stops if t0 + 1e-9 < t < t1 - 1e-9), t1]


def ellipse_length(major: float, minor: float, t0: float, t1: float) -> float:
    """Arc length of an ellipse from parameter t0 to t1, by elliptic integrals of the second kind.

    Source: Abramowitz & Stegun 17.2.8, with the complementary angle where the first axis is longer.
    """
    from scipy.special import ellipeinc

    def from_zero(t: float) -> float:
        if major <= minor:
            return float(minor * ellipeinc(t, 1.0 - (major / minor) ** 2))
        m = 1.0 - (minor / major) ** 2
        return float(major * (ellipeinc(t - math.pi / 2, m) - ellipeinc(-math.pi / 2, m)))

    return from_zero(t1) - from_zero(t0)


def nearest_on_ellipse(u: float, v: float, major: float, minor: float) -> float:
    """Parameter of the point of the ellipse nearest to (u, v), however slender it is.

    Source: Eberly, "Distance from a point to an ellipse, an ellipsoid, or a hyperellipsoid", Geometric Tools
    (2013): in one quadrant the place is the only root of a convex function, found by Newton's method.
    """
    if major < minor:
        return 0.5 * math.pi - nearest_on_ellipse(v, u, minor, major)
    over = (major - minor) * (major + minor)
    x, y, more = abs(u) / major, abs(v) / minor, over / (minor * minor)
    if y > NIL:
        q = max(y, (1.0 + more) * (x - 1.0) + 1.0)
        for _ in range(NEWTON_STEPS):
            a, b = (1.0 + more) * x / (q + more), y / q
            step = (a * a + b * b - 1.0) / (2.0 * (a * a / (q + more) + b * b / q))
            q += step
            if not step > 1e-16 * q:
                break
        t = math.atan2(y / q, (1.0 + more) * x / (q + more))
    else:  # of two places that are as near the one above
        t = math.acos(major * abs(u) / over) if major * abs(u) < over else 0.0
    t = t if u >= 0.0 else math.pi - t
    return t if v >= 0.0 else -t


def nearest_on_ellipses(u: FloatArray, v: FloatArray, major: float, minor: float) -> FloatArray:
    """As `nearest_on_ellipse`, of points with the coordinates `u` and `v`, (N,) each."""
    if major < minor:
        return 0.5 * math.pi - nearest_on_ellipses(v, u, minor, major)
    over = (major - minor) * (major + minor)
    x, y, more = np.abs(u) / major, np.abs(v) / minor, over / (minor * minor)
    q = np.maximum(y, (1.0 + more) * (x - 1.0) + 1.0)
    left = np.flatnonzero(y > NIL)
    for _ in range(NEWTON_STEPS):
        now = q[left]
        a, b = (1.0 + more) * x[left] / (now + more), y[left] / now
        step = (a * a + b * b - 1.0) / (2.0 * (a * a / (now + more) + b * b / now))
        q[left] = now + step
        left = left[step > 1e-16 * q[left]]
        if not len(left):
            break
    on_axis = y <= NIL
    q[on_axis] = 1.0
    t = np.arctan2(y / q, (1.0 + more) * x / (q + more))
    if on_axis.any():  # of two places that are as near the one above
        off = major * np.abs(u[on_axis])
        t[on_axis] = np.where(off < over, np.arccos(np.minimum(off / max(over, NIL), 1.0)), 0.0)
    t = np.where(u >= 0.0, t, math.pi - t)
    return np.where(v >= 0.0, t, -t)
