"""The canal that a ball of constant radius leaves when it rolls along a curve.

Its distance and normals follow from the nearest point of the spine alone. For files it is written as a
rational B-spline: circular arcs across, interpolated along.

Source: Farouki & Sverrisson, "Approximation of rolling-ball blends for free-form parametric surfaces",
Computer-Aided Design 28 (1996); Piegl & Tiller, The NURBS Book 7.3 for arcs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from .curve import AXES, curvature
from .motion import Motion
from .placement import FloatArray, IntArray, Plane
from .search import closed_in, filled_rows, least_between
from .spline import FittedCurve, joined
from .spline_surface import SplineSurface
from .surface import Foot, Interval, Surface
from .tolerance import NOWHERE, RESOLUTION
from .vector import Vec3, norm, scaled, sub

ROOM = 1.1
WIDEST = 2.0
"""An arc across, as a piece of a rational spline, is at most so wide, in radians."""

RAY_SAMPLES = 65
PATCHES = (32, 12)
BULGE = 0.25
"""A patch of a canal lies within so much of its diagonal around its corners' box."""

BEYOND = 0.02
"""Patches reach so far beyond a range, as a share of it."""

DIFFERENCE = 1e-4
"""The step of a difference that tells a derivative, as a share of the range; its fourth power is lost."""


@dataclass(frozen=True, eq=False)
class CanalSurface(Surface):
    """The points at distance `radius` from `spine`, across it.

    u is the spine's parameter, v the angle (radians, -pi to pi) about it from the direction to `zero`, a
    curve of the surface with the same parameter, clockwise seen against the spine's direction. The normal
    points away from the spine.
    """

    spine: FittedCurve
    zero: FittedCurve
    radius: float
    kind: ClassVar[str] = "canal"
    search_order: ClassVar[int] = 20

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return self.spine.domain, (-math.pi, math.pi)

    @property
    def periods(self) -> tuple[float, float]:
        return self.spine.period, 0.0

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        return self.spine.smooth_breaks(*self.spine.domain), ()

    @property
    def is_ring(self) -> bool:
        return False

    @property
    def tube(self) -> float:
        return self.radius

    @property
    def singular_points(self) -> tuple[()]:
        return ()

    @property
    def period(self) -> float:
        """Of u; 0.0 for an open spine."""
        return self.spine.period

    @cached_property
    def frame(self) -> Plane:
        """At the start of the spine, the normal along it."""
        origin = self.spine.point(self.spine.low)
        return Plane(origin, self.spine.tangent(self.spine.low))

    @cached_property
    def fastest(self) -> float:
        """The largest length of spine per unit of u, about."""
        return float(np.linalg.norm(self.spine.derivatives(self._samples), axis=1).max()) * ROOM

    @cached_property
    def sharpest_curvature(self) -> float:
        """The largest curvature of the spine, about."""
        d1, d2 = self.spine.derivatives(self._samples), self.spine.second(self._samples)
        return float(curvature(d1, d2).max()) * ROOM

    def thickness(self) -> float:
        """The smallest radius."""
        return self.radius

    def least_radius(self) -> float:
        return min(self.thickness(), 1.0 / max(self.sharpest_curvature, 1e-9))

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        """By central differences of the fourth order: nothing that is to be exact asks for these."""
        return [[self._slope(uv, i, j) for j in range(most + 1 - i)] for i in range(most + 1)]

    def _slope(self, uv: FloatArray, i: int, j: int) -> FloatArray:
        """The points derived i times along u and j times along v."""
        if not i + j:
            return self.points(uv)
        step = np.zeros(2)
        step[0 if i else 1] = DIFFERENCE * ((self.spine.high - self.spine.low) if i else math.tau)
        lower = (i - 1, j) if i else (i, j - 1)
        low, near, far, high = (self._slope(uv + k * step, *lower) for k in (-2, -1, 1, 2))
        return np.asarray((low - 8.0 * near + 8.0 * far - high) / (12.0 * step.max()))

    def local_feet(self, point: Vec3) -> FloatArray:
        feet = self.spine.local_feet(point, self.spine.low, self.spine.high)
        return self._towards(np.array(point), feet)

    def _towards(self, point: FloatArray, u: FloatArray) -> FloatArray:
        """(u, v) on the circles at `u`, (N,), that look to a point, (3,)."""
        x, y = self._axes(u)
        off = point - self.spine.points(u)
        return np.column_stack([u, np.arctan2((off * y).sum(axis=1), (off * x).sum(axis=1))])

    def boxes(self, us: Interval, vs: Interval) -> FloatArray:
        (u0, u1), (v0, v1) = us, vs
        room = np.array([u1 - u0, v1 - v0]) * BEYOND
        u = np.linspace(max(u0 - room[0], self.spine.low), min(u1 + room[0], self.spine.high), PATCHES[0] + 1)
        v = np.linspace(v0 - room[1], v1 + room[1], PATCHES[1] + 1)
        grid = self.points(np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1).reshape(-1, 2))
        grid = grid.reshape(len(u), len(v), 3)
        corners = np.stack([grid[:-1, :-1], grid[1:, :-1], grid[:-1, 1:], grid[1:, 1:]])
        low, high = corners.min(axis=0), corners.max(axis=0)
        bulge = BULGE * np.linalg.norm(high - low, axis=2)[:, :, None]
        return np.stack([low - bulge, high + bulge], axis=2).reshape(-1, 2, 3)

    def whole_box(self) -> None:
        """None: a canal has borders."""

    def extreme_points(self, ways: FloatArray = AXES) -> FloatArray:
        """The points of the circles across that reach farthest, where the balls reach farthest among their
        neighbours: where the height of the center, with the radius, is level along the spine."""
        found = [np.zeros((0, 3))]
        for way in ways:
            for side in (1.0, -1.0):
                u = self._level_balls(side * way)
                u = np.array([self.spine.low, *u, self.spine.high])
                ways_u = self.tangents(u)
                flat = side * way - (ways_u @ (side * way))[:, None] * ways_u
                size = np.maximum(np.linalg.norm(flat, axis=1), NOWHERE)
                places = self.middles(u) + self.arms(u)[:, None] * (flat / size[:, None])
                found.append(places[_highest(side * (places @ way))])
        return np.concatenate(found)

    def _level_balls(self, way: FloatArray) -> FloatArray:
        """Parameters of the spine at which a ball may reach farthest along a direction, (N,)."""
        return np.array(self.spine.extremes(self.spine.low, self.spine.high, way[None]))

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return self.domain

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        stretched = self.fastest * (1.0 + self.radius * self.sharpest_curvature)
        return np.full(len(cells), 0.5 * du * stretched), np.full(len(cells), 0.5 * dv * self.radius)

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        """The signed distance along each ray, where it passes the box of the canal, searched for zeros."""
        table = self.spine.points(np.linspace(self.spine.low, self.spine.high, RAY_SAMPLES))
        center = 0.5 * (table.min(axis=0) + table.max(axis=0))
        reach = float(np.linalg.norm(table - center, axis=1).max()) + 2.0 * self.radius
        middle = (center - origins) @ direction
        step = 0.5 * self.thickness()
        stops = np.arange(-math.ceil(reach / step), math.ceil(reach / step) + 1) * step
        t = middle[:, None] + stops[None]
        gaps = self.distance((origins[:, None] + t[:, :, None] * direction).reshape(-1, 3)).reshape(t.shape)
        rows, zeros = _zeros(self, origins, direction, t, gaps)
        on = self._between_ends(origins[rows] + zeros[:, None] * direction)
        return filled_rows(rows[on], zeros[on], len(origins))

    def _between_ends(self, points: FloatArray) -> NDArray[np.bool_]:
        """Which points of the surface, (N, 3), are not beyond an end of the spine, on a ball about that."""
        uv = self.parameters(points)
        return np.asarray(np.linalg.norm(self.points(uv) - points, axis=1) <= RESOLUTION)

    def moved(self, motion: Motion) -> tuple[Surface, bool]:
        radius = motion.factor * self.radius
        return CanalSurface(self.spine.moved(motion), self.zero.moved(motion), radius), True

    has_exact_offset: ClassVar[bool] = True

    def exact_offset(self, distance: float) -> CanalSurface | None:
        radius = self.radius + distance
        if radius <= RESOLUTION:
            return None
        return CanalSurface(self.spine, self._drawn_in(radius / self.radius), radius)

    def _drawn_in(self, share: float) -> FittedCurve:
        """The curve of the directions to `zero`, at a share of its distance from the spine."""
        zero, spine = self.zero, self.spine
        if zero.knots == spine.knots and zero.degree == spine.degree:
            controls = spine.controls + share * (zero.controls - spine.controls)
            return FittedCurve(zero.degree, zero.knots, np.asarray(controls))
        stops = np.union1d(zero.knots, spine.knots)
        t = np.union1d(stops, 0.5 * (stops[:-1] + stops[1:]))
        joints = {spine.low, spine.high, *spine.joints, *(k for k in zero.joints if k in stops)}
        ends = np.searchsorted(t, sorted(joints)).tolist()
        points = spine.points(t) + share * (zero.points(t) - spine.points(t))
        return joined([(t[a : b + 1], points[a : b + 1]) for a, b in pairwise(ends)])

    def radii(self, u: FloatArray, order: int = 0) -> FloatArray:
        """Radii of the balls, or a derivative of them by the spine's parameter; shape (N,)."""
        return np.full(len(u), 0.0 if order else self.radius)

    def middles(self, u: FloatArray) -> FloatArray:
        """Centers of the circles across, shape (N, 3)."""
        return self.spine.points(u)

    def arms(self, u: FloatArray) -> FloatArray:
        """Radii of the circles across, shape (N,)."""
        return np.full(len(u), self.radius)

    @property
    def _samples(self) -> FloatArray:
        return np.linspace(self.spine.low, self.spine.high, 129)

    def touch_from(self, point: Vec3, near: Foot | None) -> tuple[float, Vec3, Foot]:
        u = self._nearest_one(point, near)
        off = sub(point, self.spine.point(u))
        size = norm(off)
        return size - self._radius_at(u), scaled(off, 1.0 / max(size, NOWHERE)), (u, 0.0)

    def touches(self, points: FloatArray) -> tuple[FloatArray, FloatArray]:
        u = self._nearest(points)
        off = points - self.spine.points(u)
        sizes = np.linalg.norm(off, axis=1)
        return sizes - self.radii(u), off / np.maximum(sizes, NOWHERE)[:, None]

    def _radius_at(self, u: float) -> float:
        return self.radius

    def parameters(self, points: FloatArray) -> FloatArray:
        """(u, v) of `points`, shape (N, 3); returns shape (N, 2)."""
        u = self._nearest(points)
        x, y = self._axes(u)
        off = points - self.spine.points(u)
        return np.column_stack([u, np.arctan2((off * y).sum(axis=1), (off * x).sum(axis=1))])

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        x, y = self._axes(uv[:, 0])
        c, s = np.cos(uv[:, 1])[:, None], np.sin(uv[:, 1])[:, None]
        return np.asarray(self.middles(uv[:, 0]) + self.arms(uv[:, 0])[:, None] * (c * x + s * y))

    def stretch(self, u: FloatArray, normals: FloatArray) -> FloatArray:
        """How far a point of the surface moves along the spine per unit of u; shape (N,). Negative where the
        surface folds back. normals : the unit normals there, (N, 3) or (N, K, 3)."""
        d1, d2 = self.spine.derivatives(u), self.spine.second(u)
        speed = np.linalg.norm(d1, axis=1)
        bend = np.einsum("n...k,nk->n...", normals, d2)
        shape = (-1,) + (1,) * (bend.ndim - 1)
        return np.asarray(speed.reshape(shape) - self.radius * bend / speed.reshape(shape))

    def areas(self, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Unit normals, shape (N, 3), and areas per unit of u and v, (N,), negative where it folds back."""
        normals = self._across(uv)
        return normals, self.arms(uv[:, 0]) * self.stretch(uv[:, 0], normals)

    def slides(self, uv: FloatArray) -> FloatArray:
        """Derivatives by u, less what they have along the circles; shape (N, 3)."""
        normals = self._across(uv)
        stretch = self.stretch(uv[:, 0], normals)
        return np.asarray(stretch[:, None] * self.ways(uv[:, 0], normals))

    def _across(self, uv: FloatArray) -> FloatArray:
        """Unit normals at `uv`."""
        off = self.points(uv) - self.spine.points(uv[:, 0])
        return np.asarray(off / np.linalg.norm(off, axis=1)[:, None])

    def ways(self, u: FloatArray, normals: FloatArray) -> FloatArray:
        """Unit directions in which the angle does not change, for the unit normals there; shape (N, 3)."""
        return self.tangents(u)

    def tangents(self, u: FloatArray) -> FloatArray:
        """Unit directions of the spine, shape (N, 3)."""
        d = self.spine.derivatives(u)
        return np.asarray(d / np.linalg.norm(d, axis=1)[:, None])

    def _nearest(self, points: FloatArray) -> FloatArray:
        return self.spine.nearest(points)

    def _nearest_one(self, point: Vec3, near: Foot | None) -> float:
        return self.spine.parameter_near(point, near[0]) if near else self.spine.parameter(point)

    def _axes(self, u: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The directions of v = 0 and of a quarter turn, each (N, 3)."""
        along = self.tangents(u)
        x = self.zero.points(u) - self.spine.points(u)
        x = x - (x * along).sum(axis=1)[:, None] * along
        x = x / np.linalg.norm(x, axis=1)[:, None]
        return x, np.cross(x, along)

    def as_spline_at(self, low: FloatArray, high: FloatArray, stops: FloatArray) -> SplineSurface:
        """A rational B-spline surface, u along the spine, v across, that agrees with the canal at all `stops`
        of u; there it runs from angle `low` to `high`, each (N,). Degree 5 by 2; stops between two joints of
        the spine, and these, are a piece, of at least six."""
        x, y = self._axes(stops)
        centers, arms = self.middles(stops), self.arms(stops)
        pieces = max(1, math.ceil(float((high - low).max()) / WIDEST))
        half = 0.5 * (high - low) / pieces
        rows, weights = [], []
        for k in range(2 * pieces + 1):  # every second control point lies between two pieces of the arc
            angle, inner = low + k * half, k % 2 == 1
            reach = arms / (np.cos(half) if inner else 1.0)
            way = np.cos(angle)[:, None] * x + np.sin(angle)[:, None] * y
            rows.append(centers + reach[:, None] * way)
            weights.append(np.cos(half) if inner else np.ones_like(half))
        lifted = np.concatenate(
            [np.column_stack([p * w[:, None], w]) for p, w in zip(rows, weights, strict=True)], axis=1
        )
        if self.period and stops[-1] - stops[0] == self.period:
            lifted[-1] = lifted[0]
        joints = [k + lap for lap in (0.0, self.period) for k in self.spine.joints]
        ends = [0, *np.flatnonzero(np.isin(stops[1:-1], joints)) + 1, len(stops) - 1]
        made = joined([(stops[a : b + 1], lifted[a : b + 1]) for a, b in pairwise(ends)])
        table = made.controls.reshape(len(made.controls), 2 * pieces + 1, 4)
        across = [0.0, *(k / pieces for k in range(pieces + 1) for _ in (0, 1)), 1.0]
        knots = (made.knots, tuple(across))
        return SplineSurface((made.degree, 2), knots, table[:, :, :3] / table[:, :, 3:], table[:, :, 3])


def _highest(heights: FloatArray) -> NDArray[np.bool_]:
    """Which of some heights in a row are no lower than those beside them."""
    padded = np.concatenate([[-np.inf], heights, [-np.inf]])
    return np.asarray((heights >= padded[:-2]) & (heights >= padded[2:]))


def _zeros(
    surface: CanalSurface, o: FloatArray, d: FloatArray, t: FloatArray, gaps: FloatArray
) -> tuple[IntArray, FloatArray]:
    """Zeros between samples of opposite sign, and on both sides of a least one that may hide two; with the
    numbers of their rays. Between two samples the distance changes by at most their distance."""

    def gap(rays: IntArray, s: FloatArray) -> FloatArray:
        return surface.distance(o[rays] + s[:, None] * d)

    crosses = (gaps[:, :-1] < 0.0) != (gaps[:, 1:] < 0.0)
    close = np.abs(gaps[:, :-1]) + np.abs(gaps[:, 1:]) <= np.diff(t, axis=1)
    rays, k = np.nonzero(close & ~crosses)
    side = np.sign(gaps[rays, k] + (gaps[rays, k] == 0.0))
    low, high = t[rays, k], t[rays, k + 1]
    least = least_between(lambda s: side * gap(rays, s), low, high)
    dips = gap(rays, least) * side < 0.0
    first, second = np.nonzero(crosses)
    numbers = np.concatenate([first, rays[dips], rays[dips]])
    starts = np.concatenate([t[first, second], low[dips], least[dips]])
    ends = np.concatenate([t[first, second + 1], least[dips], high[dips]])
    return numbers, closed_in(lambda s: gap(numbers, s), starts, ends)
