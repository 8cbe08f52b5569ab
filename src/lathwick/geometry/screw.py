"""Helices, and the surfaces that a curve sweeps in a screw motion.

Source: Kreyszig, Differential Geometry, 18 and 82 (helices and helicoidal surfaces).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from .curve import AXES, Curve, even_breaks, turns_between
from .motion import Motion
from .placement import FloatArray, Plane
from .rational import rational_curve
from .roots import monotone_zeros
from .spline_surface import SplineSurface
from .surface import LAST_STEP, Derivatives, Interval, Surface
from .tolerance import RESOLUTION
from .vector import Vec3, add, along, cross, distance, dot, norm, scaled, sub, vec3

WIDEST = math.pi / 4.0
"""Parts of a helix are no longer than this turn (radians)."""

NEWTON_ROUNDS, SETTLED = 60, 1e-14
PROFILE_SAMPLES = 33
DEGREE, PER_TURN = 7, 72
"""Cosines are splines of this degree, through so many points of each turn."""

FLAT = 1e-4
"""Where a profile leaves a distance from the axis at a smaller angle (radians), its helix is not sure."""

PARALLEL = 1e-9
QUICK_ROUNDS = 6
STIFF = 1e-9
"""A foot is sure where the distance has a minimum that is, so measured, no valley."""

BESIDE = 0.1
"""It is as near to its start as this share of the range."""


@dataclass(frozen=True, eq=False)
class Helix(Curve):
    """A helix about the normal of a frame, which it leaves from along x at a radius.

    The parameter is the angle turned, in radians; rise : along the normal for each radian, negative for a
    left-hand one.
    """

    frame: Plane
    radius: float
    rise: float
    kind: ClassVar[str] = "helix"

    @cached_property
    def _rows(self) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
        frame = self.frame
        return np.asarray(frame.origin), np.asarray(frame.x), np.asarray(frame.y), np.asarray(frame.normal)

    def points(self, t: FloatArray) -> FloatArray:
        origin, x, y, axis = self._rows
        flat = self.radius * (np.cos(t)[:, None] * x + np.sin(t)[:, None] * y)
        return np.asarray(origin + flat + self.rise * t[:, None] * axis)

    def derivatives(self, t: FloatArray) -> FloatArray:
        _, x, y, axis = self._rows
        return np.asarray(self.radius * (np.cos(t)[:, None] * y - np.sin(t)[:, None] * x) + self.rise * axis)

    def second(self, t: FloatArray) -> FloatArray:
        _, x, y, _ = self._rows
        return np.asarray(-self.radius * (np.cos(t)[:, None] * x + np.sin(t)[:, None] * y))

    def moved(self, motion: Motion) -> Self:
        sense = -1.0 if motion.is_mirror else 1.0  # a mirror image is of the other hand
        return type(self)(
            motion.frame(self.frame), motion.factor * self.radius, sense * motion.factor * self.rise
        )

    def breaks(self, t0: float, t1: float) -> list[float]:
        return even_breaks(t0, t1, WIDEST)

    def length(self, t0: float, t1: float) -> float:
        return math.hypot(self.radius, self.rise) * (t1 - t0)

    def extremes(self, t0: float, t1: float, ways: FloatArray = AXES) -> list[float]:
        """Where it runs square to a way: sin(t - a) = c, in closed form."""
        _, x, y, axis = self._rows
        found: list[float] = []
        for way in ways:
            flat, up = self.radius * math.hypot(way @ x, way @ y), self.rise * float(way @ axis)
            if abs(up) <= flat:
                turn, lean = math.atan2(way @ y, way @ x), math.asin(up / flat) if flat else 0.0
                found += turns_between(turn + lean, t0, t1)
                found += turns_between(turn - lean, t0, t1)
        return sorted(found)

    def is_coaxial(self, frame: Plane) -> bool:
        """Whether the axis is the normal of a frame."""
        return _is_coaxial(self.frame, frame)

    def parameter(self, point: Vec3) -> float:
        """The nearest point lies between the place at the point's height and the nearest one on its side of
        the axis, less than half a turn off. What its slope is there is concave, and Newton's method climbs to
        its zero from the latter."""
        off = sub(point, self.frame.origin)
        x, y, z = (dot(off, d) for d in (self.frame.x, self.frame.y, self.frame.normal))
        pull, stiff, level = self.radius * math.hypot(x, y), self.rise**2, z / self.rise
        side = math.atan2(y, x)
        side += math.tau * round((level - side) / math.tau)
        ahead, s = level - side, 0.0
        for _ in range(NEWTON_ROUNDS):
            step = (stiff * (ahead - s) - pull * math.sin(s)) / (stiff + pull * math.cos(s))
            s += step
            if abs(step) <= SETTLED:
                break
        return side + s


@dataclass(frozen=True, eq=False)
class ScrewSurface(Surface):
    """A curve in a screw motion about the normal of a frame.

    u is the angle turned, in radians, over `turn`: about a turn or less; v the parameter of the curve over
    `range`. rise : along the axis for each radian, negative for a left-hand motion.
    """

    frame: Plane
    rise: float
    profile: Curve
    turn: Interval
    range: Interval
    kind: ClassVar[str] = "screw"
    search_order: ClassVar[int] = 25

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return self.turn, self.range

    def smooth_breaks(self) -> tuple[list[float], list[float]]:
        return [], self.profile.smooth_breaks(*self.range)

    @property
    def straight(self) -> int | None:
        return 1 if self.profile.kind == "line" else None

    @cached_property
    def _rows(self) -> FloatArray:
        """The frame's directions, one in each row."""
        return np.array([self.frame.x, self.frame.y, self.frame.normal])

    def _turned(self, u: FloatArray, p: FloatArray) -> FloatArray:
        """Vectors turned by u, in the frame's coordinates as what comes of them, (N, 3)."""
        c, s, local = np.cos(u), np.sin(u), p @ self._rows.T
        x, y = local[:, 0].copy(), local[:, 1]
        local[:, 0], local[:, 1] = c * x - s * y, s * x + c * y
        return np.asarray(local)

    def points(self, uv: FloatArray) -> FloatArray:
        made = self._turned(uv[:, 0], self.profile.points(uv[:, 1]) - self.frame.origin)
        made[:, 2] += self.rise * uv[:, 0]
        return np.asarray(made @ self._rows + self.frame.origin)

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        u, v = uv[:, 0], uv[:, 1]
        p = self._turned(u, self.profile.points(v) - self.frame.origin)
        p[:, 2] += self.rise * u
        found = [[p]]
        if most:
            d = self._turned(u, self.profile.derivatives(v))
            found[0].append(d)
            found.append([_quarter(p, self.rise)])
        if most > 1:
            found[0].append(self._turned(u, self.profile.second(v)))
            found[1].append(_quarter(d, 0.0))
            found.append([_quarter(found[1][0], 0.0)])
        made = [[np.asarray(local @ self._rows) for local in row] for row in found]
        made[0][0] += self.frame.origin
        return made

    def derivatives_at(self, u: float, v: float) -> Derivatives:
        t = np.array([v])
        c, s, frame = math.cos(u), math.sin(u), self.frame
        x, y, axis = frame.x, frame.y, frame.normal

        def parts(row: FloatArray) -> tuple[float, float, float]:
            d = vec3(row)
            return dot(d, x), dot(d, y), dot(d, axis)

        def made(a: float, b: float, h: float) -> Vec3:
            return (
                a * x[0] + b * y[0] + h * axis[0],
                a * x[1] + b * y[1] + h * axis[1],
                a * x[2] + b * y[2] + h * axis[2],
            )

        px, py, pz = parts(self.profile.points(t)[0] - frame.origin)
        dx, dy, dz = parts(self.profile.derivatives(t)[0])
        ex, ey, ez = parts(self.profile.second(t)[0])
        a, b = c * px - s * py, s * px + c * py
        f, g = c * dx - s * dy, s * dx + c * dy
        return (
            add(frame.origin, made(a, b, pz + self.rise * u)),
            made(-b, a, self.rise),
            made(f, g, dz),
            made(-a, -b, 0.0),
            made(-g, f, 0.0),
            made(c * ex - s * ey, s * ex + c * ey, ez),
        )

    @cached_property
    def _spots(self) -> tuple[FloatArray, FloatArray]:
        """Parameters of the profile, and its points as distance from the axis, angle and height, (M, 3)."""
        v = np.linspace(*self.reachable[1], PROFILE_SAMPLES)
        return v, self._round(self.profile.points(v))

    def _round(self, points: FloatArray) -> FloatArray:
        off = points - self.frame.origin
        x, y, z = (off @ np.asarray(d) for d in (self.frame.x, self.frame.y, self.frame.normal))
        return np.column_stack([np.hypot(x, y), np.arctan2(y, x), z])

    def _starts(self, points: FloatArray) -> FloatArray:
        """(u, v) of the nearest of the helices of points of the profile, within the reach of u, at its place
        beside each point, (N, 3)."""
        v, spots = self._spots
        here = self._round(points)
        ahead = here[:, None, 1] - spots[:, 1]
        high = (here[:, None, 2] - spots[:, 2]) / self.rise
        u = ahead + math.tau * np.round((high - ahead) / math.tau)
        low, top = self.reachable[0]
        u = u + math.tau * (
            np.ceil((low - u) / math.tau) * (u < low) - np.ceil((u - top) / math.tau) * (u > top)
        )
        u = np.clip(u, low, top)
        lag = u - ahead
        square = here[:, :1] ** 2 + spots[:, 0] ** 2 - 2.0 * here[:, :1] * spots[:, 0] * np.cos(lag)
        square = square + (here[:, 2:] - spots[:, 2] - self.rise * u) ** 2
        best = square.argmin(axis=1)
        return np.column_stack([u[np.arange(len(u)), best], v[best]])

    def parameters(self, points: FloatArray) -> FloatArray:
        starts = self._starts(points)
        uv, sure = self._turned_back(points, starts)
        if not sure.all():
            uv[~sure] = self.feet_from(points[~sure], starts[~sure])
        return self.wrapped(uv)

    def _turned_back(self, points: FloatArray, starts: FloatArray) -> tuple[FloatArray, NDArray[np.bool_]]:
        """(u, v) of the feet of points, (N, 2), and which of them are sure. The points are turned back by u,
        to the profile, where Newton's method needs no more than that; what it does not settle near its start,
        or leads out of the surface, is left to the general way."""
        low, high, span = self._own.limits
        origin, rows = np.asarray(self.frame.origin), self._rows.T
        q, uv, first = ((points - origin) @ rows).T, starts.copy(), None
        move, sure = np.full(uv.shape, np.inf), np.ones(len(uv), dtype=bool)
        for _ in range(QUICK_ROUNDS):
            u, v = uv.T
            cos, sin = np.cos(u), np.sin(u)
            x, y, z = cos * q[0] + sin * q[1], cos * q[1] - sin * q[0], q[2] - self.rise * u
            p = ((self.profile.points(v) - origin) @ rows).T
            d, e = (self.profile.derivatives(v) @ rows).T, (self.profile.second(v) @ rows).T
            f = p[0] - x, p[1] - y, p[2] - z
            square = f[0] * f[0] + f[1] * f[1] + f[2] * f[2]
            first = square if first is None else first
            slope_u, slope_v = f[1] * x - f[0] * y + self.rise * f[2], f[0] * d[0] + f[1] * d[1] + f[2] * d[2]
            a = x * (x + f[0]) + y * (y + f[1]) + self.rise**2
            b = x * d[1] - y * d[0] + self.rise * d[2]
            c = (d * d).sum(axis=0) + f[0] * e[0] + f[1] * e[1] + f[2] * e[2]
            rest = a * c - b * b
            sure &= (a > 0.0) & (rest > STIFF * a * c)
            rest = np.where(sure, rest, 1.0)
            move = np.column_stack([b * slope_v - c * slope_u, b * slope_u - a * slope_v]) / rest[:, None]
            uv = uv + np.where(sure[:, None], move, 0.0)
            if (np.abs(move[sure]) <= LAST_STEP * span).all():
                break
        settled = (np.abs(move) <= LAST_STEP * span) & (np.abs(uv - starts) <= BESIDE * span)
        return uv, sure & (square <= first) & (settled & (uv >= low) & (uv <= high)).all(axis=1)

    def foot(self, point: Vec3) -> tuple[float, float]:
        start = self._starts(np.array([point]))
        u, v = start[0].tolist()
        found = self._foot_from(point, u, v)
        if found is None:
            a, b = self.feet_from(np.array([point]), start)[0].tolist()
            found = (a, b)
        return found

    def exact_spline(self, us: Interval, vs: Interval) -> SplineSurface | None:
        """The same points, but for the cosines, which are splines to 1e-11; None beyond the ends of a spline
        that turns."""
        from scipy.interpolate import make_interp_spline

        low, high = self.profile.domain
        if not self.profile.period and not (low <= vs[0] and vs[1] <= high):
            return None
        profile = rational_curve(self.profile, *vs)
        count = max(DEGREE + 1, math.ceil(PER_TURN * (us[1] - us[0]) / math.tau))
        u = np.linspace(*us, count + 1)
        fit = make_interp_spline(u, np.column_stack([np.cos(u), np.sin(u), u]), DEGREE)
        axis = np.asarray(self.frame.normal)
        across = np.eye(3) - np.outer(axis, axis)
        aside = np.outer(self.frame.x, self.frame.y) - np.outer(self.frame.y, self.frame.x)
        p = profile.controls - self.frame.origin
        along = (p @ axis)[None, :] + self.rise * fit.c[:, 2:]
        net = fit.c[:, :1, None] * (p @ across) + fit.c[:, 1:2, None] * (p @ aside) + along[:, :, None] * axis
        plain = bool((profile.weights == 1.0).all())
        weights = None if plain else np.repeat(profile.weights[None], len(net), axis=0)
        knots = (tuple(fit.t.tolist()), profile.knots)
        return SplineSurface((DEGREE, profile.degree), knots, net + self.frame.origin, weights)

    def helices_at(self, radius: float) -> list[Helix] | None:
        """The helices of the surface at a distance from the axis; None where it only touches there."""
        axis = np.asarray(self.frame.normal)

        def off(v: FloatArray) -> FloatArray:
            p = self.profile.points(v) - self.frame.origin
            return np.asarray(((p - (p @ axis)[:, None] * axis) ** 2).sum(axis=1) - radius**2)

        def slope(v: FloatArray) -> FloatArray:
            p, d = self.profile.points(v) - self.frame.origin, self.profile.derivatives(v)
            return np.asarray(2.0 * ((p - (p @ axis)[:, None] * axis) * d).sum(axis=1))

        stops = np.linspace(*self.reachable[1], PROFILE_SAMPLES)
        found = monotone_zeros(off, slope, stops)
        speeds = np.linalg.norm(self.profile.derivatives(found), axis=1)
        if (np.abs(slope(found)) <= FLAT * radius * speeds).any():
            return None
        return [self.helix_of(float(v)) for v in found]

    def helix_of(self, v: float) -> Helix:
        """The way of a point of the profile; its parameter is u."""
        point = self.profile.point(v)
        height = dot(sub(point, self.frame.origin), self.frame.normal)
        foot = along(self.frame.origin, self.frame.normal, height)
        return Helix(Plane(foot, self.frame.normal, sub(point, foot)), distance(point, foot), self.rise)

    def is_along(self, way: Vec3) -> bool:
        """Whether the axis runs along a direction, or against it."""
        return norm(cross(self.frame.normal, way)) <= PARALLEL

    def is_coaxial(self, frame: Plane) -> bool:
        """Whether the axis is the normal of a frame."""
        return _is_coaxial(self.frame, frame)

    def moved(self, motion: Motion) -> tuple[ScrewSurface, bool]:
        rise = (-1.0 if motion.is_mirror else 1.0) * motion.factor * self.rise
        low, high = self.range
        if self.profile.kind == "line":  # whose parameter is a length
            low, high = motion.factor * low, motion.factor * high
        image = ScrewSurface(
            motion.frame(self.frame), rise, self.profile.moved(motion), self.turn, (low, high)
        )
        return image, not motion.is_mirror


def _is_coaxial(one: Plane, two: Plane) -> bool:
    off = sub(two.origin, one.origin)
    aside = norm(sub(off, scaled(one.normal, dot(off, one.normal))))
    return norm(cross(one.normal, two.normal)) <= PARALLEL and aside <= RESOLUTION


def _quarter(local: FloatArray, rise: float) -> FloatArray:
    """Vectors turned by a quarter about the axis, with the given height."""
    return np.column_stack([-local[:, 1], local[:, 0], np.full(len(local), rise)])
