"""The canal that a ball of constant radius leaves when it rolls along a curve.

Its distance and normals follow from the nearest point of the spine alone. For files it is written as a
rational B-spline: circular arcs across, interpolated along.

Source: Farouki & Sverrisson, "Approximation of rolling-ball blends for free-form parametric surfaces",
Computer-Aided Design 28 (1996); Piegl & Tiller, The NURBS Book 7.3 for arcs.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import ClassVar

import numpy as np

from .placement import FloatArray, Plane
from .spline import FittedCurve, joined
from .spline_surface import SplineSurface
from .vector import Vec3, norm, scaled, sub

NOWHERE = 1e-300
ROOM = 1.1
WIDEST = 2.0
"""An arc across, as a piece of a rational spline, is at most so wide, in radians."""


@dataclass(frozen=True, eq=False)
class CanalSurface:
    """The points at distance `radius` from `spine`, across it.

    u is the spine's parameter, v the angle (radians, -pi to pi) about it from the direction to `zero`, a
    curve of the surface with the same parameter, clockwise seen against the spine's direction. The normal
    points away from the spine.
    """

    spine: FittedCurve
    zero: FittedCurve
    radius: float
    kind: ClassVar[str] = "canal"

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
    def sharpest_bend(self) -> float:
        """The largest curvature of the spine, about."""
        d1, d2 = self.spine.derivatives(self._samples), self.spine.second(self._samples)
        bend = np.linalg.norm(np.cross(d1, d2), axis=1) / np.linalg.norm(d1, axis=1) ** 3
        return float(bend.max()) * ROOM

    @property
    def thinnest(self) -> float:
        """The smallest radius."""
        return self.radius

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

    def normal(self, point: Vec3) -> Vec3:
        """Unit normal at the foot of `point`."""
        off = sub(point, self.spine.point(self._nearest_one(point)))
        return scaled(off, 1.0 / max(norm(off), NOWHERE))

    def normals(self, points: FloatArray) -> FloatArray:
        """Unit normals at the feet of `points`, shape (N, 3); returns shape (N, 3)."""
        off = points - self.spine.points(self._nearest(points))
        return off / np.maximum(np.linalg.norm(off, axis=1), NOWHERE)[:, None]

    def gap(self, point: Vec3) -> float:
        """Signed distance of one point, positive outside."""
        return math.dist(point, self.spine.point(self._nearest_one(point))) - self.radius

    def distance(self, points: FloatArray) -> FloatArray:
        """Signed distances of `points`, shape (N, 3), positive outside; returns (N,)."""
        feet = self.spine.points(self._nearest(points))
        return np.asarray(np.linalg.norm(points - feet, axis=1) - self.radius)

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

    def _nearest_one(self, point: Vec3) -> float:
        return self.spine.parameter(point)

    def _axes(self, u: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The directions of v = 0 and of a quarter turn, each (N, 3)."""
        along = self.tangents(u)
        x = self.zero.points(u) - self.spine.points(u)
        x = x - (x * along).sum(axis=1)[:, None] * along
        x = x / np.linalg.norm(x, axis=1)[:, None]
        return x, np.cross(x, along)

    def as_spline(self, low: FloatArray, high: FloatArray, stops: FloatArray) -> SplineSurface:
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
        ends = [0, *np.flatnonzero(np.isin(stops[1:-1], self.spine.joints)) + 1, len(stops) - 1]
        made = joined([(stops[a : b + 1], lifted[a : b + 1]) for a, b in pairwise(ends)])
        table = made.controls.reshape(len(made.controls), 2 * pieces + 1, 4)
        across = [0.0, *(k / pieces for k in range(pieces + 1) for _ in (0, 1)), 1.0]
        knots = (made.knots, tuple(across))
        return SplineSurface((made.degree, 2), knots, table[:, :, :3] / table[:, :, 3:], table[:, :, 3])
