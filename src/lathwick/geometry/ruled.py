"""The surface of straight lines between two curves.

Source: Piegl & Tiller, The NURBS Book 8.4 (ruled surfaces as B-splines of degree one across).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np

from .curve import curvature
from .motion import Motion
from .placement import FloatArray, Plane
from .search import closed_in, filled_rows
from .spline import FittedCurve
from .spline_surface import SplineSurface
from .surface import Interval, Surface
from .tolerance import NOWHERE
from .vector import Vec3

NEWTON_ROUNDS = 30
CLOSE = 1e-13
"""The search for the nearest line ends with a step so small, as a share of the curves."""

SAMPLES = 129
ROOM = 1.1
RAY_SAMPLES = 257
LINES_BEYOND = 0.05
"""Lines are followed beyond both curves by this share of their length."""


@dataclass(frozen=True, eq=False)
class RuledSurface(Surface):
    """Straight lines from points of `one` to those of `two` with the same parameter; both have the same
    knots.

    u is the parameter of the curves, v the share of the way from `one` to `two`. The normal is the cross
    product of the directions of u and v.
    """

    one: FittedCurve
    two: FittedCurve
    kind: ClassVar[str] = "ruled"
    search_order: ClassVar[int] = 30

    @property
    def domain(self) -> tuple[Interval, Interval]:
        return self.one.domain, (0.0, 1.0)

    @property
    def periods(self) -> tuple[float, float]:
        return self.one.period, 0.0

    def smooth_breaks(self) -> tuple[Sequence[float], Sequence[float]]:
        return self.one.smooth_breaks(*self.one.domain), ()

    @property
    def straight(self) -> int:
        return 1

    @property
    def singular_points(self) -> tuple[()]:
        return ()

    def least_radius(self) -> float:
        return 1.0 / max(self.sharpest_curvature, 1e-9)

    def derivatives(self, uv: FloatArray, most: int = 2) -> list[list[FloatArray]]:
        line = self._lines(uv)
        twist = self.two.derivatives(uv[:, 0]) - self.one.derivatives(uv[:, 0])
        rows = [[self.points(uv), line, np.zeros_like(line)], [self.slopes(uv), twist]]
        rows.append([self._second(uv[:, 0], uv[:, 1])])
        return [row[: most + 1 - i] for i, row in enumerate(rows[: most + 1])]

    def local_feet(self, point: Vec3) -> FloatArray:
        """The feet on lines that come nearer to the point than those beside them."""
        u = self.middle.samples(self.one.low, self.one.high)
        p = np.repeat(np.array([point]), len(u), axis=0)
        away = np.linalg.norm(self._foot(p, u)[1], axis=1)
        padded = np.concatenate([[np.inf], away, [np.inf]])
        starts = u[(away <= padded[:-2]) & (away <= padded[2:])]
        p = p[: len(starts)]
        feet = self._settled(p, starts)
        return np.column_stack([feet, self._foot(p, feet)[0]])

    def domain_in(self, corners: FloatArray) -> tuple[Interval, Interval]:
        return self.one.domain, (-LINES_BEYOND, 1.0 + LINES_BEYOND)

    def cell_sizes(self, cells: FloatArray, du: float, dv: float) -> tuple[FloatArray, FloatArray]:
        return np.full(len(cells), 0.5 * du * self.fastest), np.full(len(cells), 0.5 * dv * self.widest)

    def ray_hits(self, origins: FloatArray, direction: FloatArray) -> FloatArray:
        """A ray meets the line at u where the volume of it, the line and the way between vanishes: zeros of
        that between samples of opposite sign."""
        u = np.linspace(self.one.low, self.one.high, RAY_SAMPLES)

        def volumes(u: FloatArray) -> tuple[FloatArray, FloatArray]:
            start = self.one.points(u)
            return start, np.cross(self.two.points(u) - start, direction)

        starts, sides = volumes(u)
        values = (starts * sides).sum(axis=1) - origins @ sides.T
        rays, k = np.nonzero((values[:, :-1] < 0.0) != (values[:, 1:] < 0.0))

        def gap(u: FloatArray) -> FloatArray:
            start, side = volumes(u)
            return np.asarray(((start - origins[rays]) * side).sum(axis=1))

        u = closed_in(gap, u[k], u[k + 1])
        start = self.one.points(u)
        way, off = self.two.points(u) - start, origins[rays] - start
        flat = way - (way @ direction)[:, None] * direction  # of the line, as seen along the rays
        v = (off * flat).sum(axis=1) / np.maximum((flat * flat).sum(axis=1), NOWHERE)
        hits = (start + v[:, None] * way - origins[rays]) @ direction
        return filled_rows(rays, hits, len(origins))

    def moved(self, motion: Motion) -> tuple[RuledSurface, bool]:
        return RuledSurface(self.one.moved(motion), self.two.moved(motion)), not motion.is_mirror

    def exact_spline(self, us: Interval, vs: Interval) -> SplineSurface:
        """The same points."""
        one, two = (curve.between(*us) for curve in (self.one, self.two))
        controls = np.stack([(1.0 - v) * one.controls + v * two.controls for v in vs], axis=1)
        return SplineSurface((one.degree, 1), (one.knots, (vs[0], vs[0], vs[1], vs[1])), controls)

    @property
    def period(self) -> float:
        """Of u; 0.0 for open curves."""
        return self.one.period

    @cached_property
    def middle(self) -> FittedCurve:
        """The curve half way across."""
        return FittedCurve(self.one.degree, self.one.knots, 0.5 * (self.one.controls + self.two.controls))

    @cached_property
    def frame(self) -> Plane:
        """At the start of the curve half way, the normal along it."""
        origin = self.middle.point(self.middle.low)
        return Plane(origin, self.middle.tangent(self.middle.low))

    @cached_property
    def fastest(self) -> float:
        """The largest length along per unit of u, about."""
        u = np.linspace(self.one.low, self.one.high, SAMPLES)
        speeds = [np.linalg.norm(curve.derivatives(u), axis=1).max() for curve in (self.one, self.two)]
        return float(max(speeds)) * ROOM

    @cached_property
    def widest(self) -> float:
        """The length of the longest line, about."""
        u = np.linspace(self.one.low, self.one.high, SAMPLES)
        return float(np.linalg.norm(self.two.points(u) - self.one.points(u), axis=1).max()) * ROOM

    @cached_property
    def sharpest_curvature(self) -> float:
        """The largest curvature of the two curves, about."""
        u, found = np.linspace(self.one.low, self.one.high, SAMPLES), 0.0
        for curve in (self.one, self.two):
            d1, d2 = curve.derivatives(u), curve.second(u)
            found = max(found, float(curvature(d1, d2).max()))
        return found * ROOM

    def areas(self, uv: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Unit normals, shape (N, 3), and the area per unit of u and v, (N,)."""
        ways = np.cross(self.slopes(uv), self._lines(uv))
        sizes = np.linalg.norm(ways, axis=1)
        return np.asarray(ways / np.maximum(sizes, NOWHERE)[:, None]), np.asarray(sizes)

    def slides(self, uv: FloatArray) -> FloatArray:
        """Derivatives by u, less what they have along the lines; shape (N, 3)."""
        line, slope = self._lines(uv), self.slopes(uv)
        share = (slope * line).sum(axis=1) / (line * line).sum(axis=1)
        return np.asarray(slope - share[:, None] * line)

    def _lines(self, uv: FloatArray) -> FloatArray:
        return np.asarray(self.two.points(uv[:, 0]) - self.one.points(uv[:, 0]))

    def slopes(self, uv: FloatArray) -> FloatArray:
        """Derivatives by u, shape (N, 3)."""
        u, v = uv[:, 0], uv[:, 1:2]
        return np.asarray((1.0 - v) * self.one.derivatives(u) + v * self.two.derivatives(u))

    def points(self, uv: FloatArray) -> FloatArray:
        """Points at `uv`, shape (N, 2); returns shape (N, 3)."""
        u, v = uv[:, 0], uv[:, 1:2]
        return np.asarray((1.0 - v) * self.one.points(u) + v * self.two.points(u))

    def parameters(self, points: FloatArray) -> FloatArray:
        """(u, v) of the feet of `points`, shape (N, 3), on lines of any length; returns shape (N, 2).

        By Newton's method in u; the best v of a line is known.
        """
        u = self._settled(points, self.middle.nearest(points))
        return np.column_stack([u, self._foot(points, u)[0]])

    def _settled(self, points: FloatArray, u: FloatArray) -> FloatArray:
        for _ in range(NEWTON_ROUNDS):
            v, off, way = self._foot(points, u)
            d1, d2 = self.slopes(np.column_stack([u, v])), self._second(u, v)
            twist = self.two.derivatives(u) - self.one.derivatives(u)
            size = (way * way).sum(axis=1)
            flat = (d1 * d1).sum(axis=1) - (d1 * way).sum(axis=1) ** 2 / size
            mixed = (d1 * way).sum(axis=1) - (off * twist).sum(axis=1)
            bend = (d1 * d1).sum(axis=1) - (off * d2).sum(axis=1) - mixed**2 / size
            step = (off * d1).sum(axis=1) / np.where(bend > 0.1 * flat, bend, np.maximum(flat, NOWHERE))
            moved = self.one.kept(u + step)
            done = np.abs(moved - u).max(initial=0.0) <= CLOSE * (self.one.high - self.one.low)
            u = moved
            if done:
                break
        return u

    def _foot(self, points: FloatArray, u: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """The nearest v on lines, what is left to the points, and the ways along the lines."""
        start = self.one.points(u)
        way = self.two.points(u) - start
        v = ((points - start) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), NOWHERE)
        return v, points - start - v[:, None] * way, way

    def _second(self, u: FloatArray, v: FloatArray) -> FloatArray:
        return np.asarray((1.0 - v)[:, None] * self.one.second(u) + v[:, None] * self.two.second(u))
